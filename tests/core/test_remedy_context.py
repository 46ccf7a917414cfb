"""Remedies that fit what lies elsewhere.

The bed and the ramps of the music, and a voice that does not stand out afterwards.
"""

import unittest
from dataclasses import replace

from mezzavoce_core.exchange.document import finding_dict
from mezzavoce_core.exchange.words import change, lack, prediction
from mezzavoce_core.judge.ducking import wanted_depths
from mezzavoce_core.judge.judging import judge
from mezzavoce_core.judge.remedies.remedy_context import deeper, new_duck, with_others
from mezzavoce_core.measure.ducks import OWN_DEPTH, Duck
from tests.core.test_ducking_kinds import BED, RELAXED, SECONDS, SPANS, duck, found, points, programme
from tests.signals import talk


def chosen(*others, **limits):
    """What was measured of a programme that lacks its second duck, with other ducks."""
    evidence = judge(programme(points(d1=None)), replace(RELAXED, limits=replace(RELAXED.limits, **limits))).context
    evidence = replace(evidence, ducks=tuple(replace(d, index=k) for k, d in enumerate(others)))
    return replace(evidence, wanted_depths=wanted_depths(evidence))


def drawn(fall_start, fall_end, return_start, return_end, depth=BED):
    return Duck(fall_start, fall_end, return_start, return_end, depth, serves=(fall_end, return_start))


class FitTest(unittest.TestCase):
    FIRST, LAST = drawn(7.3, 7.9, 14.3, 15.0), drawn(49.3, 49.9, 56.3, 57.0, BED + 1)

    def test_a_new_duck_is_like_the_others(self):
        fit = new_duck(chosen(self.FIRST, self.LAST), *SPANS[1])
        for told, wanted in zip(fit.times_s, (21.3, 21.9, 28.1, 28.8), strict=True):
            self.assertAlmostEqual(told, wanted, places=3)
        self.assertEqual((fit.bed_db, fit.least_db), (BED + 0.5, BED + 0.5))

    def test_where_no_other_is_it_is_soft_and_as_deep_as_needed(self):
        fit = new_duck(chosen(), *SPANS[1])
        self.assertEqual((fit.times_s, fit.bed_db, fit.least_db), ((21.5, 21.9, 28.1, 28.9), None, 0.0))

    def test_steps_of_others_are_not_taken_over(self):
        fit = new_duck(chosen(drawn(7.89, 7.9, 14.3, 14.31)), *SPANS[1])
        self.assertAlmostEqual(fit.times_s[1] - fit.times_s[0], 0.2)
        self.assertAlmostEqual(fit.times_s[3] - fit.times_s[2], 0.3)

    def test_a_short_pause_beside_another_duck_is_held_through(self):
        before, after = drawn(15.0, 15.5, 20.9, 21.4), drawn(28.8, 29.2, 33.0, 33.6)
        fit = new_duck(chosen(before, after), *SPANS[1])
        self.assertEqual(
            fit.times_s, (20.9, 21.4, 28.8, 29.2), "what comes up is taken down by as much at the same time"
        )

    def test_a_dip_that_no_speech_calls_for_is_no_neighbour(self):
        fit = new_duck(chosen(self.FIRST, replace(drawn(20.0, 20.4, 20.9, 21.4), serves=None)), *SPANS[1])
        self.assertAlmostEqual(fit.times_s[0], 21.3, places=3)

    def test_a_pause_that_is_long_enough_is_left(self):
        fit = new_duck(chosen(drawn(14.0, 14.5, 19.0, 20.0), drawn(31.0, 31.5, 36.0, 37.0)), *SPANS[1])
        self.assertEqual((fit.times_s[1], fit.times_s[2]), (21.9, 28.1))

    def test_never_deeper_than_a_duck_may_be(self):
        self.assertEqual(new_duck(chosen(replace(self.FIRST, depth_db=26.0)), *SPANS[1]).bed_db, 18.0)

    def test_a_duck_goes_down_to_where_the_others_lie(self):
        shallow = replace(drawn(21.3, 21.9, 28.3, 29.0, 4.0), nats={OWN_DEPTH: 30.0})
        context = chosen(self.FIRST, shallow, self.LAST)
        fit = deeper(context, context.ducks[1])
        self.assertEqual((fit.times_s, fit.down_db, fit.bed_db), ((21.3, 21.9, 28.3, 29.0), 4.0, BED + 0.5))
        self.assertAlmostEqual(fit.least_db, BED + 0.5 - 4.0)
        self.assertTrue(fit.bed_stays_up)
        self.assertIsNone(fit.bed_off_db(fit.least_db + 3.0))
        self.assertAlmostEqual(fit.bed_off_db(fit.least_db + 4.0), 4.0)

    def test_a_duck_that_begins_before_the_programme_is_down_from_its_start(self):
        early = Duck(None, None, 14.3, 15.0, 4.0, serves=SPANS[0])
        context = chosen(early)
        self.assertEqual(deeper(context, context.ducks[0]).times_s, (0.0, 0.0, 14.3, 15.0))

    def test_the_voice_of_the_others(self):
        evidence = chosen()
        self.assertAlmostEqual(with_others(evidence, *SPANS[1]).voice_lufs, evidence.passages[0].speech_lufs, delta=0.3)
        two = replace(evidence, passages=evidence.passages[:2])
        self.assertIsNone(with_others(two, *SPANS[1]).voice_lufs, "one other is no middle")


