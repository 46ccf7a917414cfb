"""What editors answer through their links, and what the reviewer says to their questions."""

import hashlib
from collections.abc import Mapping, Sequence
from datetime import timedelta

from django.db import IntegrityError, transaction
from django.http import Http404
from django.utils import timezone

from mezzavoce_core.exchange.incoming.answers import Said, read_answers

from ..accounts.access import Role, require
from ..accounts.models import Person, record
from ..config.refusals import Overtaken, Refused
from ..work.waking import wake_workers_on_commit
from .editor import labels_of, later, shown
from .mails import announce
from .models import Answer, Dispatch, DispatchItem, Recipient, Reply
from .tokens import hash_of

TEXT_LENGTH = 2000
_TOLD_AGAIN = timedelta(minutes=10)
_OUT_OF_DATE = "This page is out of date; reload it and answer again."


def recipient_for(token: str) -> Recipient | None:
    """Whom a personal link belongs to; None for one that was altered, withdrawn or is too old."""
    fields = ("dispatch__mix__programme__production", "dispatch__by", "contact", "delivery")
    recipient = (
        Recipient.objects.select_related(*fields)
        .filter(token_hash=hash_of(token), dispatch__state=Dispatch.State.SENT)
        .first()
    )
    return recipient if recipient is not None and recipient.open else None


def note_use(recipient: Recipient, what: str) -> None:
    """Tell the trail that a link was used; opening the page again within ten minutes is the same use."""
    if what == "open link":
        now = timezone.now()
        free = Recipient.objects.filter(pk=recipient.pk).exclude(opened_at__gt=now - _TOLD_AGAIN)
        if not free.update(opened_at=now):
            return
    told = {"by": str(recipient.contact), "link": recipient.pk}
    record(recipient.dispatch.mix.production, None, what, recipient.dispatch.subject[:200], after=told)


def answer(recipient: Recipient, item: DispatchItem, what: str, reason: str, client_key: str) -> Answer:
    """Take down an editor's answer. The same key twice is one answer."""
    if what not in Answer.What.values:
        raise Refused("The answer can be: fixed, cannot fix, or a question.")
    if what == Answer.What.CANNOT and not reason.strip():
        raise Refused("Please say in a few words why it cannot be fixed; the reviewer decides with that.")
    if what == Answer.What.QUESTION and not reason.strip():
        raise Refused("Please write the question.")
    if not client_key:
        raise Refused(_OUT_OF_DATE)
    _check_open(recipient, item)
    said = {"item": item, "what": what, "reason": reason.strip()[:TEXT_LENGTH]}
    try:
        with transaction.atomic():
            given = Answer.objects.create(recipient=recipient, client_key=client_key, **said)
            mix = recipient.dispatch.mix
            told = {"by": str(recipient.contact), "link": recipient.pk}
            record(mix.production, None, f"answer: {what}", f"{mix}: {item.content['label']}", after=told)
            announce(recipient.dispatch)
    except IntegrityError:
        given = Answer.objects.get(recipient=recipient, client_key=client_key)
        if any(getattr(given, name) != value for name, value in said.items()):
            raise Refused("This answer came under the key of another one. Reload the page and answer again.") from None
    return given


def _check_open(recipient: Recipient, item: DispatchItem) -> None:
    """Raise for a note that this link cannot answer any more, or never could."""
    _check_reader(recipient)
    newer = later(recipient).get(item.note_id)
    withdrawn = "The reviewer has withdrawn this note; nothing is to be done here any more."
    if item.news == DispatchItem.News.WITHDRAWN or (newer and newer.news == DispatchItem.News.WITHDRAWN):
        raise Overtaken(withdrawn)
    if newer is not None and newer.dispatch.sent_at is not None:
        raise Overtaken(
            f"This note was changed since. The mail of {newer.dispatch.sent_at:%d %b, %H:%M} has it as it is now; "
            "answer there. Your words are still in the field."
        )


