"""The wording that is proposed for a note; a person may change it. Also the words for remedies, the same on every page and in the mail."""

from typing import Any

from ..library.models import Mix

ROLES = {"dialogue": "the voice", "music": "the music", "effects": "the effects", "background": "music and effects", "mix": "the whole mix"}

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


def in_sentence(words: str) -> str:
    """Words as they stand inside a sentence."""
    return words[:1].lower() + words[1:]


def proposed_text(evidence: dict[str, Any]) -> str:
    """What is wrong and what would mend it, in two or three sentences."""
    sentences = [str(evidence["message"])]
    if evidence.get("source"):
        sentences.append(f"Of the stems it is “{evidence['source']}”.")
    remedy = evidence["remedy"]
    if remedy and remedy["action"] != "gain" and remedy["role"] != "mix":
        sentences.append(f"{change(remedy, evidence['kind'])}, at the points given.")
        others = [a for a in evidence["alternatives"] if a["enough"]]
        if others:
            sentences.append(f"Or {in_sentence(change(others[0]))}.")
    return " ".join(sentences)


_RESHAPED = {
    "duck-late": "Let {who} fall before the first word ({amount} dB down, earlier)",
    "duck-early": "Let {who} stay up until just before the first word",
    "duck-plunge": "Let {who} fall {amount} dB less",
    "duck-uneven": "Bring the bed of {who} to where it is elsewhere ({signed} dB)",
    "music-abrupt-entry": "Fade {who} in over half a second",
    "music-cut-off": "Fade {who} out before the end",
    "music-overrun": "Fade {who} out before the end",
    "duck-slow-return": "Let {who} come back {amount} dB soon after the last word",
}


def change(remedy: dict[str, Any], kind: str = "") -> str:
    """A remedy in a few words; ``kind`` is what it is for."""
    who, amount = ROLES[remedy["role"]], abs(remedy["amount_db"])
    if remedy["action"] == "reshape":
        return _RESHAPED.get(kind, "Draw the ramp of {who} anew").format(who=who, amount=f"{amount:.1f}", signed=f"{remedy['amount_db']:+.1f}")
    if remedy["action"] == "hold":
        return f"Hold {who} down through the pause ({amount:.1f} dB)"
    if remedy["action"] == "carve":
        cuts = [f"{_hz(b['centre_hz'])} by {abs(b['gain_db']):.0f} dB" for b in remedy["bands"]]
        return f"Cut bands of {who}, an octave wide each: {', '.join(cuts)}"
    if kind == "music-overlap":
        return f"Let {who} that ends be gone before the next cue"
    if remedy["action"] == "remove":
        return f"Take the dip of {who} out ({amount:.1f} dB)"
    return f"{'Raise' if remedy['amount_db'] > 0 else 'Lower'} {who} by {amount:.1f} dB"


def _hz(hz: float) -> str:
    return f"{hz / 1000:g} kHz" if hz >= 1000 else f"{hz:g} Hz"


def gain(gain_db: float) -> str:
    """A gain with its sign and unit."""
    return f"{gain_db:+.1f} dB" if round(gain_db, 1) else "0.0 dB"


def rate_words(mix: Mix) -> str:
    """A frame rate as people say it."""
    fps = f"{float(mix.clock.rate.fps):.3f}".rstrip("0").rstrip(".")
    named = {"29.970": "29.97", "59.940": "59.94"}.get(f"{float(mix.clock.rate.fps):.3f}", fps)
    return f"{named} frames/s{', drop-frame' if mix.drop_frame else ''}"


def prediction(remedy: dict[str, Any]) -> str:
    """What the remedy would give."""
    parts = []
    if remedy["predicted_speech_to_background_lu"] is not None:
        parts.append(f"{remedy['predicted_speech_to_background_lu']:.1f} LU here")
    if remedy.get("predicted_audibility") is not None and remedy["action"] == "carve":
        parts.append(f"audibility {remedy['predicted_audibility']:.2f}")
    if remedy["predicted_integrated_lufs"] is not None:
        parts.append(f"{remedy['predicted_integrated_lufs']:.1f} LUFS overall")
    if remedy.get("predicted_true_peak_dbtp") is not None:
        parts.append(f"{remedy['predicted_true_peak_dbtp']:.1f} dBTP at the peak")
    words = ", ".join([*parts[:-2], " and ".join(parts[-2:])])
    missing = remedy.get("headroom_missing_db")
    return f"{words}; {missing:.1f} dB of headroom are missing, so the peaks want limiting" if missing else words
