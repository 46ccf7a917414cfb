"""The compiled inner loops of the meter. Only arithmetic here: what the figures mean stands in ``measure``."""

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit

_SEGMENT = 32
# A filter that rings out into silence ends in numbers so small that the processor takes many times as long for each; far below
# anything heard (-600 dB) its state is set to nothing. Within a tick no state falls from there to such numbers.
_NOTHING = 1e-30


@njit(cache=True, nogil=True)
def _kept(value: float) -> float:
    """A state, or nothing where it is next to nothing."""
    return value if abs(value) > _NOTHING else 0.0


@njit(cache=True, nogil=True, fastmath={"contract"})
def filter_energy(
    x: NDArray[np.float32], sections: NDArray[np.float64], state: NDArray[np.float64], edges: NDArray[np.int64], out: NDArray[np.float32]
) -> None:
    """Two biquads in a row over one channel; ``out[t]`` gets the mean square between ``edges[t]`` and ``edges[t + 1]``.

    ``sections`` is ``(2, 5)``: b0 b1 b2 a1 a2 (a0 = 1), transposed direct form II with the output put into the states, so that one
    multiplication and addition leads from state to state; ``state`` ``(2, 2)`` is carried.
    """
    b0, b1, b2, a1, a2 = sections[0]
    c0, c1, c2, d1, d2 = sections[1]
    g1, g2, h1, h2 = b1 - a1 * b0, b2 - a2 * b0, c1 - d1 * c0, c2 - d2 * c0
    p0, p1 = state[0]
    q0, q1 = state[1]
    for tick in range(len(edges) - 1):
        part = x[edges[tick] : edges[tick + 1]]
        total = 0.0
        for n in range(len(part)):
            v = np.float64(part[n])
            y = b0 * v + p0
            p0, p1 = (g1 * v + p1) - a1 * p0, g2 * v - a2 * p0
            z = c0 * y + q0
            q0, q1 = (h1 * y + q1) - d1 * q0, h2 * y - d2 * q0
            total += z * z
        out[tick] = total / max(1, len(part))
        p0, p1, q0, q1 = _kept(p0), _kept(p1), _kept(q0), _kept(q1)
    state[0, 0], state[0, 1], state[1, 0], state[1, 1] = p0, p1, q0, q1


@njit(cache=True, nogil=True, fastmath={"contract"})
def filter_energy_pair(
    x: NDArray[np.float32],
    y: NDArray[np.float32],
    sections: NDArray[np.float64],
    state: NDArray[np.float64],
    edges: NDArray[np.int64],
    out: NDArray[np.float32],
) -> None:
    """``filter_energy`` over two channels in step, which keeps the processor busy where one alone waits for itself.

    ``state`` is ``(2, 2, 2)``; ``out`` ``(ticks, 3)`` gets both mean squares and the mean of the product.
    """
    b0, b1, b2, a1, a2 = sections[0]
    c0, c1, c2, d1, d2 = sections[1]
    g1, g2, h1, h2 = b1 - a1 * b0, b2 - a2 * b0, c1 - d1 * c0, c2 - d2 * c0
    p0, p1 = state[0, 0]
    q0, q1 = state[0, 1]
    r0, r1 = state[1, 0]
    s0, s1 = state[1, 1]
    for tick in range(len(edges) - 1):
        left, right, both = 0.0, 0.0, 0.0
        first, second = x[edges[tick] : edges[tick + 1]], y[edges[tick] : edges[tick + 1]]
        for n in range(len(first)):
            v, w = np.float64(first[n]), np.float64(second[n])
            a = b0 * v + p0
            b = b0 * w + r0
            p0, p1 = (g1 * v + p1) - a1 * p0, g2 * v - a2 * p0
            r0, r1 = (g1 * w + r1) - a1 * r0, g2 * w - a2 * r0
            e = c0 * a + q0
            f = c0 * b + s0
            q0, q1 = (h1 * a + q1) - d1 * q0, h2 * a - d2 * q0
            s0, s1 = (h1 * b + s1) - d1 * s0, h2 * b - d2 * s0
            left += e * e
            right += f * f
            both += e * f
        count = max(1, len(first))
        out[tick, 0], out[tick, 1], out[tick, 2] = left / count, right / count, both / count
        p0, p1, q0, q1 = _kept(p0), _kept(p1), _kept(q0), _kept(q1)
        r0, r1, s0, s1 = _kept(r0), _kept(r1), _kept(s0), _kept(s1)
    state[0, 0, 0], state[0, 0, 1], state[0, 1, 0], state[0, 1, 1] = p0, p1, q0, q1
    state[1, 0, 0], state[1, 0, 1], state[1, 1, 0], state[1, 1, 1] = r0, r1, s0, s1


@njit(cache=True, nogil=True)
def sample_peaks(bits: NDArray[np.uint32], before: int, edges: NDArray[np.int64], out: NDArray[np.uint32]) -> None:
    """Highest magnitude between edges, as the bits of a float32 without its sign; ``bits`` is padded by ``before`` values."""
    for tick in range(len(edges) - 1):
        part = bits[edges[tick] + before : edges[tick + 1] + before]
        highest = np.uint32(0)
        for n in range(len(part)):
            highest = max(highest, part[n] & np.uint32(0x7FFFFFFF))
        out[tick] = highest


@njit(cache=True, nogil=True, fastmath={"reassoc", "contract", "nnan", "ninf", "nsz"})
def _highest(x: NDArray[np.float32]) -> np.float32:
    """Largest magnitude."""
    highest = np.float32(0)
    for n in range(len(x)):
        highest = max(highest, abs(x[n]))
    return highest


