"""Specs of a production: copied from a preset, changed version by version, exchanged as files."""

import json
from typing import Any

from django.db import IntegrityError, transaction
from django.db.models import Max, ProtectedError, QuerySet
from django.http import Http404

from mezzavoce_core.judge import spec as core_spec

from ..accounts.access import require
from ..accounts.models import Person, record
from ..config.refusals import Refused
from .models import Membership, Production, Spec, SpecVersion

_LARGEST_FILE = 256 * 1024


def specs_of(production: Production) -> QuerySet[Spec]:
    """The production's own specs and the shipped presets, own ones first, with their versions."""
    own = Spec.objects.filter(production=production) | Spec.objects.filter(production=None)
    return own.prefetch_related("versions").order_by("-production_id", "id")


def spec_for(person: Person, production: Production, spec_id: int) -> Spec:
    """A spec that the person may see in this production, or Http404."""
    require(person, production)
    spec = specs_of(production).filter(pk=spec_id).first()
    if spec is None:
        raise Http404
    return spec


def newest(spec: Spec) -> SpecVersion:
    """The version that counts."""
    return max(spec.versions.all(), key=lambda v: v.number)


def copy_spec(person: Person, production: Production, spec: Spec, name: str = "") -> Spec:
    """An own spec with the limits of another."""
    limits = newest(spec).as_core.as_dict()["limits"]
    return _make(person, production, name or f"{spec.name}, own", spec.source, limits)


def bring_in(person: Person, production: Production, content: bytes) -> Spec:
    """An own spec from a file. Raises SpecError that names the field; then nothing is made."""
    if len(content) > _LARGEST_FILE:
        raise Refused("A spec file is a few kilobytes of JSON; this one is larger. Choose the file again.")
    read = core_spec.loads(content)
    return _make(person, production, read.name, read.source, read.as_dict()["limits"])


def _make(person: Person, production: Production, name: str, source: str, limits: dict[str, Any]) -> Spec:
    require(person, production, Membership.Role.LEAD)
    with transaction.atomic():
        spec = Spec.objects.create(production=production, name=_free_name(production, name), source=source[:200])
        SpecVersion.objects.create(spec=spec, number=1, limits=limits, made_by=person)
        record(production, person, "make spec", spec.name, after=limits)
    return spec


def _free_name(production: Production, name: str) -> str:
    """The name, or the name with the next number where it is taken."""
    name = name.strip()[:70] or "Own spec"
    taken = {s.name.casefold() for s in specs_of(production)}
    wanted = [name, *(f"{name} {k}" for k in range(2, 1000))]
    return next(n for n in wanted if n.casefold() not in taken)


def new_version(person: Person, spec: Spec, data: dict[str, Any]) -> SpecVersion:
    """The next state of an own spec, from ``{"name": …, "limits": …}``; the same again is no new version.

    Raises SpecError that names the field.
    """
    if spec.production is None:
        raise Refused("A shipped preset stays as it is. Copy it and change the copy.")
    require(person, spec.production, Membership.Role.LEAD)
    read = core_spec.from_dict(data)
    limits = read.as_dict()["limits"]
    with transaction.atomic():
        row = Spec.objects.select_for_update().get(pk=spec.pk)
        last = row.versions.latest("number")
        if row.name != read.name:
            row.name = read.name.strip()[:80] or row.name
            row.save(update_fields=["name"])
        if last.limits == limits:
            return last
        number = (row.versions.aggregate(n=Max("number"))["n"] or 0) + 1
        try:
            version = SpecVersion.objects.create(spec=row, number=number, limits=limits, made_by=person)
        except IntegrityError:
            raise Refused(
                "Somebody else changed this spec at the same moment. Open it again and repeat your change."
            ) from None
        record(spec.production, person, "change spec", row.name, before=last.limits, after=limits)
    return version


def delete_spec(person: Person, spec: Spec) -> None:
    """Delete an own spec that judges nothing and judged nothing. Refused for any other: what it said stays readable."""
    if spec.production is None:
        raise Refused("A shipped preset stays as it is.")
    require(person, spec.production, Membership.Role.LEAD)
    with transaction.atomic():
        row = Spec.objects.select_for_update().get(pk=spec.pk)
        try:
            record(spec.production, person, "delete spec", row.name, before=newest(row).limits)
            row.delete()
        except ProtectedError:
            raise Refused(
                f"“{row.name}” judges a mix or did so, and stays for that. Choose another one to judge by instead."
            ) from None


def as_file(version: SpecVersion) -> str:
    """A version as a spec file."""
    return json.dumps(version.as_core.as_file(), ensure_ascii=False, indent=2) + "\n"
