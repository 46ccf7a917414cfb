"""Preparing, sending and answering notes."""

from datetime import timedelta

from django.conf import settings
from django.db import IntegrityError, transaction
from django.http import Http404
from django.utils import timezone
from django.utils.text import slugify

from ..accounts.access import require
from ..accounts.models import Person, record
from ..config.refusals import Overtaken, Refused
from ..library.models import Contact, Membership, Mix
from ..measuring.selectors import current_judgement
from ..notes.models import Note
from ..notes.selectors import Marked, marked
from ..work.waking import wake_workers_on_commit
from . import compose
from .mails import announce
from .models import Answer, Delivery, Dispatch, DispatchItem, Excerpt, Recipient
from .tokens import hash_of, new_seed, token_for

_TEXT_LENGTH = 2000


def sendable(mix: Mix) -> list[Marked]:
    """Noted marks whose notes were not sent yet, in order of time."""
    return [
        m
        for m in marked(mix, current_judgement(mix), whole=True)
        if m.note is not None and m.note.state == Note.State.WRITTEN
    ]


def prepare(person: Person, mix: Mix, contacts: list[Contact]) -> Dispatch:
    """Put the written notes together for some addressees, exactly as they would go out.

    An earlier preparation is dropped.
    """
    require(person, mix, Membership.Role.REVIEWER)
    if not contacts:
        raise Refused("Choose at least one addressee, or add one with name and mail address.")
    with transaction.atomic():
        items = sendable(mix)
        if not items:
            raise Refused(
                "There is no note to send: note a finding first, or wait for answers to the ones already sent."
            )
        Dispatch.objects.filter(mix=mix, state=Dispatch.State.PREPARED).update(state=Dispatch.State.DROPPED)
        judgement = current_judgement(mix)
        judged_by = judgement.spec_version.words if judgement else ""
        contents = [compose.content_of(i) | {"judged_by": judged_by} for i in items]
        dispatch = Dispatch.objects.create(
            mix=mix,
            by=person,
            subject=compose.subject(mix, len(items)),
            csv_text=compose.csv_of(contents),
            csv_name=f"{slugify(str(mix.programme))[:80]}-mix-{mix.number}-notes.csv",
        )
        DispatchItem.objects.bulk_create(
            [
                DispatchItem(
                    dispatch=dispatch,
                    note=i.note,
                    mark=i.mark,
                    note_version=i.note.version if i.note else 1,
                    position=k,
                    content=c,
                )
                for k, (i, c) in enumerate(zip(items, contents, strict=True))
            ]
        )
        for contact in contacts:
            _address(dispatch, contact, contents)
    return dispatch


def _address(dispatch: Dispatch, contact: Contact, contents: list[dict[str, object]]) -> None:
    text, html = compose.letter(dispatch.mix, contents, contact.name, dispatch.by.name)
    Delivery.objects.create(recipient=_link_for(dispatch, contact), text=text, html=html)


def _link_for(dispatch: Dispatch, contact: Contact) -> Recipient:
    seed = new_seed()
    expires = timezone.now() + timedelta(days=settings.LINK_DAYS)
    return Recipient.objects.create(
        dispatch=dispatch, contact=contact, seed=seed, token_hash=hash_of(token_for(seed)), expires=expires
    )


def send(person: Person, dispatch: Dispatch, *, answers_by_mail: bool = False) -> Dispatch:
    """Hand a prepared dispatch to the queue. Refused when a note changed since it was prepared.

    ``answers_by_mail``: whoever sends it gets a mail when answers come; remembered for the next time.
    """
    require(person, dispatch.mix, Membership.Role.REVIEWER)
    with transaction.atomic():
        row = Dispatch.objects.select_for_update().get(pk=dispatch.pk)
        if row.state != Dispatch.State.PREPARED:
            raise Overtaken(
                "These notes were sent already, or prepared anew since. Go back to the notes to see where they are."
            )
        items = list(row.items.select_related("note"))
        notes = [Note.objects.select_for_update().get(pk=i.note_id) for i in items]
        if any(n.version != i.note_version or n.state != Note.State.WRITTEN for n, i in zip(notes, items, strict=True)):
            raise Overtaken(
                "A note changed after this preview was made. Prepare the notes again, so that what goes out is "
                "what you see."
            )
        row.state, row.sent_at, row.answers_by_mail = Dispatch.State.SENT, timezone.now(), answers_by_mail
        row.save()
        Person.objects.filter(pk=person.pk).update(answers_by_mail=answers_by_mail)
        Note.objects.filter(pk__in=[n.pk for n in notes]).update(state=Note.State.SENT)
        Delivery.objects.filter(recipient__dispatch=row).update(state=Delivery.State.WAITING)
        Excerpt.objects.bulk_create([Excerpt(item=i) for i in items])
        record(
            row.mix.production,
            person,
            "send notes",
            row.subject,
            after=[str(r.contact) for r in row.recipients.select_related("contact")],
        )
        wake_workers_on_commit("dispatch.tasks.send_mail")
        wake_workers_on_commit("dispatch.tasks.cut_excerpts")
    return row


