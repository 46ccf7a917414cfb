"""What people deliver as stems.

Too few, shifted, at another gain, of another version, silent, or the whole mix once more.
"""

import tempfile
import unittest
from functools import cache
from pathlib import Path

import numpy as np
from scipy.signal import fftconvolve

from mezzavoce_core.errors import StemError
from mezzavoce_core.exchange.document import document
from mezzavoce_core.exchange.features import read_features, write_features
from mezzavoce_core.judge.judging import judge
from mezzavoce_core.judge.spec import Limits, Spec
from mezzavoce_core.media.source import Sound
from mezzavoce_core.pipeline import Job, Stem, measure
from tests.core.test_music_gain import song
from tests.signals import RATE, automated, noise, stereo, talk, write_wav

SPEC = Spec("level not judged", Limits(integrated_lufs=None, section_jump_lu=None))
SECONDS, SPANS = 32, ((6.0, 12.0), (20.0, 26.0))
DUCKS = [(5.3, 0), (5.8, -10), (12.3, -10), (13.0, 0), (19.3, 0), (19.8, -10), (26.3, -10), (27.0, 0)]


@cache
def parts():
    """Voice, music and effects of a clean programme, ``(frames, 2)``.

    Nothing can be written to what all tests share.
    """
    voice = stereo(talk(SECONDS, SPANS, -23))
    music = automated(song(SECONDS) * 1.6, DUCKS)
    side = np.roll(music, 400)
    whole = {
        "dialogue": voice,
        "music": np.stack([music, 0.7 * music + 0.3 * side], axis=1),
        "effects": stereo(noise(SECONDS, -52, seed=5)),
    }
    for part in whole.values():
        part.flags.writeable = False
    return whole


def moved(signal, seconds):
    shift = round(seconds * RATE)
    out = np.zeros_like(signal)
    if shift >= 0:
        out[shift:] = signal[: len(signal) - shift]
    else:
        out[:shift] = signal[-shift:]
    return out


