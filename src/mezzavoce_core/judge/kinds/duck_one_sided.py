"""The music was lowered in one channel of a pair only."""

from collections.abc import Iterator

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from ...measure.balance import Passage
from ...measure.meter import TICKS_PER_BLOCK, TICKS_PER_S
from ...media.layouts import channel_names
from ...units import Floats, power_to_db
from ..ducking import usual_depth_db
from ..model import MUST, Evidence, Finding, Kind

_ASIDE_S, _REACH_S = 0.8, 4.0
_LEAST_BLOCKS = 6
_QUIET_POWER = 1e-8
_WINDOW_BLOCKS = 30
_USUAL_SHARE, _PLAIN, _LIKE_OTHERS, _MORE = 90, 1.5, 0.75, 2.0


def find(evidence: Evidence) -> Iterator[Finding]:
    """A finding for each passage under which the balance of left and right moves, more than it does by itself in this music."""
    limit = evidence.spec.limits.channel_gain_db
    sides = None if limit is None else _sides_db(evidence)
    if limit is None or sides is None:
        return
    moved = [(p, m) for p in evidence.passages or () if (m := _moved(sides, p)) is not None]
    # A balance that often moves by itself, passage or not, tells little.
    usual = float(np.percentile(np.abs(anywhere(sides)), _USUAL_SHARE)) if moved else 0.0
    # Automation that was drawn on one side is about as deep there as it is elsewhere on both.
    least = max(_PLAIN * limit, _MORE * usual, _LIKE_OTHERS * (usual_depth_db(evidence) or 0.0))
    for passage, change in moved:
        if round(abs(change), 1) <= limit or abs(change) < least:
            continue
        names = channel_names(evidence.measurement.file.layout, evidence.measurement.file.channels)
        channel = 1 if change > 0 else 0
        lowered, other = names[channel], names[1 - channel]
        yield Finding(
            kind=KIND.name,
            family=KIND.family,
            severity=MUST,
            in_s=passage.in_s,
            out_s=passage.out_s,
            title="Music lowered on one side",
            message=f"Under this passage the music goes down by {abs(change):.1f} dB in {lowered} against {other}. Draw the automation on both channels.",
            measured=abs(change),
            limit=limit,
            unit="dB",
            role="music",
            certainty=0.9 if abs(change) > 2 * limit else 0.6,
            details={"channel": channel},
        )


def _sides_db(evidence: Evidence) -> Floats | None:
    """Left over right in dB of all music per 100 ms, NaN where it is quiet; None for mono and without music."""
    stems = [s for s in evidence.measurement.stems if s.role == "music"]
    if not stems or evidence.measurement.file.channels < 2:
        return None
    power = np.sum([s.levels.power[:, :2].astype(np.float64) for s in stems], axis=0)
    whole = len(power) // TICKS_PER_BLOCK
    blocks = power[: whole * TICKS_PER_BLOCK].reshape(whole, TICKS_PER_BLOCK, 2).mean(axis=1)
    ratio = power_to_db(np.maximum(blocks[:, 0], 1e-15)) - power_to_db(np.maximum(blocks[:, 1], 1e-15))
    return np.where(blocks.max(axis=1) > _QUIET_POWER, ratio, np.nan)


def _moved(sides: Floats, passage: Passage) -> float | None:
    """By how many dB the balance under a passage stands off from that before and after it; the smaller of both, 0 where they disagree."""
    per_s = TICKS_PER_S // TICKS_PER_BLOCK
    return stands_off(sides, round(passage.in_s * per_s), round(passage.out_s * per_s))


def stands_off(sides: Floats, begin: int, end: int) -> float | None:
    """The same for blocks from ``begin`` up to ``end``; None where there is too little to compare."""
    per_s = TICKS_PER_S // TICKS_PER_BLOCK
    reach, aside = round(_REACH_S * per_s), round(_ASIDE_S * per_s)
    around = (sides[max(0, begin - reach) : max(0, begin - aside)], sides[end + aside : end + reach])
    found = [off for part in around if (off := _between(sides[begin:end], part)) is not None]
    if len(found) < 2:
        return None
    return min(found, key=abs) if found[0] * found[1] > 0 else 0.0


def _between(inside: Floats, around: Floats) -> float | None:
    inside, around = inside[np.isfinite(inside)], around[np.isfinite(around)]
    if len(inside) < _LEAST_BLOCKS or len(around) < _LEAST_BLOCKS:
        return None
    return _median(inside) - _median(around)


def _median(values: Floats) -> float:
    """For a few numbers, several times as quick as NumPy's."""
    ordered = np.sort(values)
    return float(ordered[(len(ordered) - 1) // 2] + ordered[len(ordered) // 2]) / 2


def anywhere(sides: Floats) -> Floats:
    """How far the balance of 3 s stands off from its surroundings, all over the programme."""
    per_s = TICKS_PER_S // TICKS_PER_BLOCK
    reach, aside = round(_REACH_S * per_s), round(_ASIDE_S * per_s)
    begins = np.arange(0, len(sides), _WINDOW_BLOCKS // 2)
    plain = (begins >= reach) & (begins + _WINDOW_BLOCKS + reach <= len(sides))
    if plain.any():
        plain[plain] = np.isfinite(sliding_window_view(sides, _WINDOW_BLOCKS + 2 * reach)[begins[plain] - reach]).all(axis=1)
    # Where nothing is wanting, which is nearly everywhere, all at once.
    at = begins[plain]
    inside, before, after = (
        _medians(sides, at + b, e - b) for b, e in ((0, _WINDOW_BLOCKS), (-reach, -aside), (_WINDOW_BLOCKS + aside, _WINDOW_BLOCKS + reach))
    )
    one, other = inside - before, inside - after
    offs = np.where(one * other > 0, np.where(np.abs(one) <= np.abs(other), one, other), 0.0)
    found = [off for k in begins[~plain] if (off := stands_off(sides, int(k), int(k) + _WINDOW_BLOCKS)) is not None]
    return np.concatenate([offs, found]) if len(offs) or found else np.zeros(1)


def _medians(values: Floats, begins: NDArray[np.int64], length: int) -> Floats:
    if not len(begins):
        return np.zeros(0)
    medians: Floats = np.median(sliding_window_view(values, length)[begins], axis=1)
    return medians


KIND = Kind("duck-one-sided", "ducking", find)
