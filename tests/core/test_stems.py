"""Where a stem lies in the mix, and whether it is in there."""

import unittest

import numpy as np

from mezzavoce_core.measure.stems import placing as st
from mezzavoce_core.measure.stems.mono_proxy import MonoProxy
from mezzavoce_core.measure.stems.rest import find_rest
from mezzavoce_core.signal import comparison
from tests.signals import RATE, chord, levels_of, noise, stereo, talk

HZ = 12000


def reader(signal):
    signal = np.asarray(signal, dtype=np.float32)
    return lambda start, length: signal[round(max(0, start) * HZ) : round(max(0, start) * HZ) + round(length * HZ)]


def mono(seconds, seed, level=-20.0):
    return noise(seconds, level, seed=seed, rate=HZ)


class PlaceTest(unittest.TestCase):
    def place(self, mix, *stems):
        return st.place(reader(mix), [reader(s) for s in stems], [[6.0, 24.0]] * len(stems), HZ)

    def test_as_it_lies(self):
        a, b = mono(40, 1), mono(40, 2, -40)
        found = self.place(a + b, a, b)
        for placed in found:
            self.assertEqual(placed.delay_s, 0.0)
            self.assertAlmostEqual(placed.gain, 1.0, delta=0.02)
            self.assertTrue(placed.contained)

    def test_gain_is_fitted(self):
        a, b = mono(40, 1), mono(40, 2)
        found = self.place(0.5 * a + 2 * b, a, b)
        self.assertAlmostEqual(found[0].gain, 0.5, delta=0.01)
        self.assertAlmostEqual(found[1].gain, 2.0, delta=0.01)

    def test_delay_either_way(self):
        a = mono(44, 1)
        for delay_s in (0.8, -1.1, 1.9):
            shift = round(delay_s * HZ)
            mix = np.roll(a, shift) + mono(44, 2, -50)
            found = self.place(mix, a)[0]
            self.assertAlmostEqual(found.delay_s, delay_s, delta=2 / HZ)
            self.assertAlmostEqual(found.gain, 1.0, delta=0.05)

    def test_a_stem_of_another_programme_is_not_contained(self):
        found = self.place(mono(40, 1) + mono(40, 2), mono(40, 1), mono(40, 9))
        self.assertTrue(found[0].contained)
        self.assertFalse(found[1].contained)

    def test_a_soft_stem_below_a_loud_one_that_was_not_given(self):
        for under_db in (20, 26):
            for seed in range(6):
                soft, loud = mono(40, 10 + seed, -20 - under_db), mono(40, 20 + seed)
                found = self.place(loud + soft, soft)[0]
                self.assertTrue(found.contained, found)
                self.assertEqual((found.delay_s, found.gain), (0.0, 1.0))
                self.assertFalse(self.place(loud, soft)[0].contained)

    def test_a_stem_too_soft_to_be_told_is_taken_as_it_was_delivered(self):
        found = self.place(mono(40, 1), mono(40, 2, -75))[0]
        self.assertTrue(found.hidden)
        self.assertTrue(found.contained)
        self.assertEqual(found.gain, 1.0)

    def test_a_soft_stem_that_was_turned_down(self):
        found = self.place(mono(40, 1) + 0.7 * mono(40, 2, -32), mono(40, 2, -32))[0]
        self.assertTrue(found.contained)
        self.assertAlmostEqual(found.gain, 0.7, delta=0.1)

    def test_how_far_off_a_gain_may_be(self):
        gains, errors = [], []
        for seed in range(40):
            loud, soft = mono(12, seed), mono(12, 100 + seed, -40)
            gains.append(comparison.fit_gains(loud + soft, [soft])[0])
            errors.append(comparison.expected_coherence(loud + soft, soft)[1])
        self.assertAlmostEqual(np.std(gains) / np.mean(errors), 1.0, delta=0.3)

    def test_music_of_another_programme_in_the_same_key(self):
        rng = np.random.default_rng(4)

        def tune():
            notes = [chord(0.5, -20, hz=220 * 2 ** (rng.integers(12) / 12), rate=HZ) for _ in range(80)]
            return np.concatenate(notes)

        own, other = tune(), tune()
        found = self.place(own + mono(40, 2, -30), own, other)
        self.assertTrue(found[0].contained)
        self.assertFalse(found[1].contained)

    def test_a_silent_stem_has_no_place(self):
        a = mono(40, 1)
        self.assertEqual(st.place(reader(a), [reader(a), reader(0 * a)], [[6.0], []], HZ)[1], None)


