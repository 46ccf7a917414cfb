"""Transforms of several real signals at a time, against NumPy's in double precision."""

import unittest

import numpy as np

from mezzavoce_core.signal import transforms


class TransformTest(unittest.TestCase):
    def setUp(self):
        self.rows = np.random.default_rng(5).standard_normal((7, 2700)).astype(np.float32)

    def assert_spectra(self, found):
        wanted = np.fft.rfft(self.rows.astype(np.float64), axis=1)
        self.assertEqual(found.dtype, np.complex64)
        np.testing.assert_allclose(found, wanted, atol=2e-6 * np.abs(wanted).max())

    def test_spectra(self):
        self.assert_spectra(transforms.transform(self.rows))
        np.testing.assert_array_equal(transforms.transform(self.rows[3:4]), transforms.transform(self.rows)[3:4])

    def test_good_sizes_have_small_factors_alone(self):
        for least in (1, 7, 2689, 2700, 100003, 168001):
            size = transforms.good_size(least)
            self.assertGreaterEqual(size, least)
            for factor in (2, 3, 5):
                while size % factor == 0:
                    size //= factor
            self.assertEqual(size, 1)
