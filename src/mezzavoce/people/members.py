"""Who belongs to a production, in which role: invitations, changes, leaving."""

from django.db import transaction

from ..accounts.access import Role, require
from ..accounts.models import Person, record
from ..config.refusals import NotAllowed, Overtaken, Refused
from ..library.models import Membership, Production
from .accounts import mail_address, make_person
from .links import Purpose, make_link, use_up
from .mails import carry
from .models import PersonalLink

_GONE = "This invitation has been used or taken back meanwhile. Ask whoever sent it for another one."


def invite(lead: Person, production: Production, mail: str, role: str) -> PersonalLink:
    """Invite an address to a production. Invited once more, the newest invitation counts."""
    require(lead, production, Role.LEAD)
    mail, role = mail_address(mail), _role(role)
    with transaction.atomic():
        member = Membership.objects.filter(production=production, person__mail__iexact=mail).first()
        if member is not None:
            raise Refused(f"{mail} belongs to this production already, as a {member.role}. Change the role below.")
        PersonalLink.objects.filter(
            purpose=Purpose.INVITATION, production=production, mail__iexact=mail, used_at=None
        ).update(withdrawn=True)
        link = make_link(Purpose.INVITATION, production=production, mail=mail, role=role, by=lead)
        carry(link)
        record(production, lead, "invite", mail, after=role)
    return link


def take_back(lead: Person, link: PersonalLink) -> None:
    """Withdraw an invitation."""
    assert link.production is not None
    require(lead, link.production, Role.LEAD)
    with transaction.atomic():
        if PersonalLink.objects.filter(pk=link.pk, used_at=None).update(withdrawn=True):
            record(link.production, lead, "take back invitation", link.mail)


def accept(link: PersonalLink, person: Person) -> None:
    """Join a production by an invitation to one's own address."""
    if person.mail.casefold() != link.mail.casefold():
        raise NotAllowed(
            f"This invitation is for {link.mail}; you are signed in as {person.mail}. Sign out, then open the link "
            "again."
        )
    with transaction.atomic():
        _join(link, person)


def accept_as_new(link: PersonalLink, name: str, password: str) -> Person:
    """Make an account for an invited address, and join."""
    with transaction.atomic():
        person = make_person(name, link.mail, password)
        _join(link, person)
    return person


def _join(link: PersonalLink, person: Person) -> None:
    assert link.production is not None
    if not use_up(link):
        raise Overtaken(_GONE)
    Membership.objects.get_or_create(production=link.production, person=person, defaults={"role": link.role})
    record(link.production, person, "join", person.mail, after=link.role)


def change_role(lead: Person, membership: Membership, role: str) -> None:
    """Another role for a member; a production keeps a lead."""
    require(lead, membership.production, Role.LEAD)
    role = _role(role)
    with transaction.atomic():
        held = _locked(membership)
        if role != Role.LEAD:
            _keep_one_lead(held, "take this role away")
        before, held.role = held.role, role
        held.save(update_fields=["role"])
        record(held.production, lead, "change role", held.person.mail, before=before, after=role)


def take_out(person: Person, membership: Membership) -> None:
    """Take a member out, or leave oneself; a production keeps a lead. What the person did stays."""
    if person.pk != membership.person_id:
        require(person, membership.production, Role.LEAD)
    with transaction.atomic():
        held = _locked(membership)
        leaves = person.pk == held.person_id
        _keep_one_lead(held, "leave" if leaves else "take them out")
        held.delete()
        record(held.production, person, "leave" if leaves else "take out", held.person.mail, before=held.role)


def _locked(membership: Membership) -> Membership:
    # The production is locked first, so that its last two leads do not leave at once.
    Production.objects.select_for_update().get(pk=membership.production_id)
    held = Membership.objects.select_related("person", "production").filter(pk=membership.pk).first()
    if held is None:
        raise Overtaken("This person has left the production meanwhile.")
    return held


def _keep_one_lead(membership: Membership, what: str) -> None:
    others = Membership.objects.filter(
        production=membership.production, role=Role.LEAD, person__is_active=True
    ).exclude(pk=membership.pk)
    if membership.role == Role.LEAD and not others.exists():
        raise Refused(
            f"{membership.person.name} is the only lead of this production, so nobody may {what}. "
            "Make somebody else a lead first."
        )


def _role(role: str) -> str:
    if role not in Role.values:
        raise Refused("Choose a role: guest, reviewer or lead.")
    return role
