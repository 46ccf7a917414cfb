"""The true peak passes the spec's ceiling."""

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from ...measure.meter import TICKS_PER_S
from ...signal.spans import join, runs
from ...units import amplitude_to_db
from ..model import MUST, Evidence, Finding, Kind
from ..remedies import AHEAD_S, lower_spot


def find(evidence: Evidence) -> Iterator[Finding]:
    """A finding for each cluster of overs less than 1 s apart, with the highest of them and its channel."""
    limit = evidence.spec.limits.true_peak_max_dbtp
    if limit is None:
        return
    per_channel = amplitude_to_db(evidence.measurement.mix.true_peak)
    level = per_channel.max(axis=1)
    for first, last in join(runs(np.round(level, 1) > limit), TICKS_PER_S):
        block = first + int(np.argmax(level[first:last]))
        channel = int(np.argmax(per_channel[block])) + 1
        highest = float(level[block])
        in_s, out_s = first / TICKS_PER_S, min(last / TICKS_PER_S, evidence.duration_s)
        amount = round(limit - highest - 0.05, 1)
        yield Finding(
            kind=KIND.name,
            family=KIND.family,
            severity=MUST,
            in_s=in_s,
            out_s=out_s,
            title="True peak over the limit",
            message=(
                f"The true peak reaches {highest:+.1f} dBTP in channel {channel} at {evidence.clock.timecode_in(block / TICKS_PER_S)}; "
                f"at most {limit:.1f} is wanted. Lower or limit this spot by {-amount:.1f} dB."
            ),
            measured=highest,
            limit=limit,
            unit="dBTP",
            remedy=replace(lower_spot(evidence, in_s, out_s, amount, AHEAD_S), predicted_true_peak_dbtp=highest + amount),
        )


KIND = Kind("true-peak-over", "peak", 0, find)
