"""Scripted mixes: what a mixer would have done to real music under real voices, with every gain known.

And the same with one thing done wrong.
"""

from dataclasses import dataclass, field, replace

import numpy as np
from scipy.fft import irfft, next_fast_len, rfft, rfftfreq
from scipy.signal import oaconvolve

from tests.evaluation import cues, material, other_faults
from tests.evaluation.faults import CLEARANCE_LU, Fault, Trapezoid, plant
from tests.evaluation.levels import VOICE_LUFS, level_of
from tests.evaluation.material import RATE

AHEAD_S = (0.02, 0.3)
BRIDGED_S = 0.3
_PIECE, _STEP = 3 * RATE // 2, RATE // 2
"""A mixer listens for a voice over music in pieces of words so short that no half-sentence is lost, up to the last word
of a passage."""
_SHORTEST = RATE // 5
"""Of what a cue has under a voice; in less of it nothing is lost."""
_LEFT_DB, _RAISED_DB, _WORDS_DB = 2.0, 9.0, 20.0
"""Words further under the others than the first are raised, by at most the second; what is under them by more than the
third is none."""
_UNDER_DB, _BRIGHTENED_DB = 20.0, 10.0
"""A voice whose 2 to 4 kHz stand further under its whole than the first is brightened by at most the second."""
_DRAWS, _DRAW_APART = 12, 1_000_000


@dataclass(frozen=True)
class Plan:
    """What a mix is to be like."""

    name: str
    group: str
    seed: int
    seconds: float = 120.0
    voice: str = "english"
    second_voice: str | None = None
    track: material.Piece | None = None
    more_tracks: tuple[material.Piece, ...] = ()
    alike: bool = True
    ducked: bool = True
    depth_db: tuple[float, float] = (6.0, 14.0)
    fall_s: tuple[float, float] = (0.1, 0.8)
    return_s: tuple[float, float] = (0.2, 1.2)
    room_db: float | None = None
    with_effects: bool = False
    faults: tuple[str, ...] = ()
    margin_lu: float = 3.0


@dataclass
class Mix:
    """A scripted mix: stems ``(frames, 2)``, and the truth about them."""

    plan: Plan
    dialogue: np.ndarray
    music: np.ndarray
    effects: np.ndarray | None
    speech: list[tuple[float, float]]
    passages: list[tuple[float, float]]
    trapezoids: list[Trapezoid]
    faults: list[Fault] = field(default_factory=list)
    clean_dialogue: np.ndarray | None = None

    @property
    def mix(self):
        total = self.dialogue + self.music
        return total if self.effects is None else total + self.effects

    def changed(self, role, added):
        """The same with something added to a stem."""
        stem = getattr(self, role)
        return replace(self, **{role: (stem + added).astype(stem.dtype)})


def make(plan):
    """The mix that a plan describes; the same for the same plan.

    Where its one fault finds no room, or no voice that needs the music lower, another draw is made.
    """
    return _first_with_a_fault(plan)[0]


def make_clean(plan):
    """The mix that a plan describes without its fault: the same draw, the same words and music."""
    return _drawn(replace(plan, faults=()), _first_with_a_fault(plan)[1])


def _first_with_a_fault(plan):
    """The mix, and the seed of its draw."""
    seed = plan.seed
    mix = _drawn(plan, seed)
    for again in range(1, _DRAWS if len(plan.faults) == 1 else 1):
        if mix.faults:
            break
        seed = plan.seed + again * _DRAW_APART
        mix = _drawn(plan, seed)
    return mix, seed


def _drawn(plan, seed):
    dice = np.random.default_rng(seed)
    dialogue, speech, passages = _dialogue(plan, dice)
    if plan.more_tracks:
        trapezoids = _automation(plan, dice, passages)
        source, spans, faults = cues.joined(
            (plan.track, *plan.more_tracks), dice, trapezoids, plan.seconds, plan.faults
        )
        source = cues.levelled(
            source,
            spans,
            [_open_gain_db(plan, dialogue, source, speech, passages, trapezoids, s) for s in spans],
            faults,
        )
    else:
        source, spans, faults = _music(plan, dice, len(dialogue)), [], []
        trapezoids = _automation(plan, dice, passages) if plan.ducked else []
        source *= 10 ** (_open_gain_db(plan, dialogue, source, speech, passages, trapezoids) / 20)
    faults = cues.deviating(cues.startling(faults, source), source, spans)
    whole, at_joins = cues.told_apart(faults)
    open_lu = _open_ratios(dialogue, source, speech, passages)
    trapezoids, faults = plant(
        plan.faults, dice, passages, speech, trapezoids, plan.seconds, open_lu, at_joins, cues.rests(spans)
    )
    music = _with_gain(source, trapezoids)
    effects = _effects(plan, dice, len(dialogue)) if plan.with_effects else None
    if other_faults.LOW in plan.faults:
        faults += other_faults.low_voice(dice, passages, faults, dialogue, music)
    if other_faults.OVER in plan.faults:
        faults += other_faults.loud_effect(dice, passages, speech, faults, effects)
    faults = cues.unprepared(faults, dialogue if effects is None else dialogue + effects, music)
    clean = dialogue
    if plan.room_db is not None:
        dialogue = dialogue + _room(dice, dialogue, plan.room_db)
    stems = (x if x is None else x.astype(np.float32, copy=False) for x in (dialogue, music, effects))
    return Mix(plan, *stems, speech, passages, trapezoids, [*whole, *faults], clean)


