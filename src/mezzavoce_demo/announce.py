"""Says where the demo is, once the page answers and everything is measured.

Until then it says how far it is; if measuring takes long, it says so after a while.
"""

import sys
import time
from contextlib import suppress
from urllib.parse import urlsplit

import django

from mezzavoce_host.announce import answers
from mezzavoce_host.words import say

_BANNER = """
  Mezzavoce is running:  {url}

  Open it and sign in as the reviewer with one click. Choose “The Bell Buoy off
  Tarn Skerry”, press Enter on the first finding and listen.
  Ctrl-C ends everything; what you did stays for the next start.
"""


_PATIENCE_S, _SAY_EVERY_S = 240, 10


def main(url: str) -> None:
    """Wait, then print the address and what to do there."""
    django.setup()
    from mezzavoce.measuring.models import Run

    open_runs = Run.objects.filter(state__in=(Run.State.WAITING, Run.State.RUNNING))
    begun_at = said_at = time.monotonic()
    while time.monotonic() < begun_at + _PATIENCE_S:
        left = open_runs.count()
        if not left and answers(urlsplit(url).port or 80):
            break
        if left and time.monotonic() >= said_at + _SAY_EVERY_S:
            said_at = time.monotonic()
            say(f"Measuring: {left} {'mixes are' if left > 1 else 'mix is'} left")
        time.sleep(0.5)
    say(_BANNER.format(url=url))


if __name__ == "__main__":
    # Ctrl-C ends the one who waits as well.
    with suppress(KeyboardInterrupt):
        main(sys.argv[1])
