"""The programme is longer or shorter than it has to be."""

from collections.abc import Iterator

from ...estimate import exact
from ...units import tenth
from ..model import MUST, Finding, JudgingContext, Kind


def find(context: JudgingContext) -> Iterator[Finding]:
    """One finding over the whole programme; breaks between its parts do not count."""
    limits = context.spec.limits
    if limits.duration_s is None:
        return
    lasts = context.programme.duration_s
    off = tenth(tenth(lasts) - limits.duration_s)
    if abs(off) <= limits.duration_tolerance_s:
        return
    yield Finding(
        kind=KIND.name,
        family=KIND.family,
        severity=MUST,
        in_s=0.0,
        out_s=context.duration_s,
        title=f"{abs(off):.1f} s too {'long' if off > 0 else 'short'}",
        message=(
            f"The programme lasts {lasts:.1f} s from in to out; {limits.duration_s:g} s are wanted"
            f"{f', {limits.duration_tolerance_s:g} s either way' if limits.duration_tolerance_s else ''}. "
            f"{'Shorten' if off > 0 else 'Lengthen'} it, or correct its in and out."
        ),
        estimate=exact(lasts),
        limit=limits.duration_s,
        unit="s",
    )


KIND = Kind("duration-off", "signal", "wrong length", find)
