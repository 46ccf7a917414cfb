"""What a search by passages cannot see: moves that are really one, music let up in a pause, and moves that no speech calls for."""

from collections.abc import Iterator, Sequence
from dataclasses import replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ...signal.spectrum import FRAMES_PER_S
from ...units import Floats
from .edges import told
from .moves import Move, Unit, mean_nats
from .search import Search, shifted

JOINED_NATS, HELD_LONG_NATS = 2.0, 6.0
"""From here on two moves are one, and where that holds the music down over a long pause, which is a fault."""
SHORT_PAUSE_S = 1.4
_TOUCHING_S = 0.1
_SIMPLER_NATS = 3.0
"""What one move with a rise in it saves against two moves, which have twice as many times of their own."""
PUMP_NATS = 2.0
"""From here on a duck pumps, all its pauses together; this and the next two are set on the tuned half of the evaluation."""
STRAY_NATS = 16.0
SHALLOW_NATS = 2.0
_SHALLOW_DB, _SHALLOW_ENDS_S, _SHALLOW_STARTS_S = (2.0, 3.0, 4.0, 5.0, 6.5), (-0.35, -0.2, -0.1, 0.0), (0.05, 0.2, 0.4, 0.7)
_PUMPS_DB, _PUMP_RAMPS_S, _PUMP_DELAYS_S = (3.0, 4.5, 6.0, 8.0, 11.0), (0.03, 0.08, 0.2), (0.0, 0.06, 0.15)
_REACHED_FALLS_S, _REACHED_RETURNS_S = np.arange(-0.6, 0.35, 0.1), np.arange(0.0, 1.3, 0.1)
_LEAST_PAUSE_S = 0.3
_LEAST_GAP_S, _GUARD_S, _SETTLED_S = 2.5, 0.6, 3.0
_STRAY_RAMPS_S = (0.1, 0.3, 0.6)
_SHORTEST_STRAY_S, _LONGEST_STRAY_S = 0.25, 6.0
_HELD_LONG_S = 2.0
_STRAY_DEPTHS_DB, _STRAY_SHARE = (14.0, 24.0), 1.5
"""A dip that nobody calls for is about as deep as the other ducks; music that rests for a moment falls further."""
_DIPS_TRIED, _HEARD_SHARE = 3, 0.9


def join(search: Search) -> list[tuple[Move, float]]:
    """Two moves become one where the music does not come up between them, or only in a short pause; returns those rises, with what each is worth."""
    rises: list[tuple[Move, float]] = []
    k = 0
    while k < len(search.moves):
        later = next((j for j in range(k + 1, len(search.moves)) if search.moves[j] is not None), None)
        one = search.moves[k]
        if later is None:
            return rises
        other = search.moves[later]
        if one is None or other is None or one.serves is None or other.serves is None:
            k = later
            continue
        depths = {one.depth_db, other.depth_db, (one.depth_db + other.depth_db) / 2}
        ways = [replace(one, return_start_s=other.return_start_s, return_end_s=other.return_end_s, depth_db=d) for d in depths]
        best = max(ways, key=lambda way: search.curve.worth([one, other], [way]))
        whole = replace(best, serves=(one.serves[0], other.serves[1]))
        # Where the second falls as soon as the first is back, one is simpler.
        touching = other.fall_start_s - one.return_end_s <= _TOUCHING_S
        simpler = search.prior(whole) - search.prior(one) - search.prior(other) if touching else 0.0
        worth = search.curve.worth([one, other], [best]) + simpler
        come, between, least = [best], None, _least_nats(one.serves[1], other.serves[0])
        if worth < least and other.serves[0] - one.serves[1] <= SHORT_PAUSE_S:
            let_up = _rises(one.serves[1], other.serves[0], best.depth_db)
            between = max(((search.curve.worth([one, other], [best, r]), r) for r in let_up), key=lambda way: way[0], default=None)
            come = [best] if between is None else [best, between[1]]
        if worth < least and (between is None or between[0] < -_SIMPLER_NATS):
            k = later
            continue
        search.curve.exchange([one, other], come)
        search.moves[k], search.moves[later] = whole, None
        if len(come) == 2:
            rises.append((come[1], -search.curve.worth([come[1]], [])))
    return rises


