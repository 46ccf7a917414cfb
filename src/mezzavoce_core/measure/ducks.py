"""Moves of the music's gain as they were found: ducks, and what of them lies in a part of the programme."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from ..units import Floats
from .loudness import mean_lufs
from .meter import TICKS_PER_S

LATE, BARE = "late", "bare"
"""What a duck tells whose fall runs into the first word, and one that begins seconds after its speech, which is bare
until then."""
_SURE_OF_IT = (0.0, 1.0, 3.0, 8.0), (0.5, 0.65, 0.85, 0.97)
_SURE_OF = {
    "fall-slow": ((0.0, 2.0, 3.5, 6.0), (0.35, 0.5, 0.85, 0.95)),
    "return-slow": ((0.0, 1.0, 2.5, 4.0, 6.0), (0.35, 0.5, 0.75, 0.9, 0.95)),
    "fall-abrupt": ((0.0, 1.0), (0.8, 0.95)),
    LATE: ((0.0, 5.5, 7.5), (0.3, 0.45, 0.95)),
    BARE: ((0.0, 5.5, 7.5), (0.3, 0.45, 0.95)),
    "early": ((0.0, 5.5, 7.5, 12.5), (0.45, 0.65, 0.85, 0.97)),
    "held": ((0.0, 7.0, 11.0), (0.3, 0.6, 0.95)),
    "return-abrupt": ((0.0, 2.0, 5.0, 10.0), (0.6, 0.7, 0.8, 0.95)),
}
"""Nats beyond chance, and the share of such claims that is right (tuned half of the evaluation): of most, and of what
music often does by itself."""
_OPEN_S = 3.0
OWN_DEPTH = "own-depth"
"""What a duck tells that is not as deep as the others."""


@dataclass(frozen=True)
class Pump:
    """A rise of the music in a pause of speech.

    From when to when (seconds), by how many dB, how sure (0 to 1), and between which times it is all up.

    Where these are not known (None) it counts as up nearly all the time.
    """

    in_s: float
    out_s: float
    rise_db: float
    certainty: float
    up_from_s: float | None = None
    up_to_s: float | None = None

    def shifted(self, by_s: float) -> "Pump":
        """The same on another clock."""
        up = (None if t is None else t + by_s for t in (self.up_from_s, self.up_to_s))
        return Pump(self.in_s + by_s, self.out_s + by_s, self.rise_db, self.certainty, *up)


@dataclass(frozen=True)
class Duck:
    """A trapezoid in the music's gain.

    Times are None where the corner is not in the programme; ``serves`` is the speech it is for (None: none).
    """

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
    """What is special about it (see ``gain.edge_classes``), and by how many nats more speaks for that than chance
    would."""
    index: int | None = None
    """Its place among the ducks of a judgement; None as long as it is not judged."""

    def tells(self, claim: str) -> bool:
        """Whether what is special about it is more than chance."""
        return claim in self.nats

    def sure(self, claim: str) -> float:
        """How sure it is (0 to 1) that it is there, and like that."""
        return (
            min(self.certainty, float(np.interp(self.nats[claim], *_SURE_OF.get(claim, _SURE_OF_IT))))
            if claim in self.nats
            else 0.0
        )

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
        known = [
            (t, g) for t, g in zip(corners, (0.0, -self.depth_db, -self.depth_db, 0.0), strict=True) if t is not None
        ]
        if not known:
            return np.full(len(times_s), -self.depth_db)
        gains: Floats = np.interp(times_s, [t for t, _ in known], [g for _, g in known])
        return gains

    def shifted(self, by_s: float) -> "Duck":
        """The same on another clock."""
        names = ("fall_start_s", "fall_end_s", "return_start_s", "return_end_s")
        times = {name: None if getattr(self, name) is None else getattr(self, name) + by_s for name in names}
        serves = None if self.serves is None else (self.serves[0] + by_s, self.serves[1] + by_s)
        return replace(self, **times, serves=serves, pumps=tuple(p.shifted(by_s) for p in self.pumps))  # type: ignore[arg-type]


@dataclass(frozen=True)
class HeardStep:
    """Where the music may step back up, and what its sound tells of that, in nats (see ``signal.steps``)."""

    at_s: float
    nats: float

    def shifted(self, by_s: float) -> "HeardStep":
        """The same on another clock."""
        return replace(self, at_s=self.at_s + by_s)


@dataclass(frozen=True)
class MusicGain:
    """All moves of a programme; ``nats`` is what they explain in all, and what is to be told of any.

    Levels are not in it.
    """

    ducks: tuple[Duck, ...]
    nats: float
    steps: tuple[HeardStep, ...] = ()
    """What was listened to, for a look at a part without the sound."""

    def between(self, in_s: float, out_s: float) -> "MusicGain":
        """Those of a part of the programme, on its clock; corners outside it are not seen."""
        inside = [
            d
            for d in self.ducks
            if (d.return_end_s is None or d.return_end_s > in_s) and (d.fall_start_s is None or d.fall_start_s < out_s)
        ]
        steps = tuple(h.shifted(-in_s) for h in self.steps if in_s <= h.at_s < out_s)
        return MusicGain(tuple(_cut(d.shifted(-in_s), out_s - in_s) for d in inside), self.nats, steps)


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
        bed = _between(
            music,
            duck.fall_end_s or 0.0,
            len(music) / TICKS_PER_S if duck.return_start_s is None else duck.return_start_s,
        )
        complete.append(
            replace(
                duck, index=k, open_lufs=mean_lufs(np.concatenate(clear)) if clear else None, bed_lufs=mean_lufs(bed)
            )
        )
    return tuple(complete)


def goes_down(duck: Duck) -> bool:
    """Whether the level shows a duck.

    The music in its bed lies lower than in the clear by a third of its depth or more, or nothing is known of it.
    """
    if duck.open_lufs is None or duck.bed_lufs is None:
        return True
    return duck.bed_lufs < duck.open_lufs - duck.depth_db / 3


def begin_s(duck: Duck) -> float:
    """Where it begins; before everything where that is not seen."""
    return float("-inf") if duck.fall_start_s is None else duck.fall_start_s


def end_s(duck: Duck) -> float:
    """Where it ends; after everything where that is not seen."""
    return float("inf") if duck.return_end_s is None else duck.return_end_s


def touches(duck: Duck, in_s: float, out_s: float) -> bool:
    """Whether some of it lies in a stretch."""
    return begin_s(duck) < out_s and end_s(duck) > in_s


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
