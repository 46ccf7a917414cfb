"""Notes as subtitles, to be read over the picture: WebVTT and SubRip, counted from the first frame."""

import io

import webvtt

from ..captions import stamp
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
        found.captions.append(webvtt.Caption(stamp(note.in_s), stamp(end), lines))
    return found
