"""From bytes of a file to channels of float32: the compiled loops of decoding."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit

_FULL_SCALE_24 = np.float32(2.0**-31)


@njit(cache=True, nogil=True)
def planar(values: NDArray[Any], scale: np.float32, out: NDArray[np.float32], begin: int) -> None:
    """Interleaved numbers ``(frames * channels,)`` times a scale into ``(channels, frames)``, from frame ``begin`` on."""
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
def unpack_24(words: NDArray[np.uint32], out: NDArray[np.float32]) -> None:
    """Little-endian 24-bit integers, read as words of 32 bits, three of which hold four of them, into float32 with full scale 1.0."""
    eight, sixteen, three_bytes = np.uint32(8), np.uint32(16), np.uint32(24)
    for n in range(len(words) // 3):
        a, b, c = words[3 * n], words[3 * n + 1], words[3 * n + 2]
        # Each in the upper three bytes, so that the sign comes by itself.
        out[4 * n] = np.float32(np.int32(a << eight)) * _FULL_SCALE_24
        out[4 * n + 1] = np.float32(np.int32(((a >> three_bytes) << eight) | ((b & np.uint32(0xFFFF)) << sixteen))) * _FULL_SCALE_24
        out[4 * n + 2] = np.float32(np.int32(((b >> sixteen) << eight) | ((c & np.uint32(0xFF)) << three_bytes))) * _FULL_SCALE_24
        out[4 * n + 3] = np.float32(np.int32(c & np.uint32(0xFFFFFF00))) * _FULL_SCALE_24


@njit(cache=True, nogil=True)
def highest_bits(bits: NDArray[np.uint32]) -> np.uint32:
    """The largest of some float32 values by their bits, sign left out: as large as magnitudes, larger still for what is no number."""
    highest = np.uint32(0)
    for n in range(len(bits)):
        highest = max(highest, bits[n] & np.uint32(0x7FFFFFFF))
    return highest
