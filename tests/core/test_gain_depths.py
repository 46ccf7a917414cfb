"""How deep moves are: one depth for most of them, or each its own. Depths as they were drawn."""

import unittest
from types import SimpleNamespace

import numpy as np

from mezzavoce_core.measure.gain import depths
from mezzavoce_core.measure.gain.moves import DEPTH, NOTHING_KNOWN, Elsewhere, Move, Shared
from mezzavoce_core.measure.music_gain import find_gain
from tests.core.test_music_gain import levels, song

SPEECH = [(10.0 + 12 * k, 15.0 + 12 * k) for k in range(8)]


def drawn(depths_db):
    """Levels of a song with a duck under each passage."""
    points = [
        (t, g * d)
        for (a, b), d in zip(SPEECH, depths_db, strict=True)
        for t, g in ((a - 0.6, 0), (a - 0.1, -1), (b + 0.3, -1), (b + 1.0, 0))
    ]
    return levels(points, music=song(112))


def search(told, now_db):
    """Moves as deep as ``now_db`` that all share the first one's depth.

    For each of them a depth tells what ``told`` says of it.
    """
    moves = [
        Move(10.0 * k, 10.0 * k + 1, 10.0 * k + 5, 10.0 * k + 6, d, (10.0 * k + 1, 10.0 * k + 5))
        for k, d in enumerate(now_db)
    ]
    exchanged = []

    def likelihood_gains(gone, candidates):
        return np.array([told(round(gone[0].fall_start_s / 10), depth) for depth in candidates[:, DEPTH]])

    def put(k, now, new):
        exchanged.append((now, new))
        moves[k] = new

    curve = SimpleNamespace(likelihood_gains=likelihood_gains)
    return SimpleNamespace(
        moves=moves,
        curve=curve,
        put=put,
        shared=Shared(now_db[0], 1.0, 1.0),
        elsewhere=NOTHING_KNOWN,
        exchanged=exchanged,
    )


class FoundTest(unittest.TestCase):
    def test_each_its_own(self):
        own = (6.5, 13.0, 9.5, 11.5, 7.5, 12.5, 8.5, 10.5)
        found = find_gain(drawn(own), SPEECH).ducks
        self.assertLess(np.median(np.abs(np.array([d.depth_db for d in found]) - own)), 0.3)

    def test_one_of_another_depth_takes_nothing_from_what_the_others_share(self):
        found = find_gain(drawn((10, 10, 10, 15, 10, 10, 10, 10)), SPEECH).ducks
        self.assertEqual(len({round(d.depth_db, 6) for k, d in enumerate(found) if k != 3}), 1)


class SettleTest(unittest.TestCase):
    TRUE = (6.0, 14.0, 8.0, 12.0, 9.0)

    def log_likelihood_ratios(self, sure_db):
        return lambda k, depth: -0.5 * ((depth - self.TRUE[k]) / sure_db) ** 2

    def test_where_each_is_well_known_it_is_as_deep_as_that(self):
        moves = search(self.log_likelihood_ratios(0.2), (9.0,) * 5)
        depths.settle_depths(moves)
        np.testing.assert_allclose([m.depth_db for m in moves.moves], self.TRUE, atol=0.1)
        self.assertEqual(len(moves.exchanged), 5)

    def test_where_little_is_known_it_stays_near_the_middle(self):
        """By hand: told to 2.5 dB, as far as depths lie from their middle, the middle between both is the likeliest."""
        self.TRUE = (2.0, 16.0, 9.0, 16.0, 2.0)
        moves = search(self.log_likelihood_ratios(2.5), (9.0,) * 5)
        depths.settle_depths(moves)
        np.testing.assert_allclose([m.depth_db for m in moves.moves], (5.6, 12.5, 9.0, 12.5, 5.6), atol=0.2)

    def test_one_that_is_not_as_the_others_or_hardly_any_difference_changes_nothing(self):
        self.TRUE = (9.0, 9.0, 14.0, 9.0, 9.0)
        for sure_db in (0.2, 4.0):
            moves = search(self.log_likelihood_ratios(sure_db), (9.0, 9.0, 14.0, 9.0, 9.0))
            depths.settle_depths(moves)
            self.assertEqual(moves.exchanged, [])

    def test_two_are_too_few(self):
        moves = search(self.log_likelihood_ratios(0.2), (6.0, 14.0))
        depths.settle_depths(moves)
        self.assertEqual(moves.exchanged, [])


if __name__ == "__main__":
    unittest.main()


class ElsewhereTest(unittest.TestCase):
    """A part of a programme whose other moves are known."""

    def known(self, *depths_db):
        return Elsewhere(
            {
                "depth_db": np.array(depths_db, dtype=float),
                "fall_s": np.full(len(depths_db), 0.5),
                "return_s": np.full(len(depths_db), 0.7),
            },
            30.0,
        )

    def test_values_of_others_cost_least_where_they_are_shared(self):
        told = self.known(9.0, 9.05, 8.95, 14.0).sharing("depth_db", np.array([5.0, 9.0, 14.0]), 0.2)
        self.assertEqual(int(np.argmax(told)), 1)
        self.assertEqual(NOTHING_KNOWN.sharing("fall_s", np.array([0.2, 0.5]), 0.2).tolist(), [0.0, 0.0])

    def test_one_alone_is_as_deep_as_those_that_are_known_where_the_music_does_not_tell(self):
        a, b = 20.0, 24.0
        heard = levels([(a - 0.6, 0), (a - 0.1, -9.3), (b + 0.3, -9.3), (b + 1.0, 0)], music=song(40, seed=3))
        alone = find_gain(heard, [(a, b)]).ducks[0].depth_db
        with_others = find_gain(heard, [(a, b)], self.known(*[9.3] * 8)).ducks[0].depth_db
        self.assertLess(abs(with_others - 9.3), 0.06)
        self.assertLess(abs(with_others - 9.3), abs(alone - 9.3))

    def test_one_that_is_plainly_of_another_depth_stays_that(self):
        a, b = 20.0, 24.0
        heard = levels([(a - 0.6, 0), (a - 0.1, -15), (b + 0.3, -15), (b + 1.0, 0)], music=song(40, seed=3))
        self.assertAlmostEqual(find_gain(heard, [(a, b)], self.known(*[9.0] * 8)).ducks[0].depth_db, 15.0, delta=0.7)

    def test_a_programme_that_is_known_to_be_moved_is_looked_at_where_a_part_tells_nothing(self):
        a, b = 20.0, 24.0
        still = levels([(0, 0)], music=song(40, seed=3))
        self.assertEqual(find_gain(still, [(a, b)], self.known(*[9.0] * 8)).nats, 30.0)
        self.assertEqual(
            [d for d in find_gain(still, [(a, b)], self.known(*[9.0] * 8)).ducks if d.speech and d.certainty > 0.9], []
        )
