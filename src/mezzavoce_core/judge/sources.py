"""Which of several stems of one role is to blame, and which of them a remedy is for."""

from collections.abc import Iterable, Mapping
from dataclasses import replace

from ..measure.measurement import StemLevels
from ..measure.meter import TICKS_PER_S
from ..units import Floats, db_to_power
from .model import JudgingContext
from .remedy import Remedy

_NOTHING_DB = -30.0
"""Other stems so far under one change nothing that is said of it: lowered by 15 dB, it still stands as far over
them."""


def source_of(context: JudgingContext, role: str, in_s: float, out_s: float) -> str | None:
    """The name of the stem of a role with most energy between two times; None where the role has one stem or none."""
    stems = _stems(context, role)
    if len(stems) < 2:
        return None
    energies = _energies(context, stems, in_s, out_s)
    return stems[max(energies, key=lambda k: energies[k])].name


def for_stems(context: JudgingContext, remedy: Remedy) -> Remedy:
    """A remedy with the stem that it is for, where its role has several.

    The one that sounds alone from its first point to its last, else all of them.
    """
    stems = _stems(context, remedy.role)
    if len(stems) < 2:
        return remedy if remedy.part.source is None else replace(remedy, part=replace(remedy.part, source=None))
    if remedy.part.source is not None or not remedy.points:
        return remedy
    energies = _energies(context, stems, remedy.points[0].at_s, remedy.points[-1].at_s)
    loudest = max(energies, key=lambda k: energies[k])
    others = sum(energies.values()) - energies[loudest]
    alone = others <= energies[loudest] * float(db_to_power(_NOTHING_DB))
    part = replace(remedy.part, source=stems[loudest].name) if alone else replace(remedy.part, together=True)
    return replace(remedy, part=part)


def _stems(context: JudgingContext, role: str) -> dict[int, StemLevels]:
    """The stems of a role, by their place among all stems."""
    return {k: s for k, s in enumerate(context.measurement.stems) if s.role == role}


def _energies(context: JudgingContext, stems: Iterable[int], in_s: float, out_s: float) -> dict[int, float]:
    """The energy of each of some stems between two times (seconds)."""
    part = slice(round(in_s * TICKS_PER_S), round(out_s * TICKS_PER_S) + 1)
    powers = context.once(_powers)
    return {k: float(powers[k][part].sum()) for k in stems}


def _powers(context: JudgingContext) -> Mapping[int, Floats]:
    """Weighted power per tick of each stem, by its place among all stems, where its role has several."""
    stems = context.measurement.stems
    roles = [s.role for s in stems]
    return {k: context.measurement.stem_power(s) for k, s in enumerate(stems) if roles.count(s.role) > 1}
