"""Speech regions set by hand, as JSON: ``{"speech": [{"in_s": 1.0, "out_s": 2.5}, …]}``."""

import json
from pathlib import Path
from typing import Any

from ..errors import CorrectionError
from ..measure.speech import Speech


def read_corrections(path: Path) -> tuple[Speech, ...]:
    """Read a corrections file. Raises CorrectionError that says what is wrong with it."""
    try:
        data: Any = json.loads(path.read_text(encoding="utf-8"))
    except OSError:
        raise CorrectionError(f"There is no corrections file “{path.name}”; check the path.") from None
    except (json.JSONDecodeError, UnicodeDecodeError) as error:
        raise CorrectionError(f"“{path.name}” is not readable as JSON ({error}).") from None
    regions = data.get("speech") if isinstance(data, dict) else None
    if not isinstance(regions, list):
        raise CorrectionError(f"“{path.name}” has to be a JSON object with a list “speech”.")
    return tuple(sorted((_region(r, k) for k, r in enumerate(regions, 1)), key=lambda s: s.in_s))


def _region(region: Any, number: int) -> Speech:
    try:
        in_s, out_s = float(region["in_s"]), float(region["out_s"])
    except (TypeError, KeyError, ValueError):
        raise CorrectionError(f"Speech region {number} needs “in_s” and “out_s” in seconds.") from None
    if not 0 <= in_s < out_s:
        raise CorrectionError(f"Speech region {number} has to end after it begins, at 0 s or later.")
    return Speech(in_s, out_s, 1.0, by_hand=True)
