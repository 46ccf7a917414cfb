"""What the mixer did to the music: moves of its gain around speech and elsewhere, as trapezoids linear in dB.

Found by a joint fit over the programme (package ``gain``). A fall of the level is a move only where this music does not fall like
that by itself; how sure that is stands with each.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from hashlib import blake2b

import numpy as np
from numpy.typing import NDArray

from ..signal.spectrum import FLOOR_DB, FRAMES_PER_S
from ..units import Floats, power_to_db
from .gain.claims import TOLD, claims
from .gain.curve import Curve
from .gain.extras import SHORT_PAUSE_S, join, parted, pumps, strays
from .gain.innovations import innovations
from .gain.likeness import neighbours, pairs
from .gain.moves import Move, Unit
from .gain.search import Search
from .gain.starts import Edges, Start, start
from .loudness import mean_lufs
from .meter import TICKS_PER_S

LEAST_DEPTH_DB = 3.0
LEAST_NATS = 0.0
"""A programme whose moves explain less than this has none that could be told."""
_BRIDGES_S = (0.35, 1.0, 2.3)
_BEYOND_TOLD, _SURE_OF_IT = (0.0, 1.0, 3.0, 8.0), (0.5, 0.65, 0.85, 0.97)
_OPEN_S = 3.0
_AROUND_S, _NEAR_S = 18.0, 6.0
_MOST_REMEMBERED = 64
_CERTAIN_NATS = (0.0, 3.0, 6.0, 10.0, 20.0, 30.0)
_CERTAIN = (0.5, 0.67, 0.8, 0.9, 0.95, 0.99)
_PUMP_NATS, _PUMP_SURE = (1.2, 2.0, 4.0, 9.0), (0.45, 0.6, 0.8, 0.95)
_PROGRAMME_NATS, _PROGRAMME = (LEAST_NATS, 5.0, 10.0), (0.6, 0.9, 1.0)


@dataclass(frozen=True)
class Pump:
    """A rise of the music in a pause of speech: from when to when (seconds), by how many dB, how sure (0 to 1)."""

    in_s: float
    out_s: float
    rise_db: float
    certainty: float


@dataclass(frozen=True)
class Duck:
    """A trapezoid in the music's gain. Times are None where the corner is not in the programme; ``serves`` is the speech it is for (None: none)."""

    fall_start_s: float | None
    fall_end_s: float | None
    return_start_s: float | None
    return_end_s: float | None
    depth_db: float
    open_lufs: float | None = None
    bed_lufs: float | None = None
    serves: tuple[float, float] | None = None
    certainty: float = 1.0
    pumps: tuple[Pump, ...] = ()
    nats: Mapping[str, float] = field(default_factory=dict)
    """What is special about it, and how much speaks for that (see ``gain.claims``)."""

    def tells(self, claim: str) -> bool:
        """Whether what is special about it is more than chance."""
        return claim in self.nats

    def sure(self, claim: str) -> float:
        """How sure it is (0 to 1) that it is there, and like that."""
        return min(self.certainty, float(np.interp(self.nats[claim] - TOLD[claim], _BEYOND_TOLD, _SURE_OF_IT))) if claim in self.nats else 0.0

    @property
    def speech(self) -> bool:
        """Whether it serves a passage of speech."""
        return self.serves is not None

    def covers(self, time_s: float) -> bool:
        """Whether the music is down (at all) at a time."""
        begin = -np.inf if self.fall_start_s is None else self.fall_start_s
        end = np.inf if self.return_end_s is None else self.return_end_s
        return bool(begin <= time_s <= end)

    def gain_db(self, times_s: Floats) -> Floats:
        """The gain of the trapezoid at some times; pumps are left out."""
        corners = (self.fall_start_s, self.fall_end_s, self.return_start_s, self.return_end_s)
        known = [(t, g) for t, g in zip(corners, (0.0, -self.depth_db, -self.depth_db, 0.0), strict=True) if t is not None]
        if not known:
            return np.full(len(times_s), -self.depth_db)
        gains: Floats = np.interp(times_s, [t for t, _ in known], [g for _, g in known])
        return gains

    def shifted(self, by_s: float) -> "Duck":
        """The same on another clock."""
        names = ("fall_start_s", "fall_end_s", "return_start_s", "return_end_s")
        times = {name: None if getattr(self, name) is None else getattr(self, name) + by_s for name in names}
        serves = None if self.serves is None else (self.serves[0] + by_s, self.serves[1] + by_s)
        return replace(self, **times, serves=serves, pumps=tuple(replace(p, in_s=p.in_s + by_s, out_s=p.out_s + by_s) for p in self.pumps))  # type: ignore[arg-type]


