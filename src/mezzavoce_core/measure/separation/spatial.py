"""What a mix holds in the middle, on its sides and elsewhere: K-weighted powers in one-third octaves every 10 ms.

Bands from 50 Hz to 16 kHz with the centres of IEC 61260 (base two). Dialogue stands on one axis, most often the middle;
what lies off that axis is music and effects.
"""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ...media.layouts import channel_weights, positions
from ...signal.filters import k_response
from ...signal.frames import Bins, Frames
from ...signal.rows import Rows
from ...units import Floats
from ..meter import TICKS_PER_S

BANDS = 26
FIRST_OF_18 = 5
"""The 18 bands in which audibility is told begin with this one."""
CENTRES_HZ = 1000 * 2.0 ** (np.arange(-13, 13) / 3)
_WINDOW_S = 0.0427
_HALF = np.float32(np.sqrt(0.5))


@dataclass(frozen=True)
class Spatial:
    """Powers ``(ticks, 26)``, all on the scale of the mix's loudness.

    ``mid`` and ``side``: half the sum and half the difference of left and right, times the square root of 2, so that
    both together are the power of the pair; ``cross``: their product. ``centre``: a centre channel by itself, None
    where there is none; ``rest``: all other channels.
    """

    mid: NDArray[np.float32]
    side: NDArray[np.float32]
    cross: NDArray[np.float32]
    centre: NDArray[np.float32] | None = None
    rest: NDArray[np.float32] | None = None

    @property
    def total(self) -> NDArray[np.float32]:
        """The power of all channels."""
        parts = [p for p in (self.centre, self.rest) if p is not None]
        return sum(parts, self.mid + self.side)

    def __len__(self) -> int:
        """How many ticks there are."""
        return len(self.mid)

    def filled(self, ticks: int) -> "Spatial":
        """The same over so many ticks, with silence at the end."""
        if len(self) == ticks:
            return self
        names = ("mid", "side", "cross", "centre", "rest")
        return replace(self, **{n: _filled(p, ticks) for n in names if (p := getattr(self, n)) is not None})


def _filled(part: NDArray[np.float32], ticks: int) -> NDArray[np.float32]:
    return np.concatenate([part[:ticks], np.zeros((max(0, ticks - len(part)), part.shape[1]), dtype=np.float32)])


class SpatialBands:
    """Feed channels ``(channels, frames)`` in any portions, then take ``finish()``."""

    def __init__(self, rate_hz: int, layout: str, channels: int, about_s: float = 60.0) -> None:
        """Bands of a mix at this rate; those beyond half of it stay empty."""
        self._rate_hz, self._channels, self._seen = rate_hz, channels, 0
        self._cut = cut_for(rate_hz)
        self._roles = channel_roles(layout, channels)
        ticks = about_s * TICKS_PER_S + 2
        names = ("mid", "side", "both", *(n for n in ("centre", "rest") if self._roles[n]))
        counts = {"rest": len(self._roles["rest"])}
        self._frames = {n: self._cut.frames(counts.get(n, 1)) for n in names}
        self._rows = {n: Rows(BANDS, np.float32, ticks) for n in names}
        weights = channel_weights(layout, channels)
        self._scales = np.sqrt(weights[self._roles["rest"]]).astype(np.float32)[:, None]

    def feed(self, channels: NDArray[np.float32]) -> None:
        """Take the next samples."""
        self._seen += channels.shape[1]
        self._take(channels)

    def finish(self) -> Spatial:
        """The ticks that the signal fills, the last ones against silence."""
        count = self._seen * TICKS_PER_S // self._rate_hz
        self._take(np.zeros((self._channels, self._rate_hz), dtype=np.float32))
        found = {n: self._rows.pop(n).whole[:count] for n in list(self._rows)}
        mid, side, cross = found["mid"], found["side"], found.pop("both")
        # |m + s|^2 = |m|^2 + |s|^2 + 2 m s; hours of it are worth no copy.
        cross -= mid
        cross -= side
        cross *= np.float32(0.5)
        return Spatial(mid, side, cross, found.get("centre"), found.get("rest"))

    def _take(self, channels: NDArray[np.float32]) -> None:
        for name, signal in self._signals(channels):
            self._rows[name].add(self._frames[name].feed(signal))

    def _signals(self, channels: NDArray[np.float32]) -> Iterator[tuple[str, NDArray[np.float32]]]:
        pair = self._roles["pair"]
        if len(pair) == 2:
            left, right = channels[pair[0]], channels[pair[1]]
            mid, side = (left + right) * _HALF, (left - right) * _HALF
        else:
            mid = channels[pair[0]] if pair else np.zeros(channels.shape[1], dtype=np.float32)
            side = np.zeros_like(mid)
        yield from (("mid", mid[None]), ("side", side[None]), ("both", (mid + side)[None]))
        if self._roles["centre"]:
            yield "centre", channels[self._roles["centre"]]
        if self._roles["rest"]:
            yield "rest", channels[self._roles["rest"]] * self._scales


