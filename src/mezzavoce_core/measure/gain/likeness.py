"""Where the same sound stands elsewhere in the programme.

The difference in level is the difference in gain, more or less surely.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...signal.spectrum import FRAMES_PER_S
from ...units import Floats, db_to_power
from .loops import BLOCK, KEPT, WINDOW_BLOCKS, alike, apart_by
from .parts import used
from .rests import Heard

_LENGTH, _MIDDLE = BLOCK * WINDOW_BLOCKS, BLOCK * (WINDOW_BLOCKS // 2)
_LEAST_LAG = round(0.8 * FRAMES_PER_S)
_REGION = 6 * FRAMES_PER_S
_FARTHEST_S = 150
_MOST_DB = 9.0
_LOUD_DB = 35.0
# How far the level by which two windows differ is from the gain, by how far the bands are from agreeing on it, measured
# on the tuned half of the evaluation.
_SURE_DB, _PER_SPREAD, _PER_SQUARE = 0.02, 0.45, 0.12
_PIECE_FRAMES = 20000
_LANES = 16
_LAGS_S = (1.6, 2.6, 4.0, 6.0)
_BEFORE_S, _BEHIND_S, _INSIDE_S = 1.2, 1.5, 0.2
_MEDIAN_OF_T2, _FEWEST, _UNKNOWN_DB, _LEAST_SPREAD_DB = 0.816, 20, 5.0, 0.5


@dataclass(frozen=True)
class Pairs:
    """Blocks of 0.2 s that are compared.

    Their first frames, by how much the first is the louder one (dB), and how sure that tells of gain (a spread in dB).
    """

    one: NDArray[np.int64]
    other: NDArray[np.int64]
    offset_db: Floats
    scale_db: Floats

    def __add__(self, more: "Pairs") -> "Pairs":
        """Both together."""
        return Pairs(
            *(np.concatenate([getattr(self, n), getattr(more, n)]) for n in ("one", "other", "offset_db", "scale_db"))
        )


def pairs(levels: Floats, heard: Heard) -> Pairs:
    """Pairs in levels ``(frames, bands)`` in dB, by where it is ``heard``.

    Blocks in the middle of windows of 1 s that sound alike.

    Partners lie up to 150 s away, so that the work grows with the length alone.
    """
    inside, quiet = used(levels), heard.quiet
    frames = len(levels)
    windows = max(0, frames // BLOCK - WINDOW_BLOCKS + 1)
    if not len(inside) or windows < 2:
        none = np.zeros(0, dtype=np.int64)
        return Pairs(none, none, np.zeros(0), np.zeros(0))
    # Over the bands of the whole programme, so that one part can be compared with another.
    part = levels[:, inside]
    shapes = np.zeros((frames, -(-len(inside) // _LANES) * _LANES), dtype=np.float32)
    shapes[:, : len(inside)] = part - part.mean(axis=1)[:, None]
    blocks = np.concatenate([[0], np.cumsum(quiet)])[: frames + 1 : BLOCK]
    quiet_windows = (blocks[WINDOW_BLOCKS:] - blocks[:-WINDOW_BLOCKS]).astype(np.int32)
    most = np.float32(_MOST_DB**2)
    distance = np.full((windows, KEPT), most, dtype=np.float32)
    partner = np.zeros((windows, KEPT), dtype=np.int32)
    near_at = np.full((windows, 2), -1, dtype=np.int32)
    lags = np.arange(_LEAST_LAG, min(frames - _LENGTH, _FARTHEST_S * FRAMES_PER_S), dtype=np.int64)
    room = np.zeros(frames // BLOCK + 1, dtype=np.float32), np.full(windows, most, dtype=np.float32)
    per = np.float32(1.0 / (_LENGTH * len(inside)))
    alike(
        shapes.reshape(-1),
        shapes.shape[1],
        per,
        quiet_windows,
        lags,
        _REGION,
        most,
        distance,
        partner,
        room[0],
        room[1],
        near_at,
    )
    window, rank = np.nonzero(distance < most)
    one, other = window * BLOCK, partner[window, rank].astype(np.int64)
    offset, spread = np.empty(len(one)), np.empty(len(one))
    apart_by(_power(part), one, other, _LOUD_DB, np.empty((7, part.shape[1])), offset, spread)
    return Pairs(one + _MIDDLE, other + _MIDDLE, offset, _SURE_DB + spread * (_PER_SPREAD + _PER_SQUARE * spread))


def _power(levels: Floats) -> NDArray[np.float32]:
    """Powers of levels ``(frames, bands)`` in dB.

    Piece by piece, since hours of music would fill the memory many times over.
    """
    power = np.empty(levels.shape, dtype=np.float32)
    for first in range(0, len(levels), _PIECE_FRAMES):
        power[first : first + _PIECE_FRAMES] = db_to_power(levels[first : first + _PIECE_FRAMES])
    return power


def neighbours(levels: Floats, spans: Sequence[tuple[float, float]], heard: Heard) -> Pairs:
    """Blocks a few seconds apart, whatever they sound like.

    How far this music moves by itself in that time is learned where no gain moves.

    That is where both lie away from speech (``spans``), or both in the middle of one span.
    """
    none, silent = np.zeros(0, dtype=np.int64), np.concatenate([[0], np.cumsum(heard.quiet)])
    apart = Pairs(none, none, np.zeros(0), np.zeros(0))
    for part in (p for p in heard.parts if len(p.used)):
        starts = np.arange(part.first, part.last - BLOCK + 1, BLOCK)
        sums = np.concatenate(
            [[0.0], np.cumsum(levels[part.first : part.last, part.used].mean(axis=1), dtype=np.float64)]
        )
        level, still = (
            (sums[starts - part.first + BLOCK] - sums[starts - part.first]) / BLOCK,
            silent[starts + BLOCK] == silent[starts],
        )
        where = _where(len(levels), starts, spans)
        for lag in _LAGS_S:
            apart += _apart(starts, level, still, where, round(lag * FRAMES_PER_S / BLOCK))
    return apart


def _where(frames: int, starts: NDArray[np.int64], spans: Sequence[tuple[float, float]]) -> NDArray[np.int64]:
    """For each block 0 in the clear, k in the middle of span k (from 1), -1 where a gain may move."""
    place = np.zeros(frames, dtype=np.int64)
    for k, (a, b) in enumerate(spans, 1):
        place[max(0, round((a - _BEFORE_S) * FRAMES_PER_S)) : round((b + _BEHIND_S) * FRAMES_PER_S)] = -1
        place[round((a + _INSIDE_S) * FRAMES_PER_S) : max(0, round((b - _INSIDE_S) * FRAMES_PER_S))] = k
    first, last = place[starts], place[starts + BLOCK - 1]
    found: NDArray[np.int64] = np.where(first == last, first, -1)
    return found


def _apart(
    starts: NDArray[np.int64], level: Floats, still: NDArray[np.bool_], where: NDArray[np.int64], steps: int
) -> Pairs:
    """All blocks so many steps apart, with the spread that those have between which no gain moves."""
    heard_both = still[:-steps] & still[steps:] if steps < len(starts) else np.zeros(0, dtype=np.bool_)
    one, other, offset = (
        starts[:-steps][heard_both],
        starts[steps:][heard_both],
        (level[:-steps] - level[steps:])[heard_both],
    )
    same = (where[:-steps] >= 0)[heard_both] & (where[:-steps] == where[steps:])[heard_both]
    spread = float(np.median(np.abs(offset[same]))) / _MEDIAN_OF_T2 if same.sum() >= _FEWEST else _UNKNOWN_DB
    return Pairs(one, other, offset, np.full(len(one), max(spread, _LEAST_SPREAD_DB)))