def _dialogue(plan, dice):
    """Spoken pieces with short pauses in groups, and longer pauses between groups."""
    library = material.voices()
    pools = [library[v] for v in (plan.voice, plan.second_voice) if v]
    out = np.zeros((round(plan.seconds * RATE), 2))
    at, speech, passages = float(dice.uniform(2.5, 6)), [], []
    while at < plan.seconds - 6:
        pool, begin = pools[len(passages) % len(pools)], at
        for _ in range(int(dice.integers(1, 5))):
            piece = _spoken(pool[int(dice.integers(len(pool)))])
            end = at + len(piece) / RATE
            if end > plan.seconds - 4:
                break
            out[round(at * RATE) : round(at * RATE) + len(piece)] += piece
            for a, b in _spoken_spans(piece):
                # A gap so short counts as speech, also between two pieces.
                begins = speech.pop()[0] if speech and at + a - speech[-1][1] <= BRIDGED_S else at + a
                speech.append((begins, at + b))
            at = end + float(dice.uniform(0.12, 0.8))
        if not speech or speech[-1][1] < begin:
            break
        passages.append((begin, speech[-1][1]))
        at = speech[-1][1] + float(dice.uniform(1.8, 7.0))
    return out, speech, passages


def _spoken(piece):
    """A spoken piece without its silence at both ends, ridden and at the voice's level."""
    x = np.asarray(material.sound(piece), dtype=np.float64)
    loud = np.flatnonzero(np.abs(x).max(axis=1) > np.abs(x).max() * 0.02)
    x = x[max(0, loud[0] - 240) : loud[-1] + 480].copy()
    x[:240] *= np.linspace(0, 1, 240)[:, None]
    x[-480:] *= np.linspace(1, 0, 480)[:, None]
    x = _ridden(_brightened(x))
    return x * 10 ** ((VOICE_LUFS - level_of(x)) / 20)


def _brightened(x):
    """A dull voice with what lies above 1 kHz raised, fully from 2 kHz on, as a mixer does before anything else."""
    length = next_fast_len(len(x), real=True)
    spectrum, hz = rfft(x, length, axis=0), rfftfreq(length, 1 / RATE)
    power = (np.abs(spectrum) ** 2).sum(axis=1)
    under = 10 * np.log10(power.sum() / (power[(hz >= 2000) & (hz < 4000)].sum() + 1e-12))
    raised = np.clip(under - _UNDER_DB, 0, _BRIGHTENED_DB) * np.clip(np.log2(np.maximum(hz, 1) / 1000), 0, 1)
    return irfft(spectrum * 10 ** (raised / 20)[:, None], length, axis=0)[: len(x)]


