"""One pass over one signal: K-weighted power, peaks and signs of faults in ticks of 10 ms.

State is carried from block to block.
"""

from collections.abc import Callable, Sequence
from concurrent.futures import Executor
from dataclasses import dataclass, field
from functools import lru_cache, partial
from itertools import zip_longest
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..signal.bands import CENTRES_HZ, Bands
from ..signal.filters import interpolator, interpolator_bounds, k_weighting, recursion
from ..signal.kernels import flat_runs, sample_peaks, true_peaks
from ..signal.outline import BANDS as OUTLINE_BANDS
from ..signal.outline import Outline
from ..signal.rows import Rows
from ..signal.spectrum import COLUMNS, Spectrum
from ..signal.vector_filter import STRETCHES, TABLE
from ..signal.weighting import filter_energy_pair
from .gaps import Gap, GapFinder

TICKS_PER_S = 100
TICKS_PER_BLOCK = 10
BLOCKS_PER_S = 10
# The top of a clipped wave lies at the highest level of its channel; what stays this far under it is not looked at.
_FLAT_FROM = 0.988
_FLAT_LEAST = 0.1
# After so long nothing of what came before is left in the filters of K-weighting (-280 dB).
_FORGOTTEN_S = 0.15


def _no_outline() -> NDArray[np.int16]:
    return np.zeros((0, OUTLINE_BANDS), dtype=np.int16)


@dataclass(frozen=True)
class Levels:
    """What is kept of a signal, in ticks of 10 ms from its first sample.

    ``power`` ``(ticks, channels)``: K-weighted mean square. ``sample_peak``, ``true_peak`` ``(ticks, channels)``:
    highest amplitudes; ``true_peak_at``: the sample within the tick at the highest one; ``flat_run``: the longest run
    of samples at the peak. ``together`` ``(ticks, pairs)``: mean K-weighted product of channels that stand left and
    right of each other. ``bands`` ``(blocks of 100 ms, 18)``: mean squares in one-third octaves, channels summed; no
    rows where they were not asked for. ``spectrum`` ``(frames of 20 ms, columns)``: levels in hundredths of a dB (see
    ``signal.spectrum``); no rows where they were not asked for. A tick that the signal does not fill is not counted in
    ``power``; peaks are kept to the last sample. Where the pass was told a floor, true peaks that cannot reach it are
    given as the sample peak.
    """

    power: NDArray[np.float32]
    sample_peak: NDArray[np.float32]
    true_peak: NDArray[np.float32]
    samples: int
    true_peak_at: NDArray[np.uint16]
    flat_run: NDArray[np.uint16]
    together: NDArray[np.float32]
    bands: NDArray[np.float32]
    spectrum: NDArray[np.int16]
    gaps: tuple[Gap, ...] = ()
    outline: NDArray[np.int16] = field(default_factory=_no_outline)
    """``(frames of 20 ms, 18)``, see ``signal.outline``; no rows where it was not asked for."""


@dataclass(frozen=True)
class Wanted:
    """What a pass is to find out.

    ``peaks``: sample peaks, without which none of the rest is looked at before ``bands``; ``between_samples``: true
    peaks, with a ``floor`` (an amplitude) only the highest and all that pass it.
    """

    peaks: bool = True
    between_samples: bool = True
    floor: float | None = None
    faults: bool = True
    bands: bool = False
    spectrum: bool = False
    outline: bool = False


