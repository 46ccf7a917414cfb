"""Figures with an interval, and how certain a finding is by it."""

import unittest

from mezzavoce_core.estimate import Estimate, exact, value_of
from mezzavoce_core.judge.judging import _careful
from mezzavoce_core.judge.model import MUST, NOTE, Finding


def finding(estimate, certainty=1.0):
    return Finding("masked-speech", "voice", MUST, 0.0, 1.0, "t", "m", estimate, 10.0, "LU", certainty=certainty)


class EstimateTest(unittest.TestCase):
    def test_share_of_the_interval_beyond_a_limit(self):
        for value, low, high, share in (
            (8.0, 7.0, 9.0, 1.0),
            (9.0, 7.0, 11.0, 0.75),
            (9.5, 8.5, 10.5, 0.75),
            (11.0, 9.0, 13.0, 0.75),
            (10.0, 8.0, 12.0, 0.5),
            (8.0, 8.0, 8.0, 1.0),
        ):
            self.assertAlmostEqual(Estimate(value, low, high).beyond(10.0), share, msg=f"{value} in {low} to {high}")

    def test_half_of_the_interval(self):
        self.assertEqual(Estimate(9.0, 7.0, 10.0).uncertainty, 1.5)
        self.assertEqual(exact(3.0).uncertainty, 0.0)

    def test_what_is_not_known(self):
        self.assertIsNone(value_of(None))
        self.assertEqual(value_of(exact(3.0)), 3.0)

    def test_a_finding_is_as_certain_as_its_figure_lies_beyond_its_limit(self):
        self.assertEqual(_careful(finding(exact(8.0), 0.9)).certainty, 0.9)
        self.assertAlmostEqual(_careful(finding(Estimate(9.0, 7.0, 11.0), 0.8)).certainty, 0.6)

    def test_what_may_lie_on_either_side_is_a_note_that_asks_to_listen(self):
        open_one = _careful(finding(Estimate(9.9, 8.0, 13.0)))
        self.assertEqual(open_one.severity, NOTE)
        self.assertIn("listen", open_one.message)
