"""The compiled loops in which a change of the gain curve is tried.

There are many thousand changes for each programme, so one call does all for one of them.
"""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ...runtime.compiled import njit
from ...units import Floats
from .loops import BLOCK, MOST_AT_ONCE

SAME_DB, LN_POWER_PER_DB = 1e-7, 0.23025850929940458
"""What differs by less is rounding of running sums; and the natural logarithm of the power of one decibel."""


class Scales(NamedTuple):
    """All scales of time, one after the other.

    Scale k lies from ``begins[k]`` up to ``begins[k + 1]`` in ``moved``, ``step`` and ``seen``.
    """

    begins: NDArray[np.int64]
    widths: NDArray[np.int64]
    hops: NDArray[np.int64]
    wholes: NDArray[np.int64]
    """So many frames are heard as one, by their power."""
    moved: Floats
    step: Floats
    seen: Floats
    """What of the curve as it is can be seen there, in dB."""
    weights: Floats
    """``(frames,)`` of what changes tell; the same all over a part of the programme."""
    degrees: float


class Likeness(NamedTuple):
    """Pairs of blocks; those that touch block k are the ones of ``pair_of`` from ``begins[k]`` on."""

    begins: NDArray[np.int64]
    pair_of: NDArray[np.int64]
    one: NDArray[np.int64]
    other: NDArray[np.int64]
    offset: Floats
    scale: Floats
    weight: float


@njit(cache=True, nogil=True)
def all_tried(
    candidates: Floats,
    per_s: int,
    scales: Scales,
    pairs: Likeness,
    gain_sums: Floats,
    sums: Floats,
    powers: Floats,
    out: Floats,
) -> None:
    """``out`` ``(candidates,)`` gets what each of ``candidates`` ``(candidates, moves, 5)`` to change the curve tells.

    Else as ``tried``.
    """
    for k in range(len(candidates)):
        out[k] = tried(candidates[k], per_s, scales, pairs, gain_sums, sums, powers)


@njit(cache=True, nogil=True)
def tried(
    moves: Floats, per_s: int, scales: Scales, pairs: Likeness, gain_sums: Floats, sums: Floats, powers: Floats
) -> float:
    """What a change of the gain curve tells on all scales and by pairs of blocks, in nats against none.

    ``moves`` as for ``drawn``. ``gain_sums`` ``(frames + 1,)`` are running sums of the curve as it is, ``sums`` and
    ``powers`` are as much room to work in.
    """
    first, count = drawn(moves, per_s, len(sums) - 1, sums)
    if count == 0:
        return 0.0
    log_ratio, begin = 0.0, _powers(scales, gain_sums, sums, first, count, powers)
    for k in range(len(scales.widths)):
        log_ratio += _on_scale(scales, k, sums, first, count, powers, begin)
    if len(pairs.one):
        log_ratio += pairs.weight * _by_pairs(pairs, gain_sums, sums, first, count)
    return log_ratio


@njit(cache=True, nogil=True)
def taken(moves: Floats, per_s: int, scales: Scales, gain_sums: Floats, sums: Floats, powers: Floats) -> None:
    """A change becomes part of the curve: ``scales`` see the changed one, its running sums are added to ``gain_sums``.

    Else as ``tried``.
    """
    first, count = drawn(moves, per_s, len(sums) - 1, sums)
    powers_from = _powers(scales, gain_sums, sums, first, count, powers)
    for k in range(len(scales.widths)):
        width, hop, whole, from_place = scales.widths[k], scales.hops[k], scales.wholes[k], scales.begins[k]
        begin, end = _seeing(scales.begins[k + 1] - from_place, width, hop, first, count)
        for place in range(begin, end):
            if whole > 1:
                scales.seen[from_place + place] = _by_power(
                    powers, place * hop - powers_from, width, whole, len(sums) - 1 - powers_from
                )
            else:
                scales.seen[from_place + place] += _added(sums, place * hop - first, width, count)
    for frame in range(first, len(gain_sums)):
        gain_sums[frame] += sums[min(frame - first, count)]


