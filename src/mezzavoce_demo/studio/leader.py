"""What stands before a programme in a delivery: line-up tone, a spoken slate, a pip a second, silence.

How it is made up is common practice.
"""

from collections.abc import Sequence

import numpy as np

from mezzavoce_core.units import db_to_amplitude

from ..programmes.story import NARRATOR, Leader, Line
from .sound import RATE, Stereo, faded, frames, place
from .voices import speak

_LINE_UP_DBFS = -18.0
_PIP_S = 0.04


def leader(parts: Sequence[Leader]) -> Stereo:
    """All parts behind each other."""
    return np.concatenate([np.zeros((0, 2)), *(_part(part) for part in parts)])


def _part(part: Leader) -> Stereo:
    signal = np.zeros((frames(part.length_s), 2))
    if part.what == "tone":
        signal += _tone(part.length_s)
    elif part.what == "slate":
        place(signal, faded(speak(Line(0.0, NARRATOR, part.text)), 0.01, 0.1), 0.1)
    elif part.what == "pips":
        for second in range(int(part.length_s)):
            place(signal, _tone(_PIP_S), second)
    return signal


def _tone(length_s: float) -> Stereo:
    t = np.arange(frames(length_s)) / RATE
    return np.repeat((np.sin(2 * np.pi * 1000 * t) * db_to_amplitude(_LINE_UP_DBFS))[:, None], 2, axis=1)
