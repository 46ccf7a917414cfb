"""The short-term loudness passes the spec's ceiling."""

from collections.abc import Iterator

from ...estimate import exact
from ...measure.loudness import SHORT_TERM_TICKS
from ..ducking import FALL_S
from ..model import MUST, Finding, JudgingContext, Kind
from ..remedies.level_points import lower_spot
from ..stretches import windows_over


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each stretch whose 3 s windows stand above the limit."""
    limit = context.spec.limits.short_term_max_lufs
    if limit is None:
        return
    for in_s, out_s, highest in windows_over(context, SHORT_TERM_TICKS, limit):
        amount = round(limit - highest - 0.05, 1)
        yield Finding(
            kind=KIND.name,
            family=KIND.family,
            severity=MUST,
            in_s=in_s,
            out_s=out_s,
            title="Too loud for three seconds",
            message=f"The short-term loudness reaches {highest:.1f} LUFS here; at most {limit:.1f} is wanted. Lower "
            f"this stretch by {-amount:.1f} dB.",
            estimate=exact(highest),
            limit=limit,
            unit="LUFS",
            remedy=lower_spot(context, in_s, out_s, amount, FALL_S),
        )


KIND = Kind("short-term-over", "loudness", "too loud for three seconds", find)
