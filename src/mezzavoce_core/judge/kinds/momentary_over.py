"""The momentary loudness passes the spec's ceiling."""

from collections.abc import Iterator

from ...estimate import exact
from ...measure.loudness import MOMENTARY_TICKS
from ..model import MUST, Finding, JudgingContext, Kind
from ..remedies.level_points import lower_spot
from ..remedies.remedy_context import AHEAD_S
from ..stretches import windows_over


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each stretch whose 400 ms windows stand above the limit."""
    limit = context.spec.limits.momentary_max_lufs
    if limit is None:
        return
    for in_s, out_s, highest in windows_over(context, MOMENTARY_TICKS, limit):
        amount = round(limit - highest - 0.05, 1)
        yield Finding(
            kind=KIND.name,
            family=KIND.family,
            severity=MUST,
            in_s=in_s,
            out_s=out_s,
            title="Too loud for a moment",
            message=f"The momentary loudness reaches {highest:.1f} LUFS here; at most {limit:.1f} is wanted. Lower "
            f"this spot by {-amount:.1f} dB.",
            estimate=exact(highest),
            limit=limit,
            unit="LUFS",
            remedy=lower_spot(context, in_s, out_s, amount, AHEAD_S),
        )


KIND = Kind("momentary-over", "loudness", "too loud for a moment", find)
