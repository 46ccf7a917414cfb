"""The proposal of a track map: from names, from sums, from the usual order; and samples of a moment."""

import numpy as np

from mezzavoce_core.media import decode
from mezzavoce_core.media.source import Sound, open_sound
from mezzavoce_core.survey import POINTS, survey
from tests.core.test_media import FolderTest, ffmpeg
from tests.signals import RATE, noise, sine, stereo, talk, write_wav


class SurveyTest(FolderTest):
    def setUp(self):
        super().setUp()
        self.voice = talk(12, [(1, 5), (7, 11)], -24)
        self.music, self.effects = noise(12, -34, seed=5), noise(12, -40, seed=6)

    def surveyed(self, *pairs, name="all.wav"):
        path = write_wav(self.folder / name, np.concatenate([stereo(p) for p in pairs], axis=1))
        return survey(path, name)

    def roles(self, *pairs):
        return [p.role for p in self.surveyed(*pairs)]

    def test_mix_and_three_stems_wherever_the_mix_stands(self):
        mix = self.voice + self.music + self.effects
        self.assertEqual(self.roles(mix, self.voice, self.music, self.effects), ["mix", "dialogue", "music", "effects"])
        self.assertEqual(self.roles(self.voice, self.music, self.effects, mix), ["dialogue", "music", "effects", "mix"])

    def test_what_is_silent_or_foreign_gets_no_role(self):
        found = self.surveyed(
            self.voice + self.music, self.voice, self.music, np.zeros(12 * RATE), noise(12, -20, seed=9)
        )
        self.assertEqual([p.role for p in found], ["mix", "dialogue", "background", "", ""])
        self.assertEqual([p.why for p in found[3:]], ["silent", "not part of the mix"])
        self.assertEqual(found[0].why, "the sum of 3-4, 5-6")

    def test_names_go_before_order(self):
        inputs, maps = [], []
        names = ("Mix", "Effects", "Dialogue")
        for k, (title, signal) in enumerate(
            zip(names, (self.voice + self.effects, self.effects, self.voice), strict=True)
        ):
            inputs += ["-i", str(write_wav(self.folder / f"{k}.wav", stereo(signal)))]
            maps += ["-map", f"{k}:a", f"-metadata:s:a:{k}", f"title={title}"]
        path = self.folder / "film.mkv"
        ffmpeg(*inputs, *maps, "-c:a", "pcm_s24le", str(path))
        self.assertEqual(
            [(p.sound.written, p.role) for p in survey(path, "film.mkv")],
            [("1", "mix"), ("2", "effects"), ("3", "dialogue")],
        )

    def test_waves_show_where_sound_is(self):
        wave = self.surveyed(self.voice + self.music, self.voice)[1].wave_dbfs
        self.assertEqual(wave.shape, (2, POINTS))
        self.assertGreater(wave[0, POINTS * 3 // 12], -30)
        self.assertEqual(wave[0, POINTS * 6 // 12 + 4], -90)


class WindowTest(FolderTest):
    def test_samples_of_a_moment(self):
        signal = stereo(noise(5, -20))
        wav = write_wav(self.folder / "a.wav", signal)
        flac, film = self.folder / "a.flac", self.folder / "a.mov"
        ffmpeg("-i", str(wav), str(flac))
        ffmpeg("-f", "lavfi", "-i", "color=s=64x36:r=25:d=5", "-i", str(wav), "-c:a", "pcm_s24le", str(film))
        for path in (wav, flac, film):
            found = decode.window(open_sound(Sound((path,), path.name)), 2.0, 0.01)
            np.testing.assert_allclose(found, signal[2 * RATE : 2 * RATE + 480], atol=2e-7, err_msg=path.name)

    def test_at_the_end_and_beyond(self):
        source = open_sound(Sound((write_wav(self.folder / "a.wav", stereo(sine(-20, 1))),), "a"))
        self.assertEqual(len(decode.window(source, 0.995, 0.1)), 240)
        self.assertEqual(decode.window(source, 3.0, 0.1).shape, (0, 2))
