"""What stands off from its like is brought back to it, as far as that leaves words clear."""

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from ...measure.balance import Passage, blocks_between
from ...measure.meter import TICKS_PER_BLOCK
from ..model import JudgingContext
from ..remedy import Remedies, Remedy
from .level_points import STEP_DB, headroom_missing_db
from .prediction import changed_by, predicted, ratio_over


def matched_level(
    context: JudgingContext,
    off_db: float,
    limit_db: float,
    passages: Sequence[Passage],
    moved: Callable[[float], Remedy],
) -> Remedies:
    """A remedy for what stands ``off_db`` off from its like, which is ``moved`` by a gain in dB.

    ``passages`` are those that it touches.

    It goes all the way back, or where that would cover words only as far as they stay clear; within ``limit_db`` it
    belongs to its like again.
    """
    back = -1.0 if off_db > 0 else 1.0
    amounts = [round(back * float(db), 1) for db in np.arange(abs(off_db), abs(off_db) - limit_db, -STEP_DB)]
    remedy = next((r for db in amounts if _stays_clear(context, r := moved(db), passages)), None)
    remedy = remedy or replace(moved(amounts[-1]), enough=False)
    return _with_headroom(context, predicted(context, remedy, passages)), ()


def _stays_clear(context: JudgingContext, remedy: Remedy, passages: Sequence[Passage]) -> bool:
    """Whether no word that is clear now is covered afterwards."""
    clearance, balance = context.spec.limits.clearance_lu, context.balance
    if clearance is None or balance is None or not passages or (remedy.role == "dialogue") == (remedy.amount_db > 0):
        return True
    blocks = np.concatenate([blocks_between(balance.active, p.in_s, p.out_s) for p in passages])
    clear = blocks[np.round(context.local_ratio_lu[blocks], 1) >= clearance]
    part, first = changed_by(context, remedy, passages, bands=False)
    return not len(clear) or round(ratio_over(part, clear - first // TICKS_PER_BLOCK), 1) >= clearance


def _with_headroom(context: JudgingContext, remedy: Remedy) -> Remedy:
    """A voice that is raised needs room for its peaks."""
    if remedy.role != "dialogue" or remedy.amount_db <= 0:
        return remedy
    missing = headroom_missing_db(context, remedy.points[0].at_s, remedy.points[-1].at_s, remedy.amount_db)
    return remedy if missing is None else replace(remedy, headroom_missing_db=missing, enough=False)
