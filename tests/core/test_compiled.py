"""Loops that were compiled before load without what only compiling needs."""

import subprocess
import sys
import unittest


class CompiledTest(unittest.TestCase):
    def test_nothing_is_registered_for_loops_from_the_cache(self):
        code = (
            "from mezzavoce_core import warm; warm.loops(); import sys; print([m for m in ('numba.np.arrayobj', 'numba.cpython.unicode') if m in sys.modules])"
        )
        subprocess.run([sys.executable, "-c", code], check=True, capture_output=True)
        found = subprocess.run([sys.executable, "-c", code], check=True, capture_output=True, text=True)
        self.assertEqual(found.stdout.strip(), "[]")
