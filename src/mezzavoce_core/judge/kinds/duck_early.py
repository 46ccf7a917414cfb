"""The music is down long before anyone speaks, and leaves a hole."""

from collections.abc import Iterator

from ...estimate import exact
from ..ducking import duck_finding, known_ducks, needed, reshaping, served
from ..model import NOTE, Finding, JudgingContext, Kind

_AHEAD_S = 0.1


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each fall that is over more than ``fall_early_s`` before the speech it serves."""
    limit = context.spec.limits.fall_early_s
    if limit is None:
        return
    for duck in known_ducks(context):
        passages = served(context, duck)
        if not passages or not needed(context, duck) or duck.fall_end_s is None or duck.fall_start_s is None:
            continue
        onset = passages[0].in_s
        early = onset - duck.fall_end_s
        if round(early, 1) <= limit or not duck.tells("early"):
            continue
        shift = early - _AHEAD_S
        yield duck_finding(
            KIND,
            duck,
            severity=NOTE,
            in_s=duck.fall_end_s,
            out_s=onset,
            title="Music falls too early",
            message=f"The music is down {early:.1f} s before anyone speaks; {limit:g} s at most keep it from leaving "
            "a hole.",
            estimate=exact(early),
            limit=limit,
            unit="s",
            certainty=duck.sure("early"),
            **reshaping(
                context, duck, {"fall_start_s": duck.fall_start_s + shift, "fall_end_s": duck.fall_end_s + shift}
            ),
        )


KIND = Kind("duck-early", "ducking", "early fall", find, reshaped="Let {who} stay up until just before the first word")
