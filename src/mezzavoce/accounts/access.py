"""Who may do what. Every selector and action of the application asks here."""

from typing import TYPE_CHECKING, Any

from django.db import models
from django.http import Http404

from ..config.refusals import NotAllowed
from .models import Person

if TYPE_CHECKING:
    from ..library.models import Mix, Production, Programme


class Role(models.TextChoices):
    """What a person is in a production, from looking to leading."""

    GUEST = "guest", "guest"
    REVIEWER = "reviewer", "reviewer"
    LEAD = "lead", "lead"


_RANK = {Role.GUEST: 0, Role.REVIEWER: 1, Role.LEAD: 2}


def role_in(person: Person, production: "Production") -> str | None:
    """A person's role in a production, None for a stranger."""
    return production.memberships.filter(person=person).values_list("role", flat=True).first()


def require_administrator(person: Person) -> None:
    """Raise NotAllowed for anybody who does not look after accounts."""
    if not person.is_administrator:
        raise NotAllowed("Only an administrator may do this. Ask the one who set Mezzavoce up.")


def require(
    person: Person, place: "Production | Programme | Mix", role: str = Role.GUEST, *, to_read: bool = False
) -> str:
    """The person's role, at least the one given. A stranger learns nothing; a member learns what is missing.

    In what is archived more than a guest may do is refused, unless it is only to read.
    """
    production: Any = getattr(place, "production", place)
    own = role_in(person, production)
    if own is None:
        raise Http404
    if _RANK[Role(own)] < _RANK[Role(role)]:
        may = (
            "look and listen, not change anything"
            if own == Role.GUEST
            else "decide and send notes, not do what is a lead's"
        )
        raise NotAllowed(f"As a {own} you may {may}. Ask the lead for the role of a {role}, or to do this for you.")
    if place.archived and role != Role.GUEST and not to_read:
        raise NotAllowed("This is archived, so nothing is changed in it. A lead can bring it back.")
    return own
