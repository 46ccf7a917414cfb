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


@njit(cache=True, nogil=True, inline="always")
def _four(words: NDArray[np.uint32], n: int) -> tuple[np.int32, np.int32, np.int32, np.int32]:
    """Four little-endian integers of 24 bits out of three words of 32, each in the upper three bytes, so that the sign comes by itself."""
    eight, sixteen, three_bytes = np.uint32(8), np.uint32(16), np.uint32(24)
    a, b, c = words[3 * n], words[3 * n + 1], words[3 * n + 2]
    second, third = ((a >> three_bytes) << eight) | ((b & np.uint32(0xFFFF)) << sixteen), ((b >> sixteen) << eight) | ((c & np.uint32(0xFF)) << three_bytes)
    return np.int32(a << eight), np.int32(second), np.int32(third), np.int32(c & np.uint32(0xFFFFFF00))


@njit(cache=True, nogil=True)
def unpack_24(words: NDArray[np.uint32], out: NDArray[np.float32]) -> None:
    """Little-endian 24-bit integers, read as words of 32 bits, three of which hold four of them, into float32 with full scale 1.0."""
    for n in range(len(words) // 3):
        a, b, c, d = _four(words, n)
        out[4 * n], out[4 * n + 1] = np.float32(a) * _FULL_SCALE_24, np.float32(b) * _FULL_SCALE_24
        out[4 * n + 2], out[4 * n + 3] = np.float32(c) * _FULL_SCALE_24, np.float32(d) * _FULL_SCALE_24


@njit(cache=True, nogil=True)
def unpack_24_pairs(words: NDArray[np.uint32], room: NDArray[np.int32], out: NDArray[np.float32], begin: int, frames: int) -> None:
    """The same for two channels that take turns, into ``out`` ``(2, samples)`` from ``begin`` on; ``room`` ``(4, any)`` is worked in.

    Three words are two frames. They are taken apart into four rows first and put together channel by channel afterwards, because
    the compiler turns each of these two steps into vector code, but not both in one.
    """
    size = room.shape[1]
    for first in range(0, frames // 2, size):
        count = min(size, frames // 2 - first)
        part = words[3 * first : 3 * (first + count)]
        for n in range(count):
            room[0, n], room[1, n], room[2, n], room[3, n] = _four(part, n)
        for channel in range(2):
            row = out[channel, begin + 2 * first :]
            for n in range(count):
                row[2 * n] = np.float32(room[channel, n]) * _FULL_SCALE_24
                row[2 * n + 1] = np.float32(room[channel + 2, n]) * _FULL_SCALE_24
    if frames % 2:
        left, right, _, _ = _four(words, frames // 2)
        out[0, begin + frames - 1], out[1, begin + frames - 1] = np.float32(left) * _FULL_SCALE_24, np.float32(right) * _FULL_SCALE_24


@njit(cache=True, nogil=True)
def highest_bits(bits: NDArray[np.uint32]) -> np.uint32:
    """The largest of some float32 values by their bits, sign left out: as large as magnitudes, larger still for what is no number."""
    highest = np.uint32(0)
    for n in range(len(bits)):
        highest = max(highest, bits[n] & np.uint32(0x7FFFFFFF))
    return highest
