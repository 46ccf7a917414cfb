"""Captions against the voice: which ones stand over no speech, and which speech has none."""

import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..signal.spans import join, runs
from .meter import TICKS_PER_S

NEAR_S = 0.5
"""Captions come a little before the words and stay a little longer (common practice)."""
_LEAST_SPEECH_S = 0.2
FITS = 0.5
_SOUND_ONLY = re.compile(r"^\s*([\[(♪♫#*][^\])]*[\])♪♫#*]?\s*)+$", re.DOTALL)


@dataclass(frozen=True)
class Caption:
    """A caption from ``in_s`` to ``out_s`` (seconds)."""

    in_s: float
    out_s: float
    text: str

    @property
    def is_speech(self) -> bool:
        """Whether it stands for words; “[door]” and “♪” do not."""
        return bool(self.text.strip()) and not _SOUND_ONLY.match(self.text)


@dataclass(frozen=True)
class Captions:
    """Captions on the clock of the programme. ``fit`` is the share of those for words that lie on speech, 0 to 1."""

    all: tuple[Caption, ...]
    fit: float

    @property
    def belong(self) -> bool:
        """Whether they are those of this programme at all."""
        return self.fit >= FITS

    @property
    def spoken(self) -> tuple[Caption, ...]:
        """Those that stand for words."""
        return tuple(c for c in self.all if c.is_speech)


def on_programme(captions: Sequence[Caption], flags: NDArray[np.bool_], zeros_s: Sequence[float]) -> Captions:
    """Captions on the programme's clock. Files count from the file, from the programme or from midnight.

    Of ``zeros_s``, what has to be taken off, the one is chosen with which most captions lie on speech (``flags`` per tick), the first of equals.
    """
    tried = [_shifted(captions, zero) for zero in zeros_s]
    return max((Captions(c, _fit(c, flags)) for c in tried), key=lambda c: (c.fit, _covered_s(c.all, flags)))


def speech_under(caption: Caption, flags: NDArray[np.bool_]) -> float:
    """Seconds of speech under a caption and half a second around it."""
    return float(flags[_tick(caption.in_s - NEAR_S) : _tick(caption.out_s + NEAR_S)].sum()) / TICKS_PER_S


def is_heard(caption: Caption, flags: NDArray[np.bool_]) -> bool:
    """Whether words are under it."""
    return speech_under(caption, flags) >= min(_LEAST_SPEECH_S, (caption.out_s - caption.in_s) / 2)


def uncaptioned(captions: Captions, flags: NDArray[np.bool_], *, least_s: float, bridge_s: float) -> list[tuple[float, float]]:
    """Stretches of speech, from the first word to the last, that last ``least_s`` and have no caption within a second."""
    open_speech = flags.copy()
    for caption in captions.all:
        open_speech[_tick(caption.in_s - 2 * NEAR_S) : _tick(caption.out_s + 2 * NEAR_S)] = False
    spans = join(runs(open_speech), round(bridge_s * TICKS_PER_S))
    return [(a / TICKS_PER_S, b / TICKS_PER_S) for a, b in spans if open_speech[a:b].sum() >= least_s * TICKS_PER_S]


def _shifted(captions: Sequence[Caption], by_s: float) -> tuple[Caption, ...]:
    return tuple(Caption(c.in_s - by_s, c.out_s - by_s, c.text) for c in captions)


def _fit(captions: Sequence[Caption], flags: NDArray[np.bool_]) -> float:
    spoken = [c for c in captions if c.is_speech]
    return sum(is_heard(c, flags) for c in spoken) / len(spoken) if spoken else 1.0


def _covered_s(captions: Sequence[Caption], flags: NDArray[np.bool_]) -> float:
    """Seconds of speech right under captions."""
    return sum(float(flags[_tick(c.in_s) : _tick(c.out_s)].sum()) for c in captions) / TICKS_PER_S


def _tick(time_s: float) -> int:
    return max(0, round(time_s * TICKS_PER_S))
