"""Notes that somebody else wrote: a table with timecodes, or the markers of a timeline."""

from collections.abc import Sequence
from dataclasses import dataclass

from ...errors import TimecodeError, UsageError
from ...judge.model import MUST, NOTE, SHOULD
from ...timecode import Clock
from .markers import read_markers
from .table import Row, read_table

WEIGHTS = (MUST, SHOULD, NOTE)
_COLUMNS = {
    "in": ("start", "begin", "from", "timecode", "tc", "tc in", "timecode in", "time", "record in"),
    "out": ("end", "to", "tc out", "timecode out", "record out"),
    "severity": ("weight", "priority"),
    "title": ("name", "what", "subject", "marker name"),
    "note": ("text", "comment", "comments", "description", "notes", "remark"),
}
_TITLE = 120
_LONGEST_LISTED = 3


@dataclass(frozen=True)
class Foreign:
    """A note of somebody else; times in seconds from the first sample of the mix."""

    in_s: float
    out_s: float
    title: str
    text: str
    severity: str | None


@dataclass(frozen=True)
class Incoming:
    """The notes of a file, and what is to be said about how they were read."""

    notes: Sequence[Foreign]
    remark: str = ""


def read_notes(content: bytes, clock: Clock, duration_s: float) -> Incoming:
    """The notes of a CSV table or an OpenTimelineIO file that lie in a mix.

    Raises UsageError where there are none, or where one of them cannot be in this mix; it names rows.
    """
    if content.lstrip()[:1] == b"{":
        markers, remark = read_markers(content, clock)
        found = [Foreign(m.in_s, m.out_s, m.name[:_TITLE], m.comment or m.name, None) for m in markers]
        outside = [m.name or "a marker" for m in markers if not 0 <= m.in_s < duration_s]
    else:
        rows = read_table(content, _COLUMNS, ("in",))
        read = [_note(row, clock) for row in rows if row.get("in")]
        found, remark = read, ""
        outside = [f"{n.title} in row {r.number}" for r, n in zip(rows, read, strict=False) if n.in_s >= duration_s]
    if not found:
        raise UsageError("There is no note in this file: no row with a timecode, no marker.")
    if outside:
        some = ", ".join(outside[:_LONGEST_LISTED]) + (" and more" if len(outside) > _LONGEST_LISTED else "")
        raise UsageError(
            f"{len(outside)} of {len(found)} lie outside of this mix ({some}). Is the file of this mix, and counted "
            f"from {clock.timecode_in(0.0)}? Nothing was taken over."
        )
    return Incoming([_within(note, duration_s) for note in found], remark)


def _within(note: Foreign, duration_s: float) -> Foreign:
    out_s = min(max(note.out_s, note.in_s), duration_s)
    return Foreign(note.in_s, out_s, note.title, note.text, note.severity)


def _note(row: Row, clock: Clock) -> Foreign:
    try:
        in_s = clock.seconds_at(row.get("in"))
        out_s = clock.seconds_at(row.get("out")) if row.get("out") else in_s
    except TimecodeError as error:
        raise UsageError(f"Row {row.number}: {error}") from None
    if out_s < in_s:
        raise UsageError(f"Row {row.number}: the note ends before it begins. Nothing was taken over.")
    text = row.get("note") or row.get("title")
    if not text:
        raise UsageError(f"Row {row.number} has no words, neither a title nor a note. Nothing was taken over.")
    weight = row.get("severity").lower()
    title = row.get("title") or text.splitlines()[0]
    return Foreign(in_s, out_s, title[:_TITLE], text, weight if weight in WEIGHTS else None)
