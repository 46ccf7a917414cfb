"""What a search by passages cannot see inside and under speech.

Music let up in a pause, and moves that go down a little.
"""

from collections.abc import Iterator, Sequence
from itertools import pairwise

import numpy as np

from . import thresholds
from .moves import Move, Unit, mean_nats, table
from .search import Search

SHORT_PAUSE_S = 1.4
_CHANCE_SHARE = 0.5
"""Both edges by chance at once are rarer than either, so that half of what they have by chance is taken off."""
_SHALLOW_DB, _SHALLOW_ENDS_S, _SHALLOW_STARTS_S = (3.0, 4.0, 5.0, 6.5), (-0.35, -0.2, -0.1, 0.0), (0.05, 0.2, 0.4, 0.7)
_SHORTEST_HOLD_S = 0.25
_PUMPS_DB, _PUMP_RAMPS_S, _PUMP_DELAYS_S = (3.0, 4.5, 6.0, 8.0, 11.0), (0.03, 0.08, 0.2), (0.0, 0.06, 0.15)
_LEAST_PAUSE_S = 0.3
_SLOW_FROM_S, _QUICK_DOWN_S, _DOWN_BEFORE_S, _TOP_S = (0.0, 0.08), (0.02, 0.08), (0.0, 0.05), 0.01
"""As a compressor lets music up: all through the pause, and quickly down at the word."""


def pumps(search: Search, speech: Sequence[tuple[float, float]]) -> list[tuple[Move, float]]:
    """Rises of the music in short pauses of speech under one move, with what each is worth.

    As moves of negative depth.
    """
    found = []
    for move in (m for m in search.moves if m is not None):
        inside = [s for s in speech if s[1] > move.fall_end_s and s[0] < move.return_start_s]
        pauses = [(a[1], b[0]) for a, b in pairwise(inside) if _LEAST_PAUSE_S <= b[0] - a[1] <= SHORT_PAUSE_S]
        risen = [best for pause in pauses if (best := _rise(search, *pause, move.depth_db)) is not None and best[1] > 0]
        together = sum(nats for _, nats in risen)
        if together >= thresholds.PUMPING:
            for rise, _ in risen:
                search.curve.exchange([], [rise])
                found.append((rise, together))
    return found


def _rise(search: Search, from_s: float, to_s: float, depth_db: float) -> tuple[Move, float] | None:
    """The best rise in a pause, and what all rises there are worth together."""
    candidates = list(rises_in(from_s, to_s, depth_db))
    if not candidates:
        return None
    likelihoods = search.curve.likelihood_gains([], table(candidates))
    return candidates[int(np.argmax(likelihoods))], mean_nats(likelihoods)


def rises_in(from_s: float, to_s: float, depth_db: float) -> Iterator[Move]:
    """Ways in which the music may come up between two times under a move of some depth, as moves of negative depth."""
    for ramp in _PUMP_RAMPS_S:
        for up in _PUMP_DELAYS_S:
            for down in (-0.1, *_PUMP_DELAYS_S):
                times = from_s + up, from_s + up + ramp, to_s - down - ramp, to_s - down
                if times[2] - times[1] >= 0.05:
                    yield from (Move(*times, -rise) for rise in (*_PUMPS_DB, depth_db) if rise <= depth_db + 0.5)
    for up in _SLOW_FROM_S:
        for before in _DOWN_BEFORE_S:
            for down in _QUICK_DOWN_S:
                times = from_s + up, to_s - before - _TOP_S, to_s - before, to_s - before + down
                yield from (Move(*times, -rise) for rise in _PUMPS_DB if rise <= depth_db + 0.5)


def shallow(search: Search) -> None:
    """Give a move that goes down a little to speech under which the music seems to stay up.

    Only where all such moves together tell enough.
    """
    for k, unit in enumerate(search.units):
        if search.moves[k] is not None:
            continue
        before = max((m.return_end_s for m in search.moves[:k] if m is not None), default=0.0)
        after = min((m.fall_start_s for m in search.moves[k + 1 :] if m is not None), default=search.curve.duration_s)
        candidates = [m for m in _shallow_moves(search, unit) if before <= m.fall_start_s and m.return_end_s <= after]
        if not candidates:
            continue
        likelihoods = search.curve.likelihood_gains([], table(candidates)) - _CHANCE_SHARE * search.curve.by_chance(
            table(candidates)
        )
        if mean_nats(likelihoods) >= thresholds.SHALLOW:
            search.moves[k] = best = candidates[int(np.argmax(likelihoods))]
            search.curve.exchange([], [best])
            search.refine(k)


def _shallow_moves(search: Search, unit: Unit) -> Iterator[Move]:
    shared = search.shared
    for end in unit.in_s + np.array(_SHALLOW_ENDS_S):
        for begin in unit.out_s + np.array(_SHALLOW_STARTS_S):
            times = float(end) - shared.fall_s, float(end), float(begin), float(begin) + shared.return_s
            if times[2] - times[1] > _SHORTEST_HOLD_S:
                yield from (
                    Move(*times, depth, (unit.in_s, unit.out_s)) for depth in _SHALLOW_DB if depth < shared.depth_db
                )
