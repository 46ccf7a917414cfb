"""Energy in the 18 one-third-octave bands from 160 Hz to 8 kHz, in blocks of 100 ms.

Centres and edges are the nominal ones of IEC 61260 with a base of two; source of the choice of bands: ANSI S3.5-1997.
Rates from 44.1 kHz up are halved first, as often as the highest band allows.
"""

import numpy as np
from numpy.typing import NDArray

from .filters import half_band
from .kernels import apart, halve, squares_in_bands, windowed

CENTRES_HZ = (160, 200, 250, 315, 400, 500, 630, 800, 1000, 1250, 1600, 2000, 2500, 3150, 4000, 5000, 6300, 8000)
FRAMES_PER_S = 10
_EXACT_HZ = 1000 * 2.0 ** (np.arange(-8, 10) / 3)
# Neighbours fade into each other over so long.
_FADE_S = 0.0125
_BATCH = 32
_LEAST_HZ = 22050


class Bands:
    """Feed channels ``(channels, frames)`` in any portions, then take ``finish()``: ``(blocks of 100 ms, 18)``, mean squares summed over channels.

    Neighbouring windows add up to one in energy, so that nothing between blocks is lost or counted twice.
    """

    def __init__(self, rate_hz: int, channels: int) -> None:
        """Bands of a signal at this rate; those beyond half of it stay empty."""
        # Several transforms at a time, which NumPy does one by one; its import is worth waiting for only where bands are wanted.
        from scipy.fft import next_fast_len, rfft  # noqa: PLC0415

        self._transform = rfft
        self._given_hz, self._channels = rate_hz, channels
        self._halvers: list[_Halver] = []
        while rate_hz >= 2 * _LEAST_HZ and rate_hz % 2 == 0:
            rate_hz //= 2
            self._halvers.append(_Halver(channels))
        self._rate_hz = rate_hz
        self._window = _window(rate_hz)
        self._size = int(next_fast_len(len(self._window), real=True))
        self._first, self._weights = _weights(rate_hz, self._size)
        # Silence before the first sample, so that the first block fades in like every other.
        self._lead = (len(self._window) - rate_hz // FRAMES_PER_S) // 2
        self._held = np.zeros((channels, self._lead), dtype=np.float32)
        self._offset = -self._lead
        self._seen = 0
        self._frames = 0
        self._found: list[NDArray[np.float32]] = []

    def feed(self, channels: NDArray[np.float32]) -> None:
        """Take the next samples."""
        self._seen += channels.shape[1]
        for halver in self._halvers:
            channels = halver.feed(channels)
        held = np.concatenate([self._held, channels], axis=1)
        self._held, self._offset = self._work(held, self._offset)

    def finish(self) -> NDArray[np.float32]:
        """The blocks that the signal fills, the last one against silence."""
        count = self._seen * FRAMES_PER_S // self._given_hz
        self.feed(np.zeros((self._channels, self._given_hz), dtype=np.float32))
        found = np.concatenate(self._found) if self._found else np.zeros((0, len(CENTRES_HZ)), dtype=np.float32)
        return found[:count]

    def _work(self, held: NDArray[np.float32], offset: int) -> tuple[NDArray[np.float32], int]:
        """Analyse every whole frame; returns what is left and the place of its first sample."""
        begins = []
        while (begin := self._begin(self._frames) - offset) + len(self._window) <= held.shape[1]:
            begins.append(begin)
            self._frames += 1
        for k in range(0, len(begins), _BATCH):
            self._found.append(self._analyse(held, np.array(begins[k : k + _BATCH])))
        keep = max(0, self._begin(self._frames) - offset)
        return held[:, keep:], offset + keep

    def _begin(self, frame: int) -> int:
        return frame * self._rate_hz // FRAMES_PER_S - self._lead

    def _analyse(self, held: NDArray[np.float32], begins: NDArray[np.int64]) -> NDArray[np.float32]:
        total = np.zeros((len(begins), len(CENTRES_HZ)), dtype=np.float32)
        for channel in held:
            frames = np.empty((len(begins), self._size), dtype=np.float32)
            windowed(channel, begins, self._window, frames)
            # Real and imaginary parts are squared as they lie side by side.
            squares_in_bands(self._transform(frames, axis=1, overwrite_x=True).view(np.float32), self._first, self._weights, total)
        return total


class _Halver:
    """Halves the rate of channels fed in any portions; sample n of the result lies at sample 2 n of the signal."""

    def __init__(self, channels: int) -> None:
        self._taps = half_band()
        self._held = np.zeros((channels, len(self._taps) // 2), dtype=np.float32)

    def feed(self, channels: NDArray[np.float32]) -> NDArray[np.float32]:
        """The samples that can be had so far."""
        there = self._held.shape[1] + channels.shape[1]
        count = max(0, (there - len(self._taps)) // 2 + 1)
        even, odd = (np.empty(n, dtype=np.float32) for n in ((there + 1) // 2, there // 2))
        out = np.empty((len(channels), count), dtype=np.float32)
        for c, x in enumerate(channels):
            apart(self._held[c], x, even, odd)
            halve(self._taps, even, odd, out[c])
        rest = there - 2 * count
        self._held = np.concatenate([self._held, channels[:, -rest:]], axis=1)[:, -rest:]
        return out


def _window(rate_hz: int) -> NDArray[np.float32]:
    """Level over a block, with a quarter of a sine's wave over each of its edges."""
    fade = 2 * round(_FADE_S * rate_hz / 2)
    rise = np.sin(np.pi / 2 * (np.arange(fade) + 0.5) / fade)
    window: NDArray[np.float32] = np.concatenate([rise, np.ones(rate_hz // FRAMES_PER_S - fade), rise[::-1]]).astype(np.float32)
    return window


def _weights(rate_hz: int, size: int) -> tuple[NDArray[np.int64], NDArray[np.float32]]:
    """For every band its first bin and the shares ``(18, widest)`` of its bins in a mean square; a bin on an edge is shared."""
    width = rate_hz / size
    low = (np.arange(size // 2 + 1) - 0.5) * width
    lower, upper = _EXACT_HZ * 2 ** (-1 / 6), _EXACT_HZ * 2 ** (1 / 6)
    inside = np.minimum(low[:, None] + width, upper[None]) - np.maximum(low[:, None], lower[None])
    share = (np.clip(inside / width, 0, 1) * (upper[None] <= rate_hz / 2) * 2 * FRAMES_PER_S / (size * rate_hz)).T
    first = np.argmax(share > 0, axis=1)
    weights = np.zeros((len(share), int((share > 0).sum(axis=1).max())), dtype=np.float32)
    for band, (begin, row) in enumerate(zip(first, share, strict=True)):
        used = np.count_nonzero(row)
        weights[band, :used] = row[begin : begin + used]
    return first, weights
