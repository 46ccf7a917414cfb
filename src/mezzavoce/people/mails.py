"""The mails that carry links, each sent by a worker: whoever asks learns nothing from how long it takes."""

from django.conf import settings
from django.core.mail import EmailMessage
from django.template.loader import render_to_string

from ..accounts.access import require_administrator
from ..accounts.models import Person
from ..dispatch.post import FateUnknown, address, post
from ..work.execution import work_next as work_through
from ..work.queue import Queue, Rules
from ..work.waking import wake_workers_on_commit
from .links import Purpose, address_of
from .models import LinkMail, PersonalLink

_RULES = Rules(
    lease_s=2 * settings.MAIL_LIMIT_S,
    most_attempts=6,
    first_wait_s=15,
    given_up="The mail could not be handed over in {attempts} tries.",
    when_lost=LinkMail.State.UNKNOWN,
    lost="The worker stopped while it handed this mail over; it may have arrived or not.",
)
LINK_MAILS: Queue[LinkMail] = Queue("link mail", LinkMail.objects.all(), "turn", _RULES)
_SUBJECTS = {
    Purpose.INVITATION: "{by} invites you to review “{production}”",
    Purpose.PASSWORD: "A new password for Mezzavoce",
}


def carry(link: PersonalLink) -> LinkMail:
    """Have a link sent to its address. Called inside a transaction."""
    mail = LinkMail.objects.create(link=link, turn=link.production_id or 0, state=LinkMail.State.WAITING)
    wake_workers_on_commit("people.tasks.send_links")
    return mail


def send_next() -> bool:
    """Send the next mail that waits. Returns whether there was one."""
    return work_through(LINK_MAILS, _send)


def waiting() -> bool:
    """Whether a mail could be sent now."""
    return LINK_MAILS.due().exists()


def send_test(person: Person) -> None:
    """A mail to an administrator's own address, at once. Raises what ``post`` raises, each with a sentence."""
    require_administrator(person)
    text = "This mail was sent from Mezzavoce to try out its mail server. It arrived, so the settings are right.\n"
    post(EmailMessage("A test mail from Mezzavoce", text, to=[address(person.name, person.mail)]))


def _send(mail: LinkMail) -> None:
    link = PersonalLink.objects.select_related("person", "production", "by").get(pk=mail.link_id)
    if not link.open:
        LINK_MAILS.end(mail, LinkMail.State.FAILED, "The link in this mail does not open any more.")
        return
    try:
        post(_letter(link))
    except FateUnknown as error:
        LINK_MAILS.end(mail, LinkMail.State.UNKNOWN, str(error))
    else:
        LINK_MAILS.end(mail, LinkMail.State.SENT)


def _letter(link: PersonalLink) -> EmailMessage:
    subject = _SUBJECTS[Purpose(link.purpose)].format(by=link.by, production=link.production)
    text = render_to_string(f"people/{link.purpose}.txt", {"link": link, "address": address_of(link)})
    to = address(link.person.name, link.person.mail) if link.person else link.mail
    reply_to = [address(link.by.name, link.by.mail)] if link.by else []
    return EmailMessage(" ".join(subject.split()), text, to=[to], reply_to=reply_to)
