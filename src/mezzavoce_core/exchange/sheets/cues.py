"""Notes as subtitles, to be read over the picture: WebVTT and SubRip, counted from the first frame."""

import io

import webvtt

from ...measure.captions import Caption
from ..captions import as_cues
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
    return as_cues(
        Caption(
            note.in_s,
            max(note.out_s, note.in_s + _LEAST_S),
            f"{note.label} ({note.severity}): {note.title}\n{note.text}",
        )
        for note in sheet.in_order
    )
