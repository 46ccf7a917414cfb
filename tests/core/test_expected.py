"""What music does by itself where the same sound stands elsewhere is taken from what it does here."""

import unittest

import numpy as np

from mezzavoce_core.measure.gain.echoes import MOST_ALIKE, foreseen, lined_up
from mezzavoce_core.measure.gain.expected import Repeats, beyond, repeats
from mezzavoce_core.measure.gain.likeness import Pairs
from mezzavoce_core.measure.gain.loops import BLOCK, KEPT
from mezzavoce_core.measure.music_gain import find_gain
from tests.gains import changes_of
from tests.signals import RATE, automated, levels_of

_PHRASE_S, _STROKE_S = 8.0, 3.02
_STEP_S = 36.02


def strokes(gain_db=0.0, *, alike=True):
    """Levels of a minute: a phrase of 8 s comes again and again, or never, 8 dB louder from 3.02 to 5 s.

    A gain steps at 36.02 s, 4 s into one.
    """
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
    """Levels of 64 s in which a phrase of 8 s comes again and again, under gains as ``points`` say.

    It is 8 dB louder for 2 s from 0.45 s on.
    """
    dice = np.random.default_rng(9)
    count, phrase = 64 * RATE, round(_PHRASE_S * RATE)
    level = np.resize(np.repeat(dice.normal(0, 2, round(_PHRASE_S * 10)), RATE // 10), count)
    sound = np.resize(dice.normal(0, 0.02, phrase), count) + dice.normal(0, 0.002, count)
    level += np.where((np.arange(count) / RATE - 0.45) % _PHRASE_S < 2.0, 8.0, 0.0)
    return levels_of(
        automated(sound * 10 ** (level / 20), points), between_samples=False, spectrum=True
    ).spectrum / np.float32(100)


def before_and_beyond(levels, spans=()):
    return changes_of(levels, spans, repeated=False), changes_of(levels, spans)


def most(scale, at_s):
    """The largest change around a time, in dB."""
    at = round(at_s * 50)
    return float(np.abs(scale.moved[at - 3 : at + 4] / scale.step[at - 3 : at + 4]).max())


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
            np.testing.assert_allclose(
                (duck.fall_start_s, duck.fall_end_s, duck.return_start_s, duck.return_end_s), times, atol=0.05
            )
            self.assertAlmostEqual(duck.depth_db, 8.0, delta=0.2)


class BeyondTest(unittest.TestCase):
    """Twelve bands of two phrases of 1000 places.

    The second does in each band what the first does, more or less.
    """

    STEP = np.full(12, 0.5)

    def setUp(self):
        dice = np.random.default_rng(5)
        common = dice.standard_t(6, (1000, 12))
        self.changed = np.concatenate([common + dice.normal(0, 0.3, (1000, 12)) for _ in range(2)]).astype(np.float32)
        self.lags = np.zeros((201, KEPT), dtype=np.int64)
        self.lags[:100, 0], self.lags[100:200, 0] = 1000, -1000
        self.calm = np.ones(2000, dtype=bool)

    def left(self, changed, calm=None, lags=None):
        """What is left, in units of the spread before, and the factors by which it spreads less."""
        rest = changed.copy()
        factors = beyond(
            rest, self.STEP, 1, self.calm if calm is None else calm, Repeats(self.lags if lags is None else lags)
        )
        return rest * factors[:, None], factors

    def test_how_much_comes_of_what_is_expected_and_what_is_left_is_learned(self):
        rest, factors = self.left(self.changed)
        self.assertLess(np.std(rest), 0.6 * np.std(self.changed))
        self.assertLess(np.median(factors), 0.65)
        # Two errors of .3, less what the mean of both knows better.
        self.assertAlmostEqual(1.4826 * np.median(np.abs(rest)), 0.42, delta=0.06)

    def test_a_step_of_gain_stays_whole_whatever_the_bands_do_there(self):
        stepped = self.changed.copy()
        stepped[1500] += 6.0 * self.STEP.astype(np.float32)
        by = self.left(stepped)[0][1500] - self.left(self.changed)[0][1500]
        np.testing.assert_allclose(by, 6.0 * self.STEP, atol=0.25)

    def test_bands_that_move_in_another_way_let_expect_nothing(self):
        other = self.changed.copy()
        other[1000:] = np.random.default_rng(6).standard_t(6, (1000, 12))
        rest, factors = self.left(other)
        self.assertGreater(np.median(factors), 0.95)
        np.testing.assert_allclose(np.median(np.abs(rest - other)), 0.0, atol=0.05)

    def test_nothing_is_expected_without_partners_or_from_where_a_gain_may_move(self):
        for rest, factors in (
            self.left(self.changed, lags=np.zeros_like(self.lags)),
            self.left(self.changed, calm=np.zeros(2000, dtype=bool)),
        ):
            np.testing.assert_array_equal(rest, self.changed)
            np.testing.assert_array_equal(factors, 1.0)

    def test_the_loop_against_its_definition(self):
        calm = np.arange(2000) % 7 > 0
        expected, known = np.zeros_like(self.changed), np.zeros(2000)
        step = np.linspace(0.3, 0.9, 12).astype(np.float32)
        foreseen(
            self.changed,
            step,
            40,
            BLOCK,
            2,
            self.lags[:, :1].copy(),
            calm,
            np.float32(4.0),
            np.float32(15.0),
            np.zeros(2000, dtype=np.float32),
            expected,
            known,
        )
        flat = self.changed - np.outer(self.changed @ step / (step @ step), step)
        flat = np.clip(flat, -4, 4)
        for place in (3, 480, 481, 999):
            lag = self.lags[min((40 + 2 * place) // BLOCK, 200), 0]
            other = place + lag // 2 if lag else -1
            if not (0 <= other < 2000 and calm[other]):
                self.assertEqual(known[place], 0.0)
                continue
            alike = max(0.0, 2 * flat[place] @ flat[other] / (flat[place] @ flat[place] + flat[other] @ flat[other]))
            knows = min(alike**0.5, MOST_ALIKE) / (1 - min(alike**0.5, MOST_ALIKE))
            self.assertAlmostEqual(known[place], knows, delta=1e-3 * max(1.0, knows))
            np.testing.assert_allclose(
                expected[place], knows / (1 + knows) * np.clip(self.changed[other], -15, 15), rtol=1e-3, atol=1e-5
            )

    def test_partners_of_both_sides_the_best_first(self):
        told = Pairs(np.array([20, 20, 60]), np.array([100, 200, 140]), np.zeros(3), np.array([0.5, 0.2, 0.1]))
        lags = repeats(told, 300).lags
        self.assertEqual(lags[2, :3].tolist(), [180, 80, 0])
        self.assertEqual((lags[14, 0], lags[20, 0], lags[6, 0]), (-80, -180, 80))
        self.assertFalse(lags[0].any())

    def test_partners_are_lined_up_to_the_instant(self):
        dice = np.random.default_rng(8)
        changed = dice.standard_t(3, (1600, 3)).astype(np.float32)
        for off in (-4, 0, 3):
            changed[800 + off : 1600 + off if off < 0 else 1600] = changed[: 800 - max(off, 0)]
            lags = np.zeros((20, 1), dtype=np.int64)
            lags[3] = 800
            lined_up(changed, 40, lags, 5)
            self.assertEqual((lags[3, 0], lags[4, 0]), (800 + off, 0))
