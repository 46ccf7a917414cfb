"""Voice and what lies under it over time, from the mix alone."""

from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from ...signal.spectrum import COLUMNS, Spectrum
from ...units import Floats, db_to_power
from ..meter import TICKS_PER_BLOCK
from ..speech import Speech, passage_spans, speech_ticks
from .axis import OnOff, split
from .detected import EventsOverTime, Heard, gap_ticks, speech_in
from .estimates import CONDITIONS, PassageRatio, Separation
from .models import MUSIC, made_by
from .network import NetworkVoice
from .passages import answers, decided, dialogue_off_axis
from .spatial import FIRST_OF_18, Aside, Spatial, SpatialBands, without_weighting

BRIDGE_S = 1.0
_ROUNDS = 4
_18 = slice(FIRST_OF_18, FIRST_OF_18 + 18)


@dataclass(frozen=True)
class Traces:
    """What the first pass over a mix leaves.

    Powers by place and band; probabilities of speech ``(ticks, 3)``; the ``spectrum`` of what sets left and right
    apart, or of left and right where there is a centre (see ``signal.spectrum``); no rows where there is none.
    """

    spatial: Spatial
    events: NDArray[np.float32]
    spectrum: NDArray[np.int16] = field(default_factory=lambda: np.zeros((0, COLUMNS), dtype=np.int16))

    def over(self, ticks: int) -> "Traces":
        """The same over so many ticks."""
        return replace(self, spatial=self.spatial.filled(ticks), events=events_over(self.events, ticks))


class TraceKeeper:
    """Feed blocks ``(frames, channels)`` of a mix, then take ``finish()``."""

    def __init__(self, rate_hz: int, layout: str, channels: int, about_s: float) -> None:
        """Raises ModelError where the model that finds speech cannot be had."""
        self._bands = SpatialBands(rate_hz, layout, channels, about_s)
        self._events = EventsOverTime(rate_hz, layout, channels)
        self._aside = Aside(layout, channels)
        self._spectrum = Spectrum(rate_hz, self._aside.channels, about_s) if self._aside.channels else None

    def feed(self, block: NDArray[np.float32]) -> None:
        """Take the next samples."""
        channels = np.ascontiguousarray(block.T)
        self._bands.feed(channels)
        self._events.feed(channels)
        if self._spectrum is not None:
            self._spectrum.feed(self._aside.of(channels))

    def finish(self) -> Traces:
        """All that was heard."""
        found = Traces(self._bands.finish(), self._events.finish())
        return found if self._spectrum is None else replace(found, spectrum=self._spectrum.finish())


@dataclass(frozen=True)
class FirstLook:
    """Where somebody speaks, and the mix on and off the axis of the dialogue."""

    traces: Traces
    speech: tuple[Speech, ...]
    heard: Heard
    sound: OnOff

    @property
    def passages(self) -> list[tuple[float, float]]:
        """Stretches of speech with short pauses, in and out in seconds."""
        return passage_spans(self.speech, BRIDGE_S)

    @property
    def is_aside_music(self) -> bool:
        """Whether the ``spectrum`` is of places where the dialogue does not stand."""
        sound = self.sound
        return not sound.mono and not sound.axis_deg and (sound.in_centre or self.traces.spatial.centre is None)


def first_look(traces: Traces) -> FirstLook:
    """What the traces of a mix tell by themselves."""
    speech = speech_in(traces.events)
    spoken = speech_ticks(speech, len(traces.spatial))
    heard = Heard(spoken, gap_ticks(traces.events, spoken))
    return FirstLook(traces, speech, heard, split(traces.spatial, heard.spoken, heard.gaps))


def events_over(events: NDArray[np.float32], ticks: int) -> NDArray[np.float32]:
    """Probabilities over so many ticks, none at the end where there are fewer."""
    return np.concatenate([events[:ticks], np.zeros((max(0, ticks - len(events)), events.shape[1]), dtype=np.float32)])


def separate(look: FirstLook, rate_hz: int, voice: NetworkVoice | None = None) -> Separation:
    """Estimate voice and background of a mix at a rate; without what the ``voice`` network heard, a quick look."""
    sound = look.sound
    found = answers(sound, look.heard, voice, look.passages)
    off_axis = dialogue_off_axis(found)
    ratios = decided(found, sound, off_axis=off_axis)
    under = _under_over_time(sound, voice, ratios, look.heard.spoken)
    total = sound.total
    blocks = len(total) // TICKS_PER_BLOCK
    low, high = (np.full(blocks, np.nan, dtype=np.float32) for _ in range(2))
    conditions = np.zeros(blocks, dtype=np.uint8)
    for r in ratios:
        here = slice(r.first // TICKS_PER_BLOCK, -(-r.last // TICKS_PER_BLOCK))
        low[here], high[here] = r.ratio_lu - r.low_lu, r.high_lu - r.ratio_lu
        conditions[here] |= np.uint8(sum(1 << CONDITIONS.index(name) for name in r.conditions))
    power = total.sum(axis=1, dtype=np.float64)
    share = 1 - np.minimum(1.0, under.sum(axis=1, dtype=np.float64) / np.maximum(power, 1e-14))
    factors = without_weighting(rate_hz)[_18]
    whole_bands, under_bands = (_in_blocks(x[:, _18]) * factors.astype(np.float32) for x in (total, under))
    voice_bands = np.maximum(whole_bands - under_bands, 0)
    return Separation(
        look.speech,
        share.astype(np.float32),
        voice_bands,
        under_bands,
        low,
        high,
        conditions,
        _in_blocks(look.traces.events[:, MUSIC:])[:, 0],
        {k: name for k, name in made_by().items() if voice is not None or k == "speech"},
        sound.axis_deg,
        sound.mono,
        tells_gain=look.is_aside_music and not off_axis,
        thorough=voice is not None,
    )


def _in_blocks(per_tick: Floats) -> NDArray[np.float32]:
    whole = len(per_tick) // TICKS_PER_BLOCK
    blocks: NDArray[np.float32] = (
        per_tick[: whole * TICKS_PER_BLOCK].reshape(whole, TICKS_PER_BLOCK, -1).mean(axis=1).astype(np.float32)
    )
    return blocks


def _under_over_time(
    sound: OnOff, voice: NetworkVoice | None, ratios: list[PassageRatio], spoken: NDArray[np.bool_]
) -> NDArray[np.float32]:
    """What lies under the voice ``(ticks, 26)``: all where nobody speaks; in passages so that the ratio holds."""
    under = sound.total
    for r in ratios:
        part = slice(r.first, r.last)
        total = under[part].copy()
        if r.on_per_off is not None:
            rough = np.minimum(sound.on[part], r.on_per_off * sound.off[part]) + sound.off[part]
        else:
            assert voice is not None
            rough = np.maximum(total - voice.along(sound.on, part), 1e-3 * total)
        there = spoken[part]
        wanted = float(total[there].sum()) / (1 + float(db_to_power(r.ratio_lu)))
        fitted = _raised(rough[there], total[there], wanted)
        under[part][there] = fitted
    return under


def _raised(rough: Floats, total: Floats, wanted: float) -> Floats:
    """What lies under the voice, times one factor so that its power adds up to what is wanted, nowhere above all."""
    fitted = rough
    for _ in range(_ROUNDS):
        free = fitted < total
        fixed = float(fitted[~free].sum())
        loose = float(fitted[free].sum())
        if loose <= 0:
            break
        fitted = np.where(free, fitted * max(0.0, wanted - fixed) / loose, fitted)
        fitted = np.minimum(fitted, total)
    return fitted
