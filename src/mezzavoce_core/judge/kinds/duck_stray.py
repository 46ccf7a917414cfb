"""The music dips where nobody speaks: what is left of a voice that was moved, or a noise that was taken for one."""

from collections.abc import Iterator

from ...estimate import exact
from ..ducking import duck_finding, known_ducks, reshaping
from ..model import SHOULD, Finding, JudgingContext, Kind


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each dip of the gain with both edges and no speech under it."""
    limit = context.spec.limits.stray_min_db
    if limit is None:
        return
    for duck in known_ducks(context):
        if duck.speech or duck.fall_start_s is None or duck.return_end_s is None or round(duck.depth_db, 1) < limit:
            continue
        yield duck_finding(
            KIND,
            duck,
            severity=SHOULD,
            in_s=duck.fall_start_s,
            out_s=duck.return_end_s,
            title="Music dips for nobody",
            message=(
                f"The music falls by {duck.depth_db:.1f} dB and returns, and nobody speaks; "
                f"from {limit:g} dB on that leaves a hole. Take the dip out, or see which voice was moved."
            ),
            estimate=exact(duck.depth_db),
            limit=limit,
            unit="dB",
            **reshaping(context, duck, {}, action="remove", flat=True),
        )


KIND = Kind("duck-stray", "ducking", "dip for nobody", find)
