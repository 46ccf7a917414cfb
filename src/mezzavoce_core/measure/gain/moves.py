"""The values of the search: moves of the gain, what they have in common, and how usual they are before anything is heard."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TypeVar

import numpy as np

from ...units import Floats

FALL_AHEAD_S, RETURN_BEHIND_S = 0.1, 0.2
"""Where speech wants a fall to end and a return to begin; common practice."""
_FALL_SCALE_S, _RETURN_SCALE_S = 0.4, 0.6
_USUAL = {"depth_db": (9.0, 0.45), "fall_s": (0.35, 0.9), "return_s": (0.6, 0.9)}
"""Middle and spread (of the logarithm) of what is usual; common practice."""
_NEAR_DB, _NEAR_RAMP = 0.12, 0.08
Values = TypeVar("Values", float, Floats)
"""One or many."""


@dataclass(frozen=True)
class Move:
    """A trapezoid in the gain: four times in seconds, its depth in dB (above 0 is a fall), and the span of speech that it serves (None: none)."""

    fall_start_s: float
    fall_end_s: float
    return_start_s: float
    return_end_s: float
    depth_db: float
    serves: tuple[float, float] | None = None

    @property
    def fall_s(self) -> float:
        """How long it falls."""
        return self.fall_end_s - self.fall_start_s

    @property
    def return_s(self) -> float:
        """How long it returns."""
        return self.return_end_s - self.return_start_s

    def gain_db(self, times_s: Floats) -> Floats:
        """Its gain at some times."""
        corners = (self.fall_start_s, self.fall_end_s, self.return_start_s, self.return_end_s)
        gains: Floats = np.interp(times_s, corners, (0.0, -self.depth_db, -self.depth_db, 0.0))
        return gains


@dataclass(frozen=True)
class Shared:
    """The values that the moves of a programme have in common, and how many moves have their own (a share)."""

    depth_db: float
    fall_s: float
    return_s: float
    own_share: float = 0.2


@dataclass(frozen=True)
class Unit:
    """A span of speech that a move may serve, and how far a fall before it and a return after it may reach."""

    in_s: float
    out_s: float
    earliest_s: float
    latest_s: float


def mean_nats(worths: Sequence[float]) -> float:
    """Log of the mean likelihood of several explanations: neither the freest of them nor one that fits by luck counts for the whole."""
    highest = max(worths)
    return highest + float(np.log(np.mean(np.exp(np.array(worths) - highest))))


def fall_prior(ends_s: Values, in_s: float) -> Values:
    """Log of how likely a fall ends there before or after speech that begins at ``in_s``; 0 at the likeliest place."""
    return -_log(1 + ((ends_s - in_s + FALL_AHEAD_S) / _FALL_SCALE_S) ** 2)


def return_prior(starts_s: Values, out_s: float) -> Values:
    """The same for a return that begins there."""
    return -_log(1 + ((starts_s - out_s - RETURN_BEHIND_S) / _RETURN_SCALE_S) ** 2)


def usual(name: str, value: Values) -> Values:
    """Log of how usual a value is, 0 at the middle."""
    middle, spread = _USUAL[name]
    return -0.5 * (_log(value / middle) / spread) ** 2


def _log(values: Values) -> Values:
    """A single value is asked for some hundred thousand times in an hour of programme, and quicker without NumPy."""
    return math.log(values) if isinstance(values, float) else np.log(values)


def meeting(move: Move) -> float:
    """Log of how likely a move meets its speech like that."""
    assert move.serves is not None
    return float(fall_prior(move.fall_end_s, move.serves[0]) + return_prior(move.return_start_s, move.serves[1]))


def prior(move: Move, shared: Shared) -> float:
    """What a move costs by itself: times away from speech, and values of its own."""
    return meeting(move) + sharing(move, shared)


def sharing(move: Move, shared: Shared) -> float:
    """Log of how likely a move has such values, where most have the shared ones; 0 for one that has all of them."""
    cost = 0.0
    for name, near in (("depth_db", _NEAR_DB), ("fall_s", _NEAR_RAMP * shared.fall_s), ("return_s", _NEAR_RAMP * shared.return_s)):
        value, common = getattr(move, name), getattr(shared, name)
        together = math.log((1 - shared.own_share) / near)
        alone = math.log(shared.own_share / (_USUAL[name][1] * value)) + float(usual(name, value)) - together
        alike = -0.5 * ((value - common) / near) ** 2
        cost += max(alike, alone) + math.log1p(math.exp(-abs(alike - alone)))
    return cost
