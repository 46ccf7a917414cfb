"""The music drops away: much deeper than the voice needs, so that its return distracts."""

from collections.abc import Iterator

from ...estimate import exact
from ..ducking import duck_finding, known_ducks, needed, reshaping, served, usual_depth_db
from ..model import SHOULD, Finding, JudgingContext, Kind

_MORE_THAN_ENOUGH_LU = 8.0
_GENTLE_DB = 8.0


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each duck deeper than the limit under which the voice has over 8 LU more than it needs."""
    limits = context.spec.limits
    if limits.duck_depth_max_db is None or limits.clearance_lu is None:
        return
    for duck in known_ducks(context):
        ratios = [p.speech_to_music_lu for p in served(context, duck)]
        if not ratios or not needed(context, duck) or round(duck.depth_db, 1) <= limits.duck_depth_max_db:
            continue
        # Music that is gone altogether leaves the voice as far above as one could wish.
        spare = min((r for r in ratios if r is not None), default=float("inf")) - limits.clearance_lu
        if spare <= _MORE_THAN_ENOUGH_LU:
            continue
        depth = max(_GENTLE_DB, duck.depth_db - min(spare, 40.0) + 1.0)
        yield duck_finding(
            KIND,
            duck,
            severity=SHOULD,
            in_s=duck.fall_start_s if duck.fall_start_s is not None else 0.0,
            out_s=duck.return_end_s if duck.return_end_s is not None else context.duration_s,
            title="Music drops away",
            message=(
                f"The music falls by {duck.depth_db:.1f} dB, more than {limits.duck_depth_max_db:g} dB, "
                "although the voice would be clear with "
                f"{depth:.0f} dB; its return distracts. Let it fall less, and lower it as a whole if need be."
            ),
            estimate=exact(duck.depth_db),
            limit=limits.duck_depth_max_db,
            unit="dB",
            **reshaping(
                context,
                duck,
                {"depth_db": max(depth, min(usual_depth_db(context, [duck]) or 0.0, limits.duck_depth_max_db))},
            ),
        )


KIND = Kind("duck-plunge", "ducking", "drops away", find, reshaped="Let {who} fall {amount} dB less")
