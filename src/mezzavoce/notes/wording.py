"""The wording that is proposed for a note; a person may change it."""

from typing import Any

from mezzavoce_core.exchange.remedies import change, in_sentence, lack, stem_told

from ..library.models import Mix

KINDS = {
    "integrated-off-target": "loudness off target",
    "range-too-wide": "range too wide",
    "dialogue-off": "dialogue far from the rest",
    "short-term-over": "too loud for three seconds",
    "momentary-over": "too loud for a moment",
    "section-jump": "a section off level",
    "true-peak-over": "peak over",
    "clipped": "cut off flat",
    "dropout": "sound gone",
    "channel-imbalance": "one side louder",
    "inverse-phase": "channels against each other",
    "mono-loss": "loss in mono",
    "duration-off": "wrong length",
    "stems-off": "stems off the mix",
    "duck-missing": "music stays up",
    "duck-late": "late fall",
    "duck-early": "early fall",
    "duck-shallow": "falls too little",
    "duck-plunge": "drops away",
    "duck-pumping": "pumping between words",
    "duck-abrupt": "a step",
    "duck-slow-ramp": "slow ramp",
    "duck-slow-return": "stays down",
    "duck-stray": "dip for nobody",
    "duck-uneven": "bed at another level",
    "duck-one-sided": "lowered on one side",
    "voice-low": "voice too low",
    "voice-uneven": "voice at another level",
    "voice-noise": "noise behind the voice",
    "clear-share-low": "too little in the clear",
    "effect-over-speech": "effect over the voice",
    "masked-speech": "words covered",
    "first-word-masked": "first word covered",
    "caption-unheard": "caption without voice",
    "speech-uncaptioned": "speech without caption",
    "music-abrupt-entry": "abrupt entry",
    "music-cut-off": "music cut off",
    "music-overlap": "two cues at once",
    "music-overrun": "music past the end",
    "cue-level-jump": "cue off the others",
    "effect-masked": "important effect covered",
}


def proposed_text(evidence: dict[str, Any]) -> str:
    """What is wrong and what would mend it, in two or three sentences."""
    sentences = [str(evidence["message"])]
    if stem := stem_told(evidence):
        sentences.append(stem)
    remedy = evidence["remedy"]
    if remedy and remedy["action"] != "gain" and remedy["role"] != "mix":
        sentences.append(f"{change(remedy, evidence['kind'])}, at the points given.")
        others = [a for a in evidence["alternatives"] if not lack(a)]
        if others:
            sentences.append(f"Or {in_sentence(change(others[0]))}.")
    return " ".join(sentences)


def rate_words(mix: Mix) -> str:
    """A frame rate as people say it."""
    fps = f"{float(mix.clock.rate.fps):.3f}".rstrip("0").rstrip(".")
    named = {"29.970": "29.97", "59.940": "59.94"}.get(f"{float(mix.clock.rate.fps):.3f}", fps)
    return f"{named} frames/s{', drop-frame' if mix.drop_frame else ''}"
