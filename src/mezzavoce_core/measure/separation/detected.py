"""Where somebody speaks in a mix, from the probabilities of speech that the event model gives."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from soxr import ResampleStream

from ...signal.mono import Mono
from ...signal.spans import join, runs
from ...units import Floats
from ..meter import TICKS_PER_S
from ..speech import Speech
from .models import EVENTS_RATE_HZ, SPEECH, SpeechEvents
from .spatial import channel_roles

_PIECE_S, _AROUND_S = 60, 4
_SMOOTH_TICKS, _LEAST, _PEAK = 11, 0.45, 0.6
_BRIDGE_S, _SHORTEST_S = 0.3, 0.12
_QUIET_BELOW, _GUARD_S = 0.15, 0.2


class EventsOverTime:
    """Feed channels ``(channels, frames)`` in any portions, then take ``finish()``: ``(ticks, 3)``, 0 to 1.

    The model hears pieces of a minute that always begin at the same places, with 4 s on both sides, so that nothing
    depends on how the sound is fed.
    """

    def __init__(self, rate_hz: int, layout: str, channels: int) -> None:
        """Raises ModelError where the model cannot be had."""
        self._model = SpeechEvents()
        self._weights = _downmix(layout, channels)
        self._resampler = ResampleStream(rate_hz, EVENTS_RATE_HZ, 1, dtype="float32")
        self._held = np.zeros(0, dtype=np.float32)
        self._begin, self._seen, self._rate_hz = 0, 0, rate_hz
        self._found: list[NDArray[np.float32]] = []

    def feed(self, channels: NDArray[np.float32]) -> None:
        """Take the next samples."""
        self._seen += channels.shape[1]
        self._add(self._resampler.resample_chunk(self._weights @ channels))

    def finish(self) -> NDArray[np.float32]:
        """Of the ticks that the signal fills."""
        self._add(self._resampler.resample_chunk(np.zeros(0, dtype=np.float32), last=True))
        self._hear(len(self._held))
        count = self._seen * TICKS_PER_S // self._rate_hz
        found = np.concatenate([*self._found, np.zeros((TICKS_PER_S, 3), dtype=np.float32)])
        return found[:count]

    def _add(self, mono: Mono) -> None:
        self._held = np.concatenate([self._held, mono])
        piece, around = _PIECE_S * EVENTS_RATE_HZ, _AROUND_S * EVENTS_RATE_HZ
        while len(self._held) >= self._begin + piece + around:
            self._hear(self._begin + piece + around, self._begin + piece)
            drop = max(0, self._begin + piece - around)
            self._held = self._held[drop:]
            self._begin = self._begin + piece - drop

    def _hear(self, last: int, end: int | None = None) -> None:
        """The samples up to ``last``, of which those from the beginning of the piece to its ``end`` are kept."""
        found = self._model.probabilities(self._held[:last])
        per_tick = EVENTS_RATE_HZ // TICKS_PER_S
        self._found.append(found[self._begin // per_tick : None if end is None else end // per_tick])


def _downmix(layout: str, channels: int) -> NDArray[np.float32]:
    """What each channel counts in what the model hears: the front, where dialogue stands."""
    roles = channel_roles(layout, channels)
    weights = np.zeros(channels, dtype=np.float32)
    weights[roles["pair"]] = 1 / max(1, len(roles["pair"]))
    weights[roles["centre"]] = 1.0
    return weights


def speech_in(events: NDArray[np.float32]) -> tuple[Speech, ...]:
    """Speech intervals from probabilities ``(ticks, 3)``, in seconds.

    Over 0.45 for 0.11 s in the mean with a peak above 0.6; gaps up to 0.3 s are bridged, islands under 0.12 s dropped.
    No threshold looks at the rest of the file, so that one without speech stays without.
    """
    smooth = smoothed(events)
    spans = [
        (a, b)
        for a, b in join(runs(smooth > _LEAST), round(_BRIDGE_S * TICKS_PER_S))
        if b - a >= _SHORTEST_S * TICKS_PER_S and smooth[a:b].max() > _PEAK
    ]
    return tuple(
        Speech(a / TICKS_PER_S, b / TICKS_PER_S, round(float(np.minimum(1.0, smooth[a:b]).mean()), 3)) for a, b in spans
    )


def smoothed(events: NDArray[np.float32]) -> Floats:
    """The probability of speech, as a mean over 0.11 s."""
    if not len(events):
        return np.zeros(0)
    return np.convolve(events[:, SPEECH].astype(np.float64), np.full(_SMOOTH_TICKS, 1 / _SMOOTH_TICKS), mode="same")


def gap_ticks(events: NDArray[np.float32], speech: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Ticks in which surely nobody speaks: neither detected nor likely there or within 0.2 s."""
    maybe = speech | (smoothed(events) > _QUIET_BELOW)
    guard = round(_GUARD_S * TICKS_PER_S)
    near: NDArray[np.bool_] = np.convolve(maybe.astype(np.float64), np.ones(2 * guard + 1), mode="same") > 0.5
    return ~near


@dataclass(frozen=True)
class Heard:
    """When somebody speaks, per tick, and when surely nobody does."""

    spoken: NDArray[np.bool_]
    gaps: NDArray[np.bool_]
