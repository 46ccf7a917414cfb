"""What is to be sent of a mix: notes that were not sent, those changed since, and those taken back since."""

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from ..library.models import Contact, Mix
from ..notes.joining import own_mark_first
from ..notes.models import Mark, Note, Placement, Trim
from ..notes.proposal import proposed_text, templates_of
from ..notes.selectors import Marked
from . import compose
from .models import Dispatch, DispatchItem
from .pictures import Pictures

NEW, CHANGED, WITHDRAWN = DispatchItem.News.NEW, DispatchItem.News.CHANGED, DispatchItem.News.WITHDRAWN


@dataclass(frozen=True)
class Pending:
    """A note that is to be sent, with what was sent of it last."""

    note: Note
    mark: Mark
    marks: tuple[Marked, ...]
    """Its own mark first, then those that were joined into it; none where it was withdrawn."""
    news: str
    last: DispatchItem | None

    def content(self, judged_by: str, pictures: Pictures | None = None) -> dict[str, Any]:
        """The note as it is frozen when it is prepared."""
        if self.news == WITHDRAWN and self.last is not None:
            return dict(self.last.content)
        content = compose.content_of(self.note, self.marks) | {"judged_by": judged_by}
        if pictures is not None:
            content["picture"] = pictures.of(self.marks[0].evidence)
            for place, item in zip(content["joined"], self.marks[1:], strict=True):
                place["picture"] = pictures.of(item.evidence)
        return content | {"before": self.last.content["text"]} if self.news == CHANGED and self.last else content

    def is_for(self, contact: Contact, part: str, had: Collection[int]) -> bool:
        """Whether an addressee gets it, who was sent the notes ``had`` before."""
        if self.news == WITHDRAWN:
            return self.note.pk in had
        if self.note.addressee_id is not None:
            return self.note.addressee_id == contact.pk
        return contact.mends(part) or (self.news == CHANGED and self.note.pk in had)


def pending(mix: Mix, *, whole: bool = True) -> list[Pending]:
    """Everything that is to be sent, in order of time, then what was taken back.

    Without the ``whole`` findings, which are long, a note can be listed and not be prepared.
    """
    last = last_sent(mix)
    notes = [n for n in Note.objects.filter(mix=mix, state__in=Note.STANDING).order_by("pk") if _waits(n, last)]
    found = []
    for note, marks in _marks_of(mix, notes, whole=whole):
        sent = last.get(note.pk)
        was_told = sent is not None and sent.news != WITHDRAWN
        found.append(Pending(note, marks[0].mark, tuple(marks), CHANGED if was_told else NEW, sent))
    return sorted(found, key=lambda p: (p.marks[0].in_s, p.mark.pk)) + _withdrawn(mix, last)


def _waits(note: Note, last: Mapping[int, DispatchItem]) -> bool:
    """Whether a note was not sent as it is now."""
    sent = last.get(note.pk)
    return note.state == Note.State.WRITTEN or (sent is not None and sent.note_version != note.version)


def _marks_of(mix: Mix, notes: Sequence[Note], *, whole: bool) -> Iterator[tuple[Note, list[Marked]]]:
    """Notes with where their marks lie, their own first; in a fixed number of queries."""
    links = Note.marks.through.objects.filter(note__in=[n.pk for n in notes]).values_list("note", "mark")
    of_note: dict[int, list[int]] = {}
    for number, mark in links:
        of_note.setdefault(number, []).append(mark)
    marks = [mark for some in of_note.values() for mark in some]
    rows = Placement.objects.filter(mix=mix, mark__in=marks).select_related("mark")
    places = {p.mark_id: p for p in rows.defer(*([] if whole else ["evidence"]))}
    trims = {t.mark_id: t for t in Trim.objects.filter(mix=mix, mark__in=marks, withdrawn=None)}
    for note in notes:
        here = [places[m] for m in of_note.get(note.pk, []) if m in places]
        items = [Marked(p, mix, None, None, note, trims.get(p.mark_id)) for p in here]
        if items:
            yield note, own_mark_first(sorted(items, key=lambda m: (m.in_s, m.mark.pk)))


def drifts(mix: Mix, found: Sequence[Pending]) -> dict[int, str]:
    """What would be proposed now for notes that a person worded, where that is another than it was then, by note."""
    worded = [p for p in found if p.note.text_by_hand and p.note.proposed_then and p.marks]
    marks = [m.mark.pk for p in worded for m in p.marks]
    places = {p.mark_id: p for p in Placement.objects.filter(mix=mix, mark__in=marks).select_related("mark")}
    templates = templates_of(mix.production) if worded else {}
    now = {p.note.pk: proposed_text(p.note, mix, [places[m.mark.pk] for m in p.marks], templates) for p in worded}
    return {p.note.pk: now[p.note.pk] for p in worded if now[p.note.pk] != p.note.proposed_then}


def _withdrawn(mix: Mix, last: dict[int, DispatchItem]) -> list[Pending]:
    """Notes that were sent and were taken back, of which nobody was told yet; one told in another is not taken back."""
    gone = Note.objects.filter(mix=mix, pk__in=list(last), state=Note.State.WITHDRAWN)
    items = [(note, last[note.pk]) for note in gone if last[note.pk].news != WITHDRAWN]
    return [Pending(note, item.mark, (), WITHDRAWN, item) for note, item in items]


def last_sent(mix: Mix) -> dict[int, DispatchItem]:
    """What was sent last of each note of a mix, by note."""
    items = DispatchItem.objects.filter(dispatch__mix=mix, dispatch__state=Dispatch.State.SENT)
    return {item.note_id: item for item in items.select_related("mark").order_by("pk")}


def had_before(mix: Mix) -> dict[int, set[int]]:
    """The notes of a mix that each addressee was sent, by addressee."""
    found: dict[int, set[int]] = {}
    items = DispatchItem.objects.filter(dispatch__mix=mix, dispatch__state=Dispatch.State.SENT)
    for contact, note in items.filter(recipients__is_copy=False).values_list("recipients__contact", "note"):
        found.setdefault(contact, set()).add(note)
    return found
