"""The sound is gone for a moment and comes back as abruptly."""

from collections.abc import Iterator, Sequence

from ...estimate import exact
from ...measure.gaps import Gap
from ...measure.meter import TICKS_PER_S, Levels
from ...media.layouts import channel_names, channel_weights
from ...units import db_to_amplitude
from ..model import MUST, Finding, JudgingContext, Kind

_HEARD = float(db_to_amplitude(-50.0))
_KEPT = 0.2
"""A sound that still has this share of its level of a moment ago has not died away by itself."""
_AROUND_TICKS = 3
_LONGEST_S = 2.0
"""Longer silence is a break that somebody made."""


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each gap, channels that are gone together counted once."""
    limit = context.spec.limits.dropout_s
    if limit is None:
        return
    file = context.measurement.file
    weights = channel_weights(file.layout, file.channels)
    heard = [
        g
        for g in context.measurement.mix.gaps
        if weights[g.channel] and _is_abrupt(g, context.measurement.mix, file.sample_rate_hz)
    ]
    for group in _together([g for g in heard if limit <= (g.last - g.first) / file.sample_rate_hz <= _LONGEST_S]):
        first, last = min(g.first for g in group), max(g.last for g in group)
        in_s, out_s = first / file.sample_rate_hz, last / file.sample_rate_hz
        names = channel_names(file.layout, file.channels)
        gone = sorted({g.channel for g in group})
        where = (
            "in every channel"
            if len(gone) == (weights > 0).sum()
            else f"in channel {', '.join(names[c] for c in gone)}"
        )
        yield Finding(
            kind=KIND.name,
            family=KIND.family,
            severity=MUST,
            in_s=in_s,
            out_s=out_s,
            title="Sound gone for a moment",
            message=(
                f"The sound is gone for {(out_s - in_s) * 1000:.0f} ms {where}, with hard edges; "
                f"{limit * 1000:g} ms are enough to be heard. Check the edit here and export again."
            ),
            estimate=exact(out_s - in_s),
            limit=limit,
            unit="s",
            details={"channels": gone},
        )


def _is_abrupt(gap: Gap, levels: Levels, rate_hz: int) -> bool:
    """Loud right up to the gap and right after it, instead of dying away and rising."""
    begin, end = gap.first * TICKS_PER_S // rate_hz, gap.last * TICKS_PER_S // rate_hz
    peaks = levels.sample_peak[:, gap.channel]
    before, after = peaks[max(0, begin - _AROUND_TICKS) : begin + 1], peaks[end : end + _AROUND_TICKS]
    if not len(before) or not len(after):
        return False
    return gap.before >= max(_HEARD, _KEPT * float(before.max())) and gap.after >= max(
        _HEARD, _KEPT * float(after.max())
    )


def _together(gaps: Sequence[Gap]) -> list[list[Gap]]:
    groups: list[list[Gap]] = []
    for gap in gaps:
        if groups and gap.first < max(g.last for g in groups[-1]):
            groups[-1].append(gap)
        else:
            groups.append([gap])
    return groups


KIND = Kind("dropout", "signal", "sound gone", find, alone=True)
