"""Frames of a signal that comes in portions of any size: cut where they lie, windowed, transformed, and summed into bands."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .kernels import squares_in_bands, windowed

_BATCH = 32


@dataclass(frozen=True)
class Bins:
    """For every band its first bin ``(bands,)`` and the weights ``(bands, widest)`` of the bins from there on."""

    first: NDArray[np.int64]
    weights: NDArray[np.float32]

    @classmethod
    def shared(cls, share: NDArray[np.floating]) -> "Bins":
        """From the share of every bin in every band ``(bands, bins)``."""
        first = np.argmax(share > 0, axis=1)
        weights = np.zeros((len(share), int((share > 0).sum(axis=1).max())), dtype=np.float32)
        for band, (begin, row) in enumerate(zip(first, share, strict=True)):
            used = np.count_nonzero(row)
            weights[band, :used] = row[begin : begin + used]
        return cls(first, weights)


class Frames:
    """Feed channels ``(channels, samples)`` in any portions; every ``feed`` gives the frames that are whole by then.

    Frame k is centred on the middle of the 1 / ``per_s`` s that begin at k / ``per_s``; its window may reach beyond them. A frame
    is ``(bands,)``: mean squares as the bins weigh them, channels summed.
    """

    def __init__(self, rate_hz: int, per_s: int, window: NDArray[np.float32], size: int, bins: Bins, channels: int) -> None:
        """``size`` is the length of the transform, that of the window or more."""
        # Several transforms at a time, which NumPy does one by one; its import is worth waiting for only where bands are wanted.
        from scipy.fft import rfft  # noqa: PLC0415

        self._transform = rfft
        self._rate_hz, self._per_s = rate_hz, per_s
        self._window, self._size, self._bins = window, size, bins
        # Silence before the first sample, so that the first frame is centred like every other.
        self._lead = len(window) // 2 - rate_hz // per_s // 2
        self._held = np.zeros((channels, self._lead), dtype=np.float32)
        self._offset = -self._lead
        self._frames = 0

    def feed(self, channels: NDArray[np.float32]) -> NDArray[np.float32]:
        """Take the next samples; returns the frames that they make whole ``(frames, bands)``."""
        held = np.concatenate([self._held, channels], axis=1)
        begins = []
        while (begin := self._begin() - self._offset) + len(self._window) <= held.shape[1]:
            begins.append(begin)
            self._frames += 1
        found = [self._analyse(held, np.array(begins[k : k + _BATCH])) for k in range(0, len(begins), _BATCH)]
        keep = max(0, self._begin() - self._offset)
        self._held, self._offset = held[:, keep:], self._offset + keep
        return np.concatenate(found) if found else np.zeros((0, len(self._bins.first)), dtype=np.float32)

    def _begin(self) -> int:
        return self._frames * self._rate_hz // self._per_s - self._lead

    def _analyse(self, held: NDArray[np.float32], begins: NDArray[np.int64]) -> NDArray[np.float32]:
        total = np.zeros((len(begins), len(self._bins.first)), dtype=np.float32)
        for channel in held:
            frames = np.empty((len(begins), self._size), dtype=np.float32)
            windowed(channel, begins, self._window, frames)
            # Real and imaginary parts are squared as they lie side by side.
            squares_in_bands(self._transform(frames, axis=1, overwrite_x=True).view(np.float32), self._bins.first, self._bins.weights, total)
        return total
