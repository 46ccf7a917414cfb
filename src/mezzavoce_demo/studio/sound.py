"""Small tools for making sound: levels, panning, fades, reverberation.

Signals are ``(frames, 2)`` float64 at 48 kHz.
"""

import numpy as np
from numpy.typing import NDArray

from mezzavoce_core.measure.meter import Meter, Wanted
from mezzavoce_core.units import db_to_amplitude, power_to_lufs

RATE = 48000
Stereo = NDArray[np.float64]
Mono = NDArray[np.float64]


def frames(seconds: float) -> int:
    """Frames of a duration."""
    return round(seconds * RATE)


def loudness_of(signal: Stereo) -> float:
    """Loudness in LUFS of the louder parts of a signal: K-weighted mean over the 10 ms within 25 dB of the loudest."""
    meter = Meter(RATE, 2, Wanted(between_samples=False))
    meter.feed(signal.astype(np.float32))
    power = meter.finish().power.sum(axis=1)
    return float(power_to_lufs(power[power > power.max() / 316].mean()))


def at_loudness(signal: Stereo, level_lufs: float) -> Stereo:
    """The signal brought to a loudness."""
    return signal * db_to_amplitude(level_lufs - loudness_of(signal))


def panned(signal: Mono, place: float) -> Stereo:
    """A mono signal between left (-1) and right (1), equal power."""
    angle = (place + 1) * np.pi / 4
    return np.stack([signal * np.cos(angle), signal * np.sin(angle)], axis=1)


def faded(signal: Stereo, in_s: float, out_s: float) -> Stereo:
    """With a fade at both ends, raised cosine."""
    shaped = signal.copy()
    for length, part in ((frames(in_s), slice(None)), (frames(out_s), slice(None, None, -1))):
        count = min(length, len(signal))
        if count:
            shaped[part][:count] *= (0.5 - 0.5 * np.cos(np.pi * np.arange(count) / count))[:, None]
    return shaped


def place(canvas: Stereo, signal: Stereo, at_s: float) -> None:
    """Add a signal to a canvas at a time; what stands over is cut."""
    begin = frames(at_s)
    if begin < 0:
        signal, begin = signal[-begin:], 0
    part = signal[: max(0, len(canvas) - begin)]
    canvas[begin : begin + len(part)] += part


def quick_size(least: int) -> int:
    """The next length that a Fourier transform likes: only 2, 3 and 5 in it."""
    sizes = (2**a * 3**b * 5**c for a in range(25) for b in range(6) for c in range(5))
    return min(n for n in sizes if n >= least)


def band(noise: Mono, low_hz: float, high_hz: float) -> Mono:
    """Noise between two frequencies with soft edges."""
    size = quick_size(len(noise))
    spectrum = np.fft.rfft(noise, size)
    hz = np.fft.rfftfreq(size, 1 / RATE)
    shape = 1 / (1 + (low_hz / np.maximum(hz, 1e-3)) ** 4) / (1 + (hz / high_hz) ** 4)
    return np.fft.irfft(spectrum * shape, size)[: len(noise)]


def hall(signal: Stereo, seconds: float, share: float, seed: int) -> Stereo:
    """The signal with a decaying noise tail of its own in each channel behind it."""
    rng = np.random.default_rng(seed)
    count = frames(seconds)
    tail = rng.standard_normal((count, 2)) * np.exp(-6.9 * np.arange(count) / count)[:, None]
    tail[: frames(0.012)] = 0
    tail /= np.sqrt((tail**2).sum(axis=0))
    size = quick_size(len(signal) + count)
    wet = np.fft.irfft(np.fft.rfft(signal, size, axis=0) * np.fft.rfft(tail, size, axis=0), size, axis=0)
    return signal + share * wet[: len(signal)]
