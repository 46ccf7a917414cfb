"""Fourier transforms of real signals in single precision, several at a time, which NumPy does one by one.

SciPy is imported where it is first wanted: that takes a third of a second, and a mix without stems never wants it.
"""

import numpy as np
from numpy.typing import NDArray


def transform(rows: NDArray[np.float32]) -> NDArray[np.complex64]:
    """Spectra ``(rows, size // 2 + 1)`` of real signals ``(rows, size)``."""
    from scipy.fft import rfft  # noqa: PLC0415

    spectra: NDArray[np.complex64] = rfft(rows, axis=1)
    return spectra


def good_size(least: int) -> int:
    """The first size from ``least`` on that is quickly transformed."""
    from scipy.fft import next_fast_len  # noqa: PLC0415

    return int(next_fast_len(least, real=True))
