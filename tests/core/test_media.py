"""Files as they come: facts, decoding, and each bad one with its sentence."""

import json
import shutil
import struct
import subprocess
import tempfile
import unittest
from fractions import Fraction
from pathlib import Path
from unittest import mock

import numpy as np
import soundfile

from mezzavoce_core.errors import BadSamples, BrokenOff, MediaError, TimecodeError, ToolFailed
from mezzavoce_core.media import decode, ffprobe, layouts, riff
from mezzavoce_core.media.probe import DEFAULT_RATE, FileInfo, probe
from mezzavoce_core.media.source import Sound, open_sound
from tests.signals import RATE, noise, sine, stereo, write_float_wav, write_wav


def ffmpeg(*arguments):
    subprocess.run(["ffmpeg", "-v", "error", "-y", *arguments], check=True)


def opened(path):
    return open_sound(Sound((path,), path.name))


class FolderTest(unittest.TestCase):
    def setUp(self):
        self.folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, self.folder)

    def wav(self, name="a.wav", seconds=2.0, **kwargs):
        return write_wav(self.folder / name, stereo(sine(-20, seconds, rate=kwargs.get("rate", RATE))), **kwargs)


class LayoutsTest(unittest.TestCase):
    """Weights of ITU-R BS.1770-5 (from memory): surrounds 1.41, low-frequency channel left out."""

    def test_weights(self):
        np.testing.assert_allclose(layouts.channel_weights("stereo", 2), [1, 1])
        np.testing.assert_allclose(layouts.channel_weights("5.1", 6), [1, 1, 1, 0, 1.41, 1.41])
        np.testing.assert_allclose(layouts.channel_weights("5.1(side)", 6), [1, 1, 1, 0, 1.41, 1.41])
        np.testing.assert_allclose(layouts.channel_weights("7.1", 8), [1, 1, 1, 0, 1, 1, 1.41, 1.41])
        np.testing.assert_allclose(layouts.channel_weights("12 channels", 12), np.ones(12))

    def test_names(self):
        self.assertEqual(layouts.layout_name("5.1", 6), "5.1")
        self.assertEqual(layouts.layout_name(None, 6), "5.1(side)")
        self.assertEqual(layouts.layout_name("stereo", 6), "5.1(side)")
        self.assertEqual(layouts.layout_name(None, 64), "64 channels")


