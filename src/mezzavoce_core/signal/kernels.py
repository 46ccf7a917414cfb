"""The compiled inner loops of the meter. Only arithmetic here: what the figures mean stands in ``measure``."""

import numpy as np
from numpy.typing import NDArray

from ..runtime.compiled import njit

_SEGMENT = 32
PIECE = 1024
"""Samples that ``halve`` makes at a time."""


@njit(cache=True, nogil=True)
def sample_peaks(bits: NDArray[np.uint32], before: int, edges: NDArray[np.int64], out: NDArray[np.uint32]) -> None:
    """Highest magnitude between edges, as the bits of a float32 without its sign.

    ``bits`` is padded by ``before`` values.
    """
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
def _interpolated(
    y: NDArray[np.float32], taps: NDArray[np.float32], count: int, totals: NDArray[np.float32]
) -> tuple[np.float32, int]:
    """Highest magnitude between ``count`` samples, whose first output needs ``y[0]`` first, and the sample before it.

    The inner loop runs over samples, three phases and four taps at a time, because the compiler turns that into vector
    code.
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
    """Highest interpolated value of one channel between edges, where it passes ``floor``.

    Returns the floor to go on with.

    ``x`` is padded: output sample n lies at ``x[n + before]`` with before = taps per phase / 2 - 1. ``peaks`` are the
    highest samples of the ticks, ``out`` holds them too and is raised; ``at`` gets the sample, counted from the edge,
    at the highest value. No value of the filter is larger than the highest sample within reach times ``bounds[0]``, the
    largest sum of the taps' magnitudes; nor than the highest of the samples right around times ``bounds[1]`` plus the
    highest within reach times ``bounds[2]``, with the sums over the middle four taps and over the others. Where that
    cannot pass the floor, nothing is computed. A negative ``ceiling`` computes everything; otherwise the floor rises
    with what is found, up to the ceiling, and what stays under it is left alone, so that the figures do not depend on
    how much was computed. ``totals`` ``(3, samples)`` is room to work in: so many samples are looked at together at
    most.
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
def flat_runs(
    x: NDArray[np.float32],
    before: int,
    edges: NDArray[np.int64],
    peaks: NDArray[np.float32],
    least: float,
    out: NDArray[np.uint16],
) -> None:
    """Longest run of samples that stand at the peak of their part.

    That peak reaches ``least``, and the wave runs into it with a corner.

    A run counts when the sample on either side of it stands off by more than 0.2 % of the peak: the top of a slow sine
    is flat, too, but without a corner.
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
            # A run that goes on into the next part belongs to this one; the last sample of the padding stays as its far
            # side.
            while n < len(x) - 1 and abs(x[n]) >= level - slack and (x[n] > 0) == positive:
                n += 1
            corner = max(abs(x[first] - x[first - 1]), abs(x[n - 1] - x[n]))
            if n - first > out[part] and corner > 0.002 * level:
                out[part] = min(n - first, 65535)


@njit(cache=True, nogil=True, fastmath={"contract"})
def _halved(
    taps: NDArray[np.float32], even: NDArray[np.float32], odd: NDArray[np.float32], out: NDArray[np.float32]
) -> None:
    """Which interpolator taps samples with even and odd numbers need.

    Even: those at odd distances from the middle, ten on each side; odd: the middle alone.
    """
    half = len(taps) // 2
    centre, a, b, c, d, e = taps[half], taps[0], taps[2], taps[4], taps[6], taps[8]
    f, g, h, i, j = taps[10], taps[12], taps[14], taps[16], taps[18]
    x, middle = even[: len(out) + half], odd[half // 2 : half // 2 + len(out)]
    for n in range(len(out)):
        total = centre * middle[n] + a * (x[n] + x[n + 19]) + b * (x[n + 1] + x[n + 18]) + c * (x[n + 2] + x[n + 17])
        total += (
            d * (x[n + 3] + x[n + 16])
            + e * (x[n + 4] + x[n + 15])
            + f * (x[n + 5] + x[n + 14])
            + g * (x[n + 6] + x[n + 13])
        )
        out[n] = total + (h * (x[n + 7] + x[n + 12]) + i * (x[n + 8] + x[n + 11]) + j * (x[n + 9] + x[n + 10]))


@njit(cache=True, nogil=True)
def halve(
    taps: NDArray[np.float32], x: NDArray[np.float32], out: NDArray[np.float32], room: NDArray[np.float32]
) -> None:
    """Every other sample of a half-band filter of 39 taps: ``out[n]`` from the 39 samples of ``x`` from ``2 n`` on.

    Piece by piece in ``room`` ``(2, PIECE + 20)``: first the samples are parted by even and odd numbers, then filtered,
    because the compiler turns each of the two into vector code.
    """
    half = len(taps) // 2
    even, odd = room[0], room[1]
    for begin in range(0, len(out), PIECE):
        count = min(PIECE, len(out) - begin)
        part = x[2 * begin :]
        for n in range(count + half - 1):
            even[n] = part[2 * n]
            odd[n] = part[2 * n + 1]
        even[count + half - 1] = part[2 * (count + half - 1)]
        _halved(taps, even, odd, out[begin : begin + count])


@njit(cache=True, nogil=True)
def windowed(
    x: NDArray[np.float32],
    begins: NDArray[np.int64],
    window: NDArray[np.float32],
    out: NDArray[np.float32],
    which: NDArray[np.int64],
) -> int:
    """Pieces of a channel that begin at ``begins``, times a window, those of silence left out.

    Returns how many there are, and in ``which`` their numbers.

    ``out`` ``(pieces, samples)`` may be longer than the window and ends in silence.
    """
    count = 0
    for k in range(len(begins)):
        piece, silent = x[begins[k] : begins[k] + len(window)], 0
        # One by one, because the compiler's own way of asking would load what only compiling needs.
        while silent < len(piece) and piece[silent] == 0:
            silent += 1
        if silent == len(piece):
            continue
        row = out[count]
        for n in range(len(window)):
            row[n] = piece[n] * window[n]
        row[len(window) :] = 0
        which[count] = k
        count += 1
    return count


@njit(cache=True, nogil=True, fastmath={"reassoc", "contract"})
def squares_in_bands(
    parts: NDArray[np.float32],
    first: NDArray[np.int64],
    weights: NDArray[np.float32],
    which: NDArray[np.int64],
    out: NDArray[np.float32],
) -> None:
    """Add the weighted squared magnitudes of spectra ``(spectra, 2 * bins)`` to rows of ``out``.

    To the rows ``which`` of ``out`` ``(frames, bands)``.

    Real and imaginary parts lie side by side.
    """
    for k in range(len(parts)):
        for band in range(len(first)):
            row = weights[band]
            bins = parts[k, 2 * first[band] :]
            total = np.float32(0)
            for n in range(min(len(row), len(bins) // 2)):
                total += row[n] * (bins[2 * n] * bins[2 * n] + bins[2 * n + 1] * bins[2 * n + 1])
            out[which[k], band] += total


@njit(cache=True, nogil=True, fastmath={"contract"})
def sums_of_four(channels: NDArray[np.float32], factor: np.float32, out: NDArray[np.float32]) -> None:
    """Sums over four samples and all channels ``(channels, samples)``, times a factor."""
    for c in range(len(channels)):
        x = channels[c]
        for n in range(len(out)):
            four = (x[4 * n] + x[4 * n + 1]) + (x[4 * n + 2] + x[4 * n + 3])
            out[n] = four if c == 0 else out[n] + four
    for n in range(len(out)):
        out[n] *= factor


@njit(cache=True, nogil=True, fastmath={"contract"})
def take_out(x: NDArray[np.float32], part: NDArray[np.float32], gain: np.float32) -> None:
    """Take a part times a gain out of ``x``."""
    for n in range(len(x)):
        x[n] -= gain * part[n]


@njit(cache=True, nogil=True, fastmath={"reassoc", "contract"})
def mean_squares(x: NDArray[np.float32], edges: NDArray[np.int64], out: NDArray[np.float32]) -> None:
    """Mean squares between edges, which are at least one sample apart."""
    for k in range(len(out)):
        part, total = x[edges[k] : edges[k + 1]], np.float32(0)
        for n in range(len(part)):
            total += part[n] * part[n]
        out[k] = total / np.float32(len(part))
