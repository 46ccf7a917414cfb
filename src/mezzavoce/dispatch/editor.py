"""Reading what a personal link shows: each note with its answer, and what was sent of it later."""

from dataclasses import dataclass
from datetime import datetime

from .models import Answer, Dispatch, DispatchItem, Recipient, Reply


@dataclass(frozen=True)
class Shown:
    """A note of a link with what was answered to it, and what was sent of it later through another link."""

    item: DispatchItem
    answer: Answer | None
    newer: DispatchItem | None
    is_copy: bool

    @property
    def replies(self) -> list[Reply]:
        """What the reviewer said to the answer that counts."""
        return list(self.answer.replies.all()) if self.answer else []

    @property
    def is_withdrawn(self) -> bool:
        """Whether nothing is to be done any more."""
        return DispatchItem.News.WITHDRAWN in (self.item.news, self.newer.news if self.newer else "")

    @property
    def is_answered(self) -> bool:
        """Whether the editor has said the last word: a question that was answered is open again."""
        return self.answer is not None and not self.replies

    @property
    def can_answer(self) -> bool:
        """Whether an answer is taken."""
        return not self.is_copy and not self.is_withdrawn and self.newer is None

    @property
    def is_open(self) -> bool:
        """Whether it waits for an answer."""
        return self.can_answer and self.answer is None

    @property
    def changed_at(self) -> datetime | None:
        """When the reviewer last did something about it since it was sent."""
        moments = [reply.at for reply in self.replies]
        if self.newer is not None and self.newer.dispatch.sent_at is not None:
            moments.append(self.newer.dispatch.sent_at)
        return max(moments, default=None)


def shown(recipient: Recipient) -> list[Shown]:
    """Every note of a link, in order."""
    given, newer = answers_of(recipient), later(recipient)
    items = recipient.items.select_related("excerpt__clip", "excerpt__still", "excerpt__proposed", "dispatch")
    return [Shown(item, _counting(given.get(item.pk)), newer.get(item.note_id), recipient.is_copy) for item in items]


def _counting(answer: Answer | None) -> Answer | None:
    return None if answer is None or answer.what == Answer.What.TAKEN_BACK else answer


def answers_of(recipient: Recipient) -> dict[int, Answer]:
    """The newest answer of an addressee to each note of a dispatch, through whichever of their links it came."""
    given = (
        Answer.objects.filter(item__dispatch=recipient.dispatch_id, recipient__contact=recipient.contact_id)
        .prefetch_related("replies__by")
        .order_by("pk")
    )
    return {a.item_id: a for a in given}


def later(recipient: Recipient) -> dict[int, DispatchItem]:
    """What was sent later of notes that this link shows, by note: changed, or withdrawn."""
    items = DispatchItem.objects.filter(
        note__in=recipient.items.values("note"),
        dispatch__state=Dispatch.State.SENT,
        dispatch__sent_at__gt=recipient.dispatch.sent_at,
    )
    return {item.note_id: item for item in items.select_related("dispatch").order_by("pk")}


def labels_of(item: DispatchItem) -> list[str]:
    """Every mark that a note tells of, its own first."""
    return [item.content["label"], *(one["label"] for one in item.content.get("joined", []))]


def sees_all(recipient: Recipient) -> bool:
    """Whether a link shows every note of its dispatch."""
    return not recipient.dispatch.items.exclude(recipients=recipient).exists()
