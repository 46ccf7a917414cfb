"""Levels of a signal in 48 bands, logarithmic from 50 Hz to 15 kHz, every 20 ms: what changes of gain are read from."""

import numpy as np
from numpy.typing import NDArray

from .kernels import squares_in_bands, windowed

BANDS = 48
FRAMES_PER_S = 50
FLOOR_DB = -105.0
_LOWEST_HZ, _HIGHEST_HZ = 50.0, 15000.0
_WINDOW_S = 0.0427
_BATCH = 32


class Spectrum:
    """Feed channels ``(channels, frames)`` in any portions, then take ``finish()``: ``(frames of 20 ms, 48)``, dB in hundredths as int16, channels summed.

    Frame k is centred on the middle of the 20 ms that begin at k / 50 s; levels are mean squares of a full-scale square wave's, not under -105 dB.
    """

    def __init__(self, rate_hz: int, channels: int) -> None:
        """A spectrum of a signal at this rate; bands beyond half of it stay at the floor."""
        from scipy.fft import rfft  # noqa: PLC0415  (its import is worth waiting for only where it is wanted)

        self._transform = rfft
        self._rate_hz, self._channels = rate_hz, channels
        self._size: int = 1 << round(float(np.log2(_WINDOW_S * rate_hz)))
        window = np.hanning(self._size + 1)[:-1]
        self._window = window.astype(np.float32)
        self._first, self._weights = _weights(rate_hz, self._size, float((window**2).sum()))
        self._lead = self._size // 2 - rate_hz // FRAMES_PER_S // 2
        self._held = np.zeros((channels, self._lead), dtype=np.float32)
        self._offset = -self._lead
        self._seen = 0
        self._frames = 0
        self._found: list[NDArray[np.int16]] = []

    def feed(self, channels: NDArray[np.float32]) -> None:
        """Take the next samples."""
        self._seen += channels.shape[1]
        held = np.concatenate([self._held, channels], axis=1)
        self._held, self._offset = self._work(held, self._offset)

    def finish(self) -> NDArray[np.int16]:
        """The frames that the signal fills, the last ones against silence."""
        count = self._seen * FRAMES_PER_S // self._rate_hz
        self.feed(np.zeros((self._channels, self._size + self._rate_hz // FRAMES_PER_S), dtype=np.float32))
        found = np.concatenate(self._found) if self._found else np.zeros((0, BANDS), dtype=np.int16)
        return found[:count]

    def _work(self, held: NDArray[np.float32], offset: int) -> tuple[NDArray[np.float32], int]:
        begins = []
        while (begin := self._begin(self._frames) - offset) + self._size <= held.shape[1]:
            begins.append(begin)
            self._frames += 1
        for k in range(0, len(begins), _BATCH):
            self._found.append(self._analyse(held, np.array(begins[k : k + _BATCH])))
        keep = max(0, self._begin(self._frames) - offset)
        return held[:, keep:], offset + keep

    def _begin(self, frame: int) -> int:
        return int(frame * self._rate_hz // FRAMES_PER_S - self._lead)

    def _analyse(self, held: NDArray[np.float32], begins: NDArray[np.int64]) -> NDArray[np.int16]:
        total = np.zeros((len(begins), BANDS), dtype=np.float32)
        for channel in held:
            frames = np.empty((len(begins), self._size), dtype=np.float32)
            windowed(channel, begins, self._window, frames)
            squares_in_bands(self._transform(frames, axis=1, overwrite_x=True).view(np.float32), self._first, self._weights, total)
        level = 10 * np.log10(np.maximum(total, np.float32(10 ** (FLOOR_DB / 10))))
        return np.round(level * 100).astype(np.int16)


def _weights(rate_hz: int, size: int, window_energy: float) -> tuple[NDArray[np.int64], NDArray[np.float32]]:
    """For every band its first bin and the weights ``(48, widest)`` of its bins; narrow bands take the bins around their middle by their nearness."""
    width = rate_hz / size
    edges = _LOWEST_HZ * (_HIGHEST_HZ / _LOWEST_HZ) ** (np.arange(BANDS + 1) / BANDS)
    # A band narrower than a bin is widened to one, so that each holds energy of its own place.
    middle = np.sqrt(edges[1:] * edges[:-1])
    half = np.maximum(edges[1:] - edges[:-1], width) / 2
    low = (np.arange(size // 2 + 1) - 0.5) * width
    inside = np.minimum(low[:, None] + width, (middle + half)[None]) - np.maximum(low[:, None], (middle - half)[None])
    share = (np.clip(inside / width, 0, 1) * ((middle + half)[None] <= rate_hz / 2) * 2 / (size * window_energy)).T
    first = np.argmax(share > 0, axis=1)
    weights = np.zeros((len(share), int((share > 0).sum(axis=1).max())), dtype=np.float32)
    for band, (begin, row) in enumerate(zip(first, share, strict=True)):
        used = np.count_nonzero(row)
        weights[band, :used] = row[begin : begin + used]
    return first, weights
