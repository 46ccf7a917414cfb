"""Levels of a signal in 48 bands, logarithmic from 50 Hz to 15 kHz, every 20 ms: what changes of gain are read from.

What left and right have in common stands apart from what they have not: a gain moves both alike, a note hardly ever
does. Instants of 5 ms, in eight octaves of what they have in common, tell how quickly it moves.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ..units import Floats, db_to_power, power_to_db
from .frames import Bins, Frames
from .rows import Rows

BANDS = 48
FRAMES_PER_S = 50
OCTAVES = 8
INSTANTS = 4
"""In a frame."""
INSTANTS_PER_S = INSTANTS * FRAMES_PER_S
COLUMNS = 2 * BANDS + INSTANTS * OCTAVES
FLOOR_DB = -130.0
SILENCE = round(100 * FLOOR_DB)
"""What stands for silence."""
_EDGES_HZ = 50.0 * (15000.0 / 50.0) ** (np.arange(BANDS + 1) / BANDS)
_OCTAVE_EDGES_HZ = 20000.0 * 2.0 ** np.arange(-OCTAVES, 1)
_WINDOW_S, _INSTANT_S = 0.0427, 0.0107
_PIECE_FRAMES = 20000


class Spectrum:
    """Feed channels ``(channels, frames)`` in any portions, then take ``finish()``.

    ``(frames of 20 ms, 2 x 48 + 4 x 8)``, dB in hundredths as int16.

    First come the bands of half the sum of left and right (times the square root of 2) and of all other channels, then
    those of their difference; both together are the power of all channels. Frame k is centred on the middle of the 20
    ms that begin at k / 50 s; levels are mean squares of a full-scale square wave's, not under -130 dB. Last come the
    octaves, up to 20 kHz, of the first part in each of the four instants of the frame.
    """

    def __init__(self, rate_hz: int, channels: int, about_s: float = 60.0) -> None:
        """A spectrum of a signal at this rate that lasts about so long; bands beyond half of it stay at the floor."""
        self._rate_hz, self._channels = rate_hz, channels
        long, short = _Cut(rate_hz, _WINDOW_S, _EDGES_HZ), _Cut(rate_hz, _INSTANT_S, _OCTAVE_EDGES_HZ)
        counts = (1,) if channels == 1 else (channels - 1, 1)
        self._frames, self._tail = [long.frames(FRAMES_PER_S, count) for count in counts], long.size
        self._instants = short.frames(INSTANTS_PER_S, counts[0])
        self._seen = 0
        self._found = Rows(2 * BANDS, np.int16, about_s * FRAMES_PER_S + 2)
        self._quick = Rows(OCTAVES, np.int16, about_s * INSTANTS_PER_S + 8)

    def feed(self, channels: NDArray[np.float32]) -> None:
        """Take the next samples."""
        self._seen += channels.shape[1]
        parts = _parted(channels)
        found = [frames.feed(part) for frames, part in zip(self._frames, parts, strict=True)]
        self._found.add(
            hundredths(np.concatenate([*found, *(np.zeros_like(found[0]) for _ in range(2 - len(found)))], axis=1))
        )
        self._quick.add(hundredths(self._instants.feed(parts[0])))

    def finish(self) -> NDArray[np.int16]:
        """The frames that the signal fills, the last ones against silence."""
        count = self._seen * FRAMES_PER_S // self._rate_hz
        self.feed(np.zeros((self._channels, self._tail + self._rate_hz // FRAMES_PER_S), dtype=np.float32))
        return np.concatenate(
            [self._found.whole[:count], self._quick.whole[: INSTANTS * count].reshape(count, -1)], axis=1
        )


class _Cut:
    """How frames of about ``window_s`` are cut, and the bands between some edges that they are summed into."""

    def __init__(self, rate_hz: int, window_s: float, edges_hz: Floats) -> None:
        self._rate_hz = rate_hz
        self.size: int = 1 << round(float(np.log2(window_s * rate_hz)))
        self._window = np.hanning(self.size + 1)[:-1]
        self._bins = log_bins(rate_hz, self.size, float((self._window**2).sum()), edges_hz)

    def frames(self, per_s: int, channels: int) -> Frames:
        return Frames(self._rate_hz, per_s, self._window.astype(np.float32), self.size, self._bins, channels)


def hundredths(squares: NDArray[np.float32]) -> NDArray[np.int16]:
    """Levels of mean squares in hundredths of a dB."""
    level = 10 * np.log10(np.maximum(squares, np.float32(10 ** (FLOOR_DB / 10))))
    return np.round(level * 100).astype(np.int16)


def bands(levels: Floats) -> Floats:
    """The bands ``(frames, 2 x 48)`` of levels ``(frames, columns)``."""
    return levels[:, : 2 * BANDS]


def instants(levels: Floats) -> Floats:
    """The octaves of every instant ``(4 x frames, 8)`` of levels ``(frames, columns)``."""
    return levels[:, 2 * BANDS :].reshape(-1, OCTAVES)


def whole(levels: Floats) -> Floats:
    """The bands of all channels together ``(frames, 48)`` in dB, from levels ``(frames, columns)``."""
    together = np.empty((len(levels), BANDS), dtype=np.float32)
    for first in range(0, len(levels), _PIECE_FRAMES):
        part = levels[first : first + _PIECE_FRAMES]
        power = db_to_power(part[:, :BANDS]) + db_to_power(part[:, BANDS : 2 * BANDS])
        together[first : first + _PIECE_FRAMES] = np.maximum(power_to_db(power), FLOOR_DB)
    return together


def _parted(channels: NDArray[np.float32]) -> list[NDArray[np.float32]]:
    """What the first two channels have in common with all others, and what sets them apart.

    A single channel as it is.
    """
    if len(channels) == 1:
        return [channels]
    left, right, half = channels[0], channels[1], np.float32(np.sqrt(0.5))
    return [np.concatenate([((left + right) * half)[None], channels[2:]]), ((left - right) * half)[None]]


def log_bins(rate_hz: int, size: int, window_energy: float, edges: Floats) -> Bins:
    """Bands between edges on a logarithmic scale; a bin on an edge is shared."""
    width = rate_hz / size
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
