"""Sea, wind, engine, bell, horn and the clank of a can, made from noise and partials."""

from collections.abc import Callable

import numpy as np

from ..programmes.story import Sound
from .sound import RATE, Stereo, at_loudness, band, faded, frames, hall, panned

_SEA_LOOP_S = 20.0


def make(sound: Sound, seed: int) -> Stereo:
    """The effect at its loudness, with a tail where it has one."""
    rng = np.random.default_rng(seed)
    return at_loudness(_MAKERS[sound.what](sound.length_s, rng), sound.level_lufs)


def _sea(length_s: float, rng: np.random.Generator) -> Stereo:
    t = np.arange(frames(length_s)) / RATE
    sides = []
    # Filtered as a circle, the noise goes on without a seam.
    loop = frames(_SEA_LOOP_S)
    for shift in (0.0, 1.3):
        swell = 1 + 0.3 * np.sin(2 * np.pi * (t + shift) / 9.7) + 0.15 * np.sin(2 * np.pi * (t + shift) / 4.1)
        surf = band(rng.standard_normal(loop), 120, 1400)
        sides.append(np.resize(surf, len(t)) * swell)
    return faded(np.stack(sides, axis=1), 1.0, 1.0)


def _wind(length_s: float, rng: np.random.Generator) -> Stereo:
    t = np.arange(frames(length_s)) / RATE
    gusts = 1 + 0.5 * np.sin(2 * np.pi * t / 3.3 + rng.random() * 6)
    noise = band(rng.standard_normal(len(t)), 250, 700) + 0.3 * band(rng.standard_normal(len(t)), 900, 1500) * gusts
    return faded(panned(noise * gusts, -0.2), 1.5, 1.5)


def _engine(length_s: float, rng: np.random.Generator) -> Stereo:
    t = np.arange(frames(length_s)) / RATE
    phase = 2 * np.pi * 31 * t + 0.6 * np.sin(2 * np.pi * 0.7 * t)
    tone = sum(np.sin(k * phase + rng.random() * 6) / k**0.8 for k in range(1, 40))
    stroke = 0.6 + 0.4 * np.sin(phase / 2) ** 2
    return faded(panned((tone + 0.8 * band(rng.standard_normal(len(t)), 300, 2500)) * stroke, 0.15), 0.8, 0.8)


def _bell(length_s: float, rng: np.random.Generator) -> Stereo:
    t = np.arange(frames(length_s)) / RATE
    partials = (
        (0.5, 0.5, 0.8),
        (1, 1, 1.1),
        (1.19, 0.7, 1.5),
        (1.5, 0.5, 1.9),
        (2.0, 0.8, 2.2),
        (2.74, 0.4, 3.4),
        (3.76, 0.25, 5.0),
    )
    tone = sum(a * np.sin(2 * np.pi * 392 * r * t + rng.random()) * np.exp(-t * d) for r, a, d in partials)
    return faded(hall(panned(tone * np.minimum(1, t / 0.004), 0.3), 1.2, 0.3, 5), 0.0, 0.4)


def _horn(length_s: float, rng: np.random.Generator) -> Stereo:
    t = np.arange(frames(length_s)) / RATE
    phase = 2 * np.pi * 155 * t + 0.05 * np.sin(2 * np.pi * 5 * t)
    # Partials in step add up to a sharp wave: loud at the peak, modest on the meter.
    tone = sum(np.cos(k * phase) / k**0.6 for k in range(1, 24)) + 0.02 * rng.standard_normal(len(t))
    return faded(hall(panned(tone, -0.3), 1.5, 0.25, 7), 0.12, 0.5)


def _clank(length_s: float, rng: np.random.Generator) -> Stereo:
    t = np.arange(frames(length_s)) / RATE
    tone = sum(np.sin(2 * np.pi * f * t) * np.exp(-t * d) for f, d in ((540, 7), (913, 8), (1480, 10), (2270, 14)))
    return faded(panned(tone + 0.4 * rng.standard_normal(len(t)) * np.exp(-t * 40), 0.2), 0.003, 0.08)


_MAKERS: dict[str, Callable[[float, np.random.Generator], Stereo]] = {
    "sea": _sea,
    "wind": _wind,
    "engine": _engine,
    "bell": _bell,
    "horn": _horn,
    "clank": _clank,
}
