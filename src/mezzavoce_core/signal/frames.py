"""Frames of a signal that comes in portions of any size.

Cut where they lie, windowed, transformed, and summed into bands.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .kernels import squares_in_bands, windowed
from .transforms import transform

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

    Frame k is centred on the middle of the 1 / ``per_s`` s that begin at k / ``per_s``; its window may reach beyond
    them. A frame is ``(bands,)``: mean squares as the bins weigh them, channels summed.
    """

    def __init__(
        self, rate_hz: int, per_s: int, window: NDArray[np.float32], size: int, bins: Bins, channels: int
    ) -> None:
        """``size`` is the length of the transform, that of the window or more."""
        self._rate_hz, self._per_s = rate_hz, per_s
        self._window, self._size, self._bins = window, size, bins
        # Silence before the first sample, so that the first frame is centred like every other.
        self._lead = len(window) // 2 - rate_hz // per_s // 2
        self._held = np.zeros((channels, self._lead), dtype=np.float32)
        self._offset = -self._lead
        self._frames = 0

    def spread(self, channels: int) -> None:
        """From one channel to so many, all of which were alike so far."""
        self._held = np.repeat(self._held, channels, axis=0)

    def feed(self, channels: NDArray[np.float32]) -> NDArray[np.float32]:
        """Take the next samples; returns the frames that they make whole ``(frames, bands)``."""
        held, length = self._held.shape[1], len(self._window)
        begins = self._begins(held + channels.shape[1] - length)
        # Only what begins in the samples held needs both; everything else is read where it lies.
        joint = np.concatenate([self._held, channels[:, :length]], axis=1)
        found = [
            *self._analysed(joint, begins[begins < held]),
            *self._analysed(channels, begins[begins >= held] - held),
        ]
        self._frames += len(begins)
        keep = max(0, self._begin(self._frames) - self._offset)
        self._held = (
            channels[:, keep - held :].copy()
            if keep >= held
            else np.concatenate([self._held[:, keep:], channels], axis=1)
        )
        self._offset += keep
        return np.concatenate(found) if found else np.zeros((0, len(self._bins.first)), dtype=np.float32)

    def _begin(self, frame: int) -> int:
        return frame * self._rate_hz // self._per_s - self._lead

    def _begins(self, last: int) -> NDArray[np.int64]:
        """Where the next frames begin in what there is, up to sample ``last``."""
        most = max(0, last + self._offset + self._lead) * self._per_s // self._rate_hz + 2 - self._frames
        begins = (self._frames + np.arange(max(0, most))) * self._rate_hz // self._per_s - self._lead - self._offset
        return begins[begins <= last]

    def _analysed(self, channels: NDArray[np.float32], begins: NDArray[np.int64]) -> list[NDArray[np.float32]]:
        return [self._analyse(channels, begins[k : k + _BATCH]) for k in range(0, len(begins), _BATCH)]

    def _analyse(self, channels: NDArray[np.float32], begins: NDArray[np.int64]) -> NDArray[np.float32]:
        total = np.zeros((len(begins), len(self._bins.first)), dtype=np.float32)
        for channel in channels:
            frames, which = np.empty((len(begins), self._size), dtype=np.float32), np.empty(len(begins), dtype=np.int64)
            # Silence, as it lies in stems for half of the time, needs no transform.
            if count := windowed(channel, begins, self._window, frames, which):
                # Real and imaginary parts are squared as they lie side by side.
                parts = transform(frames[:count]).view(np.float32)
                squares_in_bands(parts, self._bins.first, self._bins.weights, which, total)
        return total
