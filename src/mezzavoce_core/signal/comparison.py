"""Two sounds held against each other: how much later one lies, with which gain, and how much of it stands in the other.

Tools without a subject: sounds are mono, and what they are is the business of whoever asks.
"""

from collections.abc import Sequence
from functools import lru_cache

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from ..units import Floats
from .mono import Mono, ReadStretch
from .transforms import good_size, transform

SHORTEST = 2 * 2048
"""Samples that a sound has to have for ``coherence``."""
_FRAME, _LONG_FRAME = 2048, 8192


def fit_gains(whole: Mono, parts: Sequence[Mono]) -> Floats:
    """Least-squares gains ``(parts,)`` (factors) with which the parts together come closest to the whole."""
    matrix = np.stack([s.astype(np.float64) for s in parts])
    # By the products of the parts with each other, which is much less to solve than all their samples.
    gains, *_ = np.linalg.lstsq(matrix @ matrix.T, matrix @ whole.astype(np.float64), rcond=None)
    found: Floats = gains
    return found


def find_delay(one: Mono, other: Mono, reach: int) -> int:
    """Samples by which the other sound has to be shifted later to lie on the one, up to ``reach`` either way.

    The peak of the phase correlation; 0 where no peak is clear.
    """
    # What comes round from the other end overlaps nothing that lies within reach.
    size = good_size(max(len(one), len(other)) + reach)
    cross = np.fft.rfft(one, size) * np.conj(np.fft.rfft(other, size))
    # Whitening sharpens the peak; the floor keeps empty bands from being all noise.
    weight = np.abs(cross)
    correlation = np.fft.irfft(cross / (weight + 1e-3 * weight.max() + 1e-20), size)
    near = np.concatenate([correlation[-reach:], correlation[: reach + 1]])
    best = int(np.argmax(np.abs(near)))
    clear = abs(near[best]) > 8 * float(np.median(np.abs(near))) + 1e-12
    return best - reach if clear else 0


def shifted(read: ReadStretch, start: float, delay: int, rate_hz: int, length: int) -> Mono:
    """``length`` samples of a sound from ``start`` (seconds) on, on a clock on which it lies ``delay`` samples later.

    Silence where it has none.
    """
    begin = start - delay / rate_hz
    part = read(max(0.0, begin), length / rate_hz)
    before = round(max(0.0, -begin) * rate_hz)
    if not before and len(part) >= length:
        return part[:length]
    moved = np.zeros(length, dtype=np.float32)
    there = part[: max(0, length - before)]
    moved[before : before + len(there)] = there
    return moved


def coherence(whole: Mono, part: Mono) -> float:
    """Magnitude-squared coherence of a part with a whole (0 to 1), averaged by the part's energy; 0 for short ones."""
    if min(len(whole), len(part)) < SHORTEST:
        return 0.0
    per_bin, _, power_b = _per_bin(whole, part, _FRAME)
    return min(1.0, float((per_bin * power_b).sum() / (power_b.sum() + 1e-20)))


def coherent_power(whole: Mono, part: Mono) -> float:
    """The power in a sound that follows from another one, over the power of that one.

    However that one was filtered or reverberated, within half a second. Frames are longer than for ``coherence``, so
    that a room is heard within them; what is alike by chance counts, too.
    """
    per_bin, power_a, power_b = _per_bin(whole, part, _LONG_FRAME)
    return float((per_bin * power_a).sum() / (power_b.sum() + 1e-20))


def expected_coherence(rest: Mono, part: Mono) -> tuple[float, float]:
    """The coherence (0 to 1) that a part would have if it stood in the rest as it is, and its gain's standard error.

    The error is that of a least-squares fit to what else is there: the products of both powers, over the square of the
    part's energy. Only half of it is in phase with the part, but under a Hann window bins share so much with their
    neighbours, (2/3)² and (1/6)² on each side, that there are half as many.
    """
    power_a, power_b = (_power(s).astype(np.float64) for s in _spectra(rest, part))
    whole = power_b.sum(axis=0)
    share = np.minimum(1.0, whole / (power_a.sum(axis=0) + 1e-20))
    return float((share * whole).sum() / (whole.sum() + 1e-20)), float(
        np.sqrt((power_a * power_b).sum()) / (whole.sum() + 1e-20)
    )


def _per_bin(one: Mono, other: Mono, frame: int) -> tuple[Floats, Floats, Floats]:
    """Magnitude-squared coherence ``(bins,)`` of two sounds, and the power of both."""
    a, b = _spectra(one, other, frame)
    cross = np.abs((a * np.conj(b)).sum(axis=0, dtype=np.complex128)) ** 2
    power_a, power_b = (_power(s).sum(axis=0, dtype=np.float64) for s in (a, b))
    return cross / (power_a * power_b + 1e-20), power_a, power_b


def _spectra(one: Mono, other: Mono, frame: int = _FRAME) -> tuple[NDArray[np.complex64], NDArray[np.complex64]]:
    """Spectra of the same frames ``(frames, bins)`` of both."""
    count = min(len(one), len(other)) // frame * 2 - 1
    spectra, others = (
        transform(sliding_window_view(x, frame)[:: frame // 2][:count] * _window(frame)) for x in (one, other)
    )
    return spectra, others


def _power(spectra: NDArray[np.complex64]) -> NDArray[np.float32]:
    power: NDArray[np.float32] = np.square(spectra.real) + np.square(spectra.imag)
    return power


@lru_cache(2)
def _window(frame: int) -> Mono:
    window: Mono = np.hanning(frame).astype(np.float32)
    return window
