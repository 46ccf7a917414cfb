"""How a stem lies in the mix: delay, gain, and whether the mix contains it at all.

Works on a few stretches where the stem is loud. The delay is the peak of the phase correlation; the gain the
least-squares fit of all stems together, so that stems that move together do not steal from each other; a stem
belongs to the mix when it is coherent with what the other stems leave of it. Coherence and not plain correlation,
because a stem can lie far below its neighbours.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from ...signal.mono import Mono, ReadStretch
from ...signal.transforms import good_size, transform
from ...units import Floats
from ..meter import TICKS_PER_S

MAX_DELAY_S = 2.0
STRETCH_S = 12.0
_STRETCHES = 4
_FRAME, _LONG_FRAME = 2048, 8192
_CONTAINED = 0.12
_CONTAINED_SHARE = 0.5
"""Of the coherence that a stem would have as it was delivered; less is enough for a soft one below loud ones that were
not given."""
_DIRECT = 0.5
_SURE_ERRORS = 4.0
"""From so many standard errors on it is not by chance that a gain is not 0, or not 1."""
_SILENT_POWER = 1e-9


@dataclass(frozen=True)
class Placed:
    """A stem in the mix: it starts ``delay_s`` later than the mix and stands there with ``gain`` (a factor).

    ``expected`` is the coherence that it would have with the gain with which it was delivered, ``error`` the standard
    error of the gain.
    """

    delay_s: float
    gain: float
    coherence: float
    expected: float = 1.0
    error: float = 0.0

    @property
    def contained(self) -> bool:
        """Whether the mix holds this stem, or hides it so well that this cannot be told."""
        seen = self.coherence >= _CONTAINED_SHARE * self.expected and self.gain > _SURE_ERRORS * self.error
        return self.coherence >= _CONTAINED or seen or self.hidden

    @property
    def hidden(self) -> bool:
        """Whether it lies so far below everything else that it would not be seen."""
        return _SURE_ERRORS * self.error > 1.0


def loud_stretches(power: Floats) -> list[float]:
    """Starts in seconds of up to four stretches of 12 s in which a stem (tick powers) has most energy.

    None when it is silent.
    """
    size = int(STRETCH_S * TICKS_PER_S)
    if not len(power) or power.max() < _SILENT_POWER:
        return []
    step = size // 2
    starts = list(range(0, max(1, len(power) - size + 1), step))
    energy = [float(power[s : s + size].sum()) for s in starts]
    chosen: list[int] = []
    for index in np.argsort(energy)[::-1]:
        if energy[index] > 0 and all(abs(starts[index] - c) >= size for c in chosen):
            chosen.append(starts[index])
        if len(chosen) == _STRETCHES:
            break
    return [c / TICKS_PER_S for c in sorted(chosen)]


def find_delay(mix: Mono, stem: Mono, rate_hz: int) -> int:
    """Samples by which the stem has to be shifted later to lie on the mix, within 2 s either way.

    0 where no peak is clear.
    """
    reach = int(MAX_DELAY_S * rate_hz)
    # What comes round from the other end overlaps nothing that lies within reach.
    size = good_size(max(len(mix), len(stem)) + reach)
    cross = np.fft.rfft(mix, size) * np.conj(np.fft.rfft(stem, size))
    # Whitening sharpens the peak; the floor keeps empty bands from being all noise.
    weight = np.abs(cross)
    correlation = np.fft.irfft(cross / (weight + 1e-3 * weight.max() + 1e-20), size)
    near = np.concatenate([correlation[-reach:], correlation[: reach + 1]])
    best = int(np.argmax(np.abs(near)))
    clear = abs(near[best]) > 8 * float(np.median(np.abs(near))) + 1e-12
    return best - reach if clear else 0


def fit_gains(mix: Mono, stems: Sequence[Mono]) -> Floats:
    """Least-squares gains ``(stems,)`` (factors) with which the stems together come closest to the mix."""
    matrix = np.stack([s.astype(np.float64) for s in stems])
    # By the products of the stems with each other, which is much less to solve than all their samples.
    gains, *_ = np.linalg.lstsq(matrix @ matrix.T, matrix @ mix.astype(np.float64), rcond=None)
    found: Floats = gains
    return found


def coherence(rest: Mono, stem: Mono) -> float:
    """Magnitude-squared coherence of a stem with what the others leave of the mix.

    Averaged by the stem's energy (0 to 1).
    """
    if min(len(rest), len(stem)) < 2 * _FRAME:
        return 0.0
    per_bin, _, power_b = _per_bin(rest, stem, _FRAME)
    return min(1.0, float((per_bin * power_b).sum() / (power_b.sum() + 1e-20)))


def held_power(whole: Mono, part: Mono) -> float:
    """The power in a sound that follows from another one, over the power of that one.

    However that one was filtered or reverberated, within half a second.

    Frames are longer than for ``coherence``, so that a room is heard within them; what is alike by chance counts, too.
    """
    per_bin, power_a, power_b = _per_bin(whole, part, _LONG_FRAME)
    return float((per_bin * power_a).sum() / (power_b.sum() + 1e-20))


def _per_bin(one: Mono, other: Mono, frame: int) -> tuple[Floats, Floats, Floats]:
    """Magnitude-squared coherence ``(bins,)`` of two sounds, and the power of both."""
    a, b = _spectra(one, other, frame)
    cross = np.abs((a * np.conj(b)).sum(axis=0, dtype=np.complex128)) ** 2
    power_a, power_b = (_power(s).sum(axis=0, dtype=np.float64) for s in (a, b))
    return cross / (power_a * power_b + 1e-20), power_a, power_b


def expected(rest: Mono, stem: Mono) -> tuple[float, float]:
    """The coherence that a stem would have if it stood in the rest as it was delivered (0 to 1).

    And the standard error of its gain (a factor).

    The error is that of a least-squares fit to what else is there: the products of both powers, over the square of the
    stem's energy. Only half of it is in phase with the stem, but under a Hann window bins share so much with their
    neighbours, (2/3)² and (1/6)² on each side, that there are half as many.
    """
    power_a, power_b = (_power(s).astype(np.float64) for s in _spectra(rest, stem))
    whole = power_b.sum(axis=0)
    share = np.minimum(1.0, whole / (power_a.sum(axis=0) + 1e-20))
    return float((share * whole).sum() / (whole.sum() + 1e-20)), float(
        np.sqrt((power_a * power_b).sum()) / (whole.sum() + 1e-20)
    )


def _spectra(rest: Mono, stem: Mono, frame: int = _FRAME) -> tuple[NDArray[np.complex64], NDArray[np.complex64]]:
    """Spectra of the same frames ``(frames, bins)`` of both."""
    count = min(len(rest), len(stem)) // frame * 2 - 1
    one, other = (
        transform(sliding_window_view(x, frame)[:: frame // 2][:count] * _window(frame)) for x in (rest, stem)
    )
    return one, other


def _power(spectra: NDArray[np.complex64]) -> NDArray[np.float32]:
    power: NDArray[np.float32] = np.square(spectra.real) + np.square(spectra.imag)
    return power


@lru_cache(2)
def _window(frame: int) -> Mono:
    window: Mono = np.hanning(frame).astype(np.float32)
    return window


def place(
    mix: ReadStretch, stems: Sequence[ReadStretch], loud: Sequence[Sequence[float]], rate_hz: int
) -> list[Placed | None]:
    """Delay, gain and coherence of each stem; None for a silent one. ``loud`` are the stretches of each stem."""
    delays = [_delay(mix, stem, places, rate_hz) for stem, places in zip(stems, loud, strict=True)]
    heard = [k for k, places in enumerate(loud) if places]
    placed: list[Placed | None] = [None] * len(stems)
    for k in heard:
        results: list[tuple[float, float, Mono, Mono]] = []
        for start in loud[k]:
            mixed = mix(start, STRETCH_S)
            parts = [shifted(stems[j], start, delays[j], rate_hz, len(mixed)) for j in heard]
            gains = fit_gains(mixed, parts)
            own = heard.index(k)
            rest = (mixed - sum(g * p for j, (g, p) in enumerate(zip(gains, parts, strict=True)) if j != own)).astype(
                np.float32
            )
            results.append((float(gains[own]), coherence(rest, parts[own]), rest, parts[own]))
        placed[k] = _placed(delays[k] / rate_hz, *max(results, key=lambda r: r[1]))
    return placed


def _placed(delay_s: float, gain: float, found: float, rest: Mono, part: Mono) -> Placed:
    """Where little of a stem is seen, its gain is the one with which it was delivered.

    Only if that cannot be told from the one that fits best.
    """
    if found > _DIRECT or min(len(rest), len(part)) < 2 * _FRAME:
        return Placed(delay_s, gain, found)
    most, error = expected(rest, part)
    place = Placed(delay_s, gain, found, most, error)
    return replace(place, gain=1.0) if place.hidden or abs(gain - 1.0) < _SURE_ERRORS * error else place


def _delay(mix: ReadStretch, stem: ReadStretch, places: Sequence[float], rate_hz: int) -> int:
    """The delay that most stretches agree on.

    None at all where the first one shows none and the stem is coherent as it lies.

    Coherence alone does not tell: a held note is coherent with itself a little later, too.
    """
    if not places:
        return 0
    found = []
    for start in places:
        mixed, part = mix(start, STRETCH_S), stem(start, STRETCH_S)
        length = min(len(mixed), len(part))
        found.append(find_delay(mixed, part, rate_hz))
        if found == [0] and coherence(mixed[:length], part[:length]) > _DIRECT:
            return 0
    return max(set(found), key=lambda d: (found.count(d), -abs(d)))


def shifted(stem: ReadStretch, start: float, delay: int, rate_hz: int, length: int) -> Mono:
    """``length`` samples of a stem from a time of the mix on, where it lies ``delay`` samples later there.

    Silence where it has none.
    """
    begin = start - delay / rate_hz
    part = stem(max(0.0, begin), length / rate_hz)
    before = round(max(0.0, -begin) * rate_hz)
    if not before and len(part) >= length:
        return part[:length]
    moved = np.zeros(length, dtype=np.float32)
    there = part[: max(0, length - before)]
    moved[before : before + len(there)] = there
    return moved
