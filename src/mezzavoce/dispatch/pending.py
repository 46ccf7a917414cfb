"""What is to be sent of a mix: notes that were not sent, those changed since, and those taken back since."""

from collections.abc import Collection
from dataclasses import dataclass
from typing import Any

from ..library.models import Contact, Mix
from ..measuring.selectors import current_judgement
from ..notes.joining import own_mark_first
from ..notes.models import Mark, Note
from ..notes.proposal import proposed_text
from ..notes.selectors import Marked, marked
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

    def drift(self, mix: Mix, templates: dict[str, str]) -> str:
        """What would be proposed now for a note that a person worded, where that is another than it was then."""
        if not self.note.text_by_hand or not self.note.proposed_then or not self.marks:
            return ""
        now = proposed_text(self.note, mix, [m.placement for m in self.marks], templates)
        return now if now != self.note.proposed_then else ""

    def is_for(self, contact: Contact, part: str, had: Collection[int]) -> bool:
        """Whether an addressee gets it, who was sent the notes ``had`` before."""
        if self.news == WITHDRAWN:
            return self.note.pk in had
        if self.note.addressee_id is not None:
            return self.note.addressee_id == contact.pk
        return contact.mends(part) or (self.news == CHANGED and self.note.pk in had)


def pending(mix: Mix) -> list[Pending]:
    """Everything that is to be sent, in order of time, then what was taken back."""
    last = last_sent(mix)
    by_note: dict[int, list[Marked]] = {}
    for item in marked(mix, current_judgement(mix), whole=True):
        if item.note is not None:
            by_note.setdefault(item.note.pk, []).append(item)
    found = []
    for marks in by_note.values():
        ordered = own_mark_first(marks)
        note = ordered[0].note
        assert note is not None
        sent = last.get(note.pk)
        if note.state == Note.State.WRITTEN or (sent is not None and sent.note_version != note.version):
            was_told = sent is not None and sent.news != WITHDRAWN
            found.append(Pending(note, ordered[0].mark, tuple(ordered), CHANGED if was_told else NEW, sent))
    return found + _withdrawn(mix, last)


def _withdrawn(mix: Mix, last: dict[int, DispatchItem]) -> list[Pending]:
    """Notes that were sent and do not stand any more, of which nobody was told yet."""
    gone = Note.objects.filter(mix=mix, pk__in=list(last)).exclude(state__in=Note.STANDING)
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
