"""Folders for work in progress."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory

from django.conf import settings


@contextmanager
def work_folder() -> Iterator[Path]:
    """A folder of one's own that goes with everything in it."""
    settings.WORK_DIR.mkdir(parents=True, exist_ok=True)
    with TemporaryDirectory(dir=settings.WORK_DIR) as folder:
        yield Path(folder)
