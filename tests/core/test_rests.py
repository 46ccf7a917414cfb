"""Where music rests, and what is too quiet to tell anything of its gain."""

import unittest

import numpy as np

from mezzavoce_core.measure.gain.rests import heard

LEVELS = np.tile(np.linspace(-40.0, -70.0, 48), (1500, 1)) + np.random.default_rng(2).normal(0, 1, (1500, 48))


def with_empty(share, first=600, last=900):
    """Half a minute in which a share of the bands is empty from 12 to 18 s."""
    levels = LEVELS.copy()
    levels[first:last, : round(48 * share)] = -130.0
    return levels


class HeardTest(unittest.TestCase):
    def test_music_that_leaves_a_third_of_its_bands_empty_still_sounds(self):
        self.assertFalse(heard(with_empty(0.35)).quiet[100:].any())

    def test_most_bands_empty_is_a_rest_and_what_comes_after_it_has_no_past(self):
        quiet = heard(with_empty(0.7)).quiet
        self.assertTrue(quiet[600:930].all())
        self.assertFalse(quiet[100:590].any() or quiet[940:].any())

    def test_a_programme_begins_without_a_past(self):
        self.assertEqual(np.flatnonzero(~heard(LEVELS).quiet)[0], 30)

    def test_a_hole_is_looked_at_as_what_was_before_it(self):
        sounding = heard(with_empty(1.0, 600, 640))
        held = sounding.held()
        first = int(np.flatnonzero(sounding.quiet[100:])[0]) + 100
        self.assertTrue((held[first:640] == first - 1).all())
        self.assertEqual(held[1000], 1000)
        # Nothing is told from before a rest to after it.
        rests = sounding.rests()
        self.assertGreater(rests[700], rests[590])
        self.assertEqual(rests[1200], rests[700])

    def test_a_fade_before_a_rest_belongs_to_it(self):
        levels = LEVELS.copy()
        levels[550:600] -= np.linspace(0, 40, 50)[:, None]
        levels[600:800] = -130.0
        self.assertTrue(heard(levels).quiet[560:600].all())

    def test_next_to_no_music(self):
        self.assertIsNone(heard(np.full((1500, 48), -130.0)))
        self.assertIsNone(heard(LEVELS[:80]))
        self.assertIsNone(heard(np.zeros((0, 48))))


if __name__ == "__main__":
    unittest.main()
