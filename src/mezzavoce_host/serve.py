"""Starts Mezzavoce for real on one machine; ends all of it with Ctrl-C or a signal to end."""

import os
import signal
import sys
from pathlib import Path

from .machine import furnished, held, prepare
from .processes import run
from .services import CannotStart


def main() -> int:
    """Run the application; returns the exit code."""
    data = Path(os.environ["MEZZAVOCE_DATA_DIR"]).resolve()
    signal.signal(signal.SIGTERM, _end)
    os.environ.setdefault("MEZZAVOCE_WEB_PROCESSES", "2")
    try:
        with held(data), furnished(data):
            prepare()
            return run(data, ["mezzavoce_host.announce"])
    except CannotStart as error:
        sys.stderr.write(f"{error}\n")
        return 1
    except KeyboardInterrupt:
        return 130


def _end(*_: object) -> None:
    """A service manager ends it like a person does."""
    raise KeyboardInterrupt


if __name__ == "__main__":
    sys.exit(main())
