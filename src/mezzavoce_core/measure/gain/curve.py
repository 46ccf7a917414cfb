"""The gain curve as it is supposed to be, and what a change of it would be worth in nats of likelihood."""

from collections.abc import Sequence

import numpy as np

from ...signal.spectrum import FRAMES_PER_S
from ...units import Floats
from .changes import DEGREES, Changes
from .edges import luck
from .instants import Instants
from .likeness import Pairs
from .loops import BLOCK, changed, changed_pairs, ramped
from .moves import Move

PAIR_WEIGHT = 0.018
"""A pair counts so little because neighbouring windows find the same partner, and one phrase has one random level."""


class Curve:
    """No gain at all to begin with; moves are tried with ``worth`` and taken for true with ``exchange``."""

    def __init__(self, found: Changes, pairs: Pairs, spans: Sequence[tuple[float, float]] = (), instants: Instants | None = None) -> None:
        """A curve over as many frames as the music has; ``spans`` of speech are where moves are expected; ``instants`` tell of quick edges."""
        self.changes, self.pairs, self._instants = found, pairs, instants
        self.frames = len(found.use)
        self.luck = luck(found, spans)
        self.gain_db = np.zeros(self.frames)
        self._seen = [np.zeros(len(scale.moved)) for scale in found.scales]
        self._sums = np.zeros(self.frames + 1)
        places = np.concatenate([pairs.one // BLOCK, pairs.other // BLOCK])
        order = np.argsort(places, kind="stable")
        self._pair_of = np.tile(np.arange(len(pairs.one)), 2)[order]
        self._begins = np.searchsorted(places[order], np.arange(self.frames // BLOCK + 2)).astype(np.int64)
        self._scale = pairs.scale_db

    @property
    def duration_s(self) -> float:
        """How long it is."""
        return self.frames / FRAMES_PER_S

    def by_chance(self, move: Move) -> float:
        """Nats that the two edges of a move have by chance in the music there."""
        return float(self.luck.fall(move.fall_s, move.fall_end_s) + self.luck.back(move.return_s, move.return_start_s))

    def worth(self, gone: Sequence[Move], come: Sequence[Move]) -> float:
        """By how much the likelihood grows when some moves go and others come."""
        told = self._try(*self._change(gone, come))[0]
        # How quick an edge is tells which way of a move is likelier, not whether there is one: music often starts and stops at once.
        if self._instants is not None and len(gone) == len(come):
            told += sum(map(self._instants.told, come)) - sum(map(self._instants.told, gone))
        return told

    def exchange(self, gone: Sequence[Move], come: Sequence[Move]) -> None:
        """Take an exchange of moves for true."""
        first, change = self._change(gone, come)
        _, answers = self._try(first, change)
        self.gain_db[first : first + len(change)] += change
        self._sums[1:] = np.cumsum(self.gain_db)
        for scale, seen, answer in zip(self.changes.scales, self._seen, answers, strict=True):
            begin = max(0, -(-(first - scale.width) // scale.hop))
            seen[begin : begin + len(answer)] += answer[: len(seen) - begin]

    def _change(self, gone: Sequence[Move], come: Sequence[Move]) -> tuple[int, Floats]:
        """The change of the curve: its first frame, and dB per frame."""
        moves = [*gone, *come]
        first = min(self.frames - 1, max(0, int(min(m.fall_start_s for m in moves) * FRAMES_PER_S) - 2))
        last = min(self.frames, int(max(m.return_end_s for m in moves) * FRAMES_PER_S) + 3)
        total = np.zeros(max(1, last - first))
        for sign, some in ((-1.0, gone), (1.0, come)):
            for m in some:
                ramped(m.fall_start_s, m.fall_end_s, m.return_start_s, m.return_end_s, -sign * m.depth_db, first, FRAMES_PER_S, total)
        return first, total

    def _try(self, first: int, change: Floats) -> tuple[float, list[Floats]]:
        """The worth of a change, and what is seen of it on every scale, from the first place on at which it is."""
        found, pairs = self.changes, self.pairs
        sums, total = np.concatenate([[0.0], np.cumsum(change)]), 0.0
        answers: list[Floats] = []
        for scale, seen in zip(found.scales, self._seen, strict=True):
            answer = np.zeros((len(change) + 2 * scale.width) // scale.hop + 2)
            total += changed(scale.moved, scale.step, scale.width, scale.hop, seen, sums, first, DEGREES, self.luck.weights, answer)
            answers.append(answer)
        if len(pairs.one):
            total += changed_pairs(
                self._begins, self._pair_of, pairs.one, pairs.other, pairs.offset_db, self._scale, PAIR_WEIGHT, self._sums, sums, first
            )  # fmt: skip
        return total, answers
