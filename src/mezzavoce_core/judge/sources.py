"""Which of several stems of one role is to blame."""

from ..measure.meter import TICKS_PER_S
from .model import Evidence


def source_of(evidence: Evidence, role: str, in_s: float, out_s: float) -> str | None:
    """The name of the stem of a role with most energy between two times; None where the role has one stem or none."""
    stems = [s for s in evidence.measurement.stems if s.role == role]
    if len(stems) < 2:
        return None
    part = slice(round(in_s * TICKS_PER_S), round(out_s * TICKS_PER_S) + 1)
    return max(stems, key=lambda s: float(evidence.measurement.stem_power(s)[part].sum())).name
