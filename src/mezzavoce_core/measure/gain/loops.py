"""The compiled inner loops of the search for what was done to the gain."""

import numpy as np
from numpy.typing import NDArray

from ...compiled import njit
from ...units import Floats

BLOCK = 10
WINDOW_BLOCKS = 5
KEPT = 6


@njit(cache=True, nogil=True, fastmath=True)
def alike(  # noqa: PLR0913, PLR0917  (compiled loops take arrays, no objects)
    shapes: NDArray[np.float32],
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

    ``shapes`` ``(frames, bands)``; ``quiet`` ``(blocks,)`` counts frames that tell nothing. ``distance`` and ``partner`` ``(windows, KEPT)`` get the mean
    square distance and the partner's first frame, the worst first; ``most`` is the largest distance that counts. The last three are room to work in.
    """
    frames, bands = shapes.shape
    windows = len(distance)
    per = np.float32(1.0 / (BLOCK * WINDOW_BLOCKS * bands))
    for lag in lags:
        whole = (frames - lag) // BLOCK
        for k in range(whole):
            total = np.float32(0)
            for t in range(k * BLOCK, (k + 1) * BLOCK):
                one, other = shapes[t], shapes[t + lag]
                for b in range(bands):
                    d = one[b] - other[b]
                    total += d * d
            blocks[k] = total
        silent = 0
        for k in range(whole):
            silent += quiet[k] + quiet[min(k + lag // BLOCK, len(quiet) - 1)]
            if k < WINDOW_BLOCKS - 1:
                continue
            window = k - WINDOW_BLOCKS + 1
            d = ((blocks[k] + blocks[k - 1]) + (blocks[k - 2] + blocks[k - 3]) + blocks[k - 4]) * per
            place = (window * BLOCK + lag) // region
            if near_at[window, 1] != place:
                keep(distance[window], partner[window], near[window], near_at[window, 0])
                near[window], near_at[window, 1] = most, place
            if silent == 0 and d < near[window]:
                near[window], near_at[window, 0] = d, window * BLOCK + lag
            silent -= quiet[window] + quiet[min(window + lag // BLOCK, len(quiet) - 1)]
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
def edge_table(  # noqa: PLR0913, PLR0917
    along: Floats,
    size: Floats,
    step: float,
    use: Floats,
    template: Floats,
    lead: int,
    ends: NDArray[np.int64],
    depths: Floats,
    degrees: float,
    bands: float,
    weight: float,
    out: Floats,
) -> None:
    """What a ramp tells: ``out`` ``(ends, depths)``. ``template`` is a ramp of 1 dB, filtered, from ``lead`` frames before its end on; ``use`` is 1 or 0."""
    frames, half = len(along), -0.5 * (degrees + bands)
    for e in range(len(ends)):
        first, last = max(0, lead - ends[e]), min(len(template), frames + lead - ends[e])
        for d in range(len(depths)):
            depth = depths[d]
            total, product = 0.0, 1.0
            for k in range(first, last):
                t = ends[e] - lead + k
                change = depth * template[k]
                # One logarithm for many factors; frames that tell nothing have a factor of one.
                product *= 1.0 + use[t] * (step * change * change - 2 * along[t] * change) / (degrees + size[t])
                if product > 1e100 or product < 1e-100:
                    total += np.log(product)
                    product = 1.0
            out[e, d] = half * weight * (total + np.log(product))


@njit(cache=True, nogil=True)
def changed(  # noqa: PLR0913, PLR0917
    along: Floats,
    size: Floats,
    step: float,
    use: Floats,
    filtered: Floats,
    change: Floats,
    first: int,
    lag_edges: NDArray[np.int64],
    lag_weights: Floats,
    local: int,
    share: float,
    beyond: int,
    degrees: float,
    bands: float,
    weight: float,
    sums: Floats,
    raw: Floats,
    answer: Floats,
) -> float:
    """What a change of the gain curve tells by innovations. ``change`` is added from frame ``first`` on; ``answer`` gets its filtered form.

    ``sums`` ``(len(change) + 1,)``, ``raw`` and ``answer`` ``(len(change) + 2 * local + beyond,)`` begin ``local`` frames before ``first``.
    """
    frames, count = len(along), len(change)
    sums[0] = 0.0
    for k in range(count):
        sums[k + 1] = sums[k] + change[k]
    length = count + 2 * local + beyond
    for k in range(length):
        here = k - local
        value = change[here] if 0 <= here < count else 0.0
        if here > 0:
            for g in range(len(lag_weights)):
                high, low = here - lag_edges[g], here - lag_edges[g + 1]
                if high <= 0:
                    break
                total = sums[min(high, count)] - sums[min(max(low, 0), count)]
                value -= lag_weights[g] * total / (lag_edges[g + 1] - lag_edges[g])
        raw[k] = value
    total, above, below = 0.0, 1.0, 1.0
    running = 0.0
    for k in range(min(local, length)):
        running += raw[k]
    for k in range(length):
        if k + local < length:
            running += raw[k + local]
        if k - local - 1 >= 0:
            running -= raw[k - local - 1]
        answer[k] = raw[k] - share * running / (2 * local + 1)
        t = first - local + k
        if 0 <= t < frames and use[t] > 0:
            before = filtered[t]
            after = before + answer[k]
            above *= 1.0 + (step * after * after - 2 * along[t] * after) / (degrees + size[t])
            below *= 1.0 + (step * before * before - 2 * along[t] * before) / (degrees + size[t])
            if above > 1e100 or above < 1e-100 or below > 1e100 or below < 1e-100:
                total += np.log(above) - np.log(below)
                above, below = 1.0, 1.0
    told: float = -0.5 * (degrees + bands) * weight * (total + np.log(above) - np.log(below))
    return told


@njit(cache=True, nogil=True)
def changed_pairs(  # noqa: PLR0913, PLR0917
    begins: NDArray[np.int64],
    pair_of: NDArray[np.int64],
    one: NDArray[np.int64],
    other: NDArray[np.int64],
    offset: Floats,
    scale: Floats,
    weight: float,
    gain_sums: Floats,
    sums: Floats,
    first: int,
) -> float:
    """What a change of the gain curve tells by pairs of like windows. ``gain_sums`` are running sums of the curve as it is, ``sums`` of the change."""
    count = len(sums) - 1
    length = BLOCK * WINDOW_BLOCKS
    low = max(0, (first - length) // BLOCK)
    high = min(len(begins) - 1, (first + count - 1) // BLOCK + 1)
    total = 0.0
    for window in range(low, high):
        for index in range(begins[window], begins[window + 1]):
            pair = pair_of[index]
            i, j = one[pair], other[pair]
            mine_first = i // BLOCK == window
            if not mine_first and first - length < i < first + count:
                continue
            di = sums[min(max(i + length - first, 0), count)] - sums[min(max(i - first, 0), count)]
            dj = sums[min(max(j + length - first, 0), count)] - sums[min(max(j - first, 0), count)]
            if di == dj:
                continue
            now = (gain_sums[i + length] - gain_sums[i] - gain_sums[j + length] + gain_sums[j]) / length
            z0 = (offset[pair] - now) / scale[pair]
            z1 = (offset[pair] - now - (di - dj) / length) / scale[pair]
            total += 1.5 * weight * (np.log1p(z0 * z0 / 2) - np.log1p(z1 * z1 / 2))
    return total
