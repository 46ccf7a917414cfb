"""A backup back into an installation that is empty: ``bin/restore FOLDER``."""

import json
import os
import sys
from pathlib import Path

import MySQLdb

from .backup import FACTS, FILES, FORM, ROWS, SECRET, copy_files, hash_of
from .database import Place, load
from .machine import furnished, held, prepare
from .services import CannotStart
from .words import say


def restore(place: Place, data: Path, folder: Path) -> int:
    """Files and rows of a backup; returns how many files there are. Raises CannotStart with a sentence."""
    check(folder)
    _check_empty(place, data)
    copied = copy_files(folder / FILES, data / "files")
    load(place, folder / ROWS)
    return copied


def check(folder: Path) -> None:
    """Raise CannotStart where a folder holds no whole backup that this version can read."""
    try:
        facts = json.loads((folder / FACTS).read_text(encoding="utf-8"))
    except (OSError, ValueError):
        raise CannotStart(f"{folder} holds no backup, or one that was broken off; choose another folder.") from None
    if facts.get("format") != FORM:
        raise CannotStart(f"The backup in {folder} was made by a newer version; restore it with that one.")
    if not (folder / ROWS).is_file() or hash_of(folder / ROWS) != facts["rows_sha256"]:
        raise CannotStart(f"The database in {folder} is damaged; choose another backup.")
    count = sum(p.is_file() for p in (folder / FILES).rglob("*"))
    if count != facts["files"]:
        raise CannotStart(f"The backup in {folder} lacks files: {facts['files']} were saved, {count} are there.")


def _check_empty(place: Place, data: Path) -> None:
    with MySQLdb.connect(
        host=place.host, port=place.port, user=place.user, password=place.password, database=place.name
    ) as connection:
        cursor = connection.cursor()
        cursor.execute("SHOW TABLES")
        has_tables = cursor.fetchone() is not None
    if has_tables or any((data / "files").rglob("*")):
        raise CannotStart(
            f"There is an installation already in {data} or its database, and nothing of it is overwritten. Set "
            "MEZZAVOCE_DATA_DIR to an empty folder (and MEZZAVOCE_DB_NAME to an empty database), then restore again."
        )


def main(arguments: list[str]) -> int:
    """Restore into what the environment names; returns the exit code."""
    if len(arguments) != 1:
        sys.stderr.write("usage: bin/restore FOLDER\n")
        return 2
    data, folder = Path(os.environ["MEZZAVOCE_DATA_DIR"]).resolve(), Path(arguments[0]).resolve()
    try:
        check(folder)
        with held(data):
            # Links in mails that went out open with the secret that made them.
            os.environ["MEZZAVOCE_SECRET_KEY"] = (folder / SECRET).read_text(encoding="utf-8")
            with furnished(data):
                copied = restore(Place.of_environment(), data, folder)
                secret = data / "secrets" / "application"
                secret.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
                secret.touch(mode=0o600)
                secret.write_text(os.environ["MEZZAVOCE_SECRET_KEY"], encoding="utf-8")
                prepare()
    except (CannotStart, OSError) as error:
        sys.stderr.write(f"{error}\n")
        return 1
    say(f"Restored into {data}: the database and {copied} files. Start it with bin/serve.")
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
