"""Cuts by band: the filter against its definition, and that a proposed cut does to the audibility what it says."""

import unittest
from dataclasses import replace

import numpy as np
from scipy.signal import butter, freqz, sosfilt

from mezzavoce_core.judge.judging import judge
from mezzavoce_core.judge.model import SHOULD
from mezzavoce_core.judge.remedies.band_cut_search import DONE, IN_VAIN, deepen
from mezzavoce_core.judge.spec import Limits, Spec
from mezzavoce_core.measure.audibility import audibility
from mezzavoce_core.signal.peaking import PeakingFilter, k_response, power_response
from tests.signals import RATE, automated, noise, talk, three_stems

SPEC = Spec(
    "level not judged",
    Limits(
        integrated_lufs=None,
        section_jump_lu=None,
        clearance_lu=5.0,
        clearance_must_lu=None,
        first_word_lu=None,
        audibility_min=0.9,
    ),
)
SPANS = ((6.0, 12.0), (18.0, 24.0))


def band_noise(seconds, low, high, level):
    raw = noise(seconds, 0, seed=9)
    spectrum = np.fft.rfft(raw)
    hz = np.fft.rfftfreq(len(raw), 1 / RATE)
    part = np.fft.irfft(spectrum * ((hz > low) & (hz < high)), len(raw))
    return part / np.std(part) * 10 ** (level / 20)


class BellTest(unittest.TestCase):
    def test_gain_at_its_centre_and_half_of_it_half_its_width_away(self):
        response = 10 * np.log10(
            power_response([PeakingFilter(1000, 1.0, -8)], np.array([1000 / 2**0.5, 1000, 1000 * 2**0.5, 60]))
        )
        np.testing.assert_allclose(response, [-4, -8, -4, 0], atol=0.05)

    def test_against_a_reference_library(self):
        section = PeakingFilter(2500, 0.7, -6).section(RATE)
        hz = np.array([300.0, 1800, 2500, 7000])
        _, wanted = freqz(section[:3], section[3:], worN=hz, fs=RATE)
        np.testing.assert_allclose(power_response([PeakingFilter(2500, 0.7, -6)], hz), np.abs(wanted) ** 2, rtol=1e-9)

    def test_beyond_half_the_rate_it_does_nothing(self):
        np.testing.assert_array_equal(PeakingFilter(8000, 1, -6).section(16000), [1, 0, 0, 1, 0, 0])

    def test_k_weighting_at_1_khz_is_0_691_db(self):
        self.assertAlmostEqual(10 * np.log10(k_response(np.array([997.0]))[0]), 0.691, delta=0.01)


class DeepenTest(unittest.TestCase):
    """The compiled search against the same rule written down plainly, on small made-up ground."""

    def setUp(self):
        dice = np.random.default_rng(4)
        self.energies = np.stack(
            [dice.uniform(-60, -40, 18), 10 ** dice.uniform(-6, -4, 18), 10 ** dice.uniform(-9, -7, 18)]
        )
        self.weights = np.stack([audibility(np.eye(18) * 99, np.full((18, 18), 50.0)), dice.uniform(0.5, 2, 18)])
        reach = np.abs(np.arange(18)[:, None] - np.arange(18))
        # A filter takes a decibel where it stands, half of one beside it.
        self.changes = 10 ** (-0.1 * np.clip(1 - reach / 2, 0, 1))[:, None, :, None] * np.ones((18, 12, 18, 1))

    def deepen(self, audible, gone=-np.inf, most=3):
        depths = np.zeros(18, dtype=np.int64)
        wanted, costs, rules = (
            np.array([audible, gone]),
            np.array([0.01, self.energies[1].sum()]),
            np.array([most, 3, 12]),
        )
        return deepen(
            self.energies, self.weights, self.changes, wanted, costs, rules, depths, np.empty((3, 18))
        ), depths

    def heard(self, depths):
        factor = np.prod(self.changes[:, 0, :, 0] ** depths[:, None], axis=0)
        return float(audibility(self.energies[0], 10 * np.log10(self.energies[2] + self.energies[1] * factor)))

    def test_it_stops_as_soon_as_enough_is_heard(self):
        now = self.heard(np.zeros(18))
        code, depths = self.deepen(now + 0.05)
        self.assertEqual(code, DONE)
        self.assertGreaterEqual(self.heard(depths), now + 0.05 - 1e-9)
        self.assertLess(self.heard(depths) - now, 0.05 + 0.01, depths)

    def test_the_first_step_gains_most_for_what_it_takes(self):
        now, power = self.heard(np.zeros(18)), self.energies[1].sum()
        _, depths = self.deepen(now + 1e-6)
        gains = []
        for band in range(18):
            one = np.eye(18)[band]
            factor = self.changes[band, 0, :, 0]
            taken = (self.energies[1] * (1 - factor)) @ self.weights[1]
            gains.append((self.heard(one) - now) / (taken / power + 0.01))
        self.assertEqual(depths.tolist(), np.eye(18, dtype=int)[int(np.argmax(gains))].tolist())

    def test_rules_are_kept_and_what_cannot_be_reached_is_said(self):
        code, depths = self.deepen(1.1)
        self.assertEqual(code, IN_VAIN)
        where = np.flatnonzero(depths)
        self.assertEqual((len(where), depths.max()), (3, 12))
        self.assertGreaterEqual(np.diff(where).min(), 3)

    def test_power_has_to_go_as_well(self):
        code, depths = self.deepen(0.0, gone=0.1 * float((self.energies[1] * self.weights[1]).sum()))
        self.assertEqual(code, DONE)
        self.assertGreater(depths.sum(), 0)


class CarveTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.voice = talk(30, SPANS, -23)
        # Energy where the words are told apart, and a bass that carries the loudness.
        cls.music = band_noise(30, 900, 2600, -31)
        cls.before = judge(three_stems(cls.voice, cls.music), SPEC)

    def carried_out(self, music, cuts):
        music = music.copy()
        for cut in cuts:
            times = [p.at_s for p in cut.points]
            wet = np.interp(np.arange(len(music)) / RATE, [times[0], times[1], times[-2], times[-1]], [0, 1, 1, 0])
            music += (sosfilt([b.section(RATE) for b in cut.bands], music) - music) * wet
        return music

    def test_covered_bands_are_found_where_the_level_is_right(self):
        self.assertEqual(
            {(f.kind, f.severity, f.unit) for f in self.before.findings}, {("masked-speech", SHOULD, "of 1")}
        )
        self.assertEqual({f.remedy.action for f in self.before.findings}, {"carve"})
        self.assertEqual({a.action for f in self.before.findings for a in f.alternatives}, {"lower", "raise"})

    def test_it_is_said_when_the_voice_itself_is_dull(self):
        for finding in self.before.findings:
            self.assertIn("cuts by band help more", finding.message)
        dull = 2.5 * sosfilt(butter(4, 900, output="sos", fs=RATE), self.voice)
        messages = [f.message for f in judge(three_stems(dull, self.music), SPEC).findings if f.kind == "masked-speech"]
        self.assertTrue(messages)
        for message in messages:
            self.assertRegex(
                message,
                r"The voice itself is dull: 2 to 4 kHz stand [23]\d dB under its whole, "
                r"where 15 dB are usual. Brighten it first",
            )

    def test_it_cuts_where_the_music_is(self):
        for finding in self.before.findings:
            for cut in finding.remedy.bands:
                self.assertTrue(800 <= cut.centre_hz <= 3150, cut)
                self.assertTrue(-12 <= cut.gain_db <= -2, cut)

    def test_the_prediction_holds_when_it_is_carried_out(self):
        after = judge(
            three_stems(self.voice, self.carried_out(self.music, [f.remedy for f in self.before.findings])), SPEC
        )
        self.assertEqual([f.message for f in after.findings], [])
        for finding, passage in zip(self.before.findings, after.context.passages, strict=True):
            self.assertAlmostEqual(finding.remedy.then.audibility, passage.audibility, delta=0.02)
            ratios = after.context.local_ratio_lu[round(passage.in_s * 10) + 1 : round(passage.out_s * 10) - 1]
            self.assertAlmostEqual(finding.remedy.then.speech_to_background_lu, float(np.nanmin(ratios)), delta=0.3)

    def test_they_go_as_deep_as_the_thinnest_place_needs(self):
        """On the whole the gap would be wide enough with less: for two seconds the music is 4 dB louder."""
        rises = [(0, 4), (8, 4), (8.2, 8), (10, 8), (10.2, 4)]
        spec = replace(SPEC, limits=replace(SPEC.limits, clearance_lu=8.0, audibility_min=None, clear_share_min=None))
        finding = next(
            f
            for f in judge(three_stems(self.voice, automated(self.music, rises)), spec).findings
            if f.also or f.kind == "masked-speech"
        )
        (cut,) = (r for r in (finding.remedy, *finding.alternatives) if r.action == "carve")
        self.assertTrue(cut.enough)
        self.assertGreaterEqual(cut.then.speech_to_background_lu, 8.0)
        carved = self.carried_out(automated(self.music, rises), [cut])
        after = judge(three_stems(self.voice, carved), spec)
        self.assertEqual([f.kind for f in after.findings if f.overlaps(finding)], [])
        lowest = float(np.nanmin(after.context.local_ratio_lu[61:119]))
        self.assertAlmostEqual(lowest, cut.then.speech_to_background_lu, delta=0.3)
        self.assertAlmostEqual(after.context.loudness.integrated_lufs, cut.then.integrated_lufs, delta=0.1)

    def test_cuts_between_500_hz_and_4_khz_help_more_than_the_same_change_of_level(self):
        """Common practice, no source."""
        broad = band_noise(30, 80, 9000, -30)
        cut = sosfilt([PeakingFilter(1400, 3.0, -6).section(RATE)], broad)
        lost_db = 20 * np.log10(np.std(cut) / np.std(broad))
        by_bands = judge(three_stems(self.voice, cut), SPEC).context.passages[0].audibility
        by_level = judge(three_stems(self.voice, broad * 10 ** (lost_db / 20)), SPEC).context.passages[0].audibility
        self.assertGreater(by_bands, by_level + 0.02)
