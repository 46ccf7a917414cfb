"""Stems that do not belong to this export of the mix.

Moved, at another level, not all that is in it, or with the sound of another one in it.
"""

from collections.abc import Iterator

import numpy as np

from ...estimate import exact
from ...measure.measurement import Held, StemLevels
from ...measure.meter import BLOCKS_PER_S
from ...signal.spans import join, runs
from ...units import Floats, power_to_db
from ..model import NOTE, Finding, JudgingContext, Kind

_LEFT_DB = -15.0
"""Common practice: what stems leave of a mix lies far under it, also where the mix was coded with losses."""
_MOVED_S, _GAIN_DB = 0.005, 0.3
_LEAST_S, _WINDOW_S = 2.0, 1.0
_QUIET_DB, _SILENT_DB, _NOTHING_DB = -60.0, -100.0, -50.0
_HARMLESS_DB = -40.0
"""Common practice: what is softer by more than this does no harm."""


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each stem that does not lie in the mix as it was delivered.

    It had to be moved or turned up or down, or it holds another one; and one for each stretch of which the stems leave
    too much.
    """
    for stem in context.measurement.stems:
        if not stem.derived and abs(stem.delay_s) >= _MOVED_S:
            yield _moved(context, stem)
        if not stem.derived and abs(stem.gain_db) >= _GAIN_DB:
            yield _turned(context, stem)
        yield from (_leaked(context, stem, held) for held in stem.held if held.level_db > _HARMLESS_DB)
        if not stem.derived and not _adding_up(context) and _silent(stem):
            yield _unheard(context, stem)
        if stem.derived and _energy_db(stem.levels.power) < _energy_db(context.measurement.mix.power) + _NOTHING_DB:
            yield _all_of_it(context, stem)
    yield from _left(context)


def _moved(context: JudgingContext, stem: StemLevels) -> Finding:
    frames = abs(stem.delay_s) * float(context.clock.rate.fps)
    side = "earlier" if stem.delay_s > 0 else "later"
    return _finding(
        context,
        stem,
        title="Stem out of step",
        message=(
            f"The {stem.role} stem “{stem.name}” runs {abs(stem.delay_s):.3f} s ({frames:.1f} frames) {side} "
            f"than in the mix; up to {_MOVED_S:g} s is in step. "
            f"It was moved for measuring; level points hold for the mix, so move the stem first."
        ),
        measured=stem.delay_s,
        limit=_MOVED_S,
        unit="s",
    )


def _turned(context: JudgingContext, stem: StemLevels) -> Finding:
    side = "higher" if stem.gain_db > 0 else "lower"
    return _finding(
        context,
        stem,
        title="Stem at another level",
        message=(
            f"The {stem.role} stem “{stem.name}” stands {abs(stem.gain_db):.1f} dB {side} in the mix than as "
            f"delivered; up to {_GAIN_DB:g} dB is alike. "
            f"It was measured as it is in the mix; gains are to be added there."
        ),
        measured=stem.gain_db,
        limit=_GAIN_DB,
        unit="dB",
    )


def _leaked(context: JudgingContext, stem: StemLevels, held: Held) -> Finding:
    what = "voice" if held.role == "dialogue" else held.role
    counted = (
        "It was taken out for measuring, but gains on that stem would move it, too."
        if held.out
        else f"It counts as {stem.role} in every figure here, so {stem.role} "
        f"{'seem' if stem.role == 'effects' else 'seems'} to rise where somebody speaks."
    )
    return _finding(
        context,
        stem,
        title=f"{what.capitalize()} in another stem",
        message=(
            f"The {stem.role} stem “{stem.name}” holds the {what}, too, at {held.level_db:+.0f} dB against the "
            f"{held.role} stem. {counted} "
            f"Export that stem without the {what} and measure again."
        ),
        measured=held.level_db,
        limit=_HARMLESS_DB,
        unit="dB",
    )


def _all_of_it(context: JudgingContext, left: StemLevels) -> Finding:
    given = [s for s in context.measurement.stems if not s.derived]
    names = " and ".join(f"the {s.role} stem “{s.name}”" for s in given)
    return _finding(
        context,
        given[0],
        title="Stem holds the whole mix",
        message=(
            f"Beside {names} nothing is left of the mix, so there is no {left.role} to hold against it. If "
            "there is any in the mix, "
            f"export each stem with its own sound alone and measure again."
        ),
        measured=_energy_db(left.levels.power) - _energy_db(context.measurement.mix.power),
        limit=_NOTHING_DB,
        unit="dB",
    )


def _unheard(context: JudgingContext, stem: StemLevels) -> Finding:
    return _finding(
        context,
        stem,
        title="Stem is silent",
        message=f"Nothing is to be heard in the {stem.role} stem “{stem.name}”. If the mix holds any {stem.role}, "
        "export it again and measure again.",
        measured=max(_SILENT_DB, _energy_db(stem.levels.power)),
        limit=_SILENT_DB,
        unit="dB",
    )


def _finding(
    context: JudgingContext, stem: StemLevels, *, title: str, message: str, measured: float, limit: float, unit: str
) -> Finding:
    return Finding(
        kind=KIND.name,
        family=KIND.family,
        severity=NOTE,
        in_s=0.0,
        out_s=context.duration_s,
        title=title,
        message=message,
        estimate=exact(measured),
        limit=limit,
        unit=unit,
        role=stem.role,
        source=stem.name,
    )


def _left(context: JudgingContext) -> Iterator[Finding]:
    """Stretches of which the stems leave too much; one for all of them where a stem is silent."""
    rest, stems = context.measurement.rest, context.measurement.stems
    if rest is None or not _adding_up(context):
        return
    kernel = np.full(round(_WINDOW_S * BLOCKS_PER_S), 1 / (_WINDOW_S * BLOCKS_PER_S))
    whole, left = (np.convolve(part.astype(np.float64), kernel, mode="same") for part in (rest.mix, rest.left))
    level = _level_db(left) - _level_db(whole)
    off = (level > _LEFT_DB) & (_level_db(whole) > _QUIET_DB)
    spans = [(a, b) for a, b in join(runs(off), BLOCKS_PER_S) if b - a >= _LEAST_S * BLOCKS_PER_S]
    silent = [f"the {s.role} stem “{s.name}”" for s in stems if _silent(s)]
    if spans and silent:
        spans = [(spans[0][0], spans[-1][1])]
    why = (
        f"Nothing is to be heard in {' and '.join(silent)}; export it again"
        if silent
        else "A stem is missing or of another version"
    )
    for first, last in spans:
        share = float(_level_db(left[first:last].sum()) - _level_db(whole[first:last].sum()))
        yield Finding(
            kind=KIND.name,
            family=KIND.family,
            severity=NOTE,
            in_s=first / BLOCKS_PER_S,
            out_s=min(last / BLOCKS_PER_S, context.duration_s),
            title="Stems do not add up to the mix",
            message=(
                f"Here the stems leave a rest at {share:.1f} dB against the mix; up to {_LEFT_DB:.1f} dB they "
                f"add up. {why}; "
                f"figures of voice against background may be off."
            ),
            estimate=exact(share),
            limit=_LEFT_DB,
            unit="dB",
        )


def _adding_up(context: JudgingContext) -> bool:
    """Whether the stems are all that the mix should hold."""
    stems = context.measurement.stems
    return not any(s.derived for s in stems) and {"dialogue"} < {s.role for s in stems}


def _silent(stem: StemLevels) -> bool:
    return _energy_db(stem.levels.power) < _SILENT_DB


def _level_db(power: Floats) -> Floats:
    return power_to_db(np.maximum(power, 1e-15))


def _energy_db(power: Floats) -> float:
    """The loudest tick of any channel."""
    return float(_level_db(power.max(initial=0.0)))


KIND = Kind("stems-off", "signal", "stems off the mix", find, wants_stems=True)
