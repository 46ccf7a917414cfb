"""Files as post houses deliver them: the figures do not depend on container, threads or blocks.

Odd files get a figure or a sentence.
"""

import os
import struct
import threading
import time
import unittest
from fractions import Fraction

import numpy as np

from mezzavoce_core.errors import BrokenOff, MezzavoceError, StillWritten
from mezzavoce_core.judge.judging import judge
from mezzavoce_core.judge.spec import from_dict
from mezzavoce_core.measure.programme import whole
from mezzavoce_core.media import decode
from mezzavoce_core.media.probe import probe
from mezzavoce_core.media.source import Sound
from mezzavoce_core.pipeline import Job, measure
from mezzavoce_core.timecode import FrameRate, format_timecode, parse_timecode
from tests.core.test_media import FolderTest, ffmpeg, opened
from tests.signals import RATE, chord, noise, sine, stereo, talk, write_wav

SPEC = from_dict({"name": "t", "limits": {"clearance_lu": None}})
LOSSLESS = {
    "a.flac": ("-c:a", "flac", "-sample_fmt", "s32", "-bits_per_raw_sample", "24"),
    "a.aiff": ("-c:a", "pcm_s24be"),
    "a.mov": ("-c:a", "pcm_s24le"),
    "a.mkv": ("-c:a", "flac", "-sample_fmt", "s32", "-bits_per_raw_sample", "24"),
    "rf64.wav": ("-c:a", "pcm_s24le", "-rf64", "always"),
    "float.wav": ("-c:a", "pcm_f32le"),
    "double.wav": ("-c:a", "pcm_f64le"),
    "wide.wav": ("-c:a", "pcm_s32le"),
    "a.w64": ("-c:a", "pcm_s24le"),
    "a.caf": ("-c:a", "pcm_s24le"),
    "a.m4a": ("-c:a", "alac", "-sample_fmt", "s32p"),
}
LOSSY = {
    "a.mp3": ("-b:a", "320k"),
    "a.aac": ("-b:a", "256k"),
    "a.opus": ("-b:a", "192k"),
    "a.ac3": ("-b:a", "448k"),
    "a.ogg": ("-b:a", "256k"),
}


def levels(path, **job):
    return measure(Job(Sound((path,), path.name), **job)).mix


def loudness(path):
    measured = measure(Job(Sound((path,), path.name)))
    return judge(measured, SPEC, programme=whole(measured.duration_s)).context.loudness


