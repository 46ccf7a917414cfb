"""Conversions, and how absent figures are handed out."""

import unittest

import numpy as np

from mezzavoce_core import units


class UnitsTest(unittest.TestCase):
    def test_power_and_amplitude(self):
        self.assertAlmostEqual(float(units.power_to_db(100.0)), 20.0)
        self.assertAlmostEqual(float(units.amplitude_to_db(0.5)), -6.0206, places=4)
        self.assertAlmostEqual(float(units.amplitude_to_db(-0.5)), -6.0206, places=4)
        self.assertAlmostEqual(float(units.db_to_power(3.0)), 1.99526, places=4)
        self.assertAlmostEqual(float(units.db_to_amplitude(-6.0206)), 0.5, places=5)

    def test_silence_is_minus_infinity_without_a_warning(self):
        with np.errstate(all="raise"):
            self.assertEqual(float(units.power_to_db(0.0)), -np.inf)
            self.assertEqual(float(units.amplitude_to_db(0.0)), -np.inf)
            self.assertEqual(float(units.power_to_lufs(0.0)), -np.inf)

    def test_loudness_and_back(self):
        self.assertAlmostEqual(float(units.power_to_lufs(1.0)), -0.691)
        for level in (-70.0, -23.0, 0.0):
            self.assertAlmostEqual(float(units.power_to_lufs(units.lufs_to_power(level))), level, places=9)

    def test_arrays_keep_their_shape(self):
        self.assertEqual(units.power_to_db(np.ones((3, 2))).shape, (3, 2))

    def test_two_loudspeakers_for_one(self):
        self.assertAlmostEqual(units.DUAL_MONO_LU, 3.0103, places=4)

    def test_absent_figures_are_none(self):
        self.assertIsNone(units.figure(None))
        self.assertIsNone(units.figure(float("nan")))
        self.assertIsNone(units.figure(-np.inf))
        self.assertEqual(units.figure(np.float32(1.25), 1), 1.2)
        self.assertIs(type(units.figure(np.float64(2))), float)

    def test_rounding_before_comparing(self):
        self.assertEqual(units.tenth(-23.54), -23.5)
        self.assertEqual(str(units.tenth(-0.04)), "0.0")
