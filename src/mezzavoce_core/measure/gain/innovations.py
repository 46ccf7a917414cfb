"""How likely a change of gain is at every moment, from what the spectrum does that its own past does not explain.

Every band is predicted from its own past; what is left is compared with what this very music usually leaves. A step of gain is left
in all bands alike, a note is not.
"""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...signal.spans import runs
from ...signal.spectrum import FLOOR_DB, FRAMES_PER_S
from ...units import Floats

LAG_EDGES = np.array([0, 1, 2, 5, 13, 34, 89, 250, 1000], dtype=np.int64)
LAG_WEIGHTS = np.array([0.905, -0.031, 0.052, 0.030, 0.030, 0.008, -0.011, 0.017])
LOCAL_FRAMES = round(0.8 * FRAMES_PER_S)
LOCAL_SHARE = 0.9
_DEAD_DB = -92.0
_UNDER_LOUDEST_DB = 65.0
_QUIET_DB = -94.0
_QUIET_SHARE = 0.25
_CLIP = 4.0
_LEAST_BANDS = 3
_PIECE_FRAMES = 20000
_PAUSE_FRAMES, _START_FRAMES = 10, 30
_SHRINK = 0.1
DEGREES = 8.0


@dataclass(frozen=True)
class Innovations:
    """Three figures a frame of 20 ms suffice, all in units of what this music usually leaves.

    ``along`` (frames,) is the residual along a step of 1 dB, ``size`` (frames,) its whole size, ``step`` the size of a step of 1 dB.
    ``use`` is 0 for frames that are too quiet to tell anything, else 1; ``bands`` is how many count.
    """

    along: Floats
    size: Floats
    step: float
    use: Floats
    bands: int


def predicted_away(values: Floats) -> Floats:
    """What is left of curves ``(frames, …)`` when a weighted mean of their own past and most of their surroundings are taken off."""
    total = np.concatenate([np.zeros((1, *values.shape[1:])), np.cumsum(values, axis=0, dtype=np.float64)])
    here = np.arange(len(values))
    left = values.astype(np.float64)
    missing = np.zeros(len(values))
    for near, far, weight in zip(LAG_EDGES[:-1], LAG_EDGES[1:], LAG_WEIGHTS, strict=True):
        high, low = np.maximum(here - near, 0), np.maximum(here - far, 0)
        count = high - low
        mean = (total[high] - total[low]) / np.maximum(count, 1).reshape(-1, *[1] * (values.ndim - 1))
        left -= weight * mean
        missing += np.where(count > 0, 0.0, weight)
    # At the very beginning the past is short: its nearest frame stands for what is missing.
    before = np.concatenate([values[:1], values[:-1]])
    left -= missing.reshape(-1, *[1] * (values.ndim - 1)) * before
    return left - LOCAL_SHARE * _surroundings(left)


def _surroundings(values: Floats) -> Floats:
    total = np.concatenate([np.zeros((1, *values.shape[1:])), np.cumsum(values, axis=0)])
    here = np.arange(len(values))
    low, high = np.maximum(here - LOCAL_FRAMES, 0), np.minimum(here + LOCAL_FRAMES + 1, len(values))
    mean: Floats = (total[high] - total[low]) / (high - low).reshape(-1, *[1] * (values.ndim - 1))
    return mean


def heard(levels: Floats) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
    """Which bands of levels ``(frames, bands)`` in dB hold music at all, and which frames are too quiet to tell anything."""
    middle = np.median(levels, axis=0)
    used = np.flatnonzero(middle > max(_DEAD_DB, middle.max(initial=_DEAD_DB) - _UNDER_LOUDEST_DB))
    if not len(used):
        return used, np.ones(len(levels), dtype=np.bool_)
    quiet = (levels[:, used] < max(_QUIET_DB, FLOOR_DB)).mean(axis=1) > _QUIET_SHARE
    after = quiet | np.concatenate([[False], quiet[:-1]])
    # Music that starts has no past to be told from: at the very beginning, and after a pause.
    for first, last in [(0, 0), *runs(quiet)]:
        if not last or last - first >= _PAUSE_FRAMES:
            after[last : last + _START_FRAMES] = True
    return used, after


def _held(levels: Floats, quiet: NDArray[np.bool_]) -> NDArray[np.int64]:
    """For every frame the one to look at: quiet frames go on as it was before them, so that a hole leaves no trace where it ends."""
    last = np.maximum.accumulate(np.where(quiet, -1, np.arange(len(levels))))
    held: NDArray[np.int64] = np.where(last < 0, int(np.argmin(quiet)), last)
    return held


def innovations(levels: Floats) -> Innovations | None:
    """From levels ``(frames, bands)`` in dB; None where there is next to no music."""
    used, quiet = heard(levels)
    if len(used) < _LEAST_BANDS or (~quiet).sum() < 2 * FRAMES_PER_S:
        return None
    held, left = _held(levels, quiet), np.empty((len(levels), len(used)), dtype=np.float32)
    spread = np.empty(len(used))
    # Band by band, since hours of music would fill the memory many times over.
    for k, band in enumerate(used):
        own = predicted_away(levels[held, band])
        own -= np.median(own[~quiet])
        spread[k] = 1.4826 * np.median(np.abs(own[~quiet])) + 1e-3
        left[:, k] = own / spread[k]
    both = _products(left, quiet)
    both = (1 - _SHRINK) * both + _SHRINK * np.diag(np.diag(both))
    inverse = np.linalg.inv(both)
    direction = inverse @ (1 / spread)
    size = np.concatenate([np.einsum("tb,tb->t", part @ inverse, part) for part in _pieces(left)])
    return Innovations((left @ direction).astype(np.float64), size, float(direction @ (1 / spread)), np.where(quiet, 0.0, 1.0), len(used))


def _pieces(left: Floats) -> Iterator[Floats]:
    for first in range(0, len(left), _PIECE_FRAMES):
        yield left[first : first + _PIECE_FRAMES]


def _products(left: Floats, quiet: NDArray[np.bool_]) -> Floats:
    """Mean products of all bands with each other; single events do not rule them."""
    total = np.zeros((left.shape[1], left.shape[1]))
    for first in range(0, len(left), _PIECE_FRAMES):
        here = slice(first, first + _PIECE_FRAMES)
        clipped = np.clip(left[here][~quiet[here]], -_CLIP, _CLIP).astype(np.float64)
        total += clipped.T @ clipped
    mean: Floats = total / max(1, int((~quiet).sum()))
    return mean
