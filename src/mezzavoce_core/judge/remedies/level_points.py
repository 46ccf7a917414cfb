"""Remedies in level points: lower what lies under the voice, raise the voice, move a fall, or change the whole mix.

Lowering and raising are equals: the one that needs less, has the headroom and leaves nothing unlike its neighbours
comes first.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cache, cached_property
from math import ceil, isfinite

import numpy as np
from numpy.typing import NDArray

from ...measure.balance import Balance, blocks_between, loudest_under
from ...measure.meter import TICKS_PER_BLOCK, TICKS_PER_S
from ...units import Floats, amplitude_to_db, db_to_amplitude, db_to_power
from ..ducking import FALL_S, RETURN_S
from ..model import JudgingContext
from ..remedy import BandCuts, LevelMove, Part, Point, Prediction, Remedies, Remedy
from .band_cuts import band_cuts
from .prediction import around, audibility_over, integrated_with, level_curve, ratio_over, with_gain, with_loudness
from .remedy_context import AHEAD_S, RemedyContext

Gap = Callable[[Balance, int], float]
"""A gap in LU, of a balance that begins at a tick of the programme."""

LARGEST_DB = 24.0
FADED_DB, BACK_S = -40.0, 0.5
"""So far down a fade ends; and within so long the gain goes back where nothing sounds, so that what else lies in the
stem stays as it is."""
STEP_DB = 0.5
_STEPS = round(LARGEST_DB / STEP_DB)
# A remedy aims a little beyond the limit, so that rounding to 0.1 does not bring the fault back.
_BEYOND_LU = 0.2
_CUTS_TRIED = 3


def hold_points(context: JudgingContext, in_s: float, out_s: float, gain_db: float) -> tuple[Point, ...]:
    """Four level points that reach a gain just before ``in_s``, hold it to ``out_s`` and come back."""
    return trapezoid(_hold_times(context, in_s, out_s), gain_db)


def _hold_times(context: JudgingContext, in_s: float, out_s: float) -> tuple[float, ...]:
    return _inside(context, in_s - AHEAD_S - FALL_S, in_s - AHEAD_S, out_s, out_s + RETURN_S)


def fade_in(context: JudgingContext, at_s: float, over_s: float, *, role: str, source: str | None) -> Remedy:
    """A fade up from -40 dB, which a sound that comes in at a time lacks."""
    return _faded(context, role, source, (max(0.0, at_s - BACK_S), 0.0), (at_s, FADED_DB), (at_s + over_s, 0.0))


def fade_out(
    context: JudgingContext, begin_s: float, end_s: float, *, source: str | None, goes_on_s: float = 0.0
) -> Remedy:
    """A fade of the music down to -40 dB; ``goes_on_s`` is for how long it sounds behind that.

    Nothing comes back behind the end of the file.
    """
    gone_s = end_s + goes_on_s
    return _faded(
        context,
        "music",
        source,
        (begin_s, 0.0),
        (end_s, FADED_DB),
        *([(gone_s, FADED_DB)] if goes_on_s else []),
        (gone_s + BACK_S, 0.0),
    )


def _faded(context: JudgingContext, role: str, source: str | None, *points: tuple[float, float]) -> Remedy:
    remedy = Remedy("reshape", Part(role, source), FADED_DB, tuple(Point(round(t, 3), g) for t, g in points))
    return within_file(context, remedy)


def within_file(context: JudgingContext, remedy: Remedy) -> Remedy:
    """The remedy without what lies behind the end of the file, with the loudness that it gives."""
    ends_s = context.measurement.file.duration_s - context.origin_s
    return with_loudness(context, replace(remedy, points=tuple(p for p in remedy.points if p.at_s <= ends_s)))


def lower_spot(context: JudgingContext, in_s: float, out_s: float, amount_db: float, ramp_s: float) -> Remedy:
    """The whole mix lowered from ``in_s`` to ``out_s``, with ramps of ``ramp_s`` outside."""
    return Remedy("lower", Part("mix"), amount_db, spot_points(context, in_s, out_s, amount_db, ramp_s))


def spot_points(context: JudgingContext, in_s: float, out_s: float, gain_db: float, ramp_s: float) -> tuple[Point, ...]:
    """Four level points of a gain from ``in_s`` to ``out_s``, with ramps of ``ramp_s`` outside."""
    return trapezoid(_inside(context, in_s - ramp_s, in_s, out_s, out_s + ramp_s), gain_db)


def _inside(context: JudgingContext, *times_s: float) -> tuple[float, ...]:
    """Times of level points, kept inside the programme."""
    return tuple(round(min(max(t, 0.0), context.duration_s), 3) for t in times_s)


def trapezoid(times_s: Sequence[float], gain_db: float) -> tuple[Point, ...]:
    """Level points 0, gain, gain, 0."""
    first, second, third, fourth = times_s
    return Point(first, 0.0), Point(second, gain_db), Point(third, gain_db), Point(fourth, 0.0)


def balance_remedies(
    context: JudgingContext,
    in_s: float,
    out_s: float,
    blocks: NDArray[np.int64],
    *,
    wanted: float,
    elsewhere: RemedyContext,
    gap: Gap | None = None,
) -> Remedies:
    """The remedy for too thin a gap over some blocks, and its alternatives.

    Less of what lies under, more voice, or cuts by band where they do.

    ``gap`` measures the gap (default: the lowest local ratio over the blocks), ``wanted`` is what it has to reach;
    ``elsewhere`` is how things lie elsewhere.
    """
    if context.balance is None or context.balance.background is None:
        return None, ()
    search = _Search(context, in_s, out_s, blocks, gap, elsewhere)
    options: list[Remedy] = [*search.options(wanted)]
    if gap is None and (cut := _cut(context, in_s, out_s, blocks, wanted)) is not None:
        options.append(cut)
    return options[0], tuple(options[1:])


def _cut(
    context: JudgingContext, in_s: float, out_s: float, blocks: NDArray[np.int64], wanted: float
) -> BandCuts | None:
    """Cuts by band that widen the gap to ``wanted`` (LU) where it is thinnest.

    Where none do, those that widen it to that on the whole.
    """
    not_enough, aim = None, wanted
    for _ in range(_CUTS_TRIED):
        cut = band_cuts(context, in_s, out_s, blocks, audible=context.spec.limits.audibility_min or 0.0, ratio=aim)
        if cut is None or cut.then.speech_to_background_lu is None:
            break
        lowest = cut.then.speech_to_background_lu
        if lowest >= wanted:
            return cut
        not_enough = not_enough or replace(cut, enough=False)
        aim += wanted - lowest + _BEYOND_LU
    return not_enough


def audibility_remedies(
    context: JudgingContext,
    in_s: float,
    out_s: float,
    blocks: NDArray[np.int64],
    wanted: float,
    elsewhere: RemedyContext,
) -> Remedies:
    """The remedy where the level is right and bands of the voice are covered: cuts by band.

    Else level as for any thin gap.
    """
    if context.balance is None or context.balance.background is None:
        return None, ()
    # Audibility grows by one over 30 dB.
    search = _Search(
        context,
        in_s,
        out_s,
        blocks,
        lambda balance, first: 30 * (audibility_over(balance, blocks - first // TICKS_PER_BLOCK) or 0.0),
        elsewhere,
    )
    options = [
        replace(o, then=replace(o.then, speech_to_background_lu=search.ratio_with(o)))
        for o in search.options(30 * wanted)
    ]
    cut = band_cuts(context, in_s, out_s, blocks, audible=wanted)
    return (options[0], tuple(options[1:])) if cut is None else (cut, tuple(options))


def lowered(context: JudgingContext, role: str, in_s: float, out_s: float, *, least_db: float, wanted: float) -> Remedy:
    """A role lowered by ``least_db`` or more.

    By as much more as makes the gap to the voice wide enough (``wanted``, LU), where that role alone can.
    """
    assert context.balance is not None
    search = _Search(context, in_s, out_s, blocks_between(context.balance.active, in_s, out_s), None, RemedyContext())
    move = _Move("lower", role, -1, _hold_times(context, in_s, out_s), least_db)
    _, remedy = search.best(move, wanted)
    return remedy if remedy.enough else search.with_amount(move, least_db, wanted)


@dataclass(frozen=True)
class _Move:
    """What is moved, up or down."""

    action: str
    role: str
    sign: int
    times_s: Sequence[float]
    least_db: float = 0.0


@dataclass(frozen=True)
class _Search:
    """Looks for the smallest gain with which a gap over some blocks is wide enough."""

    context: JudgingContext
    in_s: float
    out_s: float
    blocks: NDArray[np.int64]
    gap: Gap | None
    elsewhere: RemedyContext

    @cached_property
    def first(self) -> int:
        """Tick at which the part begins that matters."""
        assert self.context.balance is not None
        return around(self.in_s, self.out_s, len(self.context.balance.voice))[0]

    @cached_property
    def part(self) -> Balance:
        """That part."""
        assert self.context.balance is not None
        return self.context.balance.part(*around(self.in_s, self.out_s, len(self.context.balance.voice)))

    @property
    def here(self) -> NDArray[np.int64]:
        """The blocks on its clock."""
        here: NDArray[np.int64] = self.blocks - self.first // TICKS_PER_BLOCK
        return here

    @cached_property
    def gap_now(self) -> float:
        """The gap as it is."""
        return self.gap_in(self.part)

    def gap_in(self, balance: Balance) -> float:
        """The gap in this part, changed or as it is."""
        return ratio_over(balance, self.here) if self.gap is None else self.gap(balance, self.first)

    def options(self, wanted: float) -> list[LevelMove]:
        """Less of what lies under and more voice, in the order in which they are proposed.

        What cannot do, however far it goes, only where neither can.
        """
        assert self.context.balance is not None
        under, around_s = (
            loudest_under(self.context.balance, self.blocks),
            _hold_times(self.context, self.in_s, self.out_s),
        )
        shaped = self.elsewhere.times_s if under == "music" else None
        moves = (
            _Move("lower", under, -1, shaped or around_s, self.elsewhere.least_db if shaped else 0.0),
            _Move("raise", "dialogue", 1, around_s, self.elsewhere.voice_least_db),
        )
        found = sorted(
            (self.best(move, wanted) for move in moves),
            key=lambda best: (not best[1].sound, not best[1].enough, best[0]),
        )
        return [remedy for needed, remedy in found if needed < LARGEST_DB] or [remedy for _, remedy in found]

    def changed(self, role: str, gain_db: Floats, *, bands: bool) -> Balance:
        """The part with a gain in dB per tick on a role."""
        return with_gain(self.part, role, db_to_power(gain_db), bands=bands)

    def ratio_with(self, remedy: Remedy) -> float:
        """Lowest local ratio that a remedy of this search gives."""
        return ratio_over(
            self.changed(remedy.role, level_curve(remedy.points, len(self.part.voice), self.first), bands=False),
            self.here,
        )

    def best(self, move: _Move, wanted: float) -> tuple[float, LevelMove]:
        """The smallest gain in dB that does, in steps of 0.5 dB, and the remedy with it or with the least.

        Where none does, the largest sensible gain.
        """
        held, aim = self._held(move), wanted + _BEYOND_LU
        does = cache(lambda steps: self._reached(move, steps * STEP_DB, held) >= aim)
        needed = STEP_DB * first_step(does, guess=(aim - self.gap_now) / STEP_DB)
        least = round(move.least_db, 1)
        amount = max(needed, least)
        return needed, replace(
            self.with_amount(move, amount, wanted),
            to_bed=move.role == "music" and self.elsewhere.bed_is_there and 0 < amount <= least,
        )

    def _held(self, move: _Move) -> Floats:
        return level_curve(trapezoid(move.times_s, 1.0), len(self.part.voice), self.first)

    def _reached(self, move: _Move, amount_db: float, held: Floats) -> float:
        return self.gap_in(self.changed(move.role, move.sign * amount_db * held, bands=self.gap is not None))

    def with_amount(self, move: _Move, amount_db: float, wanted: float) -> LevelMove:
        """The remedy with a given amount."""
        held = self._held(move)
        found, points = self._reached(move, amount_db, held), trapezoid(move.times_s, move.sign * amount_db)
        raised = move.action == "raise"
        missing = headroom_missing_db(self.context, self.in_s, self.out_s, amount_db) if raised else None
        changed = self.changed(move.role, move.sign * amount_db * held, bands=True)
        return LevelMove(
            action=move.action,
            part=Part(move.role),
            amount_db=move.sign * amount_db,
            points=points,
            then=Prediction(
                speech_to_background_lu=found,
                audibility=audibility_over(changed, self.here),
                integrated_lufs=integrated_with(self.context, Part(move.role), points),
            ),
            headroom_missing_db=missing,
            stands_off_db=self._raised_off_db(points)
            if raised
            else self.elsewhere.bed_off_db(amount_db)
            if move.role == "music"
            else None,
            enough=bool(found >= wanted and missing is None and not (raised and self.elsewhere.bed_stays_up)),
        )

    def _raised_off_db(self, points: Sequence[Point]) -> float | None:
        return self.elsewhere.voice_off_db(
            self.context, (self.context.passages or ())[self.context.touched(self.in_s, self.out_s)], points
        )


def first_step(does: Callable[[int], bool], guess: float) -> int:
    """The first step that does, or the last one of all; more never does less. ``guess`` says near which one it lies."""
    first, last = 1, _STEPS
    at, stride = min(max(first, ceil(guess)), last - 1) if isfinite(guess) else last - 1, 1
    while first < last:
        if does(at):
            last = at
        else:
            first = at + 1
        # In longer and longer strides away from the guess, and by halves once there is something on either side.
        upward, downward = min(first + stride - 1, last - 1), max(first, last - stride)
        at = upward if last == _STEPS else downward if first == 1 else (first + last) // 2
        stride *= 2
    return first


def headroom_missing_db(context: JudgingContext, in_s: float, out_s: float, raised_db: float) -> float | None:
    """By how much a voice that is raised would pass what its peaks have room for; None where it does not."""
    missing = round(raised_db - _headroom_db(context, in_s, out_s), 1)
    return missing if missing > 0 else None


def _headroom_db(context: JudgingContext, in_s: float, out_s: float) -> float:
    """How far the voice can be raised before the mix's true peak passes the limit.

    Peaks are counted as if they fell together.
    """
    limit = context.spec.limits.true_peak_max_dbtp
    if limit is None:
        return float("inf")
    part = slice(int(in_s * TICKS_PER_S), int(out_s * TICKS_PER_S) + 1)
    mix = float(context.measurement.mix.true_peak[part].max())
    voices = [s for s in context.measurement.stems if s.role == "dialogue"]
    voice = sum(float(s.levels.sample_peak[part].max()) * float(db_to_amplitude(s.gain_db)) for s in voices)
    room = float(db_to_amplitude(limit)) - mix
    return float(amplitude_to_db(1 + room / voice)) if voice > 0 and room > 0 else 0.0


def whole_gain(context: JudgingContext, amount_db: float) -> Remedy:
    """One gain for the whole mix, with the loudness and the highest peak that it gives."""
    peak = float(amplitude_to_db(context.measurement.mix.true_peak.max())) + amount_db
    limit = context.spec.limits.true_peak_max_dbtp
    now = context.loudness.integrated_lufs
    return Remedy(
        action="gain",
        part=Part("mix"),
        amount_db=round(amount_db, 1),
        points=(Point(0.0, round(amount_db, 1)),),
        then=Prediction(integrated_lufs=None if now is None else now + amount_db, true_peak_dbtp=peak),
        headroom_missing_db=None if limit is None or round(peak, 1) <= limit else round(peak - limit, 1),
        enough=limit is None or round(peak, 1) <= limit,
    )
