"""Energy in the 18 one-third-octave bands from 160 Hz to 8 kHz, every 50 ms.

Centres and edges are the nominal ones of IEC 61260 with a base of two; source of the choice of bands: ANSI S3.5-1997.
"""

import numpy as np
from numpy.typing import NDArray

CENTRES_HZ = (160, 200, 250, 315, 400, 500, 630, 800, 1000, 1250, 1600, 2000, 2500, 3150, 4000, 5000, 6300, 8000)
FRAMES_PER_S = 20
_EXACT_HZ = 1000 * 2.0 ** (np.arange(-8, 10) / 3)
_WINDOW_S = 0.08
_BATCH = 32


class Bands:
    """Feed channels ``(channels, frames)`` in any portions, then take ``finish()``: ``(frames of 50 ms, 18)``, mean squares summed over channels.

    Frame k is centred on the middle of the 50 ms that begin at k / 20 s.
    """

    def __init__(self, rate_hz: int, channels: int) -> None:
        """Bands of a signal at this rate; those beyond half of it stay empty."""
        self._rate_hz = rate_hz
        # Several transforms at a time, which NumPy does one by one; its import is worth waiting for only where bands are wanted.
        from scipy.fft import rfft  # noqa: PLC0415

        self._transform = rfft
        self._size = 1 << int(np.ceil(np.log2(_WINDOW_S * rate_hz)))
        window = np.hanning(self._size + 1)[:-1]
        self._window = window.astype(np.float32)
        self._matrix = _matrix(rate_hz, self._size, float((window**2).sum()))
        # Silence before the first sample, so that the first frame is centred like every other.
        self._lead = self._size // 2 - rate_hz // FRAMES_PER_S // 2
        self._held = np.zeros((channels, self._lead), dtype=np.float32)
        self._offset = -self._lead
        self._seen = 0
        self._frames = 0
        self._found: list[NDArray[np.float32]] = []

    def feed(self, channels: NDArray[np.float32]) -> None:
        """Take the next samples."""
        self._seen += channels.shape[1]
        held = np.concatenate([self._held, channels], axis=1)
        self._held, self._offset = self._work(held, self._offset)

    def finish(self) -> NDArray[np.float32]:
        """The frames that the signal fills to their middle, the last ones against silence."""
        tail = np.zeros((len(self._held), self._size), dtype=np.float32)
        self._work(np.concatenate([self._held, tail], axis=1), self._offset)
        count = self._seen * FRAMES_PER_S // self._rate_hz
        found = np.concatenate(self._found) if self._found else np.zeros((0, len(CENTRES_HZ)), dtype=np.float32)
        return found[:count]

    def _work(self, held: NDArray[np.float32], offset: int) -> tuple[NDArray[np.float32], int]:
        """Analyse every whole frame; returns what is left and the place of its first sample."""
        begins = []
        while (begin := self._begin(self._frames) - offset) + self._size <= held.shape[1]:
            begins.append(begin)
            self._frames += 1
        for k in range(0, len(begins), _BATCH):
            self._found.append(self._analyse(held, begins[k : k + _BATCH]))
        keep = max(0, self._begin(self._frames) - offset)
        return held[:, keep:], offset + keep

    def _begin(self, frame: int) -> int:
        return frame * self._rate_hz // FRAMES_PER_S - self._lead

    def _analyse(self, held: NDArray[np.float32], begins: list[int]) -> NDArray[np.float32]:
        # Real and imaginary parts lie side by side and are squared as they lie; the matrix counts both.
        total = np.zeros((len(begins), self._matrix.shape[0]), dtype=np.float32)
        for channel in held:
            frames = np.stack([channel[b : b + self._size] for b in begins])
            frames *= self._window
            parts = self._transform(frames, axis=1, overwrite_x=True).view(np.float32)[:, : total.shape[1]]
            total += parts * parts
        return total @ self._matrix


def _matrix(rate_hz: int, size: int, window_energy: float) -> NDArray[np.float32]:
    """From squared real and imaginary parts ``(2 * bins,)`` to mean squares ``(18,)``; a bin on an edge is shared."""
    width = rate_hz / size
    last = min(size // 2, int(np.ceil(_EXACT_HZ[-1] * 2 ** (1 / 6) / width)) + 1)
    low = (np.arange(last + 1) - 0.5) * width
    lower, upper = _EXACT_HZ * 2 ** (-1 / 6), _EXACT_HZ * 2 ** (1 / 6)
    inside = np.minimum(low[:, None] + width, upper[None]) - np.maximum(low[:, None], lower[None])
    share = np.clip(inside / width, 0, 1) * (upper[None] <= rate_hz / 2)
    matrix: NDArray[np.float32] = np.repeat(share * 2 / (size * window_energy), 2, axis=0).astype(np.float32)
    return matrix
