"""Members, invitations and the trail, for those who may see them."""

from dataclasses import dataclass

from django.db.models import QuerySet
from django.http import Http404

from ..accounts.access import Role, require_administrator
from ..accounts.models import AuditEntry, Person
from ..library.models import Membership, Production
from ..library.selectors import production_for
from .links import Purpose
from .models import PersonalLink

TRAIL_PAGE = 100
"""Entries of the trail on a page."""


def members_of(production: Production) -> QuerySet[Membership]:
    """Everybody who belongs to a production, by name."""
    return production.memberships.select_related("person").order_by("person__name", "pk")


def invitations_of(production: Production) -> list[PersonalLink]:
    """Invitations that still open, newest first, with their mails."""
    links = PersonalLink.objects.filter(
        purpose=Purpose.INVITATION, production=production, used_at=None, withdrawn=False
    ).select_related("carried_by", "by")
    return [link for link in links.order_by("-pk") if link.open]


def invitation_for(lead: Person, link_id: int) -> PersonalLink:
    """An invitation to a production that a person leads, or Http404."""
    link = PersonalLink.objects.select_related("production").filter(pk=link_id, purpose=Purpose.INVITATION).first()
    if link is None or link.production_id is None:
        raise Http404
    production_for(lead, link.production_id, Role.LEAD)
    return link


def membership_for(person: Person, membership_id: int) -> Membership:
    """A membership of a production that a person belongs to, or Http404."""
    found = Membership.objects.select_related("production", "person").filter(pk=membership_id).first()
    if found is None:
        raise Http404
    production_for(person, found.production_id)
    return found


def accounts_for(administrator: Person) -> QuerySet[Person]:
    """Every account, by name."""
    require_administrator(administrator)
    return Person.objects.prefetch_related("memberships__production").order_by("-is_active", "name", "pk")


@dataclass(frozen=True)
class Asked:
    """What of the trail is wanted; empty words mean everything."""

    person: int | None = None
    action: str = ""
    about: str = ""
    before: int | None = None


def trail_of(production: Production, asked: Asked) -> list[AuditEntry]:
    """Who did what in a production, newest first; one more than a page where there is more."""
    entries = AuditEntry.objects.filter(production=production).select_related("actor").order_by("-pk")
    if asked.person is not None:
        entries = entries.filter(actor_id=asked.person)
    if asked.action:
        entries = entries.filter(action=asked.action)
    if asked.about:
        entries = entries.filter(target__icontains=asked.about)
    if asked.before is not None:
        entries = entries.filter(pk__lt=asked.before)
    return list(entries[: TRAIL_PAGE + 1])


def actions_in(production: Production) -> list[str]:
    """The kinds of things that were done in a production."""
    return sorted(
        AuditEntry.objects.filter(production=production).order_by().values_list("action", flat=True).distinct()
    )
