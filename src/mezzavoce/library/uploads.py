"""Files arriving in pieces, so that a broken connection costs one piece and not the file.

What counts is what is on disk.
"""

import hashlib
import os
import time
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.exceptions import ValidationError
from django.db import transaction
from django.http import Http404

from mezzavoce_core.errors import CaptionError, NotMeasurable
from mezzavoce_core.exchange.captions import read_captions

from ..accounts.access import require
from ..accounts.models import Person
from ..config.inputs import one_line
from ..config.refusals import NoRoom, Overtaken, Refused
from ..processes.core import ask
from ..work.execution import work_next as work_through
from ..work.queue import Queue, Rules
from ..work.waking import wake_workers_on_commit
from .models import Membership, Production, StoredFile, Upload
from .storage import free_bytes, keep, sha256_of

_NAME_LENGTH = 200
_GIB = 1024**3
_TURN_S = 0.1
CAPTION_ENDINGS = (".vtt", ".srt")
UPLOADS: Queue[Upload] = Queue(
    kind="upload",
    rows=Upload.objects.all(),
    production="production_id",
    rules=Rules(
        lease_s=60,
        most_attempts=3,
        first_wait_s=5,
        given_up="The worker stopped {attempts} times while it looked at this file. Export it again, then choose it "
        "again.",
    ),
)


def begin(person: Person, production: Production, name: str, size: int, modified: int | None = None) -> Upload:
    """Announce a file; one that broke off goes on where it stopped.

    Refused when it is empty, beyond the limit, or without room.
    """
    require(person, production, Membership.Role.REVIEWER)
    name = one_line(Path(name).name[-_NAME_LENGTH:], _NAME_LENGTH, "The name of a file") or "file"
    if size <= 0:
        raise Refused(f"“{name}” is empty; copy or export it again.")
    if size > settings.UPLOAD_MAX_BYTES:
        raise Refused(
            f"“{name}” is larger than the {settings.UPLOAD_MAX_BYTES // _GIB} GiB that are accepted. Export it "
            "at a smaller picture size."
        )
    with transaction.atomic():
        # One announcement at a time in a production: what one was promised counts for the next.
        Production.objects.select_for_update().get(pk=production.pk)
        broken_off = _broken_off(person, production, name, size, modified)
        if broken_off is not None:
            return broken_off
        room = free_bytes()
        if size > room:
            raise NoRoom(
                f"There is no room for “{name}” ({size / _GIB:.1f} GiB): {max(0, room) / _GIB:.1f} GiB are "
                "left beside what others were promised. "
                "Tell whoever runs this Mezzavoce to make room, or send a smaller file."
            )
        return Upload.objects.create(person=person, production=production, name=name, size=size, modified=modified)


def _broken_off(person: Person, production: Production, name: str, size: int, modified: int | None) -> Upload | None:
    if modified is None:
        return None
    same = Upload.objects.filter(
        person=person, production=production, name=name, size=size, modified=modified, state=Upload.State.ARRIVING
    )
    return same.order_by("-pk").first()


def find(person: Person, key: str) -> Upload:
    """A person's own upload, or Http404."""
    try:
        upload = Upload.objects.select_related("production", "file").filter(key=key, person=person).first()
    except ValidationError:
        raise Http404 from None
    if upload is None:
        raise Http404
    return upload


def unfinished(person: Person, production: Production) -> list[Upload]:
    """What a person has begun to send and not finished, newest first."""
    return list(
        Upload.objects.filter(
            person=person, production=production, state=Upload.State.ARRIVING, received__gt=0
        ).order_by("-pk")[:20]
    )


