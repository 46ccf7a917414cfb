"""From files to a result: stems of every wrong kind, the command line, the confined process."""

import io
import json
import os
import socket
import subprocess
import sys
import tempfile
import unittest
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path
from unittest import mock

import numpy as np

from mezzavoce_core.command import cli, precompile
from mezzavoce_core.errors import MezzavoceError, NothingToMeasure, StemError, TimecodeError
from mezzavoce_core.exchange.document import document
from mezzavoce_core.exchange.features import read_features
from mezzavoce_core.exchange.series import series
from mezzavoce_core.judge.spec import DEFAULT
from mezzavoce_core.media.source import Sound
from mezzavoce_core.pipeline import Job, Judging, Stem, measure, run
from mezzavoce_core.roles import ROLES
from tests.signals import RATE, automated, chord, noise, sine, sounding, stereo, talk, write_wav

SPANS = [(8.0, 14.0), (24.0, 30.0)]


class FilesTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.holder = tempfile.TemporaryDirectory()
        cls.folder = Path(cls.holder.name)
        cls.voice, cls.music = talk(36, SPANS), automated(chord(36, -27), [(7, 0), (7.5, -11), (14.5, -11), (15.5, 0)])
        write_wav(cls.folder / "mix.wav", stereo(cls.voice + cls.music))
        write_wav(cls.folder / "dialogue.wav", stereo(cls.voice))
        write_wav(cls.folder / "music.wav", stereo(cls.music))

    @classmethod
    def tearDownClass(cls):
        cls.holder.cleanup()

    def stem(self, name, role="music"):
        return Stem(Sound((self.folder / name,), name), role)

    def job(self, *stems, mix="mix.wav", **more):
        return Job(Sound((self.folder / mix,), mix), stems, **more)

    def refused(self, words, *stems, **more):
        with self.assertRaisesRegex(MezzavoceError, words) as caught:
            measure(self.job(*stems, **more))
        return caught.exception


