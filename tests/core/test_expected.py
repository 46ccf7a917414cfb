"""What music does by itself where the same sound stands elsewhere is taken from what it does here."""

import unittest

import numpy as np

from mezzavoce_core.measure.gain.changes import Changes, Scale, changes
from mezzavoce_core.measure.gain.expected import Partners, beyond, beyond_expected, partners
from mezzavoce_core.measure.gain.likeness import Pairs, pairs
from mezzavoce_core.measure.gain.loops import BLOCK, KEPT, lined_up
from mezzavoce_core.measure.music_gain import find_gain
from mezzavoce_core.signal.spectrum import whole
from tests.signals import RATE, automated, levels_of

_PHRASE_S, _STROKE_S = 8.0, 3.02
_STEP_S = 36.02


def strokes(gain_db=0.0, *, alike=True):
    """Levels of a minute: a phrase of 8 s comes again and again, or never, 8 dB louder from 3.02 to 5 s; a gain steps at 36.02 s, 4 s into one."""
    dice = np.random.default_rng(9)
    count, phrase = 60 * RATE, round(_PHRASE_S * RATE)
    grain = np.repeat(dice.normal(0, 3, 60 * 10), RATE // 10)
    grain = np.resize(grain[:phrase], count) if alike else grain
    sound = dice.normal(0, 0.02, (phrase if alike else count, 2))
    sound = np.resize(sound, (count, 2)) + dice.normal(0, 0.001, (count, 2))
    at = np.arange(count) / RATE
    stroke = (at % _PHRASE_S >= _STROKE_S) & (at % _PHRASE_S < 5.0)
    level = grain + np.where(stroke, 8.0, 0.0) + np.where(at < _STEP_S, 0.0, gain_db)
    signal = sound * 10 ** (level / 20)[:, None]
    return levels_of(signal, between_samples=False, spectrum=True).spectrum / np.float32(100)


def beats(points):
    """Levels of 64 s in which a phrase of 8 s comes again and again, 8 dB louder for 2 s from 0.45 s on, under gains as ``points`` say."""
    dice = np.random.default_rng(9)
    count, phrase = 64 * RATE, round(_PHRASE_S * RATE)
    level = np.resize(np.repeat(dice.normal(0, 2, round(_PHRASE_S * 10)), RATE // 10), count)
    sound = np.resize(dice.normal(0, 0.02, phrase), count) + dice.normal(0, 0.002, count)
    level += np.where((np.arange(count) / RATE - 0.45) % _PHRASE_S < 2.0, 8.0, 0.0)
    return levels_of(automated(sound * 10 ** (level / 20), points), between_samples=False, spectrum=True).spectrum / np.float32(100)


def before_and_beyond(levels, spans=()):
    found = changes(levels, spans)
    return found, beyond_expected(found, partners(pairs(whole(levels), found), len(levels)), spans)


def most(scale, at_s):
    """The largest change around a time."""
    at = round(at_s * 50)
    return float(np.abs(scale.moved[at - 3 : at + 4]).max())


class ExpectedTest(unittest.TestCase):
    def test_what_the_music_does_again_and_again_is_expected_and_a_step_of_gain_is_not(self):
        found, rest = before_and_beyond(strokes(-6.0))
        for whole_scale, left in zip(found.scales[:2], rest.scales[:2], strict=True):
            for phrase in (1, 2, 3):
                at = phrase * _PHRASE_S + _STROKE_S
                self.assertLess(most(left, at), most(whole_scale, at) / 2)
            self.assertGreater(most(left, _STEP_S), most(whole_scale, _STEP_S))
            self.assertGreater(most(left, _STEP_S), 2 * most(left, 2 * _PHRASE_S + _STROKE_S))

    def test_music_that_never_comes_again_keeps_its_changes(self):
        found, rest = before_and_beyond(strokes(-6.0, alike=False))
        for whole_scale, left in zip(found.scales[:2], rest.scales[:2], strict=True):
            self.assertGreater(most(left, _STEP_S), 0.8 * most(whole_scale, _STEP_S))
            self.assertGreater(most(left, _PHRASE_S + _STROKE_S), 0.8 * most(whole_scale, _PHRASE_S + _STROKE_S))

    def test_nothing_is_expected_from_where_a_gain_may_move(self):
        """Where speech begins at every stroke but one, that one has no partner to be expected from."""
        levels = strokes()
        spoken = [(k * _PHRASE_S + _STROKE_S, k * _PHRASE_S + 5.0) for k in range(8) if k != 2]
        found, rest = before_and_beyond(levels, spoken)
        at = 2 * _PHRASE_S + _STROKE_S
        self.assertGreater(most(rest.scales[1], at), 0.8 * most(found.scales[1], at))
        # All others are, from that one, in part.
        self.assertLess(most(rest.scales[1], at + _PHRASE_S), 0.85 * most(found.scales[1], at + _PHRASE_S))


class MovesTest(unittest.TestCase):
    def test_ducks_are_where_they_are_though_a_beat_comes_while_the_music_returns(self):
        """Without what is to be expected the returns seem to begin 0.15 s later, nearer to the beat."""
        ducks = [(9.3, 0), (9.8, -8), (16.1, -8), (16.8, 0)]
        drawn = [[t + 16 * k for t, _ in ducks] for k in range(3)]
        points = [(t, gain) for times in drawn for t, (_, gain) in zip(times, ducks, strict=True)]
        found = find_gain(beats(points), [(10 + 16 * k, 16 + 16 * k) for k in range(3)]).ducks
        self.assertEqual(len(found), 3)
        for duck, times in zip(found, drawn, strict=True):
            np.testing.assert_allclose((duck.fall_start_s, duck.fall_end_s, duck.return_start_s, duck.return_end_s), times, atol=0.05)
            self.assertAlmostEqual(duck.depth_db, 8.0, delta=0.2)


class BeyondTest(unittest.TestCase):
    def test_how_much_comes_of_what_is_foreseen_and_what_is_left_is_learned(self):
        dice = np.random.default_rng(5)
        common = dice.standard_t(6, 1000)
        moved = np.concatenate([common + dice.normal(0, 0.3, 1000), common + dice.normal(0, 0.3, 1000)])
        lag = np.zeros((201, KEPT), dtype=np.int64)
        spread = np.full(lag.shape, np.inf)
        lag[:100, 0], lag[100:200, 0], spread[:200, 0] = 1000, -1000, 0.02
        scale = Scale(1, 1, moved, np.full(2000, 2.0))
        rest = beyond(scale, Partners(lag, spread), BLOCK, np.ones(2000, dtype=bool), 0.85)
        self.assertLess(np.std(rest.moved * 2.0 / rest.step), 0.6 * np.std(moved))
        self.assertGreater(np.median(rest.step), 1.4 * 2.0)
        unlike = beyond(scale, Partners(lag, np.full(lag.shape, 9.0)), BLOCK, np.ones(2000, dtype=bool), 0.85)
        np.testing.assert_array_equal(unlike.moved, moved)
        blind = beyond(Scale(1, 1, moved, np.zeros(2000)), Partners(lag, spread), BLOCK, np.ones(2000, dtype=bool), 0.85)
        np.testing.assert_array_equal(blind.moved, moved)

    def test_partners_of_both_sides_the_best_first(self):
        told = Pairs(np.array([20, 20, 60]), np.array([100, 200, 140]), np.zeros(3), np.array([0.5, 0.2, 0.1]))
        found = partners(told, 300)
        self.assertEqual(found.lag[2, :2].tolist(), [180, 80])
        self.assertEqual(found.spread_db[2, :3].tolist(), [0.2, 0.5, np.inf])
        self.assertEqual((found.lag[14, 0], found.lag[20, 0], found.lag[6, 0]), (-80, -180, 80))
        self.assertTrue(np.isinf(found.spread_db[0]).all())

    def test_music_without_partners(self):
        nothing = np.zeros(0, dtype=np.int64)
        scale = Scale(1, 1, np.ones(100), np.ones(100))
        found = Changes((scale,), np.ones(100), ())
        rest = beyond_expected(found, partners(Pairs(nothing, nothing, np.zeros(0), np.zeros(0)), 100), [])
        np.testing.assert_array_equal(rest.scales[0].moved, scale.moved)

    def test_partners_are_lined_up_to_the_instant(self):
        dice = np.random.default_rng(8)
        moved = dice.standard_t(3, 1600)
        for off in (-4, 0, 3):
            moved[800 + off : 1600 + off if off < 0 else 1600] = moved[: 800 - max(off, 0)]
            lag = np.full((20, 1), 800)
            known = np.zeros((20, 1), dtype=bool)
            known[3] = True
            lined_up(moved, 40, lag, known, 5)
            self.assertEqual((lag[3, 0], lag[4, 0]), (800 + off, 800))
