"""Changing what a note says: its words, its weight, whom it is for, which remedy it proposes."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django.db import transaction

from mezzavoce_core.judge.model import MUST, NOTE, SHOULD
from mezzavoce_core.roles import ROLES

from ..accounts.access import Role, require
from ..accounts.models import Person, record
from ..config.inputs import number
from ..config.refusals import Overtaken, Refused
from ..library.models import Contact, Mix
from .models import Note
from .proposal import NONE, OWN, offered, placements_of, proposed_text

WEIGHTS = (MUST, SHOULD, NOTE)
TEXT_LENGTH = 4000
_MOST_POINTS = 200
_MOST_DB = 60.0
_OVERTAKEN = (
    "Somebody changed this note while you wrote. Your words are still in the field: copy them, reload, and put them "
    "in again."
)
_NOT_STANDING = "This note was taken back, or joined into another one. Go back to the notes to see where it is."


@dataclass(frozen=True)
class Change:
    """What a note is to be. A ``text`` that is the proposed one is not by hand."""

    text: str
    severity: str
    addressee: Contact | None
    choice: int
    own_points: dict[str, Any] | None = None


def change_note(person: Person, note: Note, change: Change, version: int) -> Note:
    """Change a note; Overtaken when somebody else did since it was read, Refused where it cannot be like that."""
    require(person, note.programme, Role.REVIEWER)
    text = checked_text(change.text)
    if change.severity not in WEIGHTS:
        raise Refused("Say how much it weighs: must, should, or note.")
    with transaction.atomic():
        row = held(note, version)
        if change.addressee is not None and change.addressee.production_id != row.programme.production_id:
            raise Refused("This addressee belongs to another production. Choose one of this one.")
        before = f"{row.severity}: {row.text}"
        was_proposed = proposed_text(row, row.mix, placements_of(row))
        row.choice, row.own_points = change.choice, change.own_points
        _check_choice(row)
        _take_words(row, text, was_proposed)
        row.severity_by_hand = row.severity_by_hand or row.severity != change.severity
        row.severity, row.addressee, row.version = change.severity, change.addressee, row.version + 1
        row.save()
        production = row.programme.production
        record(production, person, "change note", _name(row), before=before, after=f"{row.severity}: {row.text}")
    return row


def word_note(person: Person, note: Note, text: str, version: int) -> Note:
    """Change a note's words and nothing else; raises as ``change_note`` does."""
    change = Change(text, note.severity, note.addressee, note.choice, note.own_points)
    return change_note(person, note, change, version)


def held(note: Note, version: int | None = None) -> Note:
    """A note to be changed, locked; Overtaken where it is of another version, Refused where it stands no more."""
    row = Note.objects.select_for_update().get(pk=note.pk)
    if version is not None and row.version != version:
        raise Overtaken(_OVERTAKEN)
    if row.state not in Note.STANDING:
        raise Overtaken(_NOT_STANDING)
    return row


def checked_text(text: str) -> str:
    """The words of a note, trimmed. Raises Refused where there are none, or too many."""
    text = text.replace("\r\n", "\n").strip()
    if not text:
        raise Refused("A note without words helps nobody. Write what is wrong, or take the note back with undo.")
    if len(text) > TEXT_LENGTH:
        raise Refused(f"A note may have {TEXT_LENGTH} characters; this one has {len(text)}. Shorten it.")
    return text


def _take_words(row: Note, text: str, was_proposed: str) -> None:
    """The words that a person left as they were proposed go on following what is proposed."""
    proposed = proposed_text(row, row.mix, placements_of(row))
    untouched = text == proposed or (not row.text_by_hand and text in (row.text, was_proposed))
    row.text, row.text_by_hand = (proposed, False) if untouched else (text, True)
    row.proposed_then = "" if untouched else proposed


def _check_choice(row: Note) -> None:
    first = placements_of(row)[0]
    if row.choice == OWN:
        if row.own_points is None:
            raise Refused("Set at least one level point, with its timecode and its gain in dB.")
    elif row.choice != NONE and not 0 <= row.choice < max(1, len(offered(first.evidence))):
        raise Refused("This remedy is not offered any more. Reload the page and choose again.")
    if row.choice != OWN:
        row.own_points = None


def own_points(mix: Mix, role: str, timecodes: Sequence[str], gains: Sequence[str]) -> dict[str, Any]:
    """Level points as a form brings them; lines that are empty are left out. Raises TimecodeError or Refused."""
    if role not in (*ROLES, "mix"):
        raise Refused("Say for which part of the sound the level points are: voice, music, effects, or the mix.")
    rows = [(t.strip(), g.strip()) for t, g in zip(timecodes, gains, strict=False) if t.strip() or g.strip()]
    if not 0 < len(rows) <= _MOST_POINTS:
        raise Refused(f"Set at least one level point, with its timecode and its gain in dB; {_MOST_POINTS} at most.")
    points = [(mix.clock.seconds_at(t), number(g.replace(",", ".").removesuffix("dB").strip())) for t, g in rows]
    for (timecode, said), (at_s, gain_db) in zip(rows, points, strict=True):
        if gain_db is None or abs(gain_db) > _MOST_DB:
            raise Refused(f"“{said[:20]}” at {timecode} is no gain in dB between -{_MOST_DB:.0f} and {_MOST_DB:.0f}.")
        if not 0 <= at_s <= mix.duration_s:
            raise Refused(f"{timecode} lies outside of the mix. Set the point inside of it.")
    ordered = sorted(points, key=lambda point: point[0])
    return {"role": role, "points": [{"at_s": s, "gain_db": gain_db} for s, gain_db in ordered]}


def _name(row: Note) -> str:
    return f"{row.mix}: {', '.join(row.marks.values_list('label', flat=True))}"
