"""Scripted mixes: what a mixer would have done to real music under real voices, with every gain known; and the same with one thing done wrong."""

from dataclasses import dataclass, field, replace
from itertools import pairwise

import numpy as np

from mezzavoce_core.measure.loudness import block_mean
from mezzavoce_core.measure.meter import Meter, Wanted
from mezzavoce_core.units import power_to_lufs
from tests.evaluation import material
from tests.evaluation.material import RATE

VOICE_LUFS = -24.0
CLEARANCE_LU = 10.0
AHEAD_S = (0.02, 0.3)


@dataclass(frozen=True)
class Trapezoid:
    """One move of the music's gain: its four times in seconds and how far down it goes; ``channels`` that it was drawn on."""

    fall_start_s: float
    fall_end_s: float
    return_start_s: float
    return_end_s: float
    depth_db: float
    channels: tuple[int, ...] = (0, 1)
    passage: int | None = None

    def gain_db(self, times_s):
        corners = [self.fall_start_s, self.fall_end_s, self.return_start_s, self.return_end_s]
        return np.interp(times_s, corners, [0, -self.depth_db, -self.depth_db, 0])


@dataclass(frozen=True)
class Fault:
    """What was done wrong, and where it is heard."""

    kind: str
    in_s: float
    out_s: float


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


