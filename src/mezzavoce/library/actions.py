"""What people do with productions, their people and programmes.

One function a use case, with permission, transaction and audit trail.
"""

from datetime import date
from typing import Any

from django.db import IntegrityError, transaction

from mezzavoce_core.judge.spec import PRESETS

from ..accounts.access import require
from ..accounts.models import Person, record
from ..config.inputs import one_line
from ..config.refusals import Refused
from .models import Membership, Production, Programme, Spec, SpecVersion


def _most(field: Any) -> int:
    """How many characters a field of a model may have."""
    return int(field.field.max_length)


def ship_presets() -> None:
    """Bring the shipped specs into the database; what is there is left alone."""
    for preset in PRESETS:
        spec, _ = Spec.objects.get_or_create(production=None, name=preset.name, defaults={"source": preset.source})
        SpecVersion.objects.get_or_create(spec=spec, number=1, defaults={"limits": preset.as_dict()["limits"]})


def preset_version(name: str) -> SpecVersion:
    """The newest version of a shipped spec."""
    return SpecVersion.objects.filter(spec__production=None, spec__name=name).latest("number")


def shipped_version(name: str) -> SpecVersion:
    """The newest version of a shipped spec that a person chose. Raises Refused where there is none of that name."""
    found = SpecVersion.objects.filter(spec__production=None, spec__name=name).order_by("-number").first()
    if found is None:
        raise Refused("Choose the spec that judges the production; it can be changed later.")
    return found


def start_production(person: Person, name: str, spec_version: SpecVersion) -> Production:
    """A new production, led by the person who starts it."""
    name = one_line(name, _most(Production.name), "The name of a production")
    if not name:
        raise Refused("A production needs a name.")
    with transaction.atomic():
        production = Production.objects.create(name=name, spec_version=spec_version)
        Membership.objects.create(production=production, person=person, role=Membership.Role.LEAD)
        record(production, person, "start production", name)
    return production


def admit(lead: Person, production: Production, person: Person, role: str) -> Membership:
    """Give a person a role in a production."""
    require(lead, production, Membership.Role.LEAD)
    with transaction.atomic():
        membership, _ = Membership.objects.update_or_create(
            production=production, person=person, defaults={"role": role}
        )
        record(production, lead, "admit", person.mail, after=role)
    return membership


def plan_programme(
    person: Person,
    production: Production,
    number: int,
    title: str,
    due: date | None = None,
    spec_version: SpecVersion | None = None,
) -> Programme:
    """A programme that is to come. Its number is free, its title says something."""
    require(person, production, Membership.Role.REVIEWER)
    title = one_line(title, _most(Programme.title), "A title")
    if not title:
        raise Refused("A programme needs a title, so that everybody knows which one is meant.")
    try:
        with transaction.atomic():
            programme = Programme.objects.create(
                production=production, number=number, title=title, due=due, spec_version=spec_version
            )
            record(production, person, "plan programme", str(programme))
    except IntegrityError:
        raise Refused(f"Programme {number} exists already. Choose it from the list, or give another number.") from None
    return programme
