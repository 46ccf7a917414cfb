"""Where chunks of one mix may lie in another: the best places of each, and the way through them that holds together."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..signal.outline import FRAMES_PER_S
from ..units import Floats
from .shapes import Shapes, norms, thinned, windows

_COARSE = 5
"""Frames of an outline in one of the search: 0.1 s."""
_BEST = 6
_LEAST_R, _LEAST_Z = 0.15, 6.0
_COST, _JUMP = 0.30, 0.9
TOLERANCE_S = 0.045
_ROWS = 128


@dataclass(frozen=True)
class Chunks:
    """How long the chunks are that are looked for, how far apart, and how alike they have to be, at least."""

    length_s: float = 5.0
    every_s: float = 2.5
    least_r: float = _LEAST_R


@dataclass(frozen=True)
class Match:
    """A chunk of the former mix, ``at_s`` its middle, and how much later it lies in the new one; likeness up to 1."""

    at_s: float
    later_s: float
    likeness: float


def search(
    old: Shapes, new: Shapes, chunks: Chunks, fields: tuple[NDArray[np.bool_], NDArray[np.bool_]] | None = None
) -> list[list[Match]]:
    """The best places of every chunk of ``old`` in ``new``, the chunks in their order.

    ``fields`` say per frame of each what is looked at at all; chunks that lie half outside are left out.
    """
    length = round(chunks.length_s * FRAMES_PER_S / _COARSE)
    coarse_old, coarse_new = thinned(old, _COARSE), thinned(new, _COARSE)
    if min(len(coarse_old), len(coarse_new)) < length:
        return []
    step = round(chunks.every_s * FRAMES_PER_S / _COARSE)
    begins = np.arange(0, len(coarse_old) - length + 1, step)
    allowed = np.ones(len(coarse_new) - length + 1, dtype=np.bool_)
    if fields is not None:
        begins = begins[_half_inside(fields[0], begins, length)]
        allowed = _half_inside(fields[1], np.arange(len(allowed)), length)
    if not len(begins) or not allowed.any():
        return []
    places = np.flatnonzero(allowed)
    scale = (1 / norms(coarse_new, length)[places]).astype(np.float32)
    found = []
    for first in range(0, len(begins), _ROWS):
        some = begins[first : first + _ROWS]
        likeness = _likeness(windows(coarse_old, length, some), coarse_new, length, places) * scale
        likeness /= norms(coarse_old, length)[some, None].astype(np.float32)
        for begin, row in zip(some, likeness, strict=True):
            tops = _peaks(row, places, chunks.least_r)
            found.append(_refined(old, new, int(begin) * _COARSE, places[tops] * _COARSE, length * _COARSE))
    return found


def _half_inside(field: NDArray[np.bool_], begins: NDArray[np.int64], length: int) -> NDArray[np.bool_]:
    inside = np.concatenate([[0], np.cumsum(field)])
    ends = np.minimum((begins + length) * _COARSE, len(field))
    found: NDArray[np.bool_] = inside[ends] - inside[begins * _COARSE] >= length * _COARSE / 2
    return found


def _likeness(chunks: Shapes, new: Shapes, length: int, places: NDArray[np.int64]) -> Shapes:
    """Products of some chunks with every place ``(chunks, places)``."""
    found = np.empty((len(chunks), len(places)), dtype=np.float32)
    for first in range(0, len(places), 4096):
        part = slice(first, first + 4096)
        found[:, part] = chunks @ windows(new, length, places[part]).T
    return found


def _peaks(row: Floats, places: NDArray[np.int64], least: float) -> NDArray[np.int64]:
    """The highest places that stand out of all others, none nearer than 0.3 s to a higher one."""
    middle = np.median(row)
    spread = 1.4826 * np.median(np.abs(row - middle)) + 1e-6
    good = np.flatnonzero((row > least) & (row > middle + _LEAST_Z * spread))
    chosen: list[int] = []
    for k in good[np.argsort(-row[good])]:
        if all(abs(places[k] - places[c]) > 3 for c in chosen):
            chosen.append(int(k))
            if len(chosen) == _BEST:
                break
    return np.array(chosen, dtype=np.int64)


def _refined(old: Shapes, new: Shapes, begin: int, places: NDArray[np.int64], length: int) -> list[Match]:
    """Each place to a fraction of a frame, by the likeness around it."""
    own = old[begin : begin + length].reshape(-1)
    at_s = (begin + length / 2) / FRAMES_PER_S
    found = []
    for place in places:
        lags = np.arange(max(0, place - _COARSE - 1), min(len(new) - length, place + _COARSE + 1) + 1)
        if not len(lags):
            continue
        others = windows(new, length, lags)
        r = (others @ own) / (np.sqrt(np.square(others).sum(axis=1) * np.square(own).sum()) + 1e-9)
        best = int(np.argmax(r))
        found.append(Match(at_s, (lags[best] + _vertex(r, best) - begin) / FRAMES_PER_S, float(r[best])))
    return found


def _vertex(r: Floats, best: int) -> float:
    """How far beside the highest value a parabola through it and its neighbours has its vertex."""
    if not 0 < best < len(r) - 1:
        return 0.0
    left, middle, right = (float(r[best + k]) for k in (-1, 0, 1))
    bend = left - 2 * middle + right
    return 0.0 if bend >= 0 else float(np.clip((left - right) / (2 * bend), -0.5, 0.5))


def way_through(matches: Sequence[Sequence[Match]]) -> list[Match | None]:
    """One place or none for every chunk: as alike as can be, with as few jumps as can be (Viterbi)."""
    if not matches:
        return []
    scores, back = [np.zeros(1)], [np.zeros(1, dtype=np.int64)]
    before: Sequence[Match] = ()
    for options in matches:
        gains = np.array([0.0, *(m.likeness - _COST for m in options)])
        costs = np.array([[_change(a, b) for a in (None, *before)] for b in (None, *options)])
        total = scores[-1][None, :] - costs
        best = np.argmax(total, axis=1)
        scores.append(gains + total[np.arange(len(best)), best])
        back.append(best)
        before = options
    state = int(np.argmax(scores[-1]))
    way: list[Match | None] = []
    for k in range(len(matches), 0, -1):
        way.append(matches[k - 1][state - 1] if state else None)
        state = int(back[k][state])
    return way[::-1]


def _change(one: Match | None, other: Match | None) -> float:
    if one is None and other is None:
        return 0.0
    if one is None or other is None:
        return _JUMP / 2
    return 0.0 if abs(one.later_s - other.later_s) <= TOLERANCE_S else _JUMP
