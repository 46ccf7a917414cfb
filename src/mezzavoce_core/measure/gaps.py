"""Stretches of silence between sound, of which drop-outs are told.

With how loud it was right before and right after.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..signal.spans import runs

QUIET = 1e-4
"""Amplitude (-80 dBFS) that counts as silence here."""
_NEAR_S = 0.002


@dataclass(frozen=True)
class Gap:
    """Silence in one channel from sample ``first`` up to ``last``.

    ``before`` and ``after`` are the peaks of the 2 ms on either side.
    """

    channel: int
    first: int
    last: int
    before: float
    after: float


class GapFinder:
    """Feed one channel with its ticks' peaks; silence at the head and at the tail of the signal is no gap."""

    def __init__(self, channel: int, rate_hz: int, first: int = 0) -> None:
        """A finder for one channel; ``first`` is the number of the first sample that is fed."""
        self._channel = channel
        self._near = max(2, round(_NEAR_S * rate_hz))
        self._tail = np.zeros(0, dtype=np.float32)
        self._seen = first
        self._heard = False
        self._open: tuple[int, float] | None = None
        self.found: list[Gap] = []

    def feed(self, x: NDArray[np.float32], edges: NDArray[np.int64], peaks: NDArray[np.float32]) -> None:
        """Take the next samples; ``edges`` bound the ticks in ``x``, ``peaks`` are their highest samples."""
        quiet = peaks < QUIET
        silences = runs(quiet) if quiet.any() else []
        if silences or self._open is not None:
            self._look(x, edges, quiet, silences)
        self._heard = self._heard or not quiet.all()
        self._seen += len(x)
        self._tail = x[-int(np.diff(edges).max()) - self._near :].copy()

    def _look(
        self,
        x: NDArray[np.float32],
        edges: NDArray[np.int64],
        quiet: NDArray[np.bool_],
        silences: list[tuple[int, int]],
    ) -> None:
        samples = np.concatenate([self._tail, x])
        shift = len(self._tail)
        if self._open is not None and not quiet[0]:
            self._close(samples, shift, int(edges[0]) + shift)
        for first, last in silences:
            if self._open is None and (first > 0 or self._heard):
                self._begin(samples, shift, int(edges[first]) + shift)
            if self._open is not None and last < len(quiet):
                self._close(samples, shift, int(edges[last]) + shift)

    def _begin(self, samples: NDArray[np.float32], shift: int, at: int) -> None:
        """From the first quiet tick back to the last sample that is heard."""
        loud = np.flatnonzero(np.abs(samples[:at]) >= QUIET)
        begin = int(loud[-1]) + 1 if len(loud) else at
        near = np.abs(samples[max(0, begin - self._near) : begin])
        self._open = (self._seen - shift + begin, float(near.max()) if len(near) else 0.0)

    def _close(self, samples: NDArray[np.float32], shift: int, at: int) -> None:
        """From the last quiet tick on to the first sample that is heard again."""
        assert self._open is not None
        loud = np.flatnonzero(np.abs(samples[at:]) >= QUIET)
        end = at + int(loud[0]) if len(loud) else len(samples)
        near = np.abs(samples[end : end + self._near])
        first, before = self._open
        self.found.append(
            Gap(self._channel, first, self._seen - shift + end, before, float(near.max()) if len(near) else 0.0)
        )
        self._open = None