class ProbeTest(FolderTest):
    def test_facts_of_a_wav(self):
        info = probe(self.wav(rate=44100, seconds=1.5))
        self.assertEqual(
            (info.sample_rate_hz, info.channels, info.layout, info.has_picture), (44100, 2, "stereo", False)
        )
        self.assertAlmostEqual(info.duration_s, 1.5, places=3)
        self.assertIsNone(info.frame_rate)
        self.assertEqual(info.rate, DEFAULT_RATE)

    def test_facts_of_a_film(self):
        path = self.folder / "film.mov"
        ffmpeg(
            "-f",
            "lavfi",
            "-i",
            "color=s=64x36:r=30000/1001:d=2",
            "-i",
            str(self.wav()),
            "-timecode",
            "01:00:00;00",
            "-c:a",
            "pcm_s24le",
            str(path),
        )
        info = probe(path)
        self.assertEqual(
            (info.frame_rate, info.drop_frame, info.start_timecode, info.has_picture),
            ("30000/1001", True, "01:00:00;00", True),
        )
        self.assertEqual(info.rate.fps, Fraction(30000, 1001))

    def test_time_reference_of_a_broadcast_wave(self):
        """EBU Tech 3285: samples since midnight."""
        path = self.folder / "b.wav"
        ffmpeg("-i", str(self.wav()), "-write_bext", "1", "-metadata", f"time_reference={36000 * RATE}", str(path))
        self.assertEqual(probe(path).start_timecode, "10:00:00:00")

    def test_timing_by_hand_wins(self):
        info = probe(self.wav()).with_timing("29.97", "01:00:00;00")
        self.assertEqual((info.frame_rate, info.drop_frame, info.start_timecode), ("30000/1001", True, "01:00:00;00"))
        with self.assertRaises(TimecodeError):
            info.with_timing("25", "01:00:00:29")
        self.assertEqual(probe(self.wav()).with_timing(None, None).frame_rate, None)

    def test_facts_go_through_json(self):
        info = probe(self.wav())
        self.assertEqual(FileInfo.from_dict(json.loads(json.dumps(info.as_dict()))), info)

    def test_each_bad_file_has_its_sentence(self):
        (self.folder / "empty.wav").touch()
        (self.folder / "text.wav").write_text("this is a letter and no sound\n" * 40)
        ffmpeg("-f", "lavfi", "-i", "color=s=64x36:d=1", str(self.folder / "silent.mp4"))
        cases = {
            "missing.wav": "There is no file",
            "empty.wav": "is empty",
            "text.wav": "no video or audio file",
            "silent.mp4": "has a picture but no audio track",
        }
        for name, words in cases.items():
            with self.subTest(name), self.assertRaisesRegex(MediaError, words) as caught:
                probe(self.folder / name)
            self.assertIn(name, str(caught.exception))
        with self.assertRaisesRegex(MediaError, "is not a file"):
            probe(self.folder)

    def test_a_name_is_never_a_protocol(self):
        with self.assertRaisesRegex(MediaError, "There is no file"):
            probe(Path("concat:a.wav|b.wav"))

    def test_a_missing_tool_is_worth_another_try(self):
        path = self.wav(bits=16)
        with mock.patch("subprocess.Popen", side_effect=FileNotFoundError), self.assertRaises(ToolFailed) as caught:
            probe(path)
        self.assertTrue(caught.exception.temporary)

    def test_a_question_put_early_is_not_put_twice(self):
        path = self.wav(bits=16)
        ffprobe.ask([path, self.folder / "nowhere.wav", self.folder])
        with mock.patch("subprocess.Popen", side_effect=AssertionError("asked again")):
            self.assertEqual((probe(path).channels, probe(path, "by another name").name), (2, "by another name"))

    def test_a_file_that_changed_since_is_asked_again(self):
        path = self.wav(seconds=2, bits=16)
        ffprobe.ask([path])
        write_wav(path, stereo(sine(-20, 5)), bits=16)
        self.assertEqual(probe(path).duration_s, 5)


class RiffTest(FolderTest):
    def test_whole_files_pass(self):
        riff.check_riff(self.wav(), "a.wav")
        other = self.folder / "x.flac"
        other.write_bytes(b"fLaC")
        riff.check_riff(other, "x.flac")

    def test_cut_off(self):
        path = self.wav()
        path.write_bytes(path.read_bytes()[:100_000])
        with self.assertRaisesRegex(BrokenOff, r"promises 2.0 s of sound, the file holds 0.3 s"):
            riff.check_riff(path, "a.wav")

    def test_header_counts_too_little(self):
        path = write_float_wav(self.folder / "lie.wav", stereo(sine(-20, 2)), data_size=RATE * 8)
        with self.assertRaisesRegex(BrokenOff, "counts less sound than the file holds"):
            probe(path)

    def test_header_of_a_stream_is_no_lie(self):
        path = write_float_wav(self.folder / "stream.wav", stereo(sine(-20, 1)), data_size=0xFFFFFFFF)
        riff.check_riff(path, "stream.wav")

    def test_size_beyond_four_gigabytes_stands_in_ds64(self):
        """EBU Tech 3306: the true size stands in ``ds64`` when ``data`` says 0xFFFFFFFF."""
        sound = bytes(4000)
        form = b"fmt " + struct.pack("<IHHIIHH", 16, 1, 2, RATE, RATE * 4, 4, 16)
        for size, good in ((4000, True), (6000, False)):
            ds64 = b"ds64" + struct.pack("<IQQQI", 28, 0, size, 0, 0)
            path = self.folder / "big.wav"
            path.write_bytes(b"RF64\xff\xff\xff\xffWAVE" + ds64 + form + b"data\xff\xff\xff\xff" + sound)
            if good:
                riff.check_riff(path, "big.wav")
            else:
                with self.assertRaises(BrokenOff):
                    riff.check_riff(path, "big.wav")

    def test_no_sound_in_it(self):
        path = self.folder / "none.wav"
        path.write_bytes(b"RIFF\x04\x00\x00\x00WAVE")
        with self.assertRaisesRegex(MediaError, "without sound data"):
            riff.check_riff(path, "none.wav")


