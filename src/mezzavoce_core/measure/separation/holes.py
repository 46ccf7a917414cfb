"""What lies under a voice, from the moments in which the voice network hears next to none of it.

Between words the background stands by itself, also where it has no side.
"""

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter1d

from ...units import Floats, db_to_power, power_to_db
from ..meter import TICKS_PER_S
from .side import Gaps, weighted_median

_WIDER_S = 0.3
_SMOOTH, _ERODED = 5, 5
_UNDER_DB, _LEAST_TICKS, _LESS_UNDER_DB, _FEWEST = 35.0, 20, 25.0, 5
_SILENCE = 1e-14


def around(first: int, last: int, ticks: int) -> slice:
    """Where holes of a passage from tick ``first`` up to ``last`` are looked for."""
    wider = round(_WIDER_S * TICKS_PER_S)
    return slice(max(0, first - wider), min(ticks, last + wider))


def background_power(voice: Floats, spoken_mean: float, total: Floats, part: slice, gaps: Gaps) -> float | None:
    """The power of what lies under a passage in a part ``around`` it; None where there is no hole.

    ``voice``: per tick of the part; ``spoken_mean``: in the passage; ``total``: per tick of all. A median in the holes,
    raised by how far the mean of the gaps lies over their median.
    """
    smooth = uniform_filter1d(voice, _SMOOTH)
    holes = _holes(smooth, spoken_mean, _UNDER_DB)
    if holes.sum() < _LEAST_TICKS:
        holes = _holes(smooth, spoken_mean, _LESS_UNDER_DB)
    if holes.sum() < _FEWEST:
        return None
    level = float(np.median(power_to_db(np.maximum(total[part][holes], _SILENCE))))
    in_gaps = power_to_db(np.maximum(total[gaps.ticks], _SILENCE))
    middle = float(weighted_median(in_gaps[:, None], gaps.weights)[0])
    return float(db_to_power(level + float(power_to_db(max(gaps.mean(total), _SILENCE))) - middle))


def _holes(voice: Floats, mean: float, under_db: float) -> NDArray[np.bool_]:
    """Ticks in which the voice lies so far under its mean, not too near to others."""
    heard = voice >= mean * float(db_to_power(-under_db))
    near = uniform_filter1d(heard.astype(np.float64), 2 * _ERODED + 1) > 1e-6
    holes: NDArray[np.bool_] = ~near
    return holes
