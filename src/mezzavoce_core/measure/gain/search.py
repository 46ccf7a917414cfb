"""From a first explanation to the best one.

One thing of one move is changed at a time, then what all moves share, for as long as it pays.
"""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ...units import Floats
from . import thresholds
from .curve import Curve
from .moves import (
    DEPTH,
    FALL_END,
    FALL_START,
    NOTHING_KNOWN,
    RETURN_END,
    RETURN_START,
    Elsewhere,
    Move,
    Shared,
    Unit,
    meeting,
    prior,
    table,
    usual,
    with_column,
)
from .starts import Start

_WORTH_IT = 0.05
_IMPOSSIBLE = 50.0
_LONGEST_RAMP_S = 3.5
_SHORTEST_RAMP_S = 0.015
_SHORTEST_HOLD_S = 0.05
_LENGTHS_S = (0.02, 0.06, 0.2, 0.7)
# Ramps of quite another length, kept at their beginning, their middle or their end; a step at every place inside them.
_OTHER_LENGTHS_S, _KEPT_AT = np.array(
    [(length, at / 10) for length in _LENGTHS_S for at in (range(11) if length == _LENGTHS_S[0] else (0, 5, 10))]
).T
_BEHIND_S, _AHEAD_S = (0.1, 0.3, 0.6, 1.0), (0.05, 0.2, 0.4, -0.2)
_ASTRAY_S, _DEEPER_DB = 1.2, (0.0, 2.5, 5.0)
"""An edge so far from its speech may have been taken for one that is none, and the move then for less deep than it
is."""
_TIME_STEPS_S, _FAR_S = (0.02, 0.06, 0.2, 0.6, 1.2, 2.2), 1.0
_DEPTH_STEPS_DB = (-3, -1, -0.3, -0.1, 0.1, 0.3, 1, 3)
_CORNERS = (FALL_START, FALL_END, RETURN_START, RETURN_END)
_RAMPS = {"fall_s": (FALL_START, FALL_END), "return_s": (RETURN_START, RETURN_END)}


def _steps() -> Floats:
    """By how much a time, a ramp or the depth of a move is changed to see whether that is better, ``(steps, 5)``."""
    together = [
        step * np.isin(range(5), ramp) for size in _TIME_STEPS_S for step in (-size, size) for ramp in _RAMPS.values()
    ]
    alone = [
        step * np.eye(5)[corner]
        for size in _TIME_STEPS_S
        if size <= _FAR_S
        for step in (-size, size)
        for corner in _CORNERS
    ]
    return np.array([*together, *alone, *(step * np.eye(5)[DEPTH] for step in _DEPTH_STEPS_DB)])


_STEPS = _steps()
_SHARED_STEPS = {
    "depth_db": (-1.0, -0.3, -0.1, -0.03, 0.03, 0.1, 0.3, 1.0),
    "fall_s": (-0.1, -0.04, -0.02, 0.02, 0.04, 0.1),
    "return_s": (-0.1, -0.04, -0.02, 0.02, 0.04, 0.1),
}
_LEAST = {"depth_db": 0.5, "fall_s": 0.02, "return_s": 0.02}
_SETTLE_STEPS_S = np.arange(-20, 21) * 0.03
_AGREE_FACTORS = np.exp(np.arange(-7, 8) * 0.09)
_AGREE_STEPS_S = np.arange(-6, 7) * 0.04
_AGREE_STEPS_DB = np.arange(-15, 16) * 0.1
_AGREE_LEAST, _AGREE_SHARE = 3, 0.5
_TOGETHER = {"depth_db": 0.3, "fall_s": 0.03, "return_s": 0.05}