@njit(cache=True, nogil=True)
def drawn(moves: Floats, per_s: int, frames: int, sums: Floats) -> tuple[int, int]:
    """The first frame of a change of the gain curve and how many frames it has.

    ``sums`` gets its running sums in dB from there on, one more than frames.

    ``moves`` ``(moves, 5)`` are trapezoids: four times in seconds, and by how many dB the gain is higher between the
    second and the third.
    """
    begin_s, end_s = moves[0, 0], moves[0, 3]
    for k in range(1, len(moves)):
        begin_s, end_s = min(begin_s, moves[k, 0]), max(end_s, moves[k, 3])
    begin, end = _frames(begin_s, end_s, per_s, frames)
    sums[: end - begin + 1] = 0.0
    for k in range(len(moves)):
        _add(moves, k, per_s, frames, begin, sums)
    # Where one edge of a move is put elsewhere, all the rest of it stays as it is.
    first, last = begin, end
    while first < end and sums[first - begin + 1] == 0.0:
        first += 1
    while last > first and sums[last - begin] == 0.0:
        last -= 1
    total = 0.0
    for frame in range(first, last):
        total += sums[frame - begin + 1]
        sums[frame - first + 1] = total
    return first, last - first


@njit(cache=True, nogil=True)
def _add(moves: Floats, k: int, per_s: int, frames: int, first: int, sums: Floats) -> None:
    """By how much a move raises the gain is added to ``sums``, of which entry 1 is frame ``first``."""
    begin, end = _frames(moves[k, 0], moves[k, 3], per_s, frames)
    down = min(max(int(moves[k, 1] * per_s) + 2, begin), end)
    up = max(min(int(moves[k, 2] * per_s) - 2, end), down)
    rise_db = moves[k, 4]
    for frame in range(begin, down):
        sums[frame - first + 1] += rise_db * _share(moves, k, (frame + 0.5) / per_s)
    for frame in range(down, up):
        sums[frame - first + 1] += rise_db
    for frame in range(up, end):
        sums[frame - first + 1] += rise_db * _share(moves, k, (frame + 0.5) / per_s)


@njit(cache=True, nogil=True)
def _frames(begin_s: float, end_s: float, per_s: int, frames: int) -> tuple[int, int]:
    """From which frame up to which a move can be seen."""
    begin = min(frames - 1, max(0, int(begin_s * per_s) - 2))
    return begin, max(begin + 1, min(frames, int(end_s * per_s) + 3))


@njit(cache=True, nogil=True)
def _share(moves: Floats, k: int, middle_s: float) -> float:
    """How far a move is down in a frame around some time.

    A frame looks at 43 ms, and the mean over its middle stands for them.
    """
    share = 0.0
    for t in (middle_s - 0.008, middle_s + 0.008):
        if moves[k, 1] <= t <= moves[k, 2]:
            share += 0.5
        elif moves[k, 0] < t < moves[k, 1]:
            share += 0.5 * (t - moves[k, 0]) / (moves[k, 1] - moves[k, 0])
        elif moves[k, 2] < t < moves[k, 3]:
            share += 0.5 * (moves[k, 3] - t) / (moves[k, 3] - moves[k, 2])
    return share


