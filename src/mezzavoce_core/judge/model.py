"""The values of judging: what the machine says and what would mend it."""

from bisect import bisect_left, bisect_right
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from ..estimate import Estimate
from ..measure.balance import Balance, Passage, blocks_between
from ..measure.captions import Captions
from ..measure.cues import Cue, find_cues
from ..measure.ducks import Duck, MusicGain
from ..measure.loudness import MOMENTARY_TICKS, Gated, Loudness, at_blocks, loudness, moving_mean
from ..measure.measurement import Measurement
from ..measure.meter import TICKS_PER_S
from ..measure.programme import Programme
from ..measure.speech import Speech
from ..timecode import Clock
from ..units import Floats
from .remedy import Remedies, Remedy
from .spec import Spec

Once = TypeVar("Once")

MUST, SHOULD, NOTE = "must", "should", "note"
_TELLING_S = 1.0
"""A voice that is shorter tells little of how loud it is."""
FAMILIES = ("loudness", "peak", "signal", "voice", "ducking", "music", "effects")


SURE = 0.67
"""How certain ducks are of which is read what is usual."""


@dataclass(frozen=True)
class Finding:
    """A fault, from ``in_s`` to ``out_s``.

    ``estimate`` and ``limit`` are the figure and the limit it is named after, in ``unit``.
    """

    kind: str
    family: str
    severity: str
    in_s: float
    out_s: float
    title: str
    message: str
    estimate: Estimate
    limit: float
    unit: str
    role: str = "mix"
    source: str | None = None
    certainty: float = 1.0
    also: tuple[str, ...] = ()
    remedy: Remedy | None = None
    alternatives: tuple[Remedy, ...] = ()
    mend: "Callable[[], Remedies] | None" = field(default=None, compare=False, repr=False)
    """How ``remedy`` and ``alternatives`` are worked out where that takes its time: only for findings that are kept."""
    leans_on: object = field(default=None, repr=False)
    """What they take from the rest of the programme: where that is another, they have to be worked out anew."""
    details: Mapping[str, Any] = field(default_factory=dict)
    """What a page shows beside the figures, as JSON types; times in seconds of the file."""

    @property
    def measured(self) -> float:
        """The figure without its interval."""
        return self.estimate.value

    def mended(self) -> "Finding":
        """With its remedies worked out."""
        return self if self.mend is None else self.with_remedies(self.mend())

    def with_remedies(self, remedies: Remedies) -> "Finding":
        """With these, which need not be worked out any more."""
        remedy, alternatives = remedies
        return replace(self, remedy=remedy, alternatives=alternatives, mend=None)

    def overlaps(self, other: "Finding") -> bool:
        """Whether the two share any time."""
        return self.in_s < other.out_s and other.in_s < self.out_s


