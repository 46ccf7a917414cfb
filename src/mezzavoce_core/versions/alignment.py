"""Two mixes laid beside each other by their sound: which stretches of the former one lie where in the new one."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ..errors import NotMeasurable
from ..signal.outline import FRAMES_PER_S
from ..units import Floats
from .edges import NOTHING, held_by
from .search import Chunks, search, way_through
from .shapes import Shapes, shapes
from .tracks import Track, tracks_of

_SECOND = Chunks(2.0, 0.5, 0.45)
_LOST_FROM_S = 1.5
"""Stretches that lie nowhere are looked at once more from this length on."""
_SAME_PLACE_S, _CHANGED_UP_TO_S = 0.03, 20.0
_DOUBTFUL_S = 0.6
_LEAST_S = 0.1
_KEPT_SHARE = 0.2
_OVER_SHARE, _LONG_S = 0.5, 10.0


@dataclass(frozen=True)
class Piece:
    """A stretch of the former mix that is in the new one. Seconds of each; ``speed`` is 1 where nothing was changed.

    ``doubtful``: too short to be told with certainty.
    """

    old_in_s: float
    old_out_s: float
    new_in_s: float
    new_out_s: float
    speed: float
    doubtful: bool = False

    def new_s(self, old_s: float) -> float:
        """The time in the new mix of a time in the former one."""
        return self.new_in_s + (old_s - self.old_in_s) * (self.new_out_s - self.new_in_s) / self._length

    @property
    def _length(self) -> float:
        return max(self.old_out_s - self.old_in_s, 1e-9)


@dataclass(frozen=True)
class Alignment:
    """Pieces in the order of the new mix, what of the former one is not there, and what is new; seconds."""

    pieces: tuple[Piece, ...]
    removed: tuple[tuple[float, float], ...]
    inserted: tuple[tuple[float, float], ...]

    def new_s(self, old_s: float) -> float | None:
        """Where a moment of the former mix lies; None where it was cut out."""
        return next((p.new_s(old_s) for p in self.pieces if p.old_in_s <= old_s <= p.old_out_s), None)

    def placed(self, in_s: float, out_s: float) -> tuple[float, float] | None:
        """Where a stretch of the former mix lies; None where nearly all of it was cut out.

        Of one that was torn apart the part that holds most of it.
        """
        parts = [(max(in_s, p.old_in_s), min(out_s, p.old_out_s), p) for p in self.pieces]
        kept = [(a, b, p) for a, b, p in parts if b > a or (b == a and in_s == out_s)]
        if sum(b - a for a, b, _ in kept) < _KEPT_SHARE * (out_s - in_s):
            return None
        if not kept:
            return None
        together = sorted(((p.new_s(a), p.new_s(b), b - a) for a, b, p in kept), key=lambda k: k[0])
        groups: list[list[tuple[float, float, float]]] = []
        for part in together:
            # What came in between belongs to it, as long as it is no longer than the stretch itself.
            if groups and part[0] - groups[-1][-1][1] <= out_s - in_s:
                groups[-1].append(part)
            else:
                groups.append([part])
        best = max(groups, key=lambda group: sum(length for *_, length in group))
        return best[0][0], best[-1][1]


def align(old: NDArray[np.int16], new: NDArray[np.int16]) -> Alignment:
    """Lay two outlines beside each other. Raises NotMeasurable where they have nothing in common."""
    if not len(old) or not len(new):
        raise NotMeasurable("One of the mixes was measured by an older version. Measure it again, then the new one.")
    before, now = shapes(old), shapes(new)
    tracks = _tracks(before, now, Chunks(), None)
    held, likeness = held_by(before, now, tracks)
    lost, unused = held == NOTHING, _unused(held, tracks, len(now))
    if _longest(lost) >= _LOST_FROM_S * FRAMES_PER_S and _longest(unused) >= _LOST_FROM_S * FRAMES_PER_S:
        more = _tracks(before, now, _SECOND, (lost, unused))
        if more:
            tracks = [*tracks, *more]
            held, likeness = held_by(before, now, tracks)
    pieces = _bridged(_once(list(_pieces(held, likeness, tracks, len(now) / FRAMES_PER_S))))
    if not pieces:
        raise NotMeasurable("The two mixes have no sound in common, so the one cannot be laid beside the other.")
    return alignment_of(pieces, len(before) / FRAMES_PER_S, len(now) / FRAMES_PER_S)


def alignment_of(pieces: Sequence[Piece], old_s: float, new_s: float) -> Alignment:
    """Pieces of mixes that last so long, with what was cut out and put in between."""
    return Alignment(
        tuple(sorted(pieces, key=lambda p: (p.new_in_s, p.old_in_s))),
        _between([(p.old_in_s, p.old_out_s) for p in pieces], old_s),
        _between([(p.new_in_s, p.new_out_s) for p in pieces], new_s),
    )


def _tracks(
    old: Shapes, new: Shapes, chunks: Chunks, fields: tuple[NDArray[np.bool_], NDArray[np.bool_]] | None
) -> list[Track]:
    return tracks_of(way_through(search(old, new, chunks, fields)), chunks.length_s / 2)


def _unused(held: NDArray[np.int64], tracks: Sequence[Track], count: int) -> NDArray[np.bool_]:
    """Frames of the new mix that no track that holds reaches."""
    unused = np.ones(count, dtype=np.bool_)
    for k, begin, end in _stretches(held):
        first, last = (round(tracks[k].new_s(t / FRAMES_PER_S) * FRAMES_PER_S) for t in (begin, end))
        unused[max(0, first) : max(0, last)] = False
    return unused


def _longest(flags: NDArray[np.bool_]) -> int:
    edges = np.flatnonzero(np.diff(np.concatenate([[False], flags, [False]]).astype(np.int8)))
    return int((edges[1::2] - edges[::2]).max(initial=0))


def _stretches(held: NDArray[np.int64]) -> Iterator[tuple[int, int, int]]:
    """Track, first frame and the frame after the last of every stretch that one track holds."""
    bounds = [0, *(np.flatnonzero(np.diff(held)) + 1), len(held)]
    for begin, end in pairwise(bounds):
        if end > begin and held[begin] != NOTHING:
            yield int(held[begin]), int(begin), int(end)


def _pieces(
    held: NDArray[np.int64], likeness: Floats, tracks: Sequence[Track], new_s: float
) -> Iterator[tuple[Piece, float]]:
    """Pieces with how alike the two mixes are there, at most 1."""
    for k, begin, end in _stretches(held):
        track = tracks[k]
        in_s, out_s = begin / FRAMES_PER_S, end / FRAMES_PER_S
        new_in, new_out = max(0.0, track.new_s(in_s)), min(new_s, track.new_s(out_s))
        in_s, out_s = max(in_s, track.old_s(new_in)), min(out_s, track.old_s(new_out))
        if out_s - in_s >= _LEAST_S:
            doubtful = out_s - in_s < _DOUBTFUL_S
            yield (
                Piece(in_s, out_s, new_in, new_out, 1.0 / (1 + track.drift), doubtful),
                float(likeness[begin:end].mean()),
            )


def _once(found: list[tuple[Piece, float]]) -> list[Piece]:
    """No moment of the new mix is two of the former one: where pieces lie over each other, the more alike one stays.

    Music that comes again is found where it stands elsewhere, after it was cut out.
    """
    kept: list[Piece] = []
    for piece, _ in sorted(found, key=lambda one: -one[1] * min(one[0].new_out_s - one[0].new_in_s, _LONG_S)):
        over = sum(max(0.0, min(piece.new_out_s, k.new_out_s) - max(piece.new_in_s, k.new_in_s)) for k in kept)
        if over <= _OVER_SHARE * (piece.new_out_s - piece.new_in_s):
            kept.append(piece)
    return sorted(kept, key=lambda piece: piece.old_in_s)


def _bridged(pieces: list[Piece]) -> list[Piece]:
    """Between two pieces that are equally late lies what is between them, though it sounds otherwise: a new take."""
    joined: list[Piece] = []
    for piece in pieces:
        last = joined[-1] if joined else None
        if last is not None and _same_place(last, piece):
            joined[-1] = replace(last, old_out_s=piece.old_out_s, new_out_s=piece.new_out_s, doubtful=False)
        else:
            joined.append(piece)
    return joined


def _same_place(one: Piece, other: Piece) -> bool:
    old_gap, new_gap = other.old_in_s - one.old_out_s, other.new_in_s - one.new_out_s
    return (
        abs(old_gap - new_gap) <= _SAME_PLACE_S
        and -_SAME_PLACE_S <= old_gap <= _CHANGED_UP_TO_S
        and abs(one.speed - other.speed) < 2e-4
    )


def _between(spans: list[tuple[float, float]], whole_s: float) -> tuple[tuple[float, float], ...]:
    """What lies outside some spans, from 0 to ``whole_s``; less than a tenth of a second is nothing."""
    found, at = [], 0.0
    for begin, end in sorted(spans):
        if begin - at >= _LEAST_S:
            found.append((at, begin))
        at = max(at, end)
    if whole_s - at >= _LEAST_S:
        found.append((at, whole_s))
    return tuple(found)
