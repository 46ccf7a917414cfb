"""A whole role written as the notes would have it: read back by other readers, and the same in pieces of any size."""

import tempfile
import unittest
import wave
from pathlib import Path
from unittest import mock

import numpy as np
import soundfile

from mezzavoce_core import proposed
from mezzavoce_core.errors import NotMeasurable, StemError
from mezzavoce_core.exchange.sheets import guide
from mezzavoce_core.media.source import Sound
from mezzavoce_core.proposed import PlacedStem, write_proposed
from mezzavoce_core.render import Change
from mezzavoce_core.signal.peaking import PeakingFilter
from tests.core.test_sheets import note, sheet
from tests.signals import RATE, automated, chord, stereo, write_wav

POINTS = [(7.5, 0.0), (8.0, -8.0), (14.0, -8.0), (14.8, 0.0)]


class ProposedTest(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.music = chord(24, -24)
        self.stem = self.store("strings.wav", self.music)

    def store(self, name, signal):
        write_wav(self.folder / name, stereo(signal))
        return PlacedStem(Sound((self.folder / name,), name), 0.0)

    def written(self, *changes, stems=None, of=None):
        target = self.folder / "out.wav"
        write_proposed(stems or [self.stem], changes, of or sheet(note(), duration_s=24.0), target)
        return soundfile.read(target)[0]

    def test_points_are_carried_out_and_the_rest_is_as_it_was(self):
        found = self.written(Change("music", *zip(*POINTS, strict=True)))
        np.testing.assert_allclose(found[:, 0], automated(self.music, POINTS), atol=2e-4)
        with wave.open(str(self.folder / "out.wav")) as file:
            self.assertEqual((file.getnchannels(), file.getnframes()), (2, 24 * RATE))

    def test_in_pieces_of_any_size_it_is_the_same(self):
        cuts = (PeakingFilter(1000.0, 1.0, -6.0),)
        changes = (
            Change("music", *zip(*POINTS, strict=True)),
            Change("music", (1.0, 1.5, 20.0, 20.5), (0.0, 0.0, 0.0, 0.0), cuts),
        )
        whole = self.written(*changes)
        with mock.patch.object(proposed, "_PIECE_S", 2.5):
            np.testing.assert_allclose(self.written(*changes), whole, atol=2e-4)

    def test_a_stem_that_lies_later_and_one_that_is_not_meant(self):
        later = PlacedStem(self.stem.sound, 0.5)
        found = self.written(stems=[later])
        np.testing.assert_allclose(found[RATE // 2 :, 0], self.music[: -RATE // 2], atol=1e-4)
        self.assertEqual(np.abs(found[: RATE // 2]).max(), 0.0)
        earlier = self.written(stems=[PlacedStem(self.stem.sound, -0.5)])
        np.testing.assert_allclose(earlier[: -RATE // 2, 0], self.music[RATE // 2 :], atol=1e-4)
        drums = self.store("drums.wav", 0.1 * self.music)
        change = Change("music", (0.0,), (-120.0,), source="drums.wav")
        np.testing.assert_allclose(self.written(change, stems=[self.stem, drums])[:, 0], self.music, atol=1e-4)

    def test_what_cannot_be_written(self):
        other = self.folder / "other.wav"
        soundfile.write(other, np.zeros((1000, 2)), 44100)
        with self.assertRaisesRegex(StemError, "different sample rates"):
            self.written(stems=[self.stem, PlacedStem(Sound((other,), "other.wav"), 0.0)])
        with mock.patch.object(guide, "_MOST_BYTES", 1000), self.assertRaisesRegex(NotMeasurable, "more than 4 GB"):
            self.written()
