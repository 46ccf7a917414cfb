"""Database and files together into a folder, while people work: ``bin/backup FOLDER``."""

import hashlib
import json
import os
import shutil
import sys
from datetime import UTC, datetime
from pathlib import Path

from .database import Place, save
from .machine import with_database
from .services import CannotStart
from .words import say

FACTS, ROWS, FILES, SECRET = "backup.json", "database.sql.gz", "files", "application.secret"
FORM = "mezzavoce.backup/1"


def back_up(place: Place, data: Path, folder: Path) -> dict[str, object]:
    """Write a backup into a folder that is new or empty; returns its facts.

    Files never change once they are stored. They are copied before the rows are read, and those that came meanwhile
    after it, so that every row has its file. The facts are written last: a folder without them is no backup.
    """
    folder.mkdir(parents=True, exist_ok=True)
    folder.chmod(0o700)
    if any(folder.iterdir()):
        raise CannotStart(f"The folder {folder} is not empty. Give a new one for every backup.")
    copy_files(data / "files", folder / FILES)
    save(place, folder / ROWS)
    copied = copy_files(data / "files", folder / FILES)
    secret = folder / SECRET
    secret.touch(mode=0o600)
    secret.write_text(os.environ["MEZZAVOCE_SECRET_KEY"], encoding="utf-8")
    facts: dict[str, object] = {
        "format": FORM,
        "made_at": datetime.now(UTC).isoformat(timespec="seconds"),
        "files": copied,
        "rows_sha256": hash_of(folder / ROWS),
    }
    (folder / FACTS).write_text(json.dumps(facts, indent=1) + "\n", encoding="utf-8")
    return facts


def copy_files(source: Path, target: Path) -> int:
    """Copy what is not there yet; returns how many files there are then. One that went meanwhile is left out."""
    count = 0
    for path in sorted(p for p in source.rglob("*") if p.is_file()) if source.exists() else []:
        copy = target / path.relative_to(source)
        if not copy.exists():
            copy.parent.mkdir(parents=True, exist_ok=True)
            part = copy.with_name(copy.name + ".part")
            try:
                shutil.copy2(path, part)
            except FileNotFoundError:
                continue
            part.rename(copy)
        count += 1
    return count


def hash_of(path: Path) -> str:
    """SHA-256 of a file, in hexadecimal digits."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def main(arguments: list[str]) -> int:
    """Back up what the environment names; returns the exit code."""
    if len(arguments) != 1:
        sys.stderr.write("usage: bin/backup FOLDER\n")
        return 2
    data, folder = Path(os.environ["MEZZAVOCE_DATA_DIR"]).resolve(), Path(arguments[0]).resolve()
    try:
        with with_database(data):
            facts = back_up(Place.of_environment(), data, folder)
    except (CannotStart, OSError) as error:
        sys.stderr.write(f"{error}\n")
        return 1
    say(f"Saved in {folder}: the database and {facts['files']} files. Keep it where only you can read it.")
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
