"""Composed music for the demo: a chord sequence with bass, broken chords, a slow pad, a melody and brushed rhythm."""

from functools import cache

import numpy as np

from .sound import RATE, Mono, Stereo, frames, hall, panned, place

# Steps of the minor scale on which the chords of the two strains stand.
_STRAINS = ((0, 5, 2, 6), (0, 3, 5, 4))
_SCALE = (0, 2, 3, 5, 7, 8, 10)
_MELODY = ((4, 2), (2, 1), (3, 1), (4, 2), (6, 1), (5, 1), (4, 3), (2, 1), (1, 2), (2, 2))
_BEATS = 4
_TAKES = 3


def compose(length_s: float, key: int, tempo: float, seed: int) -> Stereo:
    """Music of a length, in a key (MIDI note of the root) and tempo (beats a minute)."""
    rng = np.random.default_rng(seed)
    beat = 60 / tempo
    canvas = np.zeros((frames(length_s), 2))
    bars = int(np.ceil(length_s / (beat * _BEATS)))
    for bar in range(bars):
        strain = _STRAINS[bar // 8 % 2]
        step = strain[bar % len(strain)]
        # Phrases of eight bars grow to their middle and give way again.
        strength = 0.85 + 0.25 * np.sin(np.pi * (bar % 8 + 0.5) / 8)
        _bar(canvas, bar * beat * _BEATS, beat, key, step, strength, rng)
    _melody(canvas, length_s, beat, key, rng)
    return hall(canvas, 1.6, 0.35, seed)


def _note(key: int, step: int) -> float:
    octave, degree = divmod(step, len(_SCALE))
    return 440.0 * 2 ** ((key + 12 * octave + _SCALE[degree] - 69) / 12)


def _bar(
    canvas: Stereo, at_s: float, beat: float, key: int, step: int, strength: float, rng: np.random.Generator
) -> None:
    chord = [step, step + 2, step + 4]
    place(canvas, panned(0.35 * strength * _plucked(_note(key - 12, step), beat * 3.5, 5), -0.1), at_s)
    for k, tone in enumerate(chord):
        bowed = _bowed(_note(key, tone), beat * _BEATS * 1.1, int(rng.integers(_TAKES)))
        place(canvas, panned(0.09 * strength * bowed, (-0.7, 0.1, 0.7)[k]), at_s)
    for eighth in range(2 * _BEATS):
        tone = chord[(0, 1, 2, 1, 0, 2, 1, 2)[eighth]] + 7
        accent = 1.0 if eighth % 4 == 0 else 0.7
        slack = float(rng.normal(0, 0.006))
        plucked = 0.16 * strength * accent * _plucked(_note(key, tone), beat * 1.6, 8)
        place(canvas, panned(plucked, 0.35 - 0.1 * (eighth % 3)), max(0.0, at_s + eighth * beat / 2 + slack))
    for hit in range(_BEATS):
        brushed = 0.03 * strength * (1.4 if hit % 2 else 0.8) * _brush(beat * 0.45, int(rng.integers(_TAKES)))
        place(canvas, panned(brushed, 0.5), at_s + hit * beat)


def _melody(canvas: Stereo, length_s: float, beat: float, key: int, rng: np.random.Generator) -> None:
    now, turn = 8 * beat * _BEATS, 0
    while now < length_s - 2:
        step, beats = _MELODY[turn % len(_MELODY)]
        place(
            canvas,
            panned(0.11 * _bowed(_note(key + 12, step), beat * beats * 1.05, int(rng.integers(_TAKES))), -0.25),
            now,
        )
        now += beat * beats
        turn += 1
        if turn % len(_MELODY) == 0:
            now += beat * _BEATS


@cache
def _plucked(hz: float, length_s: float, partials: int) -> Mono:
    """A plucked string; the same note sounds again from memory."""
    t = np.arange(frames(length_s)) / RATE
    heard = [k for k in range(1, partials + 1) if hz * k < 9000]
    tone = sum(
        np.sin(2 * np.pi * hz * k * (1 + 0.0003 * k * k) * t) * np.exp(-t * (1.6 + 0.9 * k)) / k**1.3 for k in heard
    )
    return tone * np.minimum(1, t / 0.004) * np.minimum(1, (length_s - t) / 0.05)


@cache
def _bowed(hz: float, length_s: float, take: int) -> Mono:
    """A bowed string with its sway; a few takes of each note."""
    rng = np.random.default_rng([take, round(hz * 100)])
    t = np.arange(frames(length_s)) / RATE
    sway = 1 + 0.003 * np.sin(2 * np.pi * (4.8 + rng.random()) * t + rng.random() * 6)
    phase = 2 * np.pi * hz * np.cumsum(sway) / RATE + rng.random() * 6
    tone = sum(np.sin(k * phase) / k**1.6 for k in range(1, 7) if hz * k < 8000)
    return tone * np.minimum(1, t / 0.18) * np.minimum(1, (length_s - t) / 0.25)


@cache
def _brush(length_s: float, take: int) -> Mono:
    t = np.arange(frames(length_s)) / RATE
    noise = np.diff(np.random.default_rng(take).standard_normal(len(t) + 1))
    return noise * np.minimum(1, t / 0.02) * np.exp(-t * 14)