def _least_nats(from_s: float, to_s: float) -> float:
    return HELD_LONG_NATS if to_s - from_s > _HELD_LONG_S else JOINED_NATS


def reach(search: Search) -> None:
    """A move reaches over the pause to the speech beside its own, where none was found and the music does not come up between them."""
    for k in range(len(search.moves)):
        for beside in (k - 1, k + 1):
            if not 0 <= beside < len(search.moves) or search.moves[beside] is not None:
                continue
            move, unit = search.moves[k], search.units[beside]
            if move is None or move.serves is None:
                break
            before, after = search.room(min(k, beside)), search.room(max(k, beside))
            ways = [m for m in _reaching(search, move, unit) if before[0] <= m.fall_start_s and m.return_end_s <= after[1]]
            base = search.prior(move)
            best = max(((search.curve.worth([move], [m]) + search.prior(m) - base, m) for m in ways), key=lambda way: way[0], default=None)
            between = (unit.out_s, move.serves[0]) if beside < k else (move.serves[1], unit.in_s)
            if best is not None and best[0] >= _least_nats(*between):
                search.curve.exchange([move], [best[1]])
                search.moves[k] = best[1]
                search.refine(k)


def _reaching(search: Search, move: Move, unit: Unit) -> Iterator[Move]:
    """A move that begins with speech before its own, or ends with speech after it, with ramps as the others have."""
    assert move.serves is not None
    if unit.in_s < move.serves[0]:
        for end in unit.in_s + _REACHED_FALLS_S:
            yield replace(move, fall_start_s=float(end) - search.shared.fall_s, fall_end_s=float(end), serves=(unit.in_s, move.serves[1]))
    else:
        for begin in unit.out_s + _REACHED_RETURNS_S:
            yield replace(move, return_start_s=float(begin), return_end_s=float(begin) + search.shared.return_s, serves=(move.serves[0], unit.out_s))


def pumps(search: Search, speech: Sequence[tuple[float, float]]) -> list[tuple[Move, float]]:
    """Rises of the music in short pauses of speech under one move, with what each is worth; as moves of negative depth."""
    found = []
    for move in (m for m in search.moves if m is not None):
        inside = [s for s in speech if s[1] > move.fall_end_s and s[0] < move.return_start_s]
        pauses = [(a[1], b[0]) for a, b in pairwise(inside) if _LEAST_PAUSE_S <= b[0] - a[1] <= SHORT_PAUSE_S]
        risen = [best for pause in pauses if (best := _rise(search, *pause, move.depth_db)) is not None and best[1] > 0]
        together = sum(nats for _, nats in risen)
        if together >= PUMP_NATS:
            for rise, _ in risen:
                search.curve.exchange([], [rise])
                found.append((rise, together))
    return found


def _rise(search: Search, from_s: float, to_s: float, depth_db: float) -> tuple[Move, float] | None:
    """The best rise in a pause, and what all rises there are worth together."""
    ways = list(_rises(from_s, to_s, depth_db))
    if not ways:
        return None
    worths = [search.curve.worth([], [r]) for r in ways]
    return ways[int(np.argmax(worths))], mean_nats(worths)


def _rises(from_s: float, to_s: float, depth_db: float) -> Iterator[Move]:
    for ramp in _PUMP_RAMPS_S:
        for up in _PUMP_DELAYS_S:
            for down in (-0.1, *_PUMP_DELAYS_S):
                times = from_s + up, from_s + up + ramp, to_s - down - ramp, to_s - down
                if times[2] - times[1] >= 0.05:
                    yield from (Move(*times, -rise) for rise in (*_PUMPS_DB, depth_db) if rise <= depth_db + 0.5)


