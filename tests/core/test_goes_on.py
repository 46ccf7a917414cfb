"""Whether the sound goes on behind a step. Signals from formulas; no published source."""

import json
import unittest
from dataclasses import replace
from unittest import mock

import numpy as np

from mezzavoce_core.exchange.gains import gain_dict, gain_from_dict
from mezzavoce_core.measure.again import Again
from mezzavoce_core.measure.ducks import GOES_ON, MusicGain
from mezzavoce_core.measure.gain import claims
from mezzavoce_core.measure.music_gain import find_gain, look_again
from mezzavoce_core.signal.goes_on import goes_on
from tests.core.test_music_gain import ONE_DUCK, again, levels
from tests.signals import RATE, automated, noise, sine, sounding

AT_S, RAMP_S = 1.5, 0.01


def tones(seconds=3.0, *hz):
    return sum(sine(-30, seconds, hz=h, phase=h) for h in hz or (110.0, 164.8, 277.2, 440.0))


def step(signal, rise_db, at_s=AT_S):
    return automated(signal, [(at_s, -rise_db), (at_s + RAMP_S, 0)])


def heard(signal, rise_db=8.0, at_s=AT_S):
    return goes_on(*sounding(signal), at_s, at_s + RAMP_S, rise_db)


class GoesOnTest(unittest.TestCase):
    def test_a_step_of_the_gain(self):
        for rise_db in (6.0, 8.0, 14.0):
            with self.subTest(rise_db):
                self.assertTrue(heard(step(tones(), rise_db), rise_db))
                self.assertTrue(heard(step(tones() + noise(3, -55), rise_db), rise_db))

    def test_tones_that_come_in_leave_those_before_as_they_were(self):
        late = np.where(np.arange(3 * RATE) < AT_S * RATE, 0.0, tones(3.0, 146.8, 220.0, 587.3) * 3)
        self.assertFalse(heard(tones() + late))

    def test_other_tones_in_the_place_of_those_before(self):
        before = np.arange(3 * RATE) < AT_S * RATE
        self.assertFalse(heard(np.where(before, tones(), 2.5 * tones(3.0, 98.0, 185.0, 311.1))))

    def test_the_rise_has_to_be_the_one_asked_for(self):
        self.assertFalse(heard(tones(), 8.0))
        self.assertFalse(heard(step(tones(), 20.0), 6.0))

    def test_noise_cannot_be_carried_on(self):
        self.assertFalse(heard(step(noise(3, -30), 8.0)))

    def test_where_too_little_is_there(self):
        self.assertFalse(heard(step(tones(), 8.0, 0.1), at_s=0.1))
        self.assertFalse(heard(step(tones(), 8.0, 2.985), at_s=2.985))
        self.assertFalse(heard(np.zeros(3 * RATE)))

    def test_any_rate(self):
        for rate in (44100, 96000):
            t = np.arange(3 * rate) / rate
            music = sum(0.03 * np.sin(2 * np.pi * h * t + h) for h in (110.0, 164.8, 277.2, 440.0))
            self.assertTrue(goes_on(*sounding(automated(music, [(AT_S, -8), (AT_S + RAMP_S, 0)], rate=rate), rate), AT_S, AT_S + RAMP_S, 8.0))


class DoubtfulStepTest(unittest.TestCase):
    """Levels that leave it in doubt whether the music steps back up or strikes a chord: what the sound tells decides."""

    def setUp(self):
        # The small step back falls where the music strikes its next chord, and more than usual is asked for.
        small = [(25.3, 0), (25.8, -4), (31.99, -4), (32.005, 0)]
        self.speech = [(10.0, 16.0), (26.0, 31.7), (42.0, 48.0)]
        self.levels = levels([*ONE_DUCK, *small, *again(ONE_DUCK, 32)])
        asked = tuple(replace(family, told=24.0) if family.name == "return-abrupt" else family for family in claims.RETURNS)
        patched = mock.patch.object(claims, "RETURNS", asked)
        patched.start()
        self.addCleanup(patched.stop)

    def found(self, *listening):
        return find_gain(self.levels, self.speech, stepped=lambda begin, _end, _rise: any(abs(begin - t) < 0.05 for t in listening))

    def told(self, gain):
        return [(d.tells("return-abrupt"), d.tells(GOES_ON)) for d in gain.ducks]

    def test_the_sound_decides(self):
        no = (False, False)
        self.assertEqual(self.told(self.found()), [no, no, no])
        self.assertEqual(self.told(self.found(16.3, 20.0)), [no, no, no])
        self.assertEqual(self.told(self.found(32.0)), [no, (True, True), no])

    def test_what_was_heard_is_known_when_it_is_looked_at_again_without_the_sound(self):
        gain = self.found(32.0)
        self.assertEqual(len(gain.steps_s), 1)
        kept = gain_from_dict(json.loads(json.dumps(gain_dict(gain))))
        self.assertEqual(kept.steps_s, gain.steps_s)
        for known, step in ((kept, (True, True)), (replace(kept, steps_s=()), (False, False))):
            there = look_again(known, lambda first, last: self.levels[first:last], self.speech, [(26.0, 31.7)], Again({}))
            self.assertEqual(self.told(there)[1], step)

    def test_a_part_of_the_programme_has_its_own(self):
        self.assertEqual(MusicGain((), 0.0, (4.0, 12.5, 20.0)).between(10.0, 20.0).steps_s, (2.5,))
