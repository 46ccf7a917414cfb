"""Tracks, channels and several files as one sound; track maps read, proposed and refused; layouts and their weights.

Weights and the order L R C LFE Ls Rs: ITU-R BS.1770-5, from memory. The film order L C R Ls Rs LFE and pairs of mono
tracks are common practice.
"""

import io
import json
import struct
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

import numpy as np

from mezzavoce_core.command import cli
from mezzavoce_core.errors import LayoutError, MezzavoceError, TrackMapError
from mezzavoce_core.judge.judging import judge
from mezzavoce_core.judge.spec import DEFAULT
from mezzavoce_core.media import decode, layouts, tracks
from mezzavoce_core.media.probe import FileInfo, Stream, probe
from mezzavoce_core.media.source import Sound, open_sound
from mezzavoce_core.pipeline import Job, measure
from mezzavoce_core.roles import ROLES
from tests.core.test_media import FolderTest, ffmpeg
from tests.signals import RATE, noise, sine, stereo, write_wav


def file_of(*channel_counts, titles=(), layout=None):
    streams = tuple(
        Stream(
            k,
            n,
            layout or layouts.layout_name(None, n),
            layout is not None or n <= 2,
            48000,
            60.0,
            titles[k - 1] if titles else "",
        )
        for k, n in enumerate(channel_counts, 1)
    )
    return FileInfo(
        "f.mov", 60.0, 48000, channel_counts[0], streams[0].layout, "25", False, None, True, streams=streams
    )


def write_extensible(path, signal, mask):
    """A 16-bit WAV with a channel mask."""
    raw = np.round(signal * 32767).astype("<i2").tobytes()
    channels = signal.shape[1]
    guid = struct.pack("<H", 1) + bytes.fromhex("000000001000800000aa00389b71")
    form = struct.pack("<HHIIHHHHI", 0xFFFE, channels, RATE, RATE * channels * 2, channels * 2, 16, 22, 16, mask) + guid
    body = b"WAVEfmt " + struct.pack("<I", len(form)) + form + b"data" + struct.pack("<I", len(raw)) + raw
    Path(path).write_bytes(b"RIFF" + struct.pack("<I", len(body)) + body)
    return Path(path)


class MapTest(FolderTest):
    def test_read(self):
        self.assertEqual(
            tracks.parse_map("mix=1-2, dialogue=3-4,music=5+7", ROLES),
            (("mix", (1, 2)), ("dialogue", (3, 4)), ("music", (5, 7))),
        )
        self.assertEqual([tracks.write_tracks(t) for t in ((1, 2), (5, 7), (3,))], ["1-2", "5+7", "3"])

    def test_refusals(self):
        cases = {
            "dialogue=1-2": "No track is named as the mix",
            "mix=1-2,mix=3-4": "Two entries are named as the mix",
            "mix=1-2,music=2-3": "Track 2 stands in the map twice",
            "mix=1-1+1": "twice",
            "mix=1-2,drums=3": "“drums” is no role",
            "mix": "no entry of a track map",
            "mix=2-1": "no range of tracks",
            "mix=0-1": "no range of tracks",
        }
        for text, words in cases.items():
            with self.subTest(text), self.assertRaisesRegex(TrackMapError, words):
                tracks.parse_map(text, ROLES)

    def test_lanes(self):
        def written(info):
            return [sound.written for sound in tracks.sounds_in(info)]

        self.assertEqual(written(file_of(1, 1, 1, 1, 1, 1)), ["1-2", "3-4", "5-6"])
        self.assertEqual(written(file_of(2, 2, 6)), ["1", "2", "3"])
        self.assertEqual(written(file_of(1, 1, 1)), ["1-2", "3"])
        self.assertEqual(written(file_of(8)), ["1-2", "3-4", "5-6", "7-8"])
        self.assertEqual(written(file_of(6, layout="5.1")), ["1-6"])
        self.assertEqual(tracks.sounds_in(file_of(1, 1, titles=("Dialogue L", "Dialogue R")))[0].title, "Dialogue")

    def test_roles_from_names(self):
        names = {
            "DX stem": "dialogue",
            "Voice over": "dialogue",
            "MX": "music",
            "Score": "music",
            "SFX": "effects",
            "Ambience": "effects",
            "M+E": "background",
            "Full mix": "mix",
        }
        for name, role in names.items():
            self.assertEqual(tracks.role_of(name), role, name)
        self.assertIsNone(tracks.role_of("SoundHandler"))


