"""Productions, files and mixes that a person may see."""

from django.db.models import F, QuerySet
from django.db.models.lookups import IsNull
from django.http import Http404

from ..accounts.access import Role, require
from ..accounts.models import Person
from .models import Mix, Production, Programme, Spec, StoredFile


def productions_of(person: Person) -> QuerySet[Production]:
    """Productions that a person belongs to."""
    return (
        Production.objects.filter(memberships__person=person)
        .select_related("spec_version__spec")
        .order_by(IsNull(F("archived_at"), rhs=True).desc(), "name", "pk")
    )


def shipped_specs() -> QuerySet[Spec]:
    """Specs that come with Mezzavoce, by name."""
    return Spec.objects.filter(production=None).order_by("name")


def programme_for(person: Person, programme_id: int, role: str = Role.GUEST) -> Programme:
    """A programme of a production in which the person has at least a role, or Http404; NotAllowed for less."""
    found = Programme.objects.select_related("production").filter(pk=programme_id).first()
    if found is None:
        raise Http404
    production_for(person, found.production_id)
    if role != Role.GUEST:
        require(person, found, role)
    return found


def production_for(person: Person, production_id: int, role: str = Role.GUEST) -> Production:
    """A production in which the person has at least a role, or Http404; NotAllowed for a member with less."""
    production = productions_of(person).filter(pk=production_id).first()
    if production is None:
        raise Http404
    if role != Role.GUEST:
        require(person, production, role)
    return production


def file_for(person: Person, file_id: int) -> StoredFile:
    """A delivered file of a production in which the person may ingest, or Http404."""
    row = (
        StoredFile.objects.select_related("production")
        .filter(pk=file_id, kind=StoredFile.Kind.MEDIA, production__memberships__person=person)
        .first()
    )
    if row is None:
        raise Http404
    require(person, row.production, Role.REVIEWER)
    return row


def mix_for(person: Person, mix_id: int, *related: str, role: str = Role.GUEST) -> Mix:
    """A mix of a production in which the person has at least a role, or Http404; NotAllowed for a member with less."""
    fields = ("programme__production__spec_version__spec", "programme__spec_version__spec", "playback__file", *related)
    mix = (
        Mix.objects.select_related(*fields).filter(pk=mix_id, programme__production__memberships__person=person).first()
    )
    if mix is None:
        raise Http404
    if role != Role.GUEST:
        require(person, mix, role)
    return mix