class GivenTest(unittest.TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    def measured(self, stems, mix=None):
        mix = sum(parts().values()) if mix is None else mix
        paths = {name: write_wav(self.folder / f"{name}.wav", signal) for name, signal in {"mix": mix, **stems}.items()}
        return measure(
            Job(
                Sound((paths.pop("mix"),), "mix.wav"),
                tuple(Stem(Sound((p,), p.name), name.split()[0]) for name, p in paths.items()),
            )
        )

    def figures(self, measurement):
        return [(p.speech_lufs, p.speech_to_background_lu) for p in judge(measurement, SPEC).context.passages]

    def kinds(self, measurement):
        return {f.kind for f in judge(measurement, SPEC).findings}

    def test_all_stems_say_nothing(self):
        self.assertEqual(self.kinds(self.measured(parts())), set())

    def test_dialogue_alone_gives_the_background_from_the_difference(self):
        alone, whole = self.measured({"dialogue": parts()["dialogue"]}), self.measured(parts())
        for (voice, ratio), (wanted_voice, wanted) in zip(self.figures(alone), self.figures(whole), strict=True):
            self.assertAlmostEqual(voice, wanted_voice, delta=0.01)
            self.assertAlmostEqual(ratio, wanted, delta=0.2)
        passage = document(judge(alone, SPEC))["passages"][0]
        self.assertIsNone(passage["music_lufs"])
        self.assertIsNone(passage["speech_to_music_lu"])
        self.assertGreater(passage["audibility"], 0.5)
        self.assertEqual(self.kinds(alone), set())

    def test_music_and_effects_alone_give_the_voice(self):
        others = {k: v for k, v in parts().items() if k != "dialogue"}
        wanted = self.figures(self.measured(parts()))
        both = {"background": others["music"] + others["effects"]}
        for stems in (others, both):
            found = self.figures(self.measured(stems))
            self.assertEqual(len(found), len(wanted))
            for (voice, ratio), (wanted_voice, wanted_ratio) in zip(found, wanted, strict=True):
                self.assertAlmostEqual(voice, wanted_voice, delta=0.1)
                self.assertAlmostEqual(ratio, wanted_ratio, delta=0.2)

    def test_the_difference_holds_for_a_stem_that_was_moved_and_turned_down(self):
        shifted = 0.5 * moved(parts()["dialogue"], 0.08)
        found, wanted = self.figures(self.measured({"dialogue": shifted})), self.figures(self.measured(parts()))
        for (voice, ratio), (wanted_voice, wanted_ratio) in zip(found, wanted, strict=True):
            self.assertAlmostEqual(voice, wanted_voice, delta=0.1)
            self.assertAlmostEqual(ratio, wanted_ratio, delta=0.5)

    def test_music_without_dialogue_is_no_question_of_voice(self):
        result = judge(self.measured({"music": parts()["music"]}), SPEC)
        self.assertIsNone(result.context.passages)
        self.assertEqual(len(result.context.cues), 1)

    def test_a_stem_out_of_step_is_moved_and_told(self):
        for role in ("dialogue", "music"):
            for seconds in (0.08, 0.5, -0.04):
                with self.subTest(role, seconds=seconds):
                    measurement = self.measured(parts() | {role: moved(parts()[role], seconds)})
                    findings = [f for f in judge(measurement, SPEC).findings if f.kind == "stems-off"]
                    self.assertEqual([(f.title, f.role) for f in findings], [("Stem out of step", role)])
                    self.assertAlmostEqual(findings[0].measured, -seconds, delta=0.001)
                    for (voice, ratio), (wanted_voice, wanted) in zip(
                        self.figures(measurement), self.figures(self.measured(parts())), strict=True
                    ):
                        self.assertAlmostEqual(voice, wanted_voice, delta=0.1)
                        self.assertAlmostEqual(ratio, wanted, delta=0.3)

    def test_a_stem_at_another_gain_is_fitted_and_told(self):
        measurement = self.measured(parts() | {"music": parts()["music"] * 10 ** (6 / 20)})
        (finding,) = judge(measurement, SPEC).findings
        self.assertEqual((finding.kind, finding.source, finding.unit), ("stems-off", "music.wav", "dB"))
        self.assertAlmostEqual(finding.measured, -6.0, delta=0.1)
        for (_, ratio), (_, wanted) in zip(
            self.figures(measurement), self.figures(self.measured(parts())), strict=True
        ):
            self.assertAlmostEqual(ratio, wanted, delta=0.1)

    def test_stems_that_do_not_add_up_say_by_how_much_and_where(self):
        mix = sum(parts().values())
        mix[14 * RATE : 18 * RATE] += stereo(noise(4, -25, seed=8))
        findings = [f for f in judge(self.measured(parts(), mix), SPEC).findings if f.kind == "stems-off"]
        self.assertEqual(len(findings), 1)
        self.assertAlmostEqual(findings[0].in_s, 14.0, delta=0.6)
        self.assertAlmostEqual(findings[0].out_s, 18.0, delta=0.6)
        self.assertGreater(findings[0].measured, -10)

    def test_a_dialogue_stem_that_is_the_whole_mix_is_refused(self):
        with self.assertRaisesRegex(StemError, "dialogue.wav” holds what the music stem “music.wav” holds, too"):
            self.measured(parts() | {"dialogue": sum(parts().values())})

    def test_a_music_stem_with_the_voice_in_it_is_refused(self):
        with self.assertRaisesRegex(StemError, "music.wav” holds what the dialogue stem “dialogue.wav” holds, too"):
            self.measured(parts() | {"music": parts()["music"] + parts()["dialogue"]})

    def test_a_voice_that_leaks_into_another_stem_is_told_with_its_level(self):
        for role, leak_db in (("music", -8.0), ("music", -16.0), ("effects", -20.0)):
            with self.subTest(role, leak_db=leak_db):
                stems = parts() | {role: parts()[role] + parts()["dialogue"] * 10 ** (leak_db / 20)}
                measurement = self.measured(stems, sum(stems.values()))
                told = [f for f in judge(measurement, SPEC).findings if f.title == "Voice in another stem"]
                self.assertEqual([(f.kind, f.role, f.source) for f in told], [("stems-off", role, f"{role}.wav")])
                self.assertAlmostEqual(told[0].measured, leak_db, delta=1.0)
                write_features(measurement, self.folder / "features.npz")
                self.assertEqual(
                    [s.held for s in read_features(self.folder / "features.npz").stems],
                    [s.held for s in measurement.stems],
                )

    def test_a_stem_that_holds_a_copy_of_others_is_measured_without_it(self):
        """Figures, gains and findings are those of stems that hold their own sound alone."""
        whole, wanted = parts(), self.figures(self.measured(parts()))
        for holder, held in (
            ("music", ("dialogue",)),
            ("effects", ("dialogue",)),
            ("dialogue", ("music",)),
            ("dialogue", ("music", "effects")),
        ):
            for leak_db in (-5.0, -22.0):
                with self.subTest(holder, held=held, leak_db=leak_db):
                    leaky = whole[holder] + sum(whole[k] for k in held) * 10 ** (leak_db / 20)
                    measurement = self.measured(whole | {holder: leaky}, sum(whole.values()))
                    told = judge(measurement, SPEC).findings
                    self.assertEqual([(f.role, f.source) for f in told], [(holder, f"{holder}.wav")] * len(held))
                    for finding, name in zip(told, held, strict=True):
                        self.assertIn("voice" if name == "dialogue" else name, finding.title.lower())
                        self.assertIn("taken out for measuring", finding.message)
                        self.assertAlmostEqual(finding.measured, leak_db, delta=0.2)
                    np.testing.assert_allclose(self.figures(measurement), wanted, atol=0.1)

    def test_a_voice_that_leaks_changed_is_left_in_and_told(self):
        stems = parts()
        muffled = np.stack([np.convolve(c, np.hanning(25) / 12, mode="same") for c in stems["dialogue"].T], axis=1)
        leaky = stems | {"music": stems["music"] + muffled * 10 ** (-6 / 20)}
        (finding,) = [
            f
            for f in judge(self.measured(leaky, sum(leaky.values())), SPEC).findings
            if f.title == "Voice in another stem"
        ]
        self.assertIn("It counts as music in every figure here", finding.message)

    def test_the_room_of_a_voice_in_another_stem_is_told_with_its_level(self):
        """No factor fits a reverberation, whose phases are anyhow; its power does.

        Of one that differs left and right half is heard in the sum of both.
        """
        stems, times = parts(), np.arange(RATE // 2) / RATE
        rooms = np.random.default_rng(3).standard_normal((2, len(times))) * np.exp(-times / 0.1)
        rooms /= np.sqrt((rooms**2).sum(axis=1, keepdims=True))
        wet = np.stack(
            [fftconvolve(c, room)[: len(c)] for c, room in zip(stems["dialogue"].T, rooms, strict=True)], axis=1
        )
        for level_db in (-6.0, -15.0):
            leaky = stems | {"music": stems["music"] + wet * 10 ** (level_db / 20)}
            told = judge(self.measured(leaky, sum(leaky.values())), SPEC).findings
            (finding,) = [f for f in told if f.title == "Voice in another stem"]
            self.assertIn("It counts as music in every figure here", finding.message)
            self.assertAlmostEqual(finding.measured, level_db - 3.0, delta=2.5)

    def test_two_channels_are_not_taken_out_of_one(self):
        stems = parts() | {"music": parts()["music"].mean(axis=1, keepdims=True)}
        mix = parts()["dialogue"] + stems["music"] + parts()["effects"]
        leaky = stems["music"] + parts()["dialogue"].mean(axis=1, keepdims=True) * 10 ** (-8 / 20)
        measurement = self.measured(stems | {"music": leaky}, mix)
        (finding,) = [f for f in judge(measurement, SPEC).findings if f.title == "Voice in another stem"]
        self.assertIn("It counts as music in every figure here", finding.message)

    def test_a_loud_leak_is_not_taken_for_the_whole_mix(self):
        """Even where the music is so quiet that the voice in its stem is nearly all of the mix."""
        stems = parts() | {"music": parts()["music"] / 4}
        for leak_db in (-3.0, -6.0):
            with self.subTest(leak_db=leak_db):
                leaky = stems | {"music": stems["music"] + stems["dialogue"] * 10 ** (leak_db / 20)}
                told = [
                    f.title
                    for f in judge(self.measured(leaky, sum(stems.values())), SPEC).findings
                    if f.kind == "stems-off"
                ]
                self.assertIn("Voice in another stem", told)

    def test_the_voice_alone_in_a_music_stem_is_no_cue(self):
        music = parts()["music"].copy()
        music[round(SPANS[0][1] * RATE) :] = 0
        stems = parts() | {"music": music + parts()["dialogue"] * 10 ** (-16 / 20)}
        result = judge(self.measured(stems, sum(stems.values())), SPEC)
        self.assertEqual([round(c.out_s) for c in result.context.cues], [SPANS[0][1]])

    def test_silent_stems(self):
        silence = np.zeros((SECONDS * RATE, 2))
        quiet_music = self.measured(
            {"dialogue": parts()["dialogue"], "music": silence, "effects": silence}, parts()["dialogue"]
        )
        result = judge(quiet_music, SPEC)
        self.assertIsNone(result.context.passages[0].speech_to_background_lu)
        self.assertEqual(result.findings, ())
        no_voice = judge(self.measured({"dialogue": silence, "music": parts()["music"]}, parts()["music"]), SPEC)
        self.assertEqual((no_voice.context.speech, no_voice.context.passages), ((), ()))
        self.assertEqual({f.family for f in no_voice.findings} & {"voice", "ducking"}, set())

    def test_a_silent_stem_by_itself_is_told(self):
        silence = np.zeros((SECONDS * RATE, 2))
        for role in ("dialogue", "music"):
            (finding,) = judge(self.measured({role: silence}, sum(parts().values())), SPEC).findings
            self.assertEqual(
                (finding.kind, finding.title, finding.source), ("stems-off", "Stem is silent", f"{role}.wav")
            )

    def test_one_stem_that_is_the_whole_mix_is_told_where_nothing_is_left_beside_it(self):
        mix = sum(parts().values())
        for role in ("dialogue", "background"):
            found = [f for f in judge(self.measured({role: mix}, mix), SPEC).findings if f.kind == "stems-off"]
            self.assertEqual([(f.title, f.source) for f in found], [("Stem holds the whole mix", f"{role}.wav")])

    def test_a_silent_stem_is_named_where_stems_do_not_add_up(self):
        stems = parts()
        silenced = stems | {"music": np.zeros_like(stems["music"])}
        told = [
            f.message
            for f in judge(self.measured(silenced, sum(stems.values())), SPEC).findings
            if f.kind == "stems-off"
        ]
        (message,) = told
        self.assertIn("Nothing is to be heard in the music stem “music.wav”; export it again", message)

    def test_speech_from_end_to_end(self):
        voice = stereo(talk(SECONDS, [(0.0, SECONDS)], -23))
        music = stereo(song(SECONDS) * 0.4)
        result = judge(self.measured({"dialogue": voice, "music": music}, voice + music), SPEC)
        self.assertAlmostEqual(sum(p.out_s - p.in_s for p in result.context.passages), SECONDS, delta=0.1)
        self.assertEqual([f.kind for f in result.findings if f.family == "ducking"], [])

    def test_which_of_several_music_stems_covers_the_voice_is_named(self):
        loud = stereo(song(SECONDS, seed=4) * 1.6)
        stems = {
            "dialogue": parts()["dialogue"],
            "music strings": stereo(noise(SECONDS, -50, seed=6)),
            "music drums": loud,
        }
        result = judge(self.measured(stems, sum(stems.values())), SPEC)
        named = {f.source for f in result.findings if f.family in ("voice", "ducking") and f.role == "music"}
        self.assertEqual(named - {None}, {"music drums.wav"})

    def test_kept_and_read_again(self):
        measurement = self.measured({"dialogue": parts()["dialogue"]})
        path = self.folder / "f.npz"
        write_features(measurement, path)
        again = read_features(path)
        np.testing.assert_array_equal(again.rest.left, measurement.rest.left)
        self.assertEqual([s.derived for s in again.stems], [False, True])
        self.assertEqual(document(judge(again, SPEC)), document(judge(measurement, SPEC)))
