"""The archive: what is in it is read as before and not changed, and its sound and picture may go after some days."""

from collections.abc import Iterator
from datetime import datetime, timedelta

from django.core.files.storage import default_storage
from django.db import transaction
from django.db.models import Q
from django.http import Http404
from django.utils import timezone
from django.utils.formats import date_format

from ..accounts.access import Role, require, role_in
from ..accounts.models import Person, record
from ..config.refusals import NotAllowed, Overtaken
from .models import Playback, Production, Programme, StoredFile, Track
from .storage import drop


def archive(lead: Person, place: Production | Programme) -> None:
    """Nothing is changed there any more; everything stays readable. What is being measured is finished."""
    require(lead, place, Role.LEAD)
    _set(lead, place, timezone.now())


def bring_back(lead: Person, place: Production | Programme) -> None:
    """Go on with what was archived. Sound and picture that went meanwhile do not come back by it."""
    production = place if isinstance(place, Production) else place.production
    # Whoever led it may, though nothing else can be done in it.
    own = role_in(lead, production)
    if own is None:
        raise Http404
    if own != Role.LEAD:
        raise NotAllowed("Only a lead of this production brings something back out of the archive.")
    if isinstance(place, Programme) and production.archived:
        raise Overtaken("The whole production is in the archive. Bring that back, then its programmes.")
    _set(lead, place, None)


def _set(lead: Person, place: Production | Programme, at: datetime | None) -> None:
    with transaction.atomic():
        type(place).objects.filter(pk=place.pk).update(archived_at=at)
        production = place if isinstance(place, Production) else place.production
        record(production, lead, "archive" if at else "bring back", str(place))


def out_of_time(now: datetime) -> set[int]:
    """Programmes that were archived longer ago than their production keeps sound and picture."""
    found = Programme.objects.filter(production__media_days__isnull=False).select_related("production")
    archived = found.exclude(archived_at=None, production__archived_at=None)
    return {p.pk for p in archived if _since(p) + timedelta(days=p.production.media_days or 0) < now}


def _since(programme: Programme) -> datetime:
    return min(at for at in (programme.archived_at, programme.production.archived_at) if at is not None)


def let_go(programmes: set[int], now: datetime, *, dry_run: bool) -> Iterator[StoredFile]:
    """Remove what was delivered for some programmes and their films; gives each as it was.

    Rows of delivered files stay and say what they were and when they went; those that another programme uses stay
    whole.
    """
    theirs, others = Q(mix__programme__in=programmes), ~Q(mix__programme__in=programmes)
    tracks = Track.objects.filter(theirs, file__removed_at=None).values("file")
    elsewhere = Track.objects.filter(others).values("file")
    for row in StoredFile.objects.filter(pk__in=tracks).exclude(pk__in=elsewhere):
        yield row
        if not dry_run:
            with transaction.atomic():
                _remove_bytes(row, now)
    for film in Playback.objects.filter(theirs, file__isnull=False).select_related("file"):
        assert film.file is not None
        yield film.file
        if not dry_run:
            with transaction.atomic():
                drop(film.file)
                film.file = None
                film.release(Playback.State.FAILED, gone_words(now))
                film.save()


def _remove_bytes(row: StoredFile, now: datetime) -> None:
    name = row.storage_name
    StoredFile.objects.filter(pk=row.pk).update(removed_at=now)
    transaction.on_commit(lambda: default_storage.delete(name))


def gone_words(at: datetime) -> str:
    """What is said where sound and picture went."""
    day = date_format(timezone.localtime(at), "j F Y")
    return f"Sound and picture were removed on {day}, as this production says; the figures and notes stay."
