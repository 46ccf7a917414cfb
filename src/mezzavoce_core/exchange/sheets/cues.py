"""Notes as subtitles, to be read over the picture: WebVTT and SubRip, counted from the first frame."""

import io

import webvtt

from .sheet import Sheet

_LEAST_S = 1.5
"""A note of a moment stands so long, so that it can be read."""


def web_vtt(sheet: Sheet) -> bytes:
    """Cues as WebVTT (W3C)."""
    return _captions(sheet).content.encode()


def sub_rip(sheet: Sheet) -> bytes:
    """Cues as SubRip."""
    out = io.StringIO()
    _captions(sheet).write(out, format="srt")
    return out.getvalue().encode()


def _captions(sheet: Sheet) -> webvtt.WebVTT:
    found = webvtt.WebVTT()
    for note in sheet.in_order:
        end = max(note.out_s, note.in_s + _LEAST_S)
        words = f"{note.label} ({note.severity}): {note.title}\n{note.text}"
        # An arrow ends a cue, and an empty line as well.
        lines = [line.replace("-->", "->") for line in words.splitlines() if line.strip()]
        found.captions.append(webvtt.Caption(_stamp(note.in_s), _stamp(end), lines))
    return found


def _stamp(time_s: float) -> str:
    whole = round(max(0.0, time_s) * 1000)
    hours, rest = divmod(whole, 3_600_000)
    minutes, rest = divmod(rest, 60_000)
    return f"{hours:02d}:{minutes:02d}:{rest // 1000:02d}.{rest % 1000:03d}"
