"""From a first explanation to the best one: one thing of one move is changed at a time, then what all moves share, for as long as it pays."""

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from ...units import Floats
from .curve import Curve
from .moves import Move, Shared, Unit, meeting, prior, usual
from .starts import Start

_WORTH_IT = 0.05
_IMPOSSIBLE = 50.0
_LONGEST_RAMP_S = 3.5
_SHORTEST_RAMP_S = 0.015
_SHORTEST_HOLD_S = 0.05
_LENGTHS_S = (0.02, 0.06, 0.2, 0.7)
_STEP_SHARES = tuple(k / 10 for k in range(11))
_BEHIND_S = (0.1, 0.3, 0.6, 1.0)
_TIME_STEPS_S, _FAR_S = (0.02, 0.06, 0.2, 0.6, 1.2, 2.2), 1.0
_DEPTH_STEPS_DB = (-3, -1, -0.3, -0.1, 0.1, 0.3, 1, 3)
_SHARED_STEPS = {
    "depth_db": (-1.0, -0.3, -0.1, -0.03, 0.03, 0.1, 0.3, 1.0),
    "fall_s": (-0.1, -0.04, -0.02, 0.02, 0.04, 0.1),
    "return_s": (-0.1, -0.04, -0.02, 0.02, 0.04, 0.1),
}
_LEAST = {"depth_db": 0.5, "fall_s": 0.02, "return_s": 0.02}
_RAMPS = {"fall_s": ("fall_start_s", "fall_end_s"), "return_s": ("return_start_s", "return_end_s")}
_CORNERS = ("fall_start_s", "fall_end_s", "return_start_s", "return_end_s")
_SETTLE_STEPS_S = np.arange(-20, 21) * 0.03
_AGREE_FACTORS = np.exp(np.arange(-7, 8) * 0.09)
_AGREE_STEPS_S = np.arange(-6, 7) * 0.04
_AGREE_STEPS_DB = np.arange(-15, 16) * 0.1
_AGREE_LEAST, _AGREE_SHARE = 3, 0.5
_SETTLE_NATS = 1.5
"""Scales see the same sound, so that what they tell together counts less."""
_TOGETHER = {"depth_db": 0.3, "fall_s": 0.03, "return_s": 0.05}


