"""Accounts: the first one, new passwords, one's own, and those that an administrator looks after."""

from dataclasses import dataclass
from datetime import datetime

from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.core.validators import validate_email
from django.db import IntegrityError, transaction

from ..accounts.access import require_administrator
from ..accounts.models import Person, record
from ..config.inputs import one_line
from ..config.refusals import Overtaken, Refused
from .links import Purpose, address_of, make_link, use_up
from .mails import carry
from .models import PersonalLink

LIGHTS = ("", "day", "night")
FIRST_WORDS = ("desk", "review", "notes", "ingest")
"""Pages that say what to do first until somebody knows it."""
_GONE = "This link has been used meanwhile. If that was you, sign in; else ask for another one."


@dataclass(frozen=True)
class FirstLink:
    """Where the first account is made, and until when."""

    address: str
    expires: datetime


def first_link() -> FirstLink | None:
    """A fresh link for the first account; None where somebody has one. Earlier ones do not open any more."""
    if Person.objects.exists():
        return None
    with transaction.atomic():
        PersonalLink.objects.filter(purpose=Purpose.FIRST, used_at=None).update(withdrawn=True)
        link = make_link(Purpose.FIRST)
    return FirstLink(address_of(link), link.expires)


def make_first(link: PersonalLink, name: str, mail: str, password: str) -> Person:
    """The first account, which is the administrator's."""
    with transaction.atomic():
        if Person.objects.exists() or not use_up(link):
            raise Overtaken(_GONE)
        person = make_person(name, mail, password)
        person.is_administrator = True
        person.save(update_fields=["is_administrator"])
        record(None, person, "first account", person.mail)
    return person


def make_person(name: str, mail: str, password: str) -> Person:
    """An account with a name, a mail address and a password. Raises Refused with a sentence."""
    person = Person(name=named(name), mail=mail_address(mail))
    _check_password(password, person)
    try:
        with transaction.atomic():
            return Person.objects.create_user(person.mail, person.name, password)
    except IntegrityError:
        raise Refused("There is an account with this address already; sign in with it.") from None


def named(name: str) -> str:
    """A person's name as it is kept."""
    kept = one_line(name, Person.name.field.max_length or 0, "A name")
    if not kept:
        raise Refused("Write your name, as colleagues are to see it.")
    return kept


def mail_address(mail: str) -> str:
    """A mail address as it is kept: the part behind the @ in small letters."""
    kept = Person.objects.normalize_email(mail.strip())
    try:
        validate_email(kept)
    except ValidationError:
        raise Refused(f"“{mail.strip()[:100]}” is no mail address; write one like name@house.example.") from None
    return kept


def _check_password(password: str, person: Person) -> None:
    try:
        validate_password(password, person)
    except ValidationError as error:
        raise Refused(" ".join(error.messages)) from None


def ask_for_password(mail: str) -> None:
    """Send a link for a new password, where the address has an open account; nobody is told whether it has."""
    person = Person.objects.filter(mail__iexact=mail.strip(), is_active=True).first()
    if person is None:
        return
    with transaction.atomic():
        PersonalLink.objects.filter(purpose=Purpose.PASSWORD, person=person, used_at=None).update(withdrawn=True)
        carry(make_link(Purpose.PASSWORD, person=person, mail=person.mail))


def set_new_password(link: PersonalLink, password: str) -> Person:
    """A new password by a link; every session that was open ends."""
    person = link.person
    assert person is not None
    _check_password(password, person)
    with transaction.atomic():
        if not person.is_active or not use_up(link):
            raise Overtaken(_GONE)
        _put_password(person, password)
        record(None, person, "new password", person.mail)
    return person


def change_password(person: Person, old: str, new: str) -> None:
    """Another password for somebody who is signed in and knows the old one."""
    if not person.check_password(old):
        raise Refused("This is not your password of today. If you forgot it, sign out and ask for a new one.")
    _check_password(new, person)
    with transaction.atomic():
        _put_password(person, new)
        record(None, person, "new password", person.mail)


def _put_password(person: Person, password: str) -> None:
    person.set_password(password)
    person.save(update_fields=["password"])
    PersonalLink.objects.filter(purpose=Purpose.PASSWORD, person=person, used_at=None).update(withdrawn=True)


def change_own(person: Person, name: str, *, answers_by_mail: bool, light: str) -> None:
    """One's own name, which mails one wants, and light by day or night (empty: as the system has it)."""
    if light not in LIGHTS:
        raise Refused("The light is by day, by night, or as the system has it.")
    before, person.name, person.answers_by_mail, person.light = person.name, named(name), answers_by_mail, light
    with transaction.atomic():
        person.save(update_fields=["name", "answers_by_mail", "light"])
        if before != person.name:
            record(None, person, "rename oneself", person.mail, before=before, after=person.name)


def put_away(person: Person, name: str) -> None:
    """The first words of a page were read; they are not shown to this person any more."""
    if name not in FIRST_WORDS:
        raise Refused("This page is out of date; reload it.")
    with transaction.atomic():
        row = Person.objects.select_for_update().get(pk=person.pk)
        row.put_away = sorted({*row.put_away, name})
        row.save(update_fields=["put_away"])


def bring_words_back(person: Person) -> None:
    """Show the first words of every page again."""
    Person.objects.filter(pk=person.pk).update(put_away=[])


def sign_out_everywhere(person: Person) -> None:
    """End every session of a person."""
    person.session_round += 1
    person.save(update_fields=["session_round"])


def close(administrator: Person, person: Person) -> None:
    """Nobody can use an account any more; what its person did stays. Sessions end at once."""
    require_administrator(administrator)
    with transaction.atomic():
        person = Person.objects.select_for_update().get(pk=person.pk)
        _keep_one_administrator(person, "close this account")
        person.is_active = False
        sign_out_everywhere(person)
        person.save(update_fields=["is_active"])
        record(None, administrator, "close account", person.mail)


def reopen(administrator: Person, person: Person) -> None:
    """A closed account is open again."""
    require_administrator(administrator)
    with transaction.atomic():
        Person.objects.filter(pk=person.pk).update(is_active=True)
        record(None, administrator, "reopen account", person.mail)


def name_administrator(administrator: Person, person: Person, *, wanted: bool) -> None:
    """Make somebody an administrator, or no longer one; one always stays."""
    require_administrator(administrator)
    with transaction.atomic():
        person = Person.objects.select_for_update().get(pk=person.pk)
        if not wanted:
            _keep_one_administrator(person, "take this role away")
        if wanted and not person.is_active:
            raise Refused("This account is closed; open it again first.")
        person.is_administrator = wanted
        person.save(update_fields=["is_administrator"])
        record(None, administrator, "name administrator" if wanted else "no administrator", person.mail)


def _keep_one_administrator(person: Person, what: str) -> None:
    # Locked in order, so that two who end each other's role do not both go through.
    others = list(
        Person.objects.select_for_update()
        .filter(is_administrator=True, is_active=True)
        .exclude(pk=person.pk)
        .order_by("pk")
        .values_list("pk", flat=True)
    )
    if person.is_administrator and not others:
        raise Refused(f"{person.name} is the only administrator, so nobody may {what}. Name another one first.")
