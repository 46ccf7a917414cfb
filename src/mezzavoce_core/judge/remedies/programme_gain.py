"""One gain over the whole programme, where most of the speech is too near to what lies under it.

One move instead of one for each passage.
"""

from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

from ...measure.balance import Balance, clear_share, local_sums, loudest_under
from ...units import Floats, db_to_power, power_to_db
from ..model import JudgingContext
from ..remedy import Part, Point, Prediction, ProgrammeGain, Remedies
from .level_points import STEP_DB, first_step, headroom_missing_db
from .prediction import integrated_with

_BEYOND_LU = 0.1
"""So far over the limit a ratio has to be to be counted on."""


def programme_gain(context: JudgingContext, clearance_lu: float, wanted_share: float) -> Remedies:
    """Less of what covers most of the voice, or more voice, all over.

    So that ``wanted_share`` (0 to 1) of the speech stands ``clearance_lu`` over what lies under it.
    """
    balance = context.balance
    if balance is None or balance.background is None:
        return None, ()
    under = loudest_under(balance, np.flatnonzero(balance.active))
    moves = [_Move(context, balance, role, sign, clearance_lu) for role, sign in ((under, -1), ("dialogue", 1))]
    found = sorted(
        (move.best(wanted_share) for move in moves),
        key=lambda r: (not r.enough, r.then_whole_db is not None, abs(r.amount_db)),
    )
    return found[0], tuple(found[1:])


def _then_whole_db(context: JudgingContext, integrated_lufs: float | None) -> float | None:
    """By how much the whole mix has to be changed when it is so loud; None where it need not be."""
    limits = context.spec.limits
    if (
        limits.integrated_lufs is None
        or integrated_lufs is None
        or round(abs(integrated_lufs - limits.integrated_lufs), 1) <= limits.integrated_tolerance_lu
    ):
        return None
    return round(limits.integrated_lufs - integrated_lufs, 1)


@dataclass(frozen=True)
class _Move:
    """A role that is lowered (sign -1) or raised."""

    context: JudgingContext
    balance: Balance
    role: str
    sign: int
    clearance_lu: float

    def best(self, wanted_share: float) -> ProgrammeGain:
        """The remedy with the smallest gain that does, in steps of 0.5 dB.

        With the largest sensible one where none does.
        """
        ratio_with = self._ratios()

        def share(amount_db: float, beyond_lu: float = 0.0) -> float:
            return clear_share(ratio_with(self.sign * amount_db) - beyond_lu, self.clearance_lu) or 0.0

        amount = STEP_DB * first_step(cache(lambda steps: share(steps * STEP_DB, _BEYOND_LU) >= wanted_share), guess=1)
        points = tuple(Point(round(t, 3), self.sign * amount) for t in (0.0, self.context.duration_s))
        missing = headroom_missing_db(self.context, 0.0, self.context.duration_s, amount) if self.sign > 0 else None
        integrated = integrated_with(self.context, Part(self.role), points)
        return ProgrammeGain(
            action="raise" if self.sign > 0 else "lower",
            part=Part(self.role),
            amount_db=self.sign * amount,
            points=points,
            then=Prediction(clear_share=share(amount), integrated_lufs=integrated),
            then_whole_db=_then_whole_db(self.context, integrated),
            headroom_missing_db=missing,
            enough=bool(share(amount) >= wanted_share and missing is None),
        )

    def _ratios(self) -> "_Ratios":
        voice, background, known = local_sums(self.balance)
        part = voice if self.role == "dialogue" else local_sums(self.balance, self.role)[1]
        return _Ratios(voice, background, part, known, of_voice=self.role == "dialogue")


@dataclass(frozen=True)
class _Ratios:
    """Local ratios with a gain on one part."""

    voice: Floats
    background: Floats
    part: Floats
    known: NDArray[np.bool_]
    of_voice: bool

    def __call__(self, gain_db: float) -> Floats:
        factor = float(db_to_power(gain_db))
        voice = self.voice * factor if self.of_voice else self.voice
        under = self.background if self.of_voice else self.background + self.part * (factor - 1)
        return np.where(self.known, power_to_db(voice) - power_to_db(np.maximum(under, 1e-15)), np.nan)
