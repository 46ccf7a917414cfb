"""The gain curve as it is supposed to be, and what a change of it would be worth in nats of likelihood."""

from collections.abc import Sequence

import numpy as np

from ...signal.spectrum import FRAMES_PER_S
from ...units import Floats
from .edges import chance
from .innovations import DEGREES, LAG_EDGES, LAG_WEIGHTS, LOCAL_FRAMES, LOCAL_SHARE, Innovations
from .likeness import Pairs
from .loops import BLOCK, changed, changed_pairs
from .moves import Move

PAIR_WEIGHT = 0.015
"""A pair counts so little because neighbouring windows find the same partner, and one phrase has one random level."""
_BEYOND = 120


class Curve:
    """No gain at all to begin with; moves are tried with ``worth`` and taken for true with ``exchange``."""

    def __init__(self, found: Innovations, pairs: Pairs, spans: Sequence[tuple[float, float]] = ()) -> None:
        """A curve over as many frames as the innovations have; ``spans`` of speech are where moves are expected."""
        self.innovations, self.pairs = found, pairs
        self.frames = len(found.along)
        self.luck = chance(found, spans)
        self.weight = self.luck.weight
        self.gain_db = np.zeros(self.frames)
        self._filtered = np.zeros(self.frames)
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
        """Nats that the two edges of a move have by chance in this music."""
        return float(self.luck.fall(move.fall_s) + self.luck.back(move.return_s))

    def worth(self, gone: Sequence[Move], come: Sequence[Move]) -> float:
        """By how much the likelihood grows when some moves go and others come."""
        return self._try(*self._change(gone, come))[0]

    def exchange(self, gone: Sequence[Move], come: Sequence[Move]) -> None:
        """Take an exchange of moves for true."""
        first, change = self._change(gone, come)
        _, answer = self._try(first, change)
        self.gain_db[first : first + len(change)] += change
        self._sums[1:] = np.cumsum(self.gain_db)
        begin = first - LOCAL_FRAMES
        low, high = max(0, begin), min(self.frames, begin + len(answer))
        self._filtered[low:high] += answer[low - begin : high - begin]

    def _change(self, gone: Sequence[Move], come: Sequence[Move]) -> tuple[int, Floats]:
        """The change of the curve: its first frame, and dB per frame."""
        moves = [*gone, *come]
        first = min(self.frames - 1, max(0, int(min(m.fall_start_s for m in moves) * FRAMES_PER_S) - 2))
        last = min(self.frames, int(max(m.return_end_s for m in moves) * FRAMES_PER_S) + 3)
        # A frame looks at 43 ms of sound; the mean over its middle stands for them.
        times = (first + np.arange(max(1, last - first)) + 0.5) / FRAMES_PER_S
        total = np.zeros(len(times))
        for sign, some in ((-1.0, gone), (1.0, come)):
            for m in some:
                total += sign * (m.gain_db(times - 0.008) + m.gain_db(times + 0.008)) / 2
        return first, total

    def _try(self, first: int, change: Floats) -> tuple[float, Floats]:
        """The worth of a change, and the change as the innovations see it, from ``LOCAL_FRAMES`` before its first frame on."""
        found, pairs = self.innovations, self.pairs
        sums, raw = np.empty(len(change) + 1), np.empty(len(change) + 2 * LOCAL_FRAMES + _BEYOND)
        answer = np.empty_like(raw)
        total = changed(
            found.along, found.size, found.step, found.use, self._filtered, change, first, LAG_EDGES, LAG_WEIGHTS,
            LOCAL_FRAMES, LOCAL_SHARE, _BEYOND, DEGREES, float(found.bands), self.weight, sums, raw, answer,
        )  # fmt: skip
        if len(pairs.one):
            total += changed_pairs(
                self._begins, self._pair_of, pairs.one, pairs.other, pairs.offset_db, self._scale, PAIR_WEIGHT, self._sums, sums, first
            )  # fmt: skip
        return total, answer
