"""Conversions between powers, amplitudes and levels. The only place with a logarithm of a level.

Loudness follows ITU-R BS.1770-5: level in LUFS = -0.691 + 10 log10 of the weighted sum of the
K-weighted channel powers (full scale = 1.0).
"""

from math import log10
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

LOUDNESS_OFFSET_LU = -0.691
ABSENT_BELOW_LUFS = -70.0
DUAL_MONO_LU = 10 * float(np.log10(2.0))

Floats = NDArray[np.floating[Any]]


def power_to_db(power: ArrayLike) -> Floats:
    """Level in dB of a power (any shape); zero and below give -inf."""
    with np.errstate(divide="ignore"):
        level: Floats = 10 * np.log10(np.fmax(np.asarray(power, dtype=np.float64), 0.0))
    return level


def db_to_power(level_db: ArrayLike) -> Floats:
    """Power of a level in dB."""
    return np.power(10.0, np.asarray(level_db, dtype=np.float64) / 10)


def amplitude_to_db(amplitude: ArrayLike) -> Floats:
    """Level in dB of an amplitude (sign ignored); zero gives -inf."""
    return power_to_db(np.square(np.asarray(amplitude, dtype=np.float64)))


def db_to_amplitude(gain_db: ArrayLike) -> Floats:
    """Factor on the samples of a gain in dB."""
    return np.power(10.0, np.asarray(gain_db, dtype=np.float64) / 20)


def power_to_lufs(power: ArrayLike) -> Floats:
    """Loudness in LUFS of a weighted sum of K-weighted powers."""
    return LOUDNESS_OFFSET_LU + power_to_db(power)


def one_power_to_lufs(power: float) -> float:
    """The same for one power above zero.

    Judging asks for thousands one by one, and for one NumPy takes more than twenty times as long.
    """
    return LOUDNESS_OFFSET_LU + 10 * log10(power)


def lufs_to_power(level_lufs: ArrayLike) -> Floats:
    """Weighted sum of K-weighted powers of a loudness in LUFS."""
    return db_to_power(np.asarray(level_lufs, dtype=np.float64) - LOUDNESS_OFFSET_LU)


def figure(value: float | None, digits: int | None = None) -> float | None:
    """A figure as it is handed out: a plain float, or None where it does not exist (NaN, infinity)."""
    if value is None or not np.isfinite(value):
        return None
    return float(value) if digits is None else round(float(value), digits)


def tenth(value: float) -> float:
    """Rounded to 0.1, as figures are before they are compared with a limit."""
    return round(float(value), 1) + 0.0
