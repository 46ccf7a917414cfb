"""Loops that were compiled before load without what only compiling needs."""

import subprocess
import sys
import unittest


class CompiledTest(unittest.TestCase):
    def test_nothing_is_registered_for_loops_from_the_cache(self):
        code = (
            "from mezzavoce_core.command.precompile import gains, levels; levels(); gains(); import sys; "
            "print([m for m in ('numba.np.arrayobj', 'numba.cpython.unicode') if m in sys.modules])"
        )
        subprocess.run([sys.executable, "-c", code], check=True, capture_output=True)
        found = subprocess.run([sys.executable, "-c", code], check=True, capture_output=True, text=True)
        self.assertEqual(found.stdout.strip(), "[]")

    def test_what_has_to_be_compiled_still_is(self):
        code = (
            "from mezzavoce_core.command.precompile import gains, levels; levels(); gains(); import numpy as np; "
            "from mezzavoce_core.runtime.compiled import njit; "
            "print(njit(lambda count: np.arange(count).astype(np.float64).copy())(5).sum())"
        )
        found = subprocess.run([sys.executable, "-c", code], check=True, capture_output=True, text=True)
        self.assertEqual(found.stdout.strip(), "10.0")