class Search:
    """The moves found so far, one for each unit or None, and their improvement."""

    def __init__(self, curve: Curve, begin: Start, elsewhere: Elsewhere = NOTHING_KNOWN) -> None:
        """Takes the moves of a first explanation for true."""
        self.curve, self.elsewhere = curve, elsewhere
        self.units: list[Unit] = list(begin.units)
        self.shared: Shared = begin.shared
        self.moves: list[Move | None] = list(begin.moves)
        for move in self.moves:
            if move is not None:
                curve.exchange([], [move])
        for k in range(len(self.moves)):
            self._come_apart(k)

    def _come_apart(self, k: int) -> None:
        """A first explanation looks at each edge by itself, so that a move may return in the fall of the next one.

        Then it returns with its speech.
        """
        move, latest_s = self.moves[k], self.room(k)[1]
        if move is None or move.serves is None or move.return_end_s <= latest_s:
            return
        backs = move.serves[1] + np.array(_BEHIND_S)
        candidates = np.repeat(move.parameters, len(backs), axis=0)
        candidates[:, RETURN_START], candidates[:, RETURN_END] = backs, backs + self.shared.return_s
        self._take(k, move, candidates[_fits(candidates, self.room(k))])

    def _take(self, k: int, now: Move, candidates: Floats, least: float = -np.inf) -> float:
        """Take the likeliest parameters of a move for true, if it is likelier than the move by so many nats.

        Returns by how many it was.
        """
        if not len(candidates):
            return 0.0
        log_ratio = self.log_likelihood_ratios(now, candidates)
        best = int(np.argmax(log_ratio))
        if log_ratio[best] <= least:
            return 0.0
        self.put(k, now, now.like(candidates[best]))
        return float(log_ratio[best])

    def put(self, k: int, now: Move, new: Move) -> None:
        """Another move in the place of one."""
        self.curve.exchange([now], [new])
        self.moves[k] = new

    def improve(self, rounds: int = 4) -> None:
        """Change one thing of one move at a time for as long as it pays; then the shared values; and again."""
        for _ in range(rounds):
            gained = sum(self.refine(k) for k in range(len(self.moves)))
            gained += sum(self._improve_shared(name) for name in _SHARED_STEPS)
            if gained < 10 * _WORTH_IT:
                return

    def prior(self, move: Move) -> float:
        """What a move costs by itself: times away from speech, values of its own, and what its edges have by chance."""
        assert move.serves is not None
        return float(self.priors(move.parameters, move.serves)[0])

    def priors(self, candidates: Floats, serves: tuple[float, float]) -> Floats:
        """The same for many moves ``(candidates, 5)`` that serve the same speech."""
        return prior(candidates, serves, self.shared) - self.curve.by_chance(candidates)

    def log_likelihood_ratios(self, move: Move, candidates: Floats) -> Floats:
        """By how many nats each of ``candidates`` ``(candidates, 5)`` is likelier than the move itself."""
        assert move.serves is not None
        return self.curve.likelihood_gains([move], candidates) + self.priors(candidates, move.serves) - self.prior(move)

    def refine(self, k: int) -> float:
        """Change one thing of one move at a time for as long as it pays; returns the nats that it gained."""
        gained = 0.0
        for _ in range(30):
            now = self.moves[k]
            if now is None:
                return gained
            more = self._take(k, now, self._ways(k, now), _WORTH_IT)
            if not more:
                return gained
            gained += more
        return gained

    def agree(self) -> None:
        """Put what most moves share in the middle of where it may lie: the lengths of ramps, and the depth."""
        for name in _RAMPS:
            self._agree_on_length(name)
        alike = self._alike("depth_db")
        if len(alike) > 1:
            depths = self.shared.depth_db + _AGREE_STEPS_DB
            depths = depths[depths >= _LEAST["depth_db"]]
            self._share(
                alike, "depth_db", _middle(depths, self._worths_shared(alike, "depth_db", depths) / thresholds.SETTLED)
            )

    def _agree_on_length(self, name: str) -> None:
        """Ramps that share a length, wherever each of them is with another one."""
        now = getattr(self.shared, name)
        alike = self._alike(name)
        if len(alike) < max(_AGREE_LEAST, _AGREE_SHARE * sum(m is not None for m in self.moves)):
            return
        lengths = now * _AGREE_FACTORS
        log_ratio = usual(name, lengths) + sum(self._any_place(k, name, lengths) for k in alike)
        common = _middle(lengths, log_ratio / thresholds.SETTLED)
        self.shared = replace(self.shared, **{name: common})
        for k in alike:
            move = self.moves[k]
            assert move is not None
            likelihoods, candidates = self._places(k, name, np.array([common]))
            if likelihoods.max() > -np.inf:
                self.put(k, move, move.like(candidates[0, int(np.argmax(likelihoods))]))

    def _any_place(self, k: int, name: str, lengths: Floats) -> Floats:
        """What a ramp of some lengths tells, all places near its own together."""
        likelihoods, _ = self._places(k, name, lengths)
        together: Floats = np.logaddexp.reduce(likelihoods, axis=1)
        return np.maximum(together, -_IMPOSSIBLE)

    def _places(self, k: int, name: str, lengths_s: Floats) -> tuple[Floats, Floats]:
        """A move with a ramp of some other lengths around the middle of its own.

        A little earlier and later: what each tells, and the parameters.

        ``(lengths, places)`` in nats, without any chance where it cannot be, and ``(lengths, places, 5)``.
        """
        now = self.moves[k]
        assert now is not None
        assert now.serves is not None
        first, last = _RAMPS[name]
        middles = (now.parameters[0, first] + now.parameters[0, last]) / 2 + _AGREE_STEPS_S
        candidates = np.tile(now.parameters, (len(lengths_s), len(middles), 1))
        candidates[..., first], candidates[..., last] = (
            middles - lengths_s[:, None] / 2,
            middles + lengths_s[:, None] / 2,
        )
        likelihoods, fits = np.full(candidates.shape[:2], -np.inf), _fits(candidates, self.room(k))
        if fits.any():
            likelihoods[fits] = (
                self.curve.likelihood_gains([now], candidates[fits])
                + meeting(candidates[fits], now.serves)
                - meeting(now.parameters, now.serves)
            )
        return likelihoods, candidates

    def settle(self, k: int) -> None:
        """Put each time of a move in the middle of where it may lie: half of what is told lies before it."""
        for corner in _CORNERS:
            now = self.moves[k]
            if now is None:
                return
            room, at_s = self.room(k), now.parameters[0, corner] + _SETTLE_STEPS_S
            candidates = with_column(now.parameters, corner, at_s)
            fits = _fits(candidates, room)
            if not fits.any():
                continue
            candidates = with_column(
                now.parameters,
                corner,
                np.array([_middle(at_s[fits], self.log_likelihood_ratios(now, candidates[fits]) / thresholds.SETTLED)]),
            )
            if _fits(candidates, room)[0]:
                self.put(k, now, now.like(candidates[0]))

    def room(self, k: int) -> tuple[float, float]:
        """From when to when a move keeps clear of its neighbours."""
        before = max((o.return_end_s for o in self.moves[:k] if o is not None), default=float("-inf"))
        return before, min((o.fall_start_s for o in self.moves[k + 1 :] if o is not None), default=float("inf"))

    def _ways(self, k: int, m: Move) -> Floats:
        """Everything that may be changed about a move."""
        candidates = np.concatenate([shifted(m.parameters), self.like_others(m.parameters), self._in_time(m)])
        return candidates[_fits(candidates, self.room(k))]

    def _in_time(self, m: Move) -> Floats:
        """A move with an edge far away from its speech, which no small steps lead back, with that edge in time.

        As deep as it is, or deeper.
        """
        assert m.serves is not None
        falls_s, backs_s = m.serves[0] - np.array(_AHEAD_S), m.serves[1] + np.array(_BEHIND_S)
        candidates = np.repeat(m.parameters, len(backs_s), axis=0)
        if abs(m.return_start_s - backs_s[0]) > _ASTRAY_S:
            candidates[:, RETURN_START], candidates[:, RETURN_END] = backs_s, backs_s + self.shared.return_s
        elif abs(m.fall_end_s - falls_s[0]) > _ASTRAY_S:
            candidates[:, FALL_START], candidates[:, FALL_END] = falls_s - self.shared.fall_s, falls_s
        else:
            return candidates[:0]
        return np.concatenate([candidates + by_db * np.eye(5)[DEPTH] for by_db in _DEEPER_DB])

    def like_others(self, parameters: Floats) -> Floats:
        """Parameters ``(1, 5)`` with each of the shared values."""
        s = self.shared
        return np.concatenate(
            [
                with_column(parameters, DEPTH, np.array([s.depth_db])),
                with_column(parameters, FALL_START, parameters[:, FALL_END] - s.fall_s),
                with_column(parameters, RETURN_END, parameters[:, RETURN_START] + s.return_s),
            ]
        )

    def _improve_shared(self, name: str) -> float:
        """Move a shared value with all moves that have it."""
        gained = 0.0
        for _ in range(12):
            alike = self._alike(name)
            values = getattr(self.shared, name) + np.array(_SHARED_STEPS[name])
            values = values[values >= _LEAST[name]]
            likelihoods = self._worths_shared(alike, name, values)
            best = int(np.argmax(likelihoods))
            if likelihoods[best] <= _WORTH_IT:
                break
            self._share(alike, name, float(values[best]))
            gained += float(likelihoods[best])
        return gained

    def _share(self, alike: list[int], name: str, value: float) -> None:
        """Give a shared value to all moves that have it."""
        for k in alike:
            move = self.moves[k]
            assert move is not None
            self.put(k, move, _with(move, name, value))
        self.shared = replace(self.shared, **{name: value})

    def _alike(self, name: str) -> list[int]:
        """The moves that have a shared value, or nearly."""
        return [
            k
            for k, m in enumerate(self.moves)
            if m is not None and abs(getattr(m, name) - getattr(self.shared, name)) < _TOGETHER[name]
        ]

    def _worths_shared(self, alike: list[int], name: str, values: Floats) -> Floats:
        """Lets go of pairs of like places that both lie below moves, all at once.

        They tell nothing of how deep the moves are, but would hold one of them to the other.
        """
        moves = [m for k in alike if (m := self.moves[k]) is not None]
        known = self.elsewhere.sharing(name, np.append(values, getattr(self.shared, name)), self.shared.own_share)
        log_ratio: Floats = known[:-1] - known[-1]
        return (
            log_ratio
            + self.curve.likelihood_gains(
                moves, np.array([table([_with(m, name, float(v)) for m in moves]) for v in values])
            )
            if moves
            else log_ratio
        )


