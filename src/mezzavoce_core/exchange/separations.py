"""What was estimated of voice and background, as plain facts and arrays."""

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..measure.separation.estimates import Separation
from ..measure.speech import Speech

ARRAYS = ("voice_share", "voice_bands", "under_bands", "low_lu", "high_lu", "conditions", "music")
_FACTS = ("axis_deg", "mono", "tells_gain", "thorough")


def facts(found: Separation) -> dict[str, Any]:
    """All of it but the arrays, as JSON types."""
    own = {name: getattr(found, name) for name in _FACTS}
    return own | {"models": dict(found.models), "speech": [asdict(s) for s in found.speech]}


def from_facts(stored: Mapping[str, Any], arrays: Mapping[str, NDArray[np.generic]]) -> Separation:
    """What ``facts`` and the arrays were made of."""
    speech = tuple(Speech(**s) for s in stored["speech"])
    return Separation(speech=speech, models=stored["models"], **{n: stored[n] for n in _FACTS}, **arrays)  # type: ignore[arg-type]
