"""Outlines made comparable: what moves within a second, whatever its level, so that a fader tells nothing."""

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from ..signal.outline import BANDS, FRAMES_PER_S
from ..units import Floats

FLOOR_DB = -75.0
MOST_DB = 12.0
_MEAN_FRAMES = FRAMES_PER_S + 1

Shapes = NDArray[np.float32]
"""``(frames of 20 ms, 18)``, dB against the mean of the second around, within 12 dB either way."""


def shapes(outline: NDArray[np.int16]) -> Shapes:
    """The shapes of an outline ``(frames, 18)`` in hundredths of a dB."""
    levels = np.maximum(outline.astype(np.float32) / 100, FLOOR_DB)
    half = _MEAN_FRAMES // 2
    padded = np.concatenate([np.repeat(levels[:1], half + 1, axis=0), levels, np.repeat(levels[-1:], half, axis=0)])
    sums = np.cumsum(padded, axis=0, dtype=np.float64)
    mean = (sums[_MEAN_FRAMES:] - sums[:-_MEAN_FRAMES]) / _MEAN_FRAMES
    found: Shapes = np.clip(levels - mean, -MOST_DB, MOST_DB).astype(np.float32)
    return found


def thinned(fine: Shapes, every: int) -> Shapes:
    """Means over ``every`` frames; what is left over at the end is left out."""
    count = len(fine) // every
    means: Shapes = fine[: count * every].reshape(count, every, BANDS).mean(axis=1)
    return means


def windows(fine: Shapes, length: int, begins: NDArray[np.int64]) -> Shapes:
    """Stretches of ``length`` frames from each begin on, flat ``(begins, length * 18)``."""
    flat = sliding_window_view(np.ascontiguousarray(fine).reshape(-1), length * BANDS)[::BANDS]
    return np.ascontiguousarray(flat[begins])


def norms(fine: Shapes, length: int) -> Floats:
    """The norm of every stretch of ``length`` frames ``(frames - length + 1,)``, never 0."""
    squares = np.concatenate([[0.0], np.cumsum(np.square(fine, dtype=np.float64).sum(axis=1))])
    found: Floats = np.sqrt(np.maximum(squares[length:] - squares[:-length], 1e-9))
    return found
