"""Left and right work against each other: one of them is turned over, and in mono the sound goes."""

from collections.abc import Iterator

import numpy as np

from ...estimate import exact
from ...measure.meter import TICKS_PER_S
from ...media.layouts import channel_names, pairs
from ..model import MUST, Finding, JudgingContext, Kind
from ..stretches import centred_sums, lasting

LIMIT, _SURE = -0.7, -0.8
"""Correlation over 1 s from which two channels count as turned against each other, common practice; and how far it has
to go for a second of the stretch: of 59 pieces of music of the evaluation's tuned half two wide pads stay at -.7 so
long by themselves, none at -.8."""
_WINDOW_S = 1.0
_LEAST_S = 1.0
_BRIDGE_S = 8.0
_HEARD = 1e-6
_ALIKE = 0.1
"""Smallest ratio of the powers of both channels at which their phase says anything."""


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each pair of channels and each stretch; pauses of up to 8 s inside belong to it."""
    file, mix = context.measurement.file, context.measurement.mix
    names = channel_names(file.layout, file.channels)
    for k, (left, right) in enumerate(pairs(file.layout, file.channels)):
        a, b = (centred_sums(mix.power[:, c].astype(np.float64), _WINDOW_S) for c in (left, right))
        both = centred_sums(mix.together[:, k].astype(np.float64), _WINDOW_S)
        heard = np.minimum(a, b) > max(_HEARD * _WINDOW_S * TICKS_PER_S, 0.0)
        alike = np.minimum(a, b) > _ALIKE * np.maximum(a, b)
        correlation = np.where(heard & alike, both / np.sqrt(np.maximum(a * b, 1e-30)), 0.0)
        for first, last in lasting(correlation <= LIMIT, least_s=_LEAST_S, bridge_s=_BRIDGE_S):
            if not lasting(correlation[first:last] <= _SURE, least_s=_LEAST_S, bridge_s=0.0):
                continue
            inside = slice(first, last)
            measured = float(
                mix.together[inside, k].sum()
                / np.sqrt(float(mix.power[inside, left].sum()) * float(mix.power[inside, right].sum()))
            )
            yield Finding(
                kind=KIND.name,
                family=KIND.family,
                severity=MUST,
                in_s=first / TICKS_PER_S,
                out_s=min(last / TICKS_PER_S, context.duration_s),
                title=f"{names[left]} and {names[right]} against each other",
                message=(
                    f"Channels {names[left]} and {names[right]} run against each other (correlation "
                    f"{measured:.2f}); from {LIMIT:g} on that is lost in mono. "
                    f"Turn the polarity of one of them."
                ),
                estimate=exact(measured),
                limit=LIMIT,
                unit="correlation",
                details={"channels": [left, right]},
            )


KIND = Kind("inverse-phase", "signal", "channels against each other", find, alone=True)
