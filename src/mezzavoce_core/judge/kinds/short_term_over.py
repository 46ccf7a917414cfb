"""The short-term loudness passes the spec's ceiling."""

from collections.abc import Iterator

import numpy as np

from ...measure.loudness import SHORT_TERM_TICKS, moving_mean
from ...measure.meter import TICKS_PER_S
from ...measure.speech import join, runs
from ...units import power_to_lufs
from ..model import MUST, Evidence, Finding, Kind, Point, Remedy
from ..remedies import FALL_S


def find(evidence: Evidence) -> Iterator[Finding]:
    """A finding for each stretch whose 3 s windows, looked at every 10 ms, stand above the limit."""
    limit = evidence.spec.limits.short_term_max_lufs
    if limit is None:
        return
    level = power_to_lufs(np.nan_to_num(moving_mean(evidence.power, SHORT_TERM_TICKS)))
    for first, last in join(runs(np.round(level, 1) > limit), SHORT_TERM_TICKS + TICKS_PER_S):
        highest = float(level[first:last].max())
        in_s, out_s = max(0.0, (first + 1 - SHORT_TERM_TICKS) / TICKS_PER_S), last / TICKS_PER_S
        amount = round(limit - highest - 0.05, 1)
        yield Finding(
            kind=KIND.name,
            family=KIND.family,
            severity=MUST,
            in_s=in_s,
            out_s=out_s,
            title="Too loud for three seconds",
            message=f"The short-term loudness reaches {highest:.1f} LUFS here; at most {limit:.1f} is wanted. Lower this stretch by {-amount:.1f} dB.",
            measured=highest,
            limit=limit,
            unit="LUFS",
            remedy=_lower(evidence, in_s, out_s, amount),
        )


def _lower(evidence: Evidence, in_s: float, out_s: float, amount_db: float) -> Remedy:
    corners = [(in_s - FALL_S, 0.0), (in_s, amount_db), (out_s, amount_db), (out_s + FALL_S, 0.0)]
    points = tuple(Point(round(min(max(t, 0.0), evidence.duration_s), 3), g) for t, g in corners)
    return Remedy(action="lower", role="mix", amount_db=amount_db, points=points)


KIND = Kind("short-term-over", "loudness", 0, find)
