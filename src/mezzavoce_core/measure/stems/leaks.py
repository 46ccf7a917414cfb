"""Stems that hold another stem as well: how loud, and whether as a plain copy that can be taken out.

Works on the coarse mono copies.
"""

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import product

import numpy as np

from ...signal.comparison import coherence, coherent_power, fit_gains, shifted
from ...signal.mono import Mono, ReadStretch
from .placing import STRETCH_S

_LEAKED, _BEYOND_CHANCE = 0.12, 4.0
_ELSEWHERE_S = (0.7, 1.9, -1.3)
_FRAME, _SOFTEST, _NOTHING = 1024, 1e-3, 1e-9
_LEAST_GAIN = 1e-3
_COPY_CHANCE, _COPY_LEFT, _FITS = 2.0, 0.025, 3
"""What a copy leaves of itself when it is taken out is at most so much of its power, or hardly more than chance gives.
Of real voices and music copies left 0.013 and less, the same sound through a soft treble cut or with a reflection 0.046
and more."""


@dataclass(frozen=True)
class Leak:
    """A stem stands in another one with ``gain`` (a factor of both as they were delivered).

    A ``copy`` is the same sound, and can be taken out.

    Of what was changed the gain is that of its power.
    """

    gain: float
    copy: bool


@dataclass(frozen=True)
class Lying:
    """A stem as leaks are looked for in it.

    How to read it, where it is loud (starts in seconds of its own), how much later it lies in the mix (samples).
    """

    read: ReadStretch
    loud: Sequence[float]
    delay: int

    def without(self, held: "Lying", gain: float, rate_hz: int) -> "Lying":
        """The same stem without a copy of another one."""

        def read(start_s: float, length_s: float) -> Mono:
            whole = self.read(start_s, length_s)
            part = shifted(held.read, start_s, held.delay - self.delay, rate_hz, len(whole))
            return (whole - np.float32(gain) * part).astype(np.float32)

        return replace(self, read=read)


def find_leaks(stems: Mapping[int, Lying], voices: Collection[int], rate_hz: int) -> dict[int, dict[int, Leak]]:
    """What stems hold of others, by the numbers of both: voices in what is none, and copies of others in a voice.

    Looked for again in what is left where something could be taken out: a stem can hold several others.
    """
    found: dict[int, dict[int, Leak]] = {k: {} for k in stems}
    lying = dict(stems)
    for _ in range(len(stems)):
        more = False
        for voice, other in product(voices, [k for k in stems if k not in voices]):
            if other in found[voice] or voice in found[other]:
                continue
            in_voice = find_leak(lying[other], lying[voice], rate_hz)
            holder, held, leak = (
                (voice, other, in_voice)
                if in_voice and in_voice.copy
                else (other, voice, find_leak(lying[voice], lying[other], rate_hz))
            )
            if leak is None:
                continue
            found[holder][held] = leak
            if leak.copy:
                lying[holder], more = lying[holder].without(lying[held], leak.gain, rate_hz), True
        if not more:
            break
    return found


def find_leak(held: Lying, holder: Lying, rate_hz: int) -> Leak | None:
    """How a stem stands in another one as well; None where it does not.

    Looked at where it is loud: both have to be far more alike than they are a second or two apart, in half of the
    places or more. Notes that are held are like themselves a little later, too; then it has to come out as a copy does.
    """
    found: list[tuple[Mono, Mono]] = []
    for k, (own, there) in enumerate(_both(held, holder, held.loud, rate_hz), 1):
        if _alike(*_weighed(own, there), rate_hz):
            found.append((own, there))
        elif 2 * (k - len(found)) > len(held.loud):
            return None
    if not found:
        return None
    gain = 0.0
    for _ in range(_FITS):
        own, there = _one_after_another([_weighed(*pair, gain) for pair in found])
        gain = float(fit_gains(there, [own])[0])
    # Which one holds the other shows where the other one is loud: a stem that is only held is not heard there, or comes
    # out whole.
    everywhere = [_weighed(*pair) for pair in (*found, *_both(held, holder, holder.loud, rate_hz))]
    if gain and _comes_out(*_one_after_another(everywhere), gain, rate_hz):
        return Leak(gain, copy=True)
    return Leak(_changed_gain(*_one_after_another(found), rate_hz), copy=False)


def _changed_gain(own: Mono, there: Mono, rate_hz: int) -> float:
    """With which gain a sound stands in another one, by its power.

    A room or a filter turns its phases, so that no one factor fits.
    """
    by_chance = float(np.mean([coherent_power(there, np.roll(own, round(s * rate_hz))) for s in _ELSEWHERE_S]))
    return float(np.sqrt(max(coherent_power(there, own) - by_chance, _LEAST_GAIN**2)))


def _one_after_another(pairs: Sequence[tuple[Mono, Mono]]) -> tuple[Mono, Mono]:
    own, there = (np.concatenate([pair[k] for pair in pairs]) for k in (0, 1))
    return own, there


def _both(held: Lying, holder: Lying, starts: Sequence[float], rate_hz: int) -> Iterator[tuple[Mono, Mono]]:
    length = round(STRETCH_S * rate_hz)
    for start in starts:
        yield (
            shifted(held.read, start, held.delay, rate_hz, length),
            shifted(holder.read, start, holder.delay, rate_hz, length),
        )


def _weighed(own: Mono, there: Mono, gain: float = 0.0) -> tuple[Mono, Mono]:
    """Both over the level of what is not the leak, frame by frame, as far as a gain of it is known.

    It shows best where the other sound is soft.
    """
    left = there.astype(np.float64) - gain * own
    level = np.sqrt(np.maximum.reduceat(left**2, np.arange(0, len(left), _FRAME)))
    weight: Mono = np.repeat(1 / np.maximum(level, _SOFTEST * level.max() + _NOTHING), _FRAME)[: len(left)].astype(
        np.float32
    )
    return own * weight, there * weight


def _alike(own: Mono, there: Mono, rate_hz: int) -> bool:
    alike = coherence(there, own)
    if alike < _LEAKED:
        return False
    return alike >= _BEYOND_CHANCE * _by_chance(own, there, rate_hz) or _comes_out(
        own, there, float(fit_gains(there, [own])[0]), rate_hz
    )


def _comes_out(own: Mono, there: Mono, gain: float, rate_hz: int) -> bool:
    """Whether hardly anything of it is left when it is taken out: of its power, or more than is there by chance."""
    left = (there - np.float32(gain) * own).astype(np.float32)
    before, after = coherence(there, own), coherence(left, own)
    return _odds(after) <= max(_COPY_LEFT * _odds(before), _odds(_COPY_CHANCE * _by_chance(own, left, rate_hz)))


def _odds(share: float) -> float:
    """The power of one part of a sound against that of all others."""
    return share / max(1e-9, 1.0 - share)


def _by_chance(own: Mono, there: Mono, rate_hz: int) -> float:
    return max(coherence(there, np.roll(own, round(s * rate_hz))) for s in _ELSEWHERE_S)
