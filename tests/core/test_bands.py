"""The 18 one-third-octave bands: levels, edges, rates, portions."""

import unittest
from unittest import mock

import numpy as np
from scipy import signal as reference

from mezzavoce_core.signal.bands import CENTRES_HZ, Bands
from mezzavoce_core.units import power_to_db

EXACT_HZ = 1000 * 2.0 ** (np.arange(-8, 10) / 3)


def banded(x, rate_hz, portions=None):
    bands = Bands(rate_hz, len(x))
    for part in np.split(x, np.cumsum(portions), axis=1) if portions is not None else [x]:
        bands.feed(part)
    return bands.finish()


def tone(hz, rate_hz, seconds=2.0):
    return np.sin(2 * np.pi * hz * np.arange(round(seconds * rate_hz)) / rate_hz).astype(np.float32)[None]


class BandsTest(unittest.TestCase):
    def test_a_tone_stands_in_its_band_at_every_rate(self):
        for rate_hz in (8000, 22050, 32000, 44100, 48000, 88200, 96000, 192000):
            for band, hz in enumerate(EXACT_HZ):
                if hz * 2 ** (1 / 6) > rate_hz / 2:
                    continue
                found = power_to_db(banded(tone(hz, rate_hz), rate_hz)[3:-3].mean(axis=0))
                with self.subTest(rate_hz=rate_hz, hz=CENTRES_HZ[band]):
                    self.assertEqual(int(np.argmax(found)), band)
                    self.assertAlmostEqual(found[band], -3.01, delta=0.35)
                    if band >= 2:
                        self.assertLess(max(found[: band - 1], default=-99), -20)

    def test_nothing_folds_down(self):
        for rate_hz in (44100, 48000, 96000):
            for hz in (13200, 15100, 16500, 19000):
                found = power_to_db(banded(tone(hz, rate_hz), rate_hz)[3:-3].mean(axis=0) + 1e-20)
                self.assertLess(found.max(), -3 - 45, (rate_hz, hz))

    def test_white_noise_against_band_passes_of_a_general_library(self):
        rate_hz = 48000
        noise = np.random.default_rng(5).standard_normal((1, 40 * rate_hz)).astype(np.float32)
        found = power_to_db(banded(noise, rate_hz)[2:-2].mean(axis=0))
        for band, hz in enumerate(EXACT_HZ):
            edges = [hz * 2 ** (-1 / 6), hz * 2 ** (1 / 6)]
            passed = reference.sosfilt(
                reference.butter(6, edges, "bandpass", fs=rate_hz, output="sos"), noise[0].astype(np.float64)
            )
            self.assertAlmostEqual(found[band], power_to_db(np.mean(passed**2)), delta=0.35, msg=f"{hz:.0f} Hz")

    def test_energy_is_neither_lost_nor_counted_twice_between_blocks(self):
        rate_hz = 48000
        for at in (4800 * 7, 4800 * 7 - 100, 4800 * 7 + 150, 4800 * 7 + 2400):
            click = np.zeros((1, rate_hz), dtype=np.float32)
            click[0, at : at + 2] = 1.0, -0.5
            if at == 4800 * 7:
                first = banded(click, rate_hz).sum(axis=0)
            np.testing.assert_allclose(banded(click, rate_hz).sum(axis=0), first, rtol=0.02)

    def test_portions_leave_no_trace(self):
        x = np.random.default_rng(3).standard_normal((2, 100001)).astype(np.float32)
        for rate_hz in (44100, 48000, 96000):
            whole = banded(x, rate_hz)
            for portions in ([7] * 9000, [1, 2, 3, 38, 39, 40, 41] * 9, [48000, 1], [24001, 30000]):
                np.testing.assert_array_equal(banded(x, rate_hz, portions), whole)

    def test_channels_alike_give_the_same_as_when_both_are_looked_at(self):
        dice = np.random.default_rng(4)
        voice = dice.standard_normal(150000).astype(np.float32)
        voice[40000:90000] = 0
        beside = np.where(np.arange(len(voice)) < 100001, voice, dice.standard_normal(len(voice))).astype(np.float32)
        for x in (np.stack([voice, voice]), np.stack([voice, beside]), np.stack([beside, voice])):
            with mock.patch("mezzavoce_core.signal.bands._alike", return_value=False):
                both = banded(x, 48000)
            for portions in (None, [50000, 50001], [7] * 2000):
                np.testing.assert_array_equal(banded(x, 48000, portions), both)

    def test_silence_is_silent_and_what_is_round_it_stays(self):
        x = np.random.default_rng(6).standard_normal((2, 96000)).astype(np.float32)
        gap = x.copy()
        gap[:, 24000:72000] = 0
        found, whole = banded(gap, 48000), banded(x, 48000)
        self.assertEqual(found[6:14].max(), 0)
        np.testing.assert_array_equal(found[[*range(4), *range(16, 20)]], whole[[*range(4), *range(16, 20)]])

    def test_channels_add_up_and_counts(self):
        x = np.random.default_rng(3).standard_normal((2, 48000)).astype(np.float32)
        apart = banded(x[:1], 48000) + banded(x[1:], 48000)
        np.testing.assert_allclose(banded(x, 48000), apart, rtol=1e-4)
        self.assertEqual(len(banded(x[:, :47999], 48000)), 9)
        self.assertEqual(banded(np.zeros((1, 10), dtype=np.float32), 48000).shape, (0, 18))
