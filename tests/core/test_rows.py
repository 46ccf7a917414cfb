"""Rows that come in portions."""

import unittest

import numpy as np

from mezzavoce_core.signal.rows import Rows


class RowsTest(unittest.TestCase):
    def test_all_of_them_in_order_whatever_was_expected(self):
        values = np.arange(30000, dtype=np.int16).reshape(-1, 3)
        for about in (0, 5000, 10000, 1e12):
            rows = Rows(3, np.int16, about)
            self.assertEqual(rows.whole.shape, (0, 3))
            for portion in np.split(values, [1, 1, 4000, 9999]):
                rows.add(portion)
            np.testing.assert_array_equal(rows.whole, values, err_msg=str(about))
            self.assertEqual(rows.whole.dtype, np.int16)

    def test_without_columns(self):
        rows = Rows(0, np.float32, 100)
        rows.add(np.zeros((2000, 0), dtype=np.float32))
        self.assertEqual(rows.whole.shape, (2000, 0))
