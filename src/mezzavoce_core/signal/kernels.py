"""The compiled inner loops of the meter. Only arithmetic here: what the figures mean stands in ``measure``."""

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from .lanes import BEHIND, COEFFICIENTS, LAST_IN, OUTS, PRODUCTS, ROWS, SQUARES, STATE, STATE_BEFORE, filter_in_lanes

_SEGMENT = 32
_PIECE = 1024
# A filter that rings out into silence ends in numbers so small that the processor takes many times as long for each; far below
# anything heard (-600 dB) its state is set to nothing. Within a tick no state falls from there to such numbers.
_NOTHING = 1e-30


@njit(cache=True, nogil=True)
def _kept(value: float) -> float:
    """A state, or nothing where it is next to nothing."""
    return value if abs(value) > _NOTHING else 0.0


@njit(cache=True, nogil=True, fastmath={"contract"}, inline="always")
def section(factors: NDArray[np.float64], state: NDArray[np.float64], value: float) -> float:
    """One sample through a biquad: ``factors`` b0 g1 g2 a1 a2, where g = b - a b0; ``state`` s, s before, last input.

    Transposed direct form II with the second state put into the first, so that one multiplication and addition leads from state to state.
    """
    out: float = factors[0] * value + state[0]
    following = ((factors[2] * state[2] + factors[1] * value) - factors[4] * state[1]) - factors[3] * state[0]
    state[0], state[1], state[2] = following, state[0], value
    return out


@njit(cache=True, nogil=True, fastmath={"contract"})
def filter_energy(x: NDArray[np.float32], factors: NDArray[np.float64], state: NDArray[np.float64], edges: NDArray[np.int64], out: NDArray[np.float32]) -> None:
    """Two biquads in a row over one channel; ``out[t]`` gets the mean square between ``edges[t]`` and ``edges[t + 1]``.

    ``factors`` ``(2, 5)`` and ``state`` ``(2, 3)``, which is carried, as of ``section``.
    """
    b0, g1, g2, a1, a2 = factors[0]
    c0, h1, h2, d1, d2 = factors[1]
    p, p_before, v_before = state[0]
    q, q_before, y_before = state[1]
    for tick in range(len(edges) - 1):
        part = x[edges[tick] : edges[tick + 1]]
        total = 0.0
        for n in range(len(part)):
            v = np.float64(part[n])
            y = b0 * v + p
            z = c0 * y + q
            p, p_before = ((g2 * v_before + g1 * v) - a2 * p_before) - a1 * p, p
            q, q_before = ((h2 * y_before + h1 * y) - d2 * q_before) - d1 * q, q
            v_before, y_before = v, y
            total += z * z
        out[tick] = total / max(1, len(part))
        p, p_before, v_before = _kept(p), _kept(p_before), _kept(v_before)
        q, q_before, y_before = _kept(q), _kept(q_before), _kept(y_before)
    state[0, 0], state[0, 1], state[0, 2] = p, p_before, v_before
    state[1, 0], state[1, 1], state[1, 2] = q, q_before, y_before


@njit(cache=True, nogil=True)
def _to_lanes(state: NDArray[np.float64], table: NDArray[np.float64]) -> None:
    """States ``(channels, sections, 3)`` into the lanes of the table."""
    for channel in range(2):
        for k in range(2):
            lane = 2 * k + channel
            table[STATE, lane], table[STATE_BEFORE, lane], table[LAST_IN, lane] = state[channel, k]


@njit(cache=True, nogil=True)
def _from_lanes(table: NDArray[np.float64], state: NDArray[np.float64]) -> None:
    """States out of the lanes, or nothing where they are next to nothing."""
    for channel in range(2):
        for k in range(2):
            lane = 2 * k + channel
            state[channel, k, 0], state[channel, k, 1] = _kept(table[STATE, lane]), _kept(table[STATE_BEFORE, lane])
            state[channel, k, 2] = _kept(table[LAST_IN, lane])


