"""A section stands off from the rest of the programme, with a step at its edges: a clip that was not levelled."""

from collections.abc import Iterator
from dataclasses import replace

from ...estimate import exact
from ...measure.sections import Section, find_sections
from ...units import tenth
from ..model import NOTE, Finding, JudgingContext, Kind
from ..remedies.level_points import lower_spot
from ..remedies.remedy_context import AHEAD_S

_AT_MOST = 0.2


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each section of 3 s or more whose level deviates from the others.

    By more than the limit from the median of the others.
    """
    limit = context.spec.limits.section_jump_lu
    if limit is None:
        return
    sections = find_sections(context.power, limit, context.balance.flags if context.balance else None)
    off = [s for s in sections if abs(tenth(s.off_lu)) > limit]
    # What stands off for a fifth of the time and more is how this programme is made, and no clip that was forgotten.
    if sum(s.out_s - s.in_s for s in off) <= _AT_MOST * sum(s.out_s - s.in_s for s in sections):
        # Where speech is not known, what opens and closes a programme may be music, which need not stand where the
        # voices do.
        ends = () if context.balance else (*sections[:1], *sections[-1:])
        yield from (_finding(context, s, limit) for s in off if s not in ends)


def _finding(context: JudgingContext, section: Section, limit: float) -> Finding:
    way, amount = ("louder", "lower") if section.off_lu > 0 else ("softer", "raise")
    remedy = lower_spot(context, section.in_s, section.out_s, round(-section.off_lu, 1), AHEAD_S)
    return Finding(
        kind=KIND.name,
        family=KIND.family,
        severity=NOTE,
        in_s=section.in_s,
        out_s=section.out_s,
        title=f"Section {abs(section.off_lu):.1f} LU {way} than the rest",
        message=(
            f"This section stands at {section.level_lufs:.1f} LUFS, the others around "
            f"{section.level_lufs - section.off_lu:.1f}, with a step at its edges; "
            f"{limit:g} LU apart is usual. If it is not meant, {amount} it by {abs(section.off_lu):.1f} dB."
        ),
        estimate=exact(section.off_lu),
        limit=limit,
        unit="LU",
        remedy=replace(remedy, action=amount),
    )


KIND = Kind("section-jump", "loudness", "a section off level", find)