def shallow(search: Search) -> None:
    """Speech under which the music seems to stay up gets a move that goes down a little, where all such moves together tell enough."""
    for k, unit in enumerate(search.units):
        if search.moves[k] is not None:
            continue
        before = max((m.return_end_s for m in search.moves[:k] if m is not None), default=0.0)
        after = min((m.fall_start_s for m in search.moves[k + 1 :] if m is not None), default=search.curve.duration_s)
        ways = [m for m in _shallow_moves(search, unit) if before <= m.fall_start_s and m.return_end_s <= after]
        if not ways:
            continue
        worths = [search.curve.worth([], [m]) - search.curve.by_chance(m) for m in ways]
        if mean_nats(worths) >= SHALLOW_NATS:
            search.moves[k] = best = ways[int(np.argmax(worths))]
            search.curve.exchange([], [best])
            search.refine(k)


def _shallow_moves(search: Search, unit: Unit) -> Iterator[Move]:
    shared = search.shared
    for end in unit.in_s + np.array(_SHALLOW_ENDS_S):
        for begin in unit.out_s + np.array(_SHALLOW_STARTS_S):
            times = float(end) - shared.fall_s, float(end), float(begin), float(begin) + shared.return_s
            if times[2] - times[1] > _SHORTEST_STRAY_S:
                yield from (Move(*times, depth, (unit.in_s, unit.out_s)) for depth in _SHALLOW_DB if depth < shared.depth_db)


def parted(search: Search) -> list[tuple[Move, float]]:
    """Moves held long after speech that are really two, one that returns in time and a dip of its own; returns those dips."""
    dips = []
    for k, move in enumerate(search.moves):
        if move is None or move.serves is None or move.return_start_s - move.serves[1] < _HELD_LONG_S:
            continue
        best = max(((search.curve.worth([move], way), way) for way in _in_two(move, search.shared.return_s)), key=lambda way: way[0], default=None)
        if best is None or best[0] < STRAY_NATS:
            continue
        search.curve.exchange([move], best[1])
        search.moves[k] = best[1][0]
        dips.append((best[1][1], best[0]))
    return dips


def _in_two(move: Move, return_s: float) -> Iterator[list[Move]]:
    assert move.serves is not None
    for behind in (0.1, 0.3, 0.6):
        back = move.serves[1] + behind
        for length in (return_s, 0.5):
            for end in np.arange(back + length + 0.4, move.return_start_s - 0.2, 0.1):
                for fall in (0.1, 0.3):
                    dip = replace(move, fall_start_s=float(end) - fall, fall_end_s=float(end), serves=None)
                    yield [replace(move, return_start_s=back, return_end_s=back + length), dip]


def strays(search: Search, speech: Sequence[tuple[float, float]], duration_s: float) -> list[tuple[Move, float]]:
    """Moves in gaps of speech that belong to no passage, with what each is worth."""
    taken = [(m.fall_start_s, m.return_end_s) for m in search.moves if m is not None]
    busy = sorted([*((a - _GUARD_S, b + _GUARD_S) for a, b in speech), *taken])
    # In the first seconds there is no past to tell a dip from.
    edges = [(0.0, _SETTLED_S), *busy, (duration_s - 0.5, duration_s)]
    found, reached = [], 0.0
    for a, b in edges:
        if a - reached >= _LEAST_GAP_S:
            best = _stray(search, reached, a)
            if best is not None:
                search.curve.exchange([], [best[0]])
                if not _held(search, best[0]):
                    found.append(best)
        reached = max(reached, b)
    return found


def _held(search: Search, dip: Move) -> bool:
    """Whether a dip is the end of the move before it, which did not come up in between: a dip of its own is so much rarer."""
    k = next((j for j, m in reversed(list(enumerate(search.moves))) if m is not None and m.return_end_s <= dip.fall_start_s + 0.1), None)
    before = None if k is None else search.moves[k]
    if k is None or before is None or dip.fall_start_s - before.return_end_s > _HELD_LONG_S:
        return False
    whole = replace(before, return_start_s=dip.return_start_s, return_end_s=dip.return_end_s)
    if search.curve.worth([before, dip], [whole]) < -STRAY_NATS:
        return False
    search.curve.exchange([before, dip], [whole])
    search.moves[k] = whole
    return True


