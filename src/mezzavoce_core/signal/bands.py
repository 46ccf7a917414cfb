"""Energy in the 18 one-third-octave bands from 160 Hz to 8 kHz, in blocks of 100 ms.

Centres and edges are the nominal ones of IEC 61260 with a base of two; source of the choice of bands: ANSI S3.5-1997.
Rates from 44.1 kHz up are halved first, as often as the highest band allows.
"""

import numpy as np
from numpy.typing import NDArray

from .filters import half_band
from .frames import Bins, Frames
from .kernels import PIECE, halve
from .transforms import good_size

CENTRES_HZ = (160, 200, 250, 315, 400, 500, 630, 800, 1000, 1250, 1600, 2000, 2500, 3150, 4000, 5000, 6300, 8000)
FRAMES_PER_S = 10
_EXACT_HZ = 1000 * 2.0 ** (np.arange(-8, 10) / 3)
# Neighbours fade into each other over so long.
_FADE_S = 0.0125
LEAST_HZ = 22050
_FIRST = 1024


class Bands:
    """Feed channels ``(channels, frames)`` in any portions, then take ``finish()``.

    ``(blocks of 100 ms, 18)``, mean squares summed over channels.

    Neighbouring windows add up to one in energy, so that nothing between blocks is lost or counted twice.
    """

    def __init__(self, rate_hz: int, channels: int) -> None:
        """Bands of a signal at this rate; those beyond half of it stay empty."""
        self._given_hz, self._channels = rate_hz, channels
        # Left and right alike, as a voice in the middle is, are looked at once: twice a square is exactly the sum of
        # both.
        self._twins = channels == 2
        own = 1 if self._twins else channels
        self._halvers: list[Halver] = []
        while rate_hz >= 2 * LEAST_HZ and rate_hz % 2 == 0:
            rate_hz //= 2
            self._halvers.append(Halver(own))
        window = _window(rate_hz)
        size = good_size(len(window))
        self._frames = Frames(rate_hz, FRAMES_PER_S, window, size, _bins(rate_hz, size), own)
        self._seen = 0
        self._found: list[NDArray[np.float32]] = []

    def feed(self, channels: NDArray[np.float32]) -> None:
        """Take the next samples."""
        self._seen += channels.shape[1]
        if self._twins and not _alike(*channels):
            self._twins = False
            for halver in self._halvers:
                halver.spread(2)
            self._frames.spread(2)
        channels = channels[:1] if self._twins else channels
        for halver in self._halvers:
            channels = halver.feed(channels)
        found = self._frames.feed(channels)
        self._found.append(2 * found if self._twins else found)

    def finish(self) -> NDArray[np.float32]:
        """The blocks that the signal fills, the last one against silence."""
        count = self._seen * FRAMES_PER_S // self._given_hz
        self.feed(np.zeros((self._channels, self._given_hz), dtype=np.float32))
        return np.concatenate(self._found)[:count]


class Halver:
    """Halves the rate of channels fed in any portions; sample n of the result lies at sample 2 n of the signal."""

    def __init__(self, channels: int) -> None:
        self._taps = half_band()
        self._held = np.zeros((channels, len(self._taps) // 2), dtype=np.float32)
        self._room = np.empty((2, PIECE + len(self._taps)), dtype=np.float32)

    def spread(self, channels: int) -> None:
        """From one channel to so many, all of which were alike so far."""
        self._held = np.repeat(self._held, channels, axis=0)

    def feed(self, channels: NDArray[np.float32]) -> NDArray[np.float32]:
        """The samples that can be had so far."""
        held, length = self._held.shape[1], len(self._taps)
        count = max(0, (held + channels.shape[1] - length) // 2 + 1)
        # Only what begins in the samples held needs both; everything else is read where it lies.
        joint = min(count, -(-held // 2))
        both = np.concatenate([self._held, channels[:, :length]], axis=1)
        out = np.empty((len(channels), count), dtype=np.float32)
        for c, x in enumerate(channels):
            halve(self._taps, both[c], out[c, :joint], self._room)
            halve(self._taps, x[2 * joint - held :], out[c, joint:], self._room)
        rest = held + channels.shape[1] - 2 * count
        self._held = np.concatenate([self._held, channels[:, -rest:]], axis=1)[:, -rest:]
        return out


def _alike(left: NDArray[np.float32], right: NDArray[np.float32]) -> bool:
    """Whether two channels are the same sample by sample; most that are not differ at once."""
    return np.array_equal(left[:_FIRST], right[:_FIRST]) and np.array_equal(left, right)


def _window(rate_hz: int) -> NDArray[np.float32]:
    """Level over a block, with a quarter of a sine's wave over each of its edges."""
    fade = 2 * round(_FADE_S * rate_hz / 2)
    rise = np.sin(np.pi / 2 * (np.arange(fade) + 0.5) / fade)
    window: NDArray[np.float32] = np.concatenate([rise, np.ones(rate_hz // FRAMES_PER_S - fade), rise[::-1]]).astype(
        np.float32
    )
    return window


def _bins(rate_hz: int, size: int) -> Bins:
    """One-third octaves; a bin on an edge is shared."""
    width = rate_hz / size
    low = (np.arange(size // 2 + 1) - 0.5) * width
    lower, upper = _EXACT_HZ * 2 ** (-1 / 6), _EXACT_HZ * 2 ** (1 / 6)
    inside = np.minimum(low[:, None] + width, upper[None]) - np.maximum(low[:, None], lower[None])
    share = np.clip(inside / width, 0, 1) * (upper[None] <= rate_hz / 2) * 2 * FRAMES_PER_S / (size * rate_hz)
    return Bins.shared(share.T)
