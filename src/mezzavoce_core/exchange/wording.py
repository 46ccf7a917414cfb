"""The wording of a note: a template with places that a finding fills, and what a person may choose as its remedy."""

import re
from collections.abc import Callable, Mapping, Sequence
from typing import Any

from ..errors import UsageError
from ..timecode import Clock
from .words import change, figure_words, in_sentence, lack, prediction, short_name, stem_told

Found = Mapping[str, Any]
"""A finding as a result holds it (``exchange.document``)."""

PLACES = {
    "message": "what is wrong, with its figures",
    "stem": "which of several stems it is about, in a sentence",
    "remedy": "what would mend it, in a sentence",
    "or": "what would mend it as well, in a sentence",
    "what": "what it is called in a few words",
    "measured": "the figure that was measured, with its unit",
    "wanted": "the figure that is wanted, with its unit",
    "then": "what the remedy would give",
    "in": "timecode of its first frame",
    "out": "timecode of the frame after its last",
}
"""What may stand in braces, and what stands there in a note."""
DEFAULT = "{message} {stem} {remedy} {or}"
_PLACE = re.compile(r"\{([^{}]*)\}")
SET = "set"
"""The action of a remedy whose points a person set."""


def note_text(finding: Found, template: str = DEFAULT) -> str:
    """What is wrong and what would mend it. A place of the template that has nothing to say leaves no gap."""
    found = dict(finding)

    def told(place: re.Match[str]) -> str:
        return _FILLED[place[1]](found) if place[1] in _FILLED else ""

    lines = [_PLACE.sub(told, line) for line in template.splitlines()]
    return "\n".join(" ".join(line.split()) for line in lines).strip()


def _remedy(finding: dict[str, Any]) -> str:
    """What would mend it; a gain of the whole mix is said by the message."""
    remedy = finding["remedy"]
    if not remedy or remedy["action"] == "gain" or remedy["role"] == "mix":
        return ""
    return f"{change(remedy, finding['kind'])}, at the points given."


def _other(finding: dict[str, Any]) -> str:
    """What would mend it as well."""
    others = [a for a in finding["alternatives"] if not lack(a)] if _remedy(finding) else []
    return f"Or {in_sentence(change(others[0]))}." if others else ""


_FILLED: dict[str, Callable[[dict[str, Any]], str]] = {
    "message": lambda found: str(found["message"]),
    "stem": stem_told,
    "remedy": _remedy,
    "or": _other,
    "what": lambda found: short_name(found["kind"]),
    "measured": lambda found: figure_words(found, "measured"),
    "wanted": lambda found: figure_words(found, "limit"),
    "then": lambda found: prediction(found["remedy"]) if found["remedy"] else "",
    "in": lambda found: str(found["in_timecode"]),
    "out": lambda found: str(found["out_timecode"]),
}


def checked(template: str) -> str:
    """A template, trimmed. Raises UsageError for one that is empty or has a place that is none."""
    told = template.strip()
    if not told:
        raise UsageError("A wording without words helps nobody. Write some, or take the wording back.")
    unknown = [name for name in _PLACE.findall(told) if name not in PLACES]
    left = _PLACE.sub("", told)
    if unknown or "{" in left or "}" in left:
        wrong = f"“{{{unknown[0]}}}” is no place" if unknown else "A brace has no partner"
        raise UsageError(f"{wrong}; there are {', '.join(f'{{{name}}}' for name in PLACES)}.")
    return told


def remedy_of_points(role: str, points: Sequence[tuple[float, float]], clock: Clock) -> dict[str, Any]:
    """Level points that a person set, as a remedy: ``points`` in seconds of the file and dB. It predicts nothing."""
    return {
        "action": SET,
        "role": role,
        "source": None,
        "together": False,
        "channel": None,
        "amount_db": min((gain_db for _, gain_db in points), key=lambda db: -abs(db), default=0.0),
        "points": [{"at_s": s, "at_timecode": clock.timecode_in(s), "gain_db": db} for s, db in points],
        "predicted_speech_to_background_lu": None,
        "predicted_audibility": None,
        "predicted_clear_share": None,
        "predicted_integrated_lufs": None,
        "predicted_true_peak_dbtp": None,
        "headroom_missing_db": None,
        "enough": True,
        "bands": [],
        "then_whole_db": None,
        "stands_off_db": None,
        "to_bed": False,
    }
