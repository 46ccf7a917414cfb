"""The compiled inner loops of the search for what was done to the gain."""

import numpy as np
from numpy.typing import NDArray

from ...runtime.compiled import njit
from ...units import Floats

BLOCK = 10
WINDOW_BLOCKS = 5
KEPT, AT_HAND = 6, 100
LOGARITHM_EVERY = 32
"""One logarithm for so many factors."""
STEPS_TO_AGREE, LEAST_SHARP = 12, 1e-3
NEAR_SHARE = 0.5
"""Where no move at all lies nearer by this share than twice the move, it tells less: bands of which most do not move
are no proof of one."""
LEAST_WEIGHT = 1e-6
MOST_AT_ONCE = 1e100
"""One logarithm for so large a product."""


@njit(cache=True, nogil=True, fastmath=True)
def alike(  # noqa: PLR0913, PLR0917  (compiled loops take arrays, no objects)
    shapes: NDArray[np.float32],
    bands: int,
    per: np.float32,
    quiet: NDArray[np.int32],
    lags: NDArray[np.int64],
    region: int,
    most: np.float32,
    distance: NDArray[np.float32],
    partner: NDArray[np.int32],
    blocks: NDArray[np.float32],
    near: NDArray[np.float32],
    near_at: NDArray[np.int32],
) -> None:
    """For every window of 5 blocks the most alike later windows, one in each region of ``region`` frames.

    ``shapes`` ``(frames * bands,)``, where ``bands`` is best a multiple of the lanes of a vector; ``quiet``
    ``(windows,)`` counts frames that tell nothing. ``distance`` and ``partner`` ``(windows, KEPT)`` get the square
    distance times ``per`` and the partner's first frame, the worst first; ``most`` is the largest distance that counts.
    The last three, ``near_at`` full of -1, are room to work in.
    """
    frames, windows = len(shapes) // bands, len(distance)
    # Some windows with all their lags, then the next ones: what they are compared with stays at hand.
    for first in range(0, windows, AT_HAND):
        for lag in lags:
            whole = min((frames - lag) // BLOCK, first + AT_HAND + WINDOW_BLOCKS - 1)
            for k in range(first, whole):
                begin, total = k * BLOCK * bands, np.float32(0)
                one, other = (
                    shapes[begin : begin + BLOCK * bands],
                    shapes[begin + lag * bands : begin + (lag + BLOCK) * bands],
                )
                for b in range(BLOCK * bands):
                    d = one[b] - other[b]
                    total += d * d
                blocks[k] = total
            ahead = lag // BLOCK
            for window in range(first, whole - WINDOW_BLOCKS + 1):
                at = window * BLOCK + lag
                if at >= near_at[window, 1]:
                    keep(distance[window], partner[window], near[window], near_at[window, 0])
                    near[window], near_at[window, 1] = most, (at // region + 1) * region
                k = window + WINDOW_BLOCKS - 1
                d = ((blocks[k] + blocks[k - 1]) + (blocks[k - 2] + blocks[k - 3]) + blocks[k - 4]) * per
                if d < near[window] and quiet[window] == 0 and quiet[min(window + ahead, windows - 1)] == 0:
                    near[window], near_at[window, 0] = d, at
    for window in range(windows):
        keep(distance[window], partner[window], near[window], near_at[window, 0])


@njit(cache=True, nogil=True)
def keep(distance: NDArray[np.float32], partner: NDArray[np.int32], d: np.float32, at: np.int32) -> None:
    """Put a partner among the best, which are sorted from worst to best."""
    if d >= distance[0]:
        return
    k = 0
    while k < len(distance) - 1 and d < distance[k + 1]:
        distance[k], partner[k] = distance[k + 1], partner[k + 1]
        k += 1
    distance[k], partner[k] = d, at


@njit(cache=True, nogil=True)
def apart_by(
    power: NDArray[np.float32],
    one: NDArray[np.int64],
    other: NDArray[np.int64],
    loud_db: float,
    room: Floats,
    offset: Floats,
    spread: Floats,
) -> None:
    """By how many dB the middle block of the first window of each pair is louder than the other's.

    And how far the bands are from agreeing on that.

    ``power`` ``(frames, bands)``. Both are medians over the bands, in which each counts by how loud it is: not at all
    ``loud_db`` under the loudest one of its window. ``room`` ``(7, bands)`` is to work in.
    """
    bands, middle = power.shape[1], WINDOW_BLOCKS // 2
    first, second, first_whole, second_whole, apart_db, weights, in_order = (
        room[0],
        room[1],
        room[2],
        room[3],
        room[4],
        room[5],
        room[6],
    )
    for pair in range(len(one)):
        room[:4] = 0.0
        for k in range(BLOCK * WINDOW_BLOCKS):
            inside = k // BLOCK == middle
            for b in range(bands):
                mine, others = power[one[pair] + k, b], power[other[pair] + k, b]
                first_whole[b] += mine
                second_whole[b] += others
                if inside:
                    first[b] += mine
                    second[b] += others
        first_top, second_top = 0.0, 0.0
        for b in range(bands):
            first_top, second_top = max(first_top, first_whole[b]), max(second_top, second_whole[b])
        for b in range(bands):
            apart_db[b] = 10.0 * np.log10(first[b] / second[b])
            under = 10.0 * np.log10(min(first_whole[b] / first_top, second_whole[b] / second_top))
            weights[b] = max(LEAST_WEIGHT, 1.0 + under / loud_db)
        offset[pair] = _median(apart_db, weights, first, in_order)
        for b in range(bands):
            apart_db[b] = abs(apart_db[b] - offset[pair])
        spread[pair] = _median(apart_db, weights, first, in_order)


@njit(cache=True, nogil=True)
def _median(values: Floats, weights: Floats, in_order: Floats, their_weights: Floats) -> float:
    """The value with half of the weight on either side; the last two are room to work in."""
    whole = 0.0
    for k in range(len(values)):
        value, weight, at = values[k], weights[k], k
        while at > 0 and in_order[at - 1] > value:
            in_order[at], their_weights[at] = in_order[at - 1], their_weights[at - 1]
            at -= 1
        in_order[at], their_weights[at] = value, weight
        whole += weight
    below, k = 0.0, 0
    while below + their_weights[k] < whole / 2:
        below += their_weights[k]
        k += 1
    found: float = in_order[k]
    return found


@njit(cache=True, nogil=True, fastmath=True)
def agreed(changed: NDArray[np.float32], step: Floats, degrees: float, moved: Floats, sharp: Floats) -> None:
    """By how many dB most bands move together, place by place, and how sharply that is told (1 / dB squared).

    ``changed`` ``(places, bands)``, each with a spread of one, ``step`` ``(bands,)`` what they are for 1 dB. The
    likeliest value when every band follows Student's distribution by itself, reached from the one of least squares. It
    is told as sharply as the likelihood is curved there. Where half of the bands stay, the other half tells little: no
    move at all is then far likelier than twice the move, which is as far off. Either is likelier by chance where all
    bands move, so that this takes no side between a small move and a large one.
    """
    whole = 0.0
    for b in range(len(step)):
        whole += step[b] * step[b]
    for k in range(len(changed)):
        row = changed[k]
        at = 0.0
        for b in range(len(step)):
            at += row[b] * step[b] / whole
        for _ in range(STEPS_TO_AGREE):
            weights, total = 0.0, 0.0
            for b in range(len(step)):
                off = row[b] - at * step[b]
                weight = step[b] / (degrees + off * off)
                weights += weight * step[b]
                total += weight * row[b]
            at = total / weights
        weights, to_none, to_twice, none, twice = 0.0, 0.0, 0.0, 1.0, 1.0
        for b in range(len(step)):
            shift = at * step[b]
            off = row[b] - shift
            rest = degrees + off * off
            weights += step[b] * step[b] / rest
            none *= (degrees + row[b] * row[b]) / rest
            twice *= (degrees + (off - shift) * (off - shift)) / rest
            if b % LOGARITHM_EVERY == LOGARITHM_EVERY - 1:
                to_none, to_twice, none, twice = to_none + np.log(none), to_twice + np.log(twice), 1.0, 1.0
        to_none, to_twice = to_none + np.log(none), to_twice + np.log(twice)
        curved = (degrees + 1) * weights
        share = 1.0
        if at * at * curved > 1.0 and to_none < NEAR_SHARE * to_twice:
            share = max(LEAST_SHARP, to_none / to_twice)
        moved[k], sharp[k] = at, curved * share


@njit(cache=True, nogil=True, fastmath=True)
def edge_factors(
    pull: Floats, push: Floats, hop: int, template: Floats, lead: int, first: int, places: int, factors: Floats
) -> None:
    """``factors`` ``(blocks, depths, ends)`` get what ramps change in the likelihood of one scale.

    The product over the blocks, to a power, is it.

    They end at the frames from ``first`` on; every ``hop``-th of these comes first, then those behind them. ``pull``
    and ``push`` ``(places,)`` say by how much a rise of r dB changes what is told at a place: by a factor of 1 + r (r
    pull - push). ``template`` ``(frames, depths)`` is how ramps are seen, in dB, from ``lead`` frames before their end
    on; for each so many ``places`` that it covers there is a block.
    """
    ends = factors.shape[2]
    factors[:] = 1.0
    column = 0
    # Every hop-th end sees the same frames of the template, one place further on for each.
    for phase in range(min(hop, ends)):
        count, begin = (ends - phase + hop - 1) // hop, first + phase - lead
        for frame in range(-begin % hop, len(template), hop):
            block, place = frame // (hop * places), (begin + frame) // hop
            low, high = max(0, -place), min(count, len(pull) - place)
            for depth in range(template.shape[1]):
                rise = template[frame, depth]
                if rise == 0.0 or high <= low:
                    continue
                row = factors[block, depth, column + low : column + high]
                there_pull, there_push = pull[place + low : place + high], push[place + low : place + high]
                for k in range(len(row)):
                    row[k] *= 1.0 + rise * (rise * there_pull[k] - there_push[k])
        column += count


@njit(cache=True, nogil=True)
def stepped(moved: Floats, step: Floats, width: int, start: float, end: float, rise_db: float, degrees: float) -> float:
    """What an edge between two places (in frames) tells on one scale, in nats against none there."""
    first, last = max(width, int(np.floor(start)) - width - 1), min(len(moved) - width, int(np.ceil(end)) + width + 1)
    span, total, above, below = max(end - start, 1e-6), 0.0, 1.0, 1.0
    for k in range(first, last):
        rise = 0.0
        for j in range(width):
            rise += min(max((k + j + 0.5 - start) / span, 0.0), 1.0) - min(max((k - j - 0.5 - start) / span, 0.0), 1.0)
        off = moved[k] - rise_db * rise / width * step[k]
        above *= degrees + off * off
        below *= degrees + moved[k] * moved[k]
        if above > MOST_AT_ONCE or below > MOST_AT_ONCE:
            total, above, below = total + np.log(above) - np.log(below), 1.0, 1.0
    log_ratio: float = -0.5 * (degrees + 1) * (total + np.log(above) - np.log(below))
    return log_ratio


@njit(cache=True, nogil=True)
def all_stepped(  # noqa: PLR0913, PLR0917
    candidates: Floats,
    gone: int,
    per_s: int,
    longest_s: float,
    moved: Floats,
    step: Floats,
    width: int,
    degrees: float,
    out: Floats,
) -> None:
    """``out`` ``(candidates,)`` gets by how much more the edges of moves that come tell on one scale.

    More than those of as many moves that go.

    ``candidates`` ``(candidates, moves, 5)`` hold those ``gone`` first, then those that come: four times in seconds,
    and by how many dB the gain is higher in between. Edges that take longer than ``longest_s`` tell nothing.
    """
    for parameters in range(len(candidates)):
        out[parameters] = 0.0
        for k in range(gone):
            old, new = candidates[parameters, k], candidates[parameters, gone + k]
            for edge, sign in ((0, 1.0), (2, -1.0)):
                if new[edge] == old[edge] and new[edge + 1] == old[edge + 1] and new[4] == -old[4]:
                    continue
                if new[edge + 1] - new[edge] <= longest_s:
                    out[parameters] += stepped(
                        moved, step, width, new[edge] * per_s, new[edge + 1] * per_s, sign * new[4], degrees
                    )
                if old[edge + 1] - old[edge] <= longest_s:
                    out[parameters] -= stepped(
                        moved, step, width, old[edge] * per_s, old[edge + 1] * per_s, -sign * old[4], degrees
                    )
