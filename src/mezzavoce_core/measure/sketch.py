"""A coarse mono copy of a signal on disk, to compare stretches of mix and stems without decoding again."""

import tempfile
from types import TracebackType
from typing import Self

import numpy as np
from numpy.typing import NDArray

_EVERY = 4


class Sketch:
    """Feed blocks ``(frames, channels)``, then read stretches as mono at a quarter of the rate. A context manager: the file goes with it."""

    def __init__(self, rate_hz: int) -> None:
        """A sketch of a signal at ``rate_hz``."""
        self.rate_hz = rate_hz // _EVERY
        self._file = tempfile.TemporaryFile()  # noqa: SIM115  (open as long as the sketch)

    def __enter__(self) -> Self:
        """Keep the file open."""
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        """Give the file back."""
        self._file.close()

    def feed(self, block: NDArray[np.float32]) -> None:
        """Take the next samples. Four frames become one: what folds over does so alike in mix and stem."""
        whole = len(block) // _EVERY * _EVERY
        # Blocks lie in memory channel by channel; sums along that are many times quicker than across.
        summed = block[:whole].T.sum(axis=0)
        mono = sum(summed[k::_EVERY] for k in range(_EVERY)) * np.float32(1 / (_EVERY * block.shape[1]))
        self._file.write(mono.astype(np.float32, copy=False).tobytes())

    def read(self, start_s: float, length_s: float) -> NDArray[np.float32]:
        """Mono samples from a time on; fewer where the signal ends."""
        self._file.seek(max(0, round(start_s * self.rate_hz)) * 4)
        return np.frombuffer(self._file.read(round(length_s * self.rate_hz) * 4), dtype=np.float32)
