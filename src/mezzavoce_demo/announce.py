"""Says where the demo is, once the first programmes can be looked at; then makes and brings in the others.

Until then it says how far it is; if measuring takes long, it says so after a while.
"""

import os
import sys
import time
from contextlib import suppress
from pathlib import Path
from urllib.parse import urlsplit

import django

from mezzavoce_host.announce import answers
from mezzavoce_host.words import say

from .programmes.scenario import EPISODES

_BANNER = """
  Mezzavoce is running:  {url}

  Open it and sign in as the reviewer with one click. Choose “The Bell Buoy off
  Tarn Skerry”, press Enter on the first finding and listen.
  Ctrl-C ends everything; what you did stays for the next start.
"""


FIRST = 4
"""So many programmes are there before the address is said."""
_PATIENCE_S, _LONG_S, _SAY_EVERY_S = 240, 1800, 10
ALL_MEASURED = "All programmes are measured."


def main(url: str) -> None:
    """Wait, then print the address and what to do there; make the rest behind it."""
    django.setup()
    _wait(url, _PATIENCE_S)
    say(_BANNER.format(url=url))
    _make_the_rest(Path(os.environ["MEZZAVOCE_DATA_DIR"]) / "demo-media")
    _wait(url, _LONG_S)
    _make_second(Path(os.environ["MEZZAVOCE_DATA_DIR"]) / "demo-media")
    _wait(url, _LONG_S)
    say(ALL_MEASURED)


def _wait(url: str, patience_s: float) -> None:
    """Until nothing is left to be measured and the page answers, or for so long."""
    from mezzavoce.measuring.models import Run

    open_runs = Run.objects.filter(state__in=(Run.State.WAITING, Run.State.RUNNING))
    begun_at = said_at = time.monotonic()
    while time.monotonic() < begun_at + patience_s:
        left = open_runs.count()
        if not left and answers(urlsplit(url).port or 80):
            return
        if left and time.monotonic() >= said_at + _SAY_EVERY_S:
            said_at = time.monotonic()
            say(f"Measuring: {left} {'mixes are' if left > 1 else 'mix is'} left")
        time.sleep(0.5)


def _make_the_rest(media: Path) -> None:
    """Two programmes at a time, so that each appears on the desk as soon as it is there."""
    from .loader import load
    from .studio.render import render_all, unrendered

    rest = EPISODES[FIRST:]
    missing = unrendered(media, rest)
    if missing:
        say(f"{len(missing)} more programmes are being made (once); they appear on the desk one after the other.")
    for k in range(0, len(rest), 2):
        load(render_all(media, rest[k : k + 2]), rest[k : k + 2])


def _make_second(media: Path) -> None:
    """Second mixes of some programmes, to be laid beside the first ones."""
    from .loader import load_second
    from .second.make import make_second
    from .second.mixes import SECOND_MIXES
    from .studio.render import render_all

    folder, numbers = render_all(media, EPISODES), {e.number for e in EPISODES}
    make_second(folder, [s for s in SECOND_MIXES if s.number in numbers])
    load_second(folder)


if __name__ == "__main__":
    # Ctrl-C ends the one who waits as well.
    with suppress(KeyboardInterrupt):
        main(sys.argv[1])
