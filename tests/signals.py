"""Test signals and small sound files, made from formulas."""

import struct
import wave
from functools import cache
from pathlib import Path

import numpy as np

from mezzavoce_core.measure.measurement import Measurement, StemLevels
from mezzavoce_core.measure.meter import Meter, Wanted
from mezzavoce_core.measure.separation.estimates import Separation
from mezzavoce_core.measure.speech import Speech
from mezzavoce_core.media.layouts import pairs
from mezzavoce_core.media.probe import FileInfo

RATE = 48000
LAYOUTS = {1: "mono", 2: "stereo", 6: "5.1(side)"}


def sine(level_dbfs, seconds, *, hz=1000.0, rate=RATE, phase=0.0):
    """A sine of a peak level, mono float64."""
    n = np.arange(round(seconds * rate))
    return 10 ** (level_dbfs / 20) * np.sin(2 * np.pi * hz * n / rate + phase)


def steps(parts, *, hz=1000.0, rate=RATE):
    """A sine whose level changes: ``[(dBFS, seconds), …]``, phase going on."""
    levels = np.concatenate([np.full(round(s * rate), 10 ** (level / 20)) for level, s in parts])
    return levels * np.sin(2 * np.pi * hz * np.arange(len(levels)) / rate)


def stereo(signal):
    return np.stack([signal, signal], axis=1)


def noise(seconds, level_db, *, seed=1, rate=RATE):
    """White noise of an rms level."""
    return np.random.default_rng(seed).standard_normal(round(seconds * rate)) * 10 ** (level_db / 20)


def chord(seconds, level_db, *, hz=220.0, rate=RATE):
    """A steady three-note chord of an rms level: music that does nothing by itself."""
    return _chord(seconds, level_db, hz, rate).copy()


@cache
def _chord(seconds, level_db, hz, rate):
    n = np.arange(round(seconds * rate))
    tone = sum(np.sin(2 * np.pi * hz * r * n / rate + r) for r in (1, 1.25, 1.5))
    return tone / np.sqrt(np.mean(tone**2)) * 10 ** (level_db / 20)


def automated(signal, points, *, rate=RATE):
    """The signal with level points ``[(s, dB), …]``, linear in dB between."""
    t = np.arange(len(signal)) / rate
    gain = np.interp(t, [p[0] for p in points], [p[1] for p in points])
    return signal * 10 ** (gain / 20)


def talk(seconds, spans, level_db=-23.0, *, seed=3, rate=RATE):
    """Something like speech: noise in the band of the voice, in syllables, inside the spans."""
    return _talk(seconds, tuple(spans), level_db, seed, rate).copy()


@cache
def _talk(seconds, spans, level_db, seed, rate):
    rng = np.random.default_rng(seed)
    raw = rng.standard_normal(round(seconds * rate))
    spectrum = np.fft.rfft(raw)
    hz = np.fft.rfftfreq(len(raw), 1 / rate)
    raw = np.fft.irfft(spectrum * ((hz > 200) & (hz < 3500)), len(raw))
    t = np.arange(len(raw)) / rate
    raw *= 1 + 0.4 * np.sin(2 * np.pi * 4 * t)
    inside = np.zeros(len(raw))
    for a, b in spans:
        inside[round(a * rate) : round(b * rate)] = 1
    return raw / np.std(raw) * 10 ** (level_db / 20) * inside


def levels_of(signal, *, rate=RATE, block_s=4, between_samples=True, **wanted):
    """A signal ``(frames,)`` or ``(frames, channels)`` through the meter."""
    signal = np.asarray(signal, dtype=np.float32)
    signal = signal[:, None] if signal.ndim == 1 else signal
    meter = Meter(
        rate,
        signal.shape[1],
        Wanted(between_samples=between_samples, **wanted),
        pairs=pairs(LAYOUTS[signal.shape[1]], signal.shape[1]),
    )
    for begin in range(0, len(signal), block_s * rate):
        meter.feed(signal[begin : begin + block_s * rate])
    return meter.finish()