@njit(cache=True, nogil=True)
def _seeing(places: int, width: int, hop: int, first: int, count: int) -> tuple[int, int]:
    """From which place up to which a scale sees a change."""
    return max(0, -(-(first - width) // hop)), min(places, (first + count + width) // hop + 1)


@njit(cache=True, nogil=True)
def _added(sums: Floats, at: int, width: int, count: int) -> float:
    """What is seen of a change ``at`` frames behind its first one."""
    after, before = sums[min(max(at + width, 0), count)], sums[min(max(at - width, 0), count)]
    seen: float = (after - 2 * sums[min(max(at, 0), count)] + before) / width
    return seen


@njit(cache=True, nogil=True)
def _powers(scales: Scales, gain_sums: Floats, sums: Floats, first: int, count: int, powers: Floats) -> int:
    """Running sums of the power of the changed gain, as far as a scale sees of it that hears by power.

    The first frame of them.
    """
    reach, frames = 0, len(sums) - 1
    for k in range(len(scales.widths)):
        if scales.wholes[k] > 1:
            reach = max(reach, 2 * scales.widths[k] + scales.hops[k])
    begin, end = max(0, first - reach), min(frames, first + count + reach)
    powers[0], last_db, power = 0.0, 0.0, 1.0
    for frame in range(begin, end):
        db = gain_sums[frame + 1] - gain_sums[frame]
        if first <= frame < first + count:
            db += sums[frame - first + 1] - sums[frame - first]
        if abs(db - last_db) > SAME_DB:
            last_db, power = db, np.exp(db * LN_POWER_PER_DB)
        powers[frame - begin + 1] = powers[frame - begin] + power
    return begin


@njit(cache=True, nogil=True)
def _by_power(powers: Floats, at: int, width: int, whole: int, most: int) -> float:
    """What is seen of the gain on a scale that hears by power, ``at`` frames behind the first one of ``powers``."""
    if at < width or at + width > most:
        return 0.0
    ratio = 1.0
    for k in range(0, width, whole):
        ratio *= (powers[at + k + whole] - powers[at + k]) / (powers[at - k] - powers[at - k - whole])
    seen: float = 0.0 if abs(ratio - 1.0) < SAME_DB else np.log(ratio) * whole / (width * LN_POWER_PER_DB)
    return seen


@njit(cache=True, nogil=True)
def _on_scale(
    scales: Scales, scale: int, sums: Floats, first: int, count: int, powers: Floats, powers_from: int
) -> float:
    """What a change tells on one scale."""
    width, hop, whole, weights, degrees = (
        scales.widths[scale],
        scales.hops[scale],
        scales.wholes[scale],
        scales.weights,
        scales.degrees,
    )
    begin, end = _seeing(scales.begins[scale + 1] - scales.begins[scale], width, hop, first, count)
    log_ratio, total, above, below, weight = 0.0, 0.0, 1.0, 1.0, weights[min(begin * hop, len(weights) - 1)]
    for place in range(begin, end):
        if weights[place * hop] != weight:
            log_ratio += weight * (total + np.log(above) - np.log(below))
            total, above, below, weight = 0.0, 1.0, 1.0, weights[place * hop]
        k = scales.begins[scale] + place
        before = scales.moved[k] - scales.step[k] * scales.seen[k]
        if whole > 1:
            after = scales.moved[k] - scales.step[k] * _by_power(
                powers, place * hop - powers_from, width, whole, len(sums) - 1 - powers_from
            )
        else:
            after = before - scales.step[k] * _added(sums, place * hop - first, width, count)
        above *= degrees + after * after
        below *= degrees + before * before
        if above > MOST_AT_ONCE or below > MOST_AT_ONCE:
            total += np.log(above) - np.log(below)
            above, below = 1.0, 1.0
    log_ratio += weight * (total + np.log(above) - np.log(below))
    nats: float = -0.5 * (degrees + 1) * hop / width * log_ratio
    return nats


@njit(cache=True, nogil=True)
def _by_pairs(pairs: Likeness, gain_sums: Floats, sums: Floats, first: int, count: int) -> float:
    """What a change tells by pairs of blocks, each of weight one."""
    low = max(0, (first - BLOCK) // BLOCK)
    high = min(len(pairs.begins) - 1, (first + count - 1) // BLOCK + 1)
    total, above, below = 0.0, 1.0, 1.0
    for block in range(low, high):
        for index in range(pairs.begins[block], pairs.begins[block + 1]):
            pair = pairs.pair_of[index]
            i, j = pairs.one[pair], pairs.other[pair]
            mine_first = i // BLOCK == block
            if not mine_first and first - BLOCK < i < first + count:
                continue
            di = sums[min(max(i + BLOCK - first, 0), count)] - sums[min(max(i - first, 0), count)]
            dj = sums[min(max(j + BLOCK - first, 0), count)] - sums[min(max(j - first, 0), count)]
            if di == dj:
                continue
            now = (gain_sums[i + BLOCK] - gain_sums[i] - gain_sums[j + BLOCK] + gain_sums[j]) / BLOCK
            before = (pairs.offset[pair] - now) / pairs.scale[pair]
            after = before - (di - dj) / (BLOCK * pairs.scale[pair])
            above *= 2.0 + before * before
            below *= 2.0 + after * after
            if above > MOST_AT_ONCE or below > MOST_AT_ONCE:
                total += np.log(above) - np.log(below)
                above, below = 1.0, 1.0
    nats: float = 1.5 * (total + np.log(above) - np.log(below))
    return nats