class DecodeTest(FolderTest):
    def whole(self, path, **kwargs):
        return np.concatenate(list(decode.blocks(opened(path), **kwargs)))

    def test_samples_arrive_as_they_are(self):
        signal = stereo(noise(5.3, -20))
        for bits, step in ((16, 2**-15), (24, 2**-23), (32, 1e-7)):
            path = write_wav(self.folder / f"{bits}.wav", signal, bits=bits)
            np.testing.assert_allclose(self.whole(path), signal, atol=step * 1.01)

    def test_24_bits_of_any_length_are_exact(self):
        for channels in (1, 2, 3):
            for frames in (RATE, RATE + 1, RATE + 2, RATE + 3):
                path = self.folder / "odd.wav"
                soundfile.write(
                    path, np.clip(noise(2 * channels, -12), -1, 1).reshape(-1, channels)[:frames], RATE, "PCM_24"
                )
                wanted, _ = soundfile.read(path, dtype="float32", always_2d=True)
                np.testing.assert_array_equal(self.whole(path), wanted, f"{channels} channels, {frames} frames")

    def test_blocks_begin_on_whole_seconds(self):
        path = self.wav(seconds=9.5)
        sizes = [len(b) for b in decode.blocks(opened(path), block_s=4)]
        self.assertEqual(sizes, [4 * RATE, 4 * RATE, RATE + RATE // 2])
        for rate, channels in ((8000, 1), (48000, 2), (48000, 6), (192000, 64)):
            self.assertLessEqual(
                decode.block_seconds(rate, channels) * rate * channels, max(2_000_000, rate * channels)
            )
        self.assertEqual([len(b) for b in decode.blocks(opened(path), block_s=10)], [9.5 * RATE])

    def test_compressed_formats_open(self):
        source = self.wav(seconds=3)
        for name in ("a.flac", "a.mp3", "a.m4a", "a.opus", "a.aiff"):
            path = self.folder / name
            ffmpeg("-i", str(source), str(path))
            self.assertAlmostEqual(len(self.whole(path)) / RATE, 3.0, delta=0.1, msg=name)

    def test_another_rate_is_resampled(self):
        path = self.wav(rate=44100, seconds=3)
        found = self.whole(path, rate_hz=48000)
        self.assertAlmostEqual(len(found) / 48000, 3.0, delta=0.01)
        self.assertAlmostEqual(20 * np.log10(np.abs(found[4800:-4800]).max()), -20.0, delta=0.05)

    def test_values_that_are_no_numbers(self):
        for bad in (np.nan, np.inf):
            signal = stereo(sine(-20, 6))
            signal[RATE * 5, 1] = bad
            path = write_float_wav(self.folder / "bad.wav", signal)
            with self.assertRaisesRegex(BadSamples, r"no numbers, the first 5.000 s after"):
                self.whole(path)

    def test_a_film_that_breaks_off(self):
        path, cut = self.folder / "film.mp4", self.folder / "cut.mp4"
        ffmpeg("-i", str(self.wav(seconds=20)), "-movflags", "+faststart", "-b:a", "192k", str(path))
        cut.write_bytes(path.read_bytes()[: path.stat().st_size // 2])
        with self.assertRaisesRegex(BrokenOff, "is cut off: it promises 20.0 s"):
            self.whole(cut)

    def test_leaving_early_ends_the_decoder(self):
        path = self.folder / "a.opus"
        ffmpeg("-i", str(self.wav(seconds=60)), str(path))
        for ahead in (False, True):
            reader = decode.blocks(opened(path), block_s=1, ahead=ahead)
            next(reader)
            with mock.patch("subprocess.Popen.kill", autospec=True, side_effect=subprocess.Popen.kill) as kill:
                reader.close()
            self.assertTrue(kill.called)
