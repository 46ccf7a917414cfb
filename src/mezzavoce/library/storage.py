"""The file store: rows and keys here, bytes behind Django's storage, so that a shared object store can take over."""

import hashlib
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory

from django.conf import settings
from django.core.files import File
from django.core.files.storage import default_storage
from django.db import transaction

from .models import Production, StoredFile

_PIECE = 1 << 20


def keep(path: Path, production: Production, kind: str, name: str, *, sha256: str = "", facts: object = None) -> StoredFile:
    """Put a finished file into the store and return its row; the file at ``path`` is used up."""
    row = StoredFile(production=production, kind=kind, name=name, size=path.stat().st_size, sha256=sha256, facts=facts)
    _move_in(path, row.storage_name)
    row.save()
    return row


def _move_in(path: Path, name: str) -> None:
    """Rename where the store is a folder of this machine, copy elsewhere."""
    try:
        target = Path(default_storage.path(name))
    except NotImplementedError:
        with path.open("rb") as file:
            default_storage.save(name, File(file))
        path.unlink()
        return
    target.parent.mkdir(parents=True, exist_ok=True)
    shutil.move(path, target)


@contextmanager
def local_copy(row: StoredFile) -> Iterator[Path]:
    """A path to read the file at, for as long as the block runs."""
    try:
        path = Path(default_storage.path(row.storage_name))
    except NotImplementedError:
        pass
    else:
        yield path
        return
    with work_folder() as folder:
        path = folder / row.key.hex
        with default_storage.open(row.storage_name) as source, path.open("wb") as target:
            shutil.copyfileobj(source, target, _PIECE)
        yield path


@contextmanager
def work_folder() -> Iterator[Path]:
    """A folder of one's own that goes with everything in it."""
    settings.WORK_DIR.mkdir(parents=True, exist_ok=True)
    with TemporaryDirectory(dir=settings.WORK_DIR) as folder:
        yield Path(folder)


def drop(row: StoredFile) -> None:
    """Delete a derived file: the row now, the bytes once that is certain."""
    name = row.storage_name
    row.delete()
    transaction.on_commit(lambda: default_storage.delete(name))


def sha256_of(path: Path) -> str:
    """Checksum of a file's content."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
