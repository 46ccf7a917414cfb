"""How many processes pages may start at once, over all web processes of this machine."""

import fcntl
import time
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path

from django.conf import settings

from ..config.refusals import Busy

_PATIENCE_S = 5.0
_TURN_S = 0.05


@contextmanager
def slot() -> Iterator[None]:
    """Hold one of the slots for as long as the block runs. Raises Busy where none gets free in time."""
    folder = settings.WORK_DIR / "slots"
    folder.mkdir(parents=True, exist_ok=True)
    until = time.monotonic() + _PATIENCE_S
    with ExitStack() as held:
        while not any(_take(held, folder / str(number)) for number in range(settings.CORE_SLOTS)):
            if time.monotonic() > until:
                raise Busy("Too many people listen and look closely at once. Try again in a few seconds.")
            time.sleep(_TURN_S)
        yield


def _take(held: ExitStack, path: Path) -> bool:
    file = path.open("w", encoding="ascii")
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        file.close()
        return False
    held.enter_context(file)
    return True
