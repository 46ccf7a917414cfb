"""What the mixer did to the music: moves of its gain around speech and elsewhere, as trapezoids linear in dB.

Found by a joint fit over the programme (package ``gain``). A fall of the level is a move only where this music does not
fall like that by itself; how sure that is stands with each.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from functools import partial

import numpy as np

from ..signal.spectrum import FRAMES_PER_S, instants, whole
from ..units import Floats
from .ducks import OWN_DEPTH, Duck, HeardStep, MusicGain, Pump, begin_s, end_s, touches
from .gain import thresholds
from .gain.changes import changes
from .gain.curve import Curve
from .gain.depths import settle_depths
from .gain.dips import parted, strays
from .gain.edge_classes import Listen, claims
from .gain.expected import repeats
from .gain.extras import SHORT_PAUSE_S, pumps, shallow
from .gain.instants import Instants
from .gain.joins import join, part, reach, split
from .gain.likeness import neighbours, pairs
from .gain.moves import NOTHING_KNOWN, Elsewhere, Move, Unit
from .gain.rests import heard
from .gain.search import Search
from .gain.starts import Edges, Start, start
from .revisited import Revisited

LEAST_DEPTH_DB, _LEAST_SHARED_DB = 2.0, 2.5
"""What is less deep is no duck; where those of a whole programme are hardly deeper, none is told from music that swings
by itself."""
_BRIDGES_S = (0.35, 1.0, 2.3)
_AROUND_S, _NEAR_S, _MOST_AT_ONCE_S = 18.0, 6.0, 30.0
_CERTAIN_NATS = (0.0, 3.0, 6.0, 10.0, 20.0, 30.0)
_CERTAIN = (0.65, 0.8, 0.9, 0.95, 0.98, 0.99)
_LONE_NATS, _LONE_SURE = (2.0, 5.0, 9.0, 12.0, 16.0, 24.0), (0.15, 0.2, 0.4, 0.7, 0.9, 0.98)
_PUMP_NATS, _PUMP_SURE = (2.0, 3.0, 6.0, 10.0), (0.45, 0.6, 0.85, 0.97)
_SURE = 0.67
_SAME_STEP_S = 0.01
_PROGRAMME_NATS, _PROGRAMME = (thresholds.PROGRAMME, 5.0, 10.0), (0.6, 0.9, 1.0)
Span = tuple[float, float]
"""In and out in seconds."""


def find_gain(
    levels_db: Floats,
    speech: Sequence[tuple[float, float]],
    elsewhere: Elsewhere = NOTHING_KNOWN,
    listen: Listen | None = None,
) -> MusicGain:
    """The moves in levels of the music around speech (in and out in seconds).

    Levels in dB ``(frames of 20 ms, columns)``, as ``signal.spectrum`` gives them.

    Of a part of a programme, ``elsewhere`` says what is known of the rest of it. ``listen`` listens to the sound
    itself, if that is at hand, where levels leave a step in doubt.
    """
    if not len(speech):
        return MusicGain((), 0.0)
    duration_s = len(levels_db) / FRAMES_PER_S
    spans = [(u.in_s, u.out_s) for u in _units(speech, _BRIDGES_S[1], duration_s)]
    together = whole(levels_db)
    sounding = heard(together)
    if sounding is None:
        return MusicGain((), 0.0)
    alike = pairs(together, sounding)
    repeated = repeats(alike, len(together))
    found = changes(levels_db, sounding, spans, repeated)
    likeness = alike + neighbours(together, spans, sounding)
    curve = Curve(found, likeness, spans, Instants(instants(levels_db), sounding, spans, repeated))
    edges = Edges(curve)
    best = max(
        (start(curve, _units(speech, bridge, duration_s), edges, elsewhere) for bridge in _BRIDGES_S),
        key=lambda s: s.log_likelihood,
    )
    nats = best.log_likelihood if elsewhere.nats is None else elsewhere.nats
    certain = nats >= thresholds.PROGRAMME
    search = Search(curve, best if certain else Start(0.0, best.shared, (), ()), elsewhere)
    risen, lone = [], []
    if certain:
        search.improve()
        split(search, speech)
        lone = parted(search)
        reach(search)
        risen = join(search)
        search.improve(2)
        shallow(search)
        search.agree()
        # What was one or two while the others were less well known may be something else by now.
        reach(search)
        part(search)
        risen += join(search)
    risen += pumps(search, speech)
    lone += strays(search, speech, duration_s)
    steps = _Steps(listen)
    special = [claims(search, k, steps) for k in range(len(search.moves))]
    for k, found_special in enumerate(special):
        if not found_special.keys() - {OWN_DEPTH}:
            search.settle(k)
    settle_depths(search)
    ducks = [
        _duck(search, m, risen, nats, found_special)
        for m, found_special in zip(search.moves, special, strict=True)
        if m is not None
    ]
    ducks += [
        Duck(*_corners(m, duration_s), m.depth_db, certainty=round(float(np.interp(nats, _LONE_NATS, _LONE_SURE)), 3))
        for m, nats in lone
    ]
    ducks = _joined(sorted(ducks, key=begin_s))
    least_db = LEAST_DEPTH_DB if search.shared.depth_db >= _LEAST_SHARED_DB else _LEAST_SHARED_DB
    kept = (d for d in ducks if d.depth_db >= least_db)
    return MusicGain(tuple(sorted(kept, key=begin_s)), nats, tuple(steps.heard))


class _Steps:
    """Remembers what the sound told of steps; where it is not at hand, it tells nothing."""

    def __init__(self, listen: Listen | None) -> None:
        self._listen = listen
        self.heard: list[HeardStep] = []

    def __call__(self, begin_s: float, end_s: float, rise_db: float) -> float:
        if self._listen is None:
            return 0.0
        self.heard.append(HeardStep(round(begin_s, 3), round(self._listen(begin_s, end_s, rise_db), 2)))
        return self.heard[-1].nats


def revisit(
    gain: MusicGain,
    levels_db: Callable[[int, int], Floats],
    speech: Sequence[Span],
    hands: Sequence[Span],
    revisited: Revisited,
) -> MusicGain:
    """The same with what lies around stretches set by hand looked at again, where other speech stands there now.

    ``levels_db`` gives those from a frame up to another.
    """
    measured = gain
    for some in _together(sorted(hands)):
        first, last = max(0.0, some[0][0] - _AROUND_S), max(b for _, b in some) + _AROUND_S
        around = levels_db(round(first * FRAMES_PER_S), round(last * FRAMES_PER_S))
        there = [(round(a - first, 3), round(b - first, 3)) for a, b in speech if a > first and b < last]
        kept = [d for d in gain.ducks if not _near(d, some)]
        known = partial(_heard_before, [h.shifted(-first) for h in measured.steps])
        fresh = [
            d.shifted(first)
            for d in revisited.look(
                around, there, partial(find_gain, elsewhere=_elsewhere(measured, first, last), listen=known)
            ).ducks
        ]
        gain = replace(gain, ducks=tuple(sorted([*kept, *(d for d in fresh if _near(d, some))], key=begin_s)))
    return gain


def _heard_before(steps: Sequence[HeardStep], begin_s: float, _end_s: float, _rise_db: float) -> float:
    """What the sound told of a step there when the whole programme was measured."""
    return next((h.nats for h in steps if abs(h.at_s - begin_s) <= _SAME_STEP_S), 0.0)


def _elsewhere(gain: MusicGain, first_s: float, last_s: float) -> Elsewhere:
    """What the moves have that lie outside of a stretch, those alone that serve a voice and are sure."""
    sure = [
        d for d in gain.ducks if d.speech and d.certainty >= _SURE and (begin_s(d) >= last_s or end_s(d) <= first_s)
    ]
    ramps = [
        (
            d,
            *(
                None if a is None or b is None else b - a
                for a, b in ((d.fall_start_s, d.fall_end_s), (d.return_start_s, d.return_end_s))
            ),
        )
        for d in sure
    ]
    values = {
        "depth_db": [d.depth_db for d in sure],
        "fall_s": [f for _, f, _ in ramps if f],
        "return_s": [r for _, _, r in ramps if r],
    }
    return Elsewhere({name: np.array(found) for name, found in values.items()}, gain.nats)


def _together(hands: Sequence[Span]) -> list[list[Span]]:
    """Stretches, in order, so close that they are looked at at once.

    One look takes less time than several, and knows of all of them.
    """
    groups: list[list[Span]] = []
    for hand in hands:
        if groups and hand[0] - groups[-1][-1][1] < _AROUND_S and hand[1] - groups[-1][0][0] < _MOST_AT_ONCE_S:
            groups[-1].append(hand)
        else:
            groups.append([hand])
    return groups


def _near(duck: Duck, hands: Sequence[Span]) -> bool:
    return any(touches(duck, a - _NEAR_S, b + _NEAR_S) for a, b in hands)


_AT_TOP_DB = 0.5


def _joined(ducks: Sequence[Duck]) -> list[Duck]:
    """Two ducks with a short pause of speech between them are one that lets the music up."""
    found: list[Duck] = []
    for duck in ducks:
        last = found[-1] if found else None
        if (
            last is None
            or last.serves is None
            or duck.serves is None
            or duck.serves[0] - last.serves[1] >= SHORT_PAUSE_S
        ):
            found.append(duck)
            continue
        begin, end = last.return_start_s, duck.fall_end_s
        if begin is None or end is None or end <= begin:
            found.append(duck)
            continue
        # Between the two it is as high as the sum of both lets it be.
        times = np.linspace(begin, end, 41)
        together = last.gain_db(times) + duck.gain_db(times)
        rise = float(together.max()) + min(last.depth_db, duck.depth_db)
        certainty = min(last.certainty, duck.certainty)
        highest = times[together > together.max() - _AT_TOP_DB]
        pump = Pump(begin, end, rise, certainty, float(highest[0]), float(highest[-1]))
        found[-1] = replace(
            last,
            return_start_s=duck.return_start_s,
            return_end_s=duck.return_end_s,
            depth_db=(last.depth_db + duck.depth_db) / 2,
            serves=(last.serves[0], duck.serves[1]),
            certainty=certainty,
            pumps=(*last.pumps, pump, *duck.pumps),
            nats={
                **last.nats,
                **{name: duck.nats[name] for name in ("return-abrupt", "return-slow", "held") if name in duck.nats},
            },
        )
    return found


def _units(speech: Sequence[tuple[float, float]], bridge_s: float, duration_s: float) -> list[Unit]:
    """Speech joined over short pauses; a fall or a return lies between it and its neighbours."""
    spans: list[tuple[float, float]] = []
    for a, b in speech:
        if spans and a - spans[-1][1] < bridge_s:
            spans[-1] = (spans[-1][0], b)
        else:
            spans.append((a, b))
    befores, afters = [0.0, *(b for _, b in spans[:-1])], [*(a for a, _ in spans[1:]), duration_s]
    return [Unit(a, b, before, after) for (a, b), before, after in zip(spans, befores, afters, strict=True)]


def _duck(
    search: Search, move: Move, rises: Sequence[tuple[Move, float]], programme_nats: float, special: Mapping[str, float]
) -> Duck:
    curve, risen = search.curve, [r for r in rises if move.fall_end_s <= r[0].fall_start_s <= move.return_start_s]
    nats = -curve.likelihood_gain([move], []) + search.prior(move)
    return Duck(
        *_corners(move, curve.duration_s),
        depth_db=move.depth_db,
        serves=move.serves,
        certainty=_certainty(nats) * float(np.interp(programme_nats, _PROGRAMME_NATS, _PROGRAMME)),
        pumps=tuple(_pump(r, log_likelihood) for r, log_likelihood in risen),
        nats=special,
    )


def _pump(rise: Move, nats: float) -> Pump:
    sure = float(np.interp(nats, _PUMP_NATS, _PUMP_SURE))
    return Pump(rise.fall_start_s, rise.return_end_s, -rise.depth_db, sure, rise.fall_end_s, rise.return_start_s)


def _corners(move: Move, duration_s: float) -> tuple[float | None, float | None, float | None, float | None]:
    """The four times, None for those that the programme does not show."""
    falls = (move.fall_start_s, move.fall_end_s) if move.fall_end_s > 0.05 else (None, None)
    backs = (move.return_start_s, move.return_end_s) if move.return_start_s < duration_s - 0.05 else (None, None)
    return (*falls, *backs)


def _certainty(nats: float) -> float:
    return round(float(np.interp(nats, _CERTAIN_NATS, _CERTAIN)), 3)
