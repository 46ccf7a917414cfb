"""The voice is softer than elsewhere, and that is why it is covered; or only softer, or louder, than elsewhere."""

from collections.abc import Iterator, Sequence
from dataclasses import replace
from functools import partial
from math import ceil

import numpy as np
from numpy.typing import NDArray

from ...estimate import Estimate, exact
from ...measure.balance import Passage, blocks_between
from ..deviation import deviating
from ..model import NOTE, SHOULD, Finding, JudgingContext, Kind
from ..remedies.level_matching import matched_level
from ..remedies.level_points import STEP_DB, balance_remedies, hold_points
from ..remedies.remedy_context import RemedyContext, with_others
from ..remedy import Part, Remedies, Remedy


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each passage whose voice is too low.

    It lies further than ``voice_spread_lu`` under the others' and comes too near to what lies under it.
    """
    limits, balance = context.spec.limits, context.balance
    if balance is None or limits.clearance_lu is None:
        return
    for passage, off in off_from_others(context):
        ratio = passage.speech_to_background
        if off >= 0 or ratio is None or round(ratio.value, 1) >= limits.clearance_lu:
            continue
        assert limits.voice_spread_lu is not None
        blocks = blocks_between(balance.active, passage.in_s, passage.out_s)
        elsewhere = replace(
            with_others(context, passage.in_s, passage.out_s),
            voice_least_db=STEP_DB * ceil((-off - limits.voice_spread_lu) / STEP_DB),
        )
        yield Finding(
            kind=KIND.name,
            family=KIND.family,
            severity=SHOULD,
            in_s=passage.in_s,
            out_s=passage.out_s,
            title="Voice too low",
            message=(
                f"The voice lies {_as_sure(passage, -off).told} LU under the other passages, where "
                f"{limits.voice_spread_lu:g} LU are one level, and only {ratio.told} LU over the "
                f"background, where {limits.clearance_lu:g} LU are wanted. Raise it to its neighbours."
            ),
            estimate=_as_sure(passage, -off),
            limit=limits.voice_spread_lu,
            unit="LU",
            role="dialogue",
            leans_on=elsewhere,
            mend=partial(_raised_first, context, passage, blocks, limits.clearance_lu, elsewhere),
        )


def _raised_first(
    context: JudgingContext, passage: Passage, blocks: NDArray[np.int64], wanted: float, elsewhere: RemedyContext
) -> Remedies:
    first, others = balance_remedies(context, passage.in_s, passage.out_s, blocks, wanted=wanted, elsewhere=elsewhere)
    # However low the music, a voice that is not raised stays under its neighbours.
    ways = [r if r.action == "raise" else replace(r, enough=False) for r in (first, *others) if r is not None]
    ways.sort(key=lambda r: (r.action != "raise", abs(r.amount_db)))
    return (ways[0] if ways else None), tuple(ways[1:])


def off_from_others(context: JudgingContext) -> Sequence[tuple[Passage, float]]:
    """Passages whose voice stands further than the limit from the middle of the others, and by how much (LU)."""
    limit = context.spec.limits.voice_spread_lu
    if limit is None or context.passages is None:
        return []
    telling = np.flatnonzero(np.isfinite(context.telling_lufs))
    return [
        (context.passages[telling[k]], off)
        for k, off in deviating(context.telling_lufs[telling].tolist(), limit).items()
    ]


def find_uneven(context: JudgingContext) -> Iterator[Finding]:
    """The same without regard to what lies under the voice: taste, not lost words."""
    limit = context.spec.limits.voice_spread_lu
    for passage, off in off_from_others(context):
        assert limit is not None
        yield Finding(
            kind=UNEVEN.name,
            family=UNEVEN.family,
            severity=NOTE,
            in_s=passage.in_s,
            out_s=passage.out_s,
            title="Voice at another level",
            message=f"The voice lies {_as_sure(passage, abs(off)).told} LU {'over' if off > 0 else 'under'} the other "
            f"passages; within {limit:g} LU it is one level.",
            estimate=_as_sure(passage, abs(off)),
            limit=limit,
            unit="LU",
            role="dialogue",
            mend=partial(matched_level, context, off, limit, [passage], partial(_moved, context, passage)),
        )


def _as_sure(passage: Passage, off_lu: float) -> Estimate:
    """How far a voice stands off, as sure as its level is."""
    level = passage.speech
    if level is None or not level.uncertainty:
        return exact(off_lu)
    return replace(level, value=off_lu, low=off_lu - level.uncertainty, high=off_lu + level.uncertainty)


def _moved(context: JudgingContext, passage: Passage, gain_db: float) -> Remedy:
    points = hold_points(context, passage.in_s, passage.out_s, gain_db)
    return Remedy("lower" if gain_db < 0 else "raise", Part("dialogue"), gain_db, points)


KIND = Kind("voice-low", "voice", "voice too low", find)
UNEVEN = Kind("voice-uneven", "voice", "voice at another level", find_uneven)
