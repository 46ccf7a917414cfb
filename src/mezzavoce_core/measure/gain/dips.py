"""Moves that no speech calls for: such as lie in gaps, and such as were taken for a part of the move beside them."""

from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ...signal.spectrum import FRAMES_PER_S
from ...units import Floats
from . import thresholds
from .edges import log_likelihood_ratios
from .joins import HELD_LONG_S
from .moves import FALL_END, FALL_START, RETURN_END, RETURN_START, Move, sharing, table
from .search import Search, shifted

_LEAST_GAP_S, _GUARD_S, _SETTLED_S = 2.5, 0.6, 3.0
_STRAY_RAMPS_S = (0.1, 0.3, 0.6)
_AT_ONCE_S, _LIKE_OTHERS = (0.1, 0.3), 0.9
_SHORTEST_STRAY_S, _LONGEST_STRAY_S = 0.25, 6.0
_EARLY_S = 1.2
_UP_S = 0.3
"""Nobody lets the music up for less time than it takes to get there."""
_PARTED_BEHIND_S, _PARTED_AHEAD_S, _PARTED_RAMPS_S = (0.1, 0.3, 0.6), (0.05, 0.2), (0.1, 0.3, 0.6)
_STRAY_DEPTHS_DB, _STRAY_SHARE, _DEEPER_DB = (14.0, 24.0), 1.5, 20.0
"""A dip that nobody calls for is about as deep as the other ducks; music that rests for a moment falls further."""
_NONE = Move(0.0, 0.0, 0.0, 0.0, 0.0)
"""Serves no speech, as dips do."""
_DIPS_TRIED, _HEARD_SHARE, _ROUNDING = 3, 0.9, 1e-9


def parted(search: Search) -> list[tuple[Move, float]]:
    """Splits moves that begin long before speech or are held long after it, and returns the dips.

    They are really two: one in time, and a dip of its own.
    """
    dips = []
    for k in range(len(search.moves)):
        for in_two in (_held_in_two, _early_in_two):
            move = search.moves[k]
            if move is None or move.serves is None:
                continue
            candidates = in_two(search, move)
            if not len(candidates):
                continue
            likelihoods = search.curve.likelihood_gains([move], candidates)
            best = int(np.argmax(likelihoods))
            own, dip = move.like(candidates[best, 0]), _NONE.like(candidates[best, 1])
            nats = (
                float(likelihoods[best])
                + search.prior(own)
                - search.prior(move)
                + float(_dip_priors(search, dip.parameters)[0])
            )
            if nats >= thresholds.PARTED:
                search.curve.exchange([move], [own, dip])
                search.moves[k] = own
                dips.append((dip, nats))
    return dips


def _held_in_two(search: Search, move: Move) -> Floats:
    """A return in time and a dip that ends as the move does, where it is held long: ``(candidates, 2, 5)``."""
    assert move.serves is not None
    candidates: list[tuple[Sequence[float], Sequence[float]]] = []
    if move.return_start_s - move.serves[1] < HELD_LONG_S:
        return np.array(candidates)
    fall_start, fall_end, return_start, return_end, depth = move.parameters[0].tolist()
    for back in move.serves[1] + np.array(_PARTED_BEHIND_S):
        for length in (search.shared.return_s, 0.5):
            own = fall_start, fall_end, back, back + length, depth
            ends = np.arange(back + length + 0.4, return_start - 0.2, 0.1)
            candidates += [
                (own, (end - fall, end, return_start, return_end, depth)) for end in ends for fall in _PARTED_RAMPS_S
            ]
    return np.array(candidates)


