"""Checked from outside: the demo's planted faults, and its figures against two independent meters.

References: ffmpeg's ``ebur128`` filter, and the package ``pyloudnorm`` (integrated loudness, mono and stereo).
"""

import json
import os
import re
import subprocess
import tempfile
import unittest
from dataclasses import replace
from functools import cache
from pathlib import Path

import numpy as np
import pyloudnorm

from mezzavoce_core.exchange.captions import read_captions
from mezzavoce_core.judge.judging import judge
from mezzavoce_core.judge.registry import KINDS
from mezzavoce_core.judge.spec import DEFAULT, preset
from mezzavoce_core.measure.programme import whole
from mezzavoce_core.measure.speech import IMPORTANT_EFFECT, Correction
from mezzavoce_core.media import decode
from mezzavoce_core.media.probe import probe
from mezzavoce_core.media.source import Sound, open_sound
from mezzavoce_core.pipeline import Job, Ranges, Stem, measure
from mezzavoce_core.timecode import Clock
from mezzavoce_demo.programmes.scenario import EPISODES, UPCOMING
from mezzavoce_demo.programmes.story import TRACKS
from mezzavoce_demo.studio.render import STEMS, captions_file, mix_file, stem_files
from tests.signals import noise, sine, stereo, write_wav

_CACHE = {}


def measured(number):
    if number not in _CACHE:
        media = Path(os.environ["MEZZAVOCE_TEST_MEDIA"])
        episode = EPISODES[number - 1]
        path = mix_file(media, episode)
        if episode.delivery == TRACKS:
            mixed, *stems = (Sound((path,), role, tracks=(k,)) for k, role in enumerate(("mix", *STEMS), 1))
            stems = list(zip(STEMS, stems, strict=True))
        else:
            mixed = Sound((path,), "mix")
            stems = [(role, Sound((p,), p.name)) for role, p in stem_files(media, episode)] if episode.has_stems else []
        _CACHE[number] = measure(
            Job(mixed, tuple(Stem(s, r) for r, s in stems), rate=episode.frame_rate, start=episode.start)
        )
    return _CACHE[number]


@cache
def judged(number):
    """An episode as the demo's loader has it judged: its own limits, what a person marked, its captions, its range."""
    episode, measurement = EPISODES[number - 1], measured(number)
    spec = preset(episode.spec) if episode.spec else DEFAULT
    spec = replace(spec, limits=replace(spec.limits, **dict(episode.limits)))
    clock = Clock.starting(episode.start, measurement.file.rate)
    marked = [Correction(IMPORTANT_EFFECT, clock.seconds_at(a), clock.seconds_at(b)) for a, b in episode.important]
    captions = captions_file(Path(os.environ["MEZZAVOCE_TEST_MEDIA"]), episode)
    # The two parts of one programme are compared with other meters elsewhere, and as a whole.
    programme = Ranges(timecodes=episode.parts).on(measurement) if len(episode.parts) == 1 else None
    return judge(measurement, spec, marked, programme, read_captions(captions) if captions else ())


def ffmpeg_figures(path):
    done = subprocess.run(
        ["ffmpeg", "-nostats", "-i", str(path), "-af", "ebur128=peak=true", "-f", "null", "-"],
        capture_output=True,
        text=True,
        check=True,
    )
    summary = done.stderr[done.stderr.rindex("Summary:") :]
    return [float(re.search(rf"{name}:\s+(-?[\d.]+)", summary)[1]) for name in ("I", "LRA", "Peak")]


