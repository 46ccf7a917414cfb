"""From passage to passage the bed of the music sits at another level."""

from collections.abc import Iterator

from ...estimate import exact
from ...measure.ducks import OWN_DEPTH
from ..ducking import duck_finding, known_ducks, needed, off_usual_db, reshaping
from ..model import NOTE, Finding, JudgingContext, Kind

_FEWEST = 3


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each duck that a voice needs and whose depth deviates from the others.

    By more than ``bed_spread_db`` from the median of all others.
    """
    limit = context.spec.limits.bed_spread_db
    ducks = [d for d in known_ducks(context) if d.speech]
    if limit is None or len(ducks) < _FEWEST:
        return
    for duck in (d for d in ducks if needed(context, d)):
        off_db = off_usual_db(context, duck)
        if round(abs(off_db), 1) <= limit:
            continue
        side = "lower" if off_db > 0 else "higher"
        yield duck_finding(
            KIND,
            duck,
            severity=NOTE,
            in_s=duck.fall_end_s if duck.fall_end_s is not None else 0.0,
            out_s=duck.return_start_s if duck.return_start_s is not None else context.duration_s,
            title="Bed at another level",
            message=f"Here the bed of the music sits {abs(off_db):.1f} dB {side} than elsewhere; within {limit:g} dB "
            "it is one bed.",
            estimate=exact(abs(off_db)),
            limit=limit,
            unit="dB",
            certainty=duck.sure(OWN_DEPTH),
            **reshaping(context, duck, {"depth_db": duck.depth_db - off_db}),
        )


KIND = Kind(
    "duck-uneven",
    "ducking",
    "bed at another level",
    find,
    reshaped="Bring the bed of {who} to where it is elsewhere ({signed} dB)",
)
