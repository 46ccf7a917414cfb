"""Who may do what. Every selector and action of the application asks here."""

from django.db.models import QuerySet
from django.http import Http404

from ..accounts.models import Person
from ..config.refusals import NotAllowed
from .models import Membership, Mix, Production, StoredFile

_RANK = {Membership.Role.GUEST: 0, Membership.Role.REVIEWER: 1, Membership.Role.LEAD: 2}


def productions_of(person: Person) -> QuerySet[Production]:
    """Productions that a person belongs to."""
    return Production.objects.filter(memberships__person=person).select_related("spec_version__spec").order_by("name")


def role_in(person: Person, production: Production) -> str | None:
    """A person's role in a production, None for a stranger."""
    return Membership.objects.filter(person=person, production=production).values_list("role", flat=True).first()


def require(person: Person, production: Production, role: str = Membership.Role.GUEST) -> str:
    """The person's role, at least the one given. A stranger learns nothing; a member learns what is missing."""
    own = role_in(person, production)
    if own is None:
        raise Http404
    if _RANK[Membership.Role(own)] < _RANK[Membership.Role(role)]:
        may = "look and listen, not change anything" if own == Membership.Role.GUEST else "decide and send notes, not do what is a lead's"
        raise NotAllowed(f"As a {own} you may {may}. Ask the lead for the role of a {role}, or to do this for you.")
    return own


def production_for(person: Person, production_id: int, role: str = Membership.Role.GUEST) -> Production:
    """A production in which the person has at least a role, or Http404; NotAllowed for a member with less."""
    production = productions_of(person).filter(pk=production_id).first()
    if production is None:
        raise Http404
    if role != Membership.Role.GUEST:
        require(person, production, role)
    return production


def file_for(person: Person, file_id: int) -> StoredFile:
    """A delivered file of a production in which the person may take in, or Http404."""
    row = StoredFile.objects.select_related("production").filter(pk=file_id, kind=StoredFile.Kind.MEDIA, production__memberships__person=person).first()
    if row is None:
        raise Http404
    require(person, row.production, Membership.Role.REVIEWER)
    return row


def mix_for(person: Person, mix_id: int, *related: str, role: str = Membership.Role.GUEST) -> Mix:
    """A mix of a production in which the person has at least a role, or Http404; NotAllowed for a member with less."""
    fields = ("programme__production__spec_version__spec", "programme__spec_version__spec", "playback__file", *related)
    mix = Mix.objects.select_related(*fields).filter(pk=mix_id, programme__production__memberships__person=person).first()
    if mix is None:
        raise Http404
    if role != Membership.Role.GUEST:
        require(person, mix.production, role)
    return mix
