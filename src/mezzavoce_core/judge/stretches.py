"""Where in a programme something holds: stretches of windows over a limit, and of ticks in a condition."""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from ..measure.loudness import moving_mean
from ..measure.meter import TICKS_PER_S
from ..signal.spans import join, runs
from ..units import Floats, power_to_lufs, tenth
from .model import JudgingContext


def windows_over(context: JudgingContext, ticks: int, limit_lufs: float) -> Iterator[tuple[float, float, float]]:
    """In, out and highest level of each stretch whose windows stand above a limit.

    Windows of ``ticks``, looked at every 10 ms.
    """
    level = power_to_lufs(np.nan_to_num(moving_mean(context.power, ticks, context.breaks)))
    for first, last in join(runs(np.round(level, 1) > tenth(limit_lufs)), ticks + TICKS_PER_S):
        yield max(0.0, (first + 1 - ticks) / TICKS_PER_S), last / TICKS_PER_S, float(level[first:last].max())


def lasting(flags: NDArray[np.bool_], *, least_s: float, bridge_s: float) -> list[tuple[int, int]]:
    """Ticks from and to between which a condition holds for ``least_s`` or longer in all.

    Interruptions up to ``bridge_s`` are overlooked.
    """
    found = []
    for first, last in join(runs(flags), round(bridge_s * TICKS_PER_S)):
        if flags[first:last].sum() >= least_s * TICKS_PER_S:
            found.append((first, last))
    return found


def centred_sums(values: Floats, seconds: float) -> Floats:
    """Sums over a window centred on each tick, shorter at the ends."""
    half = round(seconds * TICKS_PER_S / 2)
    sums = np.cumsum(values)
    # So long at both ends as the window reaches beyond them.
    sums = np.concatenate([np.zeros(half + 1), sums, np.full(half, sums[-1] if len(sums) else 0.0)])
    summed: Floats = sums[2 * half : 2 * half + len(values)] - sums[: len(values)]
    return np.maximum(summed, 0.0) if (values >= 0).all() else summed
