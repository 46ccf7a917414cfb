"""Files arriving in pieces, so that a broken connection costs one piece and not the file."""

from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import transaction
from django.http import Http404

from mezzavoce_core.errors import CaptionError, NotMeasurable
from mezzavoce_core.exchange.captions import read_captions

from ..accounts.models import Person
from ..config.refusals import Overtaken, Refused
from .access import require
from .core_process import ask
from .models import Membership, Production, StoredFile, Upload
from .storage import keep, local_copy, sha256_of

_NAME_LENGTH = 200
CAPTION_ENDINGS = (".vtt", ".srt")


def begin(person: Person, production: Production, name: str, size: int) -> Upload:
    """Announce a file. Refused when it is empty or beyond the limit."""
    require(person, production, Membership.Role.REVIEWER)
    name = Path(name).name[-_NAME_LENGTH:] or "file"
    if size <= 0:
        raise Refused(f"“{name}” is empty; copy or export it again.")
    if size > settings.UPLOAD_MAX_BYTES:
        raise Refused(f"“{name}” is larger than the {settings.UPLOAD_MAX_BYTES // 1024**3} GiB that are taken in. Export it at a smaller picture size.")
    settings.UPLOAD_DIR.mkdir(parents=True, exist_ok=True)
    return Upload.objects.create(person=person, production=production, name=name, size=size)


def find(person: Person, key: str) -> Upload:
    """A person's own upload, or Http404."""
    upload = Upload.objects.select_related("production").filter(key=key, person=person).first()
    if upload is None:
        raise Http404
    return upload


def add_piece(upload: Upload, offset: int, piece: bytes) -> Upload:
    """Append a piece. One that was here already, or comes too early, is answered with where to go on."""
    with transaction.atomic():
        row = Upload.objects.select_for_update().get(pk=upload.pk)
        if offset != row.received:
            raise Overtaken(f"“{row.name}” goes on at byte {row.received}.")
        if row.received + len(piece) > row.size:
            raise Refused(f"More of “{row.name}” arrived than was announced. Choose the file again; it may have changed while it was being sent.")
        with Path(row.part).open("ab") as file:
            # What a killed server left beyond the counted bytes is overwritten.
            file.truncate(row.received)
            file.seek(row.received)
            file.write(piece)
        row.received += len(piece)
        row.save(update_fields=["received"])
    return row


def finish(upload: Upload) -> StoredFile:
    """Take the whole file into the store and read its facts. What holds no sound is refused and leaves nothing behind."""
    if upload.received != upload.size:
        raise Overtaken(f"“{upload.name}” goes on at byte {upload.received}.")
    part = Path(upload.part)
    kind = StoredFile.Kind.CAPTIONS if Path(upload.name).suffix.lower() in CAPTION_ENDINGS else StoredFile.Kind.MEDIA
    try:
        facts = ask("probe", path=str(part), name=upload.name) if kind == StoredFile.Kind.MEDIA else _caption_facts(part, upload.name)
    except (NotMeasurable, CaptionError):
        give_up(upload)
        raise
    with transaction.atomic():
        row = keep(part, upload.production, kind, upload.name, sha256=sha256_of(part), facts=facts)
        upload.delete()
    return row


def _caption_facts(part: Path, name: str) -> dict[str, Any]:
    captions = read_captions(part, name)
    return {"captions": len(captions), "from_s": captions[0].in_s, "to_s": captions[-1].out_s}


def survey(row: StoredFile, *, in_pairs: bool = False) -> list[dict[str, Any]]:
    """The sounds of a file with a proposed role each; looked through once and kept. ``in_pairs``: its channels are pairs, whatever the file calls them."""
    if row.survey is None or (in_pairs and len(row.survey) == 1):
        with local_copy(row) as path:
            limit_s = settings.CORE_SECONDS + settings.CORE_SECONDS_PER_SECOND * row.facts["duration_s"]
            row.survey = ask("survey", limit_s=limit_s, path=str(path), name=row.name, in_pairs=in_pairs)
        row.save(update_fields=["survey"])
    found: list[dict[str, Any]] = row.survey
    return found


def give_up(upload: Upload) -> None:
    """Forget an upload and what of it has arrived."""
    Path(upload.part).unlink(missing_ok=True)
    upload.delete()
