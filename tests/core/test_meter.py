"""The meter against published signals.

Sources: EBU Tech 3341 (minimum-requirement signals 1 to 6, 9, 12 and 15 to 19), EBU Tech 3342 (signals 1 to 4),
ITU-R BS.1770-5 (997 Hz at full scale reads -3.01 LKFS; coefficients at 48 kHz). All values from memory.
"""

import threading
import unittest
from concurrent.futures import ThreadPoolExecutor
from itertools import pairwise

import numpy as np
import scipy.signal

from mezzavoce_core.measure import loudness as loud
from mezzavoce_core.measure.meter import Meter, share
from mezzavoce_core.media.layouts import channel_weights
from mezzavoce_core.signal import filters, kernels, vector_filter, weighting
from mezzavoce_core.units import amplitude_to_db, power_to_lufs
from tests.signals import RATE, levels_of, noise, sine, steps, stereo


def figures(signal, layout="stereo", rate=RATE):
    levels = levels_of(signal, rate=rate, between_samples=False)
    return loud.loudness(loud.programme_power(levels, channel_weights(layout, levels.power.shape[1])))


class Tech3341Test(unittest.TestCase):
    def integrated(self, parts, rate=RATE):
        return figures(stereo(steps(parts, rate=rate)), rate=rate).integrated_lufs

    def test_signals_1_and_2(self):
        for rate in (44100, 48000):
            for level in (-23.0, -33.0):
                found = figures(stereo(sine(level, 20, rate=rate)), rate=rate)
                for value in (found.integrated_lufs, found.momentary_max_lufs, found.short_term_max_lufs):
                    self.assertAlmostEqual(value, level, delta=0.1)

    def test_signals_3_4_and_5(self):
        signals = {
            3: [(-36, 10), (-23, 60), (-36, 10)],
            4: [(-72, 10), (-36, 10), (-23, 60), (-36, 10), (-72, 10)],
            5: [(-26, 20), (-20, 20.1), (-26, 20)],
        }
        for number, parts in signals.items():
            with self.subTest(signal=number):
                self.assertAlmostEqual(self.integrated(parts), -23.0, delta=0.1)
                self.assertAlmostEqual(self.integrated(parts, rate=44100), -23.0, delta=0.1)

    def test_signal_6_surround(self):
        left, centre, side = sine(-28, 20), sine(-24, 20), sine(-30, 20)
        mix = np.stack([left, left, centre, np.zeros_like(left), side, side], axis=1)
        self.assertAlmostEqual(figures(mix, "5.1(side)").integrated_lufs, -23.0, delta=0.1)
        self.assertAlmostEqual(figures(mix, "5.1").integrated_lufs, -23.0, delta=0.1)

    def test_signal_9_short_term_stands_still(self):
        power = programme(stereo(steps([(-20, 1.34), (-30, 1.66)] * 5)))
        level = power_to_lufs(loud.moving_mean(power, loud.SHORT_TERM_TICKS)[310:])
        self.assertLess(np.abs(level + 23.0).max(), 0.1)

    def test_signal_12_momentary_stands_still(self):
        power = programme(stereo(steps([(-20, 0.18), (-30, 0.22)] * 25)))
        level = power_to_lufs(loud.moving_mean(power, loud.MOMENTARY_TICKS)[100:])
        self.assertLess(np.abs(level + 23.0).max(), 0.1)

    def test_signal_13_momentary_maximum_at_any_offset(self):
        for i in (0, 3, 7, 13, 19):
            signal = np.concatenate([np.zeros(round(i * 0.02 * RATE)), sine(-23, 0.4), np.zeros(RATE)])
            self.assertAlmostEqual(figures(stereo(signal)).momentary_max_lufs, -23.0, delta=0.1)

    def test_signals_15_to_19_true_peak(self):
        cases = {
            15: (4, 0.0, 0.50, -6.0),
            16: (4, 45.0, 0.50, -6.0),
            17: (6, 60.0, 0.50, -6.0),
            18: (8, 67.5, 0.50, -6.0),
            19: (4, 45.0, 1.41, 3.0),
        }
        for number, (divisor, degrees, amplitude, wanted) in cases.items():
            n = np.arange(RATE * 2)
            # Faded in and out: the published signals begin gently, and a hard edge rings by itself.
            signal = (
                amplitude
                * np.sin(2 * np.pi * n / divisor + np.radians(degrees))
                * np.minimum(1, np.minimum(n, n[::-1]) / 4800)
            )
            found = float(amplitude_to_db(levels_of(signal).true_peak.max()))
            with self.subTest(signal=number):
                self.assertLessEqual(found, wanted + 0.2)
                self.assertGreaterEqual(found, wanted - 0.4)