def _early_in_two(search: Search, move: Move) -> Floats:
    """A fall in time and a dip that begins as the move does, where it begins early: ``(candidates, 2, 5)``."""
    assert move.serves is not None
    candidates: list[tuple[Sequence[float], Sequence[float]]] = []
    if move.serves[0] - move.fall_end_s < _EARLY_S:
        return np.array(candidates)
    fall_start, fall_end, return_start, return_end, depth = move.parameters[0].tolist()
    for end in move.serves[0] - np.array(_PARTED_AHEAD_S):
        for length in (search.shared.fall_s, 0.3):
            own = end - length, end, return_start, return_end, depth
            backs = np.arange(fall_end + 0.2, end - length - 0.4, 0.1)
            candidates += [
                (own, (fall_start, fall_end, back, back + rise, depth))
                for back in backs
                for rise in _PARTED_RAMPS_S
                if back + rise < end - length
            ]
    return np.array(candidates)


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
                if not _held(search, best[0]) and not _begun(search, best[0]):
                    found.append(best)
        reached = max(reached, b)
    return found


def _held(search: Search, dip: Move) -> bool:
    """Whether a dip is the end of the move before it, which did not come up in between.

    A dip of its own is so much rarer.
    """
    k = next(
        (
            j
            for j, m in reversed(list(enumerate(search.moves)))
            if m is not None and m.return_end_s <= dip.fall_start_s + 0.1
        ),
        None,
    )
    before = None if k is None else search.moves[k]
    if k is None or before is None or dip.fall_start_s - before.return_end_s > HELD_LONG_S:
        return False
    return _one(
        search, k, before, replace(before, return_start_s=dip.return_start_s, return_end_s=dip.return_end_s), dip
    )


def _begun(search: Search, dip: Move) -> bool:
    """The same of the beginning of the move behind it."""
    k = next(
        (j for j, m in enumerate(search.moves) if m is not None and m.fall_start_s >= dip.return_end_s - 0.1), None
    )
    behind = None if k is None else search.moves[k]
    if k is None or behind is None or behind.fall_start_s - dip.return_end_s > HELD_LONG_S:
        return False
    return _one(search, k, behind, replace(behind, fall_start_s=dip.fall_start_s, fall_end_s=dip.fall_end_s), dip)


def _one(search: Search, k: int, move: Move, whole: Move, dip: Move) -> bool:
    """Take a move and a dip beside it for one whole move, where that is likely enough."""
    nats = (
        search.curve.likelihood_gain([move, dip], [whole])
        + search.prior(whole)
        - search.prior(move)
        - float(_dip_priors(search, dip.parameters)[0])
    )
    up_s = max(move.fall_start_s - dip.return_end_s, dip.fall_start_s - move.return_end_s)
    if nats < (-thresholds.STRAY if up_s < _UP_S else -thresholds.PARTED):
        return False
    search.curve.exchange([move, dip], [whole])
    search.moves[k] = whole
    return True


def _stray(search: Search, from_s: float, to_s: float) -> tuple[Move, float] | None:
    """The best move inside a gap; None where it is worth too little, or is a rest of the music."""
    best = _best_dip(search, from_s, to_s, (6.0, 9.0, 13.0, max(4.0, search.shared.depth_db)))
    alone = 0.0 if any(m is not None for m in search.moves) else thresholds.ALONE
    if best is None or best[1] < thresholds.STRAY + alone:
        return None
    # Small steps do not lead from a part of a far deeper fall to the whole of it.
    deeper = _best_dip(search, from_s, to_s, (_DEEPER_DB,))
    move, nats = max(best, deeper or best, key=lambda parameters: parameters[1])
    # An edge that lies in silence costs nothing and says nothing.
    begins, ends = move.parameters[0, [FALL_START, RETURN_START]], move.parameters[0, [FALL_END, RETURN_END]]
    taken = move.depth_db <= _deepest_stray_db(search) and bool(heard(search, begins, ends).all())
    return (move, nats) if taken else None


def _best_dip(search: Search, from_s: float, to_s: float, depths_db: Sequence[float]) -> tuple[Move, float] | None:
    """The move inside a gap that tells most, made finer by small steps from one of some depths.

    None where they could not make it worth enough.
    """
    frames = np.arange(round((from_s + 0.1) * FRAMES_PER_S), round((to_s - 0.1) * FRAMES_PER_S), 2)
    if len(frames) < 10:
        return None
    depths = np.array(sorted(set(depths_db)))
    tried = [m for length in _STRAY_RAMPS_S for m in _dips(search, frames, length, depths)]
    best = _best(search, table(tried), from_s, to_s)
    if best is None or best[1] < thresholds.STRAY - thresholds.STRAY_GAINS:
        return None
    move, nats = best
    for _ in range(20):
        better = _best(
            search, np.concatenate([shifted(move.parameters), search.like_others(move.parameters)]), from_s, to_s
        )
        if better is None or better[1] <= nats + 0.05:
            break
        move, nats = better
    return move, nats