class Meter:
    """Feed blocks ``(frames, channels)`` that begin on whole seconds, then take ``finish()``."""

    def __init__(
        self,
        rate_hz: int,
        channels: int,
        wanted: Wanted | None = None,
        *,
        pairs: Sequence[tuple[int, int]] | None = None,
        about_s: float = 60.0,
    ) -> None:
        """A meter for signals of this rate and channel count, all state at rest.

        ``pairs`` are channels left and right of each other (default: the first two). The signal lasts ``about_s``
        seconds; where that is wrong, it only takes more memory.
        """
        self._wanted = wanted or Wanted()
        self._rate_hz, self._channels = rate_hz, channels
        self._pairs = list(((0, 1),) if pairs is None and channels > 1 else pairs or ())
        paired = {c for pair in self._pairs for c in pair}
        rest = [c for c in range(channels) if c not in paired]
        # One that is left over goes with itself.
        self._steps = [*self._pairs, *zip_longest(rest[::2], rest[1::2], fillvalue=rest[-1] if rest else 0)]
        self._factors = recursion(k_weighting(rate_hz))
        self._room = np.empty(TABLE), np.empty(STRETCHES, dtype=np.int64)
        self._state = np.zeros((channels, 2, 3))
        self._seen = 0
        ticks = about_s * TICKS_PER_S + 2
        self._power = Rows(channels, np.float32, ticks)
        self._together = Rows(len(self._pairs), np.float32, ticks)
        self._peaks = _Peaks(rate_hz, channels, self._wanted, ticks) if self._wanted.peaks else None
        self._bands = Bands(rate_hz, channels) if self._wanted.bands else None
        self._spectrum = Spectrum(rate_hz, channels, about_s) if self._wanted.spectrum else None
        self._outline = Outline(rate_hz, channels, about_s) if self._wanted.outline else None

    @property
    def seconds(self) -> float:
        """How much was fed so far."""
        return self._seen / self._rate_hz

    def feed(
        self,
        block: NDArray[np.float32],
        beside: Callable[[NDArray[np.float32]], None] | None = None,
        helper: Executor | None = None,
    ) -> None:
        """Take the next samples; every block but the last lasts whole seconds.

        ``beside`` does something else with them meanwhile; a ``helper`` takes half of the work.
        """
        channels = np.ascontiguousarray(block.T)
        parts = [part.feed for part in (self._bands, self._spectrum, self._outline, self._peaks) if part is not None]
        own: list[Callable[[], None]] = [
            partial(self._feed_power, channels),
            *([partial(beside, block)] if beside else []),
        ]
        share(own, [partial(work, channels) for work in parts], helper)

    def finish(self) -> Levels:
        """Flush the interpolator's tail and hand out what was measured."""
        ticks = self._seen * TICKS_PER_S // self._rate_hz
        found = (
            self._peaks.finish()
            if self._peaks
            else _no_peaks(-(-self._seen * TICKS_PER_S // self._rate_hz), self._channels)
        )
        return Levels(
            power=self._power.whole[:ticks],
            together=self._together.whole[:ticks],
            bands=self._bands.finish() if self._bands else np.zeros((0, len(CENTRES_HZ)), dtype=np.float32),
            spectrum=self._spectrum.finish() if self._spectrum else np.zeros((0, COLUMNS), dtype=np.int16),
            samples=self._seen,
            outline=self._outline.finish() if self._outline else _no_outline(),
            **found,
        )

    def _feed_power(self, channels: NDArray[np.float32]) -> None:
        edges = tick_edges(self._seen, channels.shape[1], self._rate_hz)
        ticks = len(edges) - 1
        stretch, ahead = _stretch(self._seen, channels.shape[1], self._rate_hz), round(_FORGOTTEN_S * self._rate_hz)
        power = np.empty((ticks, self._channels), dtype=np.float32)
        together = np.empty((ticks, len(self._pairs)), dtype=np.float32)
        found = np.empty((ticks, 3), dtype=np.float32)
        for k, (a, b) in enumerate(self._steps):
            state = self._state[[a, b]]
            filter_energy_pair(
                channels[a], channels[b], self._factors, state, edges, stretch, ahead, found, *self._room
            )
            self._state[[a, b]] = state
            power[:, [a, b]] = found[:, :2]
            if k < len(self._pairs):
                together[:, k] = found[:, 2]
        self._power.add(power)
        self._together.add(together)
        self._seen += channels.shape[1]


class _Peaks:
    """Sample peaks, true peaks, flat runs and gaps of all channels.

    Works half a filter behind, so that both sides of a sample are known.
    """

    def __init__(self, rate_hz: int, channels: int, wanted: Wanted, ticks: float) -> None:
        self._rate_hz = rate_hz
        self._wanted = wanted
        self._taps = interpolator()
        self._bounds = interpolator_bounds(self._taps)
        # Silence before the first sample, so that ringing ahead of a hard start is seen.
        self._held = np.zeros((channels, self._taps.shape[1] - 1), dtype=np.float32)
        self._at = -(self._taps.shape[1] // 2)
        self._before = self._taps.shape[1] // 2 - 1
        self._seen = 0
        self._totals = np.empty((3, -(-rate_hz // TICKS_PER_S)), dtype=np.float32)
        self._floors = [0.0] * channels
        self._ceiling = -1.0 if wanted.floor is None else wanted.floor
        self._highest = np.zeros(channels)
        self._found: dict[str, Rows[Any]] = {
            "sample_peak": Rows(channels, np.float32, ticks),
            "true_peak": Rows(channels, np.float32, ticks),
            "true_peak_at": Rows(channels, np.uint16, ticks),
            "flat_run": Rows(channels, np.uint16, ticks),
        }
        self._gaps = [GapFinder(c, rate_hz, self._at) for c in range(channels)]

    def feed(self, channels: NDArray[np.float32]) -> None:
        """Take the next samples."""
        self._seen += channels.shape[1]
        # The ticks at the joint need samples of both blocks; all others are read where they lie.
        joint = min(channels.shape[1], 2 * len(self._held[0]) + 2 * self._rate_hz // TICKS_PER_S)
        self._held = self._work(np.concatenate([self._held, channels[:, :joint]], axis=1))
        if joint < channels.shape[1]:
            self._held = self._work(channels[:, joint - self._held.shape[1] :])

    def finish(self) -> dict[str, Any]:
        """The last samples against silence; then all ticks."""
        held = np.concatenate([self._held, np.zeros((len(self._held), self._taps.shape[1]), dtype=np.float32)], axis=1)
        self._work(held, to_the_last=True)
        ticks = max(1, -(-self._seen * TICKS_PER_S // self._rate_hz))
        found = {name: _folded(rows.whole, ticks) for name, rows in self._found.items()}
        peaks, flat = found["sample_peak"], found["flat_run"]
        # What was looked at while the highest level was not known yet goes, so that the way in which blocks are cut
        # leaves no trace.
        flat[peaks < np.float32(_FLAT_FROM) * peaks.max(axis=0)] = 0
        gaps = sorted((g for finder in self._gaps for g in finder.found), key=lambda g: (g.first, g.channel))
        return found | {"gaps": tuple(gaps)}

    def _work(self, held: NDArray[np.float32], *, to_the_last: bool = False) -> NDArray[np.float32]:
        """Look at every whole tick whose surroundings are there; returns the samples that are still needed."""
        count = held.shape[1] - self._taps.shape[1] + 1
        if not to_the_last:
            # Whole ticks only, so that no tick is split by the way in which blocks are cut.
            count = (
                -(-(max(0, self._at + count) * TICKS_PER_S // self._rate_hz) * self._rate_hz // TICKS_PER_S) - self._at
            )
        if count <= 0:
            return held.copy()
        edges = tick_edges(self._at, count, self._rate_hz)
        if edges[0]:
            edges = np.concatenate([[0], edges[1:]])
        shape = (len(edges) - 1, len(held))
        part: dict[str, NDArray[Any]] = {
            "sample_peak": np.empty(shape, dtype=np.float32),
            "true_peak": np.empty(shape, dtype=np.float32),
            "true_peak_at": np.zeros(shape, dtype=np.uint16),
            "flat_run": np.zeros(shape, dtype=np.uint16),
        }
        for c, x in enumerate(held):
            self._channel(c, x, edges, part)
        for name, rows in self._found.items():
            rows.add(part[name])
        self._at += count
        return held[:, count:].copy()

    def _channel(self, c: int, x: NDArray[np.float32], edges: NDArray[np.int64], part: dict[str, NDArray[Any]]) -> None:
        ticks = len(edges) - 1
        bits = np.empty(ticks, dtype=np.uint32)
        sample_peaks(x.view(np.uint32), self._before, edges, bits)
        peaks = bits.view(np.float32)
        part["sample_peak"][:, c] = peaks
        highest, at = peaks.copy(), np.zeros(ticks, dtype=np.uint16)
        if self._wanted.between_samples:
            self._floors[c] = true_peaks(
                x, self._taps, self._bounds, edges, peaks, self._floors[c], self._ceiling, highest, at, self._totals
            )
        part["true_peak"][:, c], part["true_peak_at"][:, c] = highest, at
        if self._wanted.faults:
            self._highest[c] = max(self._highest[c], float(peaks.max()))
            flat = np.empty(ticks, dtype=np.uint16)
            flat_runs(x, self._before, edges, peaks, max(_FLAT_LEAST, _FLAT_FROM * self._highest[c]), flat)
            part["flat_run"][:, c] = flat
            self._gaps[c].feed(x[self._before : self._before + int(edges[-1])], edges, peaks)


def _no_peaks(ticks: int, channels: int) -> dict[str, Any]:
    shape = (max(1, ticks), channels)
    levels, places = np.zeros(shape, dtype=np.float32), np.zeros(shape, dtype=np.uint16)
    return {"sample_peak": levels, "true_peak": levels, "true_peak_at": places, "flat_run": places}


def share(own: Sequence[Callable[[], None]], rest: Sequence[Callable[[], None]], helper: Executor | None) -> None:
    """Do all of it: a helper begins with the ``rest``, longest first.

    Who did his ``own`` takes what the helper has not begun, from the other end.
    """
    if helper is None:
        for work in (*own, *rest):
            work()
        return
    waiting = [(helper.submit(work), work) for work in rest]
    for work in own:
        work()
    for job, work in reversed(waiting):
        if job.cancel():
            work()
    for job, _ in waiting:
        if not job.cancelled():
            job.result()


def _stretch(first: int, count: int, rate_hz: int) -> int:
    """How many ticks a quarter of ``count`` samples may have, so that ticks of all quarters are alike in length.

    0 where that is not worth it.
    """
    alike = 1 if rate_hz % TICKS_PER_S == 0 else TICKS_PER_S
    if first % (rate_hz * alike // TICKS_PER_S):
        return 0
    ticks = count * TICKS_PER_S // rate_hz // STRETCHES // alike * alike
    return ticks if ticks >= 2 * _FORGOTTEN_S * TICKS_PER_S else 0


def tick_edges(first: int, count: int, rate_hz: int) -> NDArray[np.int64]:
    """Boundaries, relative to sample ``first``, of the ticks that ``count`` samples touch."""
    # Ticks lie alike in every second, so that few patterns come up again and again.
    return _tick_edges(first % rate_hz if first >= 0 else first, count, rate_hz)


@lru_cache(16)
def _tick_edges(first: int, count: int, rate_hz: int) -> NDArray[np.int64]:
    begin = max(0, first) * TICKS_PER_S // rate_hz
    end = max(begin, (first + count - 1) * TICKS_PER_S // rate_hz) + 1
    # A tick begins with the first sample that is not before it.
    bounds = -(-np.arange(begin, end + 1, dtype=np.int64) * rate_hz // TICKS_PER_S) - first
    edges: NDArray[np.int64] = np.clip(bounds, 0, count)
    edges.flags.writeable = False
    return edges


def _folded(values: NDArray[Any], ticks: int) -> NDArray[Any]:
    """What rings on behind the last sample belongs to the last tick."""
    if len(values) > ticks:
        values[ticks - 1] = values[ticks - 1 :].max(axis=0)
    return values[:ticks]
