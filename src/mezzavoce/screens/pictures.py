"""Which picture a finding of peak or signal gets beside it; the page draws it from the samples."""

import json
from dataclasses import dataclass
from typing import Any

_KINDS = {
    "true-peak-over": (
        "peak",
        "The wave at the highest peak, 2.5 ms: dots are samples, the dashed line is the ceiling.",
    ),
    "clipped": ("peak", "The wave at the longest flat top, 2.5 ms: dots are samples."),
    "dropout": ("gap", "The channels below each other around the gap."),
    "inverse-phase": ("phase", "Left against right at the loudest place; along the falling line they cancel."),
    "mono-loss": (
        "phase",
        "Left against right at the loudest place; the closer to the falling line, the more goes in mono.",
    ),
}


@dataclass(frozen=True)
class Picture:
    """Kind of picture, its moment, its channels, and the words under it; lists are JSON for the script."""

    kind: str
    caption: str
    at_s: float
    limit: str
    names: str
    channels: str
    tall: str


def picture_of(evidence: dict[str, Any], file: dict[str, Any]) -> Picture | None:
    """The picture of a finding; None where the curves say it all."""
    if evidence["kind"] not in _KINDS:
        return None
    kind, caption = _KINDS[evidence["kind"]]
    details = evidence.get("details") or {}
    limit = str(evidence["limit"]) if evidence["kind"] == "true-peak-over" else ""
    names = file.get("channel_names") or [str(k + 1) for k in range(file["channels"])]
    # How much room to keep free until it is drawn, so that nothing moves under somebody's hands.
    tall = "one" if kind != "phase" and len(names) == 1 else "two" if kind == "phase" or len(names) == 2 else "many"
    return Picture(
        kind,
        caption,
        details.get("at_s", evidence["in_s"]),
        limit,
        json.dumps(names),
        json.dumps(details.get("channels", [0, 1])),
        tall,
    )
