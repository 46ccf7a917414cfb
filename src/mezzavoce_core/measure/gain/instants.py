"""How quickly an edge of a move is over, as instants of 5 ms tell it: a step leaves no time to what music does by itself.

Frames of 43 ms see a step and a ramp of a tenth of a second nearly alike. Here the level of eight octaves 10 ms before is compared with
that 10 ms after, as ``changes`` does on longer scales; what is usual is learned in the same places.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ...signal.spectrum import INSTANTS, INSTANTS_PER_S
from ...units import Floats
from .changes import DEGREES, Changes, Scale, compare_parts, moving
from .expected import LIKE_OF_INSTANTS, MOST, Partners, beyond
from .loops import BLOCK, lined_up, stepped
from .moves import Move
from .parts import Part

_WIDTH = 2
_LONGEST_S = 0.2
"""What takes longer hardly moves within 10 ms."""
_DEAD_DB = -105.0
_FARTHEST = 5
"""Partners are found to a frame; they are lined up to the instant, so many of them away at most."""


class Instants:
    """What instants tell of edges, in levels ``(instants, octaves)`` in dB."""

    def __init__(self, levels: Floats, spans: Sequence[tuple[float, float]], found: Changes, alike: Partners | None = None) -> None:
        """Of music with ``spans`` of speech, around which a gain may move, and with what was ``found`` of its changes on longer scales, and ``alike`` in it."""
        self._scale, calm = _scale(levels, spans, found)
        if alike is not None:
            self._scale = beyond(self._scale, _lined_up(alike, self._scale.moved), BLOCK * INSTANTS, calm, LIKE_OF_INSTANTS)
        self._known: dict[tuple[float, float, float], float] = {}

    def told(self, move: Move) -> float:
        """What the two edges of a move tell, in nats against none there; 0 for those that take long."""
        return self._edge(move.fall_start_s, move.fall_end_s, -move.depth_db) + self._edge(move.return_start_s, move.return_end_s, move.depth_db)

    def _edge(self, start_s: float, end_s: float, rise_db: float) -> float:
        if end_s - start_s > _LONGEST_S:
            return 0.0
        # The same edge is asked for with many others at the far end of the move.
        key = start_s, end_s, rise_db
        if key not in self._known:
            scale = self._scale
            self._known[key] = stepped(scale.moved, scale.step, _WIDTH, start_s * INSTANTS_PER_S, end_s * INSTANTS_PER_S, rise_db, DEGREES) / _WIDTH
        return self._known[key]


def _scale(levels: Floats, spans: Sequence[tuple[float, float]], found: Changes) -> tuple[Scale, NDArray[np.bool_]]:
    """What instants tell, and where no gain moves."""
    count = len(levels)
    quiet = np.concatenate([[0], np.cumsum(np.repeat(found.use == 0, INSTANTS))])
    moves = moving(count, spans, INSTANTS_PER_S)
    before, after = np.maximum(np.arange(count) - _WIDTH, 0), np.minimum(np.arange(count) + _WIDTH, count)
    told = (after - before == 2 * _WIDTH) & (quiet[after] == quiet[before])
    calm = told & (moves[after] == moves[before])
    return compare_parts(levels, [_finer(part, levels) for part in found.parts], _WIDTH, 1, told, calm), calm


def _lined_up(alike: Partners, moved: Floats) -> Partners:
    """The same partners in instants."""
    lag = alike.lag * INSTANTS
    lined_up(np.clip(moved, -MOST, MOST), BLOCK * INSTANTS, lag, np.isfinite(alike.spread_db), _FARTHEST)
    return Partners(lag, alike.spread_db)


def _finer(part: Part, levels: Floats) -> Part:
    """The same part in instants, with the octaves that hold music there."""
    first, last = part.first * INSTANTS, part.last * INSTANTS
    return Part(first, last, np.flatnonzero(np.median(levels[first:last], axis=0) > _DEAD_DB))