class PartsTest(unittest.TestCase):
    def test_loud_stretches(self):
        power = np.full(6000, 1e-6)
        power[3000:4200] = 1.0
        self.assertIn(30.0, st.loud_stretches(power))
        self.assertEqual(st.loud_stretches(np.zeros(500)), [])
        self.assertEqual(st.loud_stretches(np.ones(300)), [0.0])

    def test_delay_of_noise(self):
        a = mono(6, 1).astype(np.float32)
        self.assertEqual(comparison.find_delay(np.roll(a, 240), a, 2 * HZ), 240)
        self.assertEqual(comparison.find_delay(a, a, 2 * HZ), 0)

    def test_gains_together(self):
        a, b = mono(3, 1), mono(3, 2)
        np.testing.assert_allclose(
            comparison.fit_gains((0.3 * a - b).astype(np.float32), [a.astype(np.float32), b.astype(np.float32)]),
            [0.3, -1.0],
            atol=1e-4,
        )

    def test_coherence(self):
        a, b = mono(6, 1).astype(np.float32), mono(6, 2).astype(np.float32)
        self.assertGreater(comparison.coherence(a, a), 0.99)
        self.assertLess(comparison.coherence(a, b), 0.06)
        self.assertEqual(comparison.coherence(a[:100], a[:100]), 0.0)

    def test_a_stem_where_it_lies_in_the_mix(self):
        a = mono(3, 1).astype(np.float32)
        np.testing.assert_array_equal(comparison.shifted(reader(a), 1.0, 0, HZ, HZ), a[HZ : 2 * HZ])
        np.testing.assert_array_equal(comparison.shifted(reader(a), 1.0, 600, HZ, HZ), a[HZ - 600 : 2 * HZ - 600])
        np.testing.assert_array_equal(
            comparison.shifted(reader(a), 0.0, 600, HZ, HZ), np.concatenate([np.zeros(600), a[: HZ - 600]])
        )
        np.testing.assert_array_equal(
            comparison.shifted(reader(a), 2.0, -600, HZ, HZ), np.concatenate([a[2 * HZ + 600 :], np.zeros(600)])
        )
        np.testing.assert_array_equal(comparison.shifted(reader(a), 0.0, 2 * HZ, HZ, HZ), 0.0)


class RestTest(unittest.TestCase):
    def test_what_stems_leave_of_the_mix(self):
        # Longer than what is looked at at a time, and not in whole blocks.
        a, b, unknown = mono(70.25, 1), mono(70.25, 2), np.zeros(round(70.25 * HZ))
        unknown[65 * HZ : 66 * HZ] = 0.1
        mix = 0.5 * np.roll(a, 600) + b + unknown
        before = mix.astype(np.float32)
        found = find_rest(
            reader(before),
            [reader(a), reader(b), reader(b)],
            [st.Placed(0.05, 0.5, 1.0), st.Placed(0.0, 1.0, 1.0), None],
            HZ,
            70.25,
        )
        self.assertEqual((len(found.mix), len(found.left)), (703, 703))
        np.testing.assert_allclose(
            found.mix[:702], np.square(mix[: 702 * 1200]).reshape(702, 1200).mean(axis=1), rtol=1e-5
        )
        np.testing.assert_allclose(found.mix[702], np.square(mix[702 * 1200 :]).mean(), rtol=1e-5)
        # The first block misses what was rolled round.
        np.testing.assert_allclose(
            found.left[1:], np.where((np.arange(1, 703) >= 650) & (np.arange(1, 703) < 660), 0.01, 0.0), atol=1e-8
        )
        np.testing.assert_array_equal(before, mix.astype(np.float32))


class MonoProxyTest(unittest.TestCase):
    def test_reads_back_a_quarter_of_the_rate(self):
        signal = stereo(talk(3, [(1, 2)])).astype(np.float32)
        with MonoProxy(RATE) as proxy:
            proxy.feed(signal[: RATE * 2])
            proxy.feed(signal[RATE * 2 :])
            self.assertEqual(proxy.rate_hz, HZ)
            whole = proxy.read(0, 10)
            self.assertEqual(len(whole), 3 * HZ)
            np.testing.assert_allclose(proxy.read(1.0, 1.0), whole[HZ : 2 * HZ])
            self.assertEqual(len(proxy.read(5.0, 1.0)), 0)
        self.assertAlmostEqual(levels_of(whole, rate=HZ).samples, 36000)
