"""One side stands louder than the other for long."""

from collections.abc import Iterator

import numpy as np

from ...estimate import exact
from ...measure.meter import TICKS_PER_S
from ...media.layouts import channel_names, pairs
from ...units import power_to_db, tenth
from ..model import NOTE, Finding, JudgingContext, Kind
from ..stretches import centred_sums, lasting

_WINDOW_S = 5.0
_LEAST_S = 10.0
_BRIDGE_S = 10.0
_HEARD = 1e-6


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each pair of channels and each stretch of 10 s or more."""
    limit, file = context.spec.limits.imbalance_db, context.measurement.file
    if limit is None:
        return
    names = channel_names(file.layout, file.channels)
    for left, right in pairs(file.layout, file.channels):
        power = context.measurement.mix.power[:, [left, right]].astype(np.float64)
        sums = np.stack([centred_sums(power[:, k], _WINDOW_S) for k in (0, 1)], axis=1) / (_WINDOW_S * TICKS_PER_S)
        heard = sums.max(axis=1) > _HEARD
        off = np.clip(power_to_db(sums[:, 0] + 1e-12) - power_to_db(sums[:, 1] + 1e-12), -99, 99)
        for side in (1, -1):
            for first, last in lasting(heard & (np.round(side * off, 1) > limit), least_s=_LEAST_S, bridge_s=_BRIDGE_S):
                whole = power[first:last].sum(axis=0) + 1e-12
                measured = float(power_to_db(whole[0] / whole[1]))
                if abs(tenth(measured)) <= limit:
                    continue
                louder, softer = (left, right) if measured > 0 else (right, left)
                yield _finding(
                    context, (first, last), abs(measured), limit, (names[louder], names[softer]), (louder, softer)
                )


def _finding(
    context: JudgingContext,
    span: tuple[int, int],
    off: float,
    limit: float,
    names: tuple[str, str],
    channels: tuple[int, int],
) -> Finding:
    return Finding(
        kind=KIND.name,
        family=KIND.family,
        severity=NOTE,
        in_s=span[0] / TICKS_PER_S,
        out_s=min(span[1] / TICKS_PER_S, context.duration_s),
        title=f"{names[0]} louder than {names[1]}",
        message=(
            f"Channel {names[0]} stands {off:.1f} dB over {names[1]} here; up to {limit:g} dB is usual. "
            f"Check the panning and that no channel was lost; if it is meant, allow it."
        ),
        estimate=exact(off),
        limit=limit,
        unit="dB",
        details={"channels": list(channels)},
    )


KIND = Kind("channel-imbalance", "signal", "one side louder", find, alone=True)
