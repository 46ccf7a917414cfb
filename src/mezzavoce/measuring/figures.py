"""The few figures of a judgement that lists show."""

from typing import Any

_LOUD = (
    "integrated_lufs",
    "range_lu",
    "true_peak_max_dbtp",
    "short_term_max_lufs",
    "momentary_max_lufs",
    "dialogue_lufs",
    "loudness_to_dialogue_lu",
)


def figures(detail: dict[str, Any], findings: list[dict[str, Any]]) -> dict[str, Any]:
    """What lists show: a few figures and the ratio of each passage."""
    passages = detail["passages"]
    ratios = (
        None
        if passages is None
        else [p["speech_to_background_lu"] for p in passages if p["speech_to_background_lu"] is not None]
    )
    music = (
        None if passages is None else [p["speech_to_music_lu"] for p in passages if p["speech_to_music_lu"] is not None]
    )
    loud = {name: detail["loudness"][name] for name in _LOUD}
    return loud | {
        "clear_share": detail["clear_share"],
        "ratios_lu": ratios,
        "music_ratios_lu": music,
        "estimated": detail.get("separation") == "mix",
        "must": sum(f["severity"] == "must" for f in findings),
        "should": sum(f["severity"] == "should" for f in findings),
    }