def _stray(search: Search, from_s: float, to_s: float) -> tuple[Move, float] | None:
    """The best move inside a gap, made finer by small steps; None where it is worth too little."""
    curve, depths = search.curve, np.array(sorted({6.0, 9.0, 13.0, max(4.0, search.shared.depth_db)}))
    frames = np.arange(round((from_s + 0.1) * FRAMES_PER_S), round((to_s - 0.1) * FRAMES_PER_S), 2)
    if len(frames) < 10:
        return None
    ways = [m for length in _STRAY_RAMPS_S for m in _dips(search, frames, length, depths) if _inside(m, from_s, to_s)]
    best = max(((curve.worth([], [m]), m) for m in ways), key=lambda way: way[0], default=None)
    if best is None or best[0] < STRAY_NATS / 2:
        return None
    worth, move = best
    for _ in range(20):
        near = [m for m in shifted(move) if _inside(m, from_s, to_s)]
        better = max(((curve.worth([], [m]), m) for m in near), key=lambda way: way[0], default=(0.0, move))
        if better[0] <= worth + 0.05:
            break
        worth, move = better
    # An edge that lies in silence costs nothing and says nothing.
    edges = ((move.fall_start_s, move.fall_end_s), (move.return_start_s, move.return_end_s))
    surely = worth - curve.by_chance(move) if all(heard(search, *edge) for edge in edges) else 0.0
    return (move, surely) if surely >= STRAY_NATS and move.depth_db <= _deepest_stray_db(search) else None


def _deepest_stray_db(search: Search) -> float:
    least, most = _STRAY_DEPTHS_DB
    usual_db = search.shared.depth_db if any(m is not None for m in search.moves) else 0.0
    return min(most, max(least, _STRAY_SHARE * usual_db))


def _dips(search: Search, frames: NDArray[np.int64], length_s: float, depths_db: Floats) -> Iterator[Move]:
    """For every depth the falls that tell most together with the best return that follows soon enough; from frames that are 40 ms apart."""
    curve = search.curve
    falls = told(curve.changes, length_s, frames, depths_db, 1.0, curve.luck.weights)
    backs = told(curve.changes, length_s, frames, depths_db, -1.0, curve.luck.weights)
    nearest, farthest = max(2, round(length_s * FRAMES_PER_S / 2) + 2), round(_LONGEST_STRAY_S * FRAMES_PER_S / 2)
    for d, depth in enumerate(depths_db):
        reach = [backs[j + nearest : j + farthest, d] for j in range(len(frames))]
        both = np.array([f + (r.max() if len(r) else -np.inf) for f, r in zip(falls[:, d], reach, strict=True)])
        for j in np.argsort(both)[: -_DIPS_TRIED - 1 : -1]:
            if len(reach[j]):
                fall, end = float(frames[j]) / FRAMES_PER_S, float(frames[j + nearest + int(np.argmax(reach[j]))]) / FRAMES_PER_S
                yield Move(fall - length_s, fall, end - length_s, end, float(depth))


def _inside(move: Move, from_s: float, to_s: float) -> bool:
    return from_s <= move.fall_start_s and move.return_end_s <= to_s and move.return_start_s - move.fall_end_s > _SHORTEST_STRAY_S


def heard(search: Search, from_s: float, to_s: float) -> bool:
    """Whether the music can be told from before an edge to after it."""
    use = search.curve.changes.use[max(0, round((from_s - _GUARD_S / 2) * FRAMES_PER_S)) : round((to_s + _GUARD_S) * FRAMES_PER_S)]
    return bool(use.mean() >= _HEARD_SHARE) if len(use) else False
