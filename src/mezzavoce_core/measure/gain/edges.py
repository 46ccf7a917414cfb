"""What a single fall or return would tell, at every time, for every length and depth: where the search begins."""

import math
from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ...signal.spectrum import FRAMES_PER_S
from ...units import Floats
from .changes import DEGREES, Changes, compared
from .loops import edge_table
from .moves import Unit, fall_prior, return_prior

DEPTHS_DB = np.array([3.0, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15, 16.5, 18, 20, 22, 24, 27])
FALLS_S = np.array([0.02, 0.05, 0.1, 0.15, 0.2, 0.3, 0.4, 0.55, 0.75, 1.0, 1.4, 2.0, 2.6])
RETURNS_S = np.array([0.02, 0.1, 0.2, 0.3, 0.4, 0.55, 0.75, 1.0, 1.3, 1.7, 2.3])
WEIGHT = 0.4
"""The scales see the same sound."""
_BEFORE_S, _AFTER_S, _LATE_S = 2.5, 1.5, 4.5
_CALIBRATED_AT = 1.5
_CALIBRATED_SHARE = 97
_AWAY_S = 1.5
_CHANCE_LENGTHS_S, _CHANCE_DEPTHS_DB = (0.03, 0.1, 0.3, 0.75, 1.3), np.array([4.0, 8.0, 13.0])
_CHANCE_LOGS = tuple(math.log(length) for length in _CHANCE_LENGTHS_S)
_CHANCE_SHARE, _EXPECTED, _MOST_SURPRISING = 99, 2.0, 4.0
_FEWEST = 40
_LEAST_WEIGHT = 0.1
_LONGEST_WIDTHS = 64
"""A ramp that lasts so many times the width of a scale is hardly seen there."""


@lru_cache(512)
def template(length_s: float, width: int, whole: int, depths_db: tuple[float, ...], back: bool = False) -> tuple[Floats, int]:
    """How falls by some dB that take so long are seen, ``(frames, depths)``, and the frame at which they are over; on the way ``back``, returns.

    On a scale of ``width`` frames, of which ``whole`` are heard as one.
    """
    lead, behind = round(length_s * FRAMES_PER_S) + width + 2, width + 2
    times = (np.arange(-lead - width, behind + width) + 0.5) / FRAMES_PER_S
    ramp = (np.clip((times - 0.008 + length_s) / length_s, 0, 1) + np.clip((times + 0.008 + length_s) / length_s, 0, 1)) / 2
    here = np.arange(width, len(ramp) - width)
    return np.stack([compared(depth * ((ramp - 1.0) if back else -ramp), width, here, whole) for depth in depths_db], axis=1), lead


def told(found: Changes, length_s: float, ends: NDArray[np.int64], depths_db: Floats, sign: float, weights: Floats) -> Floats:
    """What a ramp that ends at some frames tells, ``(ends, depths)`` in nats; ``sign`` 1 for a fall, -1 for a return; ``weights`` ``(frames,)``."""
    out, room, depths = np.zeros((len(ends), len(depths_db))), np.empty(len(depths_db)), tuple(depths_db.tolist())
    for scale in found.scales:
        if length_s * FRAMES_PER_S > _LONGEST_WIDTHS * scale.width:
            continue
        shapes, lead = template(float(length_s), scale.width, scale.whole, depths, sign < 0)
        edge_table(scale.moved, scale.step, scale.hop, shapes, lead, ends, DEGREES, weights, scale.hop / scale.width, room, out)
    return out


@dataclass(frozen=True)
class Chance:
    """What a part of the music tells of falls and returns where there are none: the weight of changes, and nats by chance, one for each length of either."""

    weight: float
    falls: tuple[float, ...]
    returns: tuple[float, ...]


@dataclass(frozen=True)
class Luck:
    """Chance in each part of a programme; ``begins_s`` are the seconds at which they begin, ``weights`` ``(frames,)`` those of changes."""

    begins_s: tuple[float, ...]
    parts: tuple[Chance, ...]
    weights: Floats

    def fall(self, length_s: float, at_s: float) -> float:
        """Nats that a fall of a length has by chance at some time."""
        return _at_length(length_s, self._part(at_s).falls)

    def back(self, length_s: float, at_s: float) -> float:
        """Nats that a return of a length has by chance at some time."""
        return _at_length(length_s, self._part(at_s).returns)

    def _part(self, at_s: float) -> Chance:
        return self.parts[max(0, bisect_right(self.begins_s, at_s) - 1)]


def _at_length(length_s: float, nats: tuple[float, ...]) -> float:
    """Between those of the lengths that were looked at, by the logarithm of the length."""
    log = min(max(math.log(length_s), _CHANCE_LOGS[0]), _CHANCE_LOGS[-1])
    k = max(1, bisect_right(_CHANCE_LOGS, log, hi=len(_CHANCE_LOGS) - 1))
    share = (log - _CHANCE_LOGS[k - 1]) / (_CHANCE_LOGS[k] - _CHANCE_LOGS[k - 1])
    return nats[k - 1] + share * (nats[k] - nats[k - 1])


