"""Several notes told in one, and one told in several again. What each said before comes back when they are split."""

from collections.abc import Sequence

from django.db import transaction

from ..accounts.access import Role, require
from ..accounts.models import Person, record
from ..config.refusals import Refused
from ..library.models import Mix
from .editing import WEIGHTS
from .models import Note, Placement
from .proposal import placements_of, proposed_text
from .selectors import Marked

_KEPT = ("text", "text_by_hand", "proposed_then", "severity", "severity_by_hand")


def join(person: Person, mix: Mix, notes: Sequence[int]) -> Note:
    """Tell some written notes of a mix in the one that lies first; Refused where fewer than two stand."""
    require(person, mix, Role.REVIEWER)
    with transaction.atomic():
        rows = list(Note.objects.select_for_update().filter(pk__in=notes, mix=mix, state=Note.State.WRITTEN))
        if len(rows) < 2 or len(rows) != len(set(notes)):
            raise Refused("Choose two notes or more that were not sent yet; they are told in one then.")
        begins = dict(Placement.objects.filter(mix=mix, mark__notes__in=rows).values_list("mark__notes", "in_sample"))
        lead, *others = sorted(rows, key=lambda n: (begins.get(n.pk, 0), n.pk))
        if lead.alone is None:
            lead.alone = {name: getattr(lead, name) for name in _KEPT}
        for other in others:
            _take_in(lead, other)
        _tell(lead, [lead, *others])
        record(mix.production, person, "join notes", f"{mix}: {labels(lead)}")
    return lead


def _take_in(lead: Note, other: Note) -> None:
    """One that others were joined into brings them along."""
    for one in [*other.joined.all(), other]:
        one.joined_into, one.state, one.version = lead, Note.State.JOINED, one.version + 1
        one.save()
        lead.marks.add(*one.marks.all())


def _tell(lead: Note, rows: Sequence[Note]) -> None:
    """One text for all: the proposed one, or, where a person wrote any of them, all of them one after the other."""
    proposed = proposed_text(lead, lead.mix, placements_of(lead))
    by_hand = any(row.text_by_hand for row in rows)
    lead.text = "\n".join(row.text for row in rows) if by_hand else proposed
    lead.text_by_hand, lead.proposed_then = by_hand, proposed if by_hand else ""
    lead.severity = min((row.severity for row in rows), key=WEIGHTS.index)
    lead.version += 1
    lead.save()


def split(person: Person, note: Note) -> None:
    """Tell everything that was joined into a note by itself again; Refused where nothing was, or it was sent."""
    require(person, note.programme, Role.REVIEWER)
    with transaction.atomic():
        lead = Note.objects.select_for_update().get(pk=note.pk)
        if lead.alone is None or lead.state != Note.State.WRITTEN:
            raise Refused("Only a note that others were joined into, and that was not sent yet, can be split.")
        told = f"{lead.mix}: {labels(lead)}"
        split_up(lead)
        record(lead.programme.production, person, "split note", told)


def split_up(lead: Note) -> None:
    """Give everything that was joined into a note its own again. Called inside a transaction."""
    for one in lead.joined.all():
        let_go(lead, one)


def _restore(lead: Note) -> None:
    """What a note said before the first was joined into it."""
    for name, value in (lead.alone or {}).items():
        setattr(lead, name, value)
    lead.alone, lead.version = None, lead.version + 1
    lead.save()


def let_go(lead: Note, one: Note) -> None:
    """Give one note that was joined into another its own again. Called inside a transaction."""
    lead.marks.remove(*one.marks.all())
    one.joined_into, one.state, one.version = None, Note.State.WRITTEN, one.version + 1
    one.save()
    if lead.alone is not None and not lead.joined.exists():
        _restore(lead)


def labels(note: Note) -> str:
    """The marks of a note, as people call them."""
    return ", ".join(p.mark.label for p in placements_of(note))


def own_mark_first(marks: Sequence[Marked]) -> list[Marked]:
    """Marks of one note: its own first, then those that were joined into it, in order of time."""
    note = marks[0].note
    if note is None or note.alone is None:
        return list(marks)
    joined = set(note.joined.values_list("marks", flat=True))
    return sorted(marks, key=lambda m: (m.mark.pk in joined, m.in_s, m.mark.pk))
