"""Cuts by band: peaking filters, and what they and the K-weighting do at a frequency.

The filter is the second-order peaking section with a width in octaves between its half-gain points (textbook form, from
memory).
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .filters import k_weighting

_DESIGN_HZ = 48000


@dataclass(frozen=True)
class PeakingFilter:
    """A filter: its centre in Hz, its width in octaves, its gain in dB (negative: a cut)."""

    centre_hz: float
    width_octaves: float
    gain_db: float

    def section(self, rate_hz: int) -> NDArray[np.float64]:
        """The filter as one section b0 b1 b2 1 a1 a2; nothing where its centre is beyond half the rate."""
        if self.centre_hz >= rate_hz / 2:
            return np.array([1.0, 0, 0, 1.0, 0, 0])
        turn = 2 * np.pi * self.centre_hz / rate_hz
        height = 10 ** (self.gain_db / 40)
        spread = np.sin(turn) * np.sinh(np.log(2) / 2 * self.width_octaves * turn / np.sin(turn))
        b = np.array([1 + spread * height, -2 * np.cos(turn), 1 - spread * height])
        a = np.array([1 + spread / height, -2 * np.cos(turn), 1 - spread / height])
        section: NDArray[np.float64] = np.concatenate([b, a]) / a[0]
        return section


def power_response(
    filters: Sequence[PeakingFilter], hz: NDArray[np.float64], rate_hz: int = _DESIGN_HZ
) -> NDArray[np.float64]:
    """Factor on the power at some frequencies that the filters together have."""
    factor = np.ones(np.shape(hz))
    for one in filters:
        factor *= _response(one.section(rate_hz), hz, rate_hz)
    return factor


def k_response(hz: NDArray[np.float64]) -> NDArray[np.float64]:
    """Factor on the power at some frequencies that the K-weighting has (BS.1770-5)."""
    shelf, high_pass = (np.concatenate([s[:3], [1.0], s[3:]]) for s in k_weighting(_DESIGN_HZ))
    return _response(shelf, hz, _DESIGN_HZ) * _response(high_pass, hz, _DESIGN_HZ)


def _response(section: NDArray[np.float64], hz: NDArray[np.float64], rate_hz: int) -> NDArray[np.float64]:
    z = np.exp(-2j * np.pi * np.asarray(hz) / rate_hz)
    response: NDArray[np.float64] = np.abs(np.polyval(section[2::-1], z) / np.polyval(section[:2:-1], z)) ** 2
    return response
