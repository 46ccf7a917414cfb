"""Moves that were taken for one, for two, or for a part of another.

Speech that shares a move, and dips that no speech calls for.
"""

import unittest
from dataclasses import replace

from mezzavoce_core.measure.gain.curve import Curve
from mezzavoce_core.measure.gain.dips import parted, strays
from mezzavoce_core.measure.gain.joins import join, part, reach, split
from mezzavoce_core.measure.gain.moves import Move, Shared, Unit, prior, sharing
from mezzavoce_core.measure.gain.search import Search
from mezzavoce_core.measure.gain.starts import Start
from tests.core.test_music_gain import levels
from tests.gains import changes_of, pairs_of

SHARED = Shared(10.0, 0.5, 0.7)


def search(points, speech, moves, units=None):
    """A search in music with a gain drawn by ``points``, that has some moves for true."""
    found = levels(points)
    curve = Curve(changes_of(found, speech), pairs_of(found), speech)
    units = tuple(Unit(a, b, max(0.0, a - 3), b + 3) for a, b in units or speech)
    return Search(curve, Start(0.0, SHARED, units, moves))


class ReachTest(unittest.TestCase):
    """Speech that is followed by more after a long pause, over which the music stays down."""

    SPEECH = ((10.0, 12.5), (15.5, 19.0), (40.0, 44.0))

    def reached(self, points, moves):
        found = search(points, self.SPEECH, moves)
        reach(found)
        return found.moves

    def test_to_the_speech_before(self):
        points = [(9.3, 0), (9.8, -10), (19.3, -10), (20.0, 0)]
        begun_late = Move(14.8, 15.3, 19.3, 20.0, 10.0, self.SPEECH[1])
        none, move, other = self.reached(points, (None, begun_late, None))
        self.assertEqual((none, other, move.serves), (None, None, (10.0, 19.0)))
        self.assertAlmostEqual(move.fall_end_s, 9.8, delta=0.15)

    def test_to_the_speech_after(self):
        points = [(9.3, 0), (9.8, -10), (19.3, -10), (20.0, 0)]
        move, none, _ = self.reached(points, (Move(9.3, 9.8, 12.7, 13.4, 10.0, self.SPEECH[0]), None, None))
        self.assertEqual((none, move.serves), (None, (10.0, 19.0)))
        self.assertAlmostEqual(move.return_start_s, 19.3, delta=0.15)

    def test_to_the_speech_after_and_held_far_beyond_it(self):
        points = [(9.3, 0), (9.8, -10), (22.3, -10), (23.0, 0)]
        move, none, _ = self.reached(points, (Move(9.3, 9.8, 12.7, 13.4, 10.0, self.SPEECH[0]), None, None))
        self.assertEqual((none, move.serves), (None, (10.0, 19.0)))
        self.assertAlmostEqual(move.return_start_s, 22.3, delta=0.2)

    def test_to_the_speech_before_and_begun_far_ahead_of_it(self):
        points = [(6.3, 0), (6.8, -10), (19.3, -10), (20.0, 0)]
        none, move, _ = self.reached(points, (None, Move(14.8, 15.3, 19.3, 20.0, 10.0, self.SPEECH[1]), None))
        self.assertEqual((none, move.serves), (None, (10.0, 19.0)))
        self.assertAlmostEqual(move.fall_end_s, 6.8, delta=0.2)

    def test_where_it_reached_by_itself_and_ends_with_a_step(self):
        points = [(9.3, 0), (9.8, -10), (19.2, -10), (19.215, 0)]
        move, none, _ = self.reached(points, (Move(9.3, 9.8, 19.2, 19.215, 10.0, self.SPEECH[0]), None, None))
        self.assertEqual((none, move.serves), (None, (10.0, 19.0)))
        self.assertAlmostEqual(move.return_start_s, 19.2, delta=0.03)
        self.assertLess(move.return_end_s - move.return_start_s, 0.05)

    def test_where_it_began_by_itself_with_a_step(self):
        points = [(9.785, 0), (9.8, -10), (19.3, -10), (20.0, 0)]
        none, move, _ = self.reached(points, (None, Move(9.785, 9.8, 19.3, 20.0, 10.0, self.SPEECH[1]), None))
        self.assertEqual((none, move.serves), (None, (10.0, 19.0)))
        self.assertLess(move.fall_end_s - move.fall_start_s, 0.05)

    def test_not_where_the_music_stays_up_there(self):
        points = [(14.8, 0), (15.3, -10), (19.3, -10), (20.0, 0)]
        begun = Move(14.8, 15.3, 19.3, 20.0, 10.0, self.SPEECH[1])
        self.assertEqual(self.reached(points, (None, begun, None)), [None, begun, None])


