"""Reminding those who have answered nothing, on the day before a programme is wanted."""

from datetime import timedelta

from django.db import transaction
from django.db.models import Exists, OuterRef, QuerySet
from django.utils import timezone

from ..work.waking import wake_workers_on_commit
from .models import Answer, Delivery, Dispatch, Recipient, Reminder

BEFORE = timedelta(days=1)
"""How long before a programme is wanted a reminder goes out."""


def to_remind() -> QuerySet[Recipient]:
    """Links whose addressee has the notes, has answered none of them, and was not reminded."""
    today = timezone.localdate()
    answered = Answer.objects.filter(item__dispatch=OuterRef("dispatch"), recipient__contact=OuterRef("contact"))
    reminded = Reminder.objects.filter(recipient__dispatch=OuterRef("dispatch"), recipient__contact=OuterRef("contact"))
    return Recipient.objects.filter(
        ~Exists(answered),
        ~Exists(reminded),
        dispatch__state=Dispatch.State.SENT,
        dispatch__reminds=True,
        # Whoever was sent the notes on the last day needs no second mail at once.
        dispatch__sent_at__lt=timezone.now() - BEFORE / 2,
        dispatch__mix__programme__due__range=(today, today + BEFORE),
        delivery__state=Delivery.State.SENT,
        is_copy=False,
        withdrawn=False,
        expires__gt=timezone.now(),
    )


def remind() -> int:
    """Write every reminder that is due; returns how many."""
    with transaction.atomic():
        links = Recipient.objects.select_for_update().filter(pk__in=list(to_remind().values_list("pk", flat=True)))
        rows = [Reminder(recipient=link, state=Reminder.State.WAITING) for link in links]
        Reminder.objects.bulk_create(rows)
        if rows:
            wake_workers_on_commit("dispatch.tasks.send_mail")
    return len(rows)
