"""Which track holds at which moment of the former mix: where one ends and the next begins, to a frame of 20 ms."""

from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ..signal.outline import FRAMES_PER_S
from ..units import Floats
from .shapes import Shapes
from .tracks import Track

_REACH_S = 6.0
_SHARE, _FLOOR_DB = 0.8, 0.15
_CHANGE = 8.0
NOTHING = -1


def held_by(old: Shapes, new: Shapes, tracks: Sequence[Track]) -> tuple[NDArray[np.int64], Floats]:
    """The track that holds each frame of ``old``, by its number, or ``NOTHING`` (Viterbi); and how well, at most 1."""
    count = len(old)
    spans, gains = zip(*[_gains(old, new, t) for t in tracks], strict=True) if tracks else ((), ())
    bounds = sorted({0, count, *(b for span in spans for b in span)})
    total, held, likeness = np.zeros(len(tracks) + 1), np.full(count, NOTHING, dtype=np.int64), np.zeros(count)
    total[:-1] = -np.inf
    changed = np.zeros((count, len(tracks) + 1), dtype=np.bool_)
    source = np.zeros(count, dtype=np.int64)
    for begin, end in pairwise(bounds):
        active = [k for k, (a, b) in enumerate(spans) if a <= begin < b]
        rows = np.array([*active, len(tracks)])
        gain = np.stack([*(gains[k][begin - spans[k][0] : end - spans[k][0]] for k in active), np.zeros(end - begin)])
        _step(total, rows, gain, slice(begin, end), changed, source)
    state = int(np.argmax(total))
    for t in range(count - 1, -1, -1):
        if state < len(tracks):
            held[t], likeness[t] = state, gains[state][t - spans[state][0]]
        if changed[t, state]:
            state = int(source[t])
    return held, likeness


def _step(
    total: Floats,
    rows: NDArray[np.int64],
    gain: Floats,
    span: slice,
    changed: NDArray[np.bool_],
    source: NDArray[np.int64],
) -> None:
    """Over a span in which the same tracks are near; ``total`` is the score of ending with each."""
    outside = np.ones(len(total), dtype=np.bool_)
    outside[rows] = False
    for t in range(span.start, span.stop):
        best = int(np.argmax(total))
        own, least = total[rows], total[best] - _CHANGE
        better = own < least
        changed[t, rows] = better
        source[t] = best
        total[rows] = np.where(better, least, own) + gain[:, t - span.start]
        total[outside] = -np.inf


def _gains(old: Shapes, new: Shapes, track: Track) -> tuple[tuple[int, int], Floats]:
    """From where to where a track is looked at, and how well it holds each frame there, at most 1."""
    begin = max(0, round((track.in_s - _REACH_S) * FRAMES_PER_S))
    end = min(len(old), round((track.out_s + _REACH_S) * FRAMES_PER_S))
    frames = np.arange(begin, end)
    middles = (frames + 0.5) / FRAMES_PER_S
    places = (middles + track.later_s + track.drift * middles) * FRAMES_PER_S - 0.5
    inside = (places >= 0) & (places <= len(new) - 1)
    frames, places = frames[inside], places[inside]
    if not len(frames):
        return (0, 0), np.zeros(0)
    low = np.minimum(places.astype(np.int64), max(0, len(new) - 2))
    share = (places - low).astype(np.float32)[:, None]
    there = new[low] * (1 - share) + new[np.minimum(low + 1, len(new) - 1)] * share
    here = old[frames[0] : frames[-1] + 1]
    apart = np.abs(here - there).mean(axis=1)
    whole = (np.abs(here).mean(axis=1) + np.abs(there).mean(axis=1)) / 2 + _FLOOR_DB
    gain: Floats = 1 - apart.astype(np.float64) / (_SHARE * whole)
    return (int(frames[0]), int(frames[-1]) + 1), gain
