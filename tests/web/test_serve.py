"""The start for real: settings from a file, and what stands in the environment already."""

import os
import re
import subprocess
from contextlib import ExitStack
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import TestCase, mock

from mezzavoce_host import machine
from mezzavoce_host.services import CannotStart, Database

ROOT = Path(__file__).parents[2]


class SettingsFileTest(TestCase):
    def read(self, text, **environment):
        folder = Path(self.enterContext(TemporaryDirectory()))
        (folder / "mezzavoce.env").write_text(text)
        return self.bash(f'read_settings {folder}/mezzavoce.env; env | grep "^MEZZAVOCE_" | sort', **environment)

    def bash(self, code, **environment):
        return subprocess.run(
            ["bash", "-c", f"source {ROOT}/bin/lib/settings.sh; {code}"],
            env={"PATH": os.environ["PATH"], **environment},
            capture_output=True,
            text=True,
            check=False,
        )

    def test_names_and_values(self):
        done = self.read(
            '# for the house\n\n  MEZZAVOCE_PORT=8500\nMEZZAVOCE_MAIL_FROM="Review <review@house.example>"\r\n'
            "MEZZAVOCE_DB_PASSWORD=$(touch /tmp/x) `id` a=b #c"
        )
        self.assertEqual(
            done.stdout.splitlines(),
            [
                "MEZZAVOCE_DB_PASSWORD=$(touch /tmp/x) `id` a=b #c",
                "MEZZAVOCE_MAIL_FROM=Review <review@house.example>",
                "MEZZAVOCE_PORT=8500",
            ],
            "nothing is run, and the last line counts without its end, too",
        )

    def test_the_environment_wins(self):
        self.assertEqual(self.read("MEZZAVOCE_PORT=8500", MEZZAVOCE_PORT="9").stdout, "MEZZAVOCE_PORT=9\n")

    def test_what_is_no_setting_is_named_by_its_line(self):
        for text in ("PATH=/tmp", "MEZZAVOCE_PORT", "mezzavoce_port=1", "MEZZAVOCE_PORT =1"):
            done = self.read(f"# one\n{text}\n")
            self.assertEqual(done.returncode, 2, text)
            self.assertIn("Line 2", done.stderr)

    def test_a_file_that_is_not_there(self):
        done = self.bash("read_settings /nowhere/x")
        self.assertEqual(done.returncode, 2)
        self.assertIn("cannot be read", done.stderr)


class SettingsPageTest(TestCase):
    def test_every_setting_stands_on_the_page(self):
        page = (ROOT / "docs" / "operations.md").read_text()
        code = "".join(
            path.read_text()
            for folder in ("mezzavoce/config", "mezzavoce_host")
            for path in (ROOT / "src" / folder).glob("*.py")
        )
        wanted = {f"MEZZAVOCE_{name}" for name in re.findall(r'_env\("([A-Z_]+)"', code)}
        wanted |= set(re.findall(r'"(MEZZAVOCE_[A-Z_]+)"', code))
        # Those of the demo and of the tests alone.
        wanted -= {"MEZZAVOCE_DEMO", "MEZZAVOCE_PLAIN_STATIC", "MEZZAVOCE_DB_"}
        self.assertEqual({name for name in wanted if f"`{name}`" not in page}, set())
        self.assertEqual(
            set(re.findall(r"`(MEZZAVOCE_[A-Z_]+)`", page)) - wanted, {"MEZZAVOCE_ENV_DIR", "MEZZAVOCE_SETTINGS"}
        )


class MachineTest(TestCase):
    def setUp(self):
        self.data = Path(self.enterContext(TemporaryDirectory()))
        self.enterContext(mock.patch.dict(os.environ))
        for name in [name for name in os.environ if name.startswith("MEZZAVOCE_")]:
            del os.environ[name]

    def started(self, **more):
        """What of its own it starts, and the settings then."""
        own = []

        def starting(kind, yields):
            def start(*_):
                own.append(kind)
                return ExitStack() if yields is None else mock.MagicMock(__enter__=lambda _: yields)

            return start

        with (
            # Each start is a process of its own, which finds ports that nobody has at that moment.
            mock.patch.dict(os.environ),
            mock.patch.object(machine, "mariadb", starting("database", Database(8406, "secret"))),
            mock.patch.object(machine, "redis", starting("queue", "redis://127.0.0.1:8479")),
            machine.furnished(self.data, more),
        ):
            return own, {k: v for k, v in os.environ.items() if k.startswith("MEZZAVOCE_")}

    def test_all_of_its_own(self):
        own, settings = self.started()
        self.assertEqual(own, ["database", "queue"])
        self.assertEqual(settings["MEZZAVOCE_DB_PASSWORD"], "secret")
        self.assertEqual(settings["MEZZAVOCE_BASE_URL"], f"http://127.0.0.1:{settings['MEZZAVOCE_PORT']}")
        self.assertGreater(len(settings["MEZZAVOCE_SECRET_KEY"]), 30)

    def test_what_is_there_is_used(self):
        os.environ |= {"MEZZAVOCE_DB_HOST": "db.house.example", "MEZZAVOCE_BROKER_URL": "redis://queue.house.example/0"}
        own, settings = self.started()
        self.assertEqual(own, [])
        self.assertEqual(settings["MEZZAVOCE_BROKER_URL"], "redis://queue.house.example/0")

    def test_the_secret_stays_from_start_to_start(self):
        first = self.started()[1]["MEZZAVOCE_SECRET_KEY"]
        self.assertEqual(self.started()[1]["MEZZAVOCE_SECRET_KEY"], first)

    def test_a_folder_that_somebody_holds(self):
        with machine.held(self.data), self.assertRaisesRegex(CannotStart, "running already"):
            self.enterContext(machine.held(self.data))