@dataclass(frozen=True)
class JudgingContext:
    """All that a kind of finding may look at: the programme alone, times from its in.

    ``breaks`` marks ticks between its parts.

    ``balance`` and what follows from it are None where stems are wanted, ``ducks`` also where levels alone were
    measured.
    """

    measurement: Measurement
    spec: Spec
    clock: Clock
    power: Floats
    breaks: NDArray[np.bool_]
    programme: Programme
    loudness: Loudness
    dialogue_lufs: float | None
    true_peak_dbtp: Floats
    speech: tuple[Speech, ...] | None = None
    balance: Balance | None = None
    passages: tuple[Passage, ...] | None = None
    ducks: tuple[Duck, ...] | None = None
    music_stems: tuple[tuple[str, Floats], ...] = ()
    """Name and weighted power per tick of each."""
    cues: tuple[Cue, ...] | None = None
    served_by: Mapping[int, list[Passage]] = field(default_factory=dict)
    """The passages that lie under each duck, by its index."""
    wanted_depths: Mapping[int, float] = field(default_factory=dict)
    """How deep each sure duck that serves a voice would have to be, by its index: as it is, or deeper where the
    voice is not clear."""
    captions: Captions | None = None
    important: tuple[tuple[float, float], ...] = ()
    """Effects that a person called important, in seconds."""
    music_beyond: tuple[tuple[float, float], ...] = ()
    """Where music crosses the end of a part or of the picture, and how many seconds it goes on."""
    local_ratio_lu: Floats = field(default_factory=lambda: np.zeros(0))
    playing: tuple[tuple[float, float], ...] = ()
    """Where music plays, in seconds."""
    revisited: Mapping[str, MusicGain] = field(default_factory=dict)
    """What was found where a hand made the music be looked at again, for later judgements."""
    given: Programme | None = None
    """The programme as it was asked for; None where it was to be found."""
    ground: "JudgingContext | None" = None
    """The same before anybody said anything, which the next judgement begins with."""

    def once(self, what: Callable[["JudgingContext"], Once]) -> Once:
        """What follows from measurement, spec and programme alone.

        Found before anybody said anything, and kept for all later judgements.
        """
        if self.ground:
            return self.ground.once(what)
        if what not in self._found:
            self._found[what] = what(self)
        found: Once = self._found[what]
        return found

    @cached_property
    def _found(self) -> dict[Callable[["JudgingContext"], Any], Any]:
        return {}

    @property
    def duration_s(self) -> float:
        """Seconds from the in of the programme to its out."""
        return self.measurement.duration_s

    @cached_property
    def middles_s(self) -> Floats:
        """The middle of each passage in seconds, in order."""
        return np.array([(p.in_s + p.out_s) / 2 for p in self.passages or ()])

    def touched(self, in_s: float, out_s: float) -> slice:
        """Which of the passages, which are in order and apart, a stretch touches."""
        passages = self.passages or ()
        return slice(
            bisect_right(passages, in_s, key=lambda p: p.out_s), bisect_left(passages, out_s, key=lambda p: p.in_s)
        )

    @cached_property
    def telling_lufs(self) -> Floats:
        """The voice of each passage, in order; NaN where it is not known, or too short to tell how loud a voice is."""
        return np.array(
            [
                np.nan if p.speech_lufs is None or p.out_s - p.in_s < _TELLING_S else p.speech_lufs
                for p in self.passages or ()
            ]
        )

    @cached_property
    def effect_cues(self) -> tuple[Cue, ...]:
        """Where effects sound."""
        if self.ground:
            return self.ground.effect_cues
        power = self.measurement.role_power("effects")
        return () if power is None else find_cues([("effects", power)])

    def need_db(self, passage: Passage) -> float:
        """By how many dB the music would have to go down under a passage that it comes too near; 0 under any other."""
        clearance, ratio = self.spec.limits.clearance_lu, passage.speech_to_music_lu
        if clearance is None or self.balance is None or ratio is None or round(ratio, 1) >= clearance:
            return 0.0
        ratios = self.local_ratio_lu[blocks_between(self.balance.active, passage.in_s, passage.out_s)]
        known = ratios[np.isfinite(ratios)]
        return round(max(0.0, clearance - (float(known.min()) if len(known) else ratio)), 1)

    @cached_property
    def needed_bed_db(self) -> float | None:
        """What passages that the music comes too near need in the middle; None where that are less than two."""
        needs = [need for p in self.passages or () if (need := self.need_db(p))]
        return round(float(np.median(needs)), 1) if len(needs) > 1 else None

    @cached_property
    def sure_depths(self) -> Mapping[int, float]:
        """How deep each duck is that serves a voice and is sure, by its index."""
        return {
            d.index: d.depth_db for d in self.ducks or () if d.index is not None and d.speech and d.certainty >= SURE
        }

    @cached_property
    def gated(self) -> Gated:
        """The same for the gates of the integrated loudness."""
        return self.ground.gated if self.ground else Gated(self.momentary_blocks)

    @cached_property
    def momentary_blocks(self) -> Floats:
        """Power of the 400 ms that end with each block of 100 ms; NaN where they touch a break."""
        return (
            self.ground.momentary_blocks
            if self.ground
            else at_blocks(moving_mean(self.power, MOMENTARY_TICKS, self.breaks))
        )

    @property
    def estimated(self) -> bool:
        """Whether voice and background are estimates from the mix."""
        return self.measurement.separation is not None

    def in_file(self, time_s: float) -> float:
        """A time of the programme as seconds from the first sample of the file."""
        return self.clock.in_file(time_s)

    def parts(self) -> list[Loudness]:
        """The figures of each part of the programme by itself."""
        spans = [
            (round((p.in_s - self.origin_s) * TICKS_PER_S), round((p.out_s - self.origin_s) * TICKS_PER_S))
            for p in self.programme.parts
        ]
        return [loudness(self.power[a:b]) for a, b in spans]

    @property
    def origin_s(self) -> float:
        """Where in the file the programme's times begin."""
        return self.clock.origin_s


@dataclass(frozen=True)
class Kind:
    """A kind of finding: its name, its family, what it is called in a few words, and how it is found."""

    name: str
    family: str
    short: str
    find: Callable[[JudgingContext], Iterable[Finding]]
    alone: bool = False
    """Whether it is found from measurement, spec and programme, whatever people say of speech."""
    wants_stems: bool = False
    """Whether it cannot be told from estimates of voice and music."""
    reshaped: str = "Draw the ramp of {who} anew"
    """A remedy that gives a move another shape, as a sentence with ``{who}``, ``{amount}`` and ``{signed}`` (dB)."""

    def found(self, context: JudgingContext) -> Iterable[Finding]:
        """Its findings; those of a kind that looks at sound alone are found once."""
        return context.once(self._all) if self.alone else self.find(context)

    def _all(self, context: JudgingContext) -> tuple[Finding, ...]:
        return tuple(self.find(context))


@dataclass(frozen=True)
class Judgement:
    """A measurement against a spec."""

    measurement: Measurement
    context: JudgingContext
    findings: tuple[Finding, ...]
    clear_share: float | None

    @property
    def verdict(self) -> str:
        """``fail`` exactly when a finding of severity must is there."""
        return "fail" if any(f.severity == MUST for f in self.findings) else "pass"
