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
from .moves import DEPTH, FALL_END, FALL_START, RETURN_END, RETURN_START, Move, table
from .trials import Likeness, Scales, all_tried, taken

PAIR_WEIGHT = 0.018
"""A pair counts so little because neighbouring windows find the same partner, and one phrase has one random level."""
_SLOWLY_FROM, _SLOWLY_PAIRS = 2, 0.5
"""Where a slow ramp and a usual one are told apart, only the scales of 0.2 s and more speak, and pairs by half: in what
happens within 60 ms a quick ramp that meets a beat of the music by chance looks better than the slow one that is
there."""


class Curve:
    """No gain at all to begin with; moves are tried with ``likelihood_gain`` and taken for true with ``exchange``."""

    def __init__(
        self, found: Changes, pairs: Pairs, spans: Sequence[tuple[float, float]] = (), instants: Instants | None = None
    ) -> None:
        """A curve over as many frames as the music has; ``spans`` of speech are where moves are expected.

        ``instants`` tell of quick edges.
        """
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
        self._likeness = Likeness(
            pair_begins, pair_of, pairs.one, pairs.other, pairs.offset_db, pairs.scale_db, PAIR_WEIGHT
        )
        coarse = {name: getattr(self._scales, name)[_SLOWLY_FROM:] for name in ("begins", "widths", "hops", "wholes")}
        self._slowly = self._scales._replace(**coarse), self._likeness._replace(weight=_SLOWLY_PAIRS * PAIR_WEIGHT)
        self._sums, self._room, self._powers = np.zeros((3, self.frames + 1))

    @property
    def duration_s(self) -> float:
        """How long it is."""
        return self.frames / FRAMES_PER_S

    def by_chance(self, candidates: Floats) -> Floats:
        """Nats that the two edges of moves ``(candidates, 5)`` have by chance in the music there."""
        falls_s, returns_s = (
            candidates[:, FALL_END] - candidates[:, FALL_START],
            candidates[:, RETURN_END] - candidates[:, RETURN_START],
        )
        return self.luck.fall(falls_s, candidates[:, FALL_END]) + self.luck.back(returns_s, candidates[:, RETURN_START])

    def likelihood_gain(self, gone: Sequence[Move], come: Sequence[Move]) -> float:
        """By how much the likelihood grows when some moves go and others come."""
        return float(self.likelihood_gains(gone, table(come)[None])[0])

    def likelihood_gains(self, gone: Sequence[Move], candidates: Floats) -> Floats:
        """The same for many candidates ``(candidates, 5)`` for the move that comes.

        Or ``(candidates, moves, 5)`` of several.
        """
        trials = _trials(gone, candidates)
        log_ratio = self._tried(trials, self._scales, self._likeness)
        # How quick an edge is tells which parameters of a move are likelier, not whether there is one: music often
        # starts and stops at once.
        if self._instants is not None and trials.shape[1] == 2 * len(gone):
            log_ratio += self._instants.more(trials, len(gone))
        return log_ratio

    def slowly(self, gone: Sequence[Move], candidates: Floats) -> Floats:
        """The same as far as it tells a slow ramp from a usual one."""
        return self._tried(_trials(gone, candidates), *self._slowly)

    def _tried(self, trials: Floats, scales: Scales, likeness: Likeness) -> Floats:
        log_ratio = np.empty(len(trials))
        all_tried(trials, FRAMES_PER_S, scales, likeness, self._sums, self._room, self._powers, log_ratio)
        return log_ratio

    def exchange(self, gone: Sequence[Move], come: Sequence[Move]) -> None:
        """Take an exchange of moves for true."""
        taken(_trials(gone, table(come)[None])[0], FRAMES_PER_S, self._scales, self._sums, self._room, self._powers)


def _trials(gone: Sequence[Move], candidates: Floats) -> Floats:
    """Changes as trapezoids ``(candidates, moves, 5)``: four times in seconds, and by how many dB the gain rises.

    Those that go are the first ones.
    """
    come = candidates[:, None, :] if candidates.ndim == 2 else candidates
    trials = np.empty((len(candidates), len(gone) + come.shape[1], 5))
    trials[:, : len(gone)], trials[:, len(gone) :] = table(gone), come
    trials[:, len(gone) :, DEPTH] *= -1.0
    return trials