def _fits(candidates: Floats, room: tuple[float, float]) -> NDArray[np.bool_]:
    """Whether parameters ``(…, 5)`` are those of moves, and inside their room."""
    inside: NDArray[np.bool_] = (
        (room[0] <= candidates[..., FALL_START]) & (candidates[..., RETURN_END] <= room[1]) & _possible(candidates)
    )
    return inside


def _possible(candidates: Floats) -> NDArray[np.bool_]:
    falls_s, holds_s, returns_s = np.moveaxis(np.diff(candidates[..., :DEPTH]), -1, 0)
    shortest, longest = np.minimum(falls_s, returns_s), np.maximum(falls_s, returns_s)
    possible: NDArray[np.bool_] = (
        (shortest >= _SHORTEST_RAMP_S)
        & (longest <= _LONGEST_RAMP_S)
        & (holds_s >= _SHORTEST_HOLD_S)
        & (candidates[..., DEPTH] > 1)
    )
    return possible


def shifted(parameters: Floats) -> Floats:
    """Parameters ``(1, 5)`` with a time or the depth changed by one of the usual steps, as far as it stays a move."""
    candidates: list[Floats] = [parameters + _STEPS]
    for first, last in _RAMPS.values():
        other = np.repeat(parameters, len(_OTHER_LENGTHS_S), axis=0)
        other[:, first] += (other[:, last] - other[:, first] - _OTHER_LENGTHS_S) * _KEPT_AT
        other[:, last] = other[:, first] + _OTHER_LENGTHS_S
        candidates.append(other)
    together = np.concatenate(candidates)
    return together[_possible(together)]


def _middle(values: Floats, logs: Floats) -> float:
    """The value with as much on either side, from values in order and the logarithm of how likely each is."""
    shares = np.exp(logs - logs.max())
    return float(np.interp(0.5, (np.cumsum(shares) - shares / 2) / shares.sum(), values))


def _with(m: Move, name: str, value: float) -> Move:
    """A move with a shared value; where it meets speech stays."""
    if name == "depth_db":
        return replace(m, depth_db=value)
    if name == "fall_s":
        return replace(m, fall_start_s=m.fall_end_s - value)
    return replace(m, return_end_s=m.return_start_s + value)