class TouchedTest(unittest.TestCase):
    def test_a_stretch_touches_what_lies_in_it_and_across_its_ends(self):
        evidence = chosen()
        edges = sorted({t for p in evidence.passages for t in (p.in_s, (p.in_s + p.out_s) / 2, p.out_s, p.out_s + 0.3)})
        for k, in_s in enumerate(edges):
            for out_s in edges[k + 1 :]:
                wanted = tuple(p for p in evidence.passages if p.in_s < out_s and in_s < p.out_s)
                self.assertEqual(evidence.passages[evidence.touched(in_s, out_s)], wanted, (in_s, out_s))


class OrderTest(unittest.TestCase):
    def test_a_voice_that_would_stand_out_comes_after_music_that_goes_down_like_elsewhere(self):
        (finding,) = found(programme(points(d1=None)))
        lower, other = finding.remedy, finding.alternatives[0]
        self.assertEqual((lower.action, other.action), ("lower", "raise"))
        self.assertAlmostEqual(lower.amount_db, -BED, delta=0.5)
        self.assertAlmostEqual(other.stands_off_db, other.amount_db, delta=0.4)
        clock = judge(programme(points()), RELAXED).context.clock
        (told, *_), main = finding_dict(finding, clock)["alternatives"], finding.remedy
        self.assertEqual(lack(told), f"the voice then stands {told['stands_off_db']:.1f} LU over the others")
        self.assertIn(lack(told), prediction(told))
        self.assertTrue(main.sound)
        self.assertEqual(
            change(finding_dict(finding, clock)["remedy"]),
            f"Lower the music by {-main.amount_db:.1f} dB, to where its bed is elsewhere",
        )

    def test_where_nobody_turned_the_music_down_one_bed_comes_of_it(self):
        voice = sum(talk(SECONDS, [span], level) for span, level in zip(SPANS, (-23, -24.5, -21, -22), strict=True))
        spec = replace(RELAXED, limits=replace(RELAXED.limits, clear_share_min=None))
        findings = found(programme([(0, 0)], voice=voice), spec)
        self.assertEqual({f.kind for f in findings}, {"duck-missing"})
        lower = [next(r for r in (f.remedy, *f.alternatives) if r.action == "lower") for f in findings]
        amounts = [-r.amount_db for r in lower]
        self.assertEqual(len(amounts), 4)
        self.assertFalse(any(r.to_bed for r in lower), "none is there yet")
        self.assertAlmostEqual(
            amounts[2], amounts[3], delta=0.5, msg="what needs less goes down as far as is needed in the middle"
        )
        self.assertGreater(amounts[1], amounts[2], "what needs more goes further")
        added = [(p.at_s, p.gain_db) for r in lower for p in r.points]
        self.assertEqual(
            [f.message for f in found(programme([(0, 0)], voice=voice, added=added), spec)], [], "all at once"
        )

    def test_where_all_ducks_are_too_shallow_they_go_down_together(self):
        shallow = points(**{f"d{k}": duck(k, depth=4.0) for k in range(4)})
        voice, spec = talk(SECONDS, SPANS, -25), replace(RELAXED, limits=replace(RELAXED.limits, clear_share_min=None))
        findings = found(programme(shallow, voice=voice), spec)
        self.assertEqual({f.kind for f in findings}, {"duck-shallow"})
        lower = [next(r for r in (f.remedy, *f.alternatives) if r.action == "lower") for f in findings]
        self.assertEqual([r.stands_off_db for r in lower], [None] * 4, "with the others mended none stands off")
        self.assertTrue(
            all(r.enough for f in findings for r in (f.remedy, *f.alternatives) if r.action == "raise"),
            "nor does any as it is",
        )
        added = [(p.at_s, p.gain_db) for r in lower for p in r.points]
        self.assertEqual([f.message for f in found(programme(shallow, voice=voice, added=added), spec)], [])

    def test_a_bed_that_has_to_lie_lower_than_elsewhere_is_said(self):
        told = {"role": "music", "stands_off_db": 4.2, "enough": True}
        self.assertEqual(lack(told), "the bed then lies 4.2 dB under the others")

    def test_more_voice_does_not_mend_a_bed_that_stays_up(self):
        (finding,) = found(programme(points(d1=duck(1, depth=4.0))))
        self.assertEqual(finding.kind, "duck-shallow")
        self.assertFalse(next(r for r in finding.alternatives if r.action == "raise").enough)
