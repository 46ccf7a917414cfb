"""How much speaks for what is special about a move: what its being like any other would cost, in nats."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

from .moves import Move
from .search import Search

SLOW_S, QUICK_S = 1.4, 0.1
LATE_S, EARLY_S, HELD_S = 0.05, 1.0, 2.3
CLAIMS = ("fall-abrupt", "return-abrupt", "fall-slow", "return-slow", "late", "early", "held")


def claims(search: Search, move: Move) -> Mapping[str, float]:
    """Nats for each of ``CLAIMS`` that the move makes; 0 for those it does not make."""
    found = dict.fromkeys(CLAIMS, 0.0)
    if move.fall_s < QUICK_S:
        found["fall-abrupt"] = _against(search, move, _falls(move, QUICK_S))
    if move.return_s < QUICK_S:
        found["return-abrupt"] = _against(search, move, _returns(move, QUICK_S))
    if move.fall_s > SLOW_S:
        found["fall-slow"] = _against(search, move, [m for length in (0.3, 0.8, SLOW_S) for m in _falls(move, length)])
    if move.return_s > SLOW_S:
        found["return-slow"] = _against(search, move, [m for length in (0.3, 0.8, SLOW_S) for m in _returns(move, length)])
    if move.serves is None:
        return found
    onset, end = move.serves
    if move.fall_end_s > onset + LATE_S:
        found["late"] = _against(search, move, [_fall_at(move, onset + LATE_S - back, length) for back in (0.0, 0.15) for length in (0.1, 0.3, move.fall_s)])
    if move.fall_end_s < onset - EARLY_S:
        found["early"] = _against(search, move, [_fall_at(move, onset - ahead, length) for ahead in (EARLY_S, 0.5) for length in (0.3, move.fall_s)])
    if move.return_start_s > end + HELD_S:
        ways = [replace(move, return_start_s=end + b, return_end_s=end + b + length) for b in (0.3, 1.0, HELD_S) for length in (0.5, move.return_s)]
        found["held"] = _against(search, move, [w for w in ways if w.return_start_s > w.fall_end_s])
    return found


def _against(search: Search, move: Move, others: Sequence[Move]) -> float:
    return -max((search.curve.worth([move], [other]) for other in others), default=0.0)


def _fall_at(move: Move, end_s: float, length_s: float) -> Move:
    return replace(move, fall_start_s=end_s - length_s, fall_end_s=end_s)


def _falls(move: Move, length_s: float) -> list[Move]:
    """The same move with a fall of another length, over at the same time, begun at the same time, or around the same middle."""
    spare = move.fall_s - length_s
    return [_fall_at(move, move.fall_end_s - spare * share, length_s) for share in (0.0, 0.5, 1.0)]


def _returns(move: Move, length_s: float) -> list[Move]:
    spare = move.return_s - length_s
    begins = [move.return_start_s + spare * share for share in (0.0, 0.5, 1.0)]
    return [replace(move, return_start_s=b, return_end_s=b + length_s) for b in begins]
