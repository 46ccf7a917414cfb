"""The music falls or returns so slowly that it smears over the words."""

from collections.abc import Iterator

from ...estimate import exact
from ..ducking import duck_finding, known_ducks, needed, reshaping
from ..model import NOTE, Finding, JudgingContext, Kind

_SOFT_S = 0.8


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each fall or return that takes longer than ``ramp_max_s``."""
    limit = context.spec.limits.ramp_max_s
    if limit is None:
        return
    for duck in known_ducks(context):
        if not needed(context, duck):
            continue
        for what, begin, end in (
            ("fall", duck.fall_start_s, duck.fall_end_s),
            ("return", duck.return_start_s, duck.return_end_s),
        ):
            if not duck.tells(f"{what}-slow") or begin is None or end is None or round(end - begin, 1) <= limit:
                continue
            quick = {"fall_start_s": end - _SOFT_S} if what == "fall" else {"return_end_s": begin + _SOFT_S}
            yield duck_finding(
                KIND,
                duck,
                severity=NOTE,
                in_s=begin,
                out_s=end,
                title="Music falls slowly" if what == "fall" else "Music returns slowly",
                message=f"The {what} of the music takes {end - begin:.1f} s, longer than {limit:g} s; a ramp like "
                "that smears over the words.",
                estimate=exact(end - begin),
                limit=limit,
                unit="s",
                certainty=duck.sure(f"{what}-slow"),
                **reshaping(context, duck, quick),
            )


KIND = Kind("duck-slow-ramp", "ducking", "slow ramp", find)