@dataclass(frozen=True)
class MusicGain:
    """All moves of a programme; ``nats`` is what they explain in all, and what is to be told of any; levels are not in it."""

    ducks: tuple[Duck, ...]
    nats: float

    def between(self, in_s: float, out_s: float) -> "MusicGain":
        """Those of a part of the programme, on its clock; corners outside it are not seen."""
        inside = [d for d in self.ducks if (d.return_end_s is None or d.return_end_s > in_s) and (d.fall_start_s is None or d.fall_start_s < out_s)]
        return MusicGain(tuple(_cut(d.shifted(-in_s), out_s - in_s) for d in inside), self.nats)

    def again(self, levels_db: Floats, speech: Sequence[tuple[float, float]], in_s: float, out_s: float) -> "MusicGain":
        """The same with what lies around a stretch looked at again, where other speech stands there now."""
        first, last = max(0.0, in_s - _AROUND_S), out_s + _AROUND_S
        frames = slice(round(first * FRAMES_PER_S), round(last * FRAMES_PER_S))
        there = tuple((round(a - first, 3), round(b - first, 3)) for a, b in speech if a > first and b < last)
        fresh = [d.shifted(first) for d in _part_again(levels_db[frames], there).ducks]
        kept = [d for d in self.ducks if not _touches(d, in_s - _NEAR_S, out_s + _NEAR_S)]
        near = [d for d in fresh if _touches(d, in_s - _NEAR_S, out_s + _NEAR_S)]
        return MusicGain(tuple(sorted([*kept, *near], key=_begin)), self.nats)


_REMEMBERED: dict[tuple[bytes, tuple[tuple[float, float], ...]], MusicGain] = {}


def find_gain(levels_db: Floats, speech: Sequence[tuple[float, float]]) -> MusicGain:
    """The moves in levels ``(frames of 20 ms, 48 bands)`` of the music in dB, around intervals of speech (in and out in seconds)."""
    found = innovations(levels_db) if len(speech) else None
    if found is None:
        return MusicGain((), 0.0)
    duration_s = len(levels_db) / FRAMES_PER_S
    spans = [(u.in_s, u.out_s) for u in _units(speech, _BRIDGES_S[1], duration_s)]
    curve = Curve(found, pairs(levels_db) + neighbours(levels_db, spans), spans)
    edges = Edges(curve)
    best = max((start(curve, _units(speech, bridge, duration_s), edges) for bridge in _BRIDGES_S), key=lambda s: s.worth)
    told = best.worth >= LEAST_NATS
    search = Search(curve, best if told else Start(0.0, best.shared, (), ()))
    risen, lone = [], []
    if told:
        search.improve()
        lone = parted(search)
        risen = join(search)
        search.improve(2)
    risen += pumps(search, speech)
    lone += strays(search, speech, duration_s)
    special = [claims(search, k) for k in range(len(search.moves))]
    ducks = [_duck(search, m, risen, best.worth, nats) for m, nats in zip(search.moves, special, strict=True) if m is not None]
    ducks += [Duck(*_corners(m, duration_s), m.depth_db, certainty=_certainty(worth - 9.0)) for m, worth in lone]
    ducks = _joined(sorted(ducks, key=_begin))
    kept = (d for d in ducks if d.depth_db >= LEAST_DEPTH_DB)
    return MusicGain(tuple(sorted(kept, key=_begin)), best.worth)


def _part_again(levels_db: Floats, speech: tuple[tuple[float, float], ...]) -> MusicGain:
    """``find_gain``, remembered: every judgement asks again for what was corrected before."""
    key = (blake2b(levels_db.tobytes(), digest_size=16).digest(), speech)
    if key not in _REMEMBERED:
        if len(_REMEMBERED) >= _MOST_REMEMBERED:
            _REMEMBERED.pop(next(iter(_REMEMBERED)))
        _REMEMBERED[key] = find_gain(levels_db, speech)
    return _REMEMBERED[key]


def _joined(ducks: Sequence[Duck]) -> list[Duck]:
    """Two ducks with a short pause of speech between them are one that lets the music up."""
    found: list[Duck] = []
    for duck in ducks:
        last = found[-1] if found else None
        if last is None or last.serves is None or duck.serves is None or duck.serves[0] - last.serves[1] >= SHORT_PAUSE_S:
            found.append(duck)
            continue
        begin, end = last.return_start_s, duck.fall_end_s
        if begin is None or end is None or end <= begin:
            found.append(duck)
            continue
        # Between the two it is as high as the sum of both lets it be.
        times = np.linspace(begin, end, 41)
        rise = float((last.gain_db(times) + duck.gain_db(times)).max()) + min(last.depth_db, duck.depth_db)
        certainty = min(last.certainty, duck.certainty)
        pump = Pump(begin, end, rise, certainty)
        found[-1] = replace(
            last,
            return_start_s=duck.return_start_s,
            return_end_s=duck.return_end_s,
            depth_db=(last.depth_db + duck.depth_db) / 2,
            serves=(last.serves[0], duck.serves[1]),
            certainty=certainty,
            pumps=(*last.pumps, pump, *duck.pumps),
            nats={**last.nats, **{name: duck.nats[name] for name in ("return-abrupt", "return-slow", "held") if name in duck.nats}},
        )
    return found


