"""What is special about a move.

Classes of unusual falls and returns are held against the usual ones, each class as a whole.

The likelihood of a class is its mean over all its members: the freest class does not win by its freedom, and one member
that fits by luck counts little. Members whose ramps are as long as those of the other moves weigh more, the more alike
the moves of the programme are.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...units import Floats
from ..ducks import BARE, LATE, OWN_DEPTH
from . import thresholds
from .dips import heard
from .moves import DEPTH, FALL_END, FALL_START, RETURN_END, RETURN_START, Move, mean_nats, with_column
from .search import Search

_SHORTEST_HOLD_S, _TOUCH_S = 0.1, 0.05
_UP_S = 0.3
"""For so long the music is up before an unusual fall and after an unusual return: what is shorter is one move that was
taken for two. Usual ones and slow ones may meet: ramps that long are not the halves of one move."""


@dataclass(frozen=True)
class EdgeClass:
    """Edges of one kind.

    How long after speech begins a fall ends (or after it ends a return begins): from, to and step in seconds; and how
    long they take.
    """

    name: str
    after_s: tuple[float, float, float]
    lengths_s: tuple[float, ...]
    claimed_from_nats: float = 0.0
    """Nats from which on it is claimed (see ``thresholds``)."""
    by_length: bool = False
    """Whether its length is what makes it unusual."""
    slow: bool = False
    """Whether quick scales hardly count where it is held against the usual one."""
    may_meet: bool = False
    """Whether it may begin where the move before it ends, or end where the next begins."""

    def edges(self, shared_s: float, own_share: float) -> tuple[Floats, Floats, Floats]:
        """Time after speech, length and logarithm of the weight of each member.

        Moves last ``shared_s`` but for a share that have their own length.
        """
        times, each = np.arange(*self.after_s), 1 / len(self.lengths_s)
        lengths, weights = list(self.lengths_s), [each if self.by_length else own_share * each] * len(self.lengths_s)
        if not self.by_length:
            lengths.append(float(np.clip(shared_s, *_USUAL_LENGTHS_S)))
            weights.append(1 - own_share)
        return (
            np.tile(times, len(lengths)),
            np.repeat(lengths, len(times)),
            np.repeat(np.log(np.array(weights) / len(times)), len(times)),
        )


_USUAL_LENGTHS_S = (0.05, 1.3)
_STEP_UP = "return-abrupt"
USUAL_FALLS = EdgeClass("usual", (-0.6, 0.11, 0.06), (0.08, 0.15, 0.25, 0.4, 0.6, 0.85, 1.2), may_meet=True)
FALLS = (
    EdgeClass(
        "fall-abrupt",
        (-0.6, 0.11, 0.005),
        (0.015,),
        claimed_from_nats=thresholds.CLAIMED["fall-abrupt"],
        by_length=True,
    ),
    EdgeClass(
        "fall-slow",
        (-0.6, 0.31, 0.1),
        (1.8, 2.2, 2.7),
        claimed_from_nats=thresholds.CLAIMED["fall-slow"],
        by_length=True,
        slow=True,
        may_meet=True,
    ),
    EdgeClass(LATE, (0.18, 1.1, 0.06), (0.08, 0.2, 0.4, 0.7, 1.0), claimed_from_nats=thresholds.CLAIMED[LATE]),
    EdgeClass(BARE, (1.1, 3.6, 0.06), (0.08, 0.2, 0.4, 0.7, 1.0), claimed_from_nats=thresholds.CLAIMED[BARE]),
    EdgeClass("early", (-4.0, -1.1, 0.08), (0.08, 0.2, 0.4, 0.7, 1.0), claimed_from_nats=thresholds.CLAIMED["early"]),
)
USUAL_RETURNS = EdgeClass("usual", (0.0, 1.3, 0.08), (0.1, 0.2, 0.35, 0.6, 0.9, 1.3), may_meet=True)
RETURNS = (
    EdgeClass(_STEP_UP, (0.0, 1.3, 0.005), (0.015,), claimed_from_nats=thresholds.CLAIMED[_STEP_UP], by_length=True),
    EdgeClass(
        "return-slow",
        (0.0, 1.3, 0.15),
        (1.8, 2.3, 3.0),
        claimed_from_nats=thresholds.CLAIMED["return-slow"],
        by_length=True,
        slow=True,
        may_meet=True,
    ),
    EdgeClass("held", (2.6, 6.0, 0.1), (0.1, 0.3, 0.6, 1.0), claimed_from_nats=thresholds.CLAIMED["held"]),
)
_AS_FOUND_LENGTHS_S, _FALLS_AFTER_S, _RETURNS_AFTER_S = (0.06, 1.45), (-1.0, 0.15), (-np.inf, 2.4)
_HEARD_FROM = 0.5
"""Nats from which on a step back up is listened to: where levels speak against it, the sound hardly speaks for it."""
_DEPTHS_DB, _LIKE_DB, _DEPTH_TOLD = np.arange(2.0, 27.1, 1.0), 1.5, 4.5


@dataclass(frozen=True)
class _Claim:
    """An unusual class, with its member that fits best.

    What all its members tell in nats, and by how much the class is likelier than the usual one.
    """

    edge_class: EdgeClass
    best: Move
    nats: float
    beyond_usual: float


Listen = Callable[[float, float, float], float]
"""What the sound tells of a rise: from when to when (seconds), and by how many dB; nats that speak for a gain (below 0:
for a beat of the music)."""


def claims(search: Search, k: int, listen: Listen) -> Mapping[str, float]:
    """The class that move ``k`` of a search is found to belong to, and nats beyond what chance gives.

    The move then has the edge of it that fits best.
    """
    found: dict[str, float] = {}
    move = search.moves[k]
    if move is None or move.serves is None:
        return found
    if (nats := _own_depth(search, k, move)) is not None:
        found[OWN_DEPTH] = round(nats, 2)
    for usual, edge_classes, candidates, as_usual in (
        (USUAL_FALLS, FALLS, _falls, _falls_as_usual),
        (USUAL_RETURNS, RETURNS, _returns, _returns_as_usual),
    ):
        move = search.moves[k]
        assert move is not None
        common = candidates(search, k, move, usual)
        if not len(common[0]):
            continue
        # A usual edge may lie between the members of its family, or where none of any family does.
        least = thresholds.AS_FOUND if as_usual(move) else -np.inf
        usually = {slow: max(_mean_nats(search, move, *common, slow), least) for slow in (False, True)}
        edges = ((edge_class, *candidates(search, k, move, edge_class)) for edge_class in edge_classes)
        own = [
            _log_likelihood_ratios(search, move, edge_class, members, weights, usually, listen)
            for edge_class, members, weights in edges
            if len(members)
        ]
        # That an edge is none of the usual ones is one question, which of the others it is another.
        if any(claim.beyond_usual >= claim.edge_class.claimed_from_nats for claim in own):
            likeliest = max(own, key=lambda claim: claim.nats)
            search.put(k, move, likeliest.best)
            found[likeliest.edge_class.name] = round(
                max(0.0, likeliest.beyond_usual - likeliest.edge_class.claimed_from_nats), 2
            )
    return found


def _falls_as_usual(move: Move) -> bool:
    """Whether a fall, as it was found, is none that could be claimed."""
    assert move.serves is not None
    return _within(move.fall_s, _AS_FOUND_LENGTHS_S) and _within(move.fall_end_s - move.serves[0], _FALLS_AFTER_S)


def _returns_as_usual(move: Move) -> bool:
    assert move.serves is not None
    return _within(move.return_s, _AS_FOUND_LENGTHS_S) and _within(
        move.return_start_s - move.serves[1], _RETURNS_AFTER_S
    )


def _within(value: float, limits: tuple[float, float]) -> bool:
    return limits[0] <= value <= limits[1]


def _heard(nats: float, move: Move, edge_class: EdgeClass, listen: Listen) -> float:
    """What the sound tells of an edge of which levels tell so much, in nats; only steps back up are listened to."""
    return (
        listen(move.return_start_s, move.return_end_s, move.depth_db)
        if edge_class.name == _STEP_UP and nats >= _HEARD_FROM
        else 0.0
    )


def _own_depth(search: Search, k: int, move: Move) -> float | None:
    """By how many nats more than chance a move has a depth of its own; None where it is as deep as the others.

    A move gets a depth of its own where all other depths together tell that much more, else that of the others.
    """
    shared = search.shared.depth_db
    others = with_column(move.parameters, DEPTH, _DEPTHS_DB[np.abs(_DEPTHS_DB - shared) > _LIKE_DB])
    like = with_column(move.parameters, DEPTH, shared + np.array([-0.5, 0.0, 0.5]))
    apart, together = search.curve.likelihood_gains([move], others), search.curve.likelihood_gains([move], like)
    nats, own = mean_nats(apart) - float(together.max()) - _DEPTH_TOLD, abs(move.depth_db - shared) > _LIKE_DB
    if own != (nats >= 0):
        search.put(k, move, move.like(like[int(np.argmax(together))] if own else others[int(np.argmax(apart))]))
    return nats if nats >= 0 else None


def _log_likelihood_ratios(
    search: Search,
    move: Move,
    edge_class: EdgeClass,
    candidates: Floats,
    weights: Floats,
    usually: Mapping[bool, float],
    listen: Listen,
) -> _Claim:
    """What is claimed of a class: its member that fits best, and what is heard there.

    ``usually`` are the nats of the usual one, by all and slowly.
    """
    likelihoods = search.curve.likelihood_gains([move], candidates)
    best, nats = move.like(candidates[int(np.argmax(likelihoods))]), float(np.logaddexp.reduce(likelihoods + weights))
    beyond_usual = nats - usually[False]
    if edge_class.slow:
        beyond_usual = max(
            beyond_usual - thresholds.QUICK, _mean_nats(search, move, candidates, weights, slow=True) - usually[True]
        )
    heard_there = _heard(beyond_usual, best, edge_class, listen)
    return _Claim(edge_class, best, nats + heard_there, beyond_usual + heard_there)


def _mean_nats(search: Search, move: Move, candidates: Floats, weights: Floats, slow: bool) -> float:
    """The mean likelihood of moves, each with the logarithm of its weight, in nats.

    With what tells ``slow`` ramps from usual ones, or with all.
    """
    likelihoods = search.curve.slowly([move], candidates) if slow else search.curve.likelihood_gains([move], candidates)
    return float(np.logaddexp.reduce(likelihoods + weights))


def _falls(search: Search, k: int, move: Move, edge_class: EdgeClass) -> tuple[Floats, Floats]:
    """Those of a class that have room, with their weights.

    An unusual one is only claimed where the music sounds around it, since silence says nothing.
    """
    assert move.serves is not None
    before = max((o.return_end_s for o in search.moves[:k] if o is not None), default=0.0)
    clear_from = before - _TOUCH_S if edge_class.may_meet or not before else before + _UP_S
    after_s, lengths_s, weights = edge_class.edges(search.shared.fall_s, search.shared.own_share)
    ends = move.serves[0] + after_s
    room = (ends - lengths_s >= clear_from) & (ends <= move.return_start_s - _SHORTEST_HOLD_S)
    return _edges_moved(
        search, move, (FALL_START, FALL_END), (ends - lengths_s, ends), weights, room, edge_class is USUAL_FALLS
    )


def _returns(search: Search, k: int, move: Move, edge_class: EdgeClass) -> tuple[Floats, Floats]:
    assert move.serves is not None
    after = min((o.fall_start_s for o in search.moves[k + 1 :] if o is not None), default=None)
    clear_to = search.curve.duration_s if after is None else after + _TOUCH_S if edge_class.may_meet else after - _UP_S
    behind_s, lengths_s, weights = edge_class.edges(search.shared.return_s, search.shared.own_share)
    begins = move.serves[1] + behind_s
    room = (begins + lengths_s <= clear_to) & (begins >= move.fall_end_s + _SHORTEST_HOLD_S)
    return _edges_moved(
        search,
        move,
        (RETURN_START, RETURN_END),
        (begins, begins + lengths_s),
        weights,
        room,
        edge_class is USUAL_RETURNS,
    )


def _edges_moved(
    search: Search,
    move: Move,
    columns: tuple[int, int],
    times: tuple[Floats, Floats],
    weights: Floats,
    room: NDArray[np.bool_],
    usual: bool,
) -> tuple[Floats, Floats]:
    there = room if usual else room & heard(search, *times)
    candidates = np.repeat(move.parameters, int(there.sum()), axis=0)
    candidates[:, columns[0]], candidates[:, columns[1]] = times[0][there], times[1][there]
    return candidates, weights[there]