def luck(found: Changes, spans: Sequence[tuple[float, float]]) -> Luck:
    """Looked for away from where speech (``spans``) begins and ends; where much is found by chance, changes weigh less."""
    places = np.array([t for span in spans for t in span])
    ends = np.arange(60, len(found.heard.quiet) - 60, 5)
    ends = ends[np.abs(ends[:, None] / FRAMES_PER_S - places[None, :]).min(axis=1, initial=np.inf) > _AWAY_S]
    in_parts = [_chance(found, ends[(ends >= part.first) & (ends < part.last)]) for part in found.heard.parts]
    weights = np.repeat([c.weight for c in in_parts], [part.last - part.first for part in found.heard.parts])
    return Luck(tuple(part.first / FRAMES_PER_S for part in found.heard.parts), tuple(in_parts), weights)


def _chance(found: Changes, ends: NDArray[np.int64]) -> Chance:
    if len(ends) < _FEWEST:
        nothing = (0.0,) * len(_CHANCE_LENGTHS_S)
        return Chance(WEIGHT, nothing, nothing)
    weights = np.full(len(found.heard.quiet), WEIGHT)
    nats = np.array([[told(found, length, ends, _CHANCE_DEPTHS_DB, sign, weights).max(axis=1) for length in _CHANCE_LENGTHS_S] for sign in (1.0, -1.0)])
    usual = float(np.percentile(nats[:, 1:4], _CALIBRATED_SHARE, axis=2).mean())
    share = float(np.clip(_CALIBRATED_AT / max(usual, 1e-6), _LEAST_WEIGHT, 1.0))
    surprising = np.clip(np.percentile(nats, _CHANCE_SHARE, axis=2) * share - _EXPECTED, 0.0, _MOST_SURPRISING)
    return Chance(WEIGHT * share, tuple(surprising[0].tolist()), tuple(surprising[1].tolist()))


@dataclass(frozen=True)
class Table:
    """For every length and depth what an edge tells, all its times together, and its likeliest time (seconds): both ``(lengths, depths)``."""

    worth: Floats
    at_s: Floats


def falls(found: Changes, unit: Unit, by_chance: Luck) -> Table:
    """Every fall that a unit may have."""
    low = max(unit.earliest_s + 0.05, unit.in_s - _BEFORE_S)
    high = min(unit.in_s + _AFTER_S, max((unit.in_s + unit.out_s) / 2, unit.in_s + 0.3))
    ends = _frames(low, high)
    logs = _normal(fall_prior(ends / FRAMES_PER_S, unit.in_s))
    return _table(
        [_all_times(told(found, length, ends, DEPTHS_DB, 1.0, by_chance.weights) - by_chance.fall(length, unit.in_s), logs, ends) for length in FALLS_S]
    )


def returns(found: Changes, unit: Unit, by_chance: Luck) -> Table:
    """Every return that a unit may have, by the time at which it begins."""
    low = max(min((unit.in_s + unit.out_s) / 2, unit.out_s - 0.3), unit.out_s - _AFTER_S)
    starts = _frames(low, min(unit.latest_s, unit.out_s + _LATE_S))
    logs = _normal(return_prior(starts / FRAMES_PER_S, unit.out_s))
    rows = []
    for length in RETURNS_S:
        out = told(found, length, starts + round(length * FRAMES_PER_S), DEPTHS_DB, -1.0, by_chance.weights) - by_chance.back(length, unit.out_s)
        rows.append(_all_times(out, logs, starts))
    return _table(rows)


def _frames(low_s: float, high_s: float) -> NDArray[np.int64]:
    first = round(low_s * FRAMES_PER_S)
    return np.arange(first, max(round(high_s * FRAMES_PER_S), first + 1))


def _normal(logs: Floats) -> Floats:
    normal: Floats = logs - np.log(np.exp(logs).sum())
    return normal


def _all_times(out: Floats, logs: Floats, at: NDArray[np.int64]) -> tuple[Floats, Floats]:
    """All times together, each as likely as its prior says, so that the freest choice does not win by its freedom; and the likeliest one."""
    posterior = out + logs[:, None]
    best = np.argmax(posterior, axis=0)
    highest = posterior[best, np.arange(out.shape[1])]
    return highest + np.log(np.exp(posterior - highest).sum(axis=0)), at[best] / FRAMES_PER_S


def _table(rows: list[tuple[Floats, Floats]]) -> Table:
    return Table(np.array([r[0] for r in rows]), np.array([r[1] for r in rows]))