class SplitTest(unittest.TestCase):
    """Two passages with a pause of two seconds between them, found under one move."""

    SPEECH = ((10.0, 14.0), (16.2, 20.0), (40.0, 44.0))
    ONE = Move(9.3, 9.8, 20.3, 21.0, 10.0, (10.0, 20.0))

    def divided(self, points):
        found = search(points, self.SPEECH, (self.ONE, None), ((10.0, 20.0), (40.0, 44.0)))
        split(found, self.SPEECH)
        return found

    def test_two_where_the_music_comes_up_between_them(self):
        found = self.divided(
            [(9.3, 0), (9.8, -10), (14.2, -10), (14.8, 0), (15.6, 0), (16.1, -10), (20.3, -10), (21.0, 0)]
        )
        one, two, none = found.moves
        self.assertEqual((one.serves, two.serves, none), ((10.0, 14.0), (16.2, 20.0), None))
        self.assertEqual([(u.in_s, u.out_s) for u in found.units], list(self.SPEECH))
        self.assertAlmostEqual(one.return_start_s, 14.2, delta=0.2)
        self.assertAlmostEqual(two.fall_end_s, 16.1, delta=0.2)

    def test_two_where_it_falls_again_too_late(self):
        one, two, _ = self.divided(
            [(9.3, 0), (9.8, -10), (14.9, -10), (16.0, 0), (16.3, 0), (16.9, -10), (20.3, -10), (21.0, 0)]
        ).moves
        self.assertEqual((one.serves, two.serves), ((10.0, 14.0), (16.2, 20.0)))
        self.assertAlmostEqual(one.return_end_s, 16.0, delta=0.15)
        self.assertAlmostEqual(two.fall_start_s, 16.3, delta=0.15)
        self.assertAlmostEqual(two.fall_end_s, 16.9, delta=0.1)

    def test_of_depths_of_their_own(self):
        one, two, _ = self.divided(
            [(9.3, 0), (9.8, -20), (14.2, -20), (14.8, 0), (15.6, 0), (16.1, -10), (20.3, -10), (21.0, 0)]
        ).moves
        self.assertAlmostEqual(one.depth_db, 20, delta=2)
        self.assertAlmostEqual(two.depth_db, 10, delta=2)

    def test_one_where_the_music_stays_down(self):
        found = self.divided([(9.3, 0), (9.8, -10), (20.3, -10), (21.0, 0)])
        self.assertEqual(found.moves, [self.ONE, None])
        self.assertEqual(len(found.units), 2)


