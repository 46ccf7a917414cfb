"""How likely a change of gain is at every moment, from how the spectrum changes from one stretch of time to the next, on four scales of time.

A step of gain moves all bands alike, and what both channels have in common as much as what sets them apart; music hardly ever does.
How it moves them by itself is learned, scale by scale, where speech neither begins nor ends. A note that begins or ends moves some bands
far and leaves the others: what is looked for is where most of them agree, not their mean.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ...signal.spans import runs
from ...signal.spectrum import FLOOR_DB, FRAMES_PER_S, bands, whole
from ...units import Floats
from .loops import agreed
from .parts import Part, parts, used

SCALES = ((1, 1), (3, 1), (10, 2), (40, 4))
"""Frames of 20 ms on either side that are compared, and the step from one comparison to the next."""
DEGREES = 6.0
"""Of Student's distribution, after which music moves all bands together; half of the evaluation's pieces lie between 4 and 18."""
_BAND_DEGREES = 1.5
"""The same for each band by itself: what stands far from the others hardly counts."""
_USUAL_SHARE, _USUAL_AT = 0.8, 1.44
_QUIET_DB = -115.0
_QUIET_SHARE = 0.25
_CLIP = 4.0
_LEAST_BANDS = 3
_PIECE_FRAMES = 20000
_PAUSE_FRAMES, _START_FRAMES = 10, 30
_REST_FRAMES, _LONGEST_FADE, _FADE_STEP, _FADE_SMOOTH, _FADES_DB = 50, 150, 5, 11, 0.5
"""A rest of a second or more has fades beside it, for as long as the music moves by half a dB in 0.1 s."""
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
    """All scales of the music of a programme; ``use`` (frames,) is 0 where it is too quiet to tell anything; ``parts`` have a character of their own."""

    scales: tuple[Scale, ...]
    use: Floats
    parts: tuple[Part, ...]


def _quiet_frames(levels: Floats, in_parts: Sequence[Part]) -> NDArray[np.bool_]:
    """Which frames of levels ``(frames, bands)`` in dB are too quiet to tell anything; in parts without music all are."""
    quiet, level = np.ones(len(levels), dtype=np.bool_), np.full(len(levels), FLOOR_DB)
    for part in in_parts:
        if len(part.used):
            own = levels[part.first : part.last, part.used]
            quiet[part.first : part.last] = (own < max(_QUIET_DB, FLOOR_DB)).mean(axis=1) > _QUIET_SHARE
            level[part.first : part.last] = own.mean(axis=1)
    _with_fades(quiet, level)
    after: NDArray[np.bool_] = quiet | np.concatenate([[False], quiet[:-1]])
    # Music that starts has no past to be told from: at the very beginning, and after a pause.
    for first, last in [(0, 0), *_pauses(quiet)]:
        if not last or last - first >= _PAUSE_FRAMES:
            after[last : last + _START_FRAMES] = True
    return after


def _with_fades(quiet: NDArray[np.bool_], level: Floats) -> None:
    """Where music dies away before a rest, or grows after one, is marked as ``quiet``, too: it moves as one, and is no gain that comes back."""
    smooth = np.convolve(level, np.full(_FADE_SMOOTH, 1 / _FADE_SMOOTH), mode="same")
    rises = smooth[_FADE_STEP:] - smooth[:-_FADE_STEP] > _FADES_DB
    falls = smooth[:-_FADE_STEP] - smooth[_FADE_STEP:] > _FADES_DB
    for first, last in _pauses(quiet):
        if last - first < _REST_FRAMES:
            continue
        begin, end = first, last
        while begin > max(_FADE_STEP, first - _LONGEST_FADE) and falls[begin - _FADE_STEP]:
            begin -= _FADE_STEP
        while end < min(len(rises), last + _LONGEST_FADE) and rises[end]:
            end += _FADE_STEP
        quiet[begin:end] = True


def changes(levels: Floats, spans: Sequence[tuple[float, float]]) -> Changes | None:
    """From levels ``(frames, columns)`` in dB, and spans of speech (seconds); None where there is next to no music."""
    together, each = whole(levels), bands(levels)
    in_parts = parts(together)
    quiet = _quiet_frames(together, in_parts)
    heard = [replace(part, used=used(each[part.first : part.last])) for part in in_parts]
    if not any(len(part.used) >= _LEAST_BANDS for part in heard) or (~quiet).sum() < 2 * FRAMES_PER_S:
        return None
    held, still, moves = levels[_held(quiet)], _silent(quiet), moving(len(levels), spans, FRAMES_PER_S)
    found = []
    for width, hop in SCALES:
        at = np.arange(0, len(levels), hop)
        before, after = np.maximum(at - width, 0), np.minimum(at + width, len(levels))
        use = (after - before == 2 * width) & ~quiet[at] & (still[after] == still[before])
        found.append(compare_parts(held, heard, width, hop, use, use & at_rest(moves, at, width)))
    return Changes(tuple(found), np.where(quiet, 0.0, 1.0), in_parts)


def compare_parts(levels: Floats, in_parts: Sequence[Part], width: int, hop: int, use: NDArray[np.bool_], calm: NDArray[np.bool_]) -> Scale:
    """One scale of levels ``(frames, bands)`` in dB, with what is usual learned in each part.

    ``use`` ``(places,)`` says where something can be told at all, ``calm`` where no gain moves.
    """
    moved, step = np.zeros((2, len(use)))
    for part in in_parts:
        first, last, aside = -(-part.first // hop), -(-part.last // hop), -(-width // hop)
        begin, end = max(0, first - aside), min(len(use), last + aside)
        mine = np.zeros(end - begin, dtype=np.bool_)
        mine[first - begin : last - begin] = True
        told = use[begin:end] & mine
        learned = calm[begin:end] & mine
        if learned.sum() * hop < FEWEST:
            learned = told
        if learned.any() and len(part.used) >= _LEAST_BANDS:
            own = _compare(levels[begin * hop : end * hop], part.used, width, hop, told, learned)
            moved[first:last], step[first:last] = own.moved[mine], own.step[mine]
    return Scale(width, hop, moved, step)


def _compare(levels: Floats, used: NDArray[np.int64], width: int, hop: int, use: NDArray[np.bool_], calm: NDArray[np.bool_]) -> Scale:
    at = np.arange(0, len(levels), hop)
    changed, spread = np.zeros((len(at), len(used)), dtype=np.float32), np.ones(len(used))
    # Band by band, since hours of music would fill the memory many times over.
    for k, band in enumerate(used):
        own = _compared(levels[:, band], width, at)
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
    unit_db = np.maximum(unit_db * spread_of(moved[calm] / unit_db[calm]), _LEAST_UNIT_DB)
    return Scale(width, hop, moved / unit_db, np.where(use, 1 / unit_db, 0.0))


def _pauses(quiet: NDArray[np.bool_]) -> list[tuple[int, int]]:
    return [(int(a), int(b)) for a, b in runs(quiet) if b - a >= _PAUSE_FRAMES]


def _held(quiet: NDArray[np.bool_]) -> NDArray[np.int64]:
    """For every frame the one to look at: quiet frames go on as it was before them, so that a hole leaves no trace where it ends."""
    last = np.maximum.accumulate(np.where(quiet, -1, np.arange(len(quiet))))
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


def at_rest(moves: NDArray[np.int64], at: NDArray[np.int64], width: int) -> NDArray[np.bool_]:
    """Whether no gain moves at some frames, as a scale of a ``width`` sees them; ``moves`` is the running count of ``moving``."""
    near = max(1, width // 2)
    still: NDArray[np.bool_] = moves[np.minimum(at + near, len(moves) - 1)] == moves[np.maximum(at - near, 0)]
    return still


def spread_of(changed: Floats) -> float:
    """How far changes of music spread by themselves, those far out left aside."""
    return float(np.quantile(np.abs(changed), _USUAL_SHARE)) / _USUAL_AT


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