def _check_reader(recipient: Recipient) -> None:
    if recipient.is_copy:
        raise Refused("This link is a copy, to be read. Whoever mends the mix answers through a link of their own.")


def answer_all(recipient: Recipient, client_key: str) -> list[DispatchItem]:
    """Every note that waits for an answer is fixed. Returns which those were."""
    _check_reader(recipient)
    if not client_key:
        raise Refused(_OUT_OF_DATE)
    with transaction.atomic():
        items = [one.item for one in shown(recipient) if one.is_open]
        for item in items:
            key = hashlib.sha256(f"{client_key}:{item.pk}".encode()).hexdigest()[:40]
            answer(recipient, item, Answer.What.FIXED, "", key)
    return items


def take_table(recipient: Recipient, content: bytes, person: Person | None = None) -> list[Answer]:
    """The answers of a filled-in table: all of them or none. The same table twice answers once.

    ``person`` hands it in for an addressee who sent it by mail. Raises UsageError or Refused.
    """
    mix = recipient.dispatch.mix
    if person is not None:
        require(person, mix, Role.REVIEWER)
    said = read_answers(content)
    items = {label: item for item in recipient.items.all() for label in labels_of(item)}
    if unknown := [one.mark for one in said if one.mark not in items]:
        raise Refused(
            f"The table answers {', '.join(unknown[:5])}, which {'is' if len(unknown) == 1 else 'are'} not among the "
            "notes of this link. Is it the table of another mail? Nothing was taken over."
        )
    by_item = _by_item(said, items)
    digest = hashlib.sha256(content).hexdigest()
    with transaction.atomic():
        given = []
        for item, one in by_item.items():
            key = hashlib.sha256(f"{digest}:{one.mark}".encode()).hexdigest()[:40]
            given.append(answer(recipient, item, one.what, one.reason, key))
        if person is not None:
            told = {"for": str(recipient.contact), "answers": len(given)}
            record(mix.production, person, "hand in answers", str(mix), after=told)
    return given


def _by_item(said: Sequence[Said], items: Mapping[str, DispatchItem]) -> dict[DispatchItem, Said]:
    """One answer for each note; rows of places that are told in one note have to say the same of it."""
    found: dict[DispatchItem, Said] = {}
    for one in said:
        first = found.setdefault(items[one.mark], one)
        if (first.what, first.reason) != (one.what, one.reason):
            raise Refused(
                f"{first.mark} and {one.mark} are one note, and the table says two things of it. Leave one row."
            )
    return found


def answer_for(person: Person, answer_id: int) -> Answer:
    """An answer of a production in which the person may reply, or Http404."""
    fields = ("item__dispatch__mix__programme__production", "recipient__contact")
    found = Answer.objects.select_related(*fields).filter(pk=answer_id).first()
    if found is None:
        raise Http404
    require(person, found.item.dispatch.mix, Role.REVIEWER)
    return found


def reply(person: Person, given: Answer, text: str) -> Reply:
    """Say something to an editor's question; it stands on the editor's page, and a mail tells of it."""
    mix = given.item.dispatch.mix
    require(person, mix, Role.REVIEWER)
    text = text.replace("\r\n", "\n").strip()
    if not text:
        raise Refused("Write what you want to say to the question.")
    if len(text) > TEXT_LENGTH:
        raise Refused(f"What you say may have {TEXT_LENGTH} characters; this has {len(text)}. Shorten it.")
    if given.what not in (Answer.What.QUESTION, Answer.What.CANNOT):
        raise Refused("Only a question, or a note that cannot be fixed, is answered.")
    with transaction.atomic():
        said = Reply.objects.create(answer=given, text=text, by=person, state=Reply.State.WAITING)
        record(mix.production, person, "reply", f"{mix}: {given.item.content['label']}", after=text)
        wake_workers_on_commit("dispatch.tasks.send_mail")
    return said
