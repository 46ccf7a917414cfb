"""The music steps down or up within a frame or two, heard as a cut."""

from collections.abc import Iterator

from ...estimate import exact
from ..ducking import duck_finding, known_ducks, needed, reshaping
from ..model import SHOULD, Finding, JudgingContext, Kind

_LEAST_STEP_DB = 6.0
_SOFT_S = 0.35


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each fall or return of 6 dB or more that is quicker than ``ramp_min_s``."""
    limit = context.spec.limits.ramp_min_s
    if limit is None:
        return
    for duck in known_ducks(context):
        if not needed(context, duck) or round(duck.depth_db, 1) < _LEAST_STEP_DB:
            continue
        for what, begin, end, claim in (
            ("falls", duck.fall_start_s, duck.fall_end_s, "fall-abrupt"),
            ("returns", duck.return_start_s, duck.return_end_s, "return-abrupt"),
        ):
            if begin is None or end is None or round(end - begin, 3) >= limit or not duck.tells(claim):
                continue
            soft = {"fall_start_s": end - _SOFT_S} if what == "falls" else {"return_end_s": begin + _SOFT_S}
            yield duck_finding(
                KIND,
                duck,
                severity=SHOULD,
                in_s=begin,
                out_s=max(end, begin + 0.04),
                title="Music steps" if what == "falls" else "Music steps back up",
                message=(
                    f"The music {what} by {duck.depth_db:.1f} dB within {1000 * (end - begin):.0f} ms; "
                    f"in less than {1000 * limit:.0f} ms it is heard as a cut. Give it a soft ramp."
                ),
                estimate=exact(end - begin),
                limit=limit,
                unit="s",
                certainty=duck.sure(claim),
                **reshaping(context, duck, soft),
            )


KIND = Kind("duck-abrupt", "ducking", "a step", find)
