"""What the sound tells of a step back up, and what becomes of it. Signals from formulas; no published source."""

import json
import unittest
from dataclasses import replace
from unittest import mock

import numpy as np

from mezzavoce_core.exchange.gains import gain_dict, gain_from_dict
from mezzavoce_core.measure.ducks import HeardStep, MusicGain
from mezzavoce_core.measure.gain import edge_classes
from mezzavoce_core.measure.music_gain import find_gain, revisit
from mezzavoce_core.measure.revisited import Revisited
from mezzavoce_core.signal.steps import GOES_ON_NATS, step_nats
from tests.core.test_music_gain import ONE_DUCK, again, levels
from tests.signals import RATE, automated, noise, sine, sounding

AT_S, RAMP_S, RISE_DB = 1.5, 0.015, 9.0


def heard(signal, rate=RATE, at_s=AT_S, rise_db=RISE_DB):
    return step_nats(*sounding(signal, rate), at_s, at_s + RAMP_S, rise_db)


def stepped(music, rise_db=RISE_DB, rate=RATE):
    return automated(music, [(AT_S, -rise_db), (AT_S + RAMP_S, 0)], rate=rate)


def struck(seed):
    """Noise that goes on as it was, with a beat over it.

    The beat is over within some 30 ms and brings the highest octaves most.
    """
    t = np.arange(3 * RATE) / RATE - AT_S - RAMP_S / 2
    bright = np.diff(noise(3, -30, seed=seed + 100), prepend=0.0)
    return noise(3, -42, seed=seed) + np.where(t > 0, 5 * bright * np.exp(-np.maximum(t, 0) / 0.03), 0.0)


class StepNatsTest(unittest.TestCase):
    def test_noise_that_steps_as_a_whole(self):
        """It cannot be carried on; that all octaves rise alike speaks for a gain."""
        found = [heard(stepped(noise(3, -30, seed=seed))) for seed in range(20)]
        self.assertGreater(np.median(found), 1.5)
        self.assertLess(max(found), GOES_ON_NATS)

    def test_a_beat_that_is_brightest_when_it_is_struck(self):
        self.assertLess(np.median([heard(struck(seed)) for seed in range(20)]), -2.5)

    def test_another_rise_than_the_gain_would_give(self):
        plain, other = (
            np.median([heard(stepped(noise(3, -30, seed=seed), by_db)) for seed in range(20)])
            for by_db in (RISE_DB, 2.5 * RISE_DB)
        )
        self.assertLess(other, plain - 8.0)

    def test_tones_that_go_on_tell_more(self):
        tones = sum(sine(-30, 3.0, hz=h, phase=h) for h in (110.0, 164.8, 277.2, 440.0))
        self.assertGreater(heard(stepped(tones + noise(3, -60))), GOES_ON_NATS)
        self.assertLess(heard(tones + noise(3, -60)), -3.0)

    def test_any_rate(self):
        for rate in (32000, 44100, 96000):
            with self.subTest(rate):
                found = [heard(stepped(noise(3, -30, seed=seed, rate=rate), rate=rate), rate) for seed in range(20)]
                self.assertGreater(np.median(found), 1.5)

    def test_where_too_little_is_there_it_tells_nothing(self):
        music = noise(3, -30)
        for signal, at_s in ((music, 0.005), (music, 2.985), (np.zeros(3 * RATE), AT_S)):
            self.assertEqual(heard(signal, at_s=at_s), 0.0)


class DoubtfulStepTest(unittest.TestCase):
    """Levels that leave it in doubt whether the music steps back up or strikes a chord.

    What the sound tells decides.
    """

    def setUp(self):
        # The small step back falls where the music strikes its next chord, and more than usual is asked for.
        small = [(25.3, 0), (25.8, -4), (31.99, -4), (32.005, 0)]
        self.speech = [(10.0, 16.0), (26.0, 31.7), (42.0, 48.0)]
        self.levels = levels([*ONE_DUCK, *small, *again(ONE_DUCK, 32)])
        self.plain = edge_classes.RETURNS
        asked = tuple(
            replace(family, claimed_from_nats=24.0) if family.name == "return-abrupt" else family
            for family in edge_classes.RETURNS
        )
        patched = mock.patch.object(edge_classes, "RETURNS", asked)
        patched.start()
        self.addCleanup(patched.stop)

    def found(self, *listening):
        """Where the sound tells some nats at some times."""
        return find_gain(
            self.levels,
            self.speech,
            listen=lambda begin, _end, _rise: next((nats for t, nats in listening if abs(begin - t) < 0.05), 0.0),
        )

    def told(self, gain):
        return [d.tells("return-abrupt") for d in gain.ducks]

    def test_the_sound_decides(self):
        self.assertEqual(self.told(self.found()), [False, False, False])
        self.assertEqual(self.told(self.found((16.3, 9.0), (20.0, 9.0))), [False, False, False])
        self.assertEqual(self.told(self.found((32.0, 9.0))), [False, True, False])

    def test_a_beat_that_levels_take_for_a_step(self):
        with mock.patch.object(edge_classes, "RETURNS", self.plain):
            self.assertEqual(self.told(self.found()), [False, True, False])
            self.assertEqual(self.told(self.found((32.0, -20.0))), [False, False, False])

    def test_what_was_heard_is_known_when_it_is_looked_at_again_without_the_sound(self):
        gain = self.found((32.0, 9.0))
        self.assertEqual([h.nats for h in gain.steps], [9.0])
        kept = gain_from_dict(json.loads(json.dumps(gain_dict(gain))))
        self.assertEqual(kept, gain)
        for known, step in ((kept, True), (replace(kept, steps=()), False)):
            there = revisit(
                known, lambda first, last: self.levels[first:last], self.speech, [(26.0, 31.7)], Revisited({})
            )
            self.assertEqual(self.told(there)[1], step)

    def test_moves_kept_without_what_was_heard_are_read(self):
        older = {name: value for name, value in gain_dict(self.found()).items() if name not in ("steps", "format")}
        self.assertEqual(gain_from_dict(older).steps, ())

    def test_a_part_of_the_programme_has_its_own(self):
        steps = tuple(HeardStep(t, n) for t, n in ((4.0, 1.0), (12.5, 2.0), (20.0, 3.0)))
        self.assertEqual(MusicGain((), 0.0, steps).between(10.0, 20.0).steps, (HeardStep(2.5, 2.0),))
