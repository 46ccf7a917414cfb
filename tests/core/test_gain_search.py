"""What the gain of music is read from, and how its moves are searched for.

The compiled loops stand against the same sums written out.
"""

import unittest
from dataclasses import replace

import numpy as np

from mezzavoce_core.measure.gain.changes import DEGREES, SCALES, compared
from mezzavoce_core.measure.gain.curve import PAIR_WEIGHT, Curve
from mezzavoce_core.measure.gain.edges import log_likelihood_ratios, template
from mezzavoce_core.measure.gain.instants import Instants
from mezzavoce_core.measure.gain.likeness import Pairs
from mezzavoce_core.measure.gain.loops import KEPT, agreed, alike, apart_by, stepped
from mezzavoce_core.measure.gain.moves import Move, Shared, Unit, table
from mezzavoce_core.measure.gain.parts import Part
from mezzavoce_core.measure.gain.rests import Heard
from mezzavoce_core.measure.gain.search import Search
from mezzavoce_core.measure.gain.starts import Start
from mezzavoce_core.signal.spectrum import FLOOR_DB, FRAMES_PER_S, OCTAVES
from tests.core.test_music_gain import THREE, THREE_DUCKS, again, levels, song
from tests.gains import NEVER, changes_of, instants_of, pairs_of
from tests.signals import RATE, levels_of


