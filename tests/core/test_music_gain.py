"""Ducks in the level of the music. Depths and times as they were drawn; common practice for sizes, no published source."""

import unittest

import numpy as np

from mezzavoce_core.measure.music_gain import Duck, find_ducks
from tests.signals import automated, chord, levels_of

TWO = [(10.0, 16.0), (26.0, 32.0)]


def ducks(points, passages=TWO, seconds=40, music=None):
    signal = automated(chord(seconds, -24) if music is None else music, points)
    return find_ducks(levels_of(signal, between_samples=False).power[:, 0].astype(float), passages)


class FindDucksTest(unittest.TestCase):
    def test_times_and_depth(self):
        (found,) = ducks([(9.2, 0), (9.7, -10), (16.5, -10), (17.5, 0)], [TWO[0]])
        for value, drawn in ((found.fall_start_s, 9.2), (found.fall_end_s, 9.7), (found.return_start_s, 16.5), (found.return_end_s, 17.5)):
            self.assertAlmostEqual(value, drawn, delta=0.15)
        self.assertAlmostEqual(found.depth_db, 10.0, delta=0.7)
        self.assertAlmostEqual(found.open_lufs - found.bed_lufs, 10.0, delta=0.7)

    def test_one_for_each_passage(self):
        points = [(9, 0), (9.5, -10), (16.5, -10), (17.5, 0), (25, 0), (25.5, -8), (32.5, -8), (33.5, 0)]
        self.assertEqual([round(d.depth_db) for d in ducks(points)], [10, 8])

    def test_one_over_two_passages(self):
        found = ducks([(9, 0), (9.5, -10), (32.5, -10), (33.5, 0)])
        self.assertEqual(len(found), 1)
        self.assertTrue(found[0].covers(29.0))

    def test_steady_music_has_none(self):
        self.assertEqual(ducks([(0, 0)]), ())

    def test_music_that_moves_by_itself_is_not_ducked(self):
        rng = np.random.default_rng(2)
        swing = [(t, float(rng.uniform(-2, 2))) for t in np.arange(0, 40, 0.5)]
        self.assertEqual(ducks(swing), ())

    def test_silent_music_has_none(self):
        self.assertEqual(find_ducks(np.zeros(4000), TWO), ())
        self.assertEqual(find_ducks(np.full(4000, 1e-3), []), ())

    def test_never_returns(self):
        (found,) = ducks([(9, 0), (9.5, -10)], [TWO[0]])
        self.assertIsNone(found.return_start_s)
        self.assertTrue(found.covers(39.0))

    def test_a_return_that_was_not_seen_does_not_cover_what_follows(self):
        found = ducks([(9, 0), (9.5, -12), (15.9, -12), (22, 0), (25, 0), (25.5, -10), (32.5, -10), (33.5, 0)], [TWO[0], TWO[1], (37.0, 39.0)])
        self.assertTrue(found[0].covers(12.0))
        self.assertFalse(found[0].covers(24.0))
        self.assertFalse(any(d.covers(38.0) for d in found))

    def test_down_from_the_start(self):
        (found,) = ducks([(0, -10), (16.5, -10), (17.5, 0)], [(0.5, 16.0)])
        self.assertIsNone(found.fall_end_s)
        self.assertAlmostEqual(found.return_end_s, 17.5, delta=0.2)
        self.assertTrue(found.covers(1.0))


class DuckTest(unittest.TestCase):
    def test_gain_of_the_trapezoid(self):
        duck = Duck(1.0, 2.0, 4.0, 6.0, 8.0, None, None)
        np.testing.assert_allclose(duck.gain_db(np.array([0, 1.5, 3, 5, 9])), [0, -4, -8, -4, 0])

    def test_gain_without_an_end(self):
        duck = Duck(1.0, 2.0, None, None, 8.0, None, None)
        np.testing.assert_allclose(duck.gain_db(np.array([0, 9])), [0, -8])
        self.assertFalse(duck.covers(0.5))
