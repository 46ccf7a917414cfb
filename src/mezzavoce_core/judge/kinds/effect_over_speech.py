"""An effect is louder than the voice that speaks through it."""

from collections.abc import Iterator
from functools import partial

import numpy as np

from ...estimate import exact
from ...measure.balance import loudest_under
from ...measure.meter import BLOCKS_PER_S
from ...signal.spans import join, runs
from ...units import power_to_db
from ..model import SHOULD, Finding, JudgingContext, Kind
from ..remedies.level_points import hold_points, lowered
from ..remedies.prediction import with_loudness
from ..remedy import Part, Remedies, Remedy
from .masked_speech import thin_stretches

_LEAST_S = 0.3
_WINDOW_BLOCKS = 11


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each stretch of 0.3 s or more in speech where effects cover the voice.

    They pass the voice around them by more than the limit.
    """
    limit, balance = context.spec.limits.effect_over_speech_lu, context.balance
    if limit is None or balance is None or balance.effects is None:
        return
    spoken, kernel = balance.active.astype(np.float64), np.ones(_WINDOW_BLOCKS)
    # The voice as it is around each block: its own short gaps are no silence.
    around = np.convolve(balance.blocks["voice"] * spoken, kernel, mode="same") / np.maximum(
        np.convolve(spoken, kernel, mode="same"), 1
    )
    over = power_to_db(np.maximum(balance.blocks["effects"], 1e-15)) - power_to_db(np.maximum(around, 1e-15))
    loud = (np.round(over, 1) > limit) & (spoken > 0)
    for first, last in join(runs(loud), 2):
        if loud[first:last].sum() < _LEAST_S * BLOCKS_PER_S:
            continue
        highest, in_s, out_s = (
            float(over[first:last][loud[first:last]].max()),
            first / BLOCKS_PER_S,
            last / BLOCKS_PER_S,
        )
        amount = float(np.ceil((highest - limit) * 2) / 2)
        yield Finding(
            kind=KIND.name,
            family=KIND.family,
            severity=SHOULD,
            in_s=in_s,
            out_s=out_s,
            title="Effect over the voice",
            message=f"{_where(highest)}; {_allowed(limit)}.",
            estimate=exact(highest),
            limit=limit,
            unit="LU",
            role="effects",
            mend=partial(_lowered, context, in_s, out_s, amount),
        )


def _where(over_lu: float) -> str:
    return (
        f"An effect comes within {-over_lu:.1f} LU of the voice"
        if over_lu < 0
        else f"An effect stands {over_lu:.1f} LU over the voice"
    )


def _allowed(limit_lu: float) -> str:
    return (
        f"it should stay {-limit_lu:g} LU under it" if limit_lu < 0 else f"at most {limit_lu:g} LU over it are allowed"
    )


def _lowered(context: JudgingContext, in_s: float, out_s: float, amount_db: float) -> Remedies:
    """As far down as the limit asks.

    Where the effect's own rise and end cover words as well, all of it goes as far down as these need.
    """
    clearance = context.spec.limits.clearance_lu
    if clearance is None:
        remedy = Remedy("lower", Part("effects"), -amount_db, hold_points(context, in_s, out_s, -amount_db))
        return with_loudness(context, remedy), ()
    begin_s, end_s = _covered(context, in_s, out_s)
    return lowered(context, "effects", begin_s, end_s, least_db=amount_db, wanted=clearance), ()


def _covered(context: JudgingContext, in_s: float, out_s: float) -> tuple[float, float]:
    """The stretch with what it reaches into of words that effects cover."""
    balance, passages = context.balance, (context.passages or ())[context.touched(in_s, out_s)]
    assert balance is not None
    thin = [
        (first, last)
        for p in passages
        for first, last, blocks in thin_stretches(context, p)
        if first < out_s and in_s < last and loudest_under(balance, blocks) == "effects"
    ]
    return min([in_s, *(first for first, _ in thin)]), max([out_s, *(last for _, last in thin)])


KIND = Kind("effect-over-speech", "effects", "effect over the voice", find, wants_stems=True)
