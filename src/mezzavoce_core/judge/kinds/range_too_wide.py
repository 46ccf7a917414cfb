"""Soft and loud parts of the programme stand further apart than the spec allows."""

from collections.abc import Iterator

from ...estimate import exact
from ...units import tenth
from ..model import SHOULD, Finding, JudgingContext, Kind


def find(context: JudgingContext) -> Iterator[Finding]:
    """One finding over the whole programme."""
    limit, measured = context.spec.limits.range_max_lu, context.loudness.range_lu
    if limit is None or measured is None or tenth(measured) <= limit:
        return
    low, high = context.loudness.range_low_lufs, context.loudness.range_high_lufs
    yield Finding(
        kind=KIND.name,
        family=KIND.family,
        severity=SHOULD,
        in_s=0.0,
        out_s=context.duration_s,
        title="Soft and loud parts too far apart",
        message=(
            f"The loudness range is {measured:.1f} LU; at most {limit:.1f} is wanted. Soft parts stand at "
            f"{low:.1f} LUFS, loud ones at {high:.1f}: "
            f"bring them {measured - limit:.1f} LU closer together."
        ),
        estimate=exact(measured),
        limit=limit,
        unit="LU",
        details={"low_lufs": low, "high_lufs": high},
    )


KIND = Kind("range-too-wide", "loudness", "range too wide", find)
