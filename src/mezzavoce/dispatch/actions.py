"""Sending prepared notes, trying mails again, personal links withdrawn and sent anew."""

from collections.abc import Sequence

from django.db import transaction
from django.http import Http404
from django.utils import timezone

from ..accounts.access import require
from ..accounts.models import Person, record
from ..config.refusals import Overtaken, Refused
from ..library.models import Membership
from ..notes.models import Note
from ..work.waking import wake_workers_on_commit
from .models import Delivery, Dispatch, DispatchItem, Excerpt, Recipient
from .preparing import link_for


def send(person: Person, dispatch: Dispatch, *, answers_by_mail: bool = False, reminds: bool = False) -> Dispatch:
    """Hand a prepared dispatch to the queue. Refused when a note changed since it was prepared.

    ``answers_by_mail``: whoever sends it gets a mail when answers come; remembered for the next time. ``reminds``:
    whoever has answered nothing is reminded on the day before the programme is wanted.
    """
    require(person, dispatch.mix, Membership.Role.REVIEWER)
    with transaction.atomic():
        row = Dispatch.objects.select_for_update().get(pk=dispatch.pk)
        if row.state != Dispatch.State.PREPARED:
            raise Overtaken(
                "These notes were sent already, or prepared anew since. Go back to the notes to see where they are."
            )
        items = list(row.items.select_related("note"))
        notes = {n.pk: n for n in Note.objects.select_for_update().filter(pk__in=[i.note_id for i in items])}
        if not all(_stands(item, notes[item.note_id]) for item in items):
            raise Overtaken(
                "A note changed after this preview was made. Prepare the notes again, so that what goes out is "
                "what you see."
            )
        row.state, row.sent_at, row.answers_by_mail = Dispatch.State.SENT, timezone.now(), answers_by_mail
        row.reminds = reminds
        row.save()
        Person.objects.filter(pk=person.pk).update(answers_by_mail=answers_by_mail)
        _take_out(row, items)
        to = [str(r.contact) for r in row.recipients.select_related("contact")]
        record(row.mix.production, person, "send notes", row.subject, after=to)
    return row


def _stands(item: DispatchItem, note: Note) -> bool:
    """Whether a note is still as it was prepared."""
    stands = note.state in Note.STANDING
    return note.version == item.note_version and stands != (item.news == DispatchItem.News.WITHDRAWN)


def _take_out(row: Dispatch, items: Sequence[DispatchItem]) -> None:
    """Everything that sending sets going. Called inside a transaction."""
    told = [i for i in items if i.news != DispatchItem.News.WITHDRAWN]
    Note.objects.filter(pk__in=[i.note_id for i in told]).update(state=Note.State.SENT)
    Delivery.objects.filter(recipient__dispatch=row).update(state=Delivery.State.WAITING)
    Excerpt.objects.bulk_create([Excerpt(item=i) for i in told])
    wake_workers_on_commit("dispatch.tasks.send_mail")
    wake_workers_on_commit("dispatch.tasks.cut_excerpts")


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
        items = list(recipient.items.all())
        fresh = link_for(dispatch, recipient.contact, items, is_copy=recipient.is_copy)
        letter = {"subject": before.subject, "text": before.text, "html": before.html}
        Delivery.objects.create(recipient=fresh, state=Delivery.State.WAITING, **letter)
        record(dispatch.mix.production, person, "send link anew", str(recipient.contact))
        wake_workers_on_commit("dispatch.tasks.send_mail")
    return fresh


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
