"""The gain curve as it is supposed to be, and what a change of it would be worth in nats of likelihood."""

from collections.abc import Sequence

import numpy as np

from ...signal.spectrum import FRAMES_PER_S
from ...units import Floats
from .changes import DEGREES, Changes
from .edges import luck
from .instants import Instants
from .likeness import Pairs
from .loops import BLOCK
from .moves import Move
from .trials import Likeness, Scales, taken, tried

PAIR_WEIGHT = 0.018
"""A pair counts so little because neighbouring windows find the same partner, and one phrase has one random level."""


class Curve:
    """No gain at all to begin with; moves are tried with ``worth`` and taken for true with ``exchange``."""

    def __init__(self, found: Changes, pairs: Pairs, spans: Sequence[tuple[float, float]] = (), instants: Instants | None = None) -> None:
        """A curve over as many frames as the music has; ``spans`` of speech are where moves are expected; ``instants`` tell of quick edges."""
        self.changes, self.pairs, self._instants = found, pairs, instants
        self.frames = len(found.heard.quiet)
        self.luck = luck(found, spans)
        places = np.concatenate([pairs.one // BLOCK, pairs.other // BLOCK])
        order = np.argsort(places, kind="stable")
        pair_of = np.tile(np.arange(len(pairs.one)), 2)[order]
        pair_begins = np.searchsorted(places[order], np.arange(self.frames // BLOCK + 2)).astype(np.int64)
        begins = np.concatenate([[0], np.cumsum([len(s.moved) for s in found.scales])]).astype(np.int64)
        self._scales = Scales(
            begins,
            np.array([s.width for s in found.scales]),
            np.array([s.hop for s in found.scales]),
            np.array([s.whole for s in found.scales]),
            np.concatenate([s.moved for s in found.scales]),
            np.concatenate([s.step for s in found.scales]),
            np.zeros(begins[-1]),
            self.luck.weights,
            DEGREES,
        )
        self._likeness = Likeness(pair_begins, pair_of, pairs.one, pairs.other, pairs.offset_db, pairs.scale_db, PAIR_WEIGHT)
        self._sums, self._room, self._powers = np.zeros((3, self.frames + 1))

    @property
    def duration_s(self) -> float:
        """How long it is."""
        return self.frames / FRAMES_PER_S

    def by_chance(self, move: Move) -> float:
        """Nats that the two edges of a move have by chance in the music there."""
        return self.luck.fall(move.fall_s, move.fall_end_s) + self.luck.back(move.return_s, move.return_start_s)

    def worth(self, gone: Sequence[Move], come: Sequence[Move]) -> float:
        """By how much the likelihood grows when some moves go and others come."""
        told: float = tried(_drawn(gone, come), FRAMES_PER_S, self._scales, self._likeness, self._sums, self._room, self._powers)
        # How quick an edge is tells which way of a move is likelier, not whether there is one: music often starts and stops at once.
        if self._instants is not None and len(gone) == len(come):
            told += sum(map(self._instants.told, come)) - sum(map(self._instants.told, gone))
        return told

    def exchange(self, gone: Sequence[Move], come: Sequence[Move]) -> None:
        """Take an exchange of moves for true."""
        taken(_drawn(gone, come), FRAMES_PER_S, self._scales, self._sums, self._room, self._powers)


def _drawn(gone: Sequence[Move], come: Sequence[Move]) -> Floats:
    """The change as trapezoids ``(moves, 5)``: four times in seconds, and by how many dB the gain rises."""
    gone_rows = [(m.fall_start_s, m.fall_end_s, m.return_start_s, m.return_end_s, m.depth_db) for m in gone]
    return np.array(gone_rows + [(m.fall_start_s, m.fall_end_s, m.return_start_s, m.return_end_s, -m.depth_db) for m in come])
