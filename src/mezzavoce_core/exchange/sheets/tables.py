"""Notes as a table, and level points as a table: CSV (RFC 4180)."""

import csv
import io

from ..notes_csv import write_notes_csv
from ..words import gain
from .sheet import Noted, Sheet

POINT_COLUMNS = ("mark", "role", "timecode", "seconds", "gain_db")


def notes_table(sheet: Sheet) -> bytes:
    """One row a note."""
    return write_notes_csv(_row(sheet, note) for note in sheet.in_order).encode()


def _row(sheet: Sheet, note: Noted) -> dict[str, str]:
    begin, end = sheet.timecodes(note)
    points = "; ".join(f"{sheet.clock.timecode_in(p.at_s)} {gain(p.gain_db)}" for p in note.points)
    return {
        "mark": note.label,
        "in": begin,
        "out": end,
        "severity": note.severity,
        "title": note.title,
        "note": note.text,
        "change": note.change,
        "points": points,
    }


def points_table(sheet: Sheet) -> bytes:
    """One row a level point, in timecode, in seconds from the first sample, and in dB."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(POINT_COLUMNS)
    for note in sheet.in_order:
        for point in note.points:
            at = sheet.clock.timecode_in(point.at_s)
            writer.writerow([note.label, note.role or "", at, f"{point.at_s:.3f}", f"{point.gain_db:.1f}"])
    return out.getvalue().encode()
