"""The lock of packages holds for every Python 3.11, and not for the one alone that it was made with."""

import re
import unittest
from importlib.metadata import distributions
from pathlib import Path

from packaging.markers import default_environment
from packaging.requirements import Requirement
from packaging.utils import canonicalize_name

LOCK = Path(__file__).parents[2] / "requirements.lock"
# Debian 12 brings 3.11.2; 3.11.3 changed what some packages need; no later one than 3.11.20 is to be expected.
VERSIONS = ("3.11.0", "3.11.2", "3.11.7", "3.11.20")


def locked():
    """Every line of the lock with its hashes."""
    text = LOCK.read_text(encoding="ascii").replace("\\\n", " ")
    return [
        (Requirement(line.split(" --hash", 1)[0].strip()), re.findall(r"--hash=sha256:([0-9a-f]{64})", line))
        for line in text.splitlines()
    ]


class LockTest(unittest.TestCase):
    def test_every_line_has_one_version_and_its_hashes(self):
        for requirement, hashes in locked():
            self.assertRegex(str(requirement.specifier), r"^==[^*,]+$", requirement)
            self.assertTrue(hashes, requirement)
        self.assertNotIn("://", LOCK.read_text(encoding="ascii"))

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