def _best(search: Search, candidates: Floats, from_s: float, to_s: float) -> tuple[Move, float] | None:
    """Of candidates ``(candidates, 5)`` inside a gap the likeliest, as a move that no speech calls for.

    None where there is none.
    """
    inside = (
        (from_s <= candidates[:, FALL_START])
        & (candidates[:, RETURN_END] <= to_s)
        & (candidates[:, RETURN_START] - candidates[:, FALL_END] > _SHORTEST_STRAY_S)
    )
    candidates = candidates[inside]
    if not len(candidates):
        return None
    likelihoods = search.curve.likelihood_gains([], candidates) + _dip_priors(search, candidates)
    best = int(np.argmax(likelihoods))
    return _NONE.like(candidates[best]), float(likelihoods[best])


def _dip_priors(search: Search, candidates: Floats) -> Floats:
    """Log of how like a dip is to the other moves, ``(candidates,)``.

    The more it is like them, the likelier it is one of them that was put elsewhere.
    """
    returns_s = candidates[:, RETURN_END] - candidates[:, RETURN_START]
    own = returns_s < _LIKE_OTHERS * search.shared.return_s
    begins_again = np.where(own, np.interp(returns_s, _AT_ONCE_S, (thresholds.AT_ONCE, 0.0)), 0.0)
    return sharing(candidates, search.shared) - search.curve.by_chance(candidates) - begins_again


def _deepest_stray_db(search: Search) -> float:
    least, most = _STRAY_DEPTHS_DB
    usual_db = search.shared.depth_db if any(m is not None for m in search.moves) else 0.0
    return min(most, max(least, _STRAY_SHARE * usual_db))


def _dips(search: Search, frames: NDArray[np.int64], length_s: float, depths_db: Floats) -> Iterator[Move]:
    """For every depth the falls that tell most together with the best return that follows soon enough.

    From frames that are 40 ms apart.
    """
    curve = search.curve
    every, apart = range(int(frames[0]), int(frames[-1]) + 1), int(frames[1] - frames[0])
    falls, backs = (
        log_likelihood_ratios(curve.changes, length_s, every, depths_db, sign, curve.luck.weights)[::apart]
        for sign in (1.0, -1.0)
    )
    nearest, farthest = max(2, round(length_s * FRAMES_PER_S / 2) + 2), round(_LONGEST_STRAY_S * FRAMES_PER_S / 2)
    for d, depth in enumerate(depths_db):
        reach = [backs[j + nearest : j + farthest, d] for j in range(len(frames))]
        both = np.array([f + (r.max() if len(r) else -np.inf) for f, r in zip(falls[:, d], reach, strict=True)])
        for j in np.argsort(both)[: -_DIPS_TRIED - 1 : -1]:
            if len(reach[j]):
                fall, end = (
                    float(frames[j]) / FRAMES_PER_S,
                    float(frames[j + nearest + int(np.argmax(reach[j]))]) / FRAMES_PER_S,
                )
                yield Move(fall - length_s, fall, end - length_s, end, float(depth))


def heard(search: Search, from_s: Floats, to_s: Floats) -> NDArray[np.bool_]:
    """Whether the music can be told from before some edges to after them."""
    quiet = search.curve.changes.heard.quiet
    sums = np.concatenate([[0], np.cumsum(quiet)])
    first, last = (np.round(t * FRAMES_PER_S).astype(int) for t in (from_s - _GUARD_S / 2, to_s + _GUARD_S))
    first, last = np.clip(first, 0, len(quiet)), np.clip(last, 0, len(quiet))
    known: NDArray[np.bool_] = (last > first) & (
        sums[last] - sums[first] <= (1 - _HEARD_SHARE) * (last - first) + _ROUNDING
    )
    return known
