"""The lock of packages holds for every Python 3.11, and not for the one alone that it was made with."""

import re
import unittest
from importlib.metadata import distributions
from pathlib import Path

from packaging.markers import default_environment
from packaging.requirements import Requirement
from packaging.utils import canonicalize_name

ROOT = Path(__file__).parents[2]
# What runs the application, and that with what tests and looks after it.
RUNTIME, TOOLS = ROOT / "requirements.lock", ROOT / "requirements-dev.lock"
# Debian 12 brings 3.11.2; 3.11.3 changed what some packages need; no later one than 3.11.20 is to be expected.
VERSIONS = ("3.11.0", "3.11.2", "3.11.7", "3.11.20")


def locked(lock=TOOLS):
    """Every line of a lock with its hashes."""
    text = lock.read_text(encoding="ascii").replace("\\\n", " ")
    return [
        (Requirement(line.split(" --hash", 1)[0].strip()), re.findall(r"--hash=sha256:([0-9a-f]{64})", line))
        for line in text.splitlines()
    ]


class LockTest(unittest.TestCase):
    def test_every_line_has_one_version_and_its_hashes(self):
        for lock in (RUNTIME, TOOLS):
            for requirement, hashes in locked(lock):
                self.assertRegex(str(requirement.specifier), r"^==[^*,]+$", requirement)
                self.assertTrue(hashes, requirement)
            self.assertNotIn("://", lock.read_text(encoding="ascii"))

    def test_what_runs_the_application_is_tested_as_it_is(self):
        tools = {r.name: (str(r), hashes) for r, hashes in locked(TOOLS)}
        for requirement, hashes in locked(RUNTIME):
            self.assertEqual(tools[requirement.name], (str(requirement), hashes))
        self.assertLess(len(locked(RUNTIME)), len(tools))

    def test_whatever_a_package_needs_is_there_on_every_python(self):
        pinned = {canonicalize_name(r.name): r for r, _ in locked()}
        installed = [d for d in distributions() if canonicalize_name(d.metadata["Name"]) in pinned]
        self.assertGreater(len(installed), 60)
        for version in VERSIONS:
            here = default_environment() | {"python_full_version": version, "python_version": "3.11", "extra": ""}
            for distribution in installed:
                if not _holds(pinned[canonicalize_name(distribution.metadata["Name"])], here):
                    continue
                for line in distribution.requires or []:
                    wanted = Requirement(line)
                    if _holds(wanted, here):
                        found = pinned.get(canonicalize_name(wanted.name))
                        self.assertIsNotNone(found, f"{distribution.name} needs {line} on {version}")
                        self.assertTrue(
                            _holds(found, here),
                            f"{distribution.name} needs {line} on {version}, where the lock leaves it out",
                        )
                        self.assertIn(str(found.specifier).removeprefix("=="), wanted.specifier, distribution.name)


def _holds(requirement, environment):
    return requirement.marker is None or requirement.marker.evaluate(environment)
