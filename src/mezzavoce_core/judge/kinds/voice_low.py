"""The voice is softer than elsewhere, and that is why it is covered; or only softer, or louder, than elsewhere."""

from collections.abc import Iterator, Sequence
from dataclasses import replace
from functools import partial
from math import ceil

import numpy as np
from numpy.typing import NDArray

from ...measure.balance import Passage, blocks_between
from ..evening import evened
from ..fit import Fit, with_others
from ..model import NOTE, SHOULD, Evidence, Finding, Kind, Remedies, Remedy
from ..offs import standing_off
from ..remedies import STEP_DB, balance_remedies, hold_points


def find(evidence: Evidence) -> Iterator[Finding]:
    """A finding for each passage whose voice lies further than ``voice_spread_lu`` under the others' and comes too near to what lies under it."""
    limits, balance = evidence.spec.limits, evidence.balance
    if balance is None or limits.clearance_lu is None:
        return
    for passage, off in off_from_others(evidence):
        ratio = passage.speech_to_background_lu
        if off >= 0 or ratio is None or round(ratio, 1) >= limits.clearance_lu:
            continue
        assert limits.voice_spread_lu is not None
        blocks = blocks_between(balance.active, passage.in_s, passage.out_s)
        fit = replace(with_others(evidence, passage.in_s, passage.out_s), voice_least_db=STEP_DB * ceil((-off - limits.voice_spread_lu) / STEP_DB))
        yield Finding(
            kind=KIND.name,
            family=KIND.family,
            severity=SHOULD,
            in_s=passage.in_s,
            out_s=passage.out_s,
            title="Voice too low",
            message=(
                f"The voice lies {-off:.1f} LU under the other passages, where {limits.voice_spread_lu:g} LU are one level, and only {ratio:.1f} LU over the "
                f"background, where {limits.clearance_lu:g} LU are wanted. Raise it to its neighbours."
            ),
            measured=-off,
            limit=limits.voice_spread_lu,
            unit="LU",
            role="dialogue",
            leans_on=fit,
            mend=partial(_raised_first, evidence, passage, blocks, limits.clearance_lu, fit),
        )


def _raised_first(evidence: Evidence, passage: Passage, blocks: NDArray[np.int64], wanted: float, fit: Fit) -> Remedies:
    first, others = balance_remedies(evidence, passage.in_s, passage.out_s, blocks, wanted=wanted, fit=fit)
    # However low the music, a voice that is not raised stays under its neighbours.
    ways = [r if r.action == "raise" else replace(r, enough=False) for r in (first, *others) if r is not None]
    ways.sort(key=lambda r: (r.action != "raise", abs(r.amount_db)))
    return (ways[0] if ways else None), tuple(ways[1:])


def off_from_others(evidence: Evidence) -> Sequence[tuple[Passage, float]]:
    """Passages whose voice stands further than the limit from the middle of the others, and by how much (LU)."""
    limit = evidence.spec.limits.voice_spread_lu
    if limit is None or evidence.passages is None:
        return []
    telling = np.flatnonzero(np.isfinite(evidence.telling_lufs))
    return [(evidence.passages[telling[k]], off) for k, off in standing_off(evidence.telling_lufs[telling].tolist(), limit).items()]


def find_uneven(evidence: Evidence) -> Iterator[Finding]:
    """The same without regard to what lies under the voice: taste, not lost words."""
    limit = evidence.spec.limits.voice_spread_lu
    for passage, off in off_from_others(evidence):
        assert limit is not None
        yield Finding(
            kind=UNEVEN.name,
            family=UNEVEN.family,
            severity=NOTE,
            in_s=passage.in_s,
            out_s=passage.out_s,
            title="Voice at another level",
            message=f"The voice lies {abs(off):.1f} LU {'over' if off > 0 else 'under'} the other passages; within {limit:g} LU it is one level.",
            measured=abs(off),
            limit=limit,
            unit="LU",
            role="dialogue",
            mend=partial(evened, evidence, off, limit, [passage], partial(_moved, evidence, passage)),
        )


def _moved(evidence: Evidence, passage: Passage, gain_db: float) -> Remedy:
    points = hold_points(evidence, passage.in_s, passage.out_s, gain_db)
    return Remedy(action="lower" if gain_db < 0 else "raise", role="dialogue", amount_db=gain_db, points=points)


KIND = Kind("voice-low", "voice", find)
UNEVEN = Kind("voice-uneven", "voice", find_uneven)
