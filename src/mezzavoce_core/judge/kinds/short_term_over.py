"""The short-term loudness passes the spec's ceiling."""

from collections.abc import Iterator

import numpy as np

from ...measure.loudness import SHORT_TERM_TICKS, moving_mean
from ...measure.meter import TICKS_PER_S
from ...signal.spans import join, runs
from ...units import power_to_lufs
from ..model import MUST, Evidence, Finding, Kind
from ..remedies import FALL_S, lower_spot


def find(evidence: Evidence) -> Iterator[Finding]:
    """A finding for each stretch whose 3 s windows, looked at every 10 ms, stand above the limit."""
    limit = evidence.spec.limits.short_term_max_lufs
    if limit is None:
        return
    level = power_to_lufs(np.nan_to_num(moving_mean(evidence.power, SHORT_TERM_TICKS, evidence.breaks)))
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
            remedy=lower_spot(evidence, in_s, out_s, amount, FALL_S),
        )


KIND = Kind("short-term-over", "loudness", 0, find)