class PartTest(unittest.TestCase):
    """Two passages under one move, of which one has none by itself.

    It was reached or joined while little was known.
    """

    SPEECH = ((10.0, 14.0), (17.4, 21.0), (40.0, 44.0))
    ONE = Move(9.3, 9.8, 21.3, 22.0, 10.0, (10.0, 21.0))
    UP, DOWN = ((14.2, -10), (14.9, 0), (16.7, 0), (17.2, -10)), ()

    def parted(self, between, moves):
        found = search([(9.3, 0), (9.8, -10), *between, (21.3, -10), (22.0, 0)], self.SPEECH, moves)
        part(found)
        return found

    def test_two_where_the_music_comes_up_between_them(self):
        for moves in ((self.ONE, None, None), (None, self.ONE, None)):
            found = self.parted(self.UP, moves)
            one, two, none = found.moves
            self.assertEqual((one.serves, two.serves, none), ((10.0, 14.0), (17.4, 21.0), None))
            self.assertAlmostEqual(one.return_start_s, 14.2, delta=0.2)
            self.assertAlmostEqual(two.fall_end_s, 17.2, delta=0.2)
            self.assertEqual([(u.in_s, u.out_s) for u in found.units], list(self.SPEECH))
            # Nor are they joined again.
            self.assertEqual(join(found), [])
            self.assertEqual(found.moves, [one, two, None])

    def test_one_where_it_stays_down(self):
        self.assertEqual(self.parted(self.DOWN, (self.ONE, None, None)).moves, [self.ONE, None, None])


class InTimeTest(unittest.TestCase):
    """A move of which one edge was taken for something far away from its speech."""

    SPEECH = ((10.0, 22.0), (40.0, 44.0))

    def test_that_edge_is_looked_for_in_time(self):
        points = [(9.3, 0), (9.8, -10), (22.3, -10), (23.0, 0)]
        for lost in (
            Move(9.3, 9.8, 13.0, 13.7, 10.0, self.SPEECH[0]),
            Move(17.9, 18.4, 22.3, 23.0, 10.0, self.SPEECH[0]),
        ):
            found = search(points, self.SPEECH, (lost, None))
            found.refine(0)
            self.assertAlmostEqual(found.moves[0].fall_end_s, 9.8, delta=0.2)
            self.assertAlmostEqual(found.moves[0].return_start_s, 22.3, delta=0.2)


class PartedTest(unittest.TestCase):
    """A move that reaches far beyond its speech, or a move in time and a dip beside it."""

    SPEECH = ((16.0, 21.0), (40.0, 44.0))

    def of(self, points, move):
        found = search(points, self.SPEECH, (replace(move, serves=(16.0, 21.0)), None))
        return found.moves[0], parted(found), found.moves[0]

    def test_held_long_or_a_dip_behind(self):
        held = Move(15.3, 15.8, 26.5, 27.0, 10.0)
        before, dips, after = self.of([(15.3, 0), (15.8, -10), (26.5, -10), (27.0, 0)], held)
        self.assertEqual((dips, before), ([], after))
        _, [(dip, nats)], after = self.of(
            [(15.3, 0), (15.8, -10), (21.2, -10), (21.9, 0), (24.0, 0), (24.3, -10), (26.5, -10), (27.0, 0)], held
        )
        self.assertGreater(nats, 10)
        self.assertAlmostEqual(after.return_start_s, 21.2, delta=0.3)
        self.assertEqual((dip.return_end_s, dip.serves), (27.0, None))
        self.assertAlmostEqual(dip.fall_end_s, 24.3, delta=0.3)

    def test_early_or_a_dip_before(self):
        early = Move(10.0, 10.5, 21.2, 21.9, 10.0)
        before, dips, after = self.of([(10.0, 0), (10.5, -10), (21.2, -10), (21.9, 0)], early)
        self.assertEqual((dips, before), ([], after))
        _, [(dip, _)], after = self.of(
            [(10.0, 0), (10.5, -10), (12.3, -10), (12.8, 0), (15.3, 0), (15.8, -10), (21.2, -10), (21.9, 0)], early
        )
        self.assertAlmostEqual(after.fall_end_s, 15.8, delta=0.3)
        self.assertEqual((dip.fall_start_s, dip.serves), (10.0, None))
        self.assertAlmostEqual(dip.return_start_s, 12.3, delta=0.3)


