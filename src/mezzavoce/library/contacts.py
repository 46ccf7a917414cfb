"""Addressees of a production: who gets its notes."""

from collections.abc import Sequence

from django.core.exceptions import ValidationError
from django.core.validators import validate_email
from django.db import transaction
from django.db.models import QuerySet
from django.http import Http404

from ..accounts.access import Role, require
from ..accounts.models import Person, record
from ..config.inputs import one_line
from ..config.refusals import Refused
from .models import Contact, Production
from .selectors import production_for

PARTS = {"dialogue": "voice", "music": "music", "effects": "effects", "mix": "the whole mix"}
"""Parts of the sound that somebody may mend, as pages call them."""
_NAME_LENGTH = Contact.name.field.max_length or 0


def contacts_of(production: Production) -> QuerySet[Contact]:
    """Addressees on the list of a production, those whom notes usually go to first."""
    return production.contacts.filter(taken_off=False).order_by("-usual", "pk")


def contact_for(person: Person, contact_id: int) -> Contact:
    """An addressee of a production that the person belongs to, or Http404."""
    contact = Contact.objects.select_related("production").filter(pk=contact_id).first()
    if contact is None:
        raise Http404
    production_for(person, contact.production_id)
    return contact


def add_contact(person: Person, production: Production, name: str, mail: str) -> Contact:
    """Somebody to send notes to; without a name the address stands for it."""
    require(person, production, Role.REVIEWER)
    mail = mail.strip()
    try:
        validate_email(mail)
    except ValidationError:
        raise Refused(f"“{mail[:100]}” is no mail address; write one like name@house.example.") from None
    name = one_line(name, _NAME_LENGTH, "The name of an addressee") or mail[:_NAME_LENGTH]
    with transaction.atomic():
        contact, made = Contact.objects.get_or_create(production=production, mail=mail, defaults={"name": name})
        if contact.taken_off:
            contact.taken_off = False
            contact.save(update_fields=["taken_off"])
            made = True
        if made:
            record(production, person, "add contact", str(contact))
    return contact


def change_contact(person: Person, contact: Contact, name: str, *, usual: bool, parts: Sequence[str] = ()) -> None:
    """Another name, whether notes usually go there, and about which parts. Another address is another addressee."""
    require(person, contact.production, Role.REVIEWER)
    name = one_line(name, _NAME_LENGTH, "The name of an addressee") or contact.mail[:_NAME_LENGTH]
    with transaction.atomic():
        before = str(contact)
        takes = " ".join(part for part in PARTS if part in parts)
        Contact.objects.filter(pk=contact.pk).update(name=name, usual=usual, takes=takes)
        after = [name, "usual" if usual else "not usual", takes or "everything"]
        record(contact.production, person, "change contact", contact.mail, before=before, after=after)


def take_off(person: Person, contact: Contact) -> None:
    """Take an addressee off the list. What was sent there stays, and its links open as long as they do."""
    require(person, contact.production, Role.REVIEWER)
    with transaction.atomic():
        Contact.objects.filter(pk=contact.pk).update(taken_off=True, usual=False)
        record(contact.production, person, "take contact off", str(contact))
