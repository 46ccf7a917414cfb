"""Captions against the voice: which ones stand over no speech, and which speech has none."""

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ..signal.spans import join, runs
from ..units import Floats
from .meter import BLOCKS_PER_S, TICKS_PER_S

NEAR_S = 0.5
"""Captions come a little before the words and stay a little longer (common practice)."""
_LEAST_SPEECH_S = 0.2
FITS, AGREES = 0.5, 0.3
"""Shares from which on captions are those of a programme: of captions with words near them, and of the way from chance
to the best they could do."""
LATE_S = 0.7
"""Captions that lie so far beside their words are out of step; less is how captions are made."""
_FEWEST, _TALKS_THROUGH = 4, 0.8
_REACH_S, _SURE, _BETTER = 30.0, 0.6, 0.15
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
    """Captions on the clock of the programme.

    Where all of them lay ``late_s`` (seconds) beside their words, they are moved there.

    ``elsewhere`` is the share of those for words that lie on speech, 0 to 1. ``agreement`` is 1 where they have as much
    speech as captions of their length can have and about 0 where they meet it by chance; None where that cannot be
    told, with few captions or where hardly anybody pauses.
    """

    all: tuple[Caption, ...]
    fit: float
    agreement: float | None = None
    late_s: float = 0.0

    @property
    def belong(self) -> bool:
        """Whether they are those of this programme at all."""
        return self.fit >= FITS and (self.agreement is None or self.agreement >= AGREES)

    @property
    def spoken(self) -> tuple[Caption, ...]:
        """Those that stand for words."""
        return tuple(c for c in self.all if c.is_speech)


def on_programme(captions: Sequence[Caption], flags: NDArray[np.bool_], zeros_s: Sequence[float]) -> Captions:
    """Captions on the programme's clock. Files count from the file, from the programme or from midnight.

    Of ``zeros_s``, what has to be taken off, the one is chosen with which most captions lie on speech (``flags`` per
    tick), the first of equals.
    """
    tried = [_shifted(captions, zero) for zero in zeros_s]
    best = max((Captions(c, _fit(c, flags)) for c in tried), key=lambda c: (c.fit, _covered_s(c.all, flags)))
    return _in_step(best, flags)


def _in_step(captions: Captions, flags: NDArray[np.bool_]) -> Captions:
    """With how far they agree with the speech, after they were moved to it if they lie beside it as a whole."""
    talking = _blocks(flags)
    shown = _shown(captions.spoken, len(talking))
    if len(captions.spoken) < _FEWEST or not shown.any() or not 0 < talking.mean() <= _TALKS_THROUGH:
        return captions
    alike = _correlations(shown, talking)
    middle, best = len(alike) // 2, int(np.argmax(alike))
    late_s = _by_first_words(captions.spoken, flags, (middle - best) / BLOCKS_PER_S)
    if alike[best] >= _SURE and alike[best] >= alike[middle] + _BETTER and abs(late_s) >= LATE_S:
        moved = _shifted(captions.all, late_s)
        captions = replace(captions, all=moved, fit=_fit(moved, flags), late_s=late_s)
        shown = _shown(captions.spoken, len(talking))
    return replace(captions, agreement=_agreement(shown, talking))


def _agreement(shown: Floats, talking: Floats) -> float | None:
    """How far from chance (0) to the most that so much of captions can have of so much speech (1) they have it.

    None where that is all the same.
    """
    by_chance = float(shown.mean() * talking.mean())
    most = min(float(shown.mean()), float(talking.mean()))
    return (float((shown * talking).mean()) - by_chance) / (most - by_chance) if most > by_chance else None


def _blocks(flags: NDArray[np.bool_]) -> Floats:
    """Whether somebody speaks, 0 or 1 per 100 ms."""
    ticks = TICKS_PER_S // BLOCKS_PER_S
    whole: Floats = flags[: len(flags) // ticks * ticks].reshape(-1, ticks).mean(axis=1).round()
    return whole


def _shown(captions: Sequence[Caption], blocks: int) -> Floats:
    shown = np.zeros(blocks)
    for c in captions:
        shown[max(0, round(c.in_s * BLOCKS_PER_S)) : max(0, round(c.out_s * BLOCKS_PER_S))] = 1.0
    return shown


def _correlations(shown: Floats, talking: Floats) -> Floats:
    """Correlation of captions with speech (-1 to 1).

    They are moved from 30 s earlier to 30 s later, in steps of 100 ms.
    """
    reach = round(_REACH_S * BLOCKS_PER_S)
    size = len(shown) + 2 * reach
    both = np.fft.irfft(np.conj(np.fft.rfft(shown, size)) * np.fft.rfft(talking, size), size)[
        np.arange(-reach, reach + 1)
    ] / len(shown)
    spread = np.sqrt(shown.mean() * (1 - shown.mean()) * talking.mean() * (1 - talking.mean()))
    found: Floats = (both - shown.mean() * talking.mean()) / max(spread, 1e-9)
    return found


def _by_first_words(captions: Sequence[Caption], flags: NDArray[np.bool_], about_s: float) -> float:
    """How late captions lie by where they begin, because many of them stay longer than the words."""
    starts = np.array([a for a, _ in join(runs(flags), round(NEAR_S * TICKS_PER_S))]) / TICKS_PER_S
    off = np.array([c.in_s - about_s - starts[np.argmin(np.abs(starts - (c.in_s - about_s)))] for c in captions])
    near = off[np.abs(off) <= 2 * NEAR_S]
    return round(about_s + float(np.median(near)), 2) if len(near) else about_s


def speech_under(caption: Caption, flags: NDArray[np.bool_]) -> float:
    """Seconds of speech under a caption and half a second around it."""
    return float(flags[_tick(caption.in_s - NEAR_S) : _tick(caption.out_s + NEAR_S)].sum()) / TICKS_PER_S


def is_heard(caption: Caption, flags: NDArray[np.bool_]) -> bool:
    """Whether words are under it."""
    return speech_under(caption, flags) >= min(_LEAST_SPEECH_S, (caption.out_s - caption.in_s) / 2)


def uncaptioned(
    captions: Captions, flags: NDArray[np.bool_], *, least_s: float, bridge_s: float
) -> list[tuple[float, float]]:
    """Stretches of speech that last ``least_s`` and have no caption within a second.

    From the first word to the last.
    """
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
