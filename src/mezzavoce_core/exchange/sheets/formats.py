"""Every format that notes are written in: its name, the ending and type of its file, and its writer."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from .cues import sub_rip, web_vtt
from .data import notes_json
from .edit_list import edit_list
from .guide import guide_track
from .plain import plain_text
from .print import printed
from .sheet import Sheet
from .tables import notes_table, points_table
from .timeline import timeline


@dataclass(frozen=True)
class Format:
    """A kind of file; ``words`` say what it is for."""

    ending: str
    media_type: str
    words: str
    write: Callable[[Sheet], bytes | Iterator[bytes]]

    def pieces(self, sheet: Sheet) -> Iterator[bytes]:
        """The file, piece by piece."""
        written = self.write(sheet)
        yield from [written] if isinstance(written, bytes) else written


FORMATS = {
    "csv": Format("csv", "text/csv; charset=utf-8", "a table for a spreadsheet", notes_table),
    "json": Format("json", "application/json", "data with a published schema", notes_json),
    "otio": Format("otio", "application/json", "markers of a timeline (OpenTimelineIO)", timeline),
    "edl": Format("edl", "text/plain; charset=us-ascii", "an edit list with comments (CMX 3600)", edit_list),
    "vtt": Format("vtt", "text/vtt; charset=utf-8", "subtitles over the picture (WebVTT)", web_vtt),
    "srt": Format("srt", "application/x-subrip", "subtitles over the picture (SubRip)", sub_rip),
    "wav": Format("wav", "audio/wav", "a guide track with cue points (broadcast WAVE)", guide_track),
    "points": Format("points.csv", "text/csv; charset=utf-8", "level points as a table", points_table),
    "pdf": Format("pdf", "application/pdf", "to be printed (PDF)", printed),
    "text": Format("txt", "text/plain; charset=utf-8", "plain text", plain_text),
}
