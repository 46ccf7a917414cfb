"""A remedy, rendered: what is heard is what was predicted."""

import contextlib
import io
import json
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np
import soundfile

from mezzavoce_core.command.cli import main
from mezzavoce_core.errors import StemError, UsageError
from mezzavoce_core.media.source import Sound
from mezzavoce_core.render import Change, for_two, open_passage, read_change, render
from mezzavoce_core.signal.peaking import PeakingFilter
from tests.signals import RATE, automated, chord, stereo, talk, write_wav

POINTS = [(7.5, 0.0), (8.0, -8.0), (14.0, -8.0), (14.8, 0.0)]


class RenderTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        cls.voice, cls.music = talk(24, [(8.0, 14.0)]), chord(24, -24)
        for name, signal in (("mix", cls.voice + cls.music), ("music", cls.music), ("dialogue", cls.voice)):
            write_wav(cls.folder / f"{name}.wav", stereo(signal))

    def sound(self, name):
        return Sound((self.folder / f"{name}.wav",), name)

    def change(self, role="music", points=POINTS):
        return Change(role, *zip(*points, strict=True))

    def test_the_stem_alone_is_changed(self):
        before, after, rate = render(
            self.sound("mix"), [("music", self.sound("music")), ("dialogue", self.sound("dialogue"))], self.change()
        )
        self.assertEqual((rate, len(before)), (RATE, round(11.3 * RATE)))
        wanted = (self.voice + automated(self.music, POINTS))[round(5.5 * RATE) : round(16.8 * RATE)]
        np.testing.assert_allclose(after[:, 0], wanted, atol=2e-4)
        np.testing.assert_allclose(
            before[:, 0], (self.voice + self.music)[round(5.5 * RATE) : round(16.8 * RATE)], atol=1e-5
        )

    def test_a_stem_with_another_gain_than_in_the_mix(self):
        write_wav(self.folder / "soft.wav", stereo(self.music * 0.5))
        _, after, _ = render(self.sound("mix"), [("music", self.sound("soft"))], self.change())
        wanted = (self.voice + automated(self.music, POINTS))[round(5.5 * RATE) : round(16.8 * RATE)]
        self.assertLess(np.abs(after[:, 0] - wanted).max(), 0.01)

    def test_the_whole_mix(self):
        _, after, _ = render(self.sound("mix"), [], self.change("mix", [(10.0, -6.0206)]), (9.0, 11.0))
        np.testing.assert_allclose(after[:, 0], 0.5 * (self.voice + self.music)[9 * RATE : 11 * RATE], atol=1e-4)

    def test_what_was_not_delivered_is_the_difference(self):
        background = self.change("background")
        _, after, _ = render(self.sound("mix"), [("dialogue", self.sound("dialogue"))], background)
        wanted = (self.voice + automated(self.music, POINTS))[round(5.5 * RATE) : round(16.8 * RATE)]
        np.testing.assert_allclose(after[:, 0], wanted, atol=2e-4)

    def test_one_of_several_stems_of_a_role(self):
        half = 0.5 * self.music
        for name in ("strings", "drums"):
            write_wav(self.folder / f"{name}.wav", stereo(half))
        stems = [("music", self.sound("strings")), ("music", self.sound("drums"))]
        write_wav(self.folder / "both.wav", stereo(self.music))
        passage = open_passage(self.sound("both"), stems, (8.5, 13.5))
        gone = replace(self.change(points=[(8.0, -200.0), (14.0, -200.0)]), source="drums")
        self.assertLess(
            np.abs(passage.sound("music", gone)[:, 0] - half[round(8.5 * RATE) : round(13.5 * RATE)]).max(), 0.01
        )

    def test_one_channel_alone(self):
        stems = [("music", self.sound("music")), ("dialogue", self.sound("dialogue"))]
        before, after, rate_hz = render(self.sound("mix"), stems, replace(self.change(), channel=1))
        np.testing.assert_array_equal(after[:, 0], before[:, 0])
        _, both, _ = render(self.sound("mix"), stems, self.change())
        np.testing.assert_array_equal(after[:, 1], both[:, 1])
        self.assertGreater(np.abs(both[:, 0] - before[:, 0]).max(), 1e-3)
        self.assertEqual(rate_hz, RATE)
        with self.assertRaisesRegex(UsageError, "The points are for channel 3; the mix has 2"):
            render(self.sound("mix"), [("music", self.sound("music"))], replace(self.change(), channel=2))

    def test_cuts_by_band_are_heard_between_the_inner_points(self):
        filters = (PeakingFilter(275.0, 2.0, -20.0),)
        cut = replace(self.change(points=[(8.0, 0.0), (9.0, 0.0), (13.0, 0.0), (14.0, 0.0)]), filters=filters)
        passage = open_passage(
            self.sound("mix"), [("music", self.sound("music")), ("dialogue", self.sound("dialogue"))], (6.0, 16.0)
        )
        music, carved = passage.sound("music")[:, 0], passage.sound("music", cut)[:, 0]
        inside, outside = slice(4 * RATE, 6 * RATE), slice(0, 2 * RATE)
        self.assertLess(np.std(carved[inside]), 0.2 * np.std(music[inside]))
        np.testing.assert_allclose(carved[outside], music[outside], atol=1e-6)

    def test_any_layout_is_folded_for_two(self):
        six = np.eye(6, dtype=np.float32)
        folded = for_two(six, ("L", "R", "C", "LFE", "Ls", "Rs"))
        np.testing.assert_allclose(
            folded, [[1, 0], [0, 1], [0.7071, 0.7071], [0, 0], [0.7071, 0], [0, 0.7071]], atol=1e-4
        )

    def test_what_cannot_be_rendered_says_why(self):
        with self.assertRaisesRegex(StemError, "give its stem with --music"):
            render(
                self.sound("mix"),
                [("dialogue", self.sound("dialogue")), ("effects", self.sound("dialogue"))],
                self.change(),
            )
        with self.assertRaisesRegex(UsageError, "up to 120 s"):
            render(self.sound("mix"), [], self.change("mix"), (0.0, 500.0))

    def test_files_of_points(self):
        path = self.folder / "points.json"
        for content, words in (
            ("no json", "not readable"),
            ("[]", "holds no remedy"),
            ('{"role": "music", "points": [{"at_s": 1}]}', "each needs both"),
            ('{"role": "music", "points": [{"at_s": 1, "gain_db": 0}], "channel": "R"}', "counts from 1"),
            ('{"role": "music", "points": [{"at_s": 1, "gain_db": 0}], "channel": {"number": 0}}', "counts from 1"),
            (
                '{"role": "music", "points": [{"at_s": 2, "gain_db": 0}, {"at_s": 1, "gain_db": 0}]}',
                "follow each other",
            ),
        ):
            path.write_text(content)
            with self.assertRaisesRegex(UsageError, words):
                read_change(path)
        path.write_text(
            json.dumps({"kind": "x", "remedy": {"role": "music", "points": [{"at_s": 1.0, "gain_db": -3}]}})
        )
        self.assertEqual(read_change(path), Change("music", (1.0,), (-3.0,)))
        path.write_text(
            json.dumps(
                {"role": "music", "points": [{"at_s": 1.0, "gain_db": -3}], "channel": {"number": 2, "name": "R"}}
            )
        )
        self.assertEqual(read_change(path), Change("music", (1.0,), (-3.0,), channel=1))

    def test_a_finding_of_a_whole_result(self):
        path = self.folder / "result.json"
        remedy = {"role": "music", "points": [{"at_s": 1.0, "gain_db": -3}]}
        path.write_text(json.dumps({"findings": [{"remedy": None}, {"remedy": remedy}]}))
        self.assertEqual(read_change(path, 2), Change("music", (1.0,), (-3.0,)))
        for number in (None, 0, 1, 3, -1):
            with self.assertRaisesRegex(UsageError, "holds 2 findings; say which with --finding: 2"):
                read_change(path, number)
        path.write_text(json.dumps({"findings": []}))
        with self.assertRaisesRegex(UsageError, "none of them has a remedy"):
            read_change(path, 1)
        path.write_text(json.dumps(remedy))
        with self.assertRaisesRegex(UsageError, "leave --finding out"):
            read_change(path, 1)

    def test_from_the_command_line(self):
        path = self.folder / "remedy.json"
        path.write_text(json.dumps({"role": "music", "points": [{"at_s": t, "gain_db": g} for t, g in POINTS]}))
        said = io.StringIO()
        with contextlib.redirect_stdout(said):
            files = [
                str(self.folder / "mix.wav"),
                "--music",
                str(self.folder / "music.wav"),
                "--points",
                str(path),
                "--out",
                str(self.folder / "out"),
            ]
            code = main(["render", *files, "--from", "00:00:09:00", "--to", "00:00:10:00"])
        self.assertEqual(code, 0)
        as_is, proposed = (soundfile.read(line)[0] for line in said.getvalue().splitlines())
        self.assertEqual(len(as_is), RATE)
        np.testing.assert_allclose(
            (as_is - proposed)[:, 0], (1 - 10 ** (-8 / 20)) * self.music[9 * RATE : 10 * RATE], atol=2e-4
        )
