"""Backup and restore: the same rows and the same files in another installation, whatever people do meanwhile."""

import json
import os
import shutil
from contextlib import redirect_stderr
from hashlib import sha256
from io import StringIO
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

import MySQLdb
from django.conf import settings
from django.db import connection
from django.test import SimpleTestCase, TransactionTestCase

from mezzavoce_host import backup, restore, services
from mezzavoce_host.database import Place
from tests.web.base import make_mix, make_people, measure_mix, stored


def rows_of(place):
    """Every row of every table, by the table's name."""
    with MySQLdb.connect(
        host=place.host, port=place.port, user=place.user, password=place.password, database=place.name
    ) as opened:
        cursor = opened.cursor()
        cursor.execute("SHOW TABLES")
        found = {}
        for (table,) in cursor.fetchall():
            cursor.execute(f"SELECT * FROM `{table}`")  # noqa: S608  (names that the database itself gave)
            found[table] = sorted(map(repr, cursor.fetchall()))
        return found


def hashes_of(folder):
    return {str(p.relative_to(folder)): sha256(p.read_bytes()).hexdigest() for p in folder.rglob("*") if p.is_file()}


class RoundTripTest(TransactionTestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(TemporaryDirectory()))
        self.enterContext(mock.patch.dict(os.environ, {"MEZZAVOCE_SECRET_KEY": "a secret of this house"}))
        facts = connection.settings_dict
        self.here = Place(facts["HOST"], int(facts["PORT"]), facts["NAME"], facts["USER"], facts["PASSWORD"])
        # Files of other tests lie beside those of this one.
        self.data = self.folder / "here"
        make_people(self)
        self.mix = make_mix(self.production, self.lead)
        measure_mix(self.mix)
        shutil.copytree(Path(settings.DATA_DIR) / "files", self.data / "files")

    def test_the_same_rows_and_files_in_an_empty_installation(self):
        saved = self.folder / "saved"
        backup.back_up(self.here, self.data, saved)
        there = self.folder / "there"
        with services.mariadb(there, services.free_port(8900), durable=False) as own:
            place = Place("127.0.0.1", own.port, "mezzavoce", "mezzavoce", own.password)
            restore.restore(place, there, saved)
            self.assertEqual(rows_of(place), rows_of(self.here))
            self.assertEqual(hashes_of(there / "files"), hashes_of(self.data / "files"))
            with self.assertRaisesRegex(services.CannotStart, "nothing of it is overwritten"):
                restore.restore(place, there, saved)

    def test_a_file_that_comes_while_it_is_saved_is_in_it(self):
        def meanwhile(place, target):
            file = stored(self.production, b"late")
            (self.data / "files" / file.storage_name).parent.mkdir(parents=True, exist_ok=True)
            shutil.copy(Path(settings.DATA_DIR) / "files" / file.storage_name, self.data / "files" / file.storage_name)
            late.append(file.storage_name)
            saving(place, target)

        late, saving = [], backup.save
        with mock.patch.object(backup, "save", side_effect=meanwhile):
            backup.back_up(self.here, self.data, self.folder / "saved")
        self.assertEqual((self.folder / "saved" / "files" / late[0]).read_bytes(), b"late")

    def test_a_database_that_does_not_answer(self):
        nowhere = Place("127.0.0.1", 1, "mezzavoce", "mezzavoce", "x")
        with self.assertRaisesRegex(services.CannotStart, "could not be saved"):
            backup.back_up(nowhere, self.data, self.folder / "saved")
        with self.assertRaisesRegex(services.CannotStart, "broken off"):
            restore.check(self.folder / "saved")


class CheckTest(SimpleTestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(TemporaryDirectory()))
        (self.folder / "files").mkdir()
        (self.folder / "files" / "a").write_text("a")
        (self.folder / backup.ROWS).write_text("rows")
        self.facts = {"format": backup.FORM, "files": 1, "rows_sha256": sha256(b"rows").hexdigest()}

    def refused(self, words, **facts):
        (self.folder / backup.FACTS).write_text(json.dumps(self.facts | facts))
        with self.assertRaisesRegex(services.CannotStart, words):
            restore.check(self.folder)

    def test_a_whole_one(self):
        (self.folder / backup.FACTS).write_text(json.dumps(self.facts))
        restore.check(self.folder)

    def test_what_is_damaged_newer_or_lacks_files(self):
        self.refused("newer version", format="mezzavoce.backup/2")
        self.refused("lacks files", files=2)
        (self.folder / backup.ROWS).write_text("row")
        self.refused("damaged")

    def test_into_a_folder_that_holds_something(self):
        place = Place("127.0.0.1", 1, "mezzavoce", "mezzavoce", "x")
        with self.assertRaisesRegex(services.CannotStart, "not empty"):
            backup.back_up(place, self.folder, self.folder)

    def test_commands_say_what_is_wrong(self):
        settings_there = mock.patch.dict(os.environ, {"MEZZAVOCE_DATA_DIR": str(self.folder / "none")})
        with settings_there, redirect_stderr(StringIO()) as said:
            self.assertEqual(backup.main([]), 2)
            self.assertEqual(backup.main([str(self.folder / "new")]), 1)
            self.assertEqual(restore.main([]), 2)
            self.assertEqual(restore.main([str(self.folder / "none")]), 1)
        self.assertIn("There is no installation", said.getvalue())
        self.assertIn("holds no backup", said.getvalue())
