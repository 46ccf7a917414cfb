"""Notes for a whole series: what holds in all programmes goes out with the notes of each mix."""

from typing import Any

from django.db import transaction
from django.db.models import QuerySet
from django.http import Http404
from django.utils import timezone

from ..accounts.access import Role, require
from ..accounts.models import Person, record
from ..config.inputs import one_line
from ..config.refusals import Overtaken, Refused
from ..library.models import Production
from .editing import WEIGHTS, checked_text
from .models import SeriesNote

_TITLE_LENGTH = SeriesNote.title.field.max_length or 0


def standing(production: Production) -> QuerySet[SeriesNote]:
    """Those that hold."""
    return SeriesNote.objects.filter(production=production, withdrawn=None).select_related("by")


def as_told(row: SeriesNote) -> dict[str, Any]:
    """One as it is frozen with a dispatch."""
    return {"number": row.pk, "title": row.title, "text": row.text, "severity": row.severity}


def add(person: Person, production: Production, title: str, text: str, severity: str) -> SeriesNote:
    """Say something that holds in all programmes. Raises Refused where it says nothing."""
    require(person, production, Role.REVIEWER)
    title = one_line(title, _TITLE_LENGTH, "A title")
    if not title or not text.strip():
        raise Refused("A note needs a title and words that say what is wanted in all programmes.")
    if severity not in WEIGHTS:
        raise Refused("Say how much it weighs: must, should, or note.")
    said = {"title": title, "text": checked_text(text), "severity": severity, "by": person}
    with transaction.atomic():
        row = SeriesNote.objects.create(production=production, **said)
        record(production, person, "note for all programmes", title, after=row.text)
    return row


def withdraw(person: Person, row: SeriesNote) -> None:
    """It holds no more; what was sent stays."""
    require(person, row.production, Role.REVIEWER)
    with transaction.atomic():
        if not SeriesNote.objects.filter(pk=row.pk, withdrawn=None).update(withdrawn=timezone.now()):
            raise Overtaken("Somebody has withdrawn this already; the page shows the newest state now.")
        record(row.production, person, "withdraw note for all programmes", row.title)


def series_note_for(person: Person, number: int) -> SeriesNote:
    """One of a production in which the person may change it, or Http404."""
    row = SeriesNote.objects.select_related("production").filter(pk=number).first()
    if row is None:
        raise Http404
    require(person, row.production, Role.REVIEWER)
    return row