@njit(cache=True, nogil=True, fastmath={"contract"})
def filter_energy_pair(
    x: NDArray[np.float32],
    y: NDArray[np.float32],
    factors: NDArray[np.float64],
    state: NDArray[np.float64],
    edges: NDArray[np.int64],
    out: NDArray[np.float32],
    table: NDArray[np.float64],
) -> None:
    """``filter_energy`` over two channels in step; ``state`` is ``(2, 2, 3)``, ``out`` ``(ticks, 3)`` gets both mean squares and the mean of the product.

    ``table`` ``(ROWS, 4)`` is room to work in.
    """
    for lane in range(4):
        for row in range(ROWS):
            table[row, lane] = factors[lane // 2, row - COEFFICIENTS] if row < OUTS else 0.0
    last = edges[len(edges) - 1]
    ahead = min(BEHIND, last)
    for n in range(ahead):
        for channel, source in enumerate((x, y)):
            table[OUTS + BEHIND - 1 - n, channel] = section(factors[0], state[channel, 0], np.float64(source[n]))
    _to_lanes(state, table)
    for tick in range(len(edges) - 1):
        first, end = edges[tick], edges[tick + 1]
        for lane in range(4):
            table[SQUARES, lane] = table[PRODUCTS, lane] = 0.0
        until = max(first, min(end, last - ahead))
        filter_in_lanes(x[first + ahead : until + ahead], y[first + ahead : until + ahead], table)
        left, right, both = table[SQUARES, 2], table[SQUARES, 3], table[PRODUCTS, 2]
        _from_lanes(table, state)
        # At the end nothing is left for the first section; the second one takes what waits between them.
        for n in range(until, end):
            row = OUTS + BEHIND - 1 - (n - (last - ahead))
            e, f = section(factors[1], state[0, 1], table[row, 0]), section(factors[1], state[1, 1], table[row, 1])
            left += e * e
            right += f * f
            both += e * f
        _to_lanes(state, table)
        count = max(1, end - first)
        out[tick, 0], out[tick, 1], out[tick, 2] = left / count, right / count, both / count


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


@njit(cache=True, nogil=True)
def apart(before: NDArray[np.float32], x: NDArray[np.float32], even: NDArray[np.float32], odd: NDArray[np.float32]) -> None:
    """Samples with even and with odd numbers of ``before`` and ``x``, one behind the other."""
    pairs, lone = len(before) // 2, len(before) % 2
    for n in range(pairs):
        even[n] = before[2 * n]
        odd[n] = before[2 * n + 1]
    if lone and len(x):
        even[pairs] = before[2 * pairs]
        odd[pairs] = x[0]
        pairs += 1
    rest, e, o = x[lone:], even[pairs:], odd[pairs:]
    for n in range(len(rest) // 2):
        e[n] = rest[2 * n]
        o[n] = rest[2 * n + 1]
    if len(rest) % 2:
        e[len(rest) // 2] = rest[-1]


@njit(cache=True, nogil=True)
def halve(taps: NDArray[np.float32], even: NDArray[np.float32], odd: NDArray[np.float32], out: NDArray[np.float32]) -> None:
    """Every other sample of a half-band filter over samples taken ``apart``: ``out[n]`` lies at sample ``2 n + len(taps) // 2``.

    Taps at even distances from the middle are not looked at; those at odd ones are ten on each side, taken five at a time,
    because the compiler turns that into vector code.
    """
    half = len(taps) // 2
    for begin in range(0, len(out), _PIECE):
        count = min(_PIECE, len(out) - begin)
        part = out[begin : begin + count]
        middle = odd[begin + half // 2 : begin + half // 2 + count]
        for n in range(count):
            part[n] = taps[half] * middle[n]
        for k in range(0, (half + 1) // 2, 5):
            a, b, c, d, e = taps[2 * k], taps[2 * k + 2], taps[2 * k + 4], taps[2 * k + 6], taps[2 * k + 8]
            u, v = even[begin + k : begin + k + count + 4], even[begin + half - k - 4 : begin + half - k + count]
            for n in range(count):
                outer = a * (u[n] + v[n + 4]) + b * (u[n + 1] + v[n + 3]) + c * (u[n + 2] + v[n + 2])
                part[n] += outer + d * (u[n + 3] + v[n + 1]) + e * (u[n + 4] + v[n])


@njit(cache=True, nogil=True)
def windowed(x: NDArray[np.float32], begins: NDArray[np.int64], window: NDArray[np.float32], out: NDArray[np.float32], which: NDArray[np.int64]) -> int:
    """Pieces of a channel that begin at ``begins``, times a window, those of silence left out; returns how many there are, and in ``which`` their numbers.

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
    parts: NDArray[np.float32], first: NDArray[np.int64], weights: NDArray[np.float32], which: NDArray[np.int64], out: NDArray[np.float32]
) -> None:
    """Add to rows ``which`` of ``out`` ``(frames, bands)`` the weighted squared magnitudes of spectra ``(spectra, 2 * bins)``.

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