class EvidenceTest(unittest.TestCase):
    def test_a_step_of_gain_is_seen_along_it_and_a_note_is_not(self):
        plain, stepped, note = levels(), levels([(30.24, 0), (30.25, -6)]), levels()
        note[1512:, 20] += 20
        at = slice(1509, 1516)
        by_step, by_note, usual = (np.abs(changes_of(x).scales[1].moved[at]).max() for x in (stepped, note, plain))
        self.assertGreater(by_step, 3 * usual)
        self.assertLess(by_note, by_step / 2)

    def test_what_most_bands_agree_on_is_the_likeliest_value_when_each_has_students_distribution(self):
        dice = np.random.default_rng(3)
        step = dice.uniform(0.3, 1.2, 40)
        changed = (4.0 * step + dice.normal(0, 0.5, (6, 40))).astype(np.float32)
        changed[:, :12] += 15.0
        moved, sharp = np.empty(6), np.empty(6)
        agreed(changed, step, 1.5, moved, sharp)
        grid = np.arange(0, 20, 0.002)
        for k, row in enumerate(changed):
            off = row[None, :] - grid[:, None] * step
            nats = -1.25 * np.log(1.5 + off**2).sum(axis=1)
            best = int(np.argmax(nats))
            self.assertAlmostEqual(moved[k], grid[best], delta=0.01)
            self.assertAlmostEqual(moved[k], 4.0, delta=0.4)
            curved = float((2.5 * step**2 / (1.5 + off[best] ** 2)).sum())
            self.assertAlmostEqual(sharp[k], curved, delta=0.05)

    def test_where_half_of_the_bands_stay_the_other_half_tells_little(self):
        dice = np.random.default_rng(3)
        step = dice.uniform(0.3, 1.2, 40)
        changed = (4.0 * step + dice.normal(0, 0.5, (2, 40))).astype(np.float32)
        changed[1, :19] = dice.normal(0, 0.5, 19)
        moved, sharp = np.empty(2), np.empty(2)
        agreed(changed, step, 1.5, moved, sharp)
        self.assertGreater(moved[1], 2.0)
        self.assertLess(sharp[1], sharp[0] / 6)

    def test_what_all_bands_tell_together_is_as_far_as_they_moved_however_far_that_is(self):
        dice = np.random.default_rng(5)
        step, spreads = np.full(40, 0.35), []
        for true_db in (3.0, 8.0, 20.0):
            changed = (true_db * step + dice.standard_t(1.5, (4000, 40))).astype(np.float32)
            moved, sharp = np.empty(4000), np.empty(4000)
            agreed(changed, step, 1.5, moved, sharp)
            self.assertAlmostEqual(np.average(moved, weights=sharp), true_db, delta=0.03)
            spreads.append(np.median(np.abs(moved - true_db) * np.sqrt(sharp)))
        # As sharply as it is told.
        self.assertAlmostEqual(max(spreads) / min(spreads), 1.0, delta=0.1)

    def test_a_step_is_seen_on_every_scale_where_it_is(self):
        for width, _, whole in SCALES:
            for back, sign in ((False, -1.0), (True, 1.0)):
                shapes, lead = template(0.02, width, whole, (1.0, 12.0), back)
                for depth, shape in zip((1.0, 12.0), (shapes * sign).T, strict=True):
                    self.assertAlmostEqual(shape.max() / depth, 1.0, delta=0.5 / width + 0.01)
                    self.assertLessEqual(abs(int(np.argmax(shape)) - lead), 1)
                    self.assertLess(np.abs(shape[[0, -1]]).max(), 1e-9)

    def test_where_frames_are_heard_as_one_a_deep_step_is_seen_later_going_down_than_going_up(self):
        """Of a stretch that is loud for half its length power tells the loud half: 3 dB less, not half of 20."""
        down, lead = template(0.02, 10, 10, (20.0,))
        up, _ = template(0.02, 10, 10, (20.0,), back=True)
        # Five frames before the step, and five behind it.
        before, behind = down[lead - 6, 0], down[lead + 4, 0]
        self.assertAlmostEqual(before, -3.0, delta=1.0)
        self.assertAlmostEqual(behind, -17.0, delta=1.0)
        self.assertAlmostEqual(up[lead - 6, 0], 17.0, delta=1.0)
        self.assertAlmostEqual(up[lead + 4, 0], 3.0, delta=1.0)

    def test_partials_that_beat_hardly_hide_a_step_where_frames_are_heard_as_one(self):
        """Two of equal level: what they sum to falls to nothing, for a moment, whenever they are against each other."""
        dice = np.random.default_rng(11)
        times = np.arange(3000) / FRAMES_PER_S
        bands = [
            20 * np.log10(np.abs(np.cos(np.pi * dice.uniform(0.5, 12) * times + dice.uniform(0, 3))) + 1e-3)
            for _ in range(60)
        ]
        stepped = np.array(bands) - 6.0 * (times >= 30.0)
        at = np.arange(40, 2960)
        for width, _, whole in SCALES[2:]:
            one_by_one, as_one = (
                np.array([compared(band, width, at, frames) for band in stepped]) for frames in (1, whole)
            )
            away = np.abs(at - 1500) > 2 * width
            self.assertLess(as_one[:, away].std(), 0.8 * one_by_one[:, away].std())
            self.assertAlmostEqual(float(np.median(as_one[:, at == 1500])), -6.0, delta=1.0)

    def test_frames_heard_as_one_have_the_level_of_their_mean_power(self):
        levels_db = np.array([0.0, -10.0, -20.0, -20.0, -20.0, -20.0])
        first, second = 10 * np.log10(1.1 / 2), -20.0
        self.assertAlmostEqual(float(compared(levels_db, 2, np.array([2]), 2)[0]), second - first)
        self.assertAlmostEqual(float(compared(levels_db, 2, np.array([2]))[0]), -20.0 + 5.0)

    def test_a_gain_moves_what_channels_share_and_what_sets_them_apart(self):
        """Music that widens keeps its power; half of the bands move then, which tells much less than all of them."""
        left, right = (song(20, seed=k) for k in (1, 2))
        middle, side = (left + right) / 2, (left - right) / 2
        width = np.where(np.arange(len(left)) < 10 * RATE, 0.5, 2.0)
        lowered = np.where(np.arange(len(left)) < 10 * RATE, 1.0, 0.5)
        wide = levels_of(
            np.stack([middle + width * side, middle - width * side], axis=1), between_samples=False, spectrum=True
        ).spectrum / np.float32(100)
        down = levels_of(
            lowered[:, None] * np.stack([left, right], axis=1), between_samples=False, spectrum=True
        ).spectrum / np.float32(100)
        by_width, by_gain = (changes_of(x).scales[2].moved[245:255] for x in (wide, down))
        self.assertLess(by_gain.min(), -3)
        self.assertLess(np.abs(by_width).max(), -by_gain.min() * 2 / 3)

    def test_like_places_tell_the_difference_in_gain(self):
        found = pairs_of(levels([(29.99, 0), (30.0, -6)]))
        near = found.scale_db < 0.355
        across = near & (found.one + 10 < 1500) & (found.other > 1500)
        self.assertGreater(across.sum(), 5)
        self.assertAlmostEqual(float(np.median(found.offset_db[across])), 6.0, delta=0.2)
        self.assertAlmostEqual(float(np.median(found.offset_db[near & (found.other < 1490)])), 0.0, delta=0.2)

    def test_the_most_alike_windows_are_those_that_a_look_at_all_of_them_finds(self):
        """Of 1300 frames, in more than one lot of windows; the best in each region of 300 frames, the worst first."""
        dice, lags = np.random.default_rng(9), np.arange(40, 1250)
        shapes = dice.normal(0, 5, (1300, 16)).astype(np.float32)
        shapes[700:760] = shapes[95:155] + dice.normal(0, 1, (60, 16))
        windows = 1300 // 10 - 4
        quiet = np.zeros(windows, dtype=np.int32)
        quiet[60:64] = 1
        most = np.float32(81.0)
        distance, partner = np.full((windows, KEPT), most, dtype=np.float32), np.zeros((windows, KEPT), dtype=np.int32)
        room = (
            np.zeros(130, dtype=np.float32),
            np.full(windows, most, dtype=np.float32),
            np.full((windows, 2), -1, dtype=np.int32),
        )
        alike(shapes.reshape(-1), 16, np.float32(1 / (50 * 16)), quiet, lags, 300, most, distance, partner, *room)
        for window in (0, 10, 50, 61, 99, 100):
            at = window * 10 + lags[window * 10 + lags + 50 <= 1300]
            told = np.array([((shapes[window * 10 : window * 10 + 50] - shapes[k : k + 50]) ** 2).mean() for k in at])
            told[(quiet[np.minimum(window + (at - window * 10) // 10, windows - 1)] > 0) | (quiet[window] > 0)] = most
            best = [told[at // 300 == region].min() for region in np.unique(at // 300)]
            np.testing.assert_allclose(distance[window], np.sort([*best, *[most] * KEPT])[:KEPT][::-1], rtol=1e-5)
        self.assertEqual(partner[10, -1], 705)

    def apart_by(self, *windows_db):
        """Of two windows one behind the other."""
        power = (10 ** (np.concatenate(windows_db) / 10)).astype(np.float32)
        offset, spread = np.empty(1), np.empty(1)
        apart_by(power, np.array([0]), np.array([50]), 35.0, np.empty((7, power.shape[1])), offset, spread)
        return float(offset[0]), float(spread[0])

    def test_loud_bands_tell_how_far_windows_are_apart(self):
        first = np.tile([-20.0, -22, -30, -40, -70, -75, -80, -90], (50, 1))
        second = first - [6.0, 6, 6, 6, -20, 25, -15, 30]
        offset, spread = self.apart_by(first, second)
        self.assertAlmostEqual(offset, 6.0, places=4)
        self.assertAlmostEqual(spread, 0.0, places=4)
        # Where loud bands do not agree, their middle tells it, and not surely. Weights by hand: 1, 33/35, 25/35, 15/35.
        offset, spread = self.apart_by(first, first - [6.0, 2, 4, 9, 0, 0, 0, 0])
        self.assertAlmostEqual(offset, 4.0, places=4)
        self.assertAlmostEqual(spread, 2.0, places=4)

    def test_the_middle_of_a_window_tells_what_was_done_there(self):
        tune = np.random.default_rng(4).normal(-40, 6, (50, 12))
        # Before and behind the middle fifth it is another gain, which changes nothing.
        gain = np.concatenate([np.full(20, 7.0), np.linspace(0, -4, 10), np.full(20, 3.0)])[:, None]
        offset, spread = self.apart_by(tune, tune + gain)
        self.assertAlmostEqual(offset, 2.0, delta=0.4)
        self.assertLess(spread, 0.4)


NOTHING = np.zeros(0, dtype=np.int64)
NO_PAIRS = Pairs(NOTHING, NOTHING, np.zeros(0), np.zeros(0))


def by_instants(known, move):
    """What the edges of a move tell in nats against those of a move that does nothing."""
    return known.more(np.array([[[0.0, 0.1, 0.2, 0.3, 0.0], [*move.parameters[0, :4], -move.depth_db]]]), 1)[0]


class InstantsTest(unittest.TestCase):
    def test_a_step_is_told_from_a_short_ramp_and_found_to_the_instant(self):
        for length in (0.015, 0.15):
            heard = levels([(30.0 - length, 0), (30.0, -7), (36.0, -7), (36.5, 0)])
            known = instants_of(heard)
            candidates = [
                Move(30.0 + off - length, 30.0 + off, 36.0, 36.5, 7.0)
                for length in (0.015, 0.15)
                for off in (-0.03, -0.01, 0.0, 0.01, 0.03)
            ]
            told = {(round(w.fall_s, 3), round(w.fall_end_s - 30.0, 2)): by_instants(known, w) for w in candidates}
            self.assertEqual(max(told, key=told.get), (length, 0.0), told)
            other = 0.165 - length
            self.assertGreater(
                told[length, 0.0] - max(v for (fall, _), v in told.items() if fall == round(other, 3)), 1.0
            )

    def test_steps_are_where_none_is_expected_by_chance_only(self):
        heard = levels()
        known = instants_of(heard)
        told = [by_instants(known, Move(t - 0.015, t, t + 3.0, t + 4.0, 7.0)) for t in np.arange(5.0, 50.0, 0.02)]
        self.assertLess(np.mean(np.array(told) > 0), 0.02)

    def test_a_ramp_is_not_told_shorter_than_it_is(self):
        known = instants_of(levels([(30.0, 0), (30.27, -10), (36.0, -10), (36.24, 0)]))
        true = Move(30.0, 30.27, 36.0, 36.24, 10.0)
        for off_s in (0.03, 0.05, 0.08):
            shorter = replace(true, fall_start_s=30.0 + off_s / 2, fall_end_s=30.27 - off_s / 2)
            self.assertGreater(by_instants(known, true), by_instants(known, shorter))
            shorter = replace(true, return_start_s=36.0 + off_s / 2, return_end_s=36.24 - off_s / 2)
            self.assertGreater(by_instants(known, true), by_instants(known, shorter))

    def test_what_takes_long_and_what_cannot_be_heard_tells_nothing(self):
        heard = levels([(30.0, 0), (30.015, -7), (36.0, -7), (36.5, 0)])
        known = instants_of(heard)
        self.assertEqual(by_instants(known, Move(29.0, 30.0, 36.0, 37.0, 7.0)), 0.0)
        deaf = Instants(
            np.full((1000, OCTAVES), FLOOR_DB, dtype=np.float32),
            Heard(np.ones(250, dtype=bool), (Part(0, 250, np.arange(48)),)),
            [],
            NEVER,
        )
        self.assertEqual(by_instants(deaf, Move(1.0, 1.015, 3.0, 3.015, 7.0)), 0.0)

    def test_the_loop_against_its_definition(self):
        dice = np.random.default_rng(7)
        moved, step = dice.normal(0, 2, 60), dice.uniform(0.2, 1.5, 60)
        start, end, rise = 28.3, 31.9, -6.0
        gains = rise * np.clip((np.arange(60) + 0.5 - start) / (end - start), 0, 1)
        wanted = 0.0
        for k in range(2, 58):
            off = moved[k] - step[k] * (gains[k : k + 2].mean() - gains[k - 2 : k].mean())
            wanted -= 0.5 * (DEGREES + 1) * np.log((DEGREES + off**2) / (DEGREES + moved[k] ** 2))
        self.assertAlmostEqual(stepped(moved, step, 2, start, end, rise, DEGREES), wanted)

    def test_the_curve_asks_for_ways_of_a_move_and_not_whether_there_is_one(self):
        heard = levels([(30.0, 0), (30.015, -7), (36.0, -7), (36.5, 0)])
        found = changes_of(heard)
        known = instants_of(heard)
        with_them, without = Curve(found, pairs_of(heard), [], known), Curve(found, pairs_of(heard))
        one, other = Move(30.0, 30.015, 36.0, 36.5, 7.0), Move(29.85, 30.0, 36.0, 36.5, 7.0)
        self.assertEqual(with_them.likelihood_gain([], [one]), without.likelihood_gain([], [one]))
        self.assertAlmostEqual(
            with_them.likelihood_gain([other], [one]) - without.likelihood_gain([other], [one]),
            by_instants(known, one) - by_instants(known, other),
        )


class CurveTest(unittest.TestCase):
    """What a change of the curve tells, by the definition."""

    def setUp(self):
        self.levels = levels(THREE_DUCKS)
        self.found = changes_of(self.levels, THREE)
        self.curve = Curve(self.found, NO_PAIRS, THREE)

    def log_likelihood_ratios(self, moves, first=0):
        """What a curve tells against none, by the definition of each scale from one of them on."""
        times = (np.arange(len(self.levels)) + 0.5) / FRAMES_PER_S
        gain = sum((m.gain_db(times - 0.008) + m.gain_db(times + 0.008)) / 2 for m in moves)
        total = 0.0
        for scale in self.found.scales[first:]:
            at = np.arange(len(scale.moved)) * scale.hop
            inside = (at >= scale.width) & (at + scale.width <= len(gain))
            seen = np.where(inside, compared(gain, scale.width, at, scale.whole), 0.0)
            left = scale.moved - scale.step * seen
            logs = np.log((DEGREES + left**2) / (DEGREES + scale.moved**2))
            total -= (
                0.5 * (DEGREES + 1) * self.curve.luck.weights[0] * scale.hop / scale.width * logs[scale.step > 0].sum()
            )
        return total

    def test_worth_is_what_the_scales_tell(self):
        one, other = Move(9.3, 9.8, 16.3, 17.0, 10.0), Move(25.1, 25.83, 32.2, 33.0, 7.0)
        self.assertAlmostEqual(self.curve.likelihood_gain([], [one]), self.log_likelihood_ratios([one]), places=6)
        self.curve.exchange([], [one])
        self.assertAlmostEqual(
            self.curve.likelihood_gain([], [other]),
            self.log_likelihood_ratios([one, other]) - self.log_likelihood_ratios([one]),
            places=6,
        )
        self.curve.exchange([], [other])
        self.assertAlmostEqual(
            self.curve.likelihood_gain([one], []),
            self.log_likelihood_ratios([other]) - self.log_likelihood_ratios([one, other]),
            places=6,
        )

    def test_an_edge_put_elsewhere_is_worth_the_same_as_the_whole_move(self):
        one = Move(9.3, 9.8, 16.3, 17.0, 10.0)
        self.curve.exchange([], [one])
        for other in (
            replace(one, return_start_s=16.0, return_end_s=16.4),
            replace(one, fall_end_s=9.6),
            replace(one, depth_db=7.0),
        ):
            self.assertAlmostEqual(
                self.curve.likelihood_gain([one], [other]),
                self.log_likelihood_ratios([other]) - self.log_likelihood_ratios([one]),
                places=6,
            )
        self.assertEqual(self.curve.likelihood_gain([one], [one]), 0.0)

    def test_many_ways_tell_what_each_of_them_does_by_itself(self):
        one, dip = Move(9.3, 9.8, 16.3, 17.0, 10.0), Move(20.0, 20.3, 21.0, 21.4, 6.0)
        self.curve.exchange([], [one])
        others = [replace(one, depth_db=7.0), replace(one, fall_end_s=9.6), one]
        alone = [self.curve.likelihood_gain([one], [other]) for other in others]
        np.testing.assert_allclose(self.curve.likelihood_gains([one], table(others)), alone, atol=1e-9)
        with_dip = self.curve.likelihood_gains([one], np.array([table([other, dip]) for other in others]))
        np.testing.assert_allclose(
            with_dip, [self.curve.likelihood_gain([one], [other, dip]) for other in others], atol=1e-9
        )
        np.testing.assert_allclose(with_dip, np.array(alone) + self.curve.likelihood_gain([], [dip]), atol=0.05)

    def test_pairs_tell_how_far_the_curve_explains_their_levels(self):
        # One block under the move and one beside it, two beside it, and one on its fall, where it is lowered by its
        # mean.
        one, other, offset, scale = (
            np.array([600, 50, 470]),
            np.array([1100, 1200, 1300]),
            np.array([-9.0, 0.5, -6.0]),
            np.array([0.5, 1.0, 2.0]),
        )
        with_pairs = Curve(self.found, Pairs(one, other, offset, scale), THREE)
        move = Move(9.3, 9.8, 16.3, 17.0, 10.0)
        times = (np.arange(len(self.levels)) + 0.5) / FRAMES_PER_S
        gain = (move.gain_db(times - 0.008) + move.gain_db(times + 0.008)) / 2
        lowered = np.array([gain[a : a + 10].mean() - gain[b : b + 10].mean() for a, b in zip(one, other, strict=True)])
        before, after = (np.log1p((left / scale) ** 2 / 2).sum() for left in (offset, offset - lowered))
        self.assertAlmostEqual(
            with_pairs.likelihood_gain([], [move]) - self.curve.likelihood_gain([], [move]),
            1.5 * PAIR_WEIGHT * (before - after),
            places=6,
        )
        # Where it is asked whether a ramp is slow, half of that.
        by_pairs = with_pairs.slowly([], table([move])[None]) - self.curve.slowly([], table([move])[None])
        self.assertAlmostEqual(by_pairs[0], 0.75 * PAIR_WEIGHT * (before - after), places=6)

    def test_slow_ramps_are_told_by_what_moves_in_a_fifth_of_a_second_and_more(self):
        one, slower = Move(9.3, 9.8, 16.3, 17.0, 10.0), Move(9.3, 9.8, 16.3, 18.5, 10.0)
        self.assertEqual([scale.width / FRAMES_PER_S for scale in self.found.scales[2:]], [0.2, 0.8])
        self.assertAlmostEqual(
            self.curve.slowly([], table([one])[None])[0], self.log_likelihood_ratios([one], 2), places=6
        )
        self.curve.exchange([], [one])
        self.assertAlmostEqual(
            self.curve.slowly([one], table([slower]))[0],
            self.log_likelihood_ratios([slower], 2) - self.log_likelihood_ratios([one], 2),
            places=6,
        )

    def test_what_is_true_tells_more_than_its_neighbours(self):
        true = Move(9.3, 9.8, 16.3, 17.0, 10.0)
        best = self.curve.likelihood_gain([], [true])
        self.assertGreater(best, 20)
        for other in (
            replace(true, depth_db=7.0),
            replace(true, depth_db=13.0),
            replace(true, fall_start_s=8.9, fall_end_s=9.4),
        ):
            self.assertLess(self.curve.likelihood_gain([], [other]), best)

    def test_the_table_of_edges_agrees_with_the_curve(self):
        """Far from each other a fall and a return tell together what the move that they make tells."""
        move, end = Move(9.3, 9.8, 16.3, 17.0, 10.0), round(9.8 * FRAMES_PER_S)
        # Whatever place it has among those that are looked at.
        fall = log_likelihood_ratios(
            self.found, 0.5, range(end - 7, end + 3), np.array([10.0]), 1.0, self.curve.luck.weights
        )[7, 0]
        last = round(17.0 * FRAMES_PER_S)
        back = log_likelihood_ratios(
            self.found, 0.7, range(last, last + 1), np.array([10.0]), -1.0, self.curve.luck.weights
        )[0, 0]
        self.assertAlmostEqual(
            fall + back, self.curve.likelihood_gain([], [move]), delta=0.05 * self.curve.likelihood_gain([], [move])
        )


class AgreeTest(unittest.TestCase):
    """Ramps that most moves share are as long as all of them together tell, wherever each of them lies."""

    # Falls of 0.9 s and returns of 1.2 s.
    DRAWN = ((8.9, 0), (9.8, -10), (16.3, -10), (17.5, 0))

    def search(self, moves, shared):
        found = levels([p for k in range(3) for p in again(self.DRAWN, 16 * k)])
        curve = Curve(changes_of(found, THREE), pairs_of(found), THREE)
        return Search(curve, Start(0.0, shared, tuple(Unit(a, b, a - 4.0, b + 4.0) for a, b in THREE), moves))

    def test_lengths_that_all_have(self):
        # Too long or too short, and not where they lie.
        for fall_s, return_s in ((0.6, 0.8), (1.3, 1.7)):
            moves = tuple(
                Move(9.9 - fall_s + t, 9.9 + t, 16.3 + t, 16.3 + return_s + t, 10.0, span)
                for t, span in zip((0, 16, 32), THREE, strict=True)
            )
            search = self.search(moves, Shared(10.0, fall_s, return_s))
            search.agree()
            self.assertAlmostEqual(search.shared.fall_s, 0.9, delta=0.12)
            self.assertAlmostEqual(search.shared.return_s, 1.2, delta=0.15)
            for k, move in enumerate(search.moves):
                self.assertAlmostEqual(move.fall_s, search.shared.fall_s)
                self.assertAlmostEqual((move.fall_start_s + move.fall_end_s) / 2, 9.35 + 16 * k, delta=0.1)

    def test_where_too_few_share_one_each_keeps_its_own(self):
        moves = tuple(
            Move(9.9 - fall + t, 9.9 + t, 16.3 + t, 17.5 + t, 10.0, span)
            for t, span, fall in zip((0, 16, 32), THREE, (0.3, 0.6, 1.0), strict=True)
        )
        search = self.search(moves, Shared(10.0, 0.6, 1.2))
        search.agree()
        self.assertEqual([round(m.fall_s, 6) for m in search.moves], [0.3, 0.6, 1.0])

    def test_the_depth_that_all_have_lies_in_the_middle_of_where_it_may_lie(self):
        moves = tuple(
            Move(8.9 + t, 9.8 + t, 16.3 + t, 17.5 + t, 9.7, span) for t, span in zip((0, 16, 32), THREE, strict=True)
        )
        search = self.search(moves, Shared(9.7, 0.9, 1.2))
        search.agree()
        self.assertAlmostEqual(search.shared.depth_db, 10.0, delta=0.3)
        self.assertEqual({round(m.depth_db, 6) for m in search.moves}, {round(search.shared.depth_db, 6)})
        # As much is told on either side of it.
        depths = search.shared.depth_db + np.arange(-150, 151) * 0.01
        nats = search._worths_shared([0, 1, 2], "depth_db", depths) / 1.5
        below = np.cumsum(np.exp(nats)) / np.exp(nats).sum()
        self.assertAlmostEqual(float(np.interp(0.5, below, depths)), search.shared.depth_db, delta=0.06)

    def test_a_depth_of_its_own_stays(self):
        depths = (10.0, 10.0, 5.0)
        moves = tuple(
            Move(8.9 + t, 9.8 + t, 16.3 + t, 17.5 + t, d, span)
            for t, span, d in zip((0, 16, 32), THREE, depths, strict=True)
        )
        search = self.search(moves, Shared(10.0, 0.9, 1.2))
        search.agree()
        self.assertEqual(search.moves[2].depth_db, 5.0)
