"""Where the same sound stands elsewhere in the programme: the difference in level is the difference in gain, more or less surely."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...signal.spectrum import FRAMES_PER_S
from ...units import Floats
from .innovations import heard
from .loops import BLOCK, KEPT, WINDOW_BLOCKS, alike

LENGTH = BLOCK * WINDOW_BLOCKS
"""Frames of a window."""
_LEAST_LAG = round(0.8 * FRAMES_PER_S)
_REGION = 6 * FRAMES_PER_S
_FARTHEST_S = 150
_MOST_DB = 7.0


@dataclass(frozen=True)
class Pairs:
    """Windows of 1 s that sound alike: their first frames, by how much the first is the louder one (dB), and how far apart their shapes are (dB)."""

    one: NDArray[np.int64]
    other: NDArray[np.int64]
    offset_db: Floats
    distance_db: Floats

    @property
    def scale_db(self) -> Floats:
        """How sure the offset is, as a spread in dB."""
        return 0.04 + 0.035 * self.distance_db**2


def pairs(levels: Floats) -> Pairs:
    """Pairs in levels ``(frames, bands)`` in dB. Partners lie up to 150 s away, so that the work grows with the length alone."""
    used, quiet = heard(levels)
    frames = len(levels)
    windows = max(0, frames // BLOCK - WINDOW_BLOCKS + 1)
    if not len(used) or windows < 2:
        none = np.zeros(0, dtype=np.int64)
        return Pairs(none, none, np.zeros(0), np.zeros(0))
    part = levels[:, used]
    mean = part.mean(axis=1)
    shapes = np.ascontiguousarray(part - mean[:, None], dtype=np.float32)
    quiet_blocks = quiet[: frames // BLOCK * BLOCK].reshape(-1, BLOCK).sum(axis=1).astype(np.int32)
    most = np.float32(_MOST_DB**2)
    distance = np.full((windows, KEPT), most, dtype=np.float32)
    partner = np.zeros((windows, KEPT), dtype=np.int32)
    near_at = np.full((windows, 2), -1, dtype=np.int32)
    lags = np.arange(_LEAST_LAG, min(frames - LENGTH, _FARTHEST_S * FRAMES_PER_S), dtype=np.int64)
    room = np.zeros(frames // BLOCK + 1, dtype=np.float32), np.full(windows, most, dtype=np.float32)
    alike(shapes, quiet_blocks, lags, _REGION, most, distance, partner, room[0], room[1], near_at)
    window, rank = np.nonzero(distance < most)
    one, other = window * BLOCK, partner[window, rank].astype(np.int64)
    sums = np.concatenate([[0.0], np.cumsum(mean, dtype=np.float64)])
    offset = (sums[one + LENGTH] - sums[one] - sums[other + LENGTH] + sums[other]) / LENGTH
    return Pairs(one, other, offset, np.sqrt(distance[window, rank].astype(np.float64)))
