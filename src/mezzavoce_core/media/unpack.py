"""From bytes of a file to channels of float32: the compiled loops of decoding."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..runtime.compiled import njit

_FULL_SCALE_24 = np.float32(2.0**-31)


@njit(cache=True, nogil=True)
def planar(values: NDArray[Any], scale: np.float32, out: NDArray[np.float32], begin: int) -> None:
    """Interleaved numbers ``(frames * channels,)`` times a scale into ``(channels, frames)``.

    From frame ``begin`` on.
    """
    channels = out.shape[0]
    frames = len(values) // channels
    if channels == 1:
        for n in range(frames):
            out[0, begin + n] = values[n] * scale
    elif channels == 2:
        left, right = out[0, begin:], out[1, begin:]
        for n in range(frames):
            left[n] = values[2 * n] * scale
            right[n] = values[2 * n + 1] * scale
    else:
        for c in range(channels):
            row = out[c, begin:]
            for n in range(frames):
                row[n] = values[n * channels + c] * scale


@njit(cache=True, nogil=True)
def _integer_24(raw: NDArray[np.uint8], at: int) -> np.int32:
    """Three bytes as the upper ones of an integer of 32 bits."""
    return np.int32(
        (np.uint32(raw[at]) << np.uint32(8))
        | (np.uint32(raw[at + 1]) << np.uint32(16))
        | (np.uint32(raw[at + 2]) << np.uint32(24))
    )


@njit(cache=True, nogil=True)
def unpack_24(raw: NDArray[np.uint8], out: NDArray[np.float32], begin: int, frames: int) -> None:
    """Interleaved little-endian integers of 24 bits into ``(channels, frames)`` with full scale 1.0.

    From frame ``begin`` on.
    """
    channels = out.shape[0]
    if channels == 2:
        left, right = out[0, begin:], out[1, begin:]
        for n in range(frames):
            left[n] = np.float32(_integer_24(raw, 6 * n)) * _FULL_SCALE_24
            right[n] = np.float32(_integer_24(raw, 6 * n + 3)) * _FULL_SCALE_24
        return
    for c in range(channels):
        row = out[c, begin:]
        for n in range(frames):
            row[n] = np.float32(_integer_24(raw, 3 * (channels * n + c))) * _FULL_SCALE_24


@njit(cache=True, nogil=True)
def highest_bits(bits: NDArray[np.uint32]) -> np.uint32:
    """The largest of some float32 values by their bits, sign left out.

    As large as magnitudes, larger still for what is no number.
    """
    highest = np.uint32(0)
    for n in range(len(bits)):
        highest = max(highest, bits[n] & np.uint32(0x7FFFFFFF))
    return highest