class Search:
    """The moves found so far, one for each unit or None, and their improvement."""

    def __init__(self, curve: Curve, begin: Start) -> None:
        """Takes the moves of a first explanation for true."""
        self.curve = curve
        self.units: list[Unit] = list(begin.units)
        self.shared: Shared = begin.shared
        self.moves: list[Move | None] = list(begin.moves)
        for move in self.moves:
            if move is not None:
                curve.exchange([], [move])
        for k in range(len(self.moves)):
            self._come_apart(k)

    def _come_apart(self, k: int) -> None:
        """A first explanation looks at each edge by itself, so that a move may return in the fall of the next one; then it returns with its speech."""
        move, latest_s = self.moves[k], self.room(k)[1]
        if move is None or move.serves is None or move.return_end_s <= latest_s:
            return
        ways = [replace(move, return_start_s=move.serves[1] + d, return_end_s=move.serves[1] + d + self.shared.return_s) for d in _BEHIND_S]
        best = max((w for w in ways if _fits(w, self.room(k))), key=lambda w: self.curve.worth([move], [w]) + self.prior(w), default=None)
        if best is not None:
            self.curve.exchange([move], [best])
            self.moves[k] = best

    def improve(self, rounds: int = 4) -> None:
        """Change one thing of one move at a time for as long as it pays; then the shared values; and again."""
        for _ in range(rounds):
            gained = sum(self.refine(k) for k in range(len(self.moves)))
            gained += sum(self._improve_shared(name) for name in _SHARED_STEPS)
            if gained < 10 * _WORTH_IT:
                return

    def prior(self, move: Move) -> float:
        """What a move costs by itself: times away from speech, values of its own, and what its edges have by chance."""
        return prior(move, self.shared) - self.curve.by_chance(move)

    def refine(self, k: int) -> float:
        """Change one thing of one move at a time for as long as it pays; returns the nats that it gained."""
        gained = 0.0
        for _ in range(30):
            now = self.moves[k]
            if now is None:
                return gained
            base = self.prior(now)
            ways = ((self.curve.worth([now], [new]) + self.prior(new) - base, new) for new in self._ways(k, now))
            best, new = max(ways, key=lambda way: way[0], default=(0.0, now))
            if best <= _WORTH_IT:
                return gained
            self.curve.exchange([now], [new])
            self.moves[k] = new
            gained += best
        return gained

    def agree(self) -> None:
        """Put what most moves share in the middle of where it may lie: the lengths of ramps, and the depth."""
        for name in _RAMPS:
            self._agree_on_length(name)
        alike = self._alike("depth_db")
        if len(alike) > 1:
            depths = [float(d) for d in self.shared.depth_db + _AGREE_STEPS_DB if d >= _LEAST["depth_db"]]
            self._share(alike, "depth_db", _middle([(d, self._worth_shared(alike, "depth_db", d) / _SETTLE_NATS) for d in depths]))

    def _agree_on_length(self, name: str) -> None:
        """Ramps that share a length, wherever each of them is with another one."""
        now = getattr(self.shared, name)
        alike = self._alike(name)
        if len(alike) < max(_AGREE_LEAST, _AGREE_SHARE * sum(m is not None for m in self.moves)):
            return
        lengths = now * _AGREE_FACTORS
        told = usual(name, lengths) + sum(self._any_place(k, name, lengths) for k in alike)
        common = _middle(list(zip(lengths.tolist(), (told / _SETTLE_NATS).tolist(), strict=True)))
        self.shared = replace(self.shared, **{name: common})
        for k in alike:
            move, places = self.moves[k], self._places(k, name, common)
            assert move is not None
            if places:
                _, new = max(places, key=lambda place: place[0])
                self.curve.exchange([move], [new])
                self.moves[k] = new

    def _any_place(self, k: int, name: str, lengths: Floats) -> Floats:
        """What a ramp of some lengths tells, all places near its own together."""
        told = [[worth for worth, _ in self._places(k, name, float(length))] for length in lengths]
        return np.array([np.logaddexp.reduce(t) if t else -_IMPOSSIBLE for t in told])

    def _places(self, k: int, name: str, length_s: float) -> list[tuple[float, Move]]:
        """A move with a ramp of another length around the middle of its own, a little earlier and later: what each tells, where it can be."""
        now, room = self.moves[k], self.room(k)
        assert now is not None
        ways = [way for way in (_around(now, name, length_s, float(step)) for step in _AGREE_STEPS_S) if _fits(way, room)]
        return [(self.curve.worth([now], [way]) + meeting(way) - meeting(now), way) for way in ways]

    def settle(self, k: int) -> None:
        """Put each time of a move in the middle of where it may lie: half of what is told lies before it."""
        for corner in _CORNERS:
            now = self.moves[k]
            if now is None:
                return
            base, room = self.prior(now), self.room(k)
            ways = [(float(step), replace(now, **{corner: getattr(now, corner) + float(step)})) for step in _SETTLE_STEPS_S]
            told = [(step, (self.curve.worth([now], [new]) + self.prior(new) - base) / _SETTLE_NATS) for step, new in ways if _fits(new, room)]
            new = replace(now, **{corner: getattr(now, corner) + _middle(told)}) if told else now
            if _fits(new, room):
                self.curve.exchange([now], [new])
                self.moves[k] = new

    def room(self, k: int) -> tuple[float, float]:
        """From when to when a move keeps clear of its neighbours."""
        before = max((o.return_end_s for o in self.moves[:k] if o is not None), default=float("-inf"))
        return before, min((o.fall_start_s for o in self.moves[k + 1 :] if o is not None), default=float("inf"))

    def _ways(self, k: int, m: Move) -> Iterator[Move]:
        """Everything that may be changed about a move."""
        room = self.room(k)
        yield from (new for new in (*shifted(m), *self.like_others(m)) if _fits(new, room))

    def like_others(self, m: Move) -> tuple[Move, ...]:
        """A move with each of the shared values."""
        s = self.shared
        return (replace(m, depth_db=s.depth_db), replace(m, fall_start_s=m.fall_end_s - s.fall_s), replace(m, return_end_s=m.return_start_s + s.return_s))

    def _improve_shared(self, name: str) -> float:
        """Move a shared value with all moves that have it."""
        gained = 0.0
        for _ in range(12):
            now = getattr(self.shared, name)
            alike = self._alike(name)
            ways = [(self._worth_shared(alike, name, now + step), now + step) for step in _SHARED_STEPS[name] if now + step >= _LEAST[name]]
            best, value = max(ways, default=(0.0, now))
            if best <= _WORTH_IT:
                break
            self._share(alike, name, value)
            gained += best
        return gained

    def _share(self, alike: list[int], name: str, value: float) -> None:
        """Give a shared value to all moves that have it."""
        for k in alike:
            move = self.moves[k]
            assert move is not None
            self.moves[k] = _with(move, name, value)
            self.curve.exchange([move], [_with(move, name, value)])
        self.shared = replace(self.shared, **{name: value})

    def _alike(self, name: str) -> list[int]:
        """The moves that have a shared value, or nearly."""
        return [k for k, m in enumerate(self.moves) if m is not None and abs(getattr(m, name) - getattr(self.shared, name)) < _TOGETHER[name]]

    def _worth_shared(self, alike: list[int], name: str, value: float) -> float:
        """All at once: pairs of like places that both lie below moves tell nothing of how deep these are, but would hold one of them to the other."""
        moves = [m for k in alike if (m := self.moves[k]) is not None]
        return self.curve.worth(moves, [_with(m, name, value) for m in moves]) if moves else 0.0