def add_piece(upload: Upload, offset: int, piece: bytes, sha256: str) -> Upload:
    """Append a piece. One that was here already, comes too early or arrived damaged is answered with where to go on."""
    if hashlib.sha256(piece).hexdigest() != sha256.lower():
        raise Overtaken(f"A piece of “{upload.name}” arrived damaged and is sent again.")
    with transaction.atomic():
        row = Upload.objects.select_for_update().get(pk=upload.pk)
        here = row.here
        if offset != here or row.state != Upload.State.ARRIVING:
            raise Overtaken(f"“{row.name}” goes on at byte {here}.")
        if here + len(piece) > row.size:
            raise Refused(
                f"More of “{row.name}” arrived than was announced. Choose the file again; it may have changed "
                "while it was being sent."
            )
        _append(row.part, here, piece)
        row.received = here + len(piece)
        row.save(update_fields=["received", "touched"])
    return row


def _append(part: Path, here: int, piece: bytes) -> None:
    """Write a piece so that it is on disk before it counts; what does not fit counts for nothing."""
    settings.UPLOAD_DIR.mkdir(parents=True, exist_ok=True)
    with part.open("ab") as file:
        # What a killed server left beyond the counted bytes is overwritten.
        file.truncate(here)
        file.write(piece)
        file.flush()
        os.fsync(file.fileno())


def hand_in(upload: Upload) -> Upload:
    """The file is whole: a worker looks at it. Saying it twice is saying it once."""
    with transaction.atomic():
        row = Upload.objects.select_for_update().select_related("production").get(pk=upload.pk)
        if row.state != Upload.State.ARRIVING:
            return row
        if row.here != row.size:
            raise Overtaken(f"“{row.name}” goes on at byte {row.here}.")
        row.release(Upload.State.WAITING)
        row.save()
        wake_workers_on_commit("library.tasks.look_at_files")
    return row


def work_next(only: int | None = None) -> bool:
    """Look at the next file that is whole. Returns whether there was one."""
    return work_through(UPLOADS, _look_at, only)


def _look_at(row: Upload) -> None:
    """Read a file's facts and take it into the store. What holds no sound is refused and leaves nothing behind."""
    kind = StoredFile.Kind.CAPTIONS if Path(row.name).suffix.lower() in CAPTION_ENDINGS else StoredFile.Kind.MEDIA
    if row.here != row.size:
        UPLOADS.end(row, Upload.State.ARRIVING)
        return
    try:
        facts = (
            ask("probe", path=str(row.part), name=row.name)
            if kind == StoredFile.Kind.MEDIA
            else _caption_facts(row.part, row.name)
        )
    except (NotMeasurable, CaptionError):
        row.part.unlink(missing_ok=True)
        raise
    # Of a long film this takes minutes; no transaction is open meanwhile.
    sha256 = sha256_of(row.part, lambda: UPLOADS.extend(row))
    with transaction.atomic():
        held = UPLOADS.mine(row)
        if held is None:
            return
        held.file = keep(held.part, held.production, kind, held.name, sha256=sha256, facts=facts)
        held.release(Upload.State.READY)
        held.save()
        transaction.on_commit(lambda: held.part.unlink(missing_ok=True))


def _caption_facts(part: Path, name: str) -> dict[str, Any]:
    captions = read_captions(part, name)
    return {"captions": len(captions), "from_s": captions[0].in_s, "to_s": captions[-1].out_s}


def finish(upload: Upload) -> StoredFile:
    """Hand a whole file in and look at it at once, unless a worker is at it already.

    Raises Refused with what is wrong with it.
    """
    row = hand_in(upload)
    while row.state in (Upload.State.WAITING, Upload.State.RUNNING):
        if not work_next(row.pk):
            time.sleep(_TURN_S)
        row = Upload.objects.select_related("file").get(pk=row.pk)
    if row.file is None:
        raise Refused(row.error or "The file could not be accepted. Choose it again.")
    return row.file


def give_up(upload: Upload) -> None:
    """Forget an upload and what of it has arrived; a file that is in the store already stays there."""
    with transaction.atomic():
        row = Upload.objects.select_for_update().get(pk=upload.pk)
        part = row.part
        row.delete()
        transaction.on_commit(lambda: part.unlink(missing_ok=True))
