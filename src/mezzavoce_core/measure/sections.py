"""Sections of a programme: stretches of 3 s or more that keep their level, told apart by steps.

Pauses count for nothing: only half seconds within reach of the programme's loudness (the gate of -10 LU, as for the
integrated loudness) are looked at, and only those with speech where that is known, since music in the clear may well
stand elsewhere than speech.
"""

from dataclasses import dataclass
from itertools import pairwise
from statistics import median

import numpy as np
from numpy.typing import NDArray

from ..units import ABSENT_BELOW_LUFS, Floats, db_to_power, lufs_to_power, power_to_lufs
from .meter import TICKS_PER_S

_HALF_S_TICKS = TICKS_PER_S // 2
_SHORTEST = 6
_GATE_LU = -10.0
_EDGE = 4
_SPOKEN = 0.5
_NEARLY = 0.75
"""Share of the step that has to be there within two seconds on either side."""


@dataclass(frozen=True)
class Section:
    """A section in seconds, its loudness, and how far that is from the median of the other sections."""

    in_s: float
    out_s: float
    level_lufs: float
    off_lu: float


def find_sections(power: Floats, step_lu: float, spoken: NDArray[np.bool_] | None = None) -> list[Section]:
    """Sections of a programme power ``(ticks,)``.

    They begin and end with a step of ``step_lu`` or at an end of the programme.

    With ``spoken`` (flags per tick) only speech is compared.
    """
    whole = len(power) // _HALF_S_TICKS
    halves = power[: whole * _HALF_S_TICKS].reshape(whole, _HALF_S_TICKS).mean(axis=1)
    loud = halves[halves > lufs_to_power(ABSENT_BELOW_LUFS)]
    if not len(loud):
        return []
    wanted = halves > loud.mean() * db_to_power(_GATE_LU)
    if spoken is not None:
        wanted &= spoken[: whole * _HALF_S_TICKS].reshape(whole, _HALF_S_TICKS).mean(axis=1) >= _SPOKEN
    kept = np.flatnonzero(wanted)
    level = power_to_lufs(halves[kept])
    cuts = [0, *sorted(_cuts(level, 0, len(level), step_lu)), len(level)]
    parts = [(a, b) for a, b in pairwise(cuts) if b > a]
    lengths = np.array([b - a for a, b in parts], dtype=np.int64)
    if len(parts) < 2:
        return []
    levels = power_to_lufs(np.add.reduceat(halves[kept], [a for a, _ in parts]) / lengths)
    rest = _medians_of_others(levels, lengths)
    return [
        Section(float(kept[a] / 2), float((kept[b - 1] + 1) / 2), float(levels[k]), float(levels[k] - rest[k]))
        for k, (a, b) in enumerate(parts)
    ]


def _cuts(level: Floats, first: int, last: int, step_lu: float) -> list[int]:
    """Where a stretch falls apart into two levels with a step between them; halves are looked at again."""
    if last - first < 2 * _SHORTEST:
        return []
    x = level[first:last]
    # Two medians lie no further apart than the extremes.
    if x.max() - x.min() < step_lu * _NEARLY:
        return []
    count = np.arange(1, len(x))
    sums = np.cumsum(x)
    before, after = sums[:-1] / count, (sums[-1] - sums[:-1]) / (len(x) - count)
    gain = (before - after) ** 2 * count * (len(x) - count) / len(x)
    gain[: _SHORTEST - 1] = gain[len(gain) - _SHORTEST + 1 :] = 0
    best = int(np.argmax(gain)) + 1
    if gain[best - 1] <= 0 or not _is_step(x, best, step_lu):
        return []
    at = first + best
    return [*_cuts(level, first, at, step_lu), at, *_cuts(level, at, last, step_lu)]


def _is_step(x: Floats, at: int, step_lu: float) -> bool:
    """Whether the level changes right there, and not little by little."""
    # For a handful of values, many times as quick as NumPy's.
    near = abs(median(x[max(0, at - _EDGE) : at].tolist()) - median(x[at : at + _EDGE].tolist()))
    return bool(near >= step_lu * _NEARLY)


def _medians_of_others(values: Floats, weights: NDArray[np.int64]) -> Floats:
    """For each of two values or more the median of all others, each weighing as much as it lasts."""
    order = np.argsort(values, kind="stable")
    ranked, own = values[order], weights[order]
    sums = np.cumsum(own)
    half = (sums[-1] - own) / 2
    # Left of a value's own place the sums hold without it; right of it its weight has to be taken off.
    left, right = np.searchsorted(sums, half), np.searchsorted(sums, half + own)
    medians = np.empty_like(values)
    medians[order] = ranked[np.where(left < np.arange(len(own)), left, right)]
    return medians
