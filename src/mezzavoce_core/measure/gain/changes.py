"""How likely a change of gain is at every moment, from how the spectrum changes from one stretch of time to the next, on four scales of time.

A step of gain moves all bands alike, and what both channels have in common as much as what sets them apart; music hardly ever does.
How it moves them by itself is learned, scale by scale, where speech neither begins nor ends. A note that begins or ends moves some bands
far and leaves the others: what is looked for is where most of them agree, not their mean.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...signal.spans import runs
from ...signal.spectrum import FLOOR_DB, FRAMES_PER_S, bands, whole
from ...units import Floats
from .loops import agreed

SCALES = ((1, 1), (3, 1), (10, 2), (40, 4))
"""Frames of 20 ms on either side that are compared, and the step from one comparison to the next."""
DEGREES = 6.0
"""Of Student's distribution, after which music moves all bands together; half of the evaluation's pieces lie between 4 and 18."""
_BAND_DEGREES = 1.5
"""The same for each band by itself: what stands far from the others hardly counts."""
_USUAL_SHARE, _USUAL_AT = 0.8, 1.44
_DEAD_DB = -100.0
_UNDER_LOUDEST_DB = 65.0
_QUIET_DB = -115.0
_QUIET_SHARE = 0.25
_CLIP = 4.0
_LEAST_BANDS = 3
_PIECE_FRAMES = 20000
_PAUSE_FRAMES, _START_FRAMES = 10, 30
_SHRINK, _LEAST = 0.01, 1e-3
_LEAST_SPREAD = 1e-6
_LEAST_UNIT_DB = 0.05
_BEFORE_IN_S, _AFTER_IN_S, _BEFORE_OUT_S, _AFTER_OUT_S = 1.0, 0.3, 0.1, 1.3
FEWEST = 500
"""Frames of 20 ms from which it is learned what is usual."""


@dataclass(frozen=True)
class Scale:
    """Changes from ``width`` frames to the next ones, every ``hop`` frames; place k compares the frames from k * hop on with those before.

    ``moved`` (places,) is by how much most bands move together, in units of what this music usually does where they agree as well as they do
    there; ``step`` (places,) is 1 dB in these units, 0 for places that tell nothing.
    """

    width: int
    hop: int
    moved: Floats
    step: Floats


@dataclass(frozen=True)
class Changes:
    """All scales of a piece of music; ``use`` (frames,) is 0 where it is too quiet to tell anything; ``bands`` is how many count."""

    scales: tuple[Scale, ...]
    use: Floats
    bands: int


def heard(levels: Floats) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
    """Which bands of levels ``(frames, bands)`` in dB hold music at all, and which frames are too quiet to tell anything."""
    used = _used(levels)
    if not len(used):
        return used, np.ones(len(levels), dtype=np.bool_)
    quiet = (levels[:, used] < max(_QUIET_DB, FLOOR_DB)).mean(axis=1) > _QUIET_SHARE
    after = quiet | np.concatenate([[False], quiet[:-1]])
    # Music that starts has no past to be told from: at the very beginning, and after a pause.
    for first, last in [(0, 0), *_pauses(quiet)]:
        if not last or last - first >= _PAUSE_FRAMES:
            after[last : last + _START_FRAMES] = True
    return used, after


def changes(levels: Floats, spans: Sequence[tuple[float, float]]) -> Changes | None:
    """From levels ``(frames, columns)`` in dB, and spans of speech (seconds); None where there is next to no music."""
    _, quiet = heard(whole(levels))
    used = _used(bands(levels))
    if len(used) < _LEAST_BANDS or (~quiet).sum() < 2 * FRAMES_PER_S:
        return None
    held, still, moves = _held(levels, quiet), _silent(quiet), moving(len(levels), spans, FRAMES_PER_S)
    found = []
    for width, hop in SCALES:
        at = np.arange(0, len(levels), hop)
        before, after = np.maximum(at - width, 0), np.minimum(at + width, len(levels))
        use = (after - before == 2 * width) & ~quiet[at] & (still[after] == still[before])
        near = max(1, width // 2)
        calm = use & (moves[np.minimum(at + near, len(levels))] == moves[np.maximum(at - near, 0)])
        if calm.sum() * hop < FEWEST:
            calm = use
        found.append(compare(levels, held, used, width, hop, use, calm))
    return Changes(tuple(found), np.where(quiet, 0.0, 1.0), len(used))


def compare(levels: Floats, rows: NDArray[np.int64], used: NDArray[np.int64], width: int, hop: int, use: NDArray[np.bool_], calm: NDArray[np.bool_]) -> Scale:
    """One scale of levels ``(frames, bands)`` in dB: ``rows`` are the frames to look at, ``used`` the bands.

    ``use`` ``(places,)`` says where something can be told at all, ``calm`` where no gain moves.
    """
    at = np.arange(0, len(levels), hop)
    changed, spread = np.zeros((len(at), len(used)), dtype=np.float32), np.ones(len(used))
    # Band by band, since hours of music would fill the memory many times over.
    for k, band in enumerate(used) if calm.any() else ():
        own = _compared(levels[rows, band], width, at)
        own -= np.median(own[calm])
        spread[k] = 1.4826 * np.median(np.abs(own[calm])) + 1e-3
        changed[:, k] = own / spread[k]
    return _scale(changed, spread, width, hop, use, calm)


def _compared(levels: Floats, width: int, at: NDArray[np.int64]) -> Floats:
    """The mean of so many frames from each place on, less that of the ones before it."""
    sums = np.concatenate([[0.0], np.cumsum(levels, dtype=np.float64)])
    after, before = np.minimum(at + width, len(levels)), np.maximum(at - width, 0)
    compared: Floats = (sums[after] - 2 * sums[at] + sums[before]) / width
    return compared


def _scale(changed: Floats, spread: Floats, width: int, hop: int, use: NDArray[np.bool_], calm: NDArray[np.bool_]) -> Scale:
    """One scale, from changes ``(places, bands)`` in units of ``spread`` (dB), and the places where no gain moves, from which is learned what is usual."""
    if not calm.any():
        return Scale(width, hop, *np.zeros((2, len(use))))
    both = _products(changed, np.flatnonzero(calm))
    values, axes = np.linalg.eigh((1 - _SHRINK) * both + np.diag(_SHRINK * np.diag(both) + _LEAST))
    # Bands without what they have in common with their neighbours.
    apart = (axes / np.sqrt(values)) @ axes.T
    for some in _pieces(np.arange(len(use))):
        changed[some] = changed[some] @ apart
    own = 1.4826 * np.median(np.abs(changed[calm]), axis=0) + _LEAST_SPREAD
    changed /= own.astype(np.float32)
    moved, sharp = np.empty(len(use)), np.empty(len(use))
    agreed(changed, (apart @ (1 / spread)) / own, _BAND_DEGREES, moved, sharp)
    unit_db = 1 / np.sqrt(sharp)
    usual = float(np.quantile(np.abs(moved[calm] / unit_db[calm]), _USUAL_SHARE)) / _USUAL_AT
    unit_db = np.maximum(unit_db * usual, _LEAST_UNIT_DB)
    return Scale(width, hop, moved / unit_db, np.where(use, 1 / unit_db, 0.0))


def _used(levels: Floats) -> NDArray[np.int64]:
    middle = np.median(levels, axis=0)
    return np.flatnonzero(middle > max(_DEAD_DB, middle.max(initial=_DEAD_DB) - _UNDER_LOUDEST_DB))


def _pauses(quiet: NDArray[np.bool_]) -> list[tuple[int, int]]:
    return [(int(a), int(b)) for a, b in runs(quiet) if b - a >= _PAUSE_FRAMES]


def _held(levels: Floats, quiet: NDArray[np.bool_]) -> NDArray[np.int64]:
    """For every frame the one to look at: quiet frames go on as it was before them, so that a hole leaves no trace where it ends."""
    last = np.maximum.accumulate(np.where(quiet, -1, np.arange(len(levels))))
    held: NDArray[np.int64] = np.where(last < 0, int(np.argmin(quiet)), last)
    return held


def _silent(quiet: NDArray[np.bool_]) -> NDArray[np.int64]:
    """Running count of the frames in pauses of the music: from before a pause to after it nothing can be told."""
    silent = np.zeros(len(quiet) + 1, dtype=np.int64)
    for first, last in _pauses(quiet):
        silent[first + 1 : max(first, last - _START_FRAMES) + 1] = 1
    return np.cumsum(silent)


def moving(frames: int, spans: Sequence[tuple[float, float]], per_s: int) -> NDArray[np.int64]:
    """Running count of the frames in which a gain may move: around the beginning and the end of speech."""
    count = np.zeros(frames + 1, dtype=np.int64)
    for a, b in spans:
        for begin, end in ((a - _BEFORE_IN_S, a + _AFTER_IN_S), (b - _BEFORE_OUT_S, b + _AFTER_OUT_S)):
            count[max(0, round(begin * per_s)) + 1 : max(0, round(end * per_s)) + 1] = 1
    return np.cumsum(count)


def _pieces(places: NDArray[np.int64]) -> Iterator[NDArray[np.int64]]:
    for first in range(0, len(places), _PIECE_FRAMES):
        yield places[first : first + _PIECE_FRAMES]


def _products(values: Floats, places: NDArray[np.int64]) -> Floats:
    """Mean products of all bands with each other; single events do not rule them."""
    total = np.zeros((values.shape[1], values.shape[1]))
    for some in _pieces(places):
        clipped = np.clip(values[some], -_CLIP, _CLIP).astype(np.float64)
        total += clipped.T @ clipped
    mean: Floats = total / max(1, len(places))
    return mean