@njit(cache=True, nogil=True, fastmath={"reassoc", "contract", "nnan", "ninf", "nsz"})
def _interpolated(y: NDArray[np.float32], taps: NDArray[np.float32], count: int, totals: NDArray[np.float32]) -> tuple[np.float32, int]:
    """Highest magnitude between ``count`` samples, whose first output needs ``y[0]`` first, and the sample before it.

    The inner loop runs over samples, three phases and four taps at a time, because the compiler turns that into vector code.
    """
    first, second, third = totals[0, :count], totals[1, :count], totals[2, :count]
    totals[:, :count] = 0
    for k in range(0, taps.shape[1], 4):
        a0, a1, a2, a3 = taps[0, k], taps[0, k + 1], taps[0, k + 2], taps[0, k + 3]
        b0, b1, b2, b3 = taps[1, k], taps[1, k + 1], taps[1, k + 2], taps[1, k + 3]
        c0, c1, c2, c3 = taps[2, k], taps[2, k + 1], taps[2, k + 2], taps[2, k + 3]
        part = y[k : k + count + 3]
        for n in range(count):
            t, u, v, w = part[n], part[n + 1], part[n + 2], part[n + 3]
            first[n] += a0 * t + a1 * u + a2 * v + a3 * w
            second[n] += b0 * t + b1 * u + b2 * v + b3 * w
            third[n] += c0 * t + c1 * u + c2 * v + c3 * w
    most = max(_highest(first), _highest(second), _highest(third))
    place = 0
    while max(abs(first[place]), abs(second[place]), abs(third[place])) < most:
        place += 1
    return most, place


@njit(cache=True, nogil=True)
def true_peaks(  # noqa: PLR0913, PLR0917  (compiled loops take arrays, no objects)
    x: NDArray[np.float32],
    taps: NDArray[np.float32],
    bounds: NDArray[np.float64],
    edges: NDArray[np.int64],
    peaks: NDArray[np.float32],
    floor: float,
    ceiling: float,
    out: NDArray[np.float32],
    at: NDArray[np.uint16],
    totals: NDArray[np.float32],
) -> float:
    """Highest interpolated value of one channel between edges, where it passes ``floor``; returns the floor to go on with.

    ``x`` is padded: output sample n lies at ``x[n + before]`` with before = taps per phase / 2 - 1. ``peaks`` are the highest
    samples of the ticks, ``out`` holds them too and is raised; ``at`` gets the sample, counted from the edge, at the highest value.
    No value of the filter is larger than the highest sample within reach times ``bounds[0]``, the largest sum of the taps'
    magnitudes; nor than the highest of the samples right around times ``bounds[1]`` plus the highest within reach times
    ``bounds[2]``, with the sums over the middle four taps and over the others. Where that cannot pass the floor, nothing is
    computed. A negative ``ceiling`` computes everything; otherwise the floor rises with what is found, up to the ceiling, and
    what stays under it is left alone, so that the figures do not depend on how much was computed. ``totals`` ``(3, samples)`` is
    room to work in: so many samples are looked at together at most.
    """
    length = taps.shape[1]
    before = length // 2 - 1
    ticks = len(edges) - 1
    segment = totals.shape[1]
    if ceiling >= 0:
        segment = min(segment, _SEGMENT)
    # Ticks inside are whole; where those at the ends are long enough, too, the filter never reaches beyond a neighbour.
    beyond = min(edges[1] - edges[0], edges[ticks] - edges[ticks - 1]) <= before + 1
    for tick in range(ticks):
        first, last = edges[tick], edges[tick + 1]
        inside = 0 < tick < ticks - 1 and not beyond
        near = max(peaks[tick - 1], peaks[tick], peaks[tick + 1]) if inside else _highest(x[first : last + length - 1])
        if ceiling >= 0 and near * bounds[0] <= floor:
            continue
        highest = np.float32(-1)
        place = 0
        part = x[first + before : last + before]
        for begin in range(first, last, segment):
            count = min(segment, last - begin)
            if ceiling >= 0:
                around = _highest(x[begin + before - 1 : begin + before + count + 2])
                if around * bounds[1] + near * bounds[2] <= max(floor, highest):
                    continue
            most, where = _interpolated(x[begin : begin + count + length - 1], taps, count, totals)
            if most > highest:
                highest = most
                place = begin - first + where
        if peaks[tick] >= highest:
            highest = peaks[tick]
            place = 0
            while place < len(part) - 1 and abs(part[place]) < highest:
                place += 1
        if highest > floor or ceiling < 0:
            out[tick] = highest
            at[tick] = place
            floor = max(floor, min(np.float64(highest), ceiling))
    return floor


@njit(cache=True, nogil=True)
def flat_runs(x: NDArray[np.float32], before: int, edges: NDArray[np.int64], peaks: NDArray[np.float32], least: float, out: NDArray[np.uint16]) -> None:
    """Longest run of samples that stand at the peak of their part, where that peak reaches ``least`` and the wave runs into it with a corner.

    A run counts when the sample on either side of it stands off by more than 0.2 % of the peak: the top of a slow sine is flat, too, but without a corner.
    """
    for part in range(len(edges) - 1):
        out[part] = 0
        level = peaks[part]
        if level < least:
            continue
        slack = np.float32(3.1e-5)
        n = edges[part] + before
        end = edges[part + 1] + before
        while n < end:
            if abs(x[n]) < level - slack:
                n += 1
                continue
            first = n
            positive = x[n] > 0
            # A run that goes on into the next part belongs to this one; the last sample of the padding stays as its far side.
            while n < len(x) - 1 and abs(x[n]) >= level - slack and (x[n] > 0) == positive:
                n += 1
            corner = max(abs(x[first] - x[first - 1]), abs(x[n - 1] - x[n]))
            if n - first > out[part] and corner > 0.002 * level:
                out[part] = min(n - first, 65535)
