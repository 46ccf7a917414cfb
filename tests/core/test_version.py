"""One version: of the core, of the project, and the newest that the list of changes tells of."""

import re
import tomllib
import unittest
from pathlib import Path

from mezzavoce_core import VERSION

ROOT = Path(__file__).parents[2]


class VersionTest(unittest.TestCase):
    def test_it_stands_alike_everywhere(self):
        project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
        newest = re.search(r"^## (\S+), \d{4}-\d{2}-\d{2}$", (ROOT / "CHANGELOG.md").read_text(), re.MULTILINE)
        self.assertEqual((project["version"], newest[1]), (VERSION, VERSION))