def retry(person: Person, delivery: Delivery) -> None:
    """Try a mail again that was given up, waits for its next try, or of which nobody knows whether it arrived."""
    mix = delivery.recipient.dispatch.mix
    require(person, mix, Membership.Role.REVIEWER)
    with transaction.atomic():
        row = Delivery.objects.select_for_update().get(pk=delivery.pk)
        if row.state == Delivery.State.RUNNING:
            raise Overtaken("This mail is being handed over right now; wait until it is known how that ends.")
        if row.state not in (Delivery.State.FAILED, Delivery.State.WAITING, Delivery.State.UNKNOWN):
            raise Overtaken("This mail has gone out already.")
        if row.recipient.withdrawn:
            raise Overtaken("The link in this mail was withdrawn; send a new one instead.")
        row.state, row.attempts, row.next_try = Delivery.State.WAITING, 0, None
        row.save()
        record(mix.production, person, "send mail again", str(row.recipient.contact))
        wake_workers_on_commit("dispatch.tasks.send_mail")


def withdraw_link(person: Person, recipient: Recipient) -> None:
    """From now on a personal link opens nothing; what was answered through it stays."""
    require(person, recipient.dispatch.mix, Membership.Role.REVIEWER)
    with transaction.atomic():
        _withdraw(person, recipient)


def _withdraw(person: Person, recipient: Recipient) -> None:
    row = Recipient.objects.select_for_update().get(pk=recipient.pk)
    if row.withdrawn:
        raise Overtaken("This link was withdrawn already.")
    row.withdrawn = True
    row.save(update_fields=["withdrawn"])
    Delivery.objects.filter(recipient=row, state=Delivery.State.WAITING).update(
        state=Delivery.State.FAILED, error="The link was withdrawn before this mail went out.", next_try=None
    )
    record(recipient.dispatch.mix.production, person, "withdraw link", str(recipient.contact))


def renew_link(person: Person, recipient: Recipient) -> Recipient:
    """Send the notes once more with a new personal link; the one before it opens nothing any more."""
    dispatch = recipient.dispatch
    require(person, dispatch.mix, Membership.Role.REVIEWER)
    if dispatch.state != Dispatch.State.SENT:
        raise Refused("These notes were not sent yet. Send them first.")
    with transaction.atomic():
        if not recipient.withdrawn:
            _withdraw(person, recipient)
        before = Delivery.objects.get(recipient=recipient)
        fresh = _link_for(dispatch, recipient.contact)
        Delivery.objects.create(recipient=fresh, state=Delivery.State.WAITING, text=before.text, html=before.html)
        record(dispatch.mix.production, person, "send link anew", str(recipient.contact))
        wake_workers_on_commit("dispatch.tasks.send_mail")
    return fresh


def recipient_for(token: str) -> Recipient | None:
    """Whom a personal link belongs to; None for one that was altered, withdrawn or is too old."""
    fields = ("dispatch__mix__programme__production", "dispatch__by", "contact")
    recipient = (
        Recipient.objects.select_related(*fields)
        .filter(token_hash=hash_of(token), dispatch__state=Dispatch.State.SENT)
        .first()
    )
    return recipient if recipient is not None and recipient.open else None


def answers_of(recipient: Recipient) -> dict[int, Answer]:
    """The newest answer of an addressee to each note of a dispatch, through whichever of their links it came."""
    given = Answer.objects.filter(
        item__dispatch=recipient.dispatch_id, recipient__contact=recipient.contact_id
    ).order_by("pk")
    return {a.item_id: a for a in given}


def answer(recipient: Recipient, item: DispatchItem, what: str, reason: str, client_key: str) -> Answer:
    """Take down an editor's answer. The same key twice is one answer."""
    if what not in Answer.What.values:
        raise Refused("The answer can be: fixed, cannot fix, or a question.")
    if what == Answer.What.CANNOT and not reason.strip():
        raise Refused("Please say in a few words why it cannot be fixed; the reviewer decides with that.")
    if what == Answer.What.QUESTION and not reason.strip():
        raise Refused("Please write the question.")
    if not client_key:
        raise Refused("This page is out of date; reload it and answer again.")
    said = {"item": item, "what": what, "reason": reason.strip()[:_TEXT_LENGTH]}
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


def dispatch_for(person: Person, dispatch_id: int, role: str = Membership.Role.GUEST) -> Dispatch:
    """A dispatch of a production in which the person has at least a role, or Http404.

    NotAllowed for a member with less.
    """
    fields = ("mix__programme__production__spec_version__spec", "mix__programme__spec_version__spec", "by")
    dispatch = (
        Dispatch.objects.select_related(*fields)
        .filter(pk=dispatch_id, mix__programme__production__memberships__person=person)
        .first()
    )
    if dispatch is None:
        raise Http404
    if role != Membership.Role.GUEST:
        require(person, dispatch.mix, role)
    return dispatch
