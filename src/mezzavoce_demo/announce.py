"""Says where the demo is, once the page answers and everything is measured (or after a while, if that takes long)."""

import sys
import time
import urllib.error
import urllib.request

import django

_BANNER = """
  Mezzavoce is running:  {url}

  Open it and sign in as the reviewer with one click. Choose “The Bell Buoy off
  Tarn Skerry”, press Enter on the first finding and listen.
  Ctrl-C ends everything; what you did stays for the next start.
"""


_PATIENCE_S = 240


def main(url: str) -> None:
    """Wait, then print the address and what to do there."""
    django.setup()
    from mezzavoce.measuring.models import Run

    end_at = time.monotonic() + _PATIENCE_S
    while time.monotonic() < end_at:
        if _answers(url) and not Run.objects.filter(state__in=(Run.State.WAITING, Run.State.RUNNING)).exists():
            break
        time.sleep(0.5)
    sys.stdout.write(_BANNER.format(url=url))
    sys.stdout.flush()


def _answers(url: str) -> bool:
    try:
        with urllib.request.urlopen(url, timeout=5):  # noqa: S310  (our own address)
            return True
    except (urllib.error.URLError, OSError):
        return False


if __name__ == "__main__":
    main(sys.argv[1])
