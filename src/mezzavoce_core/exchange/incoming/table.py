"""A table that somebody saved from whichever spreadsheet: any common encoding and separator, columns in any order."""

import csv
import io
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ...errors import UsageError

MOST_BYTES = 10_000_000
MOST_ROWS = 20_000
_SEPARATORS = ",;\t|"
_MOST_CELL = 100_000
# What a spreadsheet would run gets a quote in front when we write it.
_GUARDED = ("'=", "'+", "'-", "'@")


@dataclass(frozen=True)
class Row:
    """A row by the names of our columns; ``number`` is its line in the file, the head being the first."""

    number: int
    cells: Mapping[str, str]

    def get(self, name: str) -> str:
        """A cell, trimmed; "" where the table has no such column."""
        return self.cells.get(name, "")


def read_table(content: bytes, names: Mapping[str, Sequence[str]], needed: Sequence[str]) -> list[Row]:
    """Rows of a CSV file, empty ones left out.

    ``names`` are other words for each of our columns. Raises UsageError for what is no table, is too long, or lacks a
    column of ``needed``.
    """
    if len(content) > MOST_BYTES:
        raise UsageError(
            f"This file has {len(content) / 1e6:.0f} MB; a table may have {MOST_BYTES / 1e6:.0f}. Is it the right one?"
        )
    text = _text(content)
    lines = _lines(text)
    if not lines:
        raise UsageError("This file is empty. Save the table again, and hand it in.")
    columns = _columns(lines[0], names)
    if missing := [name for name in needed if name not in columns.values()]:
        there = ", ".join(cell.strip() for cell in lines[0] if cell.strip())[:200]
        raise UsageError(
            f"The table has no column “{missing[0]}”; its first line holds: {there or 'nothing'}. Keep the first line "
            "of the table as it came."
        )
    if len(lines) - 1 > MOST_ROWS:
        raise UsageError(f"The table has more than {MOST_ROWS} rows. Hand it in with those that are wanted.")
    rows = [Row(k, _cells(line, columns)) for k, line in enumerate(lines[1:], 2)]
    return [row for row in rows if any(row.cells.values())]


def _text(content: bytes) -> str:
    if content.startswith((b"\xff\xfe", b"\xfe\xff")):
        return content.decode("utf-16", errors="replace")
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError:
        # The other encoding that spreadsheets write; every byte means something in it.
        text = content.decode("cp1252", errors="replace")
    if "\0" in text:
        raise UsageError("This is no table in text form. Save it as CSV, and hand it in again.")
    return text


def _lines(text: str) -> list[list[str]]:
    head = text.split("\n", 1)[0]
    separator = max(_SEPARATORS, key=head.count)
    if not any(sign in head for sign in _SEPARATORS):
        separator = ","
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=separator)
    found: list[list[str]] = []
    try:
        for line in reader:
            if len(found) > MOST_ROWS + 1:
                break
            found.append(line)
    except csv.Error as error:
        raise UsageError(f"This is no table ({error}). Save it as CSV, and hand it in again.") from None
    return found


def _columns(head: Sequence[str], names: Mapping[str, Sequence[str]]) -> dict[int, str]:
    """Our name for each column that has one; the first of several counts."""
    words = {word: name for name, others in names.items() for word in (name, *others)}
    found: dict[int, str] = {}
    for k, cell in enumerate(head):
        name = words.get(" ".join(cell.lower().replace("_", " ").split()))
        if name and name not in found.values():
            found[k] = name
    return found


def _cells(line: Sequence[str], columns: Mapping[int, str]) -> dict[str, str]:
    return {name: _plain(line[k]) if k < len(line) else "" for k, name in columns.items()}


def _plain(cell: str) -> str:
    cell = cell[:_MOST_CELL].strip()
    return cell[1:] if cell.startswith(_GUARDED) else cell
