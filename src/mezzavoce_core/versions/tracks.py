"""Runs of chunks that lie equally late: a straight line of time, from former to new."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..units import Floats
from .search import TOLERANCE_S, Match

_DRIFT_FROM_S = 20.0
"""A run has to last so long before its speed is believed."""
_LEAST_DRIFT = 5e-5
_LEAST_GAIN = 0.8
"""A slope has to leave less than this share of what the residuals were without it."""
_BRIDGED = 2


@dataclass(frozen=True)
class Track:
    """Where a run lies in the new mix: ``later_s`` at the time 0, and how much more of it a second later; its span."""

    later_s: float
    drift: float
    in_s: float
    out_s: float

    def new_s(self, old_s: float) -> float:
        """The time in the new mix of a time in the former one."""
        return old_s + self.later_s + self.drift * old_s

    def old_s(self, new_s: float) -> float:
        """The time in the former mix of a time in the new one."""
        return (new_s - self.later_s) / (1 + self.drift)


def tracks_of(way: Sequence[Match | None], half_s: float) -> list[Track]:
    """The runs of a way; a chunk reaches ``half_s`` to either side of its middle."""
    return [_fitted(run, half_s) for run in _runs(way)]


def _runs(way: Sequence[Match | None]) -> list[list[Match]]:
    runs: list[list[Match]] = []
    missing = 0
    for match in way:
        if match is None:
            missing += 1
            continue
        last = runs[-1][-1] if runs else None
        if last is not None and missing <= _BRIDGED and abs(last.later_s - match.later_s) <= TOLERANCE_S:
            runs[-1].append(match)
        else:
            runs.append([match])
        missing = 0
    return runs


def _fitted(run: Sequence[Match], half_s: float) -> Track:
    at = np.array([m.at_s for m in run])
    later = np.array([m.later_s for m in run])
    in_s, out_s = float(at[0]) - half_s, float(at[-1]) + half_s
    flat = float(np.median(later))
    if at[-1] - at[0] >= _DRIFT_FROM_S:
        slope, base = _line(at, later)
        left, without = (float(np.median(np.abs(r))) for r in (later - base - slope * at, later - flat))
        if abs(slope) >= _LEAST_DRIFT and left < _LEAST_GAIN * without:
            return Track(base, slope, in_s, out_s)
    return Track(flat, 0.0, in_s, out_s)


def _line(at: Floats, later: Floats) -> tuple[float, float]:
    """Slope and value at 0 of the line through most points: fitted twice, the second time without what lies off it."""
    near = np.ones(len(at), dtype=np.bool_)
    slope = base = 0.0
    for _ in range(2):
        slope, base = np.polyfit(at[near], later[near], 1)
        off = np.abs(later - base - slope * at)
        near = off <= max(3 * float(np.median(off)), 0.002)
    return float(slope), float(base)
