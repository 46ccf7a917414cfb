"""What was done to the music. Depths and times as they were drawn; common practice for sizes, no published source."""

import json
import unittest
from functools import cache
from unittest import mock

import numpy as np

from mezzavoce_core.exchange.gains import gain_dict, gain_from_dict
from mezzavoce_core.measure.ducks import OWN_DEPTH, Duck, MusicGain, with_levels
from mezzavoce_core.measure.music_gain import find_gain, revisit
from mezzavoce_core.measure.revisited import Revisited
from mezzavoce_core.signal.spectrum import BANDS, COLUMNS, FLOOR_DB, OCTAVES, Spectrum, instants, summed, whole
from tests.signals import RATE, automated, levels_of

TWO = [(10.0, 16.0), (26.0, 32.0)]
THREE = [*TWO, (42.0, 48.0)]
ONE_DUCK = [(9.3, 0), (9.8, -10), (16.3, -10), (17.0, 0)]


def again(points, by_s):
    return [(t + by_s, g) for t, g in points]


@cache
def song(seconds, seed=1):
    """Music of a kind: a bar of plucked chords over a hiss.

    It is a loop of which every round is played a little differently.
    """
    dice = np.random.default_rng(seed)
    beat = RATE // 2
    t = np.arange(beat) / RATE
    out = np.zeros(round(seconds * RATE))
    for k in range(len(out) // beat):
        root = 110 * 2 ** ((0, 5, 7, 3)[k // 4 % 4] / 12)
        tones = sum(np.sin(2 * np.pi * root * h * t + dice.random() * 6) / h for h in (1, 2, 3, 4, 5, 6, 8, 10))
        tones = tones * np.exp(-t * 2.5) * (1 + 0.15 * dice.standard_normal()) + 0.08 * dice.standard_normal(beat) * (
            1 + np.exp(-t * 30)
        )
        out[k * beat : (k + 1) * beat] = tones * 0.06
    return out


def levels(points=((0, 0),), seconds=60, music=None):
    signal = automated(song(seconds) if music is None else music, points)
    return levels_of(signal, between_samples=False, spectrum=True).spectrum / np.float32(100)


def ducks(points, passages=THREE, **more):
    return find_gain(levels(points, **more), passages).ducks


THREE_DUCKS = [*ONE_DUCK, *again(ONE_DUCK, 16), *again(ONE_DUCK, 32)]


class FindGainTest(unittest.TestCase):
    def test_times_and_depth(self):
        found = ducks(THREE_DUCKS)
        self.assertEqual(len(found), 3)
        for k, duck in enumerate(found):
            corners = (duck.fall_start_s, duck.fall_end_s, duck.return_start_s, duck.return_end_s)
            for value, (drawn, _) in zip(corners, again(ONE_DUCK, 16 * k), strict=True):
                self.assertAlmostEqual(value, drawn, delta=0.25)
            self.assertAlmostEqual(duck.depth_db, 10.0, delta=1.0)
            self.assertEqual(duck.serves, THREE[k])
            self.assertGreater(duck.certainty, 0.8)

    def test_levels_stand_with_them(self):
        signal = automated(song(60), THREE_DUCKS)
        power = levels_of(signal, between_samples=False).power[:, 0].astype(float)
        duck = with_levels(ducks(THREE_DUCKS), power)[0]
        self.assertAlmostEqual(duck.open_lufs - duck.bed_lufs, 10.0, delta=1.5)

    def test_one_over_two_passages(self):
        found = ducks([(9.3, 0), (9.8, -10), (32.3, -10), (33.0, 0), *again(ONE_DUCK, 32)])
        self.assertEqual([round(d.depth_db) for d in found], [10, 10])
        self.assertTrue(found[0].covers(21.0))

    def test_music_alone_is_not_ducked(self):
        for seed in (1, 2, 3):
            self.assertEqual(ducks([(0, 0)], music=song(60, seed)), ())

    def test_music_that_swings_by_itself_is_not_ducked(self):
        rng = np.random.default_rng(2)
        self.assertEqual(ducks([(t, float(rng.uniform(-2, 2))) for t in np.arange(0, 60, 0.5)]), ())

    def test_a_dip_for_nobody(self):
        found = ducks(
            [*ONE_DUCK, *again(ONE_DUCK, 16), (35.5, 0), (35.8, -10), (37.5, -10), (38.0, 0), *again(ONE_DUCK, 32)]
        )
        stray = [d for d in found if not d.speech]
        self.assertEqual(len(stray), 1)
        self.assertAlmostEqual(stray[0].fall_end_s, 35.8, delta=0.25)
        self.assertAlmostEqual(stray[0].depth_db, 10.0, delta=2.0)

    def test_a_rise_in_a_pause(self):
        speech = [(10.0, 12.6), (13.2, 16.0), *THREE[1:]]
        pumped = [*ONE_DUCK[:2], (12.65, -10), (12.72, -3), (13.08, -3), (13.15, -10), *ONE_DUCK[2:]]
        found = ducks([*pumped, *again(ONE_DUCK, 16), *again(ONE_DUCK, 32)], speech)
        self.assertEqual([len(d.pumps) for d in found], [1, 0, 0])
        self.assertAlmostEqual(found[0].pumps[0].rise_db, 7.0, delta=2.5)

    def test_rises_as_a_compressor_makes_them(self):
        """All through each pause, and quickly down at the word; the depth stays that of the bed under the words."""
        speech = [(10.0, 11.8), (12.4, 14.0), (14.8, 16.0), *THREE[1:]]
        for rise in (4.0, 6.0, 8.0):
            with self.subTest(rise):
                up = [p for a, b in ((11.8, 12.4), (14.0, 14.8)) for p in ((a, -10), (b, -10 + rise), (b + 0.03, -10))]
                found = ducks([*ONE_DUCK[:2], *up, *ONE_DUCK[2:], *again(ONE_DUCK, 16), *again(ONE_DUCK, 32)], speech)
                self.assertEqual([len(d.pumps) for d in found], [2, 0, 0])
                self.assertAlmostEqual(found[0].depth_db, 10.0, delta=1.0)
                for pump in found[0].pumps:
                    self.assertAlmostEqual(pump.rise_db, rise, delta=2.1)
                    self.assertGreater(pump.up_from_s - pump.in_s, 0.3)

    def test_a_step_is_told_from_a_ramp(self):
        step = [(9.79, 0), (9.8, -10), *ONE_DUCK[2:]]
        found = ducks([*step, *again(ONE_DUCK, 16), *again(ONE_DUCK, 32)])
        self.assertEqual([d.tells("fall-abrupt") for d in found], [True, False, False])
        self.assertEqual([d.tells("fall-slow") for d in found], [False] * 3)

    def test_a_small_fall_is_told_from_none(self):
        small = [(t, g * 0.4) for t, g in again(ONE_DUCK, 16)]
        found = ducks([*ONE_DUCK, *small, *again(ONE_DUCK, 32)])
        self.assertEqual(len(found), 3)
        self.assertAlmostEqual(found[1].depth_db, 4.0, delta=1.0)
        self.assertEqual([d.tells(OWN_DEPTH) for d in found], [False, True, False])

    def test_unusual_edges_are_told(self):
        """Each stands among ducks that are as they should be, and says what is special about it alone."""
        for claim, odd in {
            "late": [(26.1, 0), (26.6, -10), *again(ONE_DUCK[2:], 16)],
            "bare": [(27.5, 0), (28.0, -10), *again(ONE_DUCK[2:], 16)],
            "early": [(22.5, 0), (23.0, -10), *again(ONE_DUCK[2:], 16)],
            "held": [*again(ONE_DUCK[:2], 16), (36.0, -10), (36.7, 0)],
            "fall-slow": [(23.4, 0), (25.8, -10), *again(ONE_DUCK[2:], 16)],
        }.items():
            with self.subTest(claim):
                found = ducks([*ONE_DUCK, *odd, *again(ONE_DUCK, 32)])
                self.assertEqual([set(d.nats) for d in found], [set(), {claim}, set()])
                self.assertGreater(found[1].sure(claim), 0.5)

    def test_what_lies_between_usual_and_unusual_edges_is_neither(self):
        """A return 2 s after the voice comes late and is no fault yet.

        It keeps the times that it has, and is not told to be slow or held.
        """
        for after_s in (1.6, 2.1, 2.3):
            with self.subTest(after_s):
                late = [*again(ONE_DUCK[:2], 16), (32 + after_s, -10), (32.7 + after_s, 0)]
                found = ducks([*ONE_DUCK, *late, *again(ONE_DUCK, 32)])
                self.assertEqual([dict(d.nats) for d in found], [{}, {}, {}])
                self.assertAlmostEqual(found[1].return_start_s, 32 + after_s, delta=0.1)
                self.assertAlmostEqual(found[1].return_end_s, 32.7 + after_s, delta=0.1)

    def test_nothing_to_tell_from(self):
        self.assertEqual(find_gain(np.full((3000, COLUMNS), FLOOR_DB, dtype=np.float32), TWO), MusicGain((), 0.0))
        self.assertEqual(find_gain(levels(), []), MusicGain((), 0.0))


class GainValuesTest(unittest.TestCase):
    def test_gain_of_a_trapezoid(self):
        duck = Duck(1.0, 2.0, 4.0, 6.0, 8.0)
        np.testing.assert_allclose(duck.gain_db(np.array([0.5, 1.5, 3.0, 5.0, 7.0])), [0, -4, -8, -4, 0])

    def test_corners_outside_are_not_seen(self):
        gain = MusicGain((Duck(1.0, 2.0, 14.0, 16.0, 8.0, serves=(2.0, 14.0)), Duck(30.0, 31.0, 33.0, 34.0, 8.0)), 20.0)
        (duck,) = gain.between(5.0, 15.0).ducks
        self.assertEqual((duck.fall_start_s, duck.fall_end_s, duck.return_start_s), (None, None, 9.0))
        np.testing.assert_allclose(duck.gain_db(np.array([0.0, 5.0, 10.0])), [-8, -8, -4])
        self.assertTrue(duck.covers(0.0))

    def test_one_that_never_returns(self):
        duck = Duck(1.0, 2.0, None, None, 8.0)
        np.testing.assert_allclose(duck.gain_db(np.array([0.0, 5.0])), [0, -8])
        self.assertTrue(duck.covers(1000.0))

    def test_other_speech_is_looked_at_around_it_alone(self):
        heard = levels(THREE_DUCKS)
        gain = find_gain(heard, TWO)
        revisited = Revisited({})
        there = revisit(gain, lambda first, last: heard[first:last], THREE, [(42.0, 48.0)], revisited)
        self.assertEqual([d.serves for d in there.ducks if d.speech], THREE)
        self.assertEqual(there.ducks[:2], gain.ducks[:2])
        with mock.patch("mezzavoce_core.measure.music_gain.find_gain", side_effect=AssertionError("looked again")):
            kept = {key: gain_from_dict(json.loads(json.dumps(gain_dict(g)))) for key, g in revisited.known.items()}
            self.assertEqual(
                revisit(gain, lambda first, last: heard[first:last], THREE, [(42.0, 48.0)], Revisited(kept)), there
            )
            with self.assertRaises(AssertionError):
                revisit(gain, lambda first, last: heard[first:last] - 1, THREE, [(42.0, 48.0)], Revisited(kept))

    def test_stretches_close_together_are_looked_at_at_once(self):
        heard = levels(THREE_DUCKS)
        gain = find_gain(heard, TWO)
        for hands, looks in (
            ([(42.0, 44.0), (46.0, 48.0)], 1),
            ([(2.0, 3.0), (42.0, 48.0)], 2),
            ([(k * 10.0, k * 10.0 + 1) for k in range(6)], 2),
        ):
            with mock.patch("mezzavoce_core.measure.music_gain.find_gain", side_effect=find_gain) as looked:
                there = revisit(gain, lambda first, last: heard[first:last], THREE, hands, Revisited({}))
            self.assertEqual((looked.call_count, [d.serves for d in there.ducks if d.speech]), (looks, THREE))

    def test_what_is_not_asked_for_any_more_is_forgotten_first(self):
        revisited, calls = Revisited({}), []

        def look(k):
            return revisited.look(
                np.full(3, float(k)), [], lambda levels, _speech: calls.append(k) or MusicGain((), float(levels[0]))
            )

        for k in (*range(64), 0, 64):
            self.assertEqual(look(k).nats, float(k))
        later = Revisited(revisited.known)
        self.assertEqual(len(later.known), 64)
        self.assertEqual(sorted(g.nats for g in later.known.values()), [0.0, *(float(k) for k in range(2, 65))])
        self.assertEqual(calls, list(range(65)))

    def test_stems_add_up(self):
        one = np.full((4, 48), -3000, dtype=np.int16)
        np.testing.assert_allclose(summed([one], [2.0]), -28)
        np.testing.assert_allclose(summed([one, one], [0.0, 0.0]), -26.99, atol=0.01)


class SpectrumTest(unittest.TestCase):
    def test_middle_and_side_together_are_the_power_of_both_channels(self):
        dice = np.random.default_rng(4)
        left, right = 0.1 * dice.standard_normal((2, 2 * RATE))
        both, one, other = (
            levels_of(x, between_samples=False, spectrum=True).spectrum / np.float32(100)
            for x in (np.stack([left, right], axis=1), left, right)
        )
        power = 10 ** (one[:, :BANDS] / 10) + 10 ** (other[:, :BANDS] / 10)
        self.assertLess(np.abs(whole(both) - 10 * np.log10(power)).max(), 0.05)

    def test_further_channels_stand_with_the_middle(self):
        dice = np.random.default_rng(5)
        six = 0.1 * dice.standard_normal((2 * RATE, 6))
        found = levels_of(six, between_samples=False, spectrum=True).spectrum / np.float32(100)
        single = [
            levels_of(six[:, c], between_samples=False, spectrum=True).spectrum[:, :BANDS] / np.float32(100)
            for c in range(6)
        ]
        power = sum(10 ** (x / 10) for x in single)
        self.assertLess(np.abs(whole(found) - 10 * np.log10(power)).max(), 0.05)
        front = levels_of(six[:, :2], between_samples=False, spectrum=True).spectrum / np.float32(100)
        side = slice(BANDS, 2 * BANDS)
        self.assertLess(np.abs(front[:, side] - found[:, side]).max(), 0.02)

    def test_what_is_alike_left_and_right_has_no_side(self):
        tone = 0.1 * np.sin(2 * np.pi * 440 * np.arange(RATE) / RATE)
        found = levels_of(np.stack([tone, tone], axis=1), between_samples=False, spectrum=True).spectrum / np.float32(
            100
        )
        self.assertEqual(found[5:-5, BANDS : 2 * BANDS].max(), FLOOR_DB)
        apart = levels_of(np.stack([tone, -tone], axis=1), between_samples=False, spectrum=True).spectrum / np.float32(
            100
        )
        self.assertEqual(apart[5:-5, :BANDS].max(), FLOOR_DB)

    def test_instants_are_centred_on_their_5_ms(self):
        for rate in (44100, 48000, 96000):
            click = np.zeros((rate, 1), dtype=np.float32)
            click[round(0.5025 * rate)] = 1.0
            spectrum = Spectrum(rate, 1)
            spectrum.feed(np.ascontiguousarray(click.T))
            found = instants(spectrum.finish() / np.float32(100))
            self.assertEqual(found.shape, (200, OCTAVES))
            # The fourth octave from the top, which is far wider than a bin.
            self.assertEqual(int(np.argmax(found[:, 4])), 100, rate)
            np.testing.assert_allclose(found[99, 2:], found[101, 2:], atol=0.6)
            self.assertEqual(found[98, 4], FLOOR_DB)

    def test_an_octave_of_an_instant_holds_the_tone_that_lies_in_it(self):
        tone = 0.1 * np.sin(2 * np.pi * 3500 * np.arange(RATE) / RATE)
        found = instants(levels_of(tone, between_samples=False, spectrum=True).spectrum / np.float32(100))[10:-10]
        self.assertEqual(set(np.argmax(found, axis=1)), {5})
        np.testing.assert_allclose(found[:, 5], 20 * np.log10(0.1) - 3.01, atol=0.05)
