"""Which of several stems of one role is to blame, and which of them a remedy is for."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

from ..measure.measurement import StemLevels
from ..measure.meter import TICKS_PER_S
from ..units import Floats, db_to_power
from .model import JudgingContext, Remedy

_NOTHING_DB = -30.0
"""Other stems so far under one change nothing that is said of it: lowered by 15 dB, it still stands as far over
them."""


def source_of(context: JudgingContext, role: str, in_s: float, out_s: float) -> str | None:
    """The name of the stem of a role with most energy between two times; None where the role has one stem or none."""
    stems = _stems(context, role)
    if len(stems) < 2:
        return None
    energies = _energies(context, stems, in_s, out_s)
    return stems[energies.index(max(energies))].name


def for_stems(context: JudgingContext, remedy: Remedy) -> Remedy:
    """A remedy with the stem that it is for, where its role has several.

    The one that sounds alone from its first point to its last, else all of them.
    """
    stems = _stems(context, remedy.role)
    if len(stems) < 2:
        return replace(remedy, source=None)
    if remedy.source is not None or not remedy.points:
        return remedy
    energies = _energies(context, stems, remedy.points[0].at_s, remedy.points[-1].at_s)
    loudest = max(energies)
    alone = sum(energies) - loudest <= loudest * float(db_to_power(_NOTHING_DB))
    return replace(remedy, source=stems[energies.index(loudest)].name) if alone else replace(remedy, together=True)


def _stems(context: JudgingContext, role: str) -> list[StemLevels]:
    return [s for s in context.measurement.stems if s.role == role]


def _energies(context: JudgingContext, stems: Sequence[StemLevels], in_s: float, out_s: float) -> list[float]:
    part = slice(round(in_s * TICKS_PER_S), round(out_s * TICKS_PER_S) + 1)
    powers = context.once(_powers)
    return [float(powers[id(s)][part].sum()) for s in stems]


def _powers(context: JudgingContext) -> Mapping[int, Floats]:
    """Weighted power per tick of each stem, by its identity, where its role has several."""
    roles = [s.role for s in context.measurement.stems]
    return {id(s): context.measurement.stem_power(s) for s in context.measurement.stems if roles.count(s.role) > 1}
