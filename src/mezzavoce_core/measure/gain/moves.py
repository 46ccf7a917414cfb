"""The values of the search.

Moves of the gain, what they have in common, and how usual they are before anything is heard.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from ...units import Floats

FALL_AHEAD_S, RETURN_BEHIND_S = 0.1, 0.2
"""Where speech wants a fall to end and a return to begin; common practice."""
_FALL_SCALE_S, _RETURN_SCALE_S = 0.4, 0.6
_USUAL = {"depth_db": (9.0, 0.45), "fall_s": (0.35, 0.9), "return_s": (0.6, 0.9)}
"""Middle and spread (of the logarithm) of what is usual; common practice."""
_NEAR_DB, _NEAR_RAMP = 0.12, 0.08
FALL_START, FALL_END, RETURN_START, RETURN_END, DEPTH = range(5)
"""The columns of a move's parameters ``(candidates, 5)``: four times in seconds and the depth in dB."""


@dataclass(frozen=True)
class Move:
    """A trapezoid in the gain.

    Four times in seconds, its depth in dB (above 0 is a fall), and the span of speech that it serves (None: none).
    """

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

    @property
    def parameters(self) -> Floats:
        """Its parameters ``(1, 5)``."""
        return table([self])

    def like(self, parameters: Floats) -> "Move":
        """A move for the same speech with these parameters ``(5,)``."""
        fall_start, fall_end, return_start, return_end, depth = map(float, parameters)
        return Move(fall_start, fall_end, return_start, return_end, depth, self.serves)

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
class Elsewhere:
    """What moves have that are known already and lie outside of the sound that is looked at.

    Values by the name of what they may share.
    """

    values: Mapping[str, Floats] = field(default_factory=lambda: dict.fromkeys(_USUAL, np.zeros(0)))
    nats: float | None = None
    """What the moves of the whole programme explain; None where nothing is known."""

    def sharing(self, name: str, common: Floats, own_share: float) -> Floats:
        """Log of how likely they have such values where most have each of some ``common`` ones."""
        values = self.values[name][:, None]
        near = _NEAR_DB if name == "depth_db" else _NEAR_RAMP * common
        together: Floats = np.logaddexp(
            -0.5 * ((values - common) / near) ** 2, _alone(name, values, near, own_share)
        ).sum(axis=0)
        return together


NOTHING_KNOWN = Elsewhere()


@dataclass(frozen=True)
class Unit:
    """A span of speech that a move may serve, and how far a fall before it and a return after it may reach."""

    in_s: float
    out_s: float
    earliest_s: float
    latest_s: float


def mean_nats(likelihoods: Floats) -> float:
    """Log of the mean likelihood of several explanations.

    Neither the freest of them nor one that fits by luck counts for the whole.
    """
    highest = float(likelihoods.max())
    return highest + float(np.log(np.mean(np.exp(likelihoods - highest))))


def table(moves: Sequence[Move]) -> Floats:
    """The parameters of some moves ``(moves, 5)``."""
    return np.array(
        [(m.fall_start_s, m.fall_end_s, m.return_start_s, m.return_end_s, m.depth_db) for m in moves]
    ).reshape(-1, 5)


def with_column(parameters: Floats, column: int, values: Floats) -> Floats:
    """Parameters ``(1, 5)`` with each of some values in one column, ``(values, 5)``."""
    candidates = np.repeat(parameters, len(values), axis=0)
    candidates[:, column] = values
    return candidates


def fall_prior(ends_s: Floats, in_s: float) -> Floats:
    """Log of how likely a fall ends there before or after speech that begins at ``in_s``; 0 at the likeliest place."""
    logs: Floats = -np.log(1 + ((ends_s - in_s + FALL_AHEAD_S) / _FALL_SCALE_S) ** 2)
    return logs


def return_prior(starts_s: Floats, out_s: float) -> Floats:
    """The same for a return that begins there."""
    logs: Floats = -np.log(1 + ((starts_s - out_s - RETURN_BEHIND_S) / _RETURN_SCALE_S) ** 2)
    return logs


def usual(name: str, values: Floats) -> Floats:
    """Log of how usual values are, 0 at the middle."""
    middle, spread = _USUAL[name]
    logs: Floats = -0.5 * (np.log(values / middle) / spread) ** 2
    return logs


def meeting(candidates: Floats, serves: tuple[float, float]) -> Floats:
    """Log of how likely a move meets its speech like that, ``(candidates,)``."""
    return fall_prior(candidates[:, FALL_END], serves[0]) + return_prior(candidates[:, RETURN_START], serves[1])


def prior(candidates: Floats, serves: tuple[float, float], shared: Shared) -> Floats:
    """What a move costs by itself, ``(candidates,)``: times away from speech, and values of its own."""
    return meeting(candidates, serves) + sharing(candidates, shared)


def sharing(candidates: Floats, shared: Shared) -> Floats:
    """Log of how likely a move has such values, where most have the shared ones, ``(candidates,)``.

    0 for one that has all of them.
    """
    cost = np.zeros(len(candidates))
    falls_s, returns_s = (
        candidates[:, FALL_END] - candidates[:, FALL_START],
        candidates[:, RETURN_END] - candidates[:, RETURN_START],
    )
    for name, values, common, near in (
        ("depth_db", candidates[:, DEPTH], shared.depth_db, _NEAR_DB),
        ("fall_s", falls_s, shared.fall_s, _NEAR_RAMP * shared.fall_s),
        ("return_s", returns_s, shared.return_s, _NEAR_RAMP * shared.return_s),
    ):
        cost += np.logaddexp(-0.5 * ((values - common) / near) ** 2, _alone(name, values, near, shared.own_share))
    return cost


def _alone(name: str, values: Floats, near: float | Floats, own_share: float) -> Floats:
    """Log of how likely a move has a value of its own, against having the shared one."""
    logs: Floats = np.log(own_share / (_USUAL[name][1] * values)) + usual(name, values) - np.log((1 - own_share) / near)
    return logs
