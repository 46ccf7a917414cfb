"""Says where Mezzavoce is, once the page answers; at the first start, where the first person makes an account."""

import http.client
import os
import sys
import time
from contextlib import suppress

import django

from .words import say

_PATIENCE_S = 120
_BANNER = """
  Mezzavoce is running:  {url}
  Ctrl-C ends it; what people did stays.
"""
_FIRST = """
  Nobody has an account yet. Make the first one, which looks after all others, at

    {link}

  This address works once, until {until}.
"""


def answers(port: int) -> bool:
    """Whether the web server on this port of loopback answers, if only with the way to its https address."""
    asked = http.client.HTTPConnection("127.0.0.1", port, timeout=5)
    try:
        asked.request("GET", "/sign-in/")
        return asked.getresponse().status < http.HTTPStatus.INTERNAL_SERVER_ERROR
    except (http.client.HTTPException, OSError):
        return False
    finally:
        asked.close()


def main() -> None:
    """Wait for the web server, then say where to go."""
    django.setup()
    from mezzavoce.people.accounts import first_link

    until = time.monotonic() + _PATIENCE_S
    while not answers(int(os.environ["MEZZAVOCE_PORT"])) and time.monotonic() < until:
        time.sleep(0.5)
    say(_BANNER.format(url=os.environ["MEZZAVOCE_BASE_URL"]))
    if first := first_link():
        say(_FIRST.format(link=first.address, until=first.expires.strftime("%d %B, %H:%M %Z")))


if __name__ == "__main__":
    # Ctrl-C ends the one who waits as well.
    with suppress(KeyboardInterrupt):
        main()
    sys.exit(0)
