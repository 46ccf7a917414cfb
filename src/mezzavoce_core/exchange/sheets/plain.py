"""Notes as plain text, to be pasted anywhere."""

from collections.abc import Iterator
from textwrap import fill

from ..words import gain
from .sheet import Noted, Sheet


def plain_text(sheet: Sheet) -> bytes:
    """A heading, then every note with its points."""
    count = len(sheet.notes)
    lines = [f"{sheet.name}: {count} note{'' if count == 1 else 's'}", f"judged by {sheet.judged_by}", ""]
    for note in sheet.in_order:
        lines += _note(sheet, note)
    return ("\n".join(lines).rstrip() + "\n").encode()


def _note(sheet: Sheet, note: Noted) -> Iterator[str]:
    begin, end = sheet.timecodes(note)
    yield f"{note.label}  {begin} - {end}  {note.severity}: {note.title}"
    yield fill(note.text, 96, initial_indent="   ", subsequent_indent="   ")
    if note.change:
        then = f"; then {note.prediction}" if note.prediction else ""
        yield fill(f"{note.change}{then}.", 96, initial_indent="   ", subsequent_indent="   ")
    for point in note.points:
        yield f"     {sheet.clock.timecode_in(point.at_s)}  {gain(point.gain_db)}"
    yield ""
