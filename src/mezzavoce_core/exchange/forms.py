"""The forms of what is stored beside results: features, moves of the music, findings. Every step tells what was new."""

from typing import Any

from .stored import Form


def _with_held(features: dict[str, Any]) -> dict[str, Any]:
    """Version 8 says which copies of other stems were taken out of each stem."""
    kept = [{name: value for name, value in stem.items() if name != "voice_db"} for stem in features["stems"]]
    return {**features, "stems": [{"held": [], **stem} for stem in kept]}


def _with_separation(features: dict[str, Any]) -> dict[str, Any]:
    """Version 9 holds what was estimated of mixes without stems."""
    return {"separation": None, **features}


def _with_steps(gain: dict[str, Any]) -> dict[str, Any]:
    """Version 2 keeps the steps that were heard."""
    return {"steps": [], **gain}


def _with_all_of_remedies(finding: dict[str, Any]) -> dict[str, Any]:
    """Version 2 names in every remedy all that any remedy has."""

    def whole(remedy: dict[str, Any]) -> dict[str, Any]:
        return {**_REMEDY, **remedy}

    remedy = finding["remedy"]
    return {
        "source": None,
        "details": {},
        **finding,
        "remedy": remedy and whole(remedy),
        "alternatives": [whole(r) for r in finding.get("alternatives", [])],
    }


_REMEDY: dict[str, Any] = {
    "source": None,
    "together": False,
    "channel": None,
    "bands": [],
    "predicted_speech_to_background_lu": None,
    "predicted_audibility": None,
    "predicted_clear_share": None,
    "predicted_integrated_lufs": None,
    "predicted_true_peak_dbtp": None,
    "then_whole_db": None,
    "headroom_missing_db": None,
    "stands_off_db": None,
    "to_bed": False,
    "enough": True,
}


def _with_graded_share(limits: dict[str, Any]) -> dict[str, Any]:
    """Version 2 says from where on too little speech in the clear must be mended."""
    return {"clear_share_must": None if limits.get("clear_share_min") is None else _CLEAR_SHARE_MUST, **limits}


def _with_graded_share_in_spec(detail: dict[str, Any]) -> dict[str, Any]:
    """Version 2 holds limits of version 2."""
    return {**detail, "spec": {**detail["spec"], "limits": _with_graded_share(detail["spec"]["limits"])}}


_CLEAR_SHARE_MUST = 0.8
FEATURES = Form("mezzavoce.features", (_with_held, _with_separation), first=7)
GAIN = Form("mezzavoce.music-gain", (_with_steps,))
FINDING = Form("mezzavoce.finding", (_with_all_of_remedies,))
LIMITS = Form("mezzavoce.limits", (_with_graded_share,))
DETAIL = Form("mezzavoce.detail", (_with_graded_share_in_spec,))
"""A result (``exchange.document``) without its findings, as an application keeps it for its pages."""
ALIGNMENT = Form("mezzavoce.alignment")
"""Where the stretches of a former mix lie in a new one (``versions.document``)."""
