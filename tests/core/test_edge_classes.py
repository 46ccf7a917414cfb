"""What is claimed of single moves.

Which members of a class of unusual edges have room, and where the music says nothing.
"""

import unittest
from types import SimpleNamespace

import numpy as np

from mezzavoce_core.measure.gain import edge_classes
from mezzavoce_core.measure.gain.moves import FALL_START, RETURN_END, RETURN_START, Move, Shared


class ClaimsTest(unittest.TestCase):
    @staticmethod
    def searched(*moves, rests=slice(0)):
        """What claims look at of a search in 30 s of music that is silent in some frames."""
        quiet = np.zeros(1500, dtype=bool)
        quiet[rests] = True
        curve = SimpleNamespace(duration_s=30.0, changes=SimpleNamespace(heard=SimpleNamespace(quiet=quiet)))
        return SimpleNamespace(moves=list(moves), shared=Shared(8.0, 0.6, 0.7), curve=curve)

    def test_silence_tells_nothing_unusual(self):
        """Where the music rests, a fall may be anywhere; only the usual one is taken for granted."""
        move = Move(9.3, 9.9, 14.2, 14.9, 8.0, (10.0, 14.0))
        search = self.searched(move, rests=slice(300, 690))
        for families, candidates in (
            ((edge_classes.USUAL_FALLS, *edge_classes.FALLS), edge_classes._falls),
            ((edge_classes.USUAL_RETURNS, *edge_classes.RETURNS), edge_classes._returns),
        ):
            for family in families:
                found, _ = candidates(search, 0, move, family)
                silent = candidates is edge_classes._falls and family.name in {
                    "late",
                    "bare",
                    "early",
                    "fall-abrupt",
                    "fall-slow",
                }
                self.assertEqual(len(found) > 0, not silent, family.name)

    def test_beside_what_is_unusual_the_music_is_up(self):
        """A return and a fall that touch may be usual ones; neither is claimed to be quick or early."""
        first, second = (Move(t - 0.7, t - 0.1, t + 4.2, t + 4.9, 8.0, (t, t + 4.0)) for t in (10.0, 15.7))
        search = self.searched(first, second)
        for family in (edge_classes.USUAL_FALLS, *edge_classes.FALLS):
            starts = edge_classes._falls(search, 1, second, family)[0][:, FALL_START]
            least = 14.9 - 0.05 if family.may_meet else 14.9 + 0.3
            self.assertTrue((starts >= least).all(), family.name)
            self.assertEqual(len(starts) > 0, family.name not in {"early", "fall-slow"}, family.name)
        for family in (edge_classes.USUAL_RETURNS, *edge_classes.RETURNS):
            ends = edge_classes._returns(search, 0, first, family)[0][:, RETURN_END]
            most = 15.0 + 0.05 if family.may_meet else 15.0 - 0.3
            self.assertTrue((ends <= most).all(), family.name)
            self.assertEqual(len(ends) > 0, family.name in {"usual", "return-abrupt"}, family.name)
        # At the end of the programme nothing lies beside it.
        self.assertTrue(
            (edge_classes._returns(search, 1, second, edge_classes.RETURNS[1])[0][:, RETURN_END] > 22.0).any()
        )

    def test_slow_ramps_may_meet_the_move_beside_them(self):
        """Between a return and a fall 0.9 s apart lies a ramp of 1.8 s on either side, if it reaches the other.

        A late or abrupt edge keeps clear of it.
        """
        first, second = (Move(t - 0.7, t - 0.1, t + 4.2, t + 4.9, 8.0, (t, t + 4.0)) for t in (10.0, 16.5))
        search = self.searched(first, second)
        (_, slow_fall, late, *_), (abrupt, slow_return, _) = edge_classes.FALLS, edge_classes.RETURNS
        starts = edge_classes._falls(search, 1, second, slow_fall)[0][:, FALL_START].tolist()
        ends = edge_classes._returns(search, 0, first, slow_return)[0][:, RETURN_END].tolist()
        self.assertTrue(starts and all(14.85 <= t < 15.2 for t in starts), starts)
        self.assertTrue(ends and all(15.5 < t <= 15.85 for t in ends), ends)
        self.assertTrue((edge_classes._falls(search, 1, second, late)[0][:, FALL_START] >= 15.2).all())
        self.assertTrue((edge_classes._returns(search, 0, first, abrupt)[0][:, RETURN_END] <= 15.5).all())

    def log_likelihood_ratios(self, quick, slow, slowly):
        """What is claimed of a move with such likelihoods.

        So many nats speak for a return in 0.5 to 1 s by the voice, or for a slow one by all scales and by the slow ones
        alone.
        """
        search = self.searched(Move(9.3, 9.9, 14.2, 14.9, 8.0, (10.0, 14.0)))

        def by_all(_, candidates):
            lengths_s = candidates[:, RETURN_END] - candidates[:, RETURN_START]
            return quick * ((lengths_s > 0.5) & (lengths_s < 1.0) & (candidates[:, RETURN_START] < 15.4)) + slow * (
                lengths_s > 1.7
            )

        search.curve.likelihood_gains = by_all
        search.curve.slowly = lambda _, candidates: (
            slowly * (candidates[:, RETURN_END] - candidates[:, RETURN_START] > 1.7)
        )
        search.put = lambda k, _, new: search.moves.__setitem__(k, new)
        return dict(edge_classes.claims(search, 0, None)), search.moves[0].return_s

    def test_a_beat_that_a_quick_return_would_meet_by_chance_does_not_hide_a_slow_one(self):
        found, length_s = self.log_likelihood_ratios(quick=3.0, slow=1.0, slowly=4.0)
        self.assertEqual(list(found), ["return-slow"])
        self.assertAlmostEqual(found["return-slow"], 4.0 - 1.0, delta=0.2)
        self.assertGreater(length_s, 1.7)
        found, length_s = self.log_likelihood_ratios(quick=3.0, slow=1.0, slowly=0.5)
        self.assertEqual((found, round(length_s, 1)), ({}, 0.7))

    def test_where_all_speak_clearly_for_a_slow_ramp_it_is_one(self):
        found, _ = self.log_likelihood_ratios(quick=0.0, slow=9.0, slowly=0.0)
        self.assertEqual(list(found), ["return-slow"])
        self.assertAlmostEqual(found["return-slow"], 9.0 - 3.0 - 1.0, delta=0.2)
        self.assertEqual(self.log_likelihood_ratios(quick=0.0, slow=3.5, slowly=0.0)[0], {})
