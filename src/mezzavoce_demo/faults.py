"""What goes wrong behind the mixer: a side turned over, a hole, a section off level, a wave cut off flat."""

from collections.abc import Sequence

import numpy as np

from mezzavoce_core.units import db_to_amplitude

from .sound import Stereo, frames
from .story import Damage

_CEILING = 0.668
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
    return signal


def clipped(mix: Stereo, damages: Sequence[Damage]) -> Stereo:
    """The mix, driven into its ceiling where that is planted."""
    signal = mix.copy()
    for damage in damages:
        if damage.what == "clip":
            part = signal[frames(damage.at_s) : frames(damage.at_s + damage.length_s)]
            part[:] = np.clip(part * db_to_amplitude(damage.by), -_CEILING, _CEILING)
    return signal
