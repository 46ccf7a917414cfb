"""First explanations of a programme: the shared values under which all units together are explained best."""

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from ...signal.spectrum import FRAMES_PER_S
from ...units import Floats
from .curve import PAIR_WEIGHT, Curve
from .edges import DEPTHS_DB, FALLS_S, RETURNS_S, Table, falls, returns
from .loops import BLOCK
from .moves import NOTHING_KNOWN, Elsewhere, Move, Shared, Unit, usual

LIKELY = 0.8
"""How likely a unit has a move of its own in a programme whose music is moved at all."""
OWN_SHARES = (0.2, 0.7)
"""How many moves have values of their own: few, where somebody works by rule (and what went wrong is among them), or
most."""
_PAUSE_SLOPE, _PAUSE_MIDDLE_S = 2.5, 1.4


@dataclass(frozen=True)
class Start:
    """A first explanation.

    What it is worth in nats against none, its shared values, its units and their moves (None: no move).
    """

    log_likelihood: float
    shared: Shared
    units: tuple[Unit, ...]
    moves: tuple[Move | None, ...]


class Edges:
    """What the falls and returns of units tell.

    Units of several groupings often share an edge, which is then looked at once.
    """

    def __init__(self, curve: Curve) -> None:
        """Edges in the sound under a curve."""
        self._curve = curve
        self._falls: dict[tuple[float, ...], Table] = {}
        self._returns: dict[tuple[float, ...], Table] = {}

    def of(self, unit: Unit) -> tuple[Table, Table]:
        """Falls and returns of a unit."""
        found, luck = self._curve.changes, self._curve.luck
        near = min(unit.out_s - unit.in_s, 4.0)
        fall, back = (unit.in_s, unit.earliest_s, near), (unit.out_s, unit.latest_s, near)
        if fall not in self._falls:
            self._falls[fall] = falls(found, unit, luck)
        if back not in self._returns:
            self._returns[back] = returns(found, unit, luck)
        return self._falls[fall], self._returns[back]


def start(curve: Curve, units: Sequence[Unit], edges: Edges, elsewhere: Elsewhere = NOTHING_KNOWN) -> Start:
    """The best first explanation with these units.

    What is known from elsewhere weighs as much as units here that tell it, and is worth nothing by itself.
    """
    found = [edges.of(u) for u in units]
    between = holds(curve, units)
    every = np.stack(
        [
            f.log_likelihood[:, None, :] + r.log_likelihood[None, :, :] + b[None, None, :]
            for (f, r), b in zip(found, between, strict=True)
        ]
    )
    best = max(_explained(every, elsewhere), key=lambda e: e.log_likelihood)
    f, r, d = best.place
    prices = (
        best.own["fall_s"][:, f][:, None, None]
        + best.own["return_s"][:, r][None, :, None]
        + best.own["depth_db"][:, d][None, None, :]
    )
    shared = Shared(float(DEPTHS_DB[d]), float(FALLS_S[f]), float(RETURNS_S[r]), best.own_share)
    moves: list[Move | None] = []
    for unit, tables, whole, log_likelihood in zip(units, found, every, best.units, strict=True):
        likely = log_likelihood + np.log(LIKELY) > np.log(1 - LIKELY)
        moves.append(_move(unit, tables, whole + prices) if likely else None)
    pauses = [b.in_s - a.out_s for a, b in pairwise(units)]
    return Start(best.log_likelihood - sum(map(unlikely_up, pauses)), shared, tuple(units), tuple(moves))


def unlikely_up(pause_s: float) -> float:
    """What it costs in nats that the music comes up in a pause.

    Nobody who works with care lets it up in a short one.
    """
    return math.log1p(math.exp(_PAUSE_SLOPE * (_PAUSE_MIDDLE_S - pause_s)))


def _move(unit: Unit, tables: tuple[Table, Table], log_likelihood: Floats) -> Move:
    i, j, m = np.unravel_index(int(np.argmax(log_likelihood)), log_likelihood.shape)
    fall, back = float(tables[0].at_s[i, m]), float(tables[1].at_s[j, m])
    move = Move(fall - FALLS_S[i], fall, back, back + RETURNS_S[j], float(DEPTHS_DB[m]), (unit.in_s, unit.out_s))
    if back >= fall + 0.05:
        return move
    middle = (fall + back) / 2
    return replace(
        move,
        fall_start_s=middle - 0.03 - move.fall_s,
        fall_end_s=middle - 0.03,
        return_start_s=middle + 0.03,
        return_end_s=middle + 0.03 + move.return_s,
    )


