"""Answers in a filled-in table of notes: a row a note, with what was done in the column ``answer``."""

from dataclasses import dataclass

from ...errors import UsageError
from .table import Row, read_table

FIXED, CANNOT, QUESTION = "fixed", "cannot fix", "question"
_COLUMNS = {
    "mark": ("note", "nr", "no", "label"),
    "answer": ("status", "done", "reply"),
    "reason": ("why", "comment", "remark", "question"),
}
_WORDS = {
    FIXED: ("fixed", "done", "ok", "yes", "x"),
    CANNOT: ("cannot fix", "cannot", "can't fix", "no", "not possible"),
    QUESTION: ("question", "ask", "?"),
}


@dataclass(frozen=True)
class Said:
    """What a row answers to the note of a mark."""

    mark: str
    what: str
    reason: str


def read_answers(content: bytes) -> list[Said]:
    """The answers of a table; rows without one are left out. Raises UsageError that says what is wrong in which row."""
    rows = read_table(content, _COLUMNS, ("mark", "answer"))
    found = [_said(row) for row in rows if row.get("answer") and row.get("mark")]
    if not found:
        raise UsageError(
            "No row of this table has an answer. Write fixed, cannot fix or question into the column “answer”."
        )
    marks = [said.mark for said in found]
    if twice := next((mark for mark in marks if marks.count(mark) > 1), None):
        raise UsageError(f"Note {twice} is answered twice in this table. Leave one of the two rows.")
    return found


def _said(row: Row) -> Said:
    word = row.get("answer").lower().rstrip(".!")
    what = next((name for name, words in _WORDS.items() if word in words), None)
    if what is None:
        raise UsageError(
            f"Row {row.number}: “{row.get('answer')[:40]}” is no answer. Write fixed, cannot fix or question."
        )
    if what != FIXED and not row.get("reason"):
        raise UsageError(f"Row {row.number}: “{what}” needs a few words in the column “reason”.")
    return Said(row.get("mark").upper(), what, row.get("reason"))
