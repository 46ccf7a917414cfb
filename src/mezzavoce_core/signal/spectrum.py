"""Levels of a signal in 48 bands, logarithmic from 50 Hz to 15 kHz, every 20 ms: what changes of gain are read from.

What left and right have in common stands apart from what they have not: a gain moves both alike, a note hardly ever does.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ..units import Floats, db_to_power, power_to_db
from .frames import Bins, Frames
from .rows import Rows

BANDS = 48
COLUMNS = 2 * BANDS
FRAMES_PER_S = 50
FLOOR_DB = -130.0
SILENCE = round(100 * FLOOR_DB)
"""What stands for silence."""
_LOWEST_HZ, _HIGHEST_HZ = 50.0, 15000.0
_WINDOW_S = 0.0427
_PIECE_FRAMES = 20000


class Spectrum:
    """Feed channels ``(channels, frames)`` in any portions, then take ``finish()``: ``(frames of 20 ms, 2 x 48)``, dB in hundredths as int16.

    First come the bands of half the sum of left and right (times the square root of 2) and of all other channels, then those of their
    difference; both together are the power of all channels. Frame k is centred on the middle of the 20 ms that begin at k / 50 s;
    levels are mean squares of a full-scale square wave's, not under -130 dB.
    """

    def __init__(self, rate_hz: int, channels: int, about_s: float = 60.0) -> None:
        """A spectrum of a signal at this rate that lasts about so long; bands beyond half of it stay at the floor."""
        self._rate_hz, self._channels = rate_hz, channels
        self._size: int = 1 << round(float(np.log2(_WINDOW_S * rate_hz)))
        window = np.hanning(self._size + 1)[:-1]
        bins = _bins(rate_hz, self._size, float((window**2).sum()))
        counts = (1,) if channels == 1 else (channels - 1, 1)
        self._frames = [Frames(rate_hz, FRAMES_PER_S, window.astype(np.float32), self._size, bins, count) for count in counts]
        self._seen = 0
        self._found = Rows(COLUMNS, np.int16, about_s * FRAMES_PER_S + 2)

    def feed(self, channels: NDArray[np.float32]) -> None:
        """Take the next samples."""
        self._seen += channels.shape[1]
        found = [frames.feed(part) for frames, part in zip(self._frames, _parted(channels), strict=True)]
        squares = np.concatenate([*found, *(np.zeros_like(found[0]) for _ in range(2 - len(found)))], axis=1)
        level = 10 * np.log10(np.maximum(squares, np.float32(10 ** (FLOOR_DB / 10))))
        self._found.add(np.round(level * 100).astype(np.int16))

    def finish(self) -> NDArray[np.int16]:
        """The frames that the signal fills, the last ones against silence."""
        count = self._seen * FRAMES_PER_S // self._rate_hz
        self.feed(np.zeros((self._channels, self._size + self._rate_hz // FRAMES_PER_S), dtype=np.float32))
        return self._found.whole[:count]


def whole(levels: Floats) -> Floats:
    """The bands of all channels together ``(frames, 48)`` in dB, from levels ``(frames, 2 x 48)``."""
    together = np.empty((len(levels), BANDS), dtype=np.float32)
    for first in range(0, len(levels), _PIECE_FRAMES):
        part = levels[first : first + _PIECE_FRAMES]
        power = db_to_power(part[:, :BANDS]) + db_to_power(part[:, BANDS:])
        together[first : first + _PIECE_FRAMES] = np.maximum(power_to_db(power), FLOOR_DB)
    return together


def _parted(channels: NDArray[np.float32]) -> list[NDArray[np.float32]]:
    """What the first two channels have in common with all others, and what sets them apart; a single channel as it is."""
    if len(channels) == 1:
        return [channels]
    left, right, half = channels[0], channels[1], np.float32(np.sqrt(0.5))
    return [np.concatenate([((left + right) * half)[None], channels[2:]]), ((left - right) * half)[None]]


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


def summed(spectra: Sequence[NDArray[np.int16]], gains_db: Sequence[float]) -> Floats:
    """Levels in dB of several stems together, as if they had nothing in common, each with its gain."""
    if len(spectra) == 1:
        single: Floats = spectra[0] / np.float32(100) + np.float32(gains_db[0])
        return single
    total = sum(10 ** ((s / np.float32(100) + np.float32(g)) / 10) for s, g in zip(spectra, gains_db, strict=True))
    levels: Floats = np.maximum(power_to_db(np.asarray(total)), FLOOR_DB)
    return levels
