"""Much of the loudness goes when left and right are added, as small loudspeakers and telephones do."""

from collections.abc import Iterator

import numpy as np

from ...estimate import exact
from ...measure.meter import TICKS_PER_S
from ...media.layouts import pairs
from ...units import power_to_db, tenth
from ..model import SHOULD, Finding, JudgingContext, Kind
from ..stretches import centred_sums, lasting

_WINDOW_S = 3.0
_LEAST_S = 3.0
_BRIDGE_S = 5.0
_HEARD = 1e-6


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each stretch of the front pair in which the sum of both loses too much.

    More than the limit, against sound that has nothing in common.
    """
    limit, file, mix = context.spec.limits.mono_loss_lu, context.measurement.file, context.measurement.mix
    found = pairs(file.layout, file.channels)
    if limit is None or not found:
        return
    apart = mix.power[:, list(found[0])].sum(axis=1, dtype=np.float64)
    added = np.maximum(apart + 2.0 * mix.together[:, 0].astype(np.float64), 0.0)
    whole, mono = centred_sums(apart, _WINDOW_S), centred_sums(added, _WINDOW_S)
    loss = np.where(
        whole > _HEARD * _WINDOW_S * TICKS_PER_S, -power_to_db(np.maximum(mono, 1e-12) / np.maximum(whole, 1e-12)), 0.0
    )
    for first, last in lasting(np.round(loss, 1) > limit, least_s=_LEAST_S, bridge_s=_BRIDGE_S):
        measured = float(-power_to_db(max(added[first:last].sum(), 1e-12) / apart[first:last].sum()))
        if tenth(measured) <= limit:
            continue
        yield Finding(
            kind=KIND.name,
            family=KIND.family,
            severity=SHOULD,
            in_s=first / TICKS_PER_S,
            out_s=min(last / TICKS_PER_S, context.duration_s),
            title="Much is lost in mono",
            message=f"Added to one channel, left and right lose {measured:.1f} LU here; up to {limit:g} LU is usual. "
            "Make this sound less wide.",
            estimate=exact(measured),
            limit=limit,
            unit="LU",
            details={"channels": list(found[0])},
        )


KIND = Kind("mono-loss", "signal", "loss in mono", find, alone=True)
