"""Audibility against ANSI S3.5-1997 and facts of the trade.

Weights and band formula from memory of the document; the facts are common practice, no source.
"""

import unittest

import numpy as np
from pystoi import stoi
from scipy.stats import spearmanr

from mezzavoce_core.judge.judging import judge
from mezzavoce_core.judge.spec import DEFAULT
from mezzavoce_core.measure.audibility import (
    USUAL_BRIGHTNESS_DB,
    WEIGHTS,
    audibility,
    band_audibility,
    brightness_db,
    levels_db,
)
from mezzavoce_core.measure.balance import Balance, audible_series, passage
from mezzavoce_core.signal.bands import CENTRES_HZ
from tests.signals import RATE, noise, talk, three_stems

SPEECH_DB = np.array(
    [-32, -31, -30, -29, -28, -28, -29, -31, -33, -35, -37, -39, -41, -43, -45, -48, -51, -54], dtype=float
)
MUSIC_DB = np.array(
    [-36, -36, -36, -37, -37, -38, -38, -39, -40, -41, -42, -43, -45, -47, -49, -52, -55, -58], dtype=float
)


class FormulaTest(unittest.TestCase):
    def test_weights(self):
        self.assertEqual(len(WEIGHTS), len(CENTRES_HZ))
        self.assertAlmostEqual(WEIGHTS.sum(), 1.0, places=4)
        # Most of it is carried from 1 to 4 kHz.
        middle = [k for k, hz in enumerate(CENTRES_HZ) if 1000 <= hz <= 4000]
        self.assertGreater(WEIGHTS[middle].sum(), 0.55)

    def test_worked_by_hand(self):
        for over_db, heard in ((20, 1.0), (15, 1.0), (9, 0.8), (0, 0.5), (-7.5, 0.25), (-15, 0.0), (-40, 0.0)):
            self.assertAlmostEqual(float(band_audibility(np.array(over_db), np.array(0.0))), heard)
            self.assertAlmostEqual(float(audibility(np.full(18, over_db), np.zeros(18))), heard, places=4)
        # One band alone, at 1 kHz, out of sight: its weight is gone.
        covered = np.full(18, 20.0)
        covered[CENTRES_HZ.index(1000)] = -20
        self.assertAlmostEqual(float(audibility(covered, np.zeros(18))), 1 - 0.0818, places=3)

    def test_brightness_of_the_standard_speech_spectrum(self):
        """Normal effort, spectrum levels of ANSI S3.5-1997 (from memory), each over the width of its band."""
        spectrum = np.array(
            [
                32.41,
                34.48,
                34.75,
                33.98,
                34.59,
                34.27,
                32.06,
                28.30,
                25.01,
                23.00,
                20.15,
                17.32,
                13.18,
                11.55,
                9.33,
                5.31,
                2.59,
                1.13,
            ]
        ) + 10 * np.log10(0.2316 * np.array(CENTRES_HZ))
        self.assertAlmostEqual(brightness_db(spectrum), USUAL_BRIGHTNESS_DB, delta=0.5)
        self.assertAlmostEqual(brightness_db(spectrum - 30), brightness_db(spectrum), delta=0.01)
        duller = spectrum - 10 * (np.array(CENTRES_HZ) >= 2000)
        self.assertAlmostEqual(brightness_db(duller), brightness_db(spectrum) - 10, delta=0.3)

    def test_silence_has_a_level(self):
        np.testing.assert_allclose(levels_db(np.array([0.0, 1.0])), [-120, 0])


class TradeTest(unittest.TestCase):
    def test_cuts_from_500_hz_to_4_khz_do_more_than_the_same_change_of_level(self):
        before = audibility(SPEECH_DB, MUSIC_DB)
        energy = 10 ** (MUSIC_DB / 10)
        carved = MUSIC_DB - np.where([500 <= hz <= 4000 for hz in CENTRES_HZ], 6.0, 0.0)
        same_db = 10 * np.log10(energy.sum() / (10 ** (carved / 10)).sum())
        self.assertGreater(
            audibility(SPEECH_DB, carved) - before, 1.3 * (audibility(SPEECH_DB, MUSIC_DB - same_db) - before)
        )

    def test_more_music_never_helps(self):
        heard = [audibility(SPEECH_DB, MUSIC_DB + up) for up in range(-20, 30, 2)]
        self.assertEqual(heard, sorted(heard, reverse=True))


class PassageTest(unittest.TestCase):
    def balance(self, speech_db=SPEECH_DB, music_db=MUSIC_DB):
        ticks = np.full(100, 1e-3)
        bands = {name: np.tile(10 ** (db / 10), (10, 1)) for name, db in (("voice", speech_db), ("music", music_db))}
        return Balance(
            ticks, ticks / 10, None, ticks / 10, np.ones(100, dtype=bool), bands["voice"], {"music": bands["music"]}
        )

    def test_bands_of_a_passage(self):
        found = passage(self.balance(), 0.0, 1.0)
        self.assertAlmostEqual(found.audibility, float(audibility(SPEECH_DB, MUSIC_DB)), places=6)
        self.assertEqual([b.centre_hz for b in found.bands], list(CENTRES_HZ))
        np.testing.assert_allclose([b.speech_db - b.background_db for b in found.bands], SPEECH_DB - MUSIC_DB)
        loud = MUSIC_DB.copy()
        loud[CENTRES_HZ.index(2000)] = -20
        self.assertEqual(passage(self.balance(music_db=loud), 0.0, 1.0).weakest_band_hz, 2000)

    def test_from_moment_to_moment(self):
        np.testing.assert_allclose(audible_series(self.balance()), float(audibility(SPEECH_DB, MUSIC_DB)))

    def test_without_bands_there_is_none(self):
        bare = Balance(np.full(100, 1e-3), None, None, None, np.ones(100, dtype=bool))
        self.assertIsNone(passage(bare, 0.0, 1.0).audibility)
        self.assertTrue(np.isnan(audible_series(bare)).all())


class AgainstALibraryTest(unittest.TestCase):
    def test_passages_are_ranked_as_short_time_objective_intelligibility_ranks_them(self):
        """Reference: the package ``pystoi`` (Taal et al.

        2011), over the same sound: maskers with energy in all bands, as music has, from drowned to clear.

        Maskers of a single band are ranked otherwise, since it weighs all its bands alike. Real voices and music:
        ``docs/evaluation.md``.
        """
        pairs = []
        for seed, tilt in enumerate((0.0, -0.5, -1.0, 0.3)):
            voice = talk(4, [(0.2, 3.8)], -23, seed=seed + 3)
            spectrum = np.fft.rfft(noise(4, 0, seed=seed))
            hz = np.maximum(np.fft.rfftfreq(4 * RATE, 1 / RATE), 50.0)
            masker = np.fft.irfft(spectrum * (hz / 1000) ** tilt * (hz < 9000), 4 * RATE)
            for level in range(-45, -8, 6):
                music = masker / np.std(masker) * 10 ** (level / 20)
                (passage,) = judge(three_stems(voice, music), DEFAULT).context.passages
                pairs.append((passage.audibility, stoi(voice, voice + music, RATE)))
        self.assertGreaterEqual(spearmanr(*zip(*pairs, strict=True)).statistic, 0.9)
