"""Notes that a person writes where nothing was measured: about any stretch of a mix, with a weight of its own."""

import uuid
from dataclasses import dataclass, replace
from typing import Any

from django.db import transaction

from mezzavoce_core.exchange.incoming.notes import read_notes
from mezzavoce_core.exchange.labels import label
from mezzavoce_core.versions.recheck import BY_HAND

from ..accounts.access import Role, require
from ..accounts.models import Person, record
from ..config.inputs import one_line
from ..config.refusals import Refused
from ..library.contacts import PARTS
from ..library.models import Mix, Programme
from .editing import TEXT_LENGTH, WEIGHTS, checked_text
from .models import Decision, Mark, Note, Placement

_TITLE_LENGTH = Placement.title.field.max_length or 0
_LEAST_S = 0.04
_MOST = 1000


@dataclass(frozen=True)
class Said:
    """What a note of one's own says: about which part of the sound, in which words, how much it weighs."""

    title: str
    text: str
    severity: str
    part: str = "mix"


def note_by_hand(person: Person, mix: Mix, timecodes: tuple[str, str], said: Said) -> Mark:
    """Note something about a stretch. Raises TimecodeError, or Refused where it says nothing or cannot be."""
    require(person, mix, Role.REVIEWER)
    title = one_line(said.title, _TITLE_LENGTH, "A title")
    if not title or not said.text.strip():
        raise Refused("A note needs a title and words that say what is wrong, or what is wanted.")
    said = replace(said, title=title, text=checked_text(said.text))
    if said.severity not in WEIGHTS:
        raise Refused("Say how much it weighs: must, should, or note.")
    if said.part not in PARTS:
        raise Refused("Say what it is about: voice, music, effects, or the whole mix.")
    in_s, out_s = (mix.clock.seconds_at(t) for t in timecodes)
    if not 0 <= in_s < mix.duration_s or out_s < in_s:
        raise Refused("The note ends before it begins, or lies behind the end of the mix. Set its out after its in.")
    with transaction.atomic():
        mark = _store(person, mix, (in_s, out_s), said)
        record(mix.production, person, "note by hand", f"{mix}: {mark.label}", after=title)
    return mark


def bring_in(person: Person, mix: Mix, content: bytes, severity: str) -> tuple[list[Mark], str]:
    """Take over the notes of somebody else from a file: all of them or none, undone together.

    ``severity`` is for those that name none. Returns their marks, and what is to be said about how they were placed.
    Raises UsageError or Refused.
    """
    require(person, mix, Role.REVIEWER)
    if severity not in WEIGHTS:
        raise Refused("Say how much these notes weigh: must, should, or note.")
    incoming = read_notes(content, mix.clock, mix.duration_s)
    if len(incoming.notes) > _MOST:
        raise Refused(f"This file has {len(incoming.notes)} notes; {_MOST} can be taken over at once. Divide it.")
    batch = uuid.uuid4()
    with transaction.atomic():
        marks = []
        for note in incoming.notes:
            title = one_line(note.title, _TITLE_LENGTH, "A title") or "Note"
            said = Said(title, checked_text(note.text[:TEXT_LENGTH]), note.severity or severity)
            marks.append(_store(person, mix, (note.in_s, note.out_s), said, batch))
        record(mix.production, person, "bring in notes", str(mix), after=[m.label for m in marks])
    return marks, incoming.remark


def _store(person: Person, mix: Mix, span: tuple[float, float], said: Said, batch: uuid.UUID | None = None) -> Mark:
    """A mark with its place, its decision and its note."""
    in_s, out_s = span
    out_s = min(max(out_s, in_s + _LEAST_S), mix.duration_s)
    programme = Programme.objects.select_for_update().get(pk=mix.programme_id)
    mark = Mark.objects.create(
        programme=programme, mix=mix, label=label(programme.labels_given), kind=BY_HAND, family="hand", role=said.part
    )
    programme.labels_given += 1
    programme.save(update_fields=["labels_given"])
    Placement.objects.create(
        mark=mark,
        mix=mix,
        in_sample=mix.samples(in_s),
        out_sample=mix.samples(out_s),
        severity=said.severity,
        title=said.title,
        evidence=_evidence(mix, (in_s, out_s), said),
    )
    Decision.objects.create(mark=mark, mix=mix, what=Decision.What.NOTE, by=person, batch=batch)
    note = Note.objects.create(programme=programme, mix=mix, text=said.text, text_by_hand=True, severity=said.severity)
    note.marks.add(mark)
    return mark


def _evidence(mix: Mix, span: tuple[float, float], said: Said) -> dict[str, Any]:
    """What a finding would hold: nothing was measured."""
    return {
        "kind": BY_HAND,
        "family": "hand",
        "severity": said.severity,
        "certainty": 1.0,
        "in_s": span[0],
        "out_s": span[1],
        "in_timecode": mix.clock.timecode_in(span[0]),
        "out_timecode": mix.clock.timecode_out(span[1]),
        "role": said.part,
        "source": None,
        "title": said.title,
        "message": said.text,
        "measured": None,
        "limit": None,
        "unit": "",
        "also": [],
        "remedy": None,
        "alternatives": [],
        "details": {},
    }
