"""One pass over one signal: K-weighted power in ticks of 10 ms and peaks in blocks of 100 ms. State is carried from block to block."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..signal.filters import interpolator, k_weighting
from ..signal.kernels import filter_energy, peaks

TICKS_PER_S = 100
TICKS_PER_BLOCK = 10
BLOCKS_PER_S = 10


@dataclass(frozen=True)
class Levels:
    """What is kept of a signal.

    ``power`` ``(ticks, channels)``: K-weighted mean square of each 10 ms; ``sample_peak`` and ``true_peak``
    ``(blocks, channels)``: highest amplitude of each 100 ms. A tick or block that the signal does not fill is not counted
    in ``power``; peaks are kept to the last sample.
    """

    power: NDArray[np.float32]
    sample_peak: NDArray[np.float32]
    true_peak: NDArray[np.float32]
    samples: int


class Meter:
    """Feed blocks ``(frames, channels)`` that begin on whole seconds, then take ``finish()``."""

    def __init__(self, rate_hz: int, channels: int, *, between_samples: bool = True) -> None:
        """A meter for signals of this rate and channel count, all state at rest.

        Without ``between_samples`` the true peak is the sample peak, at a tenth of the time.
        """
        self._rate_hz = rate_hz
        self._sections = k_weighting(rate_hz)
        self._taps = interpolator() if between_samples else interpolator()[:0]
        self._state = np.zeros((channels, 2, 2))
        # Silence before the first sample, so that ringing ahead of a hard start is seen.
        self._held = np.zeros((channels, self._taps.shape[1] - 1), dtype=np.float32)
        self._peaked = -(self._taps.shape[1] // 2)
        self._seen = 0
        self._power: list[NDArray[np.float64]] = []
        self._peaks = np.zeros((0, channels, 2), dtype=np.float32)

    @property
    def seconds(self) -> float:
        """How much was fed so far."""
        return self._seen / self._rate_hz

    def feed(self, block: NDArray[np.float32]) -> None:
        """Take the next samples; every block but the last lasts whole seconds."""
        channels = np.ascontiguousarray(block.T)
        edges = self._edges(self._seen, len(block), TICKS_PER_S)
        power = np.empty((len(edges) - 1, len(channels)))
        for c, x in enumerate(channels):
            column = np.empty(len(edges) - 1)
            filter_energy(x, self._sections, self._state[c], edges, column)
            power[:, c] = column
        self._power.append(power)
        self._seen += len(block)
        self._feed_peaks(channels)

    def finish(self) -> Levels:
        """Flush the interpolator's tail and hand out what was measured."""
        tail = self._taps.shape[1]
        self._feed_peaks(np.zeros((len(self._held), tail), dtype=np.float32))
        ticks = self._seen * TICKS_PER_S // self._rate_hz
        last = max(1, -(-self._seen * BLOCKS_PER_S // self._rate_hz))
        if len(self._peaks) > last:
            self._peaks[last - 1] = self._peaks[last - 1 :].max(axis=0)
        power = np.concatenate(self._power) if self._power else np.zeros((0, len(self._held)))
        found = self._peaks[:last]
        return Levels(power[:ticks].astype(np.float32), found[:, :, 0].copy(), found[:, :, 1].copy(), self._seen)

    def _edges(self, first: int, count: int, per_s: int) -> NDArray[np.int64]:
        """Boundaries, relative to ``first``, of the ticks that ``count`` samples touch."""
        begin = max(0, first) * per_s // self._rate_hz
        end = -(-(first + count) * per_s // self._rate_hz)
        bounds = np.arange(begin, end + 1, dtype=np.int64) * self._rate_hz // per_s - first
        return np.clip(bounds, 0, count)

    def _feed_peaks(self, channels: NDArray[np.float32]) -> None:
        held = np.concatenate([self._held, channels], axis=1)
        count = held.shape[1] - self._taps.shape[1] + 1
        edges = self._edges(self._peaked, count, BLOCKS_PER_S)
        edges[0] = 0
        begin = max(0, self._peaked) * BLOCKS_PER_S // self._rate_hz
        end = begin + len(edges) - 1
        if end > len(self._peaks):
            grown = np.zeros((max(end, 2 * len(self._peaks)), *self._peaks.shape[1:]), dtype=np.float32)
            grown[: len(self._peaks)] = self._peaks
            self._peaks = grown
        found = np.empty((end - begin, 2), dtype=np.float32)
        for c, x in enumerate(held):
            peaks(x, self._taps, edges, found)
            np.maximum(self._peaks[begin:end, c], found, out=self._peaks[begin:end, c])
        self._held = held[:, count:].copy()
        self._peaked += count
