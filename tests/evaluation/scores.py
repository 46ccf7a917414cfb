"""What the analysis makes of one scripted mix, against what is known of it."""

from dataclasses import dataclass, field

import numpy as np
from pystoi import stoi

from mezzavoce_core.judge.judging import judge
from mezzavoce_core.judge.spec import Limits, Spec
from mezzavoce_core.measure.audibility import WEIGHTS, band_audibility
from mezzavoce_core.measure.loudness import block_mean, mean_lufs
from mezzavoce_core.measure.measurement import Measurement, StemLevels
from tests.evaluation import material
from tests.evaluation.cues import JUMP
from tests.evaluation.mixes import RATE, make
from tests.evaluation.plans import RATIOS
from tests.signals import info, levels_of, sounding

SPEC = Spec("levels not judged", Limits(integrated_lufs=None, true_peak_max_dbtp=None, section_jump_lu=None))
CORNERS = ("fall_start_s", "fall_end_s", "return_start_s", "return_end_s")
NEAR_S = 1.0
SHORTEST_S = 1.5
LIBRARY_BANDS = 15


@dataclass(frozen=True)
class Followed:
    """How much of a passage can be followed.

    What the library says, what is measured, and that over the bands which the library hears.
    """

    library: float
    audibility: float
    in_shared_bands: float
    full_band: bool


@dataclass(frozen=True)
class Beside:
    """What is found where nothing was planted: its kind, and what was measured against which limit."""

    kind: str
    measured: float | None
    limit: float | None
    unit: str


@dataclass
class Score:
    """Figures of one mix."""

    plan: object
    minutes: float
    speech: tuple[int, int, int] = (0, 0, 0)
    ratio_errors: list[float] = field(default_factory=list)
    ducks: int = 0
    found: int = 0
    false_ducks: int = 0
    passages: int = 0
    depth_errors: list[float] = field(default_factory=list)
    time_errors: list[float] = field(default_factory=list)
    planted: list[tuple[str, bool]] = field(default_factory=list)
    others: list[Beside] = field(default_factory=list)
    followed: list[Followed] = field(default_factory=list)


def measured(mix, known=()):
    """The mix and its stems through the meter, as a measurement.

    The levels of ``known`` stems by their roles are taken as they are.
    """
    stems = [("dialogue", mix.dialogue), ("music", mix.music)] + (
        [("effects", mix.effects)] if mix.effects is not None else []
    )
    parts = tuple(known[role] if role in known else _levels(role, s) for role, s in stems)
    whole = levels_of(mix.mix, between_samples=False)
    return Measurement(info(len(mix.music) / RATE, channels=2), "evaluation", whole, parts).with_music_gain(
        *sounding(mix.music)
    )


def _levels(role, stem):
    return StemLevels(
        f"{role}.wav",
        role,
        levels_of(stem, between_samples=False, faults=False, bands=True, spectrum=role == "music"),
        0.0,
        0.0,
        1.0,
    )


def score(plan):
    """Make the mix, measure, judge, compare."""
    mix = make(plan)
    result = judge(measured(mix), SPEC)
    scored = Score(plan, plan.seconds / 60, passages=len(mix.passages))
    _speech(scored, mix, result.context)
    _ratios(scored, mix, result.context)
    _ducks(scored, mix, result.context)
    _findings(scored, mix, result.findings)
    if plan.group == RATIOS:
        _followed(scored, mix, result.context)
    return scored


def _speech(scored, mix, evidence):
    """Frames of 100 ms: hits, false ones, missed ones; frames within 100 ms of an edge are not counted."""
    count = len(evidence.balance.active)
    true, seen, edge = (np.zeros(count, dtype=bool) for _ in range(3))
    for spans, flags in ((mix.speech, true), ([(s.in_s, s.out_s) for s in evidence.speech], seen)):
        for a, b in spans:
            flags[round(a * 10) : round(b * 10)] = True
    for a, b in mix.speech:
        for t in (a, b):
            edge[max(0, int(t * 10) - 1) : int(t * 10) + 2] = True
    true, seen = true[~edge], seen[~edge]
    scored.speech = int((true & seen).sum()), int((~true & seen).sum()), int((true & ~seen).sum())


