"""Remedies in level points: lower what lies under the voice, raise the voice, move a fall, or change the whole mix.

Lowering and raising are equals: the one that needs less and has the headroom comes first.
"""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from ..measure.balance import Balance, loudest_under
from ..measure.meter import TICKS_PER_BLOCK, TICKS_PER_S
from ..units import amplitude_to_db, db_to_amplitude
from .model import Evidence, Point, Remedy
from .prediction import around, gain_curve, integrated_with, ratio_over, with_gain

Gap = Callable[[Balance, int], float]
"""A gap in LU, of a balance that begins at a tick of the programme."""

FALL_S = 0.4
AHEAD_S = 0.1
RETURN_S = 0.8
LARGEST_DB = 24.0
_STEP_DB = 0.5
# A remedy aims a little beyond the limit, so that rounding to 0.1 does not bring the fault back.
_BEYOND_LU = 0.2


def hold_points(evidence: Evidence, in_s: float, out_s: float, gain_db: float) -> tuple[Point, ...]:
    """Four level points that reach a gain just before ``in_s``, hold it to ``out_s`` and come back."""
    return _trapezoid(evidence, (in_s - AHEAD_S - FALL_S, in_s - AHEAD_S, out_s, out_s + RETURN_S), gain_db)


def lower_spot(evidence: Evidence, in_s: float, out_s: float, amount_db: float, ramp_s: float) -> Remedy:
    """The whole mix lowered from ``in_s`` to ``out_s``, with ramps of ``ramp_s`` outside."""
    points = _trapezoid(evidence, (in_s - ramp_s, in_s, out_s, out_s + ramp_s), amount_db)
    return Remedy(action="lower", role="mix", amount_db=amount_db, points=points)


def _trapezoid(evidence: Evidence, times_s: tuple[float, float, float, float], gain_db: float) -> tuple[Point, ...]:
    """Level points 0, gain, gain, 0, kept inside the programme."""
    gains = (0.0, gain_db, gain_db, 0.0)
    return tuple(Point(round(min(max(t, 0.0), evidence.duration_s), 3), g) for t, g in zip(times_s, gains, strict=True))


def balance_remedies(
    evidence: Evidence, in_s: float, out_s: float, blocks: NDArray[np.int64], *, wanted: float, gap: Gap | None = None
) -> tuple[Remedy | None, tuple[Remedy, ...]]:
    """The remedy for too thin a gap over some blocks, and its alternatives.

    ``gap`` measures the gap (default: the lowest local ratio over the blocks), ``wanted`` is what it has to reach.
    """
    if evidence.balance is None or evidence.balance.background is None:
        return None, ()
    gap = gap or (lambda balance, first: ratio_over(balance, blocks - first // TICKS_PER_BLOCK))
    under = loudest_under(evidence.balance, blocks)
    ways = (("lower", under, -1), ("raise", "dialogue", 1))
    options = [_search(evidence, in_s, out_s, gap, wanted, action=action, role=role, sign=sign) for action, role, sign in ways]
    options.sort(key=lambda r: (not r.enough, abs(r.amount_db)))
    return options[0], tuple(options[1:])


def _search(evidence: Evidence, in_s: float, out_s: float, gap: Gap, wanted: float, *, action: str, role: str, sign: int) -> Remedy:
    """The smallest gain in steps of 0.5 dB with which the gap is wide enough, or the largest sensible one."""
    assert evidence.balance is not None
    first, last = around(in_s, out_s, len(evidence.balance.voice))
    balance = evidence.balance.part(first, last)

    def points(steps: int) -> tuple[Point, ...]:
        return hold_points(evidence, in_s, out_s, sign * steps * _STEP_DB)

    def ratio(steps: int) -> float:
        return gap(with_gain(balance, role, gain_curve(points(steps), last - first, first)), first)

    # More gain never makes the gap thinner, so halving finds the first step that does.
    low, high = 1, round(LARGEST_DB / _STEP_DB)
    while low < high:
        middle = (low + high) // 2
        if ratio(middle) >= wanted + _BEYOND_LU:
            high = middle
        else:
            low = middle + 1
    amount, reached = low * _STEP_DB, ratio(low)
    headroom = _headroom_db(evidence, in_s, out_s) if action == "raise" else np.inf
    return Remedy(
        action=action,
        role=role,
        amount_db=sign * amount,
        points=points(low),
        predicted_speech_to_background_lu=reached,
        predicted_integrated_lufs=integrated_with(evidence, role, points(low)),
        enough=bool(reached >= wanted and amount <= headroom),
    )


def _headroom_db(evidence: Evidence, in_s: float, out_s: float) -> float:
    """How far the voice can be raised before the mix's true peak passes the limit, counting peaks as if they fell together."""
    limit = evidence.spec.limits.true_peak_max_dbtp
    if limit is None:
        return float("inf")
    part = slice(int(in_s * TICKS_PER_S), int(out_s * TICKS_PER_S) + 1)
    mix = float(evidence.measurement.mix.true_peak[part].max())
    voices = [s for s in evidence.measurement.stems if s.role == "dialogue"]
    voice = sum(float(s.levels.sample_peak[part].max()) * float(db_to_amplitude(s.gain_db)) for s in voices)
    room = float(db_to_amplitude(limit)) - mix
    return float(amplitude_to_db(1 + room / voice)) if voice > 0 and room > 0 else 0.0


def whole_gain(evidence: Evidence, amount_db: float) -> Remedy:
    """One gain for the whole mix, with the loudness and the highest peak that it gives."""
    peak = float(amplitude_to_db(evidence.measurement.mix.true_peak.max())) + amount_db
    limit = evidence.spec.limits.true_peak_max_dbtp
    now = evidence.loudness.integrated_lufs
    return Remedy(
        action="gain",
        role="mix",
        amount_db=round(amount_db, 1),
        points=(Point(0.0, round(amount_db, 1)),),
        predicted_integrated_lufs=None if now is None else now + amount_db,
        predicted_true_peak_dbtp=peak,
        headroom_missing_db=None if limit is None or round(peak, 1) <= limit else round(peak - limit, 1),
        enough=limit is None or round(peak, 1) <= limit,
    )
