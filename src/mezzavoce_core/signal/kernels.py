"""The compiled inner loops of the meter. Only arithmetic here: what the figures mean stands in ``measure``."""

import numpy as np
from numba import njit
from numpy.typing import NDArray


@njit(cache=True, nogil=True)
def filter_energy(
    x: NDArray[np.float32], sections: NDArray[np.float64], state: NDArray[np.float64], edges: NDArray[np.int64], out: NDArray[np.float64]
) -> None:
    """Two biquads in a row over one channel; ``out[t]`` gets the mean square between ``edges[t]`` and ``edges[t + 1]``.

    ``sections`` is ``(2, 5)``: b0 b1 b2 a1 a2 (a0 = 1), transposed direct form II; ``state`` ``(2, 2)`` is carried.
    """
    b0, b1, b2, a1, a2 = sections[0]
    c0, c1, c2, d1, d2 = sections[1]
    s0, s1 = state[0]
    t0, t1 = state[1]
    for tick in range(len(edges) - 1):
        total = 0.0
        for n in range(edges[tick], edges[tick + 1]):
            v = float(x[n])
            y = b0 * v + s0
            s0 = b1 * v - a1 * y + s1
            s1 = b2 * v - a2 * y
            z = c0 * y + t0
            t0 = c1 * y - d1 * z + t1
            t1 = c2 * y - d2 * z
            total += z * z
        out[tick] = total / max(1, edges[tick + 1] - edges[tick])
    state[0, 0], state[0, 1], state[1, 0], state[1, 1] = s0, s1, t0, t1


@njit(cache=True, nogil=True, fastmath={"reassoc", "contract", "nnan", "ninf", "nsz"})
def peaks(x: NDArray[np.float32], taps: NDArray[np.float32], edges: NDArray[np.int64], out: NDArray[np.float32]) -> None:
    """Highest sample and highest interpolated value of one channel between edges, as amplitudes.

    ``x`` is padded: output sample n lies at ``x[n + before]`` with before = taps per phase / 2 - 1; ``taps`` is
    ``(phases, taps per phase)`` reversed in time, a multiple of four long; ``out`` is ``(segments, 2)``: sample peak, true peak.
    The inner loop runs over samples, four taps at a time, because the compiler turns that into vector code.
    """
    length = taps.shape[1]
    before = length // 2 - 1
    longest = 0
    for part in range(len(edges) - 1):
        longest = max(longest, edges[part + 1] - edges[part])
    total = np.empty(longest, dtype=np.float32)
    for part in range(len(edges) - 1):
        first, count = edges[part], edges[part + 1] - edges[part]
        sample = np.float32(0)
        for n in range(count):
            sample = max(sample, abs(x[first + n + before]))
        between = sample
        for phase in range(taps.shape[0]):
            total[:count] = 0
            for k in range(0, length, 4):
                h0, h1, h2, h3 = taps[phase, k], taps[phase, k + 1], taps[phase, k + 2], taps[phase, k + 3]
                y = x[first + k : first + k + count + 3]
                for n in range(count):
                    total[n] += h0 * y[n] + h1 * y[n + 1] + h2 * y[n + 2] + h3 * y[n + 3]
            for n in range(count):
                between = max(between, abs(total[n]))
        out[part, 0] = sample
        out[part, 1] = between
