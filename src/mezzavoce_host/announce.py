"""Says where Mezzavoce is, once the page answers; at the first start, where the first person makes an account."""

import os
import sys
import time
import urllib.error
import urllib.request
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


def answers(url: str) -> bool:
    """Whether the page is there."""
    try:
        with urllib.request.urlopen(url, timeout=5):  # noqa: S310  (our own address)
            return True
    except (urllib.error.URLError, OSError):
        return False


def main() -> None:
    """Wait for the web server, then say where to go."""
    django.setup()
    from mezzavoce.people.accounts import first_link

    until = time.monotonic() + _PATIENCE_S
    while not answers(f"http://127.0.0.1:{os.environ['MEZZAVOCE_PORT']}/sign-in/") and time.monotonic() < until:
        time.sleep(0.5)
    say(_BANNER.format(url=os.environ["MEZZAVOCE_BASE_URL"]))
    if first := first_link():
        say(_FIRST.format(link=first.address, until=first.expires.strftime("%d %B, %H:%M %Z")))


if __name__ == "__main__":
    # Ctrl-C ends the one who waits as well.
    with suppress(KeyboardInterrupt):
        main()
    sys.exit(0)
