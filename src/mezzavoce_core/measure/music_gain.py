"""What the mixer did to the music around speech: ducks as trapezoids in the level of the music.

First form: the level of the music, smoothed, is compared with a ramp between two levels at each start and end of a
passage; the ramp that leaves the least error gives the times and the depth. It takes what the music does by itself
for gain where both look alike; a change is a duck only where a ramp explains most of what the level does there.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..units import Floats, power_to_lufs
from .loudness import mean_lufs
from .meter import TICKS_PER_S

LEAST_DEPTH_DB = 3.0
_LEAST_EXPLAINED = 0.55
_STEP_TICKS = 5
_STEP_S = _STEP_TICKS / TICKS_PER_S
_SMOOTH_TICKS = 21
_AROUND_S = 3.5
_INSIDE_S = 3.0
_OPEN_S = 3.0
_LENGTHS_S = (0.02, 0.1, 0.2, 0.3, 0.4, 0.5, 0.65, 0.8, 1.0, 1.25, 1.5, 2.0)
_FLOOR_LUFS = -70.0


@dataclass(frozen=True)
class Edge:
    """One ramp of the gain, linear in dB from ``start_s`` to ``end_s``; ``change_db`` below 0 is a fall."""

    start_s: float
    end_s: float
    change_db: float
    explained: float


@dataclass(frozen=True)
class Duck:
    """A trapezoid in the music's gain. Times are None where the corner is not in the programme."""

    fall_start_s: float | None
    fall_end_s: float | None
    return_start_s: float | None
    return_end_s: float | None
    depth_db: float
    open_lufs: float | None
    bed_lufs: float | None
    speech: bool = True
    known_until_s: float = float("inf")
    """Where a return was not seen: how long the music was certainly down."""

    def covers(self, time_s: float) -> bool:
        """Whether the music is down (at all) at a time."""
        begin = -np.inf if self.fall_start_s is None else self.fall_start_s
        end = self.known_until_s if self.return_end_s is None else self.return_end_s
        return bool(begin <= time_s <= end)

    def gain_db(self, times_s: Floats) -> Floats:
        """The gain of the trapezoid at some times."""
        corners = (self.fall_start_s, self.fall_end_s, self.return_start_s, self.return_end_s)
        known = [(t, g) for t, g in zip(corners, (0.0, -self.depth_db, -self.depth_db, 0.0), strict=True) if t is not None]
        gains: Floats = np.interp(times_s, [t for t, _ in known], [g for _, g in known])
        return gains


def find_ducks(music: Floats, passages: Sequence[tuple[float, float]]) -> tuple[Duck, ...]:
    """Ducks around passages (in and out in seconds) in the weighted music power ``(ticks,)``."""
    level = _smooth_level(music)
    ducks: list[Duck] = []
    opened: Edge | None = None
    down = False
    for k, (in_s, out_s) in enumerate(passages):
        before = passages[k - 1][1] if k else 0.0
        after = passages[k + 1][0] if k + 1 < len(passages) else len(music) / TICKS_PER_S
        fall = _edge(level, max(before, in_s - _AROUND_S), min(out_s, in_s + _INSIDE_S), falling=True)
        if fall is not None:
            if down:
                # The music must have come back before it could fall again; when, was not seen.
                ducks.append(_duck(music, opened, None, before))
            opened, down = fall, True
        rise = _edge(level, max(in_s, out_s - _INSIDE_S), min(after, out_s + _AROUND_S), falling=False)
        if rise is not None and (down or not ducks):
            ducks.append(_duck(music, opened, rise))
            opened, down = None, False
    if down:
        ducks.append(_duck(music, opened, None, len(music) / TICKS_PER_S))
    return tuple(d for d in ducks if d.depth_db >= LEAST_DEPTH_DB)


def _smooth_level(power: Floats) -> Floats:
    window = np.hanning(_SMOOTH_TICKS + 2)[1:-1]
    smooth = np.convolve(power, window / window.sum(), mode="same")
    return np.maximum(power_to_lufs(smooth), _FLOOR_LUFS)[_STEP_TICKS // 2 :: _STEP_TICKS]


def _edge(level: Floats, from_s: float, to_s: float, *, falling: bool) -> Edge | None:
    """The ramp in a window that explains the level best; None where there is none worth the name."""
    first, last = round(from_s / _STEP_S), round(to_s / _STEP_S)
    y = level[first:last]
    if len(y) < 1.0 / _STEP_S or y.min() <= _FLOOR_LUFS:
        return None
    times = np.arange(len(y)) * _STEP_S
    starts = np.repeat(times, len(_LENGTHS_S))
    lengths = np.tile(_LENGTHS_S, len(times))
    fits = starts + lengths <= times[-1] - 0.2
    starts, lengths = starts[fits], lengths[fits]
    change, error, total = _fit(y, times, starts, lengths)
    error = np.where((change < 0) == falling, error, np.inf)
    best = int(np.argmin(error))
    explained = 1 - error[best] / total if total > 0 else 0.0
    if not np.isfinite(error[best]) or abs(change[best]) < LEAST_DEPTH_DB or explained < _LEAST_EXPLAINED:
        return None
    start = from_s + float(starts[best]) + _STEP_S / 2
    return Edge(start, start + float(lengths[best]), float(change[best]), float(explained))


def _fit(y: Floats, times: Floats, starts: Floats, lengths: Floats) -> tuple[Floats, Floats, float]:
    """Least-squares change in dB and squared error of each candidate ramp, and the error without any."""
    ramps = np.clip((times[None, :] - starts[:, None]) / lengths[:, None], 0, 1)
    centred_y = y - y.mean()
    centred = ramps - ramps.mean(axis=1, keepdims=True)
    spread = (centred**2).sum(axis=1)
    both = centred @ centred_y
    change = np.where(spread > 1e-6, both / np.maximum(spread, 1e-6), 0.0)
    total = float((centred_y**2).sum())
    error: Floats = total - change * both
    return change, error, total


def _duck(music: Floats, fall: Edge | None, rise: Edge | None, known_until_s: float = float("inf")) -> Duck:
    changes = [abs(e.change_db) for e in (fall, rise) if e is not None]
    bed = _between(music, fall.end_s if fall else 0.0, rise.start_s if rise else known_until_s)
    open_parts = []
    if fall is not None:
        open_parts.append(_between(music, fall.start_s - _OPEN_S, fall.start_s))
    if rise is not None:
        open_parts.append(_between(music, rise.end_s, rise.end_s + _OPEN_S))
    return Duck(
        fall_start_s=fall.start_s if fall else None,
        fall_end_s=fall.end_s if fall else None,
        return_start_s=rise.start_s if rise else None,
        return_end_s=rise.end_s if rise else None,
        depth_db=float(np.mean(changes)),
        open_lufs=mean_lufs(np.concatenate(open_parts)),
        bed_lufs=mean_lufs(bed),
        known_until_s=known_until_s,
    )


def _between(power: Floats, from_s: float, to_s: float) -> Floats:
    return power[max(0, round(from_s * TICKS_PER_S)) : max(0, round(to_s * TICKS_PER_S))]
