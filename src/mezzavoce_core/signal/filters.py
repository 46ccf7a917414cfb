"""Filter design: K-weighting of ITU-R BS.1770-5 at any rate, and the interpolator for true peaks."""

import numpy as np
from numpy.typing import NDArray

from ..units import Floats

OVERSAMPLING = 4
_HALF_TAPS = 16
_KAISER_BETA = 8.0
_HALF_BAND = 19
_HALF_BAND_BETA = 5.65
_PUBLISHED_HZ = 48000
_BENDS_BELOW_HZ = 32000
_SHELF_HZ = 1681.974450955533


def k_weighting(rate_hz: int) -> NDArray[np.float64]:
    """Shelf and high-pass as ``(2, 5)`` sections b0 b1 b2 a1 a2 for a sample rate in Hz.

    The published coefficients hold at 48 kHz; other rates are derived again from the analogue prototype, low ones
    matched to the response at 48 kHz (source: BS.1770-5 Annex 1; the prototype's figures are from memory).
    """
    return np.array([_shelf(rate_hz), _high_pass(rate_hz)])


def k_response(rate_hz: int, hz: Floats) -> Floats:
    """What K-weighting makes of the power at some frequencies, as factors."""
    z = np.exp(-2j * np.pi * np.asarray(hz, dtype=np.float64) / rate_hz)
    response = np.ones(z.shape, dtype=np.complex128)
    for b0, b1, b2, a1, a2 in k_weighting(rate_hz):
        response *= (b0 + b1 * z + b2 * z * z) / (1 + a1 * z + a2 * z * z)
    power: Floats = np.abs(response) ** 2
    return power


def recursion(sections: NDArray[np.float64]) -> NDArray[np.float64]:
    """Sections ``(2, 5)`` in the form that the compiled loops run: b0 g1 g2 a1 a2 with g = b - a b0."""
    b0, b1, b2, a1, a2 = sections.T
    return np.stack([b0, b1 - a1 * b0, b2 - a2 * b0, a1, a2], axis=1)


def _shelf(rate_hz: int) -> list[float]:
    if rate_hz < _BENDS_BELOW_HZ:
        return _matched(_shelf(_PUBLISHED_HZ), rate_hz)
    k = np.tan(np.pi * _SHELF_HZ / rate_hz)
    q = 0.7071752369554196
    high = 10 ** (3.999843853973347 / 20)
    band = high**0.4996667741545416
    a0 = 1 + k / q + k * k
    b = [(high + band * k / q + k * k) / a0, 2 * (k * k - high) / a0, (high - band * k / q + k * k) / a0]
    return [*b, 2 * (k * k - 1) / a0, (1 - k / q + k * k) / a0]


def _matched(section: list[float], rate_hz: int) -> list[float]:
    """A section of 48 kHz at a low rate, with the same response at 0 Hz, at its corner and at half the rate.

    Poles by impulse invariance, zeros by matching the squared magnitude at three frequencies: the bilinear transform
    would bend the shelf there, by 0.2 LU on speech at 8 kHz (method after Vicanek, "Matched Second Order Digital
    Filters", 2016, from memory).
    """
    pole = np.roots([1.0, *section[3:]]).astype(complex) ** (_PUBLISHED_HZ / rate_hz)
    a1, a2 = -2 * float(pole[0].real), float(abs(pole[0]) ** 2)

    def wanted(hz: float) -> float:
        z = np.exp(-2j * np.pi * hz / _PUBLISHED_HZ)
        top, bottom = np.polyval(section[2::-1], z), np.polyval([section[4], section[3], 1.0], z)
        return float(abs(top / bottom) ** 2)

    def bottom(hz: float) -> float:
        z = np.exp(-2j * np.pi * hz / rate_hz)
        return float(abs(1 + a1 * z + a2 * z * z) ** 2)

    at_zero, at_half = wanted(0) * bottom(0), wanted(rate_hz / 2) * bottom(rate_hz / 2)
    share = float(np.sin(np.pi * _SHELF_HZ / rate_hz) ** 2)
    rest = (wanted(_SHELF_HZ) * bottom(_SHELF_HZ) - at_zero * (1 - share) - at_half * share) / (4 * share * (1 - share))
    middle = (np.sqrt(at_zero) + np.sqrt(at_half)) / 2
    b0 = (middle + np.sqrt(middle * middle + rest)) / 2
    return [float(b0), float((np.sqrt(at_zero) - np.sqrt(at_half)) / 2), float(-rest / (4 * b0)), a1, a2]


def _high_pass(rate_hz: int) -> list[float]:
    k = np.tan(np.pi * 38.13547087602444 / rate_hz)
    q = 0.5003270373238773
    a0 = 1 + k / q + k * k
    a1, a2 = 2 * (k * k - 1) / a0, (1 - k / q + k * k) / a0
    # At 48 kHz the standard rounds this numerator to 1, -2, 1; elsewhere it keeps the same gain in the pass band.
    gain = 1.0 if rate_hz == _PUBLISHED_HZ else 1.0049949 * (1 - a1 + a2) / 4
    return [gain, -2 * gain, gain, a1, a2]


def half_band() -> NDArray[np.float32]:
    """Taps ``(39,)`` before the rate is halved: every other one beside the middle is nothing.

    Flat to 0.41 of the new rate and 50 dB down from 0.59 of it on, where folding would reach that pass band (Kaiser's
    design).
    """
    offsets = np.arange(-_HALF_BAND, _HALF_BAND + 1)
    taps = 0.5 * np.sinc(offsets / 2) * np.kaiser(len(offsets), _HALF_BAND_BETA)
    return taps.astype(np.float32)


def interpolator() -> NDArray[np.float32]:
    """Taps ``(3, 32)`` of the phases between two samples for 4x oversampling.

    Reversed in time for a running dot product.

    A Kaiser-windowed sinc with an odd prototype, so that the remaining phase is the sample itself (BS.1770-5 Annex 2
    leaves the filter open; a longer one than the example there reads closer to the true curve).
    """
    positions = np.arange(-_HALF_TAPS * OVERSAMPLING, _HALF_TAPS * OVERSAMPLING + 1)
    prototype = np.sinc(positions / OVERSAMPLING) * np.kaiser(len(positions), _KAISER_BETA)
    centre = _HALF_TAPS * OVERSAMPLING
    rows = []
    for phase in range(1, OVERSAMPLING):
        # y(n + phase/4) = sum over m of x[n + m] h(phase/4 - m), m from -15 to 16
        m = np.arange(-_HALF_TAPS + 1, _HALF_TAPS + 1)
        rows.append(prototype[centre + phase - OVERSAMPLING * m])
    return np.array(rows, dtype=np.float32)


def interpolator_bounds(taps: NDArray[np.float32]) -> NDArray[np.float64]:
    """Largest sums of magnitudes over the phases of an interpolator ``(3,)``: all taps, the middle four, all others.

    A little above them for rounding.
    """
    sizes = np.abs(taps.astype(np.float64))
    middle = sizes.shape[1] // 2
    inner = sizes[:, middle - 2 : middle + 2].sum(axis=1)
    whole = sizes.sum(axis=1)
    return np.array([whole.max(), inner.max(), (whole - inner).max()]) * 1.0001
