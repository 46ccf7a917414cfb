"""Mixes that are measured without their stems: what the set holds, and what is done to a mix for each condition.

Even seeds are tuned on, odd ones only looked at to report; they share no music.
"""

from dataclasses import dataclass, replace
from math import gcd

import numpy as np
from scipy.signal import oaconvolve

from tests.evaluation import material
from tests.evaluation.levels import level_of
from tests.evaluation.material import RATE
from tests.evaluation.mixes import Mix, Plan, make

PLAIN, SUNG, MONO, REVERBERANT, EFFECTS, LOW, MUSIC_ALONE, WIDE = (
    "plain",
    "sung music",
    "mono",
    "reverberant dialogue",
    "effects",
    "below 0 LU",
    "music alone",
    "wide dialogue",
)
_SECONDS = 75.0
# How many mixes of a condition a half holds, and the margins over the clearance from the first to the last of them.
_SETS = (
    (PLAIN, 14, (-9.0, 7.0)),
    (SUNG, 4, (-4.0, 6.0)),
    (MONO, 4, (-6.0, 6.0)),
    (REVERBERANT, 4, (-6.0, 6.0)),
    (EFFECTS, 4, (-4.0, 6.0)),
    (LOW, 3, (-14.0, -11.0)),
    (MUSIC_ALONE, 3, (0.0, 0.0)),
    (WIDE, 2, (-6.0, 0.0)),
)
_WIDE_VOICES = ("dutch low", "dutch high")
_HAS_A_SIDE_DB = -30.0
_EFFECTS_LU, _REVERB_S, _REVERB_DB = (-12.0, 0.0), (0.4, 1.0), (-9.0, -3.0)


@dataclass(frozen=True)
class MixPlan:
    """A mix without stems: the plan of what it is made of, and its condition."""

    plan: Plan
    condition: str


def mix_plans(half, scale=1.0):
    """All of a half."""
    tracks, sung, voices = material.music()[half::2], material.sung()[half::2], list(material.voices())
    step = next(s for s in range(7, 8 + len(tracks)) if gcd(s, len(tracks)) == 1)
    found = []
    for condition, most, (low, high) in _SETS:
        count = max(1, round(most * scale))
        for k in range(count):
            number = len(found)
            track = sung[k % len(sung)] if condition == SUNG else _with_a_side(tracks, step * number + 3)
            plan = Plan(
                f"{condition} {k}",
                condition,
                700_000 + 2 * number + half,
                seconds=_SECONDS,
                voice=_WIDE_VOICES[k] if condition == WIDE else voices[(number * 5) % len(voices)],
                second_voice=voices[(number * 5 + 3) % len(voices)] if k % 4 == 3 else None,
                track=track,
                ducked=k % 3 != 2 and condition != LOW,
                room_db=-38.0 if k % 4 == 1 else None,
                margin_lu=low + (high - low) * k / max(1, count - 1),
            )
            found.append(MixPlan(plan, condition))
    return found


def _with_a_side(tracks, first):
    """The first of some pieces from a place on that is no mono in two channels."""
    return next(t for k in range(len(tracks)) if _side_db(t := tracks[(first + k) % len(tracks)]) > _HAS_A_SIDE_DB)


def _side_db(track):
    x = np.asarray(material.sound(track)[: 60 * RATE], dtype=np.float64)
    left, right = x.T
    return 10 * np.log10(((left - right) ** 2).sum() / ((left + right) ** 2).sum() + 1e-12)


def make_mix(wanted):
    """The mix of a plan: stems as they stand in it after what its condition does."""
    mix = make(wanted.plan)
    dice = np.random.default_rng(wanted.plan.seed + 17)
    if wanted.condition != WIDE:
        # As dialogue stands in most mixes, also where a voice was recorded in stereo.
        mix = replace(mix, dialogue=_mono(mix.dialogue))
    if wanted.condition == MUSIC_ALONE:
        return replace(mix, dialogue=np.zeros_like(mix.dialogue), speech=[], passages=[])
    if wanted.condition == MONO:
        return replace(mix, music=_mono(mix.music))
    if wanted.condition == REVERBERANT:
        return replace(mix, dialogue=_reverberant(mix.dialogue, dice))
    if wanted.condition == EFFECTS:
        return replace(mix, effects=_loud_effects(len(mix.music), dice))
    return mix


def under(mix: Mix):
    """All that lies under the voice."""
    return mix.music if mix.effects is None else mix.music + mix.effects


def _mono(stem):
    return np.repeat(stem.mean(axis=1, keepdims=True), 2, axis=1)


def _reverberant(dialogue, dice):
    """A voice in a room: each channel with a tail of its own that dies away over the reverberation time."""
    length, last_db = dice.uniform(*_REVERB_S), dice.uniform(*_REVERB_DB)
    times = np.arange(round(length * RATE)) / RATE
    tail = dice.standard_normal((len(times), 2)) * 10 ** (-3 * times / length)[:, None]
    tail[: RATE // 100] = 0
    mono = dialogue.mean(axis=1)
    wet = np.stack([oaconvolve(mono, tail[:, c])[: len(mono)] for c in range(2)], axis=1)
    wet *= 10 ** ((level_of(dialogue) + last_db - level_of(wet)) / 20)
    return (dialogue + wet).astype(np.float32)


def _loud_effects(length, dice):
    """Single sounds about as loud as the voice or somewhat softer."""
    out, pool, at = np.zeros((length, 2)), material.effects(), 2.0
    while True:
        at += float(dice.uniform(2, 8))
        x = np.array(material.sound(pool[int(dice.integers(len(pool)))]), dtype=np.float64)
        first = round(at * RATE)
        if first + len(x) > length:
            return out.astype(np.float32)
        x *= 10 ** ((-24.0 + float(dice.uniform(*_EFFECTS_LU)) - level_of(x)) / 20)
        x[-960:] *= np.linspace(1, 0, 960)[:, None]
        out[first : first + len(x)] += x
