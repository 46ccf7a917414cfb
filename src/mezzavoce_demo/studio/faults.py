"""What goes wrong behind the mixer: a side turned over, a hole, a section off level, a wave cut off flat."""

from collections.abc import Sequence

import numpy as np

from mezzavoce_core.units import db_to_amplitude

from ..programmes.story import Damage
from .sound import Stereo, at_loudness, band, frames

_CEILING = 0.668
_APART_S = 0.023
"""-3.5 dBFS: what is cut off there stays under every limit for true peaks."""


def damaged(stem: Stereo, damages: Sequence[Damage]) -> Stereo:
    """A stem with everything that hits stems and mix alike."""
    signal = stem.copy()
    for damage in damages:
        part = signal[frames(damage.at_s) : frames(damage.at_s + damage.length_s)]
        if damage.what == "turned":
            part[:, 1] *= -1
        elif damage.what == "hole":
            part[:] = 0
        elif damage.what == "gain":
            part *= db_to_amplitude(damage.by)
        elif damage.what == "left":
            part[:, 1] *= db_to_amplitude(-damage.by)
        elif damage.what == "wide":
            middle = part.mean(axis=1)
            part[:] = np.stack([middle, 0.83 * np.roll(middle, frames(_APART_S)) - 0.56 * middle], axis=1)
    return signal


def damaged_stem(stem: Stereo, role: str, damages: Sequence[Damage]) -> Stereo:
    """A stem as it is delivered, with everything that hits it alone."""
    by = sum(d.by for d in damages if d.what == "stem") if role == "music" else 0.0
    return stem * db_to_amplitude(by)


def room(count: int, level_lufs: float, seed: int) -> Stereo:
    """The noise of a room behind a voice."""
    noise = np.random.default_rng(seed).standard_normal((count, 2))
    return at_loudness(np.stack([band(noise[:, c], 120, 2500) for c in (0, 1)], axis=1), level_lufs)


def clipped(mix: Stereo, damages: Sequence[Damage]) -> Stereo:
    """The mix, driven into its ceiling where that is planted."""
    signal = mix.copy()
    for damage in damages:
        if damage.what == "clip":
            part = signal[frames(damage.at_s) : frames(damage.at_s + damage.length_s)]
            part[:] = np.clip(part * db_to_amplitude(damage.by), -_CEILING, _CEILING)
    return signal
