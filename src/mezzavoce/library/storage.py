"""The file store: rows and keys here, bytes behind Django's storage, so that a shared object store can take over."""

import errno
import hashlib
import shutil
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from django.conf import settings
from django.core.files import File
from django.core.files.storage import default_storage
from django.db import transaction

from mezzavoce_core.errors import NotMeasurable

from ..processes.folders import work_folder
from ..work.execution import NotWanted
from .models import Production, StoredFile, Upload

_PIECE = 1 << 20
_HASHED_AT_ONCE = 64 << 20


def keep(
    path: Path, production: Production, kind: str, name: str, *, sha256: str = "", facts: object = None
) -> StoredFile:
    """Put a finished file into the store and return its row.

    The file at ``path`` stays: if the transaction fails, nothing is lost.
    """
    row = StoredFile(production=production, kind=kind, name=name, size=path.stat().st_size, sha256=sha256, facts=facts)
    _bring_in(path, row.storage_name)
    row.save()
    return row


def _bring_in(path: Path, name: str) -> None:
    """Another name for the same bytes where the store is on the same disk, a copy elsewhere."""
    try:
        target = Path(default_storage.path(name))
    except NotImplementedError:
        with path.open("rb") as file:
            default_storage.save(name, File(file))
        return
    target.parent.mkdir(parents=True, exist_ok=True)
    try:
        target.hardlink_to(path)
    except OSError as error:
        if error.errno not in (errno.EXDEV, errno.EPERM, errno.EMLINK, errno.ENOTSUP):
            raise
        shutil.copyfile(path, target)


@contextmanager
def local_copy(row: StoredFile) -> Iterator[Path]:
    """A path to read the file at, for as long as the block runs. Raises NotMeasurable where its bytes were removed."""
    if row.removed_at is not None:
        raise NotMeasurable(
            f"The sound of “{row.name}” was removed after the time that its production keeps it. Ingest it again."
        )
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


def drop(row: StoredFile) -> None:
    """Delete a derived file: the row now, the bytes once that is certain."""
    name = row.storage_name
    row.delete()
    transaction.on_commit(lambda: default_storage.delete(name))


def sha256_of(path: Path, go_on: Callable[[], bool] = lambda: True) -> str:
    """Checksum of a file's content.

    ``go_on`` is asked now and then whether to go on; raises NotWanted when it says no.
    """
    digest = hashlib.sha256()
    with path.open("rb") as file:
        while piece := file.read(_HASHED_AT_ONCE):
            digest.update(piece)
            if len(piece) == _HASHED_AT_ONCE and not go_on():
                raise NotWanted("Nobody wants this any more.")
    return digest.hexdigest()


def free_bytes() -> int:
    """Bytes that are left where files arrive.

    What is kept free for measuring and what has been promised to uploads is not counted.
    """
    settings.UPLOAD_DIR.mkdir(parents=True, exist_ok=True)
    arriving = Upload.objects.filter(state=Upload.State.ARRIVING)
    promised = sum(max(0, size - received) for size, received in arriving.values_list("size", "received"))
    return shutil.disk_usage(settings.UPLOAD_DIR).free - settings.SPACE_RESERVE_BYTES - promised
