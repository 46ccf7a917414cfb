"""Where the picture changed although the sound is the same: drawn frames, laid out by a known edit."""

import unittest

import numpy as np

from mezzavoce_core.errors import NotMeasurable
from mezzavoce_core.versions.alignment import Piece, alignment_of
from mezzavoce_core.versions.pictures import changed_pictures, frames_from


def shots(seconds, seed):
    """A shot every five seconds, with a little movement and noise."""
    dice = np.random.default_rng(seed)
    x, y = np.meshgrid(np.linspace(0, 1, 16), np.linspace(0, 1, 9))
    found = []
    for k in range(2 * seconds):
        if k % 10 == 0:
            a, b, c, d = dice.uniform(-1, 1, 4)
        drawn = 128 + 60 * (a * x + b * y + c * np.sin(4 * x + d * 6)) + 0.4 * (k % 10)
        found.append(np.clip(drawn + dice.normal(0, 2, drawn.shape), 0, 255).astype(np.uint8).ravel())
    return np.array(found)


SAME = alignment_of([Piece(0, 60, 0, 60, 1.0)], 60, 60)


class PicturesTest(unittest.TestCase):
    def setUp(self):
        self.old = shots(60, 1)

    def test_the_same_picture_also_in_another_grading(self):
        for new in (self.old, np.clip(self.old * 0.8 + 20, 0, 255).astype(np.uint8)):
            self.assertEqual(changed_pictures(self.old, new, SAME), [])

    def test_another_shot_is_found_to_half_a_second(self):
        new = self.old.copy()
        new[40:56] = shots(8, 9)[:16]
        (span,) = changed_pictures(self.old, new, SAME)
        self.assertLessEqual(abs(span[0] - 20.0), 0.5)
        self.assertLessEqual(abs(span[1] - 28.0), 0.5)

    def test_it_follows_the_sound_and_not_the_clock(self):
        # Ten seconds were put in before everything, and one shot was exchanged after that.
        new = np.concatenate([shots(10, 5), self.old])
        laid = alignment_of([Piece(0, 60, 10, 70, 1.0)], 60, 70)
        self.assertEqual(changed_pictures(self.old, new, laid), [])
        new[100:110] = 255 - new[100:110]
        ((begin_s, end_s),) = changed_pictures(self.old, new, laid)
        self.assertLessEqual(abs(begin_s - 50) + abs(end_s - 55), 1.0)

    def test_black_where_there_was_a_picture_and_the_other_way(self):
        new = self.old.copy()
        new[40:50] = 16
        self.assertEqual(changed_pictures(self.old, new, SAME), [(20.0, 25.0)])
        self.assertEqual(changed_pictures(new, new, SAME), [])

    def test_a_single_frame_is_no_shot_and_a_part_of_one_is_refused(self):
        new = self.old.copy()
        new[40] = 255 - new[40]
        self.assertEqual(changed_pictures(self.old, new, SAME), [])
        np.testing.assert_array_equal(frames_from(self.old.tobytes()), self.old)
        for content in (b"", b"x" * 145):
            with self.assertRaises(NotMeasurable):
                frames_from(content)