class MeasureTest(FilesTest):
    def test_stems_and_progress(self):
        heard = []
        result = run(
            self.job(self.stem("dialogue.wav", "dialogue"), self.stem("music.wav")),
            Judging(DEFAULT),
            progress=lambda s, d: heard.append((s, d)),
        )
        self.assertEqual([f.kind for f in result.findings if f.family == "ducking"], ["duck-missing"])
        shares = [s for s, _ in heard]
        self.assertEqual(shares, sorted(shares))
        self.assertEqual(shares[-1], 1.0)
        self.assertTrue(any("music stem “music.wav”" in d for _, d in heard))
        for stem in result.context.measurement.stems:
            self.assertEqual((stem.gain_db, stem.delay_s), (0.0, 0.0))
            self.assertGreater(stem.coherence, 0.9)

    def test_levels_alone_say_nothing_of_the_gain(self):
        stems = self.stem("dialogue.wav", "dialogue"), self.stem("music.wav")
        whole, levels = (run(self.job(*stems, levels_only=only), Judging(DEFAULT)) for only in (False, True))
        self.assertIsNone(levels.context.ducks)
        self.assertEqual(
            [p.speech_to_music_lu for p in levels.context.passages],
            [p.speech_to_music_lu for p in whole.context.passages],
        )
        self.assertEqual({f.family for f in levels.findings} & {"ducking"}, set())
        self.assertEqual([f.kind for f in levels.findings if f.family == "voice"], ["masked-speech"])
        self.assertIsNone(document(levels)["ducks"])

    def test_several_stems_of_one_role(self):
        half = self.folder / "half.wav"
        write_wav(half, stereo(self.music / 2))
        result = measure(self.job(self.stem("half.wav"), self.stem("half.wav"), self.stem("dialogue.wav", "dialogue")))
        self.assertEqual(len(result.stems), 3)
        self.assertTrue(result.has("music") and not result.has("effects"))

    def test_stems_that_end_earlier_are_as_long_as_the_mix(self):
        write_wav(self.folder / "short music.wav", stereo(self.music[: round(35.2 * RATE)]))
        write_wav(self.folder / "short voice.wav", stereo(self.voice[: round(34.5 * RATE)]))
        stems = self.stem("short voice.wav", "dialogue"), self.stem("short music.wav"), self.stem("music.wav")
        result = run(self.job(*stems), Judging(DEFAULT))
        for stem in result.context.measurement.stems:
            self.assertEqual(len(stem.levels.bands), 360)
        self.assertEqual([len(s.levels.spectrum) for s in result.context.measurement.stems], [0, 1800, 1800])
        self.assertEqual(len(series(result)["audibility"]), 360)

    def test_quiet_stem_and_another_rate_and_mono(self):
        n = np.arange(36 * 44100)
        write_wav(
            self.folder / "rate.wav", np.interp(n / 44100, np.arange(len(self.voice)) / RATE, self.voice), rate=44100
        )
        write_wav(self.folder / "soft.wav", stereo(self.music * 0.25))
        result = measure(self.job(self.stem("rate.wav", "dialogue"), self.stem("soft.wav")))
        self.assertAlmostEqual(result.stems[1].gain_db, 12.04, delta=0.3)
        spoken = result.role_power("dialogue")
        whole = measure(self.job(self.stem("dialogue.wav", "dialogue"))).role_power("dialogue")
        self.assertAlmostEqual(10 * np.log10(spoken.mean() / whole.mean()), 0, delta=0.3)

    def test_late_stem_is_brought_to_the_mix(self):
        late = np.concatenate([np.zeros(RATE), self.voice])[: len(self.voice)]
        write_wav(self.folder / "late.wav", stereo(late))
        result = measure(self.job(self.stem("late.wav", "dialogue"), self.stem("music.wav")))
        self.assertAlmostEqual(result.stems[0].delay_s, -1.0, delta=0.005)
        straight = measure(self.job(self.stem("dialogue.wav", "dialogue"))).role_power("dialogue")
        np.testing.assert_allclose(result.role_power("dialogue")[800:1400], straight[800:1400], rtol=0.05, atol=1e-7)

    def test_steps_of_the_music_are_listened_to_as_it_lies_in_the_mix(self):
        """Two stems, one of them late and soft: together they sound at every time as the music does in the mix."""
        other = automated(chord(36, -30, hz=311.0), [(20, 0), (20.01, -9), (22, -9), (22.01, 0)])
        write_wav(self.folder / "two.wav", stereo(self.voice + self.music + other))
        write_wav(
            self.folder / "late music.wav",
            stereo(np.concatenate([np.zeros(RATE // 2), self.music])[: len(self.music)] * 0.5),
        )
        write_wav(self.folder / "other.wav", stereo(other))
        stems = self.stem("dialogue.wav", "dialogue"), self.stem("late music.wav"), self.stem("other.wav")
        music, heard = sounding(self.music + other)[0], []

        def listened(_levels, _speech, *, listen):
            read, rate_hz = listen.args
            heard.extend((read(t, 0.3), music(t, 0.3)) for t in (1.0, 13.7, 21.9, 33.0))
            self.assertEqual(rate_hz, RATE // 4)

        with mock.patch("mezzavoce_core.measure.music_gain.find_gain", side_effect=listened):
            measure(self.job(*stems, mix="two.wav"))
        self.assertEqual(len(heard), 4)
        for own, true in heard:
            np.testing.assert_allclose(own, true, atol=2e-3)

    def test_silent_stem_is_accepted(self):
        write_wav(self.folder / "none.wav", stereo(np.zeros(36 * RATE)))
        result = measure(self.job(self.stem("dialogue.wav", "dialogue"), self.stem("none.wav", "effects")))
        self.assertIsNone(result.stems[1].coherence)

    def test_timing_by_hand(self):
        result = measure(self.job(rate="29.97df", start="01:00:00;00"))
        self.assertEqual((result.file.start_timecode, result.file.drop_frame), ("01:00:00;00", True))


class RefusalsTest(FilesTest):
    def test_stem_of_another_length(self):
        write_wav(self.folder / "short.wav", stereo(self.music[: 20 * RATE]))
        error = self.refused(r"“short.wav” lasts 20.0 s, the mix 36.0 s", self.stem("short.wav"))
        self.assertIsInstance(error, StemError)

    def test_stem_of_another_programme(self):
        write_wav(self.folder / "alien.wav", stereo(noise(36, -25, seed=77)))
        self.refused(
            "does not contain the stem “alien.wav”", self.stem("dialogue.wav", "dialogue"), self.stem("alien.wav")
        )

    def test_stem_of_another_layout(self):
        write_wav(self.folder / "six.wav", np.tile(self.music[:, None], (1, 6)))
        self.refused("has 6 channels, the mix 2", self.stem("six.wav"))

    def test_unknown_role(self):
        self.refused("has the role “drums”", self.stem("music.wav", "drums"))

    def test_silence_and_whispers(self):
        write_wav(self.folder / "silence.wav", stereo(np.zeros(5 * RATE)))
        write_wav(self.folder / "whisper.wav", stereo(sine(-85, 5)))
        write_wav(self.folder / "blink.wav", stereo(sine(-20, 0.2)))
        self.assertIsInstance(self.refused("is silent from start to end", mix="silence.wav"), NothingToMeasure)
        self.refused("never rises above -70 LUFS", mix="whisper.wav")
        self.refused("needs at least 0.4 s", mix="blink.wav")

    def test_timing_that_cannot_be(self):
        self.assertIsInstance(self.refused("from 0 to 24", rate="25", start="10:00:00:30"), TimecodeError)


class CliTest(FilesTest):
    def run_cli(self, *arguments):
        out, err = io.StringIO(), io.StringIO()
        with redirect_stdout(out), redirect_stderr(err):
            code = cli.main(["measure", *(str(a) for a in arguments)])
        return code, out.getvalue(), err.getvalue()

    def test_pass_is_zero(self):
        write_wav(self.folder / "good.wav", stereo(sine(-23, 10)))
        code, out, err = self.run_cli(self.folder / "good.wav", "--whole")
        self.assertEqual((code, err), (0, ""))
        self.assertIn("pass by EBU R 128", out)

    def test_fail_is_one_and_json_stands_alone(self):
        path = self.folder / "series.npz"
        code, out, err = self.run_cli(
            self.folder / "mix.wav",
            "--dialogue",
            self.folder / "dialogue.wav",
            "--music",
            self.folder / "music.wav",
            "--json",
            "--series",
            path,
            "--quiet",
        )
        self.assertEqual((code, err), (1, ""))
        self.assertEqual(json.loads(out)["verdict"], "fail")
        self.assertTrue(path.exists())

    def test_not_measurable_is_two_with_one_line(self):
        cases = (
            ["none.wav"],
            ["mix.wav", "--spec", "nothing"],
            ["mix.wav", "--captions", "x.vtt"],
            ["mix.wav", "--nonsense"],
            ["mix.wav", "--fps", "0"],
            ["mix.wav", "--corrections", "none.json"],
            [],
            ["mix.wav", "--series", "/nowhere/x.npz"],
        )
        for first, *rest in (case or [""] for case in cases):
            code, out, err = self.run_cli(*([self.folder / first] if first else []), *rest)
            self.assertEqual((code, out), (2, ""), (first, rest))
            self.assertEqual(err.count("\n"), 1, err)
            self.assertTrue(err.startswith("mezzavoce: "))

    def test_corrections_and_spec_file(self):
        spec, hand = self.folder / "spec.json", self.folder / "hand.json"
        spec.write_text(
            '{"name": "ours", "limits": {"integrated_lufs": null, "clearance_lu": null, "audibility_min": null}}'
        )
        hand.write_text('{"speech": [{"in_s": 20, "out_s": 22}]}')
        code, out, _ = self.run_cli(
            self.folder / "mix.wav",
            "--dialogue",
            self.folder / "dialogue.wav",
            "--spec",
            spec,
            "--corrections",
            hand,
            "--json",
        )
        result = json.loads(out)
        self.assertEqual((code, result["spec"]["name"]), (0, "ours"))
        self.assertTrue(any(s["by_hand"] for s in result["speech"]))

    def test_bar_only_for_people(self):
        err = io.StringIO()
        err.isatty = lambda: True
        with redirect_stdout(io.StringIO()), redirect_stderr(err):
            cli.main(["measure", str(self.folder / "mix.wav")])
        self.assertIn("100%", err.getvalue())

    def test_every_role_has_an_option(self):
        with redirect_stdout(io.StringIO()) as out, self.assertRaises(SystemExit):
            cli.main(["measure", "--help"])
        for role in ROLES:
            self.assertIn(f"--{role}", out.getvalue())


class ConfinedTest(FilesTest):
    def order(self, **more):
        features = self.folder / "features.npz"
        features.unlink(missing_ok=True)
        order = {
            "mix": {"paths": [str(self.folder / "mix.wav")], "name": "mix.wav"},
            "stems": [],
            "rate": "25",
            "start": "10:00:00:00",
            "features": str(features),
            "limits": {"memory_mib": 6144, "seconds": 120},
        } | more
        done = subprocess.run(
            [sys.executable, "-m", "mezzavoce_core", "confined"],
            input=json.dumps(order),
            capture_output=True,
            text=True,
            env=os.environ,
            check=False,
        )
        return done.returncode, [json.loads(line) for line in done.stdout.splitlines()], features

    def test_measures_and_tells(self):
        code, lines, features = self.order()
        self.assertEqual(code, 0)
        self.assertEqual(lines[-1]["share"], 1.0)
        self.assertEqual(read_features(features).file.start_timecode, "10:00:00:00")

    def test_an_expected_error_is_a_sentence(self):
        code, lines, features = self.order(mix={"paths": [str(self.folder / "none.wav")], "name": "x"})
        self.assertEqual((code, lines[-1]["temporary"], features.exists()), (2, False, False))
        self.assertIn("There is no file", lines[-1]["error"])

    def test_too_little_memory_ends_it_without_a_result(self):
        code, _, features = self.order(limits={"memory_mib": 300, "seconds": 120})
        self.assertNotEqual(code, 0)
        self.assertFalse(features.exists())

    def test_no_network_inside(self):
        script = (
            "from mezzavoce_core.command.confined import confine\nimport socket\n"
            "cut = confine(6144, 60)\n"
            "try:\n socket.create_connection(('127.0.0.1', int(__import__('sys').argv[1])), 2); print(cut, 'reached')\n"
            "except OSError: print(cut, 'refused')"
        )
        with socket.create_server(("127.0.0.1", 0)) as server:
            done = subprocess.run(
                [sys.executable, "-c", script, str(server.getsockname()[1])], capture_output=True, text=True, check=True
            )
        cut, reached = done.stdout.split()
        if cut == "True":
            self.assertEqual(reached, "refused")
        else:
            self.skipTest("this system does not let a process cut off its network")


class WarmTest(unittest.TestCase):
    def test_runs_every_loop(self):
        with mock.patch("mezzavoce_core.command.precompile.Meter") as meter:
            precompile.levels()
        self.assertEqual(meter.call_count, 2)
