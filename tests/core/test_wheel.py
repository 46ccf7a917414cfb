"""The package as a wheel, installed somewhere else: the measuring command runs from there."""

import json
import os
import subprocess
import sys
import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

from tests.signals import chord, stereo, write_wav

ROOT = Path(__file__).parents[2]


class WheelTest(unittest.TestCase):
    def test_the_command_runs_from_an_installed_wheel(self):
        folder = Path(self.enterContext(TemporaryDirectory()))
        self.run_it("uv", "build", "--quiet", "--wheel", "--offline", "--out-dir", folder, ROOT)
        (wheel,) = folder.glob("*.whl")
        # What it depends on is here already, as locked.
        self.run_it(
            *("uv", "pip", "install", "--quiet", "--offline", "--no-deps", "--python", sys.executable),
            *("--target", folder / "installed", wheel),
        )
        mix = write_wav(folder / "mix.wav", stereo(chord(5, -23)))
        here = {name: value for name, value in os.environ.items() if not name.startswith("MEZZAVOCE_")}
        there = here | {"PYTHONPATH": str(folder / "installed")}
        asked = ("measure", mix, "--json", "--quiet")
        said = self.run_it(folder / "installed" / "bin" / "mezzavoce", *asked, cwd=folder, env=there)
        from_source = self.run_it(
            sys.executable, "-m", "mezzavoce_core", *asked, cwd=folder, env=here | {"PYTHONPATH": str(ROOT / "src")}
        )
        self.assertEqual(json.loads(said)["loudness"], json.loads(from_source)["loudness"])

    def run_it(self, *command, **how):
        done = subprocess.run([str(c) for c in command], capture_output=True, text=True, check=False, **how)
        self.assertIn(done.returncode, (0, 1), done.stderr)
        return done.stdout
