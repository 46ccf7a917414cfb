"""The true peak passes the spec's ceiling."""

from collections.abc import Iterator

import numpy as np

from ...measure.meter import BLOCKS_PER_S
from ...measure.speech import join, runs
from ...units import amplitude_to_db
from ..model import MUST, Evidence, Finding, Kind, Point, Remedy
from ..remedies import AHEAD_S


def find(evidence: Evidence) -> Iterator[Finding]:
    """A finding for each cluster of overs less than 1 s apart, with the highest of them and its channel."""
    limit = evidence.spec.limits.true_peak_max_dbtp
    if limit is None:
        return
    per_channel = amplitude_to_db(evidence.measurement.mix.true_peak)
    level = per_channel.max(axis=1)
    for first, last in join(runs(np.round(level, 1) > limit), BLOCKS_PER_S):
        block = first + int(np.argmax(level[first:last]))
        channel = int(np.argmax(per_channel[block])) + 1
        highest = float(level[block])
        in_s, out_s = first / BLOCKS_PER_S, min(last / BLOCKS_PER_S, evidence.duration_s)
        amount = round(limit - highest - 0.05, 1)
        yield Finding(
            kind=KIND.name,
            family=KIND.family,
            severity=MUST,
            in_s=in_s,
            out_s=out_s,
            title="True peak over the limit",
            message=(
                f"The true peak reaches {highest:+.1f} dBTP in channel {channel} at {evidence.clock.timecode_in(block / BLOCKS_PER_S)}; "
                f"at most {limit:.1f} is wanted. Lower or limit this spot by {-amount:.1f} dB."
            ),
            measured=highest,
            limit=limit,
            unit="dBTP",
            remedy=_lower(evidence, in_s, out_s, amount, highest),
        )


def _lower(evidence: Evidence, in_s: float, out_s: float, amount_db: float, highest_dbtp: float) -> Remedy:
    corners = [(in_s - AHEAD_S, 0.0), (in_s, amount_db), (out_s, amount_db), (out_s + AHEAD_S, 0.0)]
    points = tuple(Point(round(min(max(t, 0.0), evidence.duration_s), 3), g) for t, g in corners)
    return Remedy(action="lower", role="mix", amount_db=amount_db, points=points, predicted_true_peak_dbtp=highest_dbtp + amount_db)


KIND = Kind("true-peak-over", "peak", 0, find)
