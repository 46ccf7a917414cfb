"""What a single fall or return would tell, at every time, for every length and depth: where the search begins."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray

from ...signal.spectrum import FRAMES_PER_S
from ...units import Floats
from .changes import DEGREES, Changes, compared
from .loops import edge_factors
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
_CHANCE_LOGS = np.log(_CHANCE_LENGTHS_S)
_CHANCE_SHARE, _EXPECTED, _MOST_SURPRISING = 99, 2.0, 4.0
_FEWEST = 40
_LEAST_WEIGHT = 0.1
_LONGEST_WIDTHS = 64
"""A ramp that lasts so many times the width of a scale is hardly seen there."""


@lru_cache(512)
def template(
    length_s: float, width: int, whole: int, depths_db: tuple[float, ...], back: bool = False
) -> tuple[Floats, int]:
    """How falls by some dB that take so long are seen, ``(frames, depths)``, and the frame at which they are over.

    On the way ``back``, returns.

    On a scale of ``width`` frames, of which ``whole`` are heard as one.
    """
    lead, behind = round(length_s * FRAMES_PER_S) + width + 2, width + 2
    times = (np.arange(-lead - width, behind + width) + 0.5) / FRAMES_PER_S
    ramp = (
        np.clip((times - 0.008 + length_s) / length_s, 0, 1) + np.clip((times + 0.008 + length_s) / length_s, 0, 1)
    ) / 2
    here = np.arange(width, len(ramp) - width)
    return compared(np.outer((ramp - 1.0) if back else -ramp, depths_db), width, here, whole), lead


def log_likelihood_ratios(
    found: Changes, length_s: float, ends: range, depths_db: Floats, sign: float, weights: Floats
) -> Floats:
    """What a ramp that ends at frames tells, ``(ends, depths)`` in nats; ``sign`` 1 for a fall, -1 for a return.

    ``weights`` ``(frames,)``.
    """
    out, depths = np.zeros((len(depths_db), len(ends))), tuple(depths_db.tolist())
    for scale in found.scales:
        if length_s * FRAMES_PER_S > _LONGEST_WIDTHS * scale.width:
            continue
        shapes, lead = template(float(length_s), scale.width, scale.whole, depths, sign < 0)
        factors = np.empty((-(-len(shapes) // (scale.hop * scale.factors_at_once)), *out.shape))
        edge_factors(*scale.rises, scale.hop, shapes, lead, ends.start, scale.factors_at_once, factors)
        nats = -0.5 * (DEGREES + 1) * scale.hop / scale.width * np.log(factors).sum(axis=0)
        out += nats if scale.hop == 1 else nats[:, _in_order(len(ends), scale.hop)]
    weighed: Floats = (out * weights[np.clip(np.arange(ends.start, ends.stop), 0, len(weights) - 1)]).T
    return weighed


@lru_cache(512)
def _in_order(count: int, hop: int) -> NDArray[np.int64]:
    """Where each of some ends stands when every ``hop``-th comes first, then those behind them."""
    return np.argsort(np.concatenate([np.arange(phase, count, hop) for phase in range(hop)]))


@dataclass(frozen=True)
class Chance:
    """What a part of the music tells of falls and returns where there are none.

    The weight of changes, and nats by chance, one for each length of either.
    """

    weight: float
    falls: tuple[float, ...]
    returns: tuple[float, ...]


@dataclass(frozen=True)
class Luck:
    """Chance in each part of a programme.

    ``begins_s`` are the seconds at which they begin, ``weights`` ``(frames,)`` those of changes.
    """

    begins_s: Floats
    parts: tuple[Chance, ...]
    weights: Floats

    def fall(self, lengths_s: Floats, at_s: Floats) -> Floats:
        """Nats that falls of some lengths have by chance at some times."""
        return self._at(lengths_s, at_s, self._falls)

    def back(self, lengths_s: Floats, at_s: Floats) -> Floats:
        """Nats that returns of some lengths have by chance at some times."""
        return self._at(lengths_s, at_s, self._returns)

    @cached_property
    def _falls(self) -> Floats:
        return np.array([part.falls for part in self.parts])

    @cached_property
    def _returns(self) -> Floats:
        return np.array([part.returns for part in self.parts])

    def _at(self, lengths_s: Floats, at_s: Floats, nats: Floats) -> Floats:
        """Between those of the lengths that were looked at, by the logarithm of the length."""
        part = np.maximum(np.searchsorted(self.begins_s, at_s, side="right") - 1, 0)
        logs = np.clip(np.log(lengths_s), _CHANCE_LOGS[0], _CHANCE_LOGS[-1])
        k = np.clip(np.searchsorted(_CHANCE_LOGS, logs, side="right"), 1, len(_CHANCE_LOGS) - 1)
        share = (logs - _CHANCE_LOGS[k - 1]) / (_CHANCE_LOGS[k] - _CHANCE_LOGS[k - 1])
        found: Floats = nats[part, k - 1] * (1 - share) + nats[part, k] * share
        return found


def luck(found: Changes, spans: Sequence[tuple[float, float]]) -> Luck:
    """Looked for away from where speech (``spans``) begins and ends.

    Where much is found by chance, changes weigh less.
    """
    places = np.array([t for span in spans for t in span])
    ends = np.arange(60, len(found.heard.quiet) - 60, 5)
    ends = ends[np.abs(ends[:, None] / FRAMES_PER_S - places[None, :]).min(axis=1, initial=np.inf) > _AWAY_S]
    in_parts = [_chance(found, ends[(ends >= part.first) & (ends < part.last)]) for part in found.heard.parts]
    weights = np.repeat([c.weight for c in in_parts], [part.last - part.first for part in found.heard.parts])
    return Luck(np.array([part.first for part in found.heard.parts]) / FRAMES_PER_S, tuple(in_parts), weights)


def _chance(found: Changes, ends: NDArray[np.int64]) -> Chance:
    if len(ends) < _FEWEST:
        nothing = (0.0,) * len(_CHANCE_LENGTHS_S)
        return Chance(WEIGHT, nothing, nothing)
    weights = np.full(len(found.heard.quiet), WEIGHT)
    every = range(int(ends[0]), int(ends[-1]) + 1)
    tables = (
        (log_likelihood_ratios(found, length, every, _CHANCE_DEPTHS_DB, sign, weights) for length in _CHANCE_LENGTHS_S)
        for sign in (1.0, -1.0)
    )
    nats = np.array([[table[ends - every.start].max(axis=1) for table in of_one] for of_one in tables])
    usual = float(np.percentile(nats[:, 1:4], _CALIBRATED_SHARE, axis=2).mean())
    share = float(np.clip(_CALIBRATED_AT / max(usual, 1e-6), _LEAST_WEIGHT, 1.0))
    surprising = np.clip(np.percentile(nats, _CHANCE_SHARE, axis=2) * share - _EXPECTED, 0.0, _MOST_SURPRISING)
    return Chance(WEIGHT * share, tuple(surprising[0].tolist()), tuple(surprising[1].tolist()))


@dataclass(frozen=True)
class Table:
    """For every length and depth what an edge tells, and its likeliest time (seconds).

    All its times together; both ``(lengths, depths)``.
    """

    log_likelihood: Floats
    at_s: Floats


def falls(found: Changes, unit: Unit, by_chance: Luck) -> Table:
    """Every fall that a unit may have."""
    low = max(unit.earliest_s + 0.05, unit.in_s - _BEFORE_S)
    high = min(unit.in_s + _AFTER_S, max((unit.in_s + unit.out_s) / 2, unit.in_s + 0.3))
    ends = _frames(low, high)
    at_s = np.array(ends) / FRAMES_PER_S
    logs = _normal(fall_prior(at_s, unit.in_s))
    lucky = by_chance.fall(FALLS_S, np.full(len(FALLS_S), unit.in_s))
    rows = [
        log_likelihood_ratios(found, length, ends, DEPTHS_DB, 1.0, by_chance.weights) - nats
        for length, nats in zip(FALLS_S, lucky, strict=True)
    ]
    return _table([_all_times(row, logs, at_s) for row in rows])


def returns(found: Changes, unit: Unit, by_chance: Luck) -> Table:
    """Every return that a unit may have, by the time at which it begins."""
    low = max(min((unit.in_s + unit.out_s) / 2, unit.out_s - 0.3), unit.out_s - _AFTER_S)
    starts = _frames(low, min(unit.latest_s, unit.out_s + _LATE_S))
    at_s = np.array(starts) / FRAMES_PER_S
    logs = _normal(return_prior(at_s, unit.out_s))
    lucky = by_chance.back(RETURNS_S, np.full(len(RETURNS_S), unit.out_s))
    rows = []
    for length, nats in zip(RETURNS_S, lucky, strict=True):
        behind = round(length * FRAMES_PER_S)
        ends = range(starts.start + behind, starts.stop + behind)
        rows.append(
            _all_times(
                log_likelihood_ratios(found, length, ends, DEPTHS_DB, -1.0, by_chance.weights) - nats, logs, at_s
            )
        )
    return _table(rows)


def _frames(low_s: float, high_s: float) -> range:
    first = round(low_s * FRAMES_PER_S)
    return range(first, max(round(high_s * FRAMES_PER_S), first + 1))


def _normal(logs: Floats) -> Floats:
    normal: Floats = logs - np.log(np.exp(logs).sum())
    return normal


def _all_times(out: Floats, logs: Floats, at_s: Floats) -> tuple[Floats, Floats]:
    """All times together, each as likely as its prior says, so that the freest choice does not win by its freedom.

    And the likeliest one.
    """
    posterior = out + logs[:, None]
    best = np.argmax(posterior, axis=0)
    highest = posterior[best, np.arange(out.shape[1])]
    return highest + np.log(np.exp(posterior - highest).sum(axis=0)), at_s[best]


def _table(rows: list[tuple[Floats, Floats]]) -> Table:
    return Table(np.array([r[0] for r in rows]), np.array([r[1] for r in rows]))
