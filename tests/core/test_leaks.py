"""Stems that hold one another: which holds which, how loud, and whether it comes out."""

import unittest

import numpy as np

from mezzavoce_core.measure.stems.leaks import Lying, find_leak, find_leaks
from tests.signals import chord, noise, sine, talk

RATE, SECONDS = 12000, 40
SPANS = [(4.0, 9.0), (15.0, 22.0), (27.0, 36.0)]


def lying(signal, *, delay=0):
    """A stem at a quarter of the rate, as its proxy would be read.

    It is looked at in its first and in its last stretch.
    """
    coarse = signal.reshape(-1, 4).mean(axis=1).astype(np.float32)
    return Lying(
        lambda start, length: coarse[round(start * RATE) : round((start + length) * RATE)], [0.0, 13.0, 26.0], delay
    )


def gain(db):
    return 10 ** (db / 20)


class LeakTest(unittest.TestCase):
    def setUp(self):
        self.voice, self.notes = talk(SECONDS, SPANS, -23), chord(SECONDS, -30)
        self.storm = noise(SECONDS, -30, seed=11)

    def found(self, **stems):
        names = list(stems)
        found = find_leaks({k: lying(s) for k, s in enumerate(stems.values())}, [0], RATE)
        return {(names[j], names[k]): leak for j, held in found.items() for k, leak in held.items()}

    def test_stems_of_their_own_hold_nothing(self):
        self.assertEqual(self.found(voice=self.voice, notes=self.notes, storm=self.storm), {})

    def test_which_one_holds_the_other(self):
        for db in (-3, -12):
            (pair, leak), *more = self.found(voice=self.voice, storm=self.storm + gain(db) * self.voice).items()
            self.assertEqual((pair, leak.copy, more), (("storm", "voice"), True, []))
            self.assertAlmostEqual(leak.gain, gain(db), delta=0.03 * gain(db))
            (pair, leak), *more = self.found(voice=self.voice + gain(db) * self.storm, storm=self.storm).items()
            self.assertEqual((pair, leak.copy, more), (("voice", "storm"), True, []))
            self.assertAlmostEqual(leak.gain, gain(db), delta=0.03 * gain(db))

    def test_notes_that_are_held_are_told_though_they_are_like_themselves_at_any_time(self):
        (pair, leak), *more = self.found(voice=self.voice + gain(-10) * self.notes, notes=self.notes).items()
        self.assertEqual((pair, leak.copy, more), (("voice", "notes"), True, []))

    def test_several_in_one_are_all_found(self):
        held = self.found(voice=self.voice + gain(-10) * (self.notes + self.storm), notes=self.notes, storm=self.storm)
        self.assertEqual(
            {pair: leak.copy for pair, leak in held.items()}, {("voice", "notes"): True, ("voice", "storm"): True}
        )

    def test_turned_round(self):
        (leak,) = self.found(voice=self.voice, storm=self.storm - gain(-12) * self.voice).values()
        self.assertAlmostEqual(leak.gain, -gain(-12), delta=0.01)
        self.assertTrue(leak.copy)

    def test_the_same_hum_in_both_is_no_copy(self):
        hum = sine(-45, SECONDS, hz=100.0)
        self.assertEqual(
            [leak for leak in self.found(voice=self.voice + hum, storm=self.storm + 2 * hum).values() if leak.copy], []
        )

    def test_one_that_lies_later_in_the_mix(self):
        late = np.concatenate([np.zeros(4 * 600), self.storm + gain(-12) * self.voice])[: len(self.storm)]
        leak = find_leak(lying(self.voice), lying(late, delay=-600), RATE)
        self.assertAlmostEqual(leak.gain, gain(-12), delta=0.01)
        self.assertTrue(leak.copy)
        # Where it lies elsewhere than both stems it is as an echo is: it stays in, and its level is known.
        echo = find_leak(lying(self.voice), lying(late), RATE)
        self.assertFalse(echo.copy)
        self.assertAlmostEqual(echo.gain, gain(-12), delta=0.15 * gain(-12))
