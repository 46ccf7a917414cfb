"""The judgements that this process made last, kept in memory.

A stretch corrected by hand is judged again without reading the measurement anew.
"""

from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field
from threading import Lock
from uuid import UUID

from mezzavoce_core.exchange.features import read_features
from mezzavoce_core.judge.model import Judgement
from mezzavoce_core.measure.measurement import Measurement

from ..library.models import StoredFile
from ..library.storage import local_copy

Judge = Callable[[Measurement, Judgement | None], Judgement]
"""Judges a measurement; an earlier judgement of it, if there is one, saves work."""


class JudgementCache:
    """The mixes judged last, each with its measurement and newest judgement.

    The one that was not asked for longest goes first.

    One thread judges a mix at a time: whoever waits finds done what the one before it did.
    """

    def __init__(self, most: int) -> None:
        self._most = most
        self._lock = Lock()
        self._kept: OrderedDict[tuple[UUID, int], _Kept] = OrderedDict()

    def judged(self, features: StoredFile, spec_version: int, judge: Judge) -> Judgement:
        """Judge the measurement in a stored file, which never changes once it is stored, by a version of a spec."""
        kept = self._find((features.key, spec_version))
        with kept.lock:
            if kept.measurement is None:
                kept.measurement = self._measurement_of(features.key) or read(features)
            kept.judgement = judge(kept.measurement, kept.judgement)
            return kept.judgement

    def _find(self, key: tuple[UUID, int]) -> "_Kept":
        with self._lock:
            kept = self._kept.setdefault(key, _Kept())
            self._kept.move_to_end(key)
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
            return kept

    def _measurement_of(self, file: UUID) -> Measurement | None:
        """The measurement, if it was judged by another spec just now."""
        with self._lock:
            return next(
                (k.measurement for (own, _), k in self._kept.items() if own == file and k.measurement is not None), None
            )


@dataclass
class _Kept:
    lock: Lock = field(default_factory=Lock)
    measurement: Measurement | None = None
    judgement: Judgement | None = None


def read(features: StoredFile) -> Measurement:
    """The measurement in a stored file."""
    with local_copy(features) as path:
        return read_features(path)
