"""Preparing, sending and answering notes."""

from datetime import timedelta
from functools import partial

from django.conf import settings
from django.core.mail import EmailMultiAlternatives
from django.db import IntegrityError, transaction
from django.http import Http404
from django.urls import reverse
from django.utils import timezone
from django.utils.text import slugify

from ..accounts.models import Person, record
from ..config.celery import app
from ..config.refusals import Overtaken, Refused
from ..library.access import require
from ..library.models import Contact, Membership, Mix
from ..measuring.selectors import current_judgement
from ..notes.models import Note
from ..notes.selectors import Marked, marked
from . import compose
from .models import Answer, Delivery, Dispatch, DispatchItem, Recipient
from .tokens import hash_of, new_seed, token_for

MOST_ATTEMPTS = 6
_TEXT_LENGTH = 2000


def _wake(task: str, row_id: int) -> None:
    """Tell a worker; tasks import this module, so they are named and not imported."""
    app.send_task(f"mezzavoce.dispatch.tasks.{task}", (row_id,))


def sendable(mix: Mix) -> list[Marked]:
    """Noted marks whose notes were not sent yet, in order of time."""
    return [m for m in marked(mix, current_judgement(mix)) if m.note is not None and m.note.state == Note.State.WRITTEN]


def prepare(person: Person, mix: Mix, contacts: list[Contact]) -> Dispatch:
    """Put the written notes together for some addressees, exactly as they would go out. An earlier preparation is dropped."""
    require(person, mix.production, Membership.Role.REVIEWER)
    if not contacts:
        raise Refused("Choose at least one addressee, or add one with name and mail address.")
    with transaction.atomic():
        items = sendable(mix)
        if not items:
            raise Refused("There is no note to send: note a finding first, or wait for answers to the ones already sent.")
        Dispatch.objects.filter(mix=mix, state=Dispatch.State.PREPARED).update(state=Dispatch.State.DROPPED)
        contents = [compose.content_of(i) for i in items]
        dispatch = Dispatch.objects.create(
            mix=mix,
            by=person,
            subject=compose.subject(mix, len(items)),
            csv_text=compose.csv_of(contents),
            csv_name=f"{slugify(str(mix.programme))}-mix-{mix.number}-notes.csv",
        )
        DispatchItem.objects.bulk_create(
            [
                DispatchItem(dispatch=dispatch, note=i.note, mark=i.mark, note_version=i.note.version if i.note else 1, position=k, content=c)
                for k, (i, c) in enumerate(zip(items, contents, strict=True))
            ]
        )
        for contact in contacts:
            _address(dispatch, contact, contents)
    return dispatch


def _address(dispatch: Dispatch, contact: Contact, contents: list[dict[str, object]]) -> None:
    seed = new_seed()
    recipient = Recipient.objects.create(
        dispatch=dispatch, contact=contact, seed=seed, token_hash=hash_of(token_for(seed)), expires=timezone.now() + timedelta(days=settings.LINK_DAYS)
    )
    text, html = compose.letter(dispatch.mix, contents, contact.name, dispatch.by.name)
    Delivery.objects.create(recipient=recipient, text=text, html=html)


def link_of(recipient: Recipient) -> str:
    """The personal link, made again from its seed."""
    return settings.BASE_URL + reverse("editor", args=[token_for(recipient.seed)])


def with_link(text: str, recipient: Recipient) -> str:
    """A prepared letter with the link in its place."""
    return text.replace(compose.LINK, link_of(recipient))


def send(person: Person, dispatch: Dispatch) -> Dispatch:
    """Hand a prepared dispatch to the queue. Refused when a note changed since it was prepared."""
    require(person, dispatch.mix.production, Membership.Role.REVIEWER)
    with transaction.atomic():
        row = Dispatch.objects.select_for_update().get(pk=dispatch.pk)
        if row.state != Dispatch.State.PREPARED:
            raise Overtaken("These notes were sent already, or prepared anew since. Go back to the notes to see where they are.")
        items = list(row.items.select_related("note"))
        notes = [Note.objects.select_for_update().get(pk=i.note_id) for i in items]
        if any(n.version != i.note_version or n.state != Note.State.WRITTEN for n, i in zip(notes, items, strict=True)):
            raise Overtaken("A note changed after this preview was made. Prepare the notes again, so that what goes out is what you see.")
        row.state, row.sent_at = Dispatch.State.SENT, timezone.now()
        row.save()
        Note.objects.filter(pk__in=[n.pk for n in notes]).update(state=Note.State.SENT)
        Delivery.objects.filter(recipient__dispatch=row).update(state=Delivery.State.WAITING, next_try=timezone.now())
        record(row.mix.production, person, "send notes", row.subject, after=[str(r.contact) for r in row.recipients.select_related("contact")])
        for delivery_id in Delivery.objects.filter(recipient__dispatch=row).values_list("id", flat=True):
            transaction.on_commit(partial(_wake, "deliver", delivery_id))
        transaction.on_commit(partial(_wake, "make_excerpts", row.pk))
    return row


