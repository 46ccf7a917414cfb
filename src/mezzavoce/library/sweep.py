"""Removes what nothing points at: the rules stand in ``docs/architecture.md``, section "What is kept".

Whatever a row still points at stays; everything else goes once it is old enough that nobody can be at it.
"""

import shutil
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path

from django.conf import settings
from django.core.files.storage import Storage, default_storage
from django.db import transaction
from django.db.models import CASCADE, Exists, ManyToOneRel, OuterRef, ProtectedError, Q, QuerySet
from django.utils import timezone

from .archive import let_go, out_of_time
from .models import StoredFile, Upload
from .signals import sweeping
from .storage import drop

GIVEN_UP = timedelta(days=7)
"""An upload to which nothing was added for so long is given up."""
UNUSED = timedelta(days=2)
"""A file that no mix uses, and one that an upload brought, stays so long: somebody may be filling in the ingest
page."""
AT_WORK = timedelta(days=2)
"""Working folders, and bytes in the store without a row, may be in use for so long."""


@dataclass(frozen=True)
class Leftover:
    """Something that is removed, with its size in bytes."""

    what: str
    name: str
    size: int


def sweep(*, dry_run: bool = False) -> list[Leftover]:
    """Remove everything that is left over, or say only what would be. Returns what it was."""
    now = timezone.now()
    over = out_of_time(now)
    told = sweeping.send(sender=StoredFile, dry_run=dry_run, out_of_time=over)
    release: set[int] = {int(pk) for _, pks in told for pk in pks or ()}
    return [
        *(Leftover(f"{f.get_kind_display()}, archived", f.name, f.size) for f in let_go(over, now, dry_run=dry_run)),
        *_uploads(now, dry_run),
        *_files(now, release, dry_run),
        *_bytes_without_a_row(now, dry_run),
        *_parts_without_a_row(now, dry_run),
        *_working_folders(now, dry_run),
    ]


def _uploads(now: datetime, dry_run: bool) -> Iterator[Leftover]:
    """Given up while they arrived, refused, or in the store for some time already."""
    over = Q(state__in=(Upload.State.READY, Upload.State.FAILED), touched__lt=now - UNUSED)
    for row in Upload.objects.filter(over | Q(state=Upload.State.ARRIVING, touched__lt=now - GIVEN_UP)):
        yield Leftover("upload", row.name, 0 if row.file_id else row.here)
        if not dry_run:
            row.part.unlink(missing_ok=True)
            row.delete()


def unused_files() -> QuerySet[StoredFile]:
    """Files that no row of any app uses.

    A row that goes with its file, as the look through it does, is no use of it.
    """
    fields = StoredFile._meta.get_fields(include_hidden=True)  # noqa: SLF001  (documented)
    pointing = [r for r in fields if isinstance(r, ManyToOneRel) and r.on_delete is not CASCADE]
    found = StoredFile.objects.all()
    for relation in pointing:
        rows = relation.field.model._default_manager  # noqa: SLF001  (documented)
        found = found.filter(~Exists(rows.filter(**{relation.field.name: OuterRef("pk")})))
    return found


def _files(now: datetime, release: set[int], dry_run: bool) -> Iterator[Leftover]:
    unused = unused_files().filter(created__lt=now - UNUSED)
    for pk in sorted(release | set(unused.values_list("pk", flat=True))):
        row = StoredFile.objects.filter(pk=pk).first()
        if row is None:
            continue
        if not dry_run:
            try:
                with transaction.atomic():
                    drop(row)
            except ProtectedError:
                # Somebody took it into use just now.
                continue
        yield Leftover(row.get_kind_display(), row.name, row.size)


def _bytes_without_a_row(now: datetime, dry_run: bool) -> Iterator[Leftover]:
    """What a transaction that failed, or a process that was killed, left in the store."""
    for name in _names(default_storage):
        if default_storage.get_modified_time(name) > now - AT_WORK:
            continue
        if not StoredFile.objects.filter(key=name.rsplit("/", 1)[-1]).exists():
            yield Leftover("bytes without a row", name, default_storage.size(name))
            if not dry_run:
                default_storage.delete(name)


def _names(storage: Storage) -> Iterator[str]:
    """Whatever in the store bears a name as we give it."""
    try:
        folders, _ = storage.listdir("")
    except FileNotFoundError:
        return
    for folder in sorted(f for f in folders if len(f) == 2):
        yield from (f"{folder}/{name}" for name in storage.listdir(folder)[1] if len(name) == 32)


def _parts_without_a_row(now: datetime, dry_run: bool) -> Iterator[Leftover]:
    if not settings.UPLOAD_DIR.exists():
        return
    for path in sorted(settings.UPLOAD_DIR.glob("*.part")):
        if _is_old(path, now) and not Upload.objects.filter(key=path.stem).exists():
            yield Leftover("part of an upload", path.name, path.stat().st_size)
            if not dry_run:
                path.unlink(missing_ok=True)


def _working_folders(now: datetime, dry_run: bool) -> Iterator[Leftover]:
    if not settings.WORK_DIR.exists():
        return
    for path in sorted(p for p in settings.WORK_DIR.iterdir() if p.is_dir() and p.name.startswith("tmp")):
        if _is_old(path, now):
            yield Leftover("working folder", path.name, sum(f.stat().st_size for f in path.rglob("*") if f.is_file()))
            if not dry_run:
                shutil.rmtree(path, ignore_errors=True)


def _is_old(path: Path, now: datetime) -> bool:
    return path.stat().st_mtime < (now - AT_WORK).timestamp()
