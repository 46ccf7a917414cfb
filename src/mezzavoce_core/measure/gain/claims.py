"""What is special about a move: families of unusual falls and returns are held against the usual ones, each family as a whole.

The likelihood of a family is its mean over all its members: the freest family does not win by its freedom, and one member that fits by luck counts little.
Members whose ramps are as long as those of the other moves weigh more, the more alike the moves of the programme are.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from ..ducks import OWN_DEPTH
from .dips import heard
from .moves import Move, mean_nats
from .search import Search

_SHORTEST_HOLD_S, _TOUCH_S = 0.1, 0.05
_UP_S = 0.3
"""For so long the music is up before an unusual fall and after an unusual return: what is shorter is one move that was taken for two. Usual ones and
slow ones may meet: ramps that long are not the halves of one move."""


@dataclass(frozen=True)
class Family:
    """Edges of one kind: how long after speech begins a fall ends (or after it ends a return begins), from, to and step in seconds; and how long they take."""

    name: str
    after_s: tuple[float, float, float]
    lengths_s: tuple[float, ...]
    told: float = 0.0
    """Nats from which on it is claimed; set on the tuned half of the evaluation, where hardly a duck without it has that much."""
    by_length: bool = False
    """Whether its length is what makes it unusual."""
    may_meet: bool = False
    """Whether it may begin where the move before it ends, or end where the next begins."""

    def edges(self, shared_s: float, own_share: float) -> Iterator[tuple[float, float, float]]:
        """Time after speech, length and logarithm of the weight of each member, where moves last ``shared_s`` but for a share that have their own."""
        times = np.arange(*self.after_s)
        each = 1 / len(self.lengths_s)
        lengths = [(length, each if self.by_length else own_share * each) for length in self.lengths_s]
        if not self.by_length:
            lengths.append((float(np.clip(shared_s, *_USUAL_LENGTHS_S)), 1 - own_share))
        for length, weight in lengths:
            yield from ((float(t), length, float(np.log(weight / len(times)))) for t in times)


_USUAL_LENGTHS_S = (0.05, 1.3)
USUAL_FALLS = Family("usual", (-0.6, 0.11, 0.06), (0.08, 0.15, 0.25, 0.4, 0.6, 0.85, 1.2), may_meet=True)
FALLS = (
    Family("fall-abrupt", (-0.6, 0.11, 0.005), (0.015,), told=2.5, by_length=True),
    Family("fall-slow", (-0.6, 0.31, 0.1), (1.8, 2.2, 2.7), told=3.6, by_length=True, may_meet=True),
    Family("late", (0.18, 1.1, 0.06), (0.08, 0.2, 0.4, 0.7, 1.0), told=5.5),
    Family("early", (-4.0, -1.1, 0.08), (0.08, 0.2, 0.4, 0.7, 1.0), told=9.0),
)
USUAL_RETURNS = Family("usual", (0.0, 1.3, 0.08), (0.1, 0.2, 0.35, 0.6, 0.9, 1.3), may_meet=True)
RETURNS = (
    Family("return-abrupt", (0.0, 1.3, 0.005), (0.015,), told=12.0, by_length=True),
    Family("return-slow", (0.0, 1.3, 0.15), (1.8, 2.3, 3.0), told=3.25, by_length=True, may_meet=True),
    Family("held", (2.6, 6.0, 0.1), (0.1, 0.3, 0.6, 1.0), told=10.0),
)
_DEPTHS_DB, _LIKE_DB, _DEPTH_TOLD = np.arange(2.0, 27.1, 1.0), 1.5, 4.5


def claims(search: Search, k: int) -> Mapping[str, float]:
    """The family that move ``k`` of a search is found to belong to, and nats beyond what chance gives; the move then has the edge of it that fits best."""
    found: dict[str, float] = {}
    move = search.moves[k]
    if move is None or move.serves is None:
        return found
    if (nats := _own_depth(search, k, move)) is not None:
        found[OWN_DEPTH] = round(nats, 2)
    for usual, families, ways in ((USUAL_FALLS, FALLS, _falls), (USUAL_RETURNS, RETURNS, _returns)):
        move = search.moves[k]
        assert move is not None
        common = _told(search, move, ways(search, k, move, usual))
        if common is None:
            continue
        told = []
        for family in families:
            own = _told(search, move, ways(search, k, move, family))
            if own is not None and own[0] - common[0] >= family.told:
                told.append((own[0], family, own[1]))
        if told:
            highest, family, best = max(told, key=lambda t: t[0])
            search.curve.exchange([move], [best])
            search.moves[k] = best
            found[family.name] = round(highest - common[0] - family.told, 2)
    return found


def _own_depth(search: Search, k: int, move: Move) -> float | None:
    """By how many nats more than chance a move has a depth of its own; None where it is as deep as the others.

    A move gets a depth of its own where all other depths together tell that much more, else that of the others.
    """
    shared = search.shared.depth_db
    others = [replace(move, depth_db=float(d)) for d in _DEPTHS_DB if abs(d - shared) > _LIKE_DB]
    like = [replace(move, depth_db=shared + d) for d in (-0.5, 0.0, 0.5)]
    apart, together = _worths(search, move, others), _worths(search, move, like)
    nats, own = mean_nats(apart) - max(together) - _DEPTH_TOLD, abs(move.depth_db - shared) > _LIKE_DB
    if own != (nats >= 0):
        best = like[int(np.argmax(together))] if own else others[int(np.argmax(apart))]
        search.curve.exchange([move], [best])
        search.moves[k] = best
    return nats if nats >= 0 else None


def _worths(search: Search, move: Move, others: Sequence[Move]) -> list[float]:
    return [search.curve.worth([move], [other]) for other in others]


def _told(search: Search, move: Move, ways: Iterator[tuple[Move, float]]) -> tuple[float, Move] | None:
    """The mean likelihood of moves, each with the logarithm of its weight, in nats, and the one that fits best; None where there is none."""
    found = list(ways)
    if not found:
        return None
    worths = np.array(_worths(search, move, [other for other, _ in found]))
    weighted = worths + [weight for _, weight in found]
    highest = float(weighted.max())
    return highest + float(np.log(np.exp(weighted - highest).sum())), found[int(np.argmax(worths))][0]


def _falls(search: Search, k: int, move: Move, family: Family) -> Iterator[tuple[Move, float]]:
    """Those of a family that have room; an unusual one is only claimed where the music sounds around it, since silence says nothing."""
    assert move.serves is not None
    before = max((o.return_end_s for o in search.moves[:k] if o is not None), default=0.0)
    clear_from = before - _TOUCH_S if family.may_meet or not before else before + _UP_S
    for after, length, weight in family.edges(search.shared.fall_s, search.shared.own_share):
        end = move.serves[0] + after
        if end - length >= clear_from and end <= move.return_start_s - _SHORTEST_HOLD_S and (family is USUAL_FALLS or heard(search, end - length, end)):
            yield replace(move, fall_start_s=end - length, fall_end_s=end), weight


def _returns(search: Search, k: int, move: Move, family: Family) -> Iterator[tuple[Move, float]]:
    assert move.serves is not None
    after = min((o.fall_start_s for o in search.moves[k + 1 :] if o is not None), default=None)
    clear_to = search.curve.duration_s if after is None else after + _TOUCH_S if family.may_meet else after - _UP_S
    for behind, length, weight in family.edges(search.shared.return_s, search.shared.own_share):
        begin = move.serves[1] + behind
        if begin + length <= clear_to and begin >= move.fall_end_s + _SHORTEST_HOLD_S and (family is USUAL_RETURNS or heard(search, begin, begin + length)):
            yield replace(move, return_start_s=begin, return_end_s=begin + length), weight
