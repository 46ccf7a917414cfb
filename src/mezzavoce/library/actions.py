"""What people do with productions, programmes and mixes.

One function a use case, with permission, transaction and audit trail.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from django.core.exceptions import ValidationError
from django.core.validators import validate_email
from django.db import IntegrityError, transaction
from django.db.models import Max

from mezzavoce_core.judge.spec import PRESETS
from mezzavoce_core.media.layouts import parse_layout
from mezzavoce_core.timecode import FrameRate, parse_rate, parse_timecode

from ..accounts.access import require
from ..accounts.models import Person, record
from ..config.inputs import one_line
from ..config.refusals import Refused
from .models import Contact, Membership, Mix, Playback, Production, Programme, Spec, SpecVersion, StoredFile, Track
from .signals import ingested
from .sounds import CAPTIONS, Piece, Shape, check_pieces, shape_of, signature


def _most(field: Any) -> int:
    """How many characters a field of a model may have."""
    return int(field.field.max_length)


@dataclass(frozen=True)
class Ingest:
    """What is ingested: programme, timing, and files with their roles.

    The programme is an existing one, or number and title of a new one.
    """

    files: Sequence[Piece | tuple[StoredFile, str]]
    frame_rate: str
    start_timecode: str
    programme: Programme | None = None
    number: int | None = None
    title: str = ""
    label: str = ""
    layout: str = ""


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


def add_contact(person: Person, production: Production, name: str, mail: str) -> Contact:
    """Somebody to send notes to; without a name the address stands for it."""
    require(person, production, Membership.Role.REVIEWER)
    mail = mail.strip()
    try:
        validate_email(mail)
    except ValidationError:
        raise Refused(f"“{mail[:100]}” is no mail address; write one like name@house.example.") from None
    name = one_line(name, _most(Contact.name), "The name of an addressee") or mail[: Contact.name.field.max_length]
    with transaction.atomic():
        contact, made = Contact.objects.get_or_create(production=production, mail=mail, defaults={"name": name})
        if made:
            record(production, person, "add contact", str(contact))
    return contact


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


def ingest(person: Person, production: Production, ingest: Ingest) -> Mix:
    """Make a mix of stored files and have it measured. Nothing is made unless everything fits together."""
    require(person, production, Membership.Role.REVIEWER)
    given = [Piece(*p) for p in ingest.files]
    captions, pieces = [p.file for p in given if p.role == CAPTIONS], [p for p in given if p.role != CAPTIONS]
    if len(captions) > 1:
        raise Refused("Two files hold captions; a mix is held against one. Remove the other.")
    _check_files(production, given)
    shape = shape_of(pieces, parse_layout(ingest.layout) if ingest.layout else "")
    info = shape.info
    rate = timing(ingest.frame_rate, ingest.start_timecode)
    with transaction.atomic():
        # Locked, so that two new programmes at once get two numbers.
        Production.objects.select_for_update().get(pk=production.pk)
        programme = ingest.programme or plan_programme(
            person, production, _next_number(production, ingest.number), ingest.title
        )
        # Locked, so that two ingests at once get two numbers.
        Programme.objects.select_for_update().get(pk=programme.pk)
        label = ingest.label or shape.layout
        number = (Mix.objects.filter(programme=programme, label=label).aggregate(n=Max("number"))["n"] or 0) + 1
        mix = Mix.objects.create(
            programme=programme,
            label=label,
            number=number,
            frame_rate=str(rate),
            drop_frame=rate.drop_frame,
            start_timecode=ingest.start_timecode,
            sample_rate_hz=info.sample_rate_hz,
            channels=shape.channels,
            layout=shape.layout,
            duration_s=info.duration_s,
            has_picture=info.has_picture,
            captions=captions[0] if captions else None,
            ingested_by=person,
        )
        Playback.objects.create(mix=mix)
        Track.objects.bulk_create([Track(mix=mix, file=p.file, role=p.role, tracks=p.tracks) for p in pieces])
        _remember(production, pieces, shape)
        record(production, person, "ingest", str(mix))
        ingested.send(sender=Mix, mix=mix, person=person)
    return mix


def timing(frame_rate: str, start_timecode: str) -> FrameRate:
    """The frame rate that goes with a start timecode; raises TimecodeError with a sentence.

    A semicolon means drop-frame.
    """
    rate = parse_rate(frame_rate)
    if ";" in start_timecode and not rate.drop_frame:
        rate = FrameRate(rate.fps, drop_frame=True)
    parse_timecode(start_timecode, rate)
    return rate


def _next_number(production: Production, wanted: int | None) -> int:
    if wanted:
        return wanted
    return (Programme.objects.filter(production=production).aggregate(n=Max("number"))["n"] or 0) + 1


def _check_files(production: Production, pieces: Sequence[Piece]) -> None:
    if any(p.file.production_id != production.pk for p in pieces):
        raise Refused("A file belongs to another production. Choose the files again.")
    pieces = [p for p in pieces if p.role != CAPTIONS]
    check_pieces(pieces)
    mixed = next(p for p in pieces if p.role == Track.Role.MIX)
    before = Track.objects.filter(
        file__sha256=mixed.file.sha256, role=Track.Role.MIX, tracks=mixed.tracks, mix__programme__production=production
    )
    earlier = before.select_related("mix__programme").first()
    if earlier:
        raise Refused(
            f"This very file is here already as {earlier.mix}. Measure that one again, or choose the new export."
        )


def _remember(production: Production, pieces: Sequence[Piece], shape: Shape) -> None:
    """The next file that is made up like this one gets the same roles proposed."""
    mixed = next(p for p in pieces if p.role == Track.Role.MIX)
    if not mixed.tracks:
        return
    row = Production.objects.select_for_update().get(pk=production.pk)
    roles = {p.tracks: p.role for p in pieces if p.file.pk == mixed.file.pk}
    row.track_maps = row.track_maps | {signature(mixed.info): {"roles": roles, "layout": shape.layout}}
    row.save(update_fields=["track_maps"])