class Tech3342Test(unittest.TestCase):
    def test_signals_1_to_4(self):
        signals = {
            10: [(-20, 20), (-30, 20)],
            5: [(-20, 20), (-15, 20)],
            20: [(-40, 20), (-20, 20)],
            15: [(-50, 20), (-35, 20), (-20, 20), (-35, 20), (-50, 20)],
        }
        for wanted, parts in signals.items():
            with self.subTest(wanted=wanted):
                self.assertAlmostEqual(figures(stereo(steps(parts))).range_lu, wanted, delta=1.0)

    def test_too_short_for_a_range(self):
        self.assertIsNone(figures(stereo(sine(-23, 2))).range_lu)


class Bs1770Test(unittest.TestCase):
    def test_full_scale_sine_in_one_channel(self):
        for rate in (32000, 44100, 48000, 96000):
            power = levels_of(sine(0, 3, hz=997, rate=rate), rate=rate).power[100:, 0].mean()
            self.assertAlmostEqual(float(power_to_lufs(power)), -3.01, delta=0.02)

    def test_published_coefficients(self):
        shelf, high_pass = filters.k_weighting(48000)
        np.testing.assert_allclose(
            shelf,
            [1.53512485958697, -2.69169618940638, 1.19839281085285, -1.69065929318241, 0.73248077421585],
            atol=1e-8,
        )
        np.testing.assert_allclose(high_pass, [1, -2, 1, -1.99004745483398, 0.99007225036621], atol=1e-8)

    def test_rates_weigh_alike(self):
        def response(rate, hz):
            z = np.exp(-2j * np.pi * hz / rate)
            return np.prod(
                [
                    (b0 + b1 * z + b2 * z * z) / (1 + a1 * z + a2 * z * z)
                    for b0, b1, b2, a1, a2 in filters.k_weighting(rate)
                ]
            )

        for rate in (44100, 96000, 192000):
            for hz in (50, 100, 1000, 5000):
                self.assertAlmostEqual(20 * np.log10(abs(response(rate, hz)) / abs(response(48000, hz))), 0, delta=0.06)
        for rate in (8000, 11025, 16000, 22050):
            for hz in (50, 100, 500, 1000, 2000, 3000):
                self.assertAlmostEqual(
                    20 * np.log10(abs(response(rate, hz)) / abs(response(48000, hz))), 0, delta=0.12, msg=(rate, hz)
                )


