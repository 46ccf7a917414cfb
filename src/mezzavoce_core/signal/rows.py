"""Rows that come in portions, kept in one array from the start.

Hours of sound do not lie in memory twice when the last one is there.
"""

from typing import Generic, TypeVar

import numpy as np
from numpy.typing import NDArray

# What a file says of its length may be wrong; more than this is not believed, and comes by growing.
_MOST_CELLS = 8_000_000
_LEAST_ROWS = 1000
Cell = TypeVar("Cell", bound=np.generic)


class Rows(Generic[Cell]):
    """Add portions ``(rows, columns)``, then take the ``whole``."""

    def __init__(self, columns: int, kind: type[Cell], about: float) -> None:
        """Of numbers of a ``kind``; ``about`` so many rows will come, which need not be right."""
        room = max(_LEAST_ROWS, int(min(about, _MOST_CELLS / max(1, columns))))
        # What is not written to yet takes no memory.
        self._all: NDArray[Cell] = np.empty((room, columns), dtype=kind)
        self._count = 0

    def add(self, portion: NDArray[Cell]) -> None:
        """Take the next rows."""
        needed = self._count + len(portion)
        if needed > len(self._all):
            grown = np.empty((max(needed, len(self._all) * 3 // 2), self._all.shape[1]), dtype=self._all.dtype)
            grown[: self._count] = self._all[: self._count]
            self._all = grown
        self._all[self._count : needed] = portion
        self._count = needed

    @property
    def whole(self) -> NDArray[Cell]:
        """All rows so far."""
        return self._all[: self._count]