class SameFiguresTest(FolderTest):
    def setUp(self):
        super().setUp()
        music = np.stack([chord(31.7, -20, hz=220), chord(31.7, -22, hz=330)], axis=1)
        self.path = write_wav(self.folder / "a.wav", music + stereo(talk(31.7, [(3, 9), (14, 28)], -22)))
        self.levels = levels(self.path)

    def same(self, other, words):
        for name in ("power", "sample_peak", "true_peak", "true_peak_at", "flat_run", "together"):
            np.testing.assert_array_equal(getattr(other, name), getattr(self.levels, name), err_msg=f"{words}: {name}")

    def test_in_every_container_that_loses_nothing(self):
        for name, options in LOSSLESS.items():
            path = self.folder / name
            ffmpeg("-i", str(self.path), *options, str(path))
            self.same(levels(path), name)

    def test_with_any_number_of_threads(self):
        for threads in (2, 3, 8):
            self.same(levels(self.path, threads=threads), f"{threads} threads")

    def test_flac_read_by_turns(self):
        path = self.folder / "a.flac"
        ffmpeg("-i", str(self.path), *LOSSLESS["a.flac"], str(path))
        one = np.concatenate(list(decode.blocks(opened(path), block_s=1)))
        two = np.concatenate(list(decode.blocks(opened(path), block_s=1, ahead=True)))
        np.testing.assert_array_equal(one, two)
        self.same(levels(path, threads=2), "two readers")
        for _ in decode.blocks(opened(path), block_s=1, ahead=True):
            break
        path.write_bytes(path.read_bytes()[: path.stat().st_size // 2])
        for ahead in (False, True):
            with self.assertRaises(MezzavoceError):
                list(decode.blocks(opened(path), block_s=1, ahead=ahead))

    def test_beside_a_picture(self):
        for name, options in (
            ("film.mov", ("-c:v", "mpeg4")),
            ("film.mxf", ("-c:v", "mpeg2video")),
            ("film.mkv", ("-c:v", "mpeg4")),
        ):
            path = self.folder / name
            ffmpeg(
                "-f",
                "lavfi",
                "-i",
                "color=s=64x36:r=25:d=31.68",
                "-i",
                str(self.path),
                *options,
                "-c:a",
                "pcm_s24le",
                str(path),
            )
            found = levels(path)
            self.assertEqual(found.samples // RATE, 31)
            np.testing.assert_array_equal(found.power[:3000], self.levels.power[:3000], err_msg=name)

    def test_a_floor_leaves_every_over_and_the_highest_as_they_are(self):
        for floor_dbtp in (-12.0, -6.0, -1.0):
            found = levels(self.path, peak_floor_dbtp=floor_dbtp)
            over = self.levels.true_peak > 10 ** (floor_dbtp / 20)
            np.testing.assert_array_equal(found.true_peak[over], self.levels.true_peak[over])
            np.testing.assert_array_equal(found.true_peak_at[over], self.levels.true_peak_at[over])
            self.assertEqual(found.true_peak.max(), self.levels.true_peak.max())

    def test_lossy_ones_come_close(self):
        reference = loudness(self.path)
        for name, options in LOSSY.items():
            path = self.folder / name
            ffmpeg("-i", str(self.path), *options, str(path))
            self.assertAlmostEqual(loudness(path).integrated_lufs, reference.integrated_lufs, delta=0.15, msg=name)


class RatesAndDepthsTest(FolderTest):
    def test_from_8_to_192_khz(self):
        """A sine of 997 Hz at -20 dBFS in both channels stands at -20 LUFS at any rate.

        ITU-R BS.1770: -3.01 for 0 dBFS in one channel.
        """
        for rate in (8000, 11025, 16000, 22050, 32000, 44100, 48000, 88200, 96000, 176400, 192000):
            path = write_wav(self.folder / f"{rate}.wav", stereo(sine(-20, 6, rate=rate, hz=997)), rate=rate)
            self.assertAlmostEqual(loudness(path).integrated_lufs, -20.0, delta=0.05, msg=f"{rate} Hz")

    def test_from_8_bits_to_64_bit_float(self):
        source = write_wav(self.folder / "a.wav", stereo(sine(-6, 3, hz=997)))
        for coding in (
            "pcm_u8",
            "pcm_s16le",
            "pcm_s24le",
            "pcm_s32le",
            "pcm_f32le",
            "pcm_f64le",
            "pcm_alaw",
            "pcm_mulaw",
        ):
            path = self.folder / f"{coding}.wav"
            ffmpeg("-i", str(source), "-c:a", coding, str(path))
            self.assertAlmostEqual(loudness(path).integrated_lufs, -6.0, delta=0.1, msg=coding)

    def test_wide_layouts(self):
        """All channels at one level: front and back count once, the sides 1.41 times, LFE not at all.

        ITU-R BS.1770-5, by azimuth.
        """
        for layout, channels, weight in (("5.1", 6, 3 + 2 * 1.41), ("7.1", 8, 3 + 2 * 1.41 + 2)):
            path = write_wav(
                self.folder / f"{channels}.wav", np.stack([noise(5, -30, seed=k) for k in range(channels)], axis=1)
            )
            measured = measure(Job(Sound((path,), path.name, layout=layout)))
            one = write_wav(self.folder / "one.wav", noise(5, -30, seed=0))
            level = judge(measured, SPEC, programme=whole(5.0)).context.loudness.integrated_lufs
            self.assertAlmostEqual(level - loudness(one).integrated_lufs, 10 * np.log10(weight), delta=0.1, msg=layout)


class OddFilesTest(FolderTest):
    def test_five_gigabytes_that_are_mostly_holes(self):
        path, tone = self.folder / "large.wav", (sine(-6, 1.0) * 2**23).astype("<i4")
        data = 5 * 1024**3 // 6 * 6
        head = b"RF64\xff\xff\xff\xffWAVEds64" + struct.pack("<IQQQI", 28, data + 72, data, data // 6, 0)
        head += b"fmt " + struct.pack("<IHHIIHH", 16, 1, 2, RATE, RATE * 6, 6, 24) + b"data\xff\xff\xff\xff"
        raw = np.repeat(tone, 2).view(np.uint8).reshape(-1, 4)[:, :3].tobytes()
        with path.open("wb") as file:
            file.write(head)
            file.seek(len(head) + data - len(raw))
            file.write(raw)
        info = probe(path)
        self.assertAlmostEqual(info.duration_s, data / 6 / RATE, delta=0.01)
        found = decode.window(opened(path), info.duration_s - 0.5, 0.01)
        self.assertEqual(found.shape, (480, 2))
        self.assertAlmostEqual(float(np.abs(found).max()), 10 ** (-6 / 20), delta=0.01)
        os.truncate(path, len(head) + data // 2)
        with self.assertRaises(BrokenOff):
            probe(path)

    def test_a_file_that_grows_while_it_is_read(self):
        path = write_wav(self.folder / "a.flac.wav", stereo(noise(20, -30)))
        grown = self.folder / "a.aiff"
        ffmpeg("-i", str(path), str(grown))
        reader = decode.blocks(opened(grown), block_s=1)
        next(reader)
        with grown.open("ab") as file:
            file.write(b"more")
        with self.assertRaisesRegex(StillWritten, "changed while it was read. Wait until"):
            list(reader)

    def test_a_file_that_something_else_keeps_writing(self):
        path = write_wav(self.folder / "a.wav", stereo(noise(30, -30)))
        stop = threading.Event()

        def write():
            while not stop.wait(0.002):
                with path.open("ab") as file:
                    file.write(b"\0" * 600)

        writer = threading.Thread(target=write)
        writer.start()
        try:
            time.sleep(0.01)
            with self.assertRaises(MezzavoceError):
                levels(path)
        finally:
            stop.set()
            writer.join()

    def test_sample_rates_that_change_inside(self):
        parts = []
        for rate in (48000, 44100):
            source = write_wav(self.folder / f"{rate}.wav", stereo(sine(-20, 4, rate=rate)), rate=rate)
            for kind in ("mp3", "aac"):
                ffmpeg("-i", str(source), "-ar", str(rate), str(self.folder / f"{rate}.{kind}"))
        for kind in ("mp3", "aac"):
            path = self.folder / f"both.{kind}"
            path.write_bytes(
                (self.folder / f"48000.{kind}").read_bytes() + (self.folder / f"44100.{kind}").read_bytes()
            )
            try:
                parts.append(loudness(path).integrated_lufs)
            except MezzavoceError as error:
                self.assertRegex(str(error), "[A-Z“].*\\.")
                parts.append(-20.0)
        self.assertTrue(all(abs(level + 20) < 0.5 for level in parts), parts)

    def test_nothing_is_lost_where_channels_change_inside(self):
        transport, parts = self.folder / "both.ts", []
        for channels in (2, 1, 2):
            part = self.folder / f"{channels}.ts"
            ffmpeg("-f", "lavfi", "-i", "sine=d=2.3:r=48000", "-ac", str(channels), "-c:a", "aac", str(part))
            parts.append(part)
        transport.write_bytes(b"".join(part.read_bytes() for part in parts))
        raw = self.folder / "raw.wav"
        ffmpeg("-i", str(transport), "-ac", "2", str(raw))
        found = sum(map(len, decode.blocks(opened(transport))))
        self.assertAlmostEqual(found / RATE, probe(raw).duration_s, delta=0.001)

    def test_a_picture_whose_frame_rate_varies(self):
        path = self.folder / "phone.mp4"
        source = write_wav(self.folder / "a.wav", stereo(sine(-20, 4)))
        slow = "setpts='if(lt(N,30),N/30,1+(N-30)/12)/TB'"
        ffmpeg(
            "-f",
            "lavfi",
            "-i",
            "testsrc2=s=64x36:r=30:d=3",
            "-i",
            str(source),
            "-vf",
            slow,
            "-vsync",
            "vfr",
            "-c:a",
            "aac",
            str(path),
        )
        info = probe(path)
        self.assertTrue(info.frame_rate_varies)
        self.assertAlmostEqual(loudness(path).integrated_lufs, -20.0, delta=0.2)
        steady = self.folder / "steady.mp4"
        ffmpeg("-f", "lavfi", "-i", "testsrc2=s=64x36:r=30:d=3", "-i", str(source), "-c:a", "aac", str(steady))
        self.assertFalse(probe(steady).frame_rate_varies)


class EveryRateTest(unittest.TestCase):
    def test_the_last_frame_and_midnight(self):
        for name, drop in (
            *(
                (n, False)
                for n in ("24000/1001", "24", "25", "30000/1001", "30", "48000/1001", "48", "50", "60000/1001", "60")
            ),
            ("30000/1001", True),
            ("60000/1001", True),
        ):
            rate = FrameRate(Fraction(name), drop_frame=drop)
            mark = ";" if drop else ":"
            last = parse_timecode(f"23:59:59{mark}{rate.nominal - 1:02d}", rate)
            self.assertEqual(format_timecode(last + 1, rate), f"00:00:00{mark}00", name)
            self.assertEqual(parse_timecode(f"00:00:00{mark}00", rate), 0)
            self.assertEqual(format_timecode(last, rate), f"23:59:59{mark}{rate.nominal - 1:02d}")