class TruePeakTest(unittest.TestCase):
    def test_closed_form_between_samples(self):
        n = np.arange(RATE)
        levels = levels_of(0.5 * np.sin(np.pi / 2 * n + np.pi / 4))
        self.assertAlmostEqual(float(amplitude_to_db(levels.true_peak[20:-20].max())), -6.0206, delta=0.01)
        self.assertAlmostEqual(float(amplitude_to_db(levels.sample_peak.max())), -9.031, delta=0.01)

    def test_a_lone_click_is_seen_wherever_it_stands(self):
        for place in (0, 1, 15, 16, 17, 4799, 4800, RATE - 1):
            signal = np.zeros(RATE)
            signal[place] = 0.5
            levels = levels_of(signal)
            self.assertGreaterEqual(levels.true_peak.max(), 0.5)
            self.assertEqual(int(levels.sample_peak[:, 0].argmax()), place // 480)

    def test_without_the_wave_between_samples_it_is_the_sample_peak(self):
        levels = levels_of(noise(1, -20), between_samples=False)
        np.testing.assert_array_equal(levels.true_peak, levels.sample_peak)

    def test_interpolator_keeps_direct_current(self):
        np.testing.assert_allclose(filters.interpolator().sum(axis=1), 1.0, atol=2e-3)


class BlocksTest(unittest.TestCase):
    def test_result_does_not_depend_on_the_block_size(self):
        for rate in (22050, 44100, 48000):
            signal = np.stack([noise(9.7, -20, seed=1, rate=rate), noise(9.7, -30, seed=2, rate=rate)], axis=1)
            reference = levels_of(signal, rate=rate, block_s=100)
            for block_s in (1, 3, 4):
                found = levels_of(signal, rate=rate, block_s=block_s)
                np.testing.assert_allclose(found.power, reference.power, rtol=1e-6)
                np.testing.assert_allclose(found.true_peak, reference.true_peak, rtol=1e-6)
                np.testing.assert_array_equal(found.sample_peak, reference.sample_peak)

    def test_counts(self):
        levels = levels_of(noise(1.234, -20))
        self.assertEqual(levels.power.shape, (123, 1))
        self.assertEqual(levels.true_peak.shape, (124, 1))
        self.assertEqual(levels.samples, round(1.234 * RATE))

    def test_nothing_fed(self):
        levels = Meter(RATE, 2).finish()
        self.assertEqual(levels.power.shape, (0, 2))
        self.assertEqual(levels.samples, 0)

    def test_seconds_fed(self):
        meter = Meter(RATE, 1)
        meter.feed(np.zeros((RATE * 2, 1), dtype=np.float32))
        self.assertEqual(meter.seconds, 2.0)


class ShareTest(unittest.TestCase):
    """Work that two do together."""

    def done_by(self, helper):
        done = []

        def work(name):
            return lambda: done.append((name, threading.current_thread().name))

        share([work("own")], [work("long"), work("short")], helper)
        return dict(done)

    def test_alone_one_does_it_all(self):
        self.assertEqual(list(self.done_by(None)), ["own", "long", "short"])

    def test_what_a_busy_helper_has_not_begun_is_taken_back(self):
        here, free = threading.current_thread().name, threading.Event()
        with ThreadPoolExecutor(1) as helper:
            helper.submit(free.wait)
            self.assertEqual(self.done_by(helper), {"own": here, "long": here, "short": here})
            free.set()

    def test_a_fault_of_the_helper_is_heard(self):
        begun = threading.Event()

        def fail():
            begun.set()
            raise ValueError

        with ThreadPoolExecutor(1) as helper, self.assertRaises(ValueError):
            share([begun.wait], [fail], helper)


class WeightingTest(unittest.TestCase):
    """Energy behind the filters of K-weighting."""

    def energy(self, x, y, edges, *, state=None, rate=RATE, stretch=0):
        out, state = np.empty((len(edges) - 1, 3), dtype=np.float32), np.zeros((2, 2, 3)) if state is None else state
        factors, room = (
            filters.recursion(filters.k_weighting(rate)),
            (np.empty(vector_filter.TABLE), np.empty(vector_filter.STRETCHES, dtype=np.int64)),
        )
        weighting.filter_energy_pair(x, y, factors, state, np.asarray(edges), stretch, round(0.15 * rate), out, *room)
        return out, state

    def wanted(self, x, y, edges, rate=RATE):
        """scipy.signal.sosfilt with the same sections."""
        sos = np.array([[*s[:3], 1.0, *s[3:]] for s in filters.k_weighting(rate)])
        a, b = (scipy.signal.sosfilt(sos, signal.astype(np.float64)) for signal in (x, y))
        return np.array([[np.mean(p[i:j]) for p in (a * a, b * b, a * b)] for i, j in pairwise(edges)])

    def pair(self, seconds, rate=RATE):
        return (noise(seconds, level, seed=-level, rate=rate).astype(np.float32) for level in (-20, -30))

    def test_against_a_general_library(self):
        x, y = self.pair(0.5, 44100)
        edges = np.arange(0, len(x) + 1, 441)
        found, _ = self.energy(x, y, edges, rate=44100)
        np.testing.assert_allclose(found, self.wanted(x, y, edges, 44100), rtol=1e-5, atol=1e-9)

    def test_stretches_side_by_side_against_a_general_library(self):
        for rate in (44100, 48000):
            x, y = self.pair(1.93, rate)
            # Loud before a stretch begins, so that what is left of it would be seen.
            x[: round(0.6 * rate)] *= 30
            edges = np.arange(0, len(x) + 1, rate // 100)
            for stretch in (31, 40, 48):
                found, state = self.energy(x, y, edges, rate=rate, stretch=stretch)
                np.testing.assert_allclose(found, self.wanted(x, y, edges, rate), rtol=1e-5, atol=1e-9)
                _, one_by_one = self.energy(x, y, edges, rate=rate)
                np.testing.assert_allclose(state, one_by_one, rtol=1e-6, atol=1e-12)

    def test_ticks_of_any_length_side_by_side(self):
        x, y = self.pair(2.4)
        pattern = np.cumsum([0, 1, 8, 9, 16, 63, 481, 7200, 3000])
        edges = np.concatenate([pattern, *(pattern[1:] + k * pattern[-1] for k in (1, 2, 3))])
        found, _ = self.energy(x, y, edges, stretch=8)
        np.testing.assert_allclose(found, self.wanted(x, y, edges), rtol=1e-5, atol=1e-9)

    def test_in_any_portions(self):
        x, y = self.pair(0.1)
        edges = np.array([0, 1, 3, 4, 480, 481, 486, 900, len(x)])
        whole, state = self.energy(x, y, edges)
        own = np.zeros((2, 2, 3))
        for k, (a, b) in enumerate(pairwise(edges)):
            part, own = self.energy(x[a:b], y[a:b], [0, b - a], state=own)
            np.testing.assert_array_equal(part[0], whole[k])
        np.testing.assert_array_equal(own, state)

    def test_opposite_channels_have_opposite_products(self):
        x, _ = self.pair(0.5)
        found, _ = self.energy(x, -x, np.arange(0, len(x) + 1, 480))
        np.testing.assert_allclose(found[:, 2], -found[:, 0], rtol=1e-6)

    def test_silence_leaves_nothing_behind(self):
        x = np.concatenate([noise(0.1, -20), np.zeros(4 * RATE)]).astype(np.float32)
        edges = np.arange(0, len(x) + 1, 480)
        for stretch in (0, 100):
            found, state = self.energy(x, x, edges, stretch=stretch)
            self.assertEqual(float(np.abs(state).max()), 0.0)
            self.assertEqual(float(found[-1].max()), 0.0)


class KernelTest(unittest.TestCase):
    def test_peaks_against_a_slow_reference(self):
        x = noise(0.05, -10).astype(np.float32)
        taps = filters.interpolator()
        count = len(x) - taps.shape[1] + 1
        sample = float(np.abs(x[15 : 15 + count]).max())
        out, at = np.array([sample], dtype=np.float32), np.zeros(1, dtype=np.uint16)
        kernels.true_peaks(
            x,
            taps,
            filters.interpolator_bounds(taps),
            np.array([0, count]),
            out.copy(),
            0.0,
            -1.0,
            out,
            at,
            np.empty((3, 480), dtype=np.float32),
        )
        curves = [np.abs(np.convolve(x, row[::-1], mode="valid")) for row in taps]
        slow = max(c.max() for c in curves)
        self.assertAlmostEqual(float(out[0]), max(slow, sample), places=5)
        self.assertEqual(int(at[0]), int(max(curves, key=np.max).argmax()))

    def test_what_is_left_out_never_holds_the_highest_peak(self):
        """Random material of every shape, hostile bursts among it.

        With a floor the highest and all above the floor are the same.
        """
        rng = np.random.default_rng(5)
        for trial in range(60):
            x = rng.standard_normal(RATE) * 10 ** (rng.uniform(-40, 0, RATE // 480).repeat(480) / 20) * 0.3
            for place in rng.integers(100, RATE - 100, 5):
                x[place : place + 24] = rng.choice([-1, 1], 24) * rng.uniform(0.05, 0.5)
            floor = (0.0, 0.2, 0.5)[trial % 3]
            exact, quick = levels_of(x), levels_of(x, floor=floor)
            self.assertEqual(exact.true_peak.max(), quick.true_peak.max())
            over = exact.true_peak > max(floor, 1e-6) if floor else exact.true_peak >= exact.true_peak.max()
            np.testing.assert_array_equal(exact.true_peak[over], quick.true_peak[over])
            np.testing.assert_array_equal(exact.true_peak_at[over], quick.true_peak_at[over])


class LoudnessToolsTest(unittest.TestCase):
    def test_moving_mean_has_no_value_before_its_first_full_window(self):
        mean = loud.moving_mean(np.ones(50), 40)
        self.assertTrue(np.isnan(mean[:39]).all())
        np.testing.assert_allclose(mean[39:], 1.0)
        self.assertTrue(np.isnan(loud.moving_mean(np.ones(5), 40)).all())

    def test_blocks(self):
        np.testing.assert_allclose(loud.block_mean(np.arange(25.0)), [4.5, 14.5])
        np.testing.assert_allclose(loud.at_blocks(np.arange(25.0)), [9, 19])

    def test_silence_has_no_loudness(self):
        found = loud.loudness(np.zeros(1000))
        self.assertEqual(
            (found.integrated_lufs, found.range_lu, found.momentary_max_lufs, found.short_term_max_lufs), (None,) * 4
        )
        self.assertIsNone(loud.mean_lufs(np.zeros(3)))
        self.assertIsNone(loud.mean_lufs(np.zeros(0)))

    def test_dual_mono_is_three_louder(self):
        levels = levels_of(sine(-20, 5))
        one = loud.integrated(loud.programme_power(levels, np.ones(1)))
        two = loud.integrated(loud.programme_power(levels, np.ones(1), gain=2.0))
        self.assertAlmostEqual(two - one, 3.01, delta=0.01)


def programme(signal):
    return loud.programme_power(levels_of(signal, between_samples=False), np.ones(signal.shape[1]))
