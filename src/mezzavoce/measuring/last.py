"""What this process judged last, kept in memory: a stretch corrected by hand is judged again without reading the measurement anew."""

from collections.abc import Callable
from threading import Lock
from typing import TYPE_CHECKING

from mezzavoce_core.exchange.features import read_features
from mezzavoce_core.judge.model import Judgement
from mezzavoce_core.measure.measurement import Measurement

from ..library.models import StoredFile
from ..library.storage import local_copy

if TYPE_CHECKING:
    from uuid import UUID

Judge = Callable[[Measurement, Judgement | None], Judgement]
"""Judges a measurement; an earlier judgement of it, if there is one, saves work."""


class LastJudged:
    """One measurement and its newest judgement. One thread judges at a time: whoever waits finds done what the one before it did."""

    def __init__(self) -> None:
        self._lock = Lock()
        self._file: UUID | None = None
        self._measurement: Measurement | None = None
        self._judgement: Judgement | None = None

    def judged(self, features: StoredFile, judge: Judge) -> Judgement:
        """Judge the measurement in a stored file, which never changes once it is stored."""
        with self._lock:
            if self._measurement is None or self._file != features.key:
                self._measurement, self._file, self._judgement = read(features), features.key, None
            self._judgement = judge(self._measurement, self._judgement)
            return self._judgement


def read(features: StoredFile) -> Measurement:
    """The measurement in a stored file."""
    with local_copy(features) as path:
        return read_features(path)
