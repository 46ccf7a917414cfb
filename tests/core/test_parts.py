"""Parts of judging on their own: powers of a measurement, remedies, thin stretches."""

import unittest
from dataclasses import replace

import numpy as np

from mezzavoce_core.estimate import exact
from mezzavoce_core.exchange.document import finding_dict
from mezzavoce_core.judge.ducking import reshaped
from mezzavoce_core.judge.judging import gather, judge
from mezzavoce_core.judge.kinds.masked_speech import thin_stretches
from mezzavoce_core.judge.model import Finding, JudgingContext
from mezzavoce_core.judge.remedies import level_points
from mezzavoce_core.judge.remedies.remedy_context import RemedyContext
from mezzavoce_core.judge.spec import Limits, Spec
from mezzavoce_core.measure.ducks import Duck
from mezzavoce_core.measure.loudness import loudness
from mezzavoce_core.measure.measurement import Measurement
from mezzavoce_core.measure.stems.placing import Placed
from mezzavoce_core.units import lufs_to_power
from tests.signals import automated, chord, talk, three_stems

SPEC = Spec("level not judged", Limits(integrated_lufs=None))
SPANS = ((8.0, 14.0),)


def evidence(music_db=-24.0, points=((0, 0),)) -> JudgingContext:
    return gather(three_stems(talk(22, SPANS), automated(chord(22, music_db), points)), SPEC)


class PowersTest(unittest.TestCase):
    def setUp(self):
        self.measurement = evidence().measurement
        self.assertIsInstance(self.measurement, Measurement)

    def test_the_mix_is_about_the_sum_of_its_stems(self):
        parts = sum(self.measurement.role_power(role) for role in ("dialogue", "music", "effects"))
        self.assertAlmostEqual(10 * np.log10(parts.mean() / self.measurement.mix_power().mean()), 0, delta=0.2)

    def test_gain_of_a_stem_counts(self):
        stem = self.measurement.stems[1]
        louder = self.measurement.stem_power(replace(stem, gain_db=6.0206)).mean()
        self.assertAlmostEqual(louder / self.measurement.stem_power(stem).mean(), 4.0, delta=0.001)
        self.assertAlmostEqual(self.measurement.mix_power(gain=2.0).mean() / self.measurement.mix_power().mean(), 2.0)
        self.assertIsNone(self.measurement.role_power("background"))

    def test_range_of_two_levels(self):
        power = np.repeat(lufs_to_power([-20.0, -30.0]), 2000)
        self.assertAlmostEqual(loudness(power).range_lu, 10.0, delta=0.2)


class RemediesTest(unittest.TestCase):
    def test_lower_and_raise_are_equals(self):
        found = evidence()
        first, others = level_points.balance_remedies(
            found, 8.0, 14.0, np.arange(80, 140), wanted=10.0, elsewhere=RemedyContext()
        )
        self.assertEqual({first.action, others[0].action}, {"lower", "raise"})
        self.assertTrue(first.enough)
        self.assertLessEqual(abs(first.amount_db), abs(others[0].amount_db) if others[0].enough else 99)
        self.assertGreaterEqual(first.then.speech_to_background_lu, 10.0)

    def test_nothing_to_do_without_a_background(self):
        bare = replace(evidence(), balance=None)
        self.assertEqual(
            level_points.balance_remedies(bare, 8.0, 14.0, np.arange(80, 140), wanted=10.0, elsewhere=RemedyContext()),
            (None, ()),
        )

    def test_an_earlier_fall_adds_up_to_a_fall_that_is_done_in_time(self):
        duck = Duck(8.2, 8.8, 14.5, 15.5, 10.0, -24.0, -34.0)
        remedy = reshaped(evidence(), duck, {"fall_start_s": 7.3, "fall_end_s": 7.9})
        times = np.array([7.0, 7.9, 8.2, 8.5, 8.8, 12.0])
        added = np.interp(times, [p.at_s for p in remedy.points], [p.gain_db for p in remedy.points])
        np.testing.assert_allclose(added + duck.gain_db(times), [0, -10, -10, -10, -10, -10], atol=0.06)

    def test_lowering_a_spot(self):
        remedy = level_points.lower_spot(evidence(), 21.0, 21.9, -2.0, 0.4)
        self.assertEqual(
            [(p.at_s, p.gain_db) for p in remedy.points], [(20.6, 0.0), (21.0, -2.0), (21.9, -2.0), (22.0, 0.0)]
        )
        self.assertEqual((remedy.action, remedy.role, remedy.amount_db), ("lower", "mix", -2.0))


class StretchesTest(unittest.TestCase):
    def test_thin_from_end_to_end(self):
        found = evidence()
        ((begin, end, blocks),) = thin_stretches(found, found.passages[0])
        self.assertAlmostEqual(begin, 8.0, delta=0.05)
        self.assertAlmostEqual(end, 14.0, delta=0.1)
        self.assertEqual(len(blocks), blocks[-1] - blocks[0] + 1)

    def test_none_where_the_gap_is_wide(self):
        found = evidence(music_db=-45.0)
        self.assertEqual(list(thin_stretches(found, found.passages[0])), [])


class ValuesTest(unittest.TestCase):
    def test_overlap(self):
        def finding(a, b):
            return Finding("masked-speech", "voice", "must", a, b, "t", "m", exact(1.0), 10.0, "LU")

        self.assertTrue(finding(1, 3).overlaps(finding(2, 4)))
        self.assertFalse(finding(1, 2).overlaps(finding(2, 4)))

    def test_a_finding_as_json_types(self):
        result = judge(evidence().measurement, SPEC)
        found = finding_dict(result.findings[0], result.context.clock)
        self.assertEqual(found["in_timecode"], result.context.clock.timecode_in(result.findings[0].in_s))
        self.assertEqual(len(found["remedy"]["points"]), 4)

    def test_contained_from_a_coherence_on(self):
        self.assertTrue(Placed(0.0, 1.0, 0.5).contained)
        self.assertFalse(Placed(0.0, 1.0, 0.05).contained)
