"""The short readable report of the command line."""

from typing import Any

_NOTHING = "-"


def report(result: dict[str, Any]) -> str:
    """A result (as in the JSON) as text of a few lines."""
    loud, file = result["loudness"], result["file"]
    lines = [
        f"{file['name']}: {'pass' if result['verdict'] == 'pass' else 'fail'} by {result['spec']['name']}",
        (
            f"  integrated {_level(loud['integrated_lufs'], 'LUFS')}   range {_level(loud['range_lu'], 'LU')}"
            f"   true peak {_level(loud['true_peak_max_dbtp'], 'dBTP')}"
        ),
        f"  momentary {_level(loud['momentary_max_lufs'], 'LUFS')}   short-term {_level(loud['short_term_max_lufs'], 'LUFS')} (highest)",
    ]
    if result["passages"] is None:
        lines.append("  Voice against music was not judged: give the stems (--dialogue, --music, --effects).")
    else:
        share = result["clear_share"]
        clear = "" if share is None else f", {share:.0%} of the speech in the clear"
        lines.append(f"  dialogue {_level(loud['dialogue_lufs'], 'LUFS')}   {len(result['passages'])} passages{clear}")
    for finding in result["findings"]:
        lines.append(f"  {finding['in_timecode']} - {finding['out_timecode']}  {finding['severity']:<6}  {finding['message']}")
        lines += [f"      {point['at_timecode']}  {point['gain_db']:+.1f} dB" for point in (finding["remedy"] or {}).get("points", [])]
    if not result["findings"]:
        lines.append("  Nothing found.")
    return "\n".join(lines) + "\n"


def _level(value: float | None, unit: str) -> str:
    return _NOTHING if value is None else f"{value:.1f} {unit}"