class TakenTest(FolderTest):
    def whole(self, sound):
        return np.concatenate(list(decode.blocks(open_sound(sound))))

    def four_tracks(self, count=4):
        """A film with mono tracks, each a noise of its own."""
        inputs, maps = [], ["-map", "0:v"]
        self.signals = [noise(3, -20 - 3 * k, seed=k) for k in range(count)]
        for k, signal in enumerate(self.signals):
            inputs += ["-i", str(write_wav(self.folder / f"t{k}.wav", signal))]
            maps += ["-map", f"{k + 1}:a"]
        path = self.folder / "film.mov"
        ffmpeg("-f", "lavfi", "-i", "color=s=64x36:r=25:d=3", *inputs, *maps, "-c:a", "pcm_s24le", str(path))
        return path

    def test_mono_tracks_beside_each_other(self):
        path = self.four_tracks()
        found = self.whole(Sound((path,), "film", (3, 4)))
        np.testing.assert_allclose(found, np.stack(self.signals[2:], axis=1), atol=2e-7)
        self.assertEqual(tracks.mix_tracks(probe(path)), (1, 2))
        with self.assertRaisesRegex(TrackMapError, "there is no track 9"):
            open_sound(Sound((path,), "film", (1, 9)))

    def test_channels_of_one_track(self):
        signal = np.stack([noise(3, -20 - k, seed=k) for k in range(8)], axis=1)
        path = write_wav(self.folder / "eight.wav", signal)
        np.testing.assert_allclose(self.whole(Sound((path,), "x", (5, 6))), signal[:, 4:6], atol=2e-7)
        with self.assertRaisesRegex(TrackMapError, "has 8 channels; there is no channel 9"):
            open_sound(Sound((path,), "x", (9,)))

    def test_left_and_right_files(self):
        left, right = noise(5, -20, seed=1), noise(5, -26, seed=2)
        paths = (write_wav(self.folder / "mix.R.wav", right), write_wav(self.folder / "mix.L.wav", left))
        for given in (paths, paths[::-1]):
            np.testing.assert_allclose(self.whole(Sound(given, "mix")), np.stack([left, right], axis=1), atol=2e-7)
        unnamed = (write_wav(self.folder / "a.wav", right), write_wav(self.folder / "b.wav", left))
        np.testing.assert_allclose(self.whole(Sound(unnamed, "mix")), np.stack([right, left], axis=1), atol=2e-7)
        both = judge(measure(Job(Sound(paths, "mix"))), DEFAULT).context.loudness.integrated_lufs
        one = judge(
            measure(Job(Sound((write_wav(self.folder / "m.wav", np.stack([left, right], axis=1)),), "m"))), DEFAULT
        ).context.loudness.integrated_lufs
        self.assertEqual(both, one)

    def test_files_that_are_no_channels_of_one_sound(self):
        short, other = (
            write_wav(self.folder / "s.wav", noise(2, -20)),
            write_wav(self.folder / "o.wav", stereo(noise(5, -20))),
        )
        mono = write_wav(self.folder / "m.wav", noise(5, -20))
        with self.assertRaisesRegex(TrackMapError, "differ in length"):
            open_sound(Sound((mono, short), "x"))
        with self.assertRaisesRegex(TrackMapError, "has 2 channels"):
            open_sound(Sound((mono, other), "x"))

    def test_five_one_by_mask_by_custom_and_by_hand(self):
        """The same surround sound in each order reads alike; EBU Tech 3341 signal 6 is -23.0 LUFS (from memory)."""
        left, centre, side, low = sine(-28, 20), sine(-24, 20), sine(-30, 20), sine(-3, 20, hz=60)
        smpte = np.stack([left, left, centre, low, side, side], axis=1)
        film = smpte[:, [0, 2, 1, 4, 5, 3]]
        sounds = [
            Sound((write_extensible(self.folder / "side.wav", smpte, 0x60F),), "side"),
            Sound((write_extensible(self.folder / "back.wav", smpte, 0x3F),), "back"),
            Sound((write_wav(self.folder / "none.wav", smpte),), "none"),
            Sound((write_wav(self.folder / "film.wav", film),), "film", layout="L C R Ls Rs LFE"),
        ]
        for sound in sounds:
            self.assertAlmostEqual(
                judge(measure(Job(sound)), DEFAULT).context.loudness.integrated_lufs, -23.0, delta=0.1, msg=sound.name
            )
        self.assertFalse(open_sound(sounds[2]).info.says_layout)
        self.assertTrue(open_sound(sounds[0]).info.says_layout)

    def test_sixty_four_channels(self):
        path = write_wav(self.folder / "many.wav", np.tile(noise(2, -30)[:, None], (1, 64)))
        with self.assertRaisesRegex(
            LayoutError, r"has 64 channels and does not say where they stand.*--tracks mix=1-2"
        ):
            open_sound(Sound((path,), "many.wav"))
        self.assertEqual(self.whole(Sound((path,), "many.wav", (63, 64))).shape[1], 2)


