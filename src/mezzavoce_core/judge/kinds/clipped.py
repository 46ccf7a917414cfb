"""Waves cut off flat at the top."""

from collections.abc import Iterator

import numpy as np

from ...estimate import exact
from ...measure.meter import TICKS_PER_S
from ...media.layouts import channel_names
from ...signal.spans import join, runs
from ...units import amplitude_to_db
from ..model import SHOULD, Finding, JudgingContext, Kind

_TOGETHER_S = 1.0


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each cluster of flat tops less than 1 s apart."""
    limit = context.spec.limits.clipped_run_samples
    if limit is None:
        return
    mix, file = context.measurement.mix, context.measurement.file
    flat = mix.flat_run >= max(2, round(limit))
    names = channel_names(file.layout, file.channels)
    for first, last in join(runs(np.asarray(flat.any(axis=1))), round(_TOGETHER_S * TICKS_PER_S)):
        part = mix.flat_run[first:last]
        tick, channel = np.unravel_index(int(part.argmax()), part.shape)
        longest, level = int(part.max()), float(amplitude_to_db(mix.sample_peak[first + tick, channel]))
        places = int(flat[first:last].any(axis=1).sum())
        yield Finding(
            kind=KIND.name,
            family=KIND.family,
            severity=SHOULD,
            in_s=first / TICKS_PER_S,
            out_s=min(last / TICKS_PER_S, context.duration_s),
            title="Wave cut off flat",
            message=(
                f"{longest} samples in a row stand at the ceiling ({level:.1f} dBFS) in channel {names[channel]}"
                f"{f', and {places - 1} more places like it' if places > 1 else ''}; {limit:g} in a row are cut off. "
                f"Take the level down before the stage that clips, and export again."
            ),
            estimate=exact(longest),
            limit=limit,
            unit="samples",
            details={
                "at_s": context.in_file((first + int(tick)) / TICKS_PER_S),
                "channel": int(channel),
                "places": places,
            },
        )


KIND = Kind("clipped", "peak", "cut off flat", find, alone=True)
