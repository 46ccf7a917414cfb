"""How quickly an edge of a move is over, as instants of 5 ms tell it: a step leaves no time to what music does by itself.

Frames of 43 ms see a step and a ramp of a tenth of a second nearly alike. Here the level of eight octaves 10 ms before is compared with
that 10 ms after, as ``changes`` does on longer scales; what is usual is learned in the same places.
"""

from collections.abc import Sequence

import numpy as np

from ...signal.spectrum import INSTANTS, INSTANTS_PER_S
from ...units import Floats
from .changes import DEGREES, Places, Scale, compare_parts, compared, moving
from .echoes import lined_up
from .expected import Repeats
from .loops import stepped
from .moves import Move
from .parts import Part
from .rests import Heard

_WIDTH = 2
_LONGEST_S = 0.8
"""What takes longer hardly moves within 10 ms. Where less is known, such as at 0.2 s, ramps a little longer are drawn to it, and told too short."""
_DEAD_DB = -105.0
_FARTHEST, _MOST, _LEAST_DB = 5, 6.0, 0.01
"""Partners are found to a frame; they are lined up to the instant, so many of them away at most."""


class Instants:
    """What instants tell of edges, in levels ``(instants, octaves)`` in dB."""

    def __init__(self, levels: Floats, heard: Heard, spans: Sequence[tuple[float, float]], repeats: Repeats) -> None:
        """Of music with ``spans`` of speech (seconds), around which a gain may move."""
        self._scale = _scale(levels, heard, spans, _lined_up(repeats, levels))
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


def _scale(levels: Floats, heard: Heard, spans: Sequence[tuple[float, float]], repeats: Repeats) -> Scale:
    count = len(levels)
    quiet = np.concatenate([[0], np.cumsum(np.repeat(heard.quiet, INSTANTS))])
    moves = moving(count, spans, INSTANTS_PER_S)
    before, after = np.maximum(np.arange(count) - _WIDTH, 0), np.minimum(np.arange(count) + _WIDTH, count)
    told = (after - before == 2 * _WIDTH) & (quiet[after] == quiet[before])
    places = Places(_WIDTH, 1, told, told & (moves[after] == moves[before]))
    return compare_parts(levels, [_finer(part, levels) for part in heard.parts], places, repeats)


def _lined_up(repeats: Repeats, levels: Floats) -> Repeats:
    """The same in instants."""
    changed = np.stack([compared(octave, _WIDTH, np.arange(len(levels))) for octave in levels.T], axis=1)
    usual = np.median(np.abs(changed), axis=0) + _LEAST_DB
    lags, block = repeats.lags * INSTANTS, repeats.block * INSTANTS
    lined_up(np.clip(changed / usual, -_MOST, _MOST).astype(np.float32), block, lags, _FARTHEST)
    return Repeats(lags, block)


def _finer(part: Part, levels: Floats) -> Part:
    """The same part in instants, with the octaves that hold music there."""
    first, last = part.first * INSTANTS, part.last * INSTANTS
    return Part(first, last, np.flatnonzero(np.median(levels[first:last], axis=0) > _DEAD_DB))
