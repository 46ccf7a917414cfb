"""Levels of a signal in 48 bands, logarithmic from 50 Hz to 15 kHz, every 20 ms: what changes of gain are read from."""

import numpy as np
from numpy.typing import NDArray

from .frames import Bins, Frames

BANDS = 48
FRAMES_PER_S = 50
FLOOR_DB = -105.0
SILENCE = round(100 * FLOOR_DB)
"""What stands for silence."""
_LOWEST_HZ, _HIGHEST_HZ = 50.0, 15000.0
_WINDOW_S = 0.0427


class Spectrum:
    """Feed channels ``(channels, frames)`` in any portions, then take ``finish()``: ``(frames of 20 ms, 48)``, dB in hundredths as int16, channels summed.

    Frame k is centred on the middle of the 20 ms that begin at k / 50 s; levels are mean squares of a full-scale square wave's, not under -105 dB.
    """

    def __init__(self, rate_hz: int, channels: int) -> None:
        """A spectrum of a signal at this rate; bands beyond half of it stay at the floor."""
        self._rate_hz, self._channels = rate_hz, channels
        self._size: int = 1 << round(float(np.log2(_WINDOW_S * rate_hz)))
        window = np.hanning(self._size + 1)[:-1]
        bins = _bins(rate_hz, self._size, float((window**2).sum()))
        self._frames = Frames(rate_hz, FRAMES_PER_S, window.astype(np.float32), self._size, bins, channels)
        self._seen = 0
        self._found: list[NDArray[np.int16]] = []

    def feed(self, channels: NDArray[np.float32]) -> None:
        """Take the next samples."""
        self._seen += channels.shape[1]
        squares = self._frames.feed(channels)
        level = 10 * np.log10(np.maximum(squares, np.float32(10 ** (FLOOR_DB / 10))))
        self._found.append(np.round(level * 100).astype(np.int16))

    def finish(self) -> NDArray[np.int16]:
        """The frames that the signal fills, the last ones against silence."""
        count = self._seen * FRAMES_PER_S // self._rate_hz
        self.feed(np.zeros((self._channels, self._size + self._rate_hz // FRAMES_PER_S), dtype=np.float32))
        return np.concatenate(self._found)[:count]


def _bins(rate_hz: int, size: int, window_energy: float) -> Bins:
    """Bands evenly spaced on a logarithmic scale; a bin on an edge is shared."""
    width = rate_hz / size
    edges = _LOWEST_HZ * (_HIGHEST_HZ / _LOWEST_HZ) ** (np.arange(BANDS + 1) / BANDS)
    # A band narrower than a bin is widened to one, so that each holds energy of its own place.
    middle = np.sqrt(edges[1:] * edges[:-1])
    half = np.maximum(edges[1:] - edges[:-1], width) / 2
    low = (np.arange(size // 2 + 1) - 0.5) * width
    inside = np.minimum(low[:, None] + width, (middle + half)[None]) - np.maximum(low[:, None], (middle - half)[None])
    share = np.clip(inside / width, 0, 1) * ((middle + half)[None] <= rate_hz / 2) * 2 / (size * window_energy)
    return Bins.shared(share.T)