def channel_roles(layout: str, channels: int) -> dict[str, list[int]]:
    """Which channels are the front pair, the centre and all others; without low-frequency channels.

    A single channel, and one of a layout without left and right, is its own pair.
    """
    names = positions(layout, channels)
    stereo = "FL" in names and "FR" in names
    pair = [names.index("FL"), names.index("FR")] if stereo else list(range(channels))[:2]
    centre = [k for k, n in enumerate(names) if n == "FC" and k not in pair]
    rest = [k for k, n in enumerate(names) if k not in pair and k not in centre and not n.startswith("LFE")]
    return {"pair": pair, "centre": centre, "rest": rest}


class Aside:
    """The channels in which music plays without the dialogue, if that stands in the middle.

    Left less right; where there is a centre, left and right.
    """

    def __init__(self, layout: str, channels: int) -> None:
        roles = channel_roles(layout, channels)
        self._pair, self._apart = roles["pair"], not roles["centre"]
        self.channels = 0 if len(self._pair) < 2 else 1 if self._apart else 2

    def of(self, channels: NDArray[np.float32]) -> NDArray[np.float32]:
        """From all channels ``(channels, frames)``."""
        left, right = channels[self._pair[0]], channels[self._pair[1]]
        return ((left - right) * _HALF)[None] if self._apart else channels[self._pair]


class Cut:
    """How frames are cut out of a signal at some rate."""

    def __init__(self, rate_hz: int) -> None:
        self._rate_hz = rate_hz
        self.size = 1 << round(float(np.log2(_WINDOW_S * rate_hz)))
        self.window = np.hanning(self.size + 1)[:-1].astype(np.float32)
        self.bins = Bins.shared(_shares(rate_hz, self.size, float((self.window.astype(np.float64) ** 2).sum())))

    def frames(self, channels: int = 1) -> Frames:
        """Frames of a signal of so many channels, their powers summed."""
        return Frames(self._rate_hz, TICKS_PER_S, self.window, self.size, self.bins, channels)


@lru_cache(4)
def cut_for(rate_hz: int) -> Cut:
    """The cut of a rate, made once."""
    return Cut(rate_hz)


def _shares(rate_hz: int, size: int, window_energy: float) -> Floats:
    """What every bin counts in every band ``(bands, bins)``, K-weighted; a bin on an edge is shared."""
    width = rate_hz / size
    half = np.maximum(CENTRES_HZ * (2 ** (1 / 6) - 2 ** (-1 / 6)), width) / 2
    low = (np.arange(size // 2 + 1) - 0.5) * width
    lower, upper = CENTRES_HZ - half, CENTRES_HZ + half
    there = upper <= rate_hz / 2
    # What lies under the lowest and over the highest band counts with them, so that nothing of the loudness is lost.
    lower[0], upper[np.flatnonzero(there)[-1]] = -width, rate_hz
    inside = np.minimum(low[:, None] + width, upper[None]) - np.maximum(low[:, None], lower[None])
    share = np.clip(inside / width, 0, 1) * there
    weighted = share * k_response(rate_hz, np.arange(size // 2 + 1) * width)[:, None]
    shares: Floats = weighted.T * 2 / (size * window_energy)
    return shares


def without_weighting(rate_hz: int) -> Floats:
    """Factors ``(26,)`` that turn the powers of bands into what they are without K-weighting."""
    factors: Floats = 1 / np.maximum(k_response(rate_hz, np.minimum(CENTRES_HZ, rate_hz / 2)), 1e-3)
    return factors
