"""Notes as CSV (RFC 4180), one row a note, for a spreadsheet or an editing program's import."""

import csv
import io
from collections.abc import Iterable, Mapping

COLUMNS = ("mark", "in", "out", "severity", "title", "note", "change", "points", "answer", "reason")
"""The last two are for whoever answers: they come empty, and are read by ``incoming.answers``."""
# A spreadsheet runs a cell that begins with one of these as a formula.
_FORMULA = ("=", "+", "-", "@", "\t", "\r")


def write_notes_csv(rows: Iterable[Mapping[str, str]]) -> str:
    """Rows with the columns above as CSV text. Text that a spreadsheet would run as a formula gets a quote in front."""
    out = io.StringIO()
    writer = csv.DictWriter(out, COLUMNS, extrasaction="ignore", lineterminator="\r\n")
    writer.writeheader()
    for row in rows:
        writer.writerow({name: _harmless(str(row.get(name, ""))) for name in COLUMNS})
    return out.getvalue()


def _harmless(cell: str) -> str:
    return f"'{cell}" if cell.startswith(_FORMULA) else cell
