"""What stands off from the others of its kind: cues, passages."""

from collections.abc import Mapping, Sequence

import numpy as np

from ..units import Floats

FEWEST = 3
"""So many have a middle that one can stand off from."""


def deviating(levels: Sequence[float], limit: float) -> Mapping[int, float]:
    """Which of some levels (dB) stand further than ``limit`` from the median of all the others, and by how much.

    Two have no middle.

    Of few levels one that stands far off pulls the middle of the others with it. So the furthest is left out first, and
    only what then still stands off counts.
    """
    if len(levels) < FEWEST:
        return {}
    offs = deviation_from_median(levels)
    found, left = set[int](), list(range(len(levels)))
    while len(left) >= FEWEST:
        now = np.abs(deviation_from_median([levels[k] for k in left]))
        furthest = int(np.argmax(now))
        if round(float(now[furthest]), 1) <= limit:
            break
        found.add(left.pop(furthest))
    return {k: float(offs[k]) for k in sorted(found) if round(abs(float(offs[k])), 1) > limit}


def deviation_from_median(levels: Sequence[float]) -> Floats:
    """How far each value is from the median of all the others, of which there are two or more."""
    values = np.array(levels)
    order = np.argsort(values, kind="stable")
    ranked, rank = values[order], np.empty(len(values), dtype=np.int64)
    rank[order] = np.arange(len(values))
    # Without a value, those behind it move up by one place.
    low, high = (len(values) - 2) // 2, (len(values) - 1) // 2
    off: Floats = values - (ranked[low + (rank <= low)] + ranked[high + (rank <= high)]) / 2
    return off