class LayoutTest(FolderTest):
    def test_weights_of_large_layouts(self):
        np.testing.assert_allclose(layouts.channel_weights("5.1.4", 10), [1, 1, 1, 0, 1.41, 1.41, 1, 1, 1, 1])
        np.testing.assert_allclose(layouts.channel_weights("5.1(film)", 6), [1, 1, 1, 1.41, 1.41, 0])
        np.testing.assert_allclose(layouts.channel_weights("FL+FR+BC", 3), [1, 1, 1])

    def test_words_of_people_and_of_files(self):
        self.assertEqual(layouts.parse_layout("L C R Ls Rs LFE"), "5.1(film)")
        self.assertEqual(layouts.parse_layout("l,r"), "stereo")
        self.assertEqual(layouts.parse_layout("7.1"), "7.1")
        self.assertEqual(
            layouts.layout_name("10 channels (FL+FR+FC+LFE+BL+BR+TFL+TFR+TBL+TBR)", 10),
            "FL+FR+FC+LFE+BL+BR+TFL+TFR+TBL+TBR",
        )
        self.assertEqual(layouts.channel_names("5.1(film)", 6), ("L", "C", "R", "Ls", "Rs", "LFE"))
        self.assertEqual(layouts.pairs("7.1", 8), ((0, 1), (6, 7), (4, 5)))
        for wrong in ("L X", "L L", ""):
            with self.assertRaises(LayoutError):
                layouts.parse_layout(wrong)


class CommandTest(FolderTest):
    def command(self, *arguments):
        out, err = io.StringIO(), io.StringIO()
        with redirect_stdout(out), redirect_stderr(err):
            code = cli.main(["measure", *(str(a) for a in arguments)])
        return code, out.getvalue(), err.getvalue()

    def test_mix_and_stems_in_one_file(self):
        voice = noise(30, -24, seed=1) * np.repeat(np.tile([1.0, 0.0], 5), 3 * RATE)
        music = noise(30, -40, seed=2)
        path = write_wav(
            self.folder / "all.wav", np.stack([voice + music, voice + music, voice, voice, music, music], axis=1)
        )
        code, out, err = self.command(path, "--tracks", "mix=1-2,dialogue=3-4,music=5-6", "--json")
        result = json.loads(out)
        self.assertEqual((err, result["file"]["channels"], result["separation"]), ("", 2, "stems"))
        self.assertAlmostEqual(result["passages"][0]["speech_to_music_lu"], 16, delta=0.5)
        self.assertIn(code, (0, 1))

    def test_ranges(self):
        path = write_wav(self.folder / "a.wav", stereo(np.concatenate([sine(-10, 10), sine(-23, 20)])))
        result = json.loads(self.command(path, "--from", "00:00:10:00", "--to", "00:00:30:00", "--json")[1])
        self.assertAlmostEqual(result["loudness"]["integrated_lufs"], -23.0, delta=0.1)
        self.assertTrue(result["range"]["by_hand"])
        code, _, err = self.command(path, "--from", "00:00:10:00")
        self.assertEqual((code, err.count("\n")), (2, 1))
        for begin, end, fps, words in (
            ("00:00:20:00", "00:00:10:00", "25", "ends where it begins"),
            ("00:00:10:00", "00:01:40:00", "25", "lies outside"),
            ("00:01:00:00", "00:00:10:00", "29.97df", "does not exist in drop-frame"),
        ):
            code, _, err = self.command(path, "--from", begin, "--to", end, "--fps", fps)
            self.assertEqual(code, 2)
            self.assertIn(words, err)

    def test_what_was_left_out_is_said(self):
        path = write_wav(
            self.folder / "a.wav", stereo(np.concatenate([sine(-18, 8), np.zeros(2 * RATE), noise(30, -20)]))
        )
        _, out, _ = self.command(path)
        self.assertIn("programme 00:00:10:00 - 00:00:40:00; left out: line-up tone 00:00:00:00 - 00:00:10:00", out)
        self.assertNotIn("left out", self.command(path, "--whole")[1])

    def test_several_tracks_without_a_map(self):
        path = self.folder / "two.mka"
        ffmpeg(
            "-i",
            str(self.wav("a.wav")),
            "-i",
            str(self.wav("b.wav")),
            "-map",
            "0",
            "-map",
            "1",
            "-c",
            "copy",
            str(path),
        )
        _, _, err = self.command(path)
        self.assertIn("has 2 audio tracks; track 1 is measured as the mix", err)
        with self.assertRaises(MezzavoceError):
            open_sound(Sound((path,), "x", (1, 2)))

    def test_an_order_of_channels_that_nobody_said_is_said(self):
        surround = np.zeros((RATE * 5, 6))
        surround[:, 0] = noise(5, -20)
        path = write_wav(self.folder / "six.wav", surround)
        said = "does not say where its 6 channels stand; they are counted as L R C LFE Ls Rs"
        self.assertIn(said, self.command(path)[2])
        self.assertNotIn(said, self.command(path, "--channels", "L C R Ls Rs LFE")[2])
        self.assertNotIn(said, self.command(path, "--quiet")[2])
        self.assertNotIn(said, self.command(self.wav("a.wav"))[2])

    def test_left_and_right_on_the_command_line(self):
        left, right = (
            write_wav(self.folder / "m_L.wav", sine(-23, 10)),
            write_wav(self.folder / "m_R.wav", sine(-23, 10)),
        )
        result = json.loads(self.command(left, right, "--json")[1])
        self.assertAlmostEqual(result["loudness"]["integrated_lufs"], -23.0, delta=0.1)
