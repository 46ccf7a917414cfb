"""Which of several stems of one role is to blame, and which of them a remedy is for."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

from ..measure.measurement import StemLevels
from ..measure.meter import TICKS_PER_S
from ..units import Floats, db_to_power
from .model import Evidence, Remedy

_NOTHING_DB = -30.0
"""Other stems so far under one change nothing that is said of it: lowered by 15 dB, it still stands as far over them."""


def source_of(evidence: Evidence, role: str, in_s: float, out_s: float) -> str | None:
    """The name of the stem of a role with most energy between two times; None where the role has one stem or none."""
    stems = _stems(evidence, role)
    if len(stems) < 2:
        return None
    energies = _energies(evidence, stems, in_s, out_s)
    return stems[energies.index(max(energies))].name


def for_stems(evidence: Evidence, remedy: Remedy) -> Remedy:
    """A remedy with the stem that it is for where its role has several: the one that sounds alone from its first point to its last, else all of them."""
    stems = _stems(evidence, remedy.role)
    if len(stems) < 2:
        return replace(remedy, source=None)
    if remedy.source is not None or not remedy.points:
        return remedy
    energies = _energies(evidence, stems, remedy.points[0].at_s, remedy.points[-1].at_s)
    loudest = max(energies)
    alone = sum(energies) - loudest <= loudest * float(db_to_power(_NOTHING_DB))
    return replace(remedy, source=stems[energies.index(loudest)].name) if alone else replace(remedy, together=True)


def _stems(evidence: Evidence, role: str) -> list[StemLevels]:
    return [s for s in evidence.measurement.stems if s.role == role]


def _energies(evidence: Evidence, stems: Sequence[StemLevels], in_s: float, out_s: float) -> list[float]:
    part = slice(round(in_s * TICKS_PER_S), round(out_s * TICKS_PER_S) + 1)
    powers = evidence.once(_powers)
    return [float(powers[id(s)][part].sum()) for s in stems]


def _powers(evidence: Evidence) -> Mapping[int, Floats]:
    """Weighted power per tick of each stem, by its identity, where its role has several."""
    roles = [s.role for s in evidence.measurement.stems]
    return {id(s): evidence.measurement.stem_power(s) for s in evidence.measurement.stems if roles.count(s.role) > 1}
