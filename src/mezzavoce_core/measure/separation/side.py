"""The ratio of a passage from what lies off the axis of the dialogue.

In gaps without speech it is learned, band by band, how much music stands on the axis for what stands off it. That share
is carried under the speech: what is left on the axis is the voice.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...units import Floats, power_to_db
from ..meter import TICKS_PER_S
from .axis import OnOff

_FORGETS_S = 20.0
_LEAST_WEIGHT = 1e-3
_LEAST_GAP_S = 0.5
_CHUNK = TICKS_PER_S


@dataclass(frozen=True)
class Gaps:
    """The gaps around a passage: their ticks, and what each counts, less the farther away it lies."""

    ticks: NDArray[np.int64]
    weights: Floats

    @property
    def enough(self) -> bool:
        """Whether there is any music by itself to learn from."""
        return len(self.ticks) >= _LEAST_GAP_S * TICKS_PER_S

    @property
    def seconds(self) -> float:
        """How long they are, as they count."""
        return float(self.weights.sum()) / TICKS_PER_S

    def mean(self, per_tick: Floats) -> float:
        """The weighted mean of a value per tick."""
        return float(np.average(per_tick[self.ticks], weights=self.weights))


def gaps_around(all_gaps: NDArray[np.int64], first: int, last: int) -> Gaps:
    """Those of a passage from tick ``first`` up to ``last``."""
    away = np.maximum(0, np.maximum(first - all_gaps, all_gaps - last + 1)) / TICKS_PER_S
    weights = np.exp(-away / _FORGETS_S)
    kept = weights > _LEAST_WEIGHT
    return Gaps(all_gaps[kept], weights[kept])


def on_per_off(sound: OnOff, gaps: Gaps) -> Floats:
    """Music on the axis for music off it ``(26,)``, a factor on powers.

    A weighted median of logarithms, which speech that was missed hardly moves; then corrected by the median over
    seconds of what it leaves unexplained, since the mean of a power lies over its median.
    """
    on, off = (x[gaps.ticks].astype(np.float64) for x in (sound.on, sound.off))
    ratio = np.exp(weighted_median(np.log(on / off), gaps.weights))
    begins = np.arange(0, len(on) - _CHUNK + 1, _CHUNK)
    if not len(begins):
        return ratio
    seconds = np.add.reduceat(on.sum(axis=1), begins), np.add.reduceat((ratio * off).sum(axis=1), begins)
    weights = np.add.reduceat(gaps.weights, begins)
    # The last stretch takes what is over with it.
    correction = weighted_median(np.log(seconds[0] / seconds[1])[:, None], weights)[0]
    return ratio * float(np.exp(correction))


def weighted_median(values: Floats, weights: Floats) -> Floats:
    """The weighted median of each column ``(rows, columns)``."""
    order = np.argsort(values, axis=0)
    ranked, own = np.take_along_axis(values, order, 0), weights[order]
    sums = np.cumsum(own, axis=0)
    middle = (sums < sums[-1] / 2).sum(axis=0)
    found: Floats = np.take_along_axis(ranked, middle[None], 0)[0]
    return found


def ratio_from_side(on: Floats, off: Floats, ratio: Floats) -> float:
    """Voice over all under it in LU, from powers ``(26,)`` of a passage on and off the axis."""
    voice = float(np.maximum(on - ratio * off, 0.0).sum())
    return over(voice, float(on.sum() + off.sum()) - voice)


def over(voice: float, under: float, at_most_db: float = 40.0) -> float:
    """Voice over what lies under it in LU, no further than 40 LU up or down."""
    level = float(power_to_db(max(voice, 1e-14))) - float(power_to_db(max(under, 1e-14)))
    return float(np.clip(level, -at_most_db, at_most_db))
