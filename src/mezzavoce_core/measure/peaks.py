"""True peaks in place: where the highest one is, and every one over a limit."""

from dataclasses import dataclass

import numpy as np

from ..signal.spans import join, runs
from ..units import amplitude_to_db, tenth
from .meter import TICKS_PER_S, Levels

_ONE_WITHIN_TICKS = 2


@dataclass(frozen=True)
class Over:
    """A true peak over the limit: when (seconds), in which channel (index), how high.

    Ticks right behind each other are one.
    """

    at_s: float
    channel: int
    level_dbtp: float


def highest_peak(levels: Levels, rate_hz: int) -> tuple[float, int]:
    """Time in seconds and channel index of the highest true peak."""
    tick, channel = np.unravel_index(int(levels.true_peak.argmax()), levels.true_peak.shape)
    return _time(levels, int(tick), int(channel), rate_hz), int(channel)


def overs(levels: Levels, rate_hz: int, limit_dbtp: float) -> list[Over]:
    """Every true peak that, rounded to 0.1 dB, passes the limit; in order of time."""
    found: list[Over] = []
    if not np.round(amplitude_to_db(levels.true_peak.max(initial=0.0)), 1) > tenth(limit_dbtp):
        return found
    for channel in range(levels.true_peak.shape[1]):
        level = amplitude_to_db(levels.true_peak[:, channel])
        for first, last in join(runs(np.round(level, 1) > tenth(limit_dbtp)), _ONE_WITHIN_TICKS):
            tick = first + int(np.argmax(level[first:last]))
            found.append(Over(_time(levels, tick, channel, rate_hz), channel, float(level[tick])))
    return sorted(found, key=lambda o: (o.at_s, o.channel))


def _time(levels: Levels, tick: int, channel: int, rate_hz: int) -> float:
    sample = -(-tick * rate_hz // TICKS_PER_S) + int(levels.true_peak_at[tick, channel])
    return min(sample, max(0, levels.samples - 1)) / rate_hz
