"""Native FLAC, read by its reference library, against the same sound as ffmpeg decodes it."""

from unittest import mock

import numpy as np

from mezzavoce_core.errors import MediaError
from mezzavoce_core.media import decode, flac
from tests.core.test_media import FolderTest, ffmpeg, opened
from tests.signals import RATE, noise, write_wav

TOTAL_AT = 21  # the upper four bits of the number of frames are the lower half of this byte, four bytes follow


def by_ffmpeg(path):
    """Samples as ffmpeg decodes them, ``(frames, channels)``."""
    with mock.patch.object(flac, "stream_info", return_value=None):
        return whole(path)


def whole(path, **how):
    return np.concatenate(list(decode.blocks(opened(path), **how)))


class FlacTest(FolderTest):
    def made(self, name, *options, channels=2, seconds=3.3):
        """Noise, another in each channel, as FLAC."""
        samples = np.stack([noise(seconds, -30 - c, seed=c) for c in range(channels)], axis=1)
        wav, path = write_wav(self.folder / f"{name}.wav", samples), self.folder / f"{name}.flac"
        ffmpeg("-i", str(wav), "-c:a", "flac", *options, str(path))
        return path

    def test_as_ffmpeg_decodes_it(self):
        deep = ("-sample_fmt", "s32", "-bits_per_raw_sample", "24")
        for name, options, channels in (
            ("16", ("-sample_fmt", "s16"), 2),
            ("mono", deep, 1),
            ("odd", (*deep, "-frame_size", "1021"), 2),
            ("many", deep, 8),
        ):
            path = self.made(name, *options, channels=channels)
            self.assertIsNotNone(flac.stream_info(path), name)
            expected = by_ffmpeg(path)
            for how in ({}, {"block_s": 1}, {"block_s": 2, "ahead": True}):
                np.testing.assert_array_equal(whole(path, **how), expected, err_msg=f"{name} {how}")

    def test_the_length_it_says(self):
        path = self.made("long", seconds=2.5)
        self.assertEqual(flac.stream_info(path), flac.StreamInfo(RATE, 2, 24, round(2.5 * RATE)))
        self.assertIsNone(flac.stream_info(self.folder / "long.wav"))

    def test_one_that_does_not_say_its_length_is_left_to_ffmpeg(self):
        path = self.made("live")
        expected, raw = whole(path), bytearray(path.read_bytes())
        raw[TOTAL_AT] &= 0xF0
        raw[TOTAL_AT + 1 : TOTAL_AT + 5] = bytes(4)
        path.write_bytes(raw)
        self.assertIsNone(flac.stream_info(path))
        np.testing.assert_array_equal(whole(path), expected)

    def test_what_follows_the_sound_does_no_harm(self):
        path = self.made("tagged")
        expected = whole(path)
        path.write_bytes(path.read_bytes() + b"TAG" + bytes(125))
        for ahead in (False, True):
            np.testing.assert_array_equal(whole(path, ahead=ahead), expected)

    def test_damage_is_said(self):
        path = self.made("damaged")
        raw = bytearray(path.read_bytes())
        raw[len(raw) // 2] ^= 0x55
        path.write_bytes(raw)
        for ahead in (False, True):
            with self.assertRaisesRegex(MediaError, "damaged.flac.*damaged.*Export it again"):
                whole(path, block_s=1, ahead=ahead)

    def test_values_that_the_bits_do_not_hold(self):
        to = np.zeros(4, dtype=np.float32)
        self.assertTrue(flac._lay(np.array([-(2**15), 2**14, 0, 1], dtype=np.int32), np.int64(2**15), to))
        np.testing.assert_array_equal(to, np.array([-1, 0.5, 0, 2.0**-15], dtype=np.float32))
        for far in (2**15 + 1, -(2**31)):
            self.assertFalse(flac._lay(np.array([0, far, 0, 0], dtype=np.int32), np.int64(2**15), to))

    def test_channels_that_change_inside_are_said(self):
        first, second = self.made("first"), self.made("second", channels=1)
        path = self.folder / "both.flac"
        frames = 2 * flac.stream_info(first).frames
        begin = bytearray(first.read_bytes())
        begin[TOTAL_AT + 1 : TOTAL_AT + 5] = frames.to_bytes(4)
        path.write_bytes(begin + second.read_bytes()[self.sound_begins(second) :])
        with self.assertRaisesRegex(MediaError, "change inside it"):
            list(flac.read(path, "both.flac", RATE))

    @staticmethod
    def sound_begins(path):
        """The byte behind the metadata.

        Each block begins with its kind (the upper bit marks the last) and its length.
        """
        raw, at, last = path.read_bytes(), 4, False
        while not last:
            last = bool(raw[at] & 0x80)
            at += 4 + int.from_bytes(raw[at + 1 : at + 4])
        return at

    def test_without_the_library_ffmpeg_decodes(self):
        path = self.made("plain")
        expected = whole(path)
        with mock.patch.object(flac.ctypes, "CDLL", side_effect=OSError):
            self.assertIsNone(flac.stream_info(path))
            np.testing.assert_array_equal(whole(path), expected)