class PlantedFaultsTest(unittest.TestCase):
    def found(self, episode):
        return judged(episode.number).findings

    def test_every_kind_is_planted_somewhere(self):
        self.assertEqual({k.name for k in KINDS} - {p.kind for e in EPISODES for p in e.planted}, set())

    def test_found_is_what_was_planted_and_nothing_else(self):
        for episode in EPISODES:
            found = self.found(episode)
            with self.subTest(episode.title):
                self.assertEqual(sorted(f.kind for f in found), sorted(p.kind for p in episode.planted))
                for planted in episode.planted:
                    near = [
                        f for f in found if f.kind == planted.kind and f.in_s < planted.out_s and planted.in_s < f.out_s
                    ]
                    self.assertTrue(near, planted.words)

    def test_every_message_says_how_far_it_is_and_what_is_wanted(self):
        """Limits of nought are said in words, and a caption without a voice is there or not."""
        for finding in (f for e in EPISODES for f in self.found(e) if f.kind != "caption-unheard"):
            said = set(re.findall(r"\d+(?:\.\d+)?", finding.message))
            for figure in (finding.measured, finding.limit):
                forms = {
                    f"{abs(figure) * scale:{form}}" for scale in (1, 100, 1000) for form in ("g", ".0f", ".1f", ".2f")
                }
                self.assertTrue(said & forms or not figure, f"{figure} in {finding.message}")

    def test_places_are_right(self):
        for episode in EPISODES:
            for planted in episode.planted:
                finding = min(
                    (f for f in self.found(episode) if f.kind == planted.kind), key=lambda f: abs(f.in_s - planted.in_s)
                )
                self.assertAlmostEqual(finding.in_s, planted.in_s, delta=2.0, msg=planted.words)

    def test_who_passes(self):
        verdicts = [judged(e.number).verdict for e in EPISODES]
        self.assertEqual(
            [e.number for e, v in zip(EPISODES, verdicts, strict=True) if v == "pass"],
            [1, 5, 7, 9, 10, 11, 12, 13, 16, 17],
        )

    def test_the_leader_is_left_out(self):
        episode = EPISODES[4]
        programme = judge(measured(5), DEFAULT).context.programme
        self.assertAlmostEqual(programme.in_s, episode.leader_s, delta=0.041)
        self.assertAlmostEqual(programme.out_s, episode.leader_s + episode.length_s, delta=0.041)
        self.assertEqual([o.why for o in programme.left_out], ["line-up tone", "slate", "pips", "silence"])

    def test_ducks_have_the_depth_that_was_drawn(self):
        for number in (1, 2):
            for duck in judge(measured(number), DEFAULT).context.ducks:
                self.assertAlmostEqual(duck.depth_db, 11.0, delta=2.5)


class ReferenceMetersTest(unittest.TestCase):
    def test_demo_against_ffmpeg(self):
        for episode in EPISODES:
            path = mix_file(Path(os.environ["MEZZAVOCE_TEST_MEDIA"]), episode)
            own = judge(measured(episode.number), DEFAULT, programme=whole(episode.file_s)).context
            level, spread, peak = ffmpeg_figures(path)
            self.assertAlmostEqual(own.loudness.integrated_lufs, level, delta=0.1)
            # It prints tenths.
            self.assertAlmostEqual(own.loudness.range_lu, spread, delta=0.2 + 0.05)
            self.assertAlmostEqual(float(own.true_peak_dbtp.max()), peak, delta=0.15)

    def test_demo_against_an_open_library(self):
        for episode in EPISODES:
            path = mix_file(Path(os.environ["MEZZAVOCE_TEST_MEDIA"]), episode)
            info = probe(path)
            samples = np.concatenate(list(decode.blocks(open_sound(Sound((path,), "x")))))
            reference = pyloudnorm.Meter(info.sample_rate_hz).integrated_loudness(samples.astype(np.float64))
            own = judge(measured(episode.number), DEFAULT, programme=whole(episode.file_s)).context
            self.assertAlmostEqual(own.loudness.integrated_lufs, reference, delta=0.1)

    def test_other_rates_and_mono_against_ffmpeg(self):
        with tempfile.TemporaryDirectory() as folder:
            for rate in (44100, 48000):
                for signal in (sine(-18, 12, rate=rate, hz=440), stereo(noise(12, -26, rate=rate))):
                    path = write_wav(Path(folder) / "x.wav", signal, rate=rate)
                    level, spread, _ = ffmpeg_figures(path)
                    own = judge(measure(Job(Sound((path,), "x"))), DEFAULT).context.loudness
                    self.assertAlmostEqual(own.integrated_lufs, level, delta=0.1)
                    self.assertAlmostEqual(own.range_lu, spread, delta=0.2)


class ScenarioTest(unittest.TestCase):
    def test_titles_and_starts(self):
        self.assertEqual(len({e.title for e in EPISODES}), len(EPISODES))
        self.assertEqual([e.number for e in EPISODES] + [UPCOMING[0]], list(range(1, len(EPISODES) + 2)))
        self.assertLessEqual({"25", "50", "30000/1001df"}, {e.frame_rate for e in EPISODES})
        self.assertTrue(all(40 <= e.length_s <= 180 for e in EPISODES))

    def test_it_is_data(self):
        self.assertTrue(json.dumps([p.words for e in EPISODES for p in e.planted]))
