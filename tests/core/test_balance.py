"""Ratios of voice to what lies under it."""

import unittest

import numpy as np

from mezzavoce_core.measure import balance as bal
from mezzavoce_core.measure.balance import Balance

TICKS = 3000


def at(level_db, ticks=TICKS):
    return np.full(ticks, 10 ** (level_db / 10))


def flags(*spans):
    found = np.zeros(TICKS, dtype=bool)
    for a, b in spans:
        found[round(a * 100) : round(b * 100)] = True
    return found


def balance(music_db=-33.0, effects_db=None, *spans):
    spans = spans or ((5, 15),)
    speech = flags(*spans)
    music = at(music_db)
    effects = None if effects_db is None else at(effects_db)
    return Balance(at(-23.0) * speech, music, effects, music + (0 if effects is None else effects), speech)


class PassageTest(unittest.TestCase):
    def test_levels_and_ratios(self):
        p = bal.passage(balance(-33.0, -33.0), 5, 15)
        self.assertAlmostEqual(p.speech_lufs, -23.691, places=2)
        self.assertAlmostEqual(p.speech_to_music_lu, 10.0, places=6)
        self.assertAlmostEqual(p.speech_to_background_lu, 10 - 3.0103, places=3)
        self.assertAlmostEqual(p.first_word_lu, 10 - 3.0103, places=3)

    def test_music_far_below_counts_as_absent(self):
        p = bal.passage(balance(-64.0), 5, 15)
        self.assertIsNone(p.music)
        self.assertIsNone(p.speech_to_music_lu)

    def test_nothing_known_of_the_background(self):
        speech = flags((5, 15))
        p = bal.passage(Balance(at(-23.0) * speech, None, None, None, speech), 5, 15)
        self.assertAlmostEqual(p.speech_lufs, -23.691, places=2)
        self.assertEqual((p.music, p.speech_to_background_lu, p.first_word_lu), (None, None, None))

    def test_pauses_do_not_count(self):
        b = balance(-33.0, None, (5, 7), (9, 11))
        self.assertAlmostEqual(bal.passage(b, 5, 11).speech_lufs, -23.691, places=2)

    def test_first_word_is_half_a_second_of_speech(self):
        b = balance(-33.0, None, (5, 5.3), (6, 12))
        music = b.music.copy()
        music[600:620] *= 100
        loud = Balance(b.voice, music, None, music, b.flags)
        self.assertLess(bal.first_word(loud, 5, 12), 0)
        music = b.music.copy()
        music[620:] *= 100
        self.assertAlmostEqual(bal.first_word(Balance(b.voice, music, None, music, b.flags), 5, 12), 10.0, places=6)


class LocalRatioTest(unittest.TestCase):
    def test_steady(self):
        ratios = bal.local_ratio(balance())
        self.assertTrue(np.isnan(ratios[:50]).all())
        np.testing.assert_allclose(ratios[50:150], 10.0, atol=1e-6)

    def test_window_of_three_seconds(self):
        b = balance()
        music = b.music.copy()
        music[1000:] *= 10
        ratios = bal.local_ratio(Balance(b.voice, music, None, music, b.flags))
        np.testing.assert_allclose(ratios[50:84], 10.0, atol=0.01)
        np.testing.assert_allclose(ratios[116:150], 0.0, atol=0.01)
        self.assertTrue((np.diff(ratios[84:116]) < 0).all())

    def test_less_than_a_second_of_speech_has_none(self):
        self.assertTrue(np.isnan(bal.local_ratio(balance(-33.0, None, (5, 5.8)))).all())
        self.assertFalse(np.isnan(bal.local_ratio(balance(-33.0, None, (5, 6.1)))[52]))

    def test_without_background(self):
        speech = flags((5, 15))
        self.assertTrue(np.isnan(bal.local_ratio(Balance(at(-23.0), None, None, None, speech))).all())


class ShareTest(unittest.TestCase):
    def test_clear_share_rounds_before_it_compares(self):
        self.assertEqual(bal.clear_share(np.array([np.nan, 9.96, 9.94, 12.0, 5.0]), 10.0), 0.5)
        self.assertIsNone(bal.clear_share(np.array([np.nan]), 10.0))

    def test_blocks_between(self):
        found = bal.blocks_between(balance().active, 5.0, 6.0)
        self.assertEqual(found.tolist(), list(range(50, 60)))
        self.assertEqual(bal.blocks_between(balance().active, 5.05, 6.05).tolist(), list(range(50, 61)))

    def test_loudest_under(self):
        blocks = np.arange(50, 60)
        self.assertEqual(bal.loudest_under(balance(-33.0, -40.0), blocks), "music")
        self.assertEqual(bal.loudest_under(balance(-40.0, -33.0), blocks), "effects")
        speech = flags((5, 15))
        self.assertEqual(bal.loudest_under(Balance(at(-23.0), None, None, at(-30.0), speech), blocks), "background")
