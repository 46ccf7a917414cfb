"""Whether the sound goes on behind a step. Signals from formulas; no published source."""

import unittest

import numpy as np

from mezzavoce_core.signal.linear_prediction import goes_on
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
            self.assertTrue(
                goes_on(
                    *sounding(automated(music, [(AT_S, -8), (AT_S + RAMP_S, 0)], rate=rate), rate),
                    AT_S,
                    AT_S + RAMP_S,
                    8.0,
                )
            )