def level_of(samples):
    """Loudness in LUFS of the louder half of some sound's blocks."""
    meter = Meter(RATE, samples.shape[1], Wanted(between_samples=False, faults=False))
    meter.feed(np.asarray(samples, dtype=np.float32))
    blocks = block_mean(meter.finish().power.sum(axis=1).astype(np.float64))
    loud = np.sort(blocks)[len(blocks) // 2 :]
    return float(power_to_lufs(loud.mean()))


def make(plan):
    """The mix that a plan describes; the same for the same plan."""
    dice = np.random.default_rng(plan.seed)
    dialogue, speech, passages = _dialogue(plan, dice)
    source = _music(plan, dice, len(dialogue))
    trapezoids = _automation(plan, dice, passages) if plan.ducked else []
    trapezoids, faults = _plant(plan, dice, passages, speech, trapezoids)
    source *= 10 ** (_open_gain_db(plan, dialogue, source, passages, trapezoids) / 20)
    music = source * _curve(trapezoids, len(source))
    effects = _effects(plan, dice, len(dialogue)) if plan.with_effects else None
    clean = dialogue
    if plan.room_db is not None:
        dialogue = dialogue + _room(dice, dialogue, plan.room_db)
    return Mix(plan, *(x if x is None else x.astype(np.float32) for x in (dialogue, music, effects)), speech, passages, trapezoids, faults, clean)


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
            speech += [(at + a, at + b) for a, b in _spoken_spans(piece)]
            at = end + float(dice.uniform(0.12, 0.8))
        if not speech or speech[-1][1] < begin:
            break
        passages.append((begin, speech[-1][1]))
        at = speech[-1][1] + float(dice.uniform(1.8, 7.0))
    return out, speech, passages


def _spoken(piece):
    """A spoken piece without its silence at both ends, at the voice's level."""
    x = np.asarray(material.sound(piece), dtype=np.float64)
    loud = np.flatnonzero(np.abs(x).max(axis=1) > np.abs(x).max() * 0.02)
    x = x[max(0, loud[0] - 240) : loud[-1] + 480].copy()
    x[:240] *= np.linspace(0, 1, 240)[:, None]
    x[-480:] *= np.linspace(1, 0, 480)[:, None]
    return x * 10 ** ((VOICE_LUFS - level_of(x)) / 20)


def _spoken_spans(x):
    """Where the words are in a clean piece: 20 ms frames within 30 dB of the loud ones, gaps up to 0.3 s filled."""
    hop = RATE // 100
    power = (x[: len(x) // hop * hop].reshape(-1, hop, 2) ** 2).mean(axis=(1, 2))
    smooth = np.convolve(power, np.ones(3) / 3, mode="same")
    over = smooth > np.percentile(smooth, 95) * 1e-3
    edges = np.flatnonzero(np.diff(np.concatenate([[0], over.astype(int), [0]])))
    spans = []
    for a, b in edges.reshape(-1, 2):
        if spans and a - spans[-1][1] <= 30:
            spans[-1][1] = b
        elif b - a >= 4:
            spans.append([a, b])
    return [(a / 100, b / 100) for a, b in spans]


def _music(plan, dice, length):
    """A stretch of a piece, in its own dynamics; short pieces go round with a crossfade."""
    x = material.sound(plan.track)
    start = int(dice.integers(0, max(1, len(x) - length)))
    part = np.array(x[start : start + length], dtype=np.float64)
    while len(part) < length:
        fade = RATE
        more = np.array(x[: length - len(part) + fade], dtype=np.float64)
        more[:fade] *= np.linspace(0, 1, fade)[:, None]
        part[-fade:] *= np.linspace(1, 0, fade)[:, None]
        part = np.concatenate([part[:-fade], part[-fade:] + more[:fade], more[fade:]])
    return part


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
        d, f, r = (depth, fall, back) if plan.alike else (float(dice.uniform(*x)) for x in (plan.depth_db, plan.fall_s, plan.return_s))
        end = a - float(dice.uniform(*AHEAD_S))
        start_back = b + float(dice.uniform(0.05, 0.5))
        found.append(Trapezoid(end - f, end, start_back, start_back + r, d, passage=k))
    return found


def _curve(trapezoids, length):
    times = np.arange(0, length + 48, 48) / RATE
    curve = np.zeros((len(times), 2))
    for t in trapezoids:
        for c in t.channels:
            curve[:, c] += t.gain_db(times)
    fine = np.arange(length) / RATE
    return np.stack([10 ** (np.interp(fine, times, curve[:, c]) / 20) for c in range(2)], axis=1)


def _open_gain_db(plan, dialogue, source, passages, trapezoids):
    """The gain with which the music in its beds leaves the voice the clearance and a margin in the thinnest passage."""
    proper = [t for t in trapezoids if t.passage is not None and len(t.channels) == 2]
    usual = float(np.median([t.depth_db for t in proper])) if proper else 0.0
    gaps = []
    for a, b in passages:
        part = slice(round(a * RATE), round(b * RATE))
        for s in range(part.start, part.stop, 3 * RATE):
            piece = slice(s, min(s + 3 * RATE, part.stop))
            if piece.stop - piece.start > RATE:
                gaps.append(level_of(dialogue[piece]) - level_of(source[piece]))
    return min(gaps) + usual - CLEARANCE_LU - plan.margin_lu


def _room(dice, dialogue, room_db):
    """Noise of a room, falling towards high frequencies, so far under the voice."""
    noise = np.cumsum(dice.standard_normal((len(dialogue), 2)) * 0.02, axis=0)
    noise -= np.stack([np.convolve(noise[:, c], np.ones(2400) / 2400, mode="same") for c in range(2)], axis=1)
    return noise * 10 ** ((VOICE_LUFS + room_db - level_of(noise)) / 20)


def _effects(plan, dice, length):
    """Single sounds now and then, well under the voice."""
    out, pool = np.zeros((length, 2)), material.effects()
    at = 1.0
    while at < plan.seconds - 9:
        at += float(dice.uniform(3, 12))
        x = np.array(material.sound(pool[int(dice.integers(len(pool)))]), dtype=np.float64)
        x *= 10 ** ((VOICE_LUFS - 18 - level_of(x)) / 20)
        x[-960:] *= np.linspace(1, 0, 960)[:, None]
        end = min(length, round(at * RATE) + len(x))
        out[round(at * RATE) : end] += x[: end - round(at * RATE)]
    return out


def _plant(plan, dice, passages, speech, trapezoids):
    faults, order = [], list(dice.permutation(len(trapezoids)))
    for kind in plan.faults:
        for k in order:
            t = trapezoids[k]
            if t is None or t.passage is None or any(f.in_s < t.return_end_s + 2 and t.fall_start_s - 2 < f.out_s for f in faults):
                continue
            others = [o for j, o in enumerate(trapezoids) if o is not None and j != k]
            made = _PLANTS[kind](dice, t, passages, speech, others, plan)
            if made is None:
                continue
            new, fault = made
            trapezoids = [*trapezoids[:k], None, *trapezoids[k + 1 :], *new]
            faults.append(fault)
            break
    return sorted((t for t in trapezoids if t is not None), key=lambda t: t.fall_start_s), faults


def _after(t, others, seconds):
    return min((o.fall_start_s for o in others if o.fall_start_s > t.fall_start_s), default=seconds)


def _before(t, others):
    return max((o.return_end_s for o in others if o.return_end_s < t.return_start_s), default=0.0)


def _late(dice, t, passages, speech, others, plan):
    onset = passages[t.passage][0]
    end, fall = onset + float(dice.uniform(0.35, 0.9)), t.fall_end_s - t.fall_start_s
    return [replace(t, fall_start_s=end - fall, fall_end_s=end)], Fault("duck-late", onset, end)


def _early(dice, t, passages, speech, others, plan):
    onset, fall = passages[t.passage][0], t.fall_end_s - t.fall_start_s
    end = onset - float(dice.uniform(1.6, 3.0))
    if end - fall < _before(t, others) + 0.5:
        return None
    return [replace(t, fall_start_s=end - fall, fall_end_s=end)], Fault("duck-early", end, onset)


def _missing(dice, t, passages, speech, others, plan):
    return [], Fault("duck-missing", t.fall_end_s, t.return_start_s)


def _shallow(dice, t, passages, speech, others, plan):
    depth = t.depth_db * float(dice.uniform(0.25, 0.45))
    return ([replace(t, depth_db=depth)], Fault("duck-shallow", t.fall_end_s, t.return_start_s)) if t.depth_db - depth > 5 else None


def _plunge(dice, t, passages, speech, others, plan):
    return [replace(t, depth_db=float(dice.uniform(21, 26)))], Fault("duck-plunge", t.fall_end_s, t.return_start_s)


def _pumping(dice, t, passages, speech, others, plan):
    inside = [(a, b) for a, b in speech if t.fall_end_s < a and b < t.return_start_s]
    pauses = [(x[1], y[0]) for x, y in pairwise(inside) if 0.45 <= y[0] - x[1] < 0.95]
    if not pauses:
        return None
    up, rise = float(dice.uniform(4, 8)), float(dice.uniform(0.04, 0.12))
    moves = [Trapezoid(a + 0.03, a + 0.03 + rise, b - 0.03 - rise, b - 0.03, -min(up, t.depth_db)) for a, b in pauses]
    return [t, *moves], Fault("duck-pumping", pauses[0][0], pauses[-1][1])


def _abrupt(dice, t, passages, speech, others, plan):
    return [replace(t, fall_start_s=t.fall_end_s - float(dice.uniform(0.005, 0.025)))], Fault("duck-abrupt", t.fall_end_s - 0.03, t.fall_end_s)


def _slow_ramp(dice, t, passages, speech, others, plan):
    length = float(dice.uniform(1.9, 2.5))
    start = t.fall_end_s - length
    if start < _before(t, others) + 0.3:
        return None
    return [replace(t, fall_start_s=start)], Fault("duck-slow-ramp", start, t.fall_end_s)


def _slow_return(dice, t, passages, speech, others, plan):
    late = passages_out(t, passages) + float(dice.uniform(3.2, 4.5))
    back = t.return_end_s - t.return_start_s
    if late + back > _after(t, others, plan.seconds) - 0.5:
        return None
    return [replace(t, return_start_s=late, return_end_s=late + back)], Fault("duck-slow-return", t.return_start_s, late + back)


def passages_out(t, passages):
    """Where the last passage under a trapezoid ends."""
    return max(b for a, b in passages if a < t.return_start_s)


def _stray(dice, t, passages, speech, others, plan):
    after = _after(t, others, plan.seconds)
    if after - t.return_end_s < 4.0:
        return None
    start = t.return_end_s + 1.0
    hold = float(dice.uniform(0.6, max(0.7, min(2.0, after - start - 2.2))))
    dip = Trapezoid(start, start + 0.3, start + 0.3 + hold, start + 0.8 + hold, max(8.0, t.depth_db))
    return [t, dip], Fault("duck-stray", start, dip.return_end_s)


def _uneven(dice, t, passages, speech, others, plan):
    # Not so deep that it would be a plunge.
    way = 1 if t.depth_db < 11 else -1
    return [replace(t, depth_db=t.depth_db + way * float(dice.uniform(5, 6)))], Fault("duck-uneven", t.fall_end_s, t.return_start_s)


def _one_sided(dice, t, passages, speech, others, plan):
    return [replace(t, channels=(int(dice.integers(2)),))], Fault("duck-one-sided", t.fall_start_s, t.return_end_s)


_PLANTS = {
    "duck-late": _late,
    "duck-early": _early,
    "duck-missing": _missing,
    "duck-shallow": _shallow,
    "duck-plunge": _plunge,
    "duck-pumping": _pumping,
    "duck-abrupt": _abrupt,
    "duck-slow-ramp": _slow_ramp,
    "duck-slow-return": _slow_return,
    "duck-stray": _stray,
    "duck-uneven": _uneven,
    "duck-one-sided": _one_sided,
}
