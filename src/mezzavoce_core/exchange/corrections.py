"""What people set by hand, as JSON, lists of ``{"in_s": 1.0, "out_s": 2.5}`` in seconds of the file.

``speech``: somebody speaks there. ``no_speech``: nobody does. ``important_effects``: the effect there matters. Where
the first two meet, speech wins.
"""

import json
from pathlib import Path
from typing import Any

from ..errors import CorrectionError
from ..measure.speech import IMPORTANT_EFFECT, NO_SPEECH, SPEECH, Correction

_LISTS = {"no_speech": NO_SPEECH, "speech": SPEECH, "important_effects": IMPORTANT_EFFECT}
_WHAT = {NO_SPEECH: "Stretch without speech", SPEECH: "Speech region", IMPORTANT_EFFECT: "Important effect"}


def read_corrections(path: Path) -> tuple[Correction, ...]:
    """Read a corrections file. Raises CorrectionError that says what is wrong with it."""
    try:
        data: Any = json.loads(path.read_text(encoding="utf-8"))
    except OSError:
        raise CorrectionError(f"There is no corrections file “{path.name}”; check the path.") from None
    except (json.JSONDecodeError, UnicodeDecodeError) as error:
        raise CorrectionError(f"“{path.name}” is not readable as JSON ({error}).") from None
    if not isinstance(data, dict) or not any(isinstance(data.get(name), list) for name in _LISTS):
        raise CorrectionError(
            f"“{path.name}” has to be a JSON object with a list “speech” (or “no_speech”, “important_effects”)."
        )
    unknown = sorted(set(data) - set(_LISTS))
    if unknown:
        raise CorrectionError(f"“{path.name}” has a field “{unknown[0]}”; it can have {', '.join(_LISTS)}.")
    return tuple(_region(kind, r, k) for name, kind in _LISTS.items() for k, r in enumerate(data.get(name, []), 1))


def _region(kind: str, region: Any, number: int) -> Correction:
    what = f"{_WHAT[kind]} {number}"
    try:
        in_s, out_s = float(region["in_s"]), float(region["out_s"])
    except (TypeError, KeyError, ValueError):
        raise CorrectionError(f"{what} needs “in_s” and “out_s” in seconds.") from None
    if not 0 <= in_s < out_s:
        raise CorrectionError(f"{what} has to end after it begins, at 0 s or later.")
    return Correction(kind, in_s, out_s)
