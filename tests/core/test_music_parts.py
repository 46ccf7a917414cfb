"""Programmes whose music is not one piece.

Depths and times as they were drawn; common practice for sizes, no published source.
"""

import unittest
from functools import cache

import numpy as np
from scipy.signal import butter, sosfilt

from mezzavoce_core.measure.gain.parts import parts
from mezzavoce_core.measure.music_gain import find_gain
from mezzavoce_core.signal.spectrum import FRAMES_PER_S, whole
from tests.core.test_music_gain import levels, song
from tests.signals import RATE

BED = -10.0
FIRST, SECOND = [(10.0, 16.0), (26.0, 32.0), (42.0, 48.0)], [(74.0, 80.0), (90.0, 96.0), (106.0, 112.0)]
SPEECH = [*FIRST, *SECOND]
DUCKS = [(t + d, g) for a, b in SPEECH for t, d, g in ((a, -0.7, 0), (a, -0.2, BED), (b, 0.3, BED), (b, 1.0, 0))]


@cache
def dull(seconds):
    """Music of another kind: soft, nothing in it above 500 Hz.

    Only a long way below the floor of what can be told.
    """
    return sosfilt(butter(12, 500, fs=RATE, output="sos"), song(seconds, seed=3))[: round(seconds * RATE)] * 0.8


def two_cues(first, second, *, rest_s=0.0, fade_s=0.0):
    """One piece and another, with a rest after 60 s."""
    one, other, fade = first.copy(), second.copy(), round(fade_s * RATE)
    if fade:
        one[-fade:] *= np.linspace(1, 0, fade)
        other[:fade] *= np.linspace(0, 1, fade)
    return np.concatenate([one, np.zeros(round(rest_s * RATE)), other])


class PartsTest(unittest.TestCase):
    def test_pieces_are_told_apart_whatever_their_gain(self):
        both = two_cues(song(60), dull(60))
        for points in ([(0, 0)], DUCKS):
            found = parts(whole(levels(points, music=both)))
            self.assertEqual(len(found), 2)
            self.assertAlmostEqual(found[1].first / FRAMES_PER_S, 60.0, delta=2.5)
            self.assertEqual((found[0].first, found[0].last, found[1].last), (0, found[1].first, 120 * FRAMES_PER_S))
            self.assertGreater(len(found[0].used), len(found[1].used) + 10)

    def test_one_piece_is_one_part(self):
        self.assertEqual(len(parts(whole(levels(DUCKS, music=song(120))))), 1)

    def test_what_is_short_is_no_part_of_its_own(self):
        self.assertEqual(len(parts(whole(levels(music=two_cues(song(60), dull(20)))))), 1)
        self.assertEqual(parts(np.zeros((0, 48), dtype=np.float32)), ())

    def test_silence_has_no_bands(self):
        (part,) = parts(np.full((500, 48), -120.0, dtype=np.float32))
        self.assertEqual(len(part.used), 0)


class CuesTest(unittest.TestCase):
    def test_music_without_treble_is_looked_at_beside_music_with_it(self):
        found = find_gain(levels(DUCKS, music=two_cues(song(60), dull(60))), SPEECH).ducks
        self.assertEqual([d.serves for d in found], SPEECH)
        for duck in found:
            self.assertAlmostEqual(duck.depth_db, -BED, delta=1.0)

    def test_a_cue_that_fades_out_before_the_next_one_starts_under_a_voice_is_no_early_fall(self):
        """The music dies away at 60 s, rests, and is down again under the voice from 66 s on."""
        speech = [*FIRST, (66.0, 72.0), (88.0, 94.0), (106.0, 112.0)]
        points = [
            (t + d, g) for a, b in speech for t, d, g in ((a, -0.7, 0), (a, -0.2, BED), (b, 0.3, BED), (b, 1.0, 0))
        ]
        music = two_cues(song(60), song(58, seed=5), rest_s=2.0, fade_s=0.8)
        found = [d for d in find_gain(levels(points, music=music), speech).ducks if d.serves == (66.0, 72.0)]
        self.assertEqual([d.nats.get("early") for d in found], [None])
        self.assertAlmostEqual(found[0].fall_end_s, 65.8, delta=0.2)


if __name__ == "__main__":
    unittest.main()
