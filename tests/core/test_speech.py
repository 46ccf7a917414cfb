"""Speech from a stem, and its grouping into passages."""

import unittest

import numpy as np

from mezzavoce_core.measure import speech as sp
from mezzavoce_core.measure.speech import Speech
from tests.signals import levels_of, noise, talk

SPANS = [(1.0, 3.0), (3.2, 5.0), (8.0, 9.5)]


def power_of(signal):
    return levels_of(signal, between_samples=False).power[:, 0].astype(float)


class FindSpeechTest(unittest.TestCase):
    def test_in_and_out(self):
        found = sp.find_speech(power_of(talk(12, SPANS)))
        self.assertEqual(len(found), 2)
        for s, (a, b) in zip(found, [(1.0, 5.0), (8.0, 9.5)], strict=True):
            self.assertAlmostEqual(s.in_s, a, delta=0.05)
            self.assertAlmostEqual(s.out_s, b, delta=0.05)
            self.assertGreater(s.confidence, 0.9)
            self.assertFalse(s.by_hand)

    def test_room_under_the_words_is_no_speech(self):
        found = sp.find_speech(power_of(talk(12, SPANS) + noise(12, -62)))
        self.assertEqual([round(s.in_s) for s in found], [1, 8])

    def test_level_of_the_stem_does_not_matter(self):
        loud, soft = (sp.find_speech(power_of(talk(12, SPANS, level))) for level in (-14, -38))
        self.assertEqual([(s.in_s, s.out_s) for s in loud], [(s.in_s, s.out_s) for s in soft])

    def test_silence_holds_none(self):
        self.assertEqual(sp.find_speech(np.zeros(500)), ())
        self.assertEqual(sp.find_speech(np.full(500, 1e-9)), ())

    def test_a_click_is_no_word(self):
        signal = talk(6, [(2.0, 4.0)])
        signal[48000 : 48000 + 480] = 0.2
        self.assertEqual(len(sp.find_speech(power_of(signal))), 1)


class SpansTest(unittest.TestCase):
    def test_runs(self):
        self.assertEqual(sp.runs(np.array([1, 1, 0, 1, 0, 0, 1], dtype=bool)), [(0, 2), (3, 4), (6, 7)])
        self.assertEqual(sp.runs(np.zeros(3, dtype=bool)), [])

    def test_join(self):
        self.assertEqual(sp.join([(0, 2), (3, 5), (9, 10)], 1), [(0, 5), (9, 10)])
        self.assertEqual(sp.join([(0, 9), (2, 4)], 0), [(0, 9)])

    def test_ticks_and_shares(self):
        flags = sp.speech_ticks([Speech(0.05, 0.2, 1.0)], 40)
        self.assertEqual(np.flatnonzero(flags)[[0, -1]].tolist(), [5, 19])
        np.testing.assert_allclose(sp.active_share(flags), [0.5, 1.0, 0, 0])

    def test_block_of(self):
        self.assertEqual([sp.block_of(t) for t in (0.0, 0.0999, 0.1, 0.3, 12.3)], [0, 0, 1, 3, 123])


class PassagesTest(unittest.TestCase):
    def test_joined_over_short_pauses(self):
        speech = [Speech(0, 2, 1), Speech(2.9, 4, 1), Speech(5.0, 6, 1)]
        self.assertEqual(sp.passage_spans(speech, 1.0), [(0, 4), (5.0, 6)])
        self.assertEqual(sp.passage_spans(speech, 0.5), [(0, 2), (2.9, 4), (5.0, 6)])
        self.assertEqual(sp.passage_spans([], 1.0), [])

    def test_long_ones_are_split_at_their_longest_pause(self):
        speech = [Speech(0, 8, 1), Speech(8.4, 15, 1), Speech(15.9, 24, 1)]
        self.assertEqual(sp.passage_spans(speech, 1.0), [(0, 15), (15.9, 24)])

    def test_one_breath_longer_than_the_limit_stays_whole(self):
        self.assertEqual(sp.passage_spans([Speech(0, 30, 1)], 1.0), [(0, 30)])


class CorrectTest(unittest.TestCase):
    def test_hand_wins(self):
        found = sp.correct([Speech(1, 5, 0.9)], [sp.Correction(sp.SPEECH, 2, 3)])
        self.assertEqual([(s.in_s, s.out_s, s.by_hand) for s in found], [(1, 2, False), (2, 3, True), (3, 5, False)])

    def test_hand_where_nothing_was_measured(self):
        found = sp.correct([], [sp.Correction(sp.SPEECH, 2, 3)])
        self.assertEqual(len(found), 1)

    def test_nothing_by_hand_changes_nothing(self):
        speech = (Speech(1, 5, 0.9),)
        self.assertEqual(sp.correct(speech, []), speech)
