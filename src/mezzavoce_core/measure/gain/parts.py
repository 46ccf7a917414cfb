"""Parts of a programme in which the music has a character of its own: what is usual in one piece is not in the next.

They are told by the shape of the spectrum, which a gain does not change, so that pieces may go over into each other
without a rest.
"""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ...signal.spectrum import FLOOR_DB, FRAMES_PER_S
from ...units import Floats

_DEAD_DB = -100.0
_UNDER_LOUDEST_DB = 65.0
_BLOCK = round(2.4 * FRAMES_PER_S)
_SHORTEST, _LONGEST = 20, 240
"""Of a part, in blocks of 2.4 s: enough to learn from, and so many at most that the search grows with the length
alone."""
_PART_COSTS = 400.0
"""Squared dB times blocks by which a part has to be explained better than as one with its neighbour."""
_SHALLOW_DB = 40.0


@dataclass(frozen=True)
class Part:
    """From one frame up to another, and the bands that hold music there."""

    first: int
    last: int
    used: NDArray[np.int64]


def parts(levels: Floats) -> tuple[Part, ...]:
    """The parts of levels ``(frames, bands)`` in dB, in order and without gaps."""
    if not len(levels):
        return ()
    edges = _edges(_shapes(levels)) * _BLOCK
    edges[-1] = len(levels)
    return tuple(Part(int(a), int(b), used(levels[a:b])) for a, b in pairwise(edges))


def used(levels: Floats) -> NDArray[np.int64]:
    """Bands that hold music at all."""
    middle = np.median(levels, axis=0)
    return np.flatnonzero(middle > max(_DEAD_DB, middle.max(initial=_DEAD_DB) - _UNDER_LOUDEST_DB))


def _shapes(levels: Floats) -> Floats:
    """The spectrum of each block of 2.4 s ``(blocks, bands)`` apart from its level.

    A silent block is as the one before it.
    """
    blocks = max(1, len(levels) // _BLOCK)
    means = np.array(
        [np.median(levels[k * _BLOCK : (k + 1) * _BLOCK], axis=0) for k in range(blocks)], dtype=np.float64
    )
    heard = means.max(axis=1) > max(_DEAD_DB, FLOOR_DB)
    means = np.maximum(means, means.max(axis=1)[:, None] - _SHALLOW_DB)
    shapes = means - means.mean(axis=1)[:, None]
    last = np.maximum.accumulate(np.where(heard, np.arange(blocks), -1))
    filled: Floats = shapes[np.where(last < 0, int(np.argmax(heard)), last)]
    return filled


def _edges(shapes: Floats) -> NDArray[np.int64]:
    """Where parts begin, and the end: those that leave the least to explain."""
    count = len(shapes)
    if count < 2 * _SHORTEST:
        return np.array([0, count])
    sums = np.concatenate([np.zeros((1, shapes.shape[1])), np.cumsum(shapes, axis=0)])
    squares = np.concatenate([[0.0], np.cumsum((shapes**2).sum(axis=1))])
    best, came = np.full(count + 1, np.inf), np.zeros(count + 1, dtype=np.int64)
    best[0] = 0.0
    for end in range(_SHORTEST, count + 1):
        begins = np.arange(max(0, end - _LONGEST), end - _SHORTEST + 1)
        left = squares[end] - squares[begins] - ((sums[end] - sums[begins]) ** 2).sum(axis=1) / (end - begins)
        total = best[begins] + left / shapes.shape[1] + _PART_COSTS
        k = int(np.argmin(total))
        best[end], came[end] = total[k], begins[k]
    edges = [count]
    while edges[-1]:
        edges.append(int(came[edges[-1]]))
    return np.array(edges[::-1])
