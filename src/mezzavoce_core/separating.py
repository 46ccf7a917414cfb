"""Voice and background from the mix alone: the second pass, in which the voice network hears where somebody speaks."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing

import numpy as np

from .measure.measurement import Measurement
from .measure.separation.models import VOICE_RATE_HZ
from .measure.separation.network import NetworkVoice, axis_of, listen, stretches
from .measure.separation.separated import BRIDGE_S, Traces, first_look, separate
from .measure.speech import passage_spans
from .media import decode
from .media.source import Source

Told = Callable[[float], None]
"""Hears the share that is done, 0 to 1."""


def with_separation(measured: Measurement, mix: Source, traces: Traces, threads: int, told: Told | None) -> Measurement:
    """A measurement with what is estimated of voice and background.

    Quick where ``told`` is None; else the voice network hears all passages, and ``told`` hears how far it is.
    """
    ticks = len(measured.mix.power)
    traces = traces.over(ticks)
    voice = None if told is None else _heard(measured, mix, traces, threads, told)
    found = separate(traces, measured.file.sample_rate_hz, voice)
    spectrum = traces.spectrum if found.tells_gain and not found.axis_deg else None
    return measured.with_estimates(found, spectrum).with_music_gain()


def _heard(measured: Measurement, mix: Source, traces: Traces, threads: int, told: Told) -> NetworkVoice | None:
    speech, sound, _ = first_look(traces)
    ticks = len(traces.spatial)
    wanted = stretches(passage_spans(speech, BRIDGE_S), ticks)
    info = measured.file
    total_s = sum(s.last - s.first for s in wanted) / 100 or 1.0
    on_axis = axis_of(info.layout, info.channels, sound.axis_deg, in_centre=sound.in_centre)
    if not wanted:
        return None
    read = decode.blocks(mix, rate_hz=VOICE_RATE_HZ)
    with closing(read) as blocks, ThreadPoolExecutor(threads) as helpers:  # type: ignore[type-var]
        return listen(
            (np.asarray(b) for b in blocks),
            wanted,
            on_axis,
            ticks,
            helpers if threads > 1 else None,
            lambda done_s: told(min(1.0, done_s / total_s)),
        )
