"""Figures and remedies in words: the same in the report, on every page, in notes and in the mail.

All take a finding or a remedy as it stands in results (``exchange.document``).
"""

from math import log10
from typing import Any

from ..estimate import digits_known
from ..judge.model import Kind
from ..judge.registry import KINDS

ROLES = {
    "dialogue": "the voice",
    "music": "the music",
    "effects": "the effects",
    "background": "music and effects",
    "mix": "the whole mix",
}
_TOGETHER = {
    "dialogue": "all voices",
    "music": "all music",
    "effects": "all effects",
    "background": "all music and effects",
}


_SHARES = ("clear-share-low", "caption-unheard")
"""Kinds whose figures of 1 are shares, of which people speak in per cent."""
_ACTIONS = {
    "set": "Draw the level of {who} anew",
    "hold": "Hold {who} down through the pause ({amount:.1f} dB)",
    "remove": "Take the dip of {who} out ({amount:.1f} dB)",
}
_DIGITS = {"of 1": 2, "samples": 0, "correlation": 2, "s": 2}
_KINDS = {kind.name: kind for kind in KINDS}


def short_name(kind: str) -> str:
    """What a kind of finding is called in a few words; its name where this version does not know it."""
    return _KINDS[kind].short if kind in _KINDS else kind.replace("-", " ")


def figure_words(finding: dict[str, Any], name: str) -> str:
    """What was ``measured`` or its ``limit``, with as many digits as its unit is worth; "" where there is none."""
    value, unit = finding[name], finding["unit"]
    if value is None:
        return ""
    doubt = finding.get("uncertainty") if name == "measured" else None
    if unit == "of 1" and finding["kind"] in _SHARES:
        return f"{100 * value:.0f}{f' ± {100 * doubt:.0f}' if doubt else ''} %"
    digits = _DIGITS.get(unit, 1)
    if not doubt:
        return f"{value:.{digits}f} {unit}".rstrip()
    digits = digits_known(doubt)
    return f"{value:.{digits}f} ± {doubt:.{digits}f} {unit}"


def in_sentence(words: str) -> str:
    """Words as they stand inside a sentence."""
    return words[:1].lower() + words[1:]


def whom(remedy: dict[str, Any]) -> str:
    """What a remedy is for: a role with all its stems or one of them, all of it or one channel."""
    side, source, who = (
        remedy.get("channel"),
        remedy.get("source"),
        (_TOGETHER if remedy.get("together") else ROLES)[remedy["role"]],
    )
    of_stem = f"{who} of “{source}”" if source else who
    return f"{of_stem} in {side['name']}" if side else of_stem


def stem_told(finding: dict[str, Any]) -> str:
    """Which of several stems a finding is about, in a sentence; nothing where its remedy says so."""
    source, remedy = finding.get("source"), finding["remedy"] or {}
    if not source or remedy.get("source") == source:
        return ""
    return f"Most of it is “{source}”." if remedy.get("together") else f"Of the stems it is “{source}”."


def change(remedy: dict[str, Any], kind: str = "") -> str:
    """A remedy in a few words; ``kind`` is what it is for."""
    who, amount = whom(remedy), abs(remedy["amount_db"])
    if remedy["action"] == "reshape":
        words = _KINDS[kind].reshaped if kind in _KINDS else Kind.reshaped
        return words.format(who=who, amount=f"{amount:.1f}", signed=f"{remedy['amount_db']:+.1f}")
    if remedy["action"] in _ACTIONS:
        return _ACTIONS[remedy["action"]].format(who=who, amount=amount)
    if remedy["action"] == "carve":
        cuts = [f"{_hz(b['centre_hz'])} by {abs(b['gain_db']):.0f} dB" for b in remedy["bands"]]
        return f"Cut bands of {who}, an octave wide each: {', '.join(cuts)}"
    if kind == "music-overlap":
        return f"Let {who} that ends be gone before the next cue"
    if remedy["role"] == "mix" and remedy["action"] != "gain":
        who = "the mix here"
    where = (
        ", to where its bed is elsewhere"
        if remedy.get("to_bed")
        else " throughout"
        if kind == "clear-share-low"
        else ""
    )
    return f"{'Raise' if remedy['amount_db'] > 0 else 'Lower'} {who} by {amount:.1f} dB{where}"


def _hz(hz: float) -> str:
    return f"{hz / 1000:g} kHz" if hz >= 1000 else f"{hz:g} Hz"


def on_the_whole(remedy: dict[str, Any], gain_db: float) -> float:
    """What a gain of a remedy comes to over all channels of its role, in dB."""
    side = remedy.get("channel")
    return gain_db if side is None else 10 * log10(1.0 - side["share"] * (1.0 - 10 ** (gain_db / 10)))


def gain(gain_db: float) -> str:
    """A gain with its sign and unit."""
    return f"{gain_db:+.1f} dB" if round(gain_db, 1) else "0.0 dB"


def prediction(remedy: dict[str, Any]) -> str:
    """What the remedy would give."""
    parts = []
    if remedy["predicted_speech_to_background_lu"] is not None:
        parts.append(f"{remedy['predicted_speech_to_background_lu']:.1f} LU here")
    if remedy.get("predicted_audibility") is not None and remedy["action"] == "carve":
        parts.append(f"audibility {remedy['predicted_audibility']:.2f}")
    if remedy.get("predicted_clear_share") is not None:
        parts.append(f"{100 * remedy['predicted_clear_share']:.0f} % of the speech in the clear")
    if remedy["predicted_integrated_lufs"] is not None:
        parts.append(f"{remedy['predicted_integrated_lufs']:.1f} LUFS overall")
    if remedy.get("predicted_true_peak_dbtp") is not None:
        parts.append(f"{remedy['predicted_true_peak_dbtp']:.1f} dBTP at the peak")
    words = ", ".join([*parts[:-2], " and ".join(parts[-2:])])
    if then := remedy.get("then_whole_db"):
        words = f"{words}; the whole mix then wants {then:+.1f} dB"
    if missing := remedy.get("headroom_missing_db"):
        words = f"{words}; {missing:.1f} dB of headroom are missing, so the peaks want limiting"
    return f"{words}; {off}" if (off := _off(remedy)) else words


def _off(remedy: dict[str, Any]) -> str:
    """What stands off from its like elsewhere afterwards."""
    if not (off := remedy.get("stands_off_db")):
        return ""
    return (
        f"the voice then stands {off:.1f} LU over the others"
        if remedy["role"] == "dialogue"
        else f"the bed then lies {off:.1f} dB under the others"
    )


def lack(remedy: dict[str, Any]) -> str:
    """Why a remedy is not enough, or what it does besides; nothing where it mends all."""
    if missing := remedy.get("headroom_missing_db"):
        return f"peaks {missing:.1f} dB over"
    return _off(remedy) if remedy.get("enough", True) else "not enough alone"
