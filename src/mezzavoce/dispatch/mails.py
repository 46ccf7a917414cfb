"""Mails that wait: notes to addressees, and word of their answers to whoever sent the notes.

One try at a time, none goes out twice.
"""

from datetime import timedelta

from django.conf import settings
from django.core.mail import EmailMessage, EmailMultiAlternatives
from django.db import transaction
from django.template.loader import render_to_string
from django.urls import reverse
from django.utils import timezone

from ..work.execution import work_next as work_through
from ..work.queue import Queue, Rules
from .models import Answer, Delivery, Dispatch, Notice, Recipient
from .post import FateUnknown, TurnedDown, address, post
from .tokens import token_for

GATHER_S = 60
"""How long answers are gathered before a mail tells of them, seconds."""
# Longer than a conversation with a mail server can last: the task that sends is ended before.
_RULES = Rules(
    lease_s=2 * settings.MAIL_LIMIT_S,
    most_attempts=6,
    first_wait_s=15,
    given_up="The mail could not be handed over in {attempts} tries.",
    when_lost=Delivery.State.UNKNOWN,
    lost="The worker stopped while it handed this mail over; it may have arrived or not. Ask the addressee, then "
    "send it again if it did not.",
)
DELIVERIES: Queue[Delivery] = Queue(
    "delivery", Delivery.objects.all(), "recipient__dispatch__mix__programme__production_id", _RULES
)
NOTICES: Queue[Notice] = Queue("notice", Notice.objects.all(), "dispatch__mix__programme__production_id", _RULES)


def send_next() -> bool:
    """Send the next mail that waits. Returns whether there was one."""
    return work_through(DELIVERIES, _deliver) or work_through(NOTICES, _tell)


def waiting() -> bool:
    """Whether a mail could be sent now."""
    return DELIVERIES.due().exists() or NOTICES.due().exists()


def _deliver(delivery: Delivery) -> None:
    recipient = Recipient.objects.select_related("dispatch__by", "contact").get(pk=delivery.recipient_id)
    if not recipient.open:
        raise TurnedDown("The link in this mail was withdrawn or has run out; send it anew.")
    try:
        message = _letter(recipient, delivery)
        message.message()
    except (ValueError, TypeError, LookupError) as error:
        raise TurnedDown(
            f"This mail could not be written ({str(error)[:200]}). Check the name and address of the addressee."
        ) from error
    try:
        post(message)
    except FateUnknown as error:
        DELIVERIES.end(delivery, Delivery.State.UNKNOWN, str(error))
    else:
        DELIVERIES.end(
            delivery, Delivery.State.SENT, message_id=message.extra_headers["Message-ID"], sent_at=timezone.now()
        )


def _letter(recipient: Recipient, delivery: Delivery) -> EmailMultiAlternatives:
    dispatch = recipient.dispatch
    message = EmailMultiAlternatives(
        dispatch.subject,
        with_link(delivery.text, link_of(recipient)),
        to=[address(recipient.contact.name, recipient.contact.mail)],
        reply_to=[address(dispatch.by.name, dispatch.by.mail)],
        # The same id at every try, so that a mail accepted twice is shown once.
        headers={"Message-ID": f"<{recipient.seed}@mezzavoce>"},
    )
    message.attach_alternative(with_link(delivery.html, link_of(recipient)), "text/html")
    message.attach(dispatch.csv_name, dispatch.csv_text, "text/csv")
    return message


def link_of(recipient: Recipient) -> str:
    """The personal link, made again from its seed. It goes into the mail to its addressee and nowhere else."""
    return settings.BASE_URL + reverse("editor", args=[token_for(recipient.seed)])


def with_link(text: str, link: str) -> str:
    """A prepared letter with a link in the place that was left for it."""
    return text.replace(settings.LINK_PLACE, link)


def announce(dispatch: Dispatch) -> None:
    """An answer came: a mail tells the sender, a little later, if one is wanted. Called inside a transaction."""
    if not dispatch.answers_by_mail:
        return
    soon = timezone.now() + timedelta(seconds=GATHER_S)
    notice, made = Notice.objects.select_for_update().get_or_create(
        dispatch=dispatch, defaults={"state": Notice.State.WAITING, "next_try": soon}
    )
    if not made and notice.state not in (Notice.State.WAITING, Notice.State.RUNNING):
        notice.state, notice.attempts, notice.next_try = Notice.State.WAITING, 0, soon
        notice.save()


def _tell(notice: Notice) -> None:
    dispatch = Dispatch.objects.select_related("mix__programme__production", "by").get(pk=notice.dispatch_id)
    answers = list(
        Answer.objects.filter(item__dispatch=dispatch, pk__gt=notice.told).select_related("item", "recipient__contact")
    )
    if not answers or not dispatch.by.is_active:
        NOTICES.end(notice, Notice.State.SENT)
        return
    state, error = Notice.State.SENT, ""
    try:
        post(_word_of(dispatch, answers))
    except FateUnknown as unknown:
        state, error = Notice.State.UNKNOWN, str(unknown)
    last = answers[-1].pk
    with transaction.atomic():
        NOTICES.end(notice, state, error, told=last)
        if Answer.objects.filter(item__dispatch=dispatch, pk__gt=last).exists():
            # It came while this mail went out.
            announce(dispatch)


def _word_of(dispatch: Dispatch, answers: list[Answer]) -> EmailMessage:
    count = len(answers)
    page = settings.BASE_URL + reverse("mix", args=[dispatch.mix_id])
    context = {"dispatch": dispatch, "mix": dispatch.mix, "answers": answers, "page": page}
    subject = f"{dispatch.mix.programme}, mix {dispatch.mix.number}: {count} answer{'' if count == 1 else 's'}"
    return EmailMessage(
        subject, render_to_string("dispatch/answers.txt", context), to=[address(dispatch.by.name, dispatch.by.mail)]
    )