def _followed(scored, mix, evidence):
    """What the reference library says of each passage (Taal et al.

    2011, package ``pystoi``), its audibility, and that of the bands which the library hears.

    It works at 10 kHz with 15 one-third octaves from 150 Hz on; what covers a voice above 4.4 kHz is nothing to it. It
    listens with one ear, so each channel is given to it: the sum of both would lower music that is wide by up to 3 dB
    against the voice.
    """
    clean, heard = mix.clean_dialogue.T, mix.mix.T
    full = not {mix.plan.voice, mix.plan.second_voice} & material.UP_TO_4_KHZ
    for passage in evidence.passages:
        here = slice(round(passage.in_s * RATE), round(passage.out_s * RATE))
        if passage.audibility is not None and passage.out_s - passage.in_s >= SHORTEST_S:
            speech, background = np.array([(b.speech_db, b.background_db) for b in passage.bands[:LIBRARY_BANDS]]).T
            shared = band_audibility(speech, background) @ WEIGHTS[:LIBRARY_BANDS]
            library = np.mean(
                [stoi(voice[here], all_of_it[here], RATE) for voice, all_of_it in zip(clean, heard, strict=True)]
            )
            scored.followed.append(Followed(float(library), passage.audibility, float(shared), full))


def _ratios(scored, mix, evidence):
    """Ratio of every passage that was found, against the ratio over the true words of it."""
    levels = {
        name: block_mean(levels_of(s, between_samples=False, faults=False).power.sum(axis=1).astype(float))
        for name, s in (("v", mix.clean_dialogue), ("m", mix.music))
    }
    true = np.zeros(len(levels["v"]), dtype=bool)
    for a, b in mix.speech:
        true[round(a * 10) : round(b * 10)] = True
    for passage in evidence.passages:
        here = np.flatnonzero(true[int(passage.in_s * 10) : int(passage.out_s * 10)]) + int(passage.in_s * 10)
        if len(here) < 8 or passage.speech_to_music_lu is None:
            continue
        voice, music = mean_lufs(levels["v"][here]), mean_lufs(levels["m"][here])
        scored.ratio_errors.append(abs(passage.speech_to_music_lu - (voice - music)))


def _ducks(scored, mix, evidence):
    true = [t for t in mix.trapezoids if t.depth_db >= 5 and len(t.channels) == 2]
    used = set()
    for t in true:
        near = [d for d in evidence.ducks if id(d) not in used and _overlap(d, t)]
        if not near:
            continue
        best = min(near, key=lambda d: sum(abs((getattr(d, c) or 0) - getattr(t, c)) for c in CORNERS))
        used.add(id(best))
        scored.found += 1
        scored.depth_errors.append(abs(best.depth_db - t.depth_db))
        scored.time_errors += [abs(getattr(best, c) - getattr(t, c)) for c in CORNERS if getattr(best, c) is not None]
    scored.ducks = len(true)
    small = [t for t in mix.trapezoids if 0 < t.depth_db < 5]
    scored.false_ducks = sum(id(d) not in used and not any(_overlap(d, t) for t in small) for d in evidence.ducks)


def _overlap(duck, t):
    begin = -np.inf if duck.fall_end_s is None else duck.fall_end_s
    end = np.inf if duck.return_start_s is None else duck.return_start_s
    return begin < t.return_start_s and end > t.fall_end_s


def _findings(scored, mix, findings):
    """Whether each planted fault is found with its kind near its place, and what else is found."""
    used = set()
    for fault in mix.faults:
        hit = next(
            (
                f
                for f in findings
                if f.kind == fault.kind and f.in_s < fault.out_s + NEAR_S and fault.in_s - NEAR_S < f.out_s
            ),
            None,
        )
        scored.planted.append((fault.kind, hit is not None))
        # A whole cue that stands off from the others explains nothing else that is found in it.
        near = (f for f in findings if f.in_s < fault.out_s + NEAR_S and fault.in_s - NEAR_S < f.out_s)
        used |= {id(f) for f in near if fault.kind != JUMP or f.kind == JUMP}
    scored.others = [Beside(f.kind, f.measured, f.limit, f.unit) for f in findings if id(f) not in used]
