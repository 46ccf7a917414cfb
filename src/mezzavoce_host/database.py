"""The application's database from outside: where it is, and its own tools for saving and loading all of it."""

import gzip
import os
import shutil
import subprocess
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from .services import APPLICATION_USER, CannotStart, find_program


@dataclass(frozen=True)
class Place:
    """How a database is reached."""

    host: str
    port: int
    name: str
    user: str
    password: str

    @classmethod
    def of_environment(cls) -> "Place":
        """The one that the settings name."""
        said = os.environ
        return cls(
            said.get("MEZZAVOCE_DB_HOST", "127.0.0.1"),
            int(said.get("MEZZAVOCE_DB_PORT", "3306")),
            said.get("MEZZAVOCE_DB_NAME", APPLICATION_USER),
            said.get("MEZZAVOCE_DB_USER", APPLICATION_USER),
            said.get("MEZZAVOCE_DB_PASSWORD", ""),
        )


def save(place: Place, target: Path) -> None:
    """All rows as they are at one moment, while people go on working, into a compressed file of SQL.

    Raises CannotStart with a sentence.
    """
    options = ["--single-transaction", "--quick", "--skip-lock-tables", "--hex-blob", "--no-tablespaces", place.name]
    with _told(place) as access, tempfile.TemporaryFile() as complaints, gzip.open(target, "wb") as packed:
        process = subprocess.Popen(
            [find_program("mariadb-dump"), access, *options], stdout=subprocess.PIPE, stderr=complaints
        )
        assert process.stdout is not None
        shutil.copyfileobj(process.stdout, packed, 1 << 20)
        if process.wait():
            raise CannotStart(f"The database could not be saved: {_last_words(complaints)}")


def load(place: Place, source: Path) -> None:
    """All rows out of such a file, into a database that is empty. Raises CannotStart with a sentence."""
    with _told(place) as access, tempfile.TemporaryFile() as complaints, gzip.open(source, "rb") as packed:
        process = subprocess.Popen(
            [find_program("mariadb"), access, place.name], stdin=subprocess.PIPE, stderr=complaints
        )
        assert process.stdin is not None
        try:
            shutil.copyfileobj(packed, process.stdin, 1 << 20)
            process.stdin.close()
        except BrokenPipeError:
            pass  # its complaint says why
        if process.wait():
            raise CannotStart(f"The database could not be restored: {_last_words(complaints)}")


@contextmanager
def _told(place: Place) -> Iterator[str]:
    """An option that says how to sign in, without the password on the command line."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "access.cnf"
        path.touch(mode=0o600)
        password = place.password.replace("\\", "\\\\").replace('"', '\\"')
        path.write_text(
            f'[client]\nhost={place.host}\nport={place.port}\nuser={place.user}\npassword="{password}"\nprotocol=tcp\n',
            encoding="utf-8",
        )
        yield f"--defaults-extra-file={path}"


def _last_words(complaints: "tempfile._TemporaryFileWrapper[bytes] | object") -> str:
    complaints.seek(0)  # type: ignore[union-attr]
    said: str = complaints.read().decode(errors="replace").strip()  # type: ignore[union-attr]
    return said.rsplit("\n", 1)[-1] or "no reason was given"
