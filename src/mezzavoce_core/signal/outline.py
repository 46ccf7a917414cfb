"""The outline of a sound: 18 bands from 90 Hz to 11 kHz every 20 ms, by which it is found again elsewhere.

Of the sum of all channels at half the rate: enough to tell one moment from another, and small enough to keep.
"""

import numpy as np
from numpy.typing import NDArray

from .bands import LEAST_HZ, Halver
from .frames import Frames
from .rows import Rows
from .spectrum import hundredths, log_bins

BANDS = 18
FRAMES_PER_S = 50
_EDGES_HZ = 90.0 * (11000.0 / 90.0) ** (np.arange(BANDS + 1) / BANDS)
_WINDOW_S = 0.0427


class Outline:
    """Feed channels ``(channels, frames)`` in any portions, then take ``finish()``.

    ``(frames of 20 ms, 18)``, dB in hundredths as int16; frame k is centred on the middle of the 20 ms that begin at
    k / 50 s.
    """

    def __init__(self, rate_hz: int, channels: int, about_s: float = 60.0) -> None:
        """Of a signal at this rate that lasts about so long; bands beyond half of it stay at the floor."""
        self._given_hz, self._seen = rate_hz, 0
        self._scale = np.float32(1 / np.sqrt(channels))
        self._halvers: list[Halver] = []
        while rate_hz >= 2 * LEAST_HZ and rate_hz % 2 == 0:
            rate_hz //= 2
            self._halvers.append(Halver(1))
        self._tail = 1 << round(float(np.log2(_WINDOW_S * rate_hz)))
        window = np.hanning(self._tail + 1)[:-1]
        bins = log_bins(rate_hz, self._tail, float((window**2).sum()), _EDGES_HZ)
        self._frames = Frames(rate_hz, FRAMES_PER_S, window.astype(np.float32), self._tail, bins, 1)
        self._found = Rows(BANDS, np.int16, about_s * FRAMES_PER_S + 2)

    def feed(self, channels: NDArray[np.float32]) -> None:
        """Take the next samples."""
        self._seen += channels.shape[1]
        self._take((channels.sum(axis=0, dtype=np.float32) * self._scale)[None])

    def finish(self) -> NDArray[np.int16]:
        """The frames that the signal fills, the last ones against silence."""
        count = self._seen * FRAMES_PER_S // self._given_hz
        self._take(np.zeros((1, self._given_hz), dtype=np.float32))
        return self._found.whole[:count].copy()

    def _take(self, mono: NDArray[np.float32]) -> None:
        for halver in self._halvers:
            mono = halver.feed(mono)
        self._found.add(hundredths(self._frames.feed(mono)))
