"""A coarse mono copy of a signal on disk, to compare stretches of mix and stems without decoding again."""

import os
import tempfile
from types import TracebackType
from typing import Self

import numpy as np
from numpy.typing import NDArray

from ...signal.kernels import sums_of_four

_EVERY = 4


class MonoProxy:
    """Feed blocks ``(frames, channels)``, then read stretches as mono at a quarter of the rate.

    A context manager: the file goes with it.
    """

    def __init__(self, rate_hz: int) -> None:
        """A proxy of a signal at ``rate_hz``."""
        self.rate_hz = rate_hz // _EVERY
        self._file = tempfile.TemporaryFile()  # noqa: SIM115  (open as long as the proxy)

    def __enter__(self) -> Self:
        """Keep the file open."""
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        """Give the file back."""
        self._file.close()

    def feed(self, block: NDArray[np.float32]) -> None:
        """Take the next samples. Four frames become one: what folds over does so alike in mix and stem."""
        mono = np.empty(len(block) // _EVERY, dtype=np.float32)
        # Blocks lie in memory channel by channel.
        sums_of_four(np.ascontiguousarray(block.T), np.float32(1 / (_EVERY * block.shape[1])), mono)
        self._file.write(mono.data)

    def read(self, start_s: float, length_s: float) -> NDArray[np.float32]:
        """Mono samples from a time on; fewer where the signal ends. Several threads may read."""
        self._file.flush()
        mono = np.empty(round(length_s * self.rate_hz), dtype=np.float32)
        got = os.preadv(self._file.fileno(), [mono.data], max(0, round(start_s * self.rate_hz)) * mono.itemsize)
        return mono[: got // mono.itemsize]