class ComeApartTest(unittest.TestCase):
    """A search begins with edges that were looked at one by one."""

    SPEECH = ((10.0, 14.0), (18.0, 22.0))

    def test_a_move_that_returns_in_the_fall_of_the_next_one_returns_with_its_speech(self):
        points = [(9.3, 0), (9.8, -10), (14.2, -10), (14.9, 0), (17.3, 0), (17.8, -10), (22.2, -10), (22.9, 0)]
        into_each_other = (
            Move(9.3, 9.8, 17.5, 19.5, 10.0, self.SPEECH[0]),
            Move(17.3, 17.8, 22.2, 22.9, 10.0, self.SPEECH[1]),
        )
        one, two = search(points, self.SPEECH, into_each_other).moves
        self.assertEqual(two, into_each_other[1])
        self.assertAlmostEqual(one.return_start_s, 14.2, delta=0.2)
        self.assertLessEqual(one.return_end_s, two.fall_start_s)

    def test_others_stay(self):
        moves = Move(9.3, 9.8, 14.2, 17.0, 10.0, self.SPEECH[0]), Move(17.3, 17.8, 22.2, 22.9, 10.0, self.SPEECH[1])
        self.assertEqual(search([(9.3, 0)], self.SPEECH, moves).moves, list(moves))


class StrayTest(unittest.TestCase):
    SPEECH = ((10.0, 16.0), (42.0, 48.0))
    OWN = Move(9.3, 9.8, 16.3, 17.0, 10.0, (10.0, 16.0))

    def found(self, dip):
        points = [(9.3, 0), (9.8, -10), (16.3, -10), (17.0, 0), *dip]
        return strays(search(points, self.SPEECH, (self.OWN, None)), self.SPEECH, 60.0)

    def test_a_dip_like_the_others_is_one(self):
        [(dip, nats)] = self.found([(25.0, 0), (25.5, -10), (27.5, -10), (28.2, 0)])
        self.assertAlmostEqual(dip.depth_db, 10, delta=1)
        self.assertAlmostEqual(dip.fall_end_s, 25.5, delta=0.2)
        self.assertAlmostEqual(dip.return_start_s, 27.5, delta=0.3)
        self.assertGreater(nats, 20)

    def test_a_dip_that_reaches_the_move_behind_it_is_its_beginning(self):
        """Taken for a dip and a fall in time, because they were looked for one after the other.

        And a dip that is one.
        """
        late = Move(41.3, 41.8, 48.3, 49.0, 10.0, (42.0, 48.0))
        for dip, of_its_own in (
            (((37.0, 0), (37.5, -10)), False),
            (((37.0, 0), (37.5, -10), (38.7, -10), (39.3, 0), (41.3, 0), (41.8, -10)), True),
        ):
            points = [(9.3, 0), (9.8, -10), (16.3, -10), (17.0, 0), *dip, (48.3, -10), (49.0, 0)]
            found = search(points, self.SPEECH, (self.OWN, late))
            dips = strays(found, self.SPEECH, 60.0)
            self.assertEqual(len(dips), int(of_its_own))
            self.assertAlmostEqual(found.moves[1].fall_end_s, 41.8 if of_its_own else 37.5, delta=0.2)

    def test_none_where_nothing_is_done(self):
        self.assertEqual(self.found([(25.0, 0)]), [])

    def test_what_falls_far_further_is_a_rest_of_the_music(self):
        self.assertEqual(self.found([(25.0, 0), (25.3, -40), (26.5, -40), (26.52, 0)]), [])

    def test_the_more_it_is_like_the_others_the_likelier_it_is(self):
        like, own = Move(25.0, 25.5, 27.5, 28.2, 10.0), Move(25.0, 25.2, 27.5, 27.55, 13.0)
        self.assertAlmostEqual(sharing(like.parameters, SHARED)[0], 0.0, delta=0.1)
        self.assertLess(sharing(own.parameters, SHARED)[0], -10)
        serving = replace(like, serves=(25.6, 27.3))
        self.assertAlmostEqual(prior(serving.parameters, serving.serves, SHARED)[0], 0.0, delta=0.2)
