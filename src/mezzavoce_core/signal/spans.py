"""Index ranges: where flags are set, and ranges joined over gaps."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray


def runs(flags: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """Half-open index ranges in which the flags are set."""
    steps = np.flatnonzero(np.diff(np.concatenate([[False], flags, [False]]).astype(np.int8)))
    return [(int(a), int(b)) for a, b in zip(steps[::2], steps[1::2], strict=True)]


def join(spans: Sequence[tuple[int, int]], gap: int) -> list[tuple[int, int]]:
    """Sorted half-open ranges, joined where no more than ``gap`` lies between two."""
    joined: list[tuple[int, int]] = []
    for a, b in spans:
        if joined and a - joined[-1][1] <= gap:
            joined[-1] = (joined[-1][0], max(b, joined[-1][1]))
        else:
            joined.append((a, b))
    return joined
