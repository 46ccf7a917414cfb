"""A judgement that takes over what it can from an earlier one is the same as one that does not, and does less."""

import json
import unittest
from dataclasses import replace
from unittest import mock

from mezzavoce_core.exchange.document import document
from mezzavoce_core.judge.judging import judge
from mezzavoce_core.judge.kinds import first_word_masked, masked_speech, voice_low
from mezzavoce_core.judge.model import Kind
from mezzavoce_core.judge.registry import KINDS
from mezzavoce_core.judge.remedies.level_points import balance_remedies
from mezzavoce_core.judge.spec import Limits, Spec
from mezzavoce_core.measure.programme import Part, by_hand
from mezzavoce_core.measure.speech import IMPORTANT_EFFECT, NO_SPEECH, SPEECH, Correction
from tests.signals import chord, noise, talk, three_stems

SPANS = [(5.0, 11.0), (30.0, 36.0), (60.0, 66.0), (90.0, 94.0)]
SECONDS = 100
SPEC = Spec("level not judged", Limits(integrated_lufs=None))
CORRECTIONS = (
    [Correction(NO_SPEECH, 90.0, 92.0)],
    [Correction(NO_SPEECH, 30.0, 36.0)],
    [Correction(SPEECH, 45.0, 47.0)],
    [Correction(SPEECH, 11.0, 12.0), Correction(IMPORTANT_EFFECT, 60.0, 62.0)],
)


def told(judgement):
    return json.dumps(document(judgement), sort_keys=True)


class EarlierTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        # A voice that music and effects cover more or less in every passage.
        cls.measurement = three_stems(talk(SECONDS, SPANS, -24), chord(SECONDS, -29), noise(SECONDS, -42))

    def remedies_made(self):
        made = [
            mock.patch.object(kind, "balance_remedies", side_effect=balance_remedies)
            for kind in (first_word_masked, masked_speech, voice_low)
        ]
        started = [patch.start() for patch in made]
        for patch in made:
            self.addCleanup(patch.stop)
        return started

    def test_the_same_after_every_correction_and_back(self):
        plain = judge(self.measurement, SPEC)
        self.assertGreaterEqual(len([f for f in plain.findings if f.remedy]), 4)
        last = plain
        for corrections in (*CORRECTIONS, []):
            with self.subTest(corrections=corrections):
                expected = told(judge(self.measurement, SPEC, corrections))
                self.assertEqual(told(judge(self.measurement, SPEC, corrections, earlier=plain)), expected)
                last = judge(self.measurement, SPEC, corrections, earlier=last)
                self.assertEqual(told(last), expected)

    def test_only_what_lies_near_is_worked_out_again(self):
        plain = judge(self.measurement, SPEC)
        started = self.remedies_made()
        again = judge(self.measurement, SPEC, [Correction(NO_SPEECH, 90.0, 91.0)], earlier=plain)
        self.assertEqual([m for s in started for m in s.mock_calls if m.args[1] < 75], [])
        self.assertIs(again.context.passages[0], plain.context.passages[0])
        self.assertIsNot(again.context.passages[-1], plain.context.passages[-1])

    def test_another_measurement_spec_or_programme_saves_nothing(self):
        plain = judge(self.measurement, SPEC)
        other = replace(self.measurement)
        stricter = replace(SPEC, limits=replace(SPEC.limits, clearance_lu=14.0))
        part = by_hand([Part(2.0, 98.0)], SECONDS)
        for what, given in (
            ("measurement", (other, SPEC)),
            ("spec", (self.measurement, stricter)),
            ("programme", (self.measurement, SPEC, (), part)),
        ):
            with self.subTest(what):
                found = judge(*given, earlier=plain)
                self.assertEqual(told(found), told(judge(*given)))
                self.assertIsNot(found.context.passages[0], plain.context.passages[0])


class OnceTest(unittest.TestCase):
    """What hangs on no speech is found once, for as long as measurement, spec and programme stay."""

    def setUp(self):
        self.measurement = three_stems(talk(SECONDS, SPANS, -24), chord(SECONDS, -29), noise(SECONDS, -42))
        self.calls = []
        finding = next(f for f in judge(self.measurement, SPEC).findings)
        self.kind = Kind(
            "alone", "signal", "alone", lambda evidence: self.calls.append(evidence.speech) or [finding], alone=True
        )
        self.finding = finding

    def test_a_kind_that_looks_at_sound_alone(self):
        first = judge(self.measurement, SPEC)
        later = judge(self.measurement, SPEC, CORRECTIONS[0], earlier=first)
        for judgement in (first, later, judge(self.measurement, SPEC, CORRECTIONS[2], earlier=later)):
            self.assertEqual(tuple(self.kind.found(judgement.context)), (self.finding,))
        self.assertEqual(len(self.calls), 1)
        for other in (
            judge(self.measurement, replace(SPEC, name="another"), earlier=later),
            judge(self.measurement, SPEC),
        ):
            list(self.kind.found(other.context))
        self.assertEqual(len(self.calls), 3)

    def test_those_that_say_so_find_the_same_whatever_people_say(self):
        loud = three_stems(talk(SECONDS, SPANS, -8), chord(SECONDS, -9), noise(SECONDS, -30))
        first = judge(loud, SPEC)
        evidence = judge(loud, SPEC, CORRECTIONS[3]).context
        found = 0
        for kind in (k for k in KINDS if k.alone):
            with self.subTest(kind.name):
                self.assertEqual(list(kind.find(evidence)), list(kind.found(first.context)))
                found += len(list(kind.found(first.context)))
        self.assertGreater(found, 0)
