"""Loudness of a programme from its 10 ms powers: momentary, short-term, integrated, range.

Sources: ITU-R BS.1770-5 (gating), EBU Tech 3341 (momentary 400 ms, short-term 3 s), EBU Tech 3342 (range).
A programme power is the sum of the channel powers, weighted by position: ``(ticks,)``.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..units import ABSENT_BELOW_LUFS, Floats, db_to_power, lufs_to_power, one_power_to_lufs, power_to_lufs
from .meter import TICKS_PER_BLOCK, Levels

MOMENTARY_TICKS = 40
_TENTHS = np.full(TICKS_PER_BLOCK, 1 / TICKS_PER_BLOCK)
SHORT_TERM_TICKS = 300
_RELATIVE_GATE_LU = -10.0
_RANGE_GATE_LU = -20.0


@dataclass(frozen=True)
class Loudness:
    """Figures of a programme; None where it is too short or too quiet for one."""

    integrated_lufs: float | None
    range_lu: float | None
    momentary_max_lufs: float | None
    short_term_max_lufs: float | None
    range_low_lufs: float | None = None
    range_high_lufs: float | None = None


def programme_power(levels: Levels, weights: NDArray[np.float64], *, gain: float = 1.0) -> Floats:
    """Weighted sum over channels of the tick powers, ``(ticks,)``; ``gain`` is a factor on the power."""
    total = np.zeros(len(levels.power))
    # Channel by channel: hours of many channels would take much memory as a whole.
    for channel, weight in enumerate(weights):
        total += levels.power[:, channel] * np.float64(weight * gain)
    return total


def moving_mean(power: Floats, ticks: int, breaks: NDArray[np.bool_] | None = None) -> Floats:
    """Mean power of the window of ``ticks`` that ends with each tick; NaN until the first full window.

    ``breaks`` marks ticks that are no programme: a window that touches one is NaN.
    """
    result = np.full(len(power), np.nan)
    if len(power) >= ticks:
        sums = np.concatenate([[0.0], np.cumsum(power)])
        result[ticks - 1 :] = np.maximum(sums[ticks:] - sums[:-ticks], 0.0) / ticks
        if breaks is not None and breaks.any():
            touched = np.concatenate([[0], np.cumsum(breaks)])
            result[ticks - 1 :][touched[ticks:] > touched[:-ticks]] = np.nan
    return result


def block_mean(power: Floats) -> Floats:
    """Mean power of each 100 ms, ``(blocks,)``; an unfinished last block is left out."""
    whole = len(power) // TICKS_PER_BLOCK
    # A product with a vector is ten times as quick as a mean over ten.
    mean: Floats = power[: whole * TICKS_PER_BLOCK].reshape(whole, TICKS_PER_BLOCK) @ _TENTHS
    return mean


def at_blocks(per_tick: Floats) -> Floats:
    """The value of the window that ends with each 100 ms block, from values per tick."""
    return per_tick[TICKS_PER_BLOCK - 1 :: TICKS_PER_BLOCK]


def integrated(power: Floats, breaks: NDArray[np.bool_] | None = None) -> float | None:
    """Integrated loudness in LUFS of a programme power ``(ticks,)``; None where nothing is loud enough."""
    return integrated_of(at_blocks(moving_mean(power, MOMENTARY_TICKS, breaks)))


def integrated_of(blocks: Floats) -> float | None:
    """The same from the powers of 400 ms blocks, one every 100 ms.

    Gated at -70 LUFS and 10 LU under the mean of what is left.
    """
    gated = blocks[blocks >= lufs_to_power(ABSENT_BELOW_LUFS)]
    if not len(gated):
        return None
    gated = gated[gated >= gated.mean() * db_to_power(_RELATIVE_GATE_LU)]
    return float(power_to_lufs(gated.mean()))


class Gated:
    """The powers of 400 ms blocks, put in order once.

    So the integrated loudness with some of them changed is had without going through all.
    """

    def __init__(self, blocks: Floats) -> None:
        """The blocks as they are, one every 100 ms; those that are no number count for nothing."""
        self._loud = np.sort(blocks[blocks >= lufs_to_power(ABSENT_BELOW_LUFS)])
        # The sum of each and all that are louder.
        self._sums = np.concatenate([np.cumsum(self._loud[::-1])[::-1], [0.0]])

    def integrated_with(self, gone: Floats, come: Floats) -> float | None:
        """Integrated loudness in LUFS where ``come`` stands in place of ``gone``; None where nothing is loud enough."""
        absent = float(lufs_to_power(ABSENT_BELOW_LUFS))
        total, count = self._from(absent, gone, come)
        if not count:
            return None
        total, count = self._from(max(absent, total / count * float(db_to_power(_RELATIVE_GATE_LU))), gone, come)
        return float(power_to_lufs(total / count))

    def _from(self, gate: float, gone: Floats, come: Floats) -> tuple[float, int]:
        """Sum and count of what reaches a gate."""
        at, less, more = int(np.searchsorted(self._loud, gate)), gone[gone >= gate], come[come >= gate]
        return float(self._sums[at] - less.sum() + more.sum()), len(self._loud) - at - len(less) + len(more)


def range_ends(power: Floats, breaks: NDArray[np.bool_] | None = None) -> tuple[float, float] | None:
    """10th and 95th percentile in LUFS of the short-term loudness above its two gates.

    The loudness range lies between them.
    """
    short_term = at_blocks(moving_mean(power, SHORT_TERM_TICKS, breaks))
    gated = short_term[short_term >= lufs_to_power(ABSENT_BELOW_LUFS)]
    if not len(gated):
        return None
    gated = np.sort(gated[gated >= gated.mean() * db_to_power(_RANGE_GATE_LU)])
    # The nearest rank, a half going up, as in the document's own listing.
    low, high = (gated[int((len(gated) - 1) * share + 0.5)] for share in (0.10, 0.95))
    return float(power_to_lufs(low)), float(power_to_lufs(high))


def loudness(power: Floats, breaks: NDArray[np.bool_] | None = None) -> Loudness:
    """All figures of a programme power ``(ticks,)``. The maxima look every 10 ms; no window reaches into a break."""
    low, high = range_ends(power, breaks) or (None, None)
    return Loudness(
        integrated_lufs=integrated(power, breaks),
        range_lu=None if low is None or high is None else high - low,
        range_low_lufs=low,
        range_high_lufs=high,
        momentary_max_lufs=_highest(moving_mean(power, MOMENTARY_TICKS, breaks)),
        short_term_max_lufs=_highest(moving_mean(power, SHORT_TERM_TICKS, breaks)),
    )


def mean_lufs(power: Floats) -> float | None:
    """Loudness in LUFS of the energy mean of some powers; None where there are none or all are silent."""
    mean = float(np.add.reduce(power)) / len(power) if len(power) else 0.0
    return one_power_to_lufs(mean) if mean > 0 else None


def _highest(windows: Floats) -> float | None:
    full = windows[np.isfinite(windows)]
    return float(power_to_lufs(full.max())) if len(full) and full.max() > 0 else None