def _ridden(x):
    """A voice with its soft words raised, as every mixer does; what lies far under it stays."""
    tenth = RATE // 10
    count = -(-len(x) // tenth)
    power = np.pad(x, ((0, count * tenth - len(x)), (0, 0))).reshape(count, tenth, 2)
    level = 10 * np.log10(np.convolve((power**2).mean(axis=(1, 2)), np.full(5, 0.2), mode="same") + 1e-12)
    under = 10 * np.log10(np.mean(np.sort(10 ** (level / 10))[count // 2 :])) - _LEFT_DB - level
    gain = np.where(under < _WORDS_DB, np.clip(under, 0, _RAISED_DB), 0.0)
    return x * 10 ** (np.interp(np.arange(len(x)), (np.arange(count) + 0.5) * tenth, gain) / 20)[:, None]


def _spoken_spans(x):
    """Where the words are in a clean piece: 20 ms frames within 30 dB of the loud ones, gaps up to 0.3 s filled."""
    hop = RATE // 100
    power = (x[: len(x) // hop * hop].reshape(-1, hop, 2) ** 2).mean(axis=(1, 2))
    smooth = np.convolve(power, np.ones(3) / 3, mode="same")
    over = smooth > np.percentile(smooth, 95) * 1e-3
    edges = np.flatnonzero(np.diff(np.concatenate([[0], over.astype(int), [0]])))
    spans = []
    for a, b in edges.reshape(-1, 2):
        if spans and a - spans[-1][1] <= BRIDGED_S * 100:
            spans[-1][1] = b
        elif b - a >= 4:
            spans.append([a, b])
    return [(a / 100, b / 100) for a, b in spans]


def _music(plan, dice, length):
    """A stretch of a piece, in its own dynamics."""
    x = material.sound(plan.track)
    return cues.going_round(x, int(dice.integers(0, max(1, len(x) - length))), length)


def _automation(plan, dice, passages):
    """One trapezoid a passage, passages closer than about 1.5 s under one."""
    depth, fall, back = (float(dice.uniform(*r)) for r in (plan.depth_db, plan.fall_s, plan.return_s))
    groups = []
    for k, (a, b) in enumerate(passages):
        if groups and a - groups[-1][2] < 2.2:
            groups[-1][2] = b
        else:
            groups.append([k, a, b])
    found = []
    for k, a, b in groups:
        d, f, r = (
            (depth, fall, back)
            if plan.alike
            else (float(dice.uniform(*x)) for x in (plan.depth_db, plan.fall_s, plan.return_s))
        )
        end = a - float(dice.uniform(*AHEAD_S))
        start_back = b + float(dice.uniform(0.05, 0.5))
        found.append(Trapezoid(end - f, end, start_back, start_back + r, d, passage=k))
    return found


def _with_gain(source, trapezoids):
    """The music with its automation, in place; piece by piece, since long programmes fill the memory."""
    times = np.arange(0, len(source) + 48, 48) / RATE
    curve = np.zeros((len(times), 2))
    for t in trapezoids:
        for c in t.channels:
            curve[:, c] += t.gain_db(times)
    for begin in range(0, len(source), 60 * RATE):
        fine = np.arange(begin, min(begin + 60 * RATE, len(source))) / RATE
        source[begin : begin + 60 * RATE] *= np.stack(
            [10 ** (np.interp(fine, times, curve[:, c]) / 20) for c in range(2)], axis=1
        )
    return source


def _open_gain_db(plan, dialogue, source, speech, passages, trapezoids, within=(0.0, np.inf)):
    """The gain with which the music in its beds leaves the voice the clearance and a margin.

    Where it is thinnest; inf where nobody speaks.
    """
    proper = [t for t in trapezoids if t.passage is not None and len(t.channels) == 2]
    usual = float(np.median([t.depth_db for t in proper])) if proper else 0.0
    gaps = []
    for a, b in passages:
        first, last = max(a, within[0]), min(b, within[1])
        if not any(c < last and first < d for c, d in speech):
            continue
        voice, under = _under_words(dialogue, source, speech, first, last)
        for begin in (*range(0, len(voice) - _PIECE, _STEP), max(0, len(voice) - _PIECE)):
            piece = slice(begin, begin + _PIECE)
            if len(voice[piece]) > _SHORTEST:
                gaps.append(level_of(voice[piece]) - level_of(under[piece]))
    return min(gaps, default=np.inf) + usual - CLEARANCE_LU - plan.margin_lu


def _open_ratios(dialogue, source, speech, passages):
    """Voice over music in the clear while words are spoken, passage by passage."""
    found = []
    for a, b in passages:
        voice, under = _under_words(dialogue, source, speech, a, b)
        found.append(level_of(voice) - level_of(under))
    return found


def _under_words(dialogue, source, speech, first_s, last_s):
    """Voice and music while words are spoken between two times, without the pauses."""
    words = [
        slice(round(max(c, first_s) * RATE), round(min(d, last_s) * RATE))
        for c, d in speech
        if c < last_s and first_s < d
    ]
    return (np.concatenate([x[w] for w in words]) for x in (dialogue, source))


def _room(dice, dialogue, room_db):
    """Noise of a room, falling towards high frequencies, so far under the voice."""
    noise = np.cumsum(dice.standard_normal((len(dialogue), 2)) * 0.02, axis=0)
    noise -= np.stack([oaconvolve(noise[:, c], np.ones(2400) / 2400, mode="same") for c in range(2)], axis=1)
    return noise * 10 ** ((VOICE_LUFS + room_db - level_of(noise)) / 20)


def _effects(plan, dice, length):
    """Single sounds now and then, well under the voice also where they are loudest."""
    out, pool = np.zeros((length, 2)), material.effects()
    at = 1.0
    while at < plan.seconds - 9:
        at += float(dice.uniform(3, 12))
        if at >= plan.seconds:
            break
        x = np.array(material.sound(pool[int(dice.integers(len(pool)))]), dtype=np.float64)
        x *= 10 ** (
            (VOICE_LUFS - 18 - max(level_of(x[a : a + _PIECE]) for a in range(0, max(1, len(x) - _PIECE), _STEP))) / 20
        )
        x[-960:] *= np.linspace(1, 0, 960)[:, None]
        end = min(length, round(at * RATE) + len(x))
        out[round(at * RATE) : end] += x[: end - round(at * RATE)]
    return out
