"""Speech that shares a move: moves that are really one or two, and speech that a neighbour's move reaches."""

from collections.abc import Iterator, Sequence
from dataclasses import replace
from itertools import pairwise

import numpy as np

from . import thresholds
from .extras import SHORT_PAUSE_S, rises_in
from .moves import Move, Unit
from .search import Search
from .starts import unlikely_up

HELD_LONG_S = 2.0
"""What stays down so long after speech, or over a pause so long, is held too long."""
_TOUCHING_S = 0.1
_REACHED_FALLS_S = np.concatenate([np.arange(-4.0, -0.6, 0.25), np.arange(-0.6, 0.35, 0.1)])
_REACHED_RETURNS_S = np.concatenate([np.arange(0.0, 1.3, 0.1), np.arange(1.4, 4.6, 0.25)])
"""In time, and as early or late as a fault may be."""
_LEAST_SPLIT_S, _LEAST_HOLD_S = 0.9, 0.1
_SPLIT_BEHIND_S, _SPLIT_AHEAD_S, _SPLIT_SHARES = (
    (0.05, 0.2, 0.35, 0.5),
    (0.05, 0.15, 0.3, -0.25, -0.5, -0.8),
    (0.3, 0.5, 0.65),
)
"""Where the second falls too late the music may be up for a moment only before it does."""
_SPLIT_DEPTHS_DB = np.arange(4.0, 27.0, 2.0)


def join(search: Search) -> list[tuple[Move, float]]:
    """Two moves become one where the music does not come up between them, or only in a short pause.

    Returns those rises, with what each is worth.
    """
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
        candidates = [
            replace(one, return_start_s=other.return_start_s, return_end_s=other.return_end_s, depth_db=d)
            for d in depths
        ]
        best = max(candidates, key=lambda parameters: search.curve.likelihood_gain([one, other], [parameters]))
        whole = replace(best, serves=(one.serves[0], other.serves[1]))
        # Where the second falls as soon as the first is back, one is simpler.
        touching = other.fall_start_s - one.return_end_s <= _TOUCHING_S
        simpler = search.prior(whole) - search.prior(one) - search.prior(other) if touching else 0.0
        log_likelihood = search.curve.likelihood_gain([one, other], [best]) + simpler
        come, between, least = [best], None, _least_nats(one.serves[1], other.serves[0])
        if log_likelihood < least and other.serves[0] - one.serves[1] <= SHORT_PAUSE_S:
            let_up = rises_in(one.serves[1], other.serves[0], best.depth_db)
            between = max(
                ((search.curve.likelihood_gain([one, other], [best, r]), r) for r in let_up),
                key=lambda parameters: parameters[0],
                default=None,
            )
            come = [best] if between is None else [best, between[1]]
        if log_likelihood < least and (between is None or between[0] < -thresholds.SIMPLER):
            k = later
            continue
        search.curve.exchange([one, other], come)
        search.moves[k], search.moves[later] = whole, None
        if len(come) == 2:
            rises.append((come[1], -search.curve.likelihood_gain([come[1]], [])))
    return rises


def _least_nats(from_s: float, to_s: float) -> float:
    return thresholds.HELD_LONG if to_s - from_s > HELD_LONG_S else thresholds.JOINED


def split(search: Search, speech: Sequence[tuple[float, float]]) -> None:
    """Split a move that serves speech on both sides of a pause.

    It becomes two where the music tells that it comes up between them.
    """
    k = 0
    while k < len(search.moves):
        move, unit = search.moves[k], search.units[k]
        inside = [s for s in speech if s[1] > unit.in_s and s[0] < unit.out_s]
        pauses = [(a[1], b[0]) for a, b in pairwise(inside) if b[0] - a[1] >= _LEAST_SPLIT_S]
        tried = (
            []
            if move is None
            else [(parameters, pause) for pause in pauses if (parameters := _split_at(search, move, pause)) is not None]
        )
        (nats, two), pause = max(tried, key=lambda t: t[0][0], default=((0.0, []), (0.0, 0.0)))
        if move is None or not two or nats < thresholds.SPLIT:
            k += 1
            continue
        search.curve.exchange([move], two)
        search.moves[k : k + 1] = two
        search.units[k : k + 1] = [
            replace(unit, out_s=pause[0], latest_s=pause[1]),
            replace(unit, in_s=pause[1], earliest_s=pause[0]),
        ]
        search.refine(k)
        search.refine(k + 1)


