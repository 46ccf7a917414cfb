"""Carrying a piece of work out.

Whatever goes wrong ends in a state and a sentence that a person sees, and touches nothing else.
"""

import logging
from collections.abc import Callable

from mezzavoce_core.errors import MezzavoceError

from ..config.refusals import NO_ROOM, is_full
from .models import FAILED
from .queue import Queue, W

_LOG = logging.getLogger(__name__)
_UNKNOWN = (
    "Something went wrong in here that nobody expected; what was done before is not touched. It is tried "
    "again by itself."
)


class NotWanted(MezzavoceError):
    """Nobody wants the result any more: it was cancelled, or somebody else has the work."""


def work_next(queue: Queue[W], carry_out: Callable[[W], None], only: int | None = None) -> bool:
    """Claim the next row (or ``only`` this one) and carry it out. Returns whether there was one."""
    row = queue.claim(only)
    if row is None:
        return False
    try:
        carry_out(row)
    except NotWanted:
        pass
    except MezzavoceError as error:
        if error.temporary:
            queue.postpone(row, str(error))
        else:
            queue.end(row, FAILED, str(error))
    except Exception as error:
        _LOG.exception("%s of row %s went wrong", queue.kind, row.pk)
        queue.postpone(row, NO_ROOM if is_full(error) else _UNKNOWN)
    return True
