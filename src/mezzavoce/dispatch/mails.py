"""Mails that wait: notes to addressees, replies and reminders, and word of answers to whoever sent the notes.

One try at a time, none goes out twice.
"""

from datetime import timedelta
from typing import TypeVar

from django.conf import settings
from django.core.mail import EmailMessage, EmailMultiAlternatives
from django.db import transaction
from django.template.loader import render_to_string
from django.urls import reverse
from django.utils import timezone

from ..accounts.models import Person
from ..work.execution import work_next as work_through
from ..work.queue import Queue, Rules
from .files import attachments
from .models import Answer, Delivery, Dispatch, Mail, Notice, Recipient, Reminder, Reply
from .post import FateUnknown, TurnedDown, address, post
from .tokens import token_for

_PlainMail = TypeVar("_PlainMail", Reply, Reminder)
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
REPLIES: Queue[Reply] = Queue(
    "reply", Reply.objects.all(), "answer__item__dispatch__mix__programme__production_id", _RULES
)
REMINDERS: Queue[Reminder] = Queue(
    "reminder", Reminder.objects.all(), "recipient__dispatch__mix__programme__production_id", _RULES
)


def send_next() -> bool:
    """Send the next mail that waits. Returns whether there was one."""
    return (
        work_through(DELIVERIES, _deliver)
        or work_through(REPLIES, _pass_on)
        or work_through(NOTICES, _tell)
        or work_through(REMINDERS, _remind)
    )


def waiting() -> bool:
    """Whether a mail could be sent now."""
    return any(queue.due().exists() for queue in (DELIVERIES, REPLIES, NOTICES, REMINDERS))


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
        delivery.subject,
        with_link(delivery.text, link_of(recipient)),
        to=[address(recipient.contact.name, recipient.contact.mail)],
        reply_to=[address(dispatch.by.name, dispatch.by.mail)],
        # The same id at every try, so that a mail accepted twice is shown once.
        headers={"Message-ID": f"<{recipient.seed}@mezzavoce>"},
    )
    message.attach_alternative(with_link(delivery.html, link_of(recipient)), "text/html")
    for name, content, kind in attachments(dispatch, recipient.items.all()):
        message.attach(name, content, kind)
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


def _pass_on(reply: Reply) -> None:
    """What the reviewer says to a question, to whoever asked."""
    fields = ("answer__item", "answer__recipient__contact", "answer__recipient__dispatch__mix__programme", "by")
    row = Reply.objects.select_related(*fields).get(pk=reply.pk)
    recipient = _open_link(row.answer.recipient)
    if recipient is None:
        raise TurnedDown("The links of this addressee do not open any more; send one anew, then reply again.")
    label = row.answer.item.content["label"]
    context = {"reply": row, "label": label, "link": link_of(recipient), "contact": recipient.contact}
    subject = f"{recipient.dispatch.mix.programme}: about note {label}"
    _post_plain(REPLIES, row, recipient, subject, render_to_string("dispatch/reply.txt", context), row.by)


def _open_link(recipient: Recipient) -> Recipient | None:
    """The newest link of the same addressee to the same notes that still opens."""
    rows = Recipient.objects.filter(dispatch=recipient.dispatch_id, contact=recipient.contact_id, is_copy=False)
    found = rows.select_related("dispatch__mix__programme", "dispatch__by", "contact").order_by("-pk")
    return next((row for row in found if row.open), None)


def _remind(reminder: Reminder) -> None:
    """Word to an addressee who has answered nothing; none where an answer came meanwhile."""
    recipient = Recipient.objects.select_related("dispatch__mix__programme", "dispatch__by", "contact").get(
        pk=reminder.recipient_id
    )
    dispatch = recipient.dispatch
    has_answered = Answer.objects.filter(item__dispatch=dispatch, recipient__contact=recipient.contact_id).exists()
    due = dispatch.mix.programme.due
    if has_answered or due is None or not recipient.open:
        REMINDERS.end(reminder, Reminder.State.SENT)
        return
    context = {"recipient": recipient, "dispatch": dispatch, "link": link_of(recipient)}
    subject = f"{dispatch.mix.programme} is wanted by {due:%d %b}: notes wait for an answer"
    _post_plain(
        REMINDERS, reminder, recipient, subject, render_to_string("dispatch/reminder.txt", context), dispatch.by
    )


def _post_plain(
    queue: Queue[_PlainMail], row: _PlainMail, recipient: Recipient, subject: str, text: str, by: Person
) -> None:
    to, reply_to = [address(recipient.contact.name, recipient.contact.mail)], [address(by.name, by.mail)]
    try:
        post(EmailMessage(" ".join(subject.split())[:200], text, to=to, reply_to=reply_to))
    except FateUnknown as error:
        queue.end(row, Mail.State.UNKNOWN, str(error))
    else:
        queue.end(row, Mail.State.SENT)


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
