"""Facts of plain WAVE files are those that ffprobe tells; whatever is not plain is left to it."""

import struct
import subprocess
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import soundfile

from mezzavoce_core.media import ffprobe
from mezzavoce_core.media.plain import plain_facts
from mezzavoce_core.media.probe import probe
from tests.signals import noise, stereo

RATE, FRAMES = 48000, 4801
TAIL = bytes.fromhex("000000001000800000aa00389b71")
MASKS = {1: 0x4, 2: 0x3, 3: 0x7, 4: 0x33, 5: 0x607, 6: 0x60F, 8: 0x63F}


def chunk(name, content):
    return name + struct.pack("<I", len(content)) + content + b"\0" * (len(content) % 2)


def form(channels=2, bits=24, tag=1, mask=None, *, valid=None, rate=RATE, tail=TAIL):
    frame = channels * bits // 8
    head = struct.pack("<HHIIHH", tag if mask is None else 0xFFFE, channels, rate, rate * frame, frame, bits)
    return chunk(b"fmt ", head if mask is None else head + struct.pack("<HHIH", 22, valid or bits, mask, tag) + tail)


def sound(channels=2, bits=24, frames=FRAMES):
    return chunk(b"data", bytes(k * 7 % 251 for k in range(frames * channels * bits // 8)))


def bext(reference):
    return chunk(b"bext", b"\0" * 338 + struct.pack("<QH", reference, 1) + b"\0" * 254)


class PlainTest(unittest.TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.path = Path(holder.name) / "a.wav"

    def file(self, *chunks):
        content = b"WAVE" + b"".join(chunks)
        self.path.write_bytes(b"RIFF" + struct.pack("<I", len(content)) + content)
        return self.path

    def assert_the_same(self, path):
        self.assertIsNotNone(plain_facts(path))
        ours = probe(path)
        with mock.patch("mezzavoce_core.media.probe.plain_facts", return_value=None):
            self.assertEqual(ours, probe(path))

    def test_every_coding_and_number_of_channels(self):
        for bits, tag in ((24, 1), (32, 1), (32, 3), (64, 3)):
            for channels in (1, 2, 3, 4, 5, 6, 7, 8, 12):
                with self.subTest(bits=bits, tag=tag, channels=channels):
                    self.assert_the_same(self.file(form(channels, bits, tag), sound(channels, bits)))

    def test_where_channels_stand(self):
        for channels, mask in (*MASKS.items(), (6, 0x3F), (5, 0x37), (3, 0xB), (6, 0), (2, 0)):
            with self.subTest(channels=channels, mask=mask):
                self.assert_the_same(self.file(form(channels, mask=mask), sound(channels)))

    def test_rates_and_lengths(self):
        for rate in (8000, 44100, 48000, 96000, 192000):
            for frames in (1, 4799, 4800):
                self.assert_the_same(self.file(form(rate=rate), sound(frames=frames)))

    def test_what_stands_around_the_sound(self):
        info = chunk(b"LIST", b"INFO" + chunk(b"INAM", b"Ebb") + chunk(b"ISFT", b"by hand"))
        extra = chunk(b"iXML", b"<BWFXML><SPEED><TIMECODE_RATE>25/1</TIMECODE_RATE></SPEED></BWFXML>")
        for reference in (0, 36000 * RATE, 2**33):
            self.assert_the_same(self.file(chunk(b"JUNK", b"\0" * 28), bext(reference), form(), extra, sound(), info))
        self.assertIsNotNone(probe(self.path).start_timecode)

    def test_as_libraries_write_them(self):
        for subtype in ("PCM_24", "PCM_32", "FLOAT", "DOUBLE"):
            soundfile.write(self.path, stereo(noise(0.2, -20)), RATE, subtype=subtype)
            self.assert_the_same(self.path)
        broadcast = ["-c:a", "pcm_s24le", "-write_bext", "1", "-metadata", f"time_reference={60 * RATE}"]
        subprocess.run(
            ["ffmpeg", "-v", "error", "-y", "-f", "lavfi", "-i", "anoisesrc=d=0.2:r=48000", *broadcast, str(self.path)],
            check=True,
        )
        self.assert_the_same(self.path)
        self.assertEqual(probe(self.path).start_timecode, "00:01:00:00")

    def test_everything_else_is_left_to_ffprobe(self):
        timecode = chunk(b"LIST", b"INFO" + chunk(b"ISMP", b"10:00:00:00"))
        for content in (
            (form(bits=16), sound(bits=16)),
            (form(2, tag=0x55), sound()),
            (form(mask=0x3, valid=20), sound()),
            (form(mask=0x3, tail=TAIL[::-1]), sound()),
            (form(4, mask=0x107), sound(4)),
            (form(6, mask=0x3), sound(6)),
            (form(), timecode, sound()),
            (form(), chunk(b"id3 ", b"ID3"), sound()),
            (form(), sound(), sound()),
            (form(), sound()[:-2]),
            (form(), chunk(b"data", b"")),
            (form(rate=0), sound()),
            (sound(),),
            (chunk(b"fmt ", b"\1\0"), sound()),
            (),
        ):
            self.assertIsNone(plain_facts(self.file(*content)), content and content[0][:40])
        self.path.write_bytes(b"RF64" + self.path.read_bytes()[4:])
        self.assertIsNone(plain_facts(self.path))
        self.path.write_bytes(b"RIFF")
        self.assertIsNone(plain_facts(self.path))

    def test_nobody_is_asked_about_a_plain_file(self):
        with mock.patch("subprocess.Popen") as started:
            ffprobe.ask([self.file(form(), sound())])
            self.assertEqual(probe(self.path).channels, 2)
            started.assert_not_called()
            ffprobe.ask([self.file(form(bits=16), sound(bits=16))])
            started.assert_called_once()
        ffprobe._put.clear()