def with_levels(ducks: Sequence[Duck], music: Floats) -> tuple[Duck, ...]:
    """Ducks with the level of the music in the clear around them and in their bed, from its power ``(ticks,)``."""
    complete = []
    for k, duck in enumerate(ducks):
        before = next((d.return_end_s for d in reversed(ducks[:k]) if d.return_end_s is not None), 0.0)
        after = next((d.fall_start_s for d in ducks[k + 1 :] if d.fall_start_s is not None), len(music) / TICKS_PER_S)
        clear = []
        if duck.fall_start_s is not None:
            clear.append(_between(music, max(before, duck.fall_start_s - _OPEN_S), duck.fall_start_s))
        if duck.return_end_s is not None:
            clear.append(_between(music, duck.return_end_s, min(after, duck.return_end_s + _OPEN_S)))
        bed = _between(music, duck.fall_end_s or 0.0, len(music) / TICKS_PER_S if duck.return_start_s is None else duck.return_start_s)
        complete.append(replace(duck, open_lufs=mean_lufs(np.concatenate(clear)) if clear else None, bed_lufs=mean_lufs(bed)))
    return tuple(complete)


def summed(spectra: Sequence[NDArray[np.int16]], gains_db: Sequence[float]) -> Floats:
    """Levels in dB of several stems together, as if they had nothing in common, each with its gain."""
    if len(spectra) == 1:
        single: Floats = spectra[0] / np.float32(100) + np.float32(gains_db[0])
        return single
    total = sum(10 ** ((s / np.float32(100) + np.float32(g)) / 10) for s, g in zip(spectra, gains_db, strict=True))
    levels: Floats = np.maximum(power_to_db(np.asarray(total)), FLOOR_DB)
    return levels


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


def _duck(search: Search, move: Move, rises: Sequence[tuple[Move, float]], programme_nats: float, special: Mapping[str, float]) -> Duck:
    curve, risen = search.curve, [r for r in rises if move.fall_end_s <= r[0].fall_start_s <= move.return_start_s]
    nats = -curve.worth([move], []) + search.prior(move)
    return Duck(
        *_corners(move, curve.duration_s),
        depth_db=move.depth_db,
        serves=move.serves,
        certainty=_certainty(nats) * float(np.interp(programme_nats, _PROGRAMME_NATS, _PROGRAMME)),
        pumps=tuple(Pump(r.fall_start_s, r.return_end_s, -r.depth_db, float(np.interp(worth, _PUMP_NATS, _PUMP_SURE))) for r, worth in risen),
        nats=special,
    )


def _corners(move: Move, duration_s: float) -> tuple[float | None, float | None, float | None, float | None]:
    """The four times, None for those that the programme does not show."""
    falls = (move.fall_start_s, move.fall_end_s) if move.fall_end_s > 0.05 else (None, None)
    backs = (move.return_start_s, move.return_end_s) if move.return_start_s < duration_s - 0.05 else (None, None)
    return (*falls, *backs)


def _certainty(nats: float) -> float:
    return round(float(np.interp(nats, _CERTAIN_NATS, _CERTAIN)), 3)


def _begin(duck: Duck) -> float:
    return float("-inf") if duck.fall_start_s is None else duck.fall_start_s


def _touches(duck: Duck, in_s: float, out_s: float) -> bool:
    return _begin(duck) < out_s and (duck.return_end_s is None or duck.return_end_s > in_s)


def _cut(duck: Duck, duration_s: float) -> Duck:
    """A duck without the corners that lie outside."""
    falls = duck.fall_end_s is not None and duck.fall_end_s > 0
    backs = duck.return_start_s is not None and duck.return_start_s < duration_s
    return replace(
        duck,
        fall_start_s=duck.fall_start_s if falls else None,
        fall_end_s=duck.fall_end_s if falls else None,
        return_start_s=duck.return_start_s if backs else None,
        return_end_s=duck.return_end_s if backs else None,
    )


def _between(power: Floats, from_s: float, to_s: float) -> Floats:
    return power[max(0, round(from_s * TICKS_PER_S)) : max(0, round(to_s * TICKS_PER_S))]