def sounding(signal, rate=RATE):
    """A signal ``(frames,)`` or ``(frames, channels)`` as its mono proxy is read back, and the rate of that.

    Mono at a quarter of the rate.
    """
    signal = np.asarray(signal, dtype=np.float32).reshape(len(signal), -1)
    mono = signal[: len(signal) // 4 * 4].reshape(-1, 4 * signal.shape[1]).mean(axis=1)
    return lambda start_s, length_s: mono[round(start_s * rate / 4) :][: round(length_s * rate / 4)], rate // 4


def info(seconds=10.0, *, channels=2, name="mix.wav", rate=RATE, **more):
    facts = {"frame_rate": "25", "drop_frame": False, "start_timecode": "10:00:00:00", "has_picture": False} | more
    return FileInfo(
        name=name, duration_s=seconds, sample_rate_hz=rate, channels=channels, layout=LAYOUTS[channels], **facts
    )


def measured(mix, stems=(), **facts):
    """A measurement without files: ``mix`` and ``stems`` (role, signal) as arrays."""
    signal = np.asarray(mix)
    channels = 1 if signal.ndim == 1 else signal.shape[1]
    parts = tuple(
        StemLevels(
            f"{role}.wav",
            role,
            levels_of(s, between_samples=False, bands=True, spectrum=role == "music"),
            0.0,
            0.0,
            1.0,
        )
        for role, s in stems
    )
    music = [np.asarray(s) for role, s in stems if role == "music"]
    heard = sounding(sum(music)) if music else ()
    return Measurement(
        info(len(signal) / RATE, channels=channels, **facts), "test", levels_of(signal), parts
    ).with_music_gain(*heard)


def three_stems(voice, music, effects=None):
    """A stereo measurement of mono signals and their sum."""
    effects = np.zeros(len(voice)) if effects is None else effects
    stems = [("dialogue", stereo(voice)), ("music", stereo(music)), ("effects", stereo(effects))]
    return measured(stereo(voice + music + effects), stems)


def estimated(voice, under, spans, *, half_lu=2.0, conditions=0):
    """A measurement of a mono voice over a background in stereo, as if the mix alone had told their levels."""
    parts = [levels_of(stereo(x), between_samples=False, bands=True) for x in (voice, under)]
    own, other = (p.power.sum(axis=1) for p in parts)
    blocks = len(own) // 10
    sure = np.full(blocks, np.nan, dtype=np.float32)
    for a, b in spans:
        sure[round(a * 10) : round(b * 10)] = half_lu
    found = Separation(
        speech=tuple(Speech(a, b, 0.95) for a, b in spans),
        voice_share=(own / np.maximum(own + other, 1e-12)).astype(np.float32),
        voice_bands=parts[0].bands,
        under_bands=parts[1].bands,
        low_lu=sure,
        high_lu=sure,
        conditions=np.full(blocks, conditions, dtype=np.uint8),
        music=np.ones(blocks, dtype=np.float32),
        models={"speech": "a model 1.0"},
        mono=True,
        thorough=True,
    )
    return measured(stereo(voice + under)).with_estimates(found)


def write_wav(path, signal, *, rate=RATE, bits=24):
    """Write 16 or 24 bit PCM, or 32 bit float."""
    path = Path(path)
    signal = np.asarray(signal)
    signal = signal[:, None] if signal.ndim == 1 else signal
    if bits == 32:
        write_float_wav(path, signal, rate)
        return path
    with wave.open(str(path), "wb") as file:
        file.setnchannels(signal.shape[1])
        file.setsampwidth(bits // 8)
        file.setframerate(rate)
        full = 2 ** (bits - 1) - 1
        whole = np.clip(np.round(signal * full), -full - 1, full).astype("<i4")
        file.writeframes(whole.reshape(-1).view(np.uint8).reshape(-1, 4)[:, : bits // 8].tobytes())
    return path


def write_float_wav(path, signal, rate=RATE, *, data_size=None):
    """A float WAV by hand; ``data_size`` lets the header lie."""
    raw = signal.astype("<f4").tobytes()
    channels = signal.shape[1]
    form = struct.pack("<HHIIHH", 3, channels, rate, rate * channels * 4, channels * 4, 32)
    size = len(raw) if data_size is None else data_size
    body = b"WAVEfmt " + struct.pack("<I", len(form)) + form + b"data" + struct.pack("<I", size) + raw
    Path(path).write_bytes(b"RIFF" + struct.pack("<I", len(body)) + body)
    return Path(path)
