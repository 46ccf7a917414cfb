"""The true peak passes the spec's ceiling."""

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from ...estimate import exact
from ...measure.meter import TICKS_PER_S
from ...measure.peaks import overs
from ...media.layouts import channel_names
from ...signal.spans import join, runs
from ...units import amplitude_to_db
from ..model import MUST, Finding, JudgingContext, Kind
from ..remedies.level_points import lower_spot
from ..remedies.remedy_context import AHEAD_S
from ..remedy import Prediction


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each cluster of overs less than 1 s apart, with the highest of them and its channel."""
    limit = context.spec.limits.true_peak_max_dbtp
    if limit is None:
        return
    mix, file = context.measurement.mix, context.measurement.file
    names = channel_names(file.layout, file.channels)
    every = overs(mix, file.sample_rate_hz, limit)
    if not every:
        return
    level = amplitude_to_db(mix.true_peak.max(axis=1))
    for first, last in join(runs(np.round(level, 1) > limit), TICKS_PER_S):
        in_s, out_s = first / TICKS_PER_S, min(last / TICKS_PER_S, context.duration_s)
        own = [o for o in every if in_s <= o.at_s < last / TICKS_PER_S]
        highest = max(own, key=lambda o: o.level_dbtp)
        amount = round(limit - highest.level_dbtp - 0.05, 1)
        more = f", and {len(own) - 1} more over{'s' if len(own) > 2 else ''} here" if len(own) > 1 else ""
        yield Finding(
            kind=KIND.name,
            family=KIND.family,
            severity=MUST,
            in_s=in_s,
            out_s=out_s,
            title="True peak over the limit",
            message=(
                f"The true peak reaches {highest.level_dbtp:+.1f} dBTP in channel {names[highest.channel]} at "
                f"{context.clock.timecode_in(highest.at_s)}"
                f"{more}; at most {limit:.1f} is wanted. Lower or limit this spot by {-amount:.1f} dB."
            ),
            estimate=exact(highest.level_dbtp),
            limit=limit,
            unit="dBTP",
            remedy=replace(
                lower_spot(context, in_s, out_s, amount, AHEAD_S),
                then=Prediction(true_peak_dbtp=highest.level_dbtp + amount),
            ),
            details={"at_s": context.in_file(highest.at_s), "channel": highest.channel, "overs": len(own)},
        )


KIND = Kind("true-peak-over", "peak", "peak over", find, alone=True)
