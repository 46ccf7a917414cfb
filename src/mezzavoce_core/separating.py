"""Voice and background from the mix alone: the second pass, in which the voice network hears where somebody speaks."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing

from .measure.measurement import Measurement
from .measure.meter import TICKS_PER_S
from .measure.separation.models import VOICE_RATE_HZ
from .measure.separation.network import NetworkVoice, axis_of, listen, stretches
from .measure.separation.separated import FirstLook, Traces, first_look, separate
from .media import decode
from .media.source import Source

Told = Callable[[float], None]
"""Hears the share that is done, 0 to 1."""


def with_separation(measured: Measurement, mix: Source, traces: Traces, threads: int, told: Told | None) -> Measurement:
    """A measurement with what is estimated of voice and background.

    Quick where ``told`` is None; else the voice network hears all passages, and ``told`` hears how far it is.
    """
    look = first_look(traces.over(len(measured.mix.power)))
    voice = None if told is None else _heard(measured, mix, look, threads, told)
    found = separate(look, measured.file.sample_rate_hz, voice)
    return measured.with_estimates(found, traces.spectrum).with_music_gain()


def _heard(measured: Measurement, mix: Source, look: FirstLook, threads: int, told: Told) -> NetworkVoice | None:
    info, sound, ticks = measured.file, look.sound, len(measured.mix.power)
    wanted = stretches(look.passages, ticks)
    if not wanted:
        return None
    total_s = sum(s.last - s.first for s in wanted) / TICKS_PER_S
    on_axis = axis_of(info.layout, info.channels, sound.axis_deg, in_centre=sound.in_centre)
    read = decode.blocks(mix, rate_hz=VOICE_RATE_HZ)
    with closing(read) as blocks, ThreadPoolExecutor(threads) as helpers:  # type: ignore[type-var]
        several = helpers if threads > 1 else None
        return listen(blocks, wanted, on_axis, ticks, several, lambda done_s: told(min(1.0, done_s / total_s)))