def try_delivery(delivery_id: int) -> bool:
    """Send one waiting mail. A refusing server is asked again, later each time, then it is said on the page. Returns whether it went out."""
    with transaction.atomic():
        delivery = (
            Delivery.objects.select_for_update(skip_locked=True).filter(pk=delivery_id, state=Delivery.State.WAITING, next_try__lte=timezone.now()).first()
        )
        if delivery is None:
            return False
        # Claimed by moving the next try: a second worker that reads the row now leaves it alone.
        delivery.attempts += 1
        delivery.next_try = timezone.now() + timedelta(seconds=min(15 * 4 ** (delivery.attempts - 1), 3600))
        delivery.save()
    recipient = Recipient.objects.select_related("dispatch__by", "contact").get(pk=delivery.recipient_id)
    message = _message(recipient, delivery)
    try:
        message.send()
    except OSError as error:
        delivery.error = f"The mail server did not take it ({str(error)[:200]})."
        if delivery.attempts >= MOST_ATTEMPTS:
            delivery.state = Delivery.State.FAILED
        delivery.save(update_fields=["error", "state"])
        return False
    delivery.state, delivery.error, delivery.message_id = Delivery.State.SENT, "", str(message.extra_headers["Message-ID"])
    delivery.save(update_fields=["state", "error", "message_id"])
    return True


def _message(recipient: Recipient, delivery: Delivery) -> EmailMultiAlternatives:
    dispatch = recipient.dispatch
    message = EmailMultiAlternatives(
        dispatch.subject,
        with_link(delivery.text, recipient),
        to=[str(recipient.contact)],
        reply_to=[dispatch.by.mail],
        # The same id at every try, so that a mail accepted twice is shown once.
        headers={"Message-ID": f"<{recipient.seed}@mezzavoce>"},
    )
    message.attach_alternative(with_link(delivery.html, recipient), "text/html")
    message.attach(dispatch.csv_name, dispatch.csv_text, "text/csv")
    return message


def retry(person: Person, delivery: Delivery) -> None:
    """Try a mail again that was given up or waits for its next try."""
    require(person, delivery.recipient.dispatch.mix.production, Membership.Role.REVIEWER)
    with transaction.atomic():
        row = Delivery.objects.select_for_update().get(pk=delivery.pk)
        if row.state not in (Delivery.State.FAILED, Delivery.State.WAITING):
            raise Overtaken("This mail has gone out already.")
        row.state, row.attempts, row.next_try = Delivery.State.WAITING, 0, timezone.now()
        row.save()
        transaction.on_commit(partial(_wake, "deliver", row.pk))


def recipient_for(token: str) -> Recipient:
    """Whom a personal link belongs to; Http404 for one that was altered, withdrawn or is too old."""
    fields = ("dispatch__mix__programme__production", "dispatch__by", "contact")
    recipient = Recipient.objects.select_related(*fields).filter(token_hash=hash_of(token), dispatch__state=Dispatch.State.SENT).first()
    if recipient is None or not recipient.open:
        raise Http404
    return recipient


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
    try:
        with transaction.atomic():
            given = Answer.objects.create(recipient=recipient, item=item, what=what, reason=reason.strip()[:_TEXT_LENGTH], client_key=client_key[:40])
            record(
                recipient.dispatch.mix.production, None, f"answer: {what}", f"{recipient.dispatch.mix}: {item.content['letters']}", after=str(recipient.contact)
            )
    except IntegrityError:
        return Answer.objects.get(recipient=recipient, client_key=client_key[:40])
    return given


def dispatch_for(person: Person, dispatch_id: int) -> Dispatch:
    """A dispatch that the person may see, or Http404."""
    fields = ("mix__programme__production__spec_version__spec", "mix__programme__spec_version__spec", "by")
    dispatch = Dispatch.objects.select_related(*fields).filter(pk=dispatch_id, mix__programme__production__memberships__person=person).first()
    if dispatch is None:
        raise Http404
    return dispatch
