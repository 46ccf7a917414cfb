"""Music that goes on where the programme, or its picture, is over."""

import numpy as np

from ..measure.measurement import Measurement
from ..measure.meter import TICKS_PER_S
from ..measure.programme import Programme
from ..units import ABSENT_BELOW_LUFS, lufs_to_power

_EDGE_S = 0.1


def music_beyond(measurement: Measurement, programme: Programme) -> tuple[tuple[float, float], ...]:
    """Where music crosses an end, and for how long it goes on: pairs of seconds, the first from the programme's in."""
    if measurement.separation is not None:
        return ()
    parts = [power for _, power in measurement.music_stems()]
    if not parts:
        return ()
    sounding = np.sum(parts, axis=0) > lufs_to_power(ABSENT_BELOW_LUFS + 10)
    ends = [p.out_s for p in programme.parts]
    picture_s = measurement.file.picture_s
    if picture_s is not None and programme.in_s < picture_s < programme.out_s:
        ends.append(picture_s)
    found = []
    for end in sorted(ends):
        tick = round(end * TICKS_PER_S)
        before, after = sounding[max(0, tick - round(_EDGE_S * TICKS_PER_S)) : tick], sounding[tick:]
        if before.any() and len(after) and after[: round(_EDGE_S * TICKS_PER_S)].any():
            still = np.flatnonzero(~_bridged(after))
            found.append((end - programme.in_s, (int(still[0]) if len(still) else len(after)) / TICKS_PER_S))
    return tuple(found)


def _bridged(flags: "np.typing.NDArray[np.bool_]") -> "np.typing.NDArray[np.bool_]":
    """Flags with gaps up to half a second closed."""
    kernel = np.ones(TICKS_PER_S // 2 + 1)
    return np.convolve(flags.astype(np.float64), kernel)[: len(flags)] > 0.5
