"""The short readable report of the command line."""

from typing import Any

from ..exchange.headline import FAILS, SHORT, headline
from ..exchange.words import change, gain, in_sentence, lack, prediction, stem_told
from ..media.probe import DEFAULT_RATE
from ..timecode import Clock, FrameRate, parse_rate

_NOTHING = "-"
_NO_STEMS = "give the stems (--dialogue, --music, --effects)"
_FEW_STEMS = (
    "these stems do not tell the voice from the rest; add --dialogue, or give all that lies under it "
    "(--music and --effects, or --background)"
)


def report(result: dict[str, Any]) -> str:
    """A result (as in the JSON) as text of a few lines."""
    loud, file = result["loudness"], result["file"]
    lines = [
        f"{file['name']}: {'pass' if result['verdict'] == 'pass' else 'fail'} by {result['spec']['name']}",
        (
            f"  integrated {_level(loud['integrated_lufs'], 'LUFS')}   range {_level(loud['range_lu'], 'LU')}"
            f"   true peak {_level(loud['true_peak_max_dbtp'], 'dBTP')}"
        ),
        (
            f"  momentary {_level(loud['momentary_max_lufs'], 'LUFS')}   short-term "
            f"{_level(loud['short_term_max_lufs'], 'LUFS')} (highest)"
        ),
    ]
    lines += _programme(result["range"], Clock.starting(file["start_timecode"], _rate(file)))
    if result["passages"] is None:
        lines.append(f"  Voice against music was not judged: {_FEW_STEMS if result['stems'] else _NO_STEMS}.")
    else:
        share = result["clear_share"]
        clear = "" if share is None else f", {share:.0%} of the speech in the clear"
        lines.append(f"  dialogue {_level(loud['dialogue_lufs'], 'LUFS')}   {len(result['passages'])} passages{clear}")
    lines += _off(result)
    for number, finding in enumerate(result["findings"], 1):
        lines += _finding(number, finding)
    if not result["findings"]:
        lines.append("  Nothing found.")
    return "\n".join(lines) + "\n"


def _off(result: dict[str, Any]) -> list[str]:
    """The head's figures that do not hold, each with its limit."""
    left = [(f["kind"], f["family"], f["severity"]) for f in result["findings"]]
    shown = headline(result["loudness"], result["clear_share"], result["spec"]["limits"], left)
    words = {SHORT: "falls short", FAILS: "fails"}
    return [f"  {f.name}: {f.value} {f.unit}, {f.limit}: {words[f.state]}" for f in shown.values() if f.state in words]


def _finding(number: int, finding: dict[str, Any]) -> list[str]:
    """What was found, what would mend it and what that gives, and other ways."""
    lines = [
        (
            f"{number:>4}  {finding['in_timecode']} - {finding['out_timecode']}  {finding['severity']:<6}  "
            f"{finding['message']}"
        )
    ]
    remedy = finding["remedy"]
    if remedy is None:
        return lines
    words = prediction(remedy)
    # A gain of the whole mix stands in the message.
    told = (
        f"With it {words}"
        if remedy["action"] == "gain"
        else "; then ".join(filter(None, (change(remedy, finding["kind"]), words)))
    )
    lines.append(" ".join(filter(None, (f"      {told}.", stem_told(finding)))))
    lines += [f"      {band['centre_hz']:g} Hz  {gain(band['gain_db'])}" for band in remedy["bands"]]
    lines += [f"      {point['at_timecode']}  {gain(point['gain_db'])}" for point in remedy["points"]]
    for other in finding["alternatives"]:
        lines.append(
            f"      or {in_sentence(change(other, finding['kind']))}{f': {lack(other)}' if lack(other) else ''}"
        )
    return lines


def _rate(file: dict[str, Any]) -> FrameRate:
    return parse_rate(file["frame_rate"], drop_frame=file["drop_frame"]) if file["frame_rate"] else DEFAULT_RATE


def _programme(found: dict[str, Any], clock: Clock) -> list[str]:
    """What was measured where that is not the whole file, and what was left out."""
    if not found["left_out"]:
        return []

    def span(part: dict[str, Any]) -> str:
        return f"{clock.timecode_in(part['in_s'])} - {clock.timecode_out(part['out_s'])}"

    lines = [
        (
            f"  programme {', '.join(span(p) for p in found['parts'])}; left out: "
            f"{', '.join(o['why'] + ' ' + span(o) for o in found['left_out'])}"
        )
    ]
    if len(found["parts"]) > 1:
        lines += [
            f"      {span(p)}  integrated {_level(p['integrated_lufs'], 'LUFS')}   range {_level(p['range_lu'], 'LU')}"
            for p in found["parts"]
        ]
    return lines


def _level(value: float | None, unit: str) -> str:
    return _NOTHING if value is None else f"{value:.1f} {unit}"
