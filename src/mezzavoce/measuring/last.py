"""What this process judged last, kept in memory: a stretch corrected by hand is judged again without reading the measurement anew."""

from threading import Lock
from typing import TYPE_CHECKING

from mezzavoce_core.exchange.features import read_features
from mezzavoce_core.judge.model import Judgement
from mezzavoce_core.measure.measurement import Measurement

from ..library.models import StoredFile
from ..library.storage import local_copy

if TYPE_CHECKING:
    from uuid import UUID


class LastJudged:
    """One measurement and its newest judgement; of several threads the last one counts, and none can go wrong by it."""

    def __init__(self) -> None:
        self._lock = Lock()
        self._file: UUID | None = None
        self._measurement: Measurement | None = None
        self._judgement: Judgement | None = None

    def measurement(self, features: StoredFile) -> Measurement:
        """The measurement in a stored file, which never changes once it is stored."""
        with self._lock:
            if self._measurement is not None and self._file == features.key:
                return self._measurement
        measurement = read(features)
        with self._lock:
            self._file, self._measurement, self._judgement = features.key, measurement, None
        return measurement

    @property
    def judgement(self) -> Judgement | None:
        """The newest judgement, of whatever it was."""
        return self._judgement

    def remember(self, judgement: Judgement) -> None:
        """Keep a judgement, where its measurement is still the one that is kept."""
        with self._lock:
            if judgement.measurement is self._measurement:
                self._judgement = judgement


def read(features: StoredFile) -> Measurement:
    """The measurement in a stored file."""
    with local_copy(features) as path:
        return read_features(path)
