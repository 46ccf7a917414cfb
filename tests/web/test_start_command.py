"""The start command's processes: what is shown of them when they are ended, and when one ends by itself."""

import os
import signal
import subprocess
import sys
import time
import unittest

# The first says something alarming when it is ended, as a queue does whose task is under way.
_LOUD = "trap 'echo torn away; exit 1' TERM; echo at work; while true; do sleep 0.05; done"
_SCRIPT = """
import sys
from mezzavoce_host.processes import Everything
everything = Everything()
for at, command in enumerate(sys.argv[1:]):
    everything.add_process(f"process{at}", command)
everything.loop()
sys.exit(everything.returncode)
"""


class EndingTest(unittest.TestCase):
    def _started(self, *commands: str) -> "subprocess.Popen[str]":
        environment = {**os.environ, "PYTHONUNBUFFERED": "1"}
        process = subprocess.Popen(
            [sys.executable, "-c", _SCRIPT, *commands],
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
            env=environment,
            start_new_session=True,
        )
        self.addCleanup(process.kill)
        return process

    def test_what_was_under_way_is_no_alarm_when_the_person_ends_everything(self) -> None:
        process = self._started(_LOUD)
        said = ""
        assert process.stdout is not None
        until = time.monotonic() + 30
        while "at work" not in said and time.monotonic() < until:
            said += process.stdout.readline()
        process.send_signal(signal.SIGINT)
        rest, _ = process.communicate(timeout=30)
        self.assertIn("at work", said)
        self.assertTrue(
            rest.endswith("Ending; what you did stays, and what was being measured is measured at the next start.\n"),
            rest,
        )
        self.assertNotIn("torn away", rest)
        self.assertEqual(process.returncode, 130)

    def test_a_process_that_ends_by_itself_ends_all_and_its_last_words_are_shown(self) -> None:
        process = self._started(_LOUD, "sleep 0.5; echo no room left; exit 3")
        said, _ = process.communicate(timeout=30)
        self.assertIn("no room left", said)
        self.assertIn("torn away", said)
        self.assertNotIn("Ending;", said)
        self.assertEqual(process.returncode, 3)
