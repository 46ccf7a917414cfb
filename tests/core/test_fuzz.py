"""A bounded part of the fuzz run: some damaged copies of every kind of file."""

import unittest

from tests import fuzz


class FuzzTest(unittest.TestCase):
    def test_damaged_files_end_in_a_figure_or_a_sentence(self):
        ends, wrong, slowest = fuzz.run(48, seed=3)
        self.assertEqual(wrong, [])
        self.assertGreater(ends["figure"], 5)
        self.assertGreater(ends["sentence"], 5)
        self.assertLess(slowest, fuzz.LIMIT_S)

    def test_what_would_be_wrong_is_seen(self):
        import tempfile
        from pathlib import Path

        with tempfile.TemporaryDirectory() as holder:
            folder = Path(holder)
            self.assertEqual(fuzz.judged(None, "", folder)[0], "hung")
            self.assertIn("exit -11", fuzz.judged(-11, "", folder)[0])
            self.assertIn("exit 2", fuzz.judged(2, "Traceback", folder)[0])
            (folder / "rest").touch()
            self.assertIn("left over", fuzz.judged(0, "", folder)[0])