def part(search: Search) -> None:
    """The same for a move that was taken to serve the speech beside its own, too, where that has none by itself."""
    for k in range(len(search.moves)):
        for beside in (k - 1, k + 1):
            move = search.moves[k]
            if (
                move is None
                or move.serves is None
                or not 0 <= beside < len(search.moves)
                or search.moves[beside] is not None
            ):
                continue
            first, last = sorted((k, beside))
            pause = search.units[first].out_s, search.units[last].in_s
            if pause[1] - pause[0] < _LEAST_SPLIT_S or not move.serves[0] < pause[0] < pause[1] < move.serves[1]:
                continue
            nats, two = _split_at(search, move, pause) or (0.0, [])
            if two and nats >= thresholds.SPLIT:
                search.curve.exchange([move], two)
                search.moves[first], search.moves[last] = two
                search.refine(first)
                search.refine(last)


def _split_at(search: Search, move: Move, pause: tuple[float, float]) -> tuple[float, list[Move]] | None:
    """The likeliest two moves with a pause between them, and by how much they are likelier than the one."""
    assert move.serves is not None
    base = search.prior(move) + unlikely_up(pause[1] - pause[0])

    def nats(two: list[Move]) -> float:
        return search.curve.likelihood_gain([move], two) + sum(map(search.prior, two)) - base

    best = max(
        ((nats(two), two) for two in _with_a_pause(search, move, pause)),
        key=lambda parameters: parameters[0],
        default=None,
    )
    if best is None:
        return None
    for half in (0, 1):
        candidates = (
            [replace(m, depth_db=float(depth)) if j == half else m for j, m in enumerate(best[1])]
            for depth in _SPLIT_DEPTHS_DB
        )
        best = max([best, *((nats(two), two) for two in candidates)], key=lambda parameters: parameters[0])
    return best


def _with_a_pause(search: Search, move: Move, pause: tuple[float, float]) -> Iterator[list[Move]]:
    """A move cut in two that leave the music up in a pause.

    Their ramps are those that the others have, or as long as there is room for.
    """
    assert move.serves is not None
    for behind in _SPLIT_BEHIND_S:
        for ahead in _SPLIT_AHEAD_S:
            back, end = pause[0] + behind, pause[1] - ahead
            for share in _SPLIT_SHARES:
                room = (end - back) * share
                one = replace(
                    move,
                    return_start_s=back,
                    return_end_s=back + min(search.shared.return_s, room),
                    serves=(move.serves[0], pause[0]),
                )
                two = replace(
                    move,
                    fall_start_s=end - min(search.shared.fall_s, (end - back) * (0.95 - share)),
                    fall_end_s=end,
                    serves=(pause[1], move.serves[1]),
                )
                if room > 0.1 and back - one.fall_end_s > _LEAST_HOLD_S and two.return_start_s - end > _LEAST_HOLD_S:
                    yield [one, two]


def reach(search: Search) -> None:
    """Let a move reach over the pause to the speech beside its own.

    No move was found there, and the music does not come up between them.
    """
    for k in range(len(search.moves)):
        for beside in (k - 1, k + 1):
            if not 0 <= beside < len(search.moves) or search.moves[beside] is not None:
                continue
            move, unit = search.moves[k], search.units[beside]
            if move is None or move.serves is None:
                break
            there = _there_already(move, unit)
            if there is not None and search.prior(there) > search.prior(move):
                search.put(k, move, there)
                search.refine(k)
                continue
            before, after = search.room(min(k, beside)), search.room(max(k, beside))
            candidates = [
                m for m in _reaching(search, move, unit) if before[0] <= m.fall_start_s and m.return_end_s <= after[1]
            ]
            base = search.prior(move)
            best = max(
                ((search.curve.likelihood_gain([move], [m]) + search.prior(m) - base, m) for m in candidates),
                key=lambda parameters: parameters[0],
                default=None,
            )
            between = (unit.out_s, move.serves[0]) if beside < k else (move.serves[1], unit.in_s)
            if best is not None and best[0] >= _least_nats(*between):
                search.put(k, move, best[1])
                search.refine(k)


def _there_already(move: Move, unit: Unit) -> Move | None:
    """Say of a move that came to lie over other speech, too, that it serves that as well.

    Its edges are then asked where they meet what they are for.
    """
    if move.serves is None or not (move.fall_end_s < unit.out_s and unit.in_s < move.return_start_s):
        return None
    return replace(move, serves=(min(unit.in_s, move.serves[0]), max(unit.out_s, move.serves[1])))


def _reaching(search: Search, move: Move, unit: Unit) -> Iterator[Move]:
    """A move that begins with speech before its own, or ends with speech after it, with ramps as the others have."""
    assert move.serves is not None
    if unit.in_s < move.serves[0]:
        for end in unit.in_s + _REACHED_FALLS_S:
            yield replace(
                move,
                fall_start_s=float(end) - search.shared.fall_s,
                fall_end_s=float(end),
                serves=(unit.in_s, move.serves[1]),
            )
    else:
        for begin in unit.out_s + _REACHED_RETURNS_S:
            yield replace(
                move,
                return_start_s=float(begin),
                return_end_s=float(begin) + search.shared.return_s,
                serves=(move.serves[0], unit.out_s),
            )
