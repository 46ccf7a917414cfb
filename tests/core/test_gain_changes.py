"""How far music moves by itself around a place says what a change there tells."""

import unittest

import numpy as np

from mezzavoce_core.measure.gain.changes import SCALES, Places, compared, unrest
from mezzavoce_core.signal.spectrum import FRAMES_PER_S
from tests.core.test_music_gain import levels
from tests.gains import changes_of
from tests.signals import RATE

_COUNT, _HALF = 6000, 3000


def calm_then_stirred(times=3.0):
    moved = np.random.default_rng(1).standard_normal(_COUNT)
    moved[_HALF:] *= times
    return moved


def everywhere(width=1, hop=1, calm=None):
    all_of_them = np.ones(_COUNT // hop, dtype=np.bool_)
    return Places(width, hop, all_of_them, all_of_them if calm is None else calm)


class ComparedTest(unittest.TestCase):
    def test_several_at_once_are_as_each_by_itself(self):
        levels_db = np.random.default_rng(2).normal(-30, 6, (400, 3))
        for width, hop, as_one in SCALES:
            at = np.arange(0, 400, hop)
            together = compared(levels_db, width, at, as_one)
            for k, band in enumerate(levels_db.T):
                np.testing.assert_array_equal(together[:, k], compared(band, width, at, as_one))


class UnrestTest(unittest.TestCase):
    def test_it_is_as_many_times_higher_where_music_moves_so_many_times_as_far(self):
        around = unrest(calm_then_stirred(), everywhere())
        # What is far out counts up to a limit.
        self.assertAlmostEqual(
            float(np.median(around[_HALF + 300 :]) / np.median(around[: _HALF - 300])), 3.0, delta=0.4
        )
        self.assertAlmostEqual(float(around.mean()), 1.0, delta=0.05)

    def test_music_that_moves_alike_everywhere_has_none(self):
        around = unrest(calm_then_stirred(1.0), everywhere())
        self.assertLess(float(np.abs(around - 1).max()), 0.25)

    def test_a_tone_that_is_held_is_calm_but_not_without_end(self):
        moved = calm_then_stirred()
        moved[:_HALF] = 0.0
        np.testing.assert_array_equal(unrest(moved, everywhere())[: _HALF - 300], 0.25)

    def test_a_change_says_nothing_of_itself(self):
        moved, alone = calm_then_stirred(1.0), calm_then_stirred(1.0)
        moved[1000] = 50.0
        before, after = unrest(alone, everywhere()), unrest(moved, everywhere())
        self.assertLess(abs(float(after[1000] / before[1000]) - 1), 0.01)
        self.assertGreater(float(after[1010] / before[1010]), 1.01)

    def test_what_a_gain_moves_is_not_learned_from(self):
        calm = np.ones(_COUNT, dtype=np.bool_)
        calm[900:1100] = False
        moved = calm_then_stirred(1.0)
        moved[900:1100] *= 8
        np.testing.assert_allclose(unrest(moved, everywhere(calm=calm))[500:1500], 1.0, atol=0.25)

    def test_by_belief_it_is_the_usual_where_hardly_anything_is_near(self):
        calm = np.zeros(_COUNT, dtype=np.bool_)
        calm[:1000] = True
        around = unrest(calm_then_stirred(), everywhere(calm=calm))
        np.testing.assert_array_equal(around[1300:], 1.0)

    def test_where_it_is_hardly_ever_calm_nothing_is_learned(self):
        calm = np.zeros(_COUNT, dtype=np.bool_)
        calm[:300] = True
        np.testing.assert_array_equal(unrest(calm_then_stirred(), everywhere(calm=calm)), 1.0)

    def test_longer_scales_look_farther(self):
        moved = calm_then_stirred()[::4]
        near, far = (unrest(moved, everywhere(width, 4))[_HALF // 4 - 60] for width in (4, 40))
        self.assertGreater(float(far), float(near))


class StepTest(unittest.TestCase):
    def test_a_step_tells_more_where_music_is_calm_than_where_it_is_stirred(self):
        dice = np.random.default_rng(4)
        swings_db = np.repeat(dice.normal(0, 1, 600), RATE // 10) * np.repeat([0.5, 3.0], 30 * RATE)
        stirred_later = dice.normal(0, 0.05, 60 * RATE) * 10 ** (swings_db / 20)
        found = changes_of(levels(music=stirred_later), repeated=False)
        for scale in found.scales[1:]:
            with self.subTest(frames=scale.width):
                first, second = (
                    scale.step[round(a * FRAMES_PER_S) // scale.hop : round(b * FRAMES_PER_S) // scale.hop]
                    for a, b in ((5, 25), (35, 55))
                )
                self.assertGreater(float(np.median(first)), 1.5 * float(np.median(second)))
