"""How quickly an edge of a move is over, as instants of 5 ms tell it.

A step leaves no time to what music does by itself.

Frames of 43 ms see a step and a ramp of a tenth of a second nearly alike. Here the level of eight octaves 10 ms before
is compared with that 10 ms after, as ``changes`` does on longer scales; what is usual is learned in the same places.
"""

from collections.abc import Sequence

import numpy as np

from ...signal.spectrum import INSTANTS, INSTANTS_PER_S
from ...units import Floats
from .changes import DEGREES, Places, Scale, compare_parts, compared, moving
from .echoes import lined_up
from .expected import Repeats
from .loops import all_stepped
from .parts import Part
from .rests import Heard

_WIDTH = 2
_LONGEST_S = 0.8
"""What takes longer hardly moves within 10 ms. Where less is known, such as at 0.2 s, ramps a little longer are drawn
to it, and told too short."""
_DEAD_DB = -105.0
_FARTHEST, _MOST, _LEAST_DB = 5, 6.0, 0.01
"""Partners are found to a frame; they are lined up to the instant, so many of them away at most."""


class Instants:
    """What instants tell of edges, in levels ``(instants, octaves)`` in dB."""

    def __init__(self, levels: Floats, heard: Heard, spans: Sequence[tuple[float, float]], repeats: Repeats) -> None:
        """Of music with ``spans`` of speech (seconds), around which a gain may move."""
        self._scale = _scale(levels, heard, spans, _lined_up(repeats, levels))

    def more(self, candidates: Floats, gone: int) -> Floats:
        """By how many nats more the edges of moves that come tell than those of as many that go, ``(candidates,)``.

        Those that take long tell nothing.

        ``candidates`` ``(candidates, moves, 5)`` hold so many as are ``gone`` first; times in seconds, and by how many
        dB the gain rises.
        """
        log_ratio, scale = np.empty(len(candidates)), self._scale
        all_stepped(candidates, gone, INSTANTS_PER_S, _LONGEST_S, scale.moved, scale.step, _WIDTH, DEGREES, log_ratio)
        return log_ratio / _WIDTH


def _scale(levels: Floats, heard: Heard, spans: Sequence[tuple[float, float]], repeats: Repeats) -> Scale:
    count = len(levels)
    quiet = np.concatenate([[0], np.cumsum(np.repeat(heard.quiet, INSTANTS))])
    moves = moving(count, spans, INSTANTS_PER_S)
    before, after = np.maximum(np.arange(count) - _WIDTH, 0), np.minimum(np.arange(count) + _WIDTH, count)
    known = (after - before == 2 * _WIDTH) & (quiet[after] == quiet[before])
    places = Places(_WIDTH, 1, known, known & (moves[after] == moves[before]))
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
