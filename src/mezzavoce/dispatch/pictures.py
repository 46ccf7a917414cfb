"""Pictures of passages as they are frozen with their notes, for paper."""

from typing import Any

from django.core.files.storage import default_storage

from mezzavoce_core.exchange.series import page_curves
from mezzavoce_core.exchange.sheets.picture import picture_of

from ..measuring.models import Judgement


class Pictures:
    """Of one judgement, whose curves are read once."""

    def __init__(self, judgement: Judgement | None) -> None:
        """Without a judgement, or its curves, there are none."""
        self._passages = judgement.detail.get("passages") if judgement else None
        self._curves, self._hop_s = None, 0.1
        if judgement is not None and judgement.series is not None:
            with default_storage.open(judgement.series.storage_name) as file:
                self._curves, self._hop_s = page_curves(file.read())

    def of(self, evidence: dict[str, Any]) -> dict[str, Any] | None:
        """The picture of a finding as JSON types; None where there is nothing to draw."""
        found = picture_of(evidence, self._passages, self._curves, self._hop_s)
        return found.as_dict() if found else None