def holds(curve: Curve, units: Sequence[Unit]) -> Floats:
    """What pairs tell of every depth, ``(units, depths)``.

    The pairs between the speech of each unit and the music in the clear.
    """
    pairs, frames = curve.pairs, curve.frames
    down, clear = np.full(frames, -1, dtype=np.int64), np.ones(frames, dtype=np.bool_)
    for k, unit in enumerate(units):
        down[round((unit.in_s + 0.1) * FRAMES_PER_S) : round((unit.out_s - 0.1) * FRAMES_PER_S)] = k
        clear[max(0, round((unit.in_s - 1.2) * FRAMES_PER_S)) : round((unit.out_s + 1.5) * FRAMES_PER_S)] = False
    sums = np.concatenate([[0], np.cumsum(clear)])
    log_likelihood = np.zeros((len(units), len(DEPTHS_DB)))
    for one, other, sign in ((pairs.one, pairs.other, -1.0), (pairs.other, pairs.one, 1.0)):
        unit_of = down[one]
        inside = (
            (unit_of >= 0)
            & (down[np.minimum(one + BLOCK - 1, frames - 1)] == unit_of)
            & (sums[other + BLOCK] - sums[other] == BLOCK)
        )
        scale = pairs.scale_db[inside]
        still = np.log1p((pairs.offset_db[inside] / scale) ** 2 / 2)
        for d, depth in enumerate(DEPTHS_DB):
            moved = np.log1p(((pairs.offset_db[inside] - sign * depth) / scale) ** 2 / 2)
            np.add.at(log_likelihood[:, d], unit_of[inside], 1.5 * PAIR_WEIGHT * (still - moved))
    return log_likelihood


@dataclass(frozen=True)
class _Explained:
    log_likelihood: float
    own_share: float
    own: Mapping[str, Floats]
    place: tuple[int, int, int]
    units: Floats


def _explained(every: Floats, elsewhere: Elsewhere) -> Iterator[_Explained]:
    """``every`` ``(units, falls, returns, depths)``: the best shared values for each supposed share of own ones."""
    common = (
        usual("fall_s", FALLS_S)[:, None, None]
        + usual("return_s", RETURNS_S)[None, :, None]
        + usual("depth_db", DEPTHS_DB)[None, None, :]
    )
    grids = {"fall_s": FALLS_S, "return_s": RETURNS_S, "depth_db": DEPTHS_DB}
    for share in OWN_SHARES:
        own = {name: _own(name, grid, share) for name, grid in grids.items()}
        best = every
        for axis, name in enumerate(grids, 1):
            best = _mixed(best, own[name], axis)
        total = np.logaddexp(best + np.log(LIKELY), np.log(1 - LIKELY)).sum(axis=0) + common
        fall, back, depth = (elsewhere.sharing(name, grid, share) for name, grid in grids.items())
        known = fall[:, None, None] + back[None, :, None] + depth[None, None, :]
        f, r, d = (int(k) for k in np.unravel_index(int(np.argmax(total + known)), total.shape))
        yield _Explained(float(total[f, r, d]), share, own, (f, r, d), best[:, f, r, d])


def _own(name: str, grid: Floats, share: float) -> Floats:
    """Log probability of an own value (row) where another is shared (column)."""
    weights = np.exp(usual(name, grid))
    table = np.repeat((share * weights / weights.sum())[:, None], len(grid), axis=1)
    logs: Floats = np.log(table + np.eye(len(grid)) * (1 - share))
    return logs


def _mixed(values: Floats, own: Floats, axis: int) -> Floats:
    """Log of the sum over own values, for every shared one."""
    moved = np.moveaxis(values, axis, -1)
    # Against the largest of each, so that one product does for all sums; an own value never has no chance at all.
    most = moved.max(axis=-1, keepdims=True)
    mixed = np.log(np.exp(moved - most) @ np.exp(own)) + most
    result: Floats = np.moveaxis(mixed, -1, axis)
    return result