def _around(m: Move, name: str, length_s: float, step_s: float) -> Move:
    """A move with one of its ramps of another length, its middle moved by a step."""
    first, last = _RAMPS[name]
    middle = (getattr(m, first) + getattr(m, last)) / 2 + step_s
    return replace(m, **{first: middle - length_s / 2, last: middle + length_s / 2})


def _fits(m: Move, room: tuple[float, float]) -> bool:
    """Whether it is a move, and inside its room."""
    return room[0] <= m.fall_start_s and m.return_end_s <= room[1] and _possible(m)


def _possible(m: Move) -> bool:
    ramps = m.fall_s, m.return_s
    return min(ramps) >= _SHORTEST_RAMP_S and max(ramps) <= _LONGEST_RAMP_S and m.return_start_s - m.fall_end_s >= _SHORTEST_HOLD_S and m.depth_db > 1


def shifted(m: Move) -> Iterator[Move]:
    """A move with a time or its depth changed by one of the usual steps, as far as it stays a move."""
    deeper = (replace(m, depth_db=m.depth_db + d) for d in _DEPTH_STEPS_DB)
    yield from (new for new in (*_moved(m), *deeper, *_of_other_lengths(m)) if _possible(new))


def _of_other_lengths(m: Move) -> Iterator[Move]:
    """Ramps of quite another length, kept at their beginning, their middle or their end; a step at every place inside them."""
    for length in _LENGTHS_S:
        for share in _STEP_SHARES if length == _LENGTHS_S[0] else (0.0, 0.5, 1.0):
            start = m.fall_start_s + (m.fall_s - length) * share
            back = m.return_start_s + (m.return_s - length) * share
            yield replace(m, fall_start_s=start, fall_end_s=start + length)
            yield replace(m, return_start_s=back, return_end_s=back + length)


def _moved(m: Move) -> Iterator[Move]:
    for step in _TIME_STEPS_S:
        for d in (-step, step):
            yield replace(m, fall_start_s=m.fall_start_s + d, fall_end_s=m.fall_end_s + d)
            yield replace(m, return_start_s=m.return_start_s + d, return_end_s=m.return_end_s + d)
            if step > _FAR_S:
                continue
            for corner in _CORNERS:
                yield replace(m, **{corner: getattr(m, corner) + d})


def _middle(told: list[tuple[float, float]]) -> float:
    """The value with as much on either side, from values in order and the logarithm of how likely each is."""
    values, logs = np.array(told).T
    shares = np.exp(logs - logs.max())
    return float(np.interp(0.5, (np.cumsum(shares) - shares / 2) / shares.sum(), values))


def _with(m: Move, name: str, value: float) -> Move:
    """A move with a shared value; where it meets speech stays."""
    if name == "depth_db":
        return replace(m, depth_db=value)
    if name == "fall_s":
        return replace(m, fall_start_s=m.fall_end_s - value)
    return replace(m, return_end_s=m.return_start_s + value)
