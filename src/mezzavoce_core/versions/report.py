"""The short readable report of a recheck."""

from collections.abc import Iterator, Mapping
from typing import Any

_WORDS = {
    "cured": "cured",
    "better": "better, still short by",
    "same": "as it was, short by",
    "worse": "worse, short by",
    "gone": "gone from the edit",
    "new": "new, beyond its limit by",
    "unknown": "not judged in the new mix, for want of stems or captions",
}


def recheck_report(result: Mapping[str, Any]) -> str:
    """A result (as in the JSON) as text of a few lines."""
    counts = [f"{n} {what}" for what in _WORDS if (n := sum(f["result"] == what for f in result["findings"]))]
    lines = [
        f"{result['new']['file']} beside {result['old']['file']}: {', '.join(counts) or 'nothing was found in either'}",
        *_cuts(result),
    ]
    for finding in result["findings"]:
        shown = finding["new"] or finding["old"]
        lack = f" {finding['lacks']:.1f} {finding['unit']}" if finding["lacks"] else ""
        lines.append(
            f"  {shown['in_timecode']} - {shown['out_timecode']}  {finding['kind']}: {_WORDS[finding['result']]}{lack}"
        )
    return "\n".join(lines) + "\n"


def _cuts(result: Mapping[str, Any]) -> Iterator[str]:
    for key, words in (("removed", "cut out"), ("inserted", "put in")):
        spans = result[key]
        if spans:
            whole = sum(s["out_s"] - s["in_s"] for s in spans)
            yield f"  {words}: {len(spans)} stretch{'' if len(spans) == 1 else 'es'}, {whole:.1f} s"
    if any(abs(p["speed"] - 1) > 1e-6 for p in result["pieces"]):
        yield "  parts of it run at another speed"
