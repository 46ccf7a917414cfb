"""Each kind of finding: found where planted, absent where clean, its figure, limit and remedy."""

import unittest
from dataclasses import replace

import numpy as np

from mezzavoce_core.estimate import exact
from mezzavoce_core.judge import deviation, registry
from mezzavoce_core.judge.deduplication import merge
from mezzavoce_core.judge.judging import gather, judge
from mezzavoce_core.judge.kinds import duck_one_sided
from mezzavoce_core.judge.model import FAMILIES, MUST, NOTE, SHOULD, Finding
from mezzavoce_core.judge.remedies import level_points
from mezzavoce_core.judge.remedies.prediction import (
    around,
    gain_curve,
    integrated_with,
    predicted,
    ratio_over,
    with_gain,
)
from mezzavoce_core.judge.remedy import Part, Point
from mezzavoce_core.judge.spec import DEFAULT, Limits, Spec
from mezzavoce_core.measure.loudness import integrated
from mezzavoce_core.measure.speech import SPEECH, Correction
from tests.signals import RATE, automated, chord, measured, sine, stereo, talk, three_stems

SPANS = [(8.0, 14.0), (24.0, 30.0)]
DUCKED = [(7.2, 0), (7.7, -12), (14.5, -12), (15.5, 0), (23.2, 0), (23.7, -12), (30.5, -12), (31.5, 0)]
RELAXED = Spec("level not judged", Limits(integrated_lufs=None))


def programme(points=tuple(DUCKED), *, music_db=-27.0, effects=None, voice_db=-23.0):
    voice = talk(40, SPANS, voice_db)
    return three_stems(voice, automated(chord(40, music_db), points), effects)


def kinds(measurement, spec=RELAXED):
    return [f.kind for f in judge(measurement, spec).findings]


class CleanTest(unittest.TestCase):
    def test_nothing_is_found_where_nothing_is_wrong(self):
        result = judge(programme(), RELAXED)
        self.assertEqual(result.findings, ())
        self.assertEqual(result.verdict, "pass")
        self.assertEqual(result.clear_share, 1.0)
        self.assertEqual(len(result.context.ducks), 2)

    def test_quiet_music_needs_no_duck(self):
        self.assertEqual(kinds(programme([(0, 0)], music_db=-45)), [])


class DuckMissingTest(unittest.TestCase):
    def setUp(self):
        self.measurement = programme(DUCKED[:4], music_db=-24)
        (self.finding,) = judge(self.measurement, RELAXED).findings

    def test_the_cause_takes_the_rest_along(self):
        self.assertEqual(self.finding.kind, "duck-missing")
        self.assertEqual(set(self.finding.also), {"masked-speech", "first-word-masked"})
        self.assertAlmostEqual(self.finding.in_s, 24.0, delta=0.05)
        self.assertEqual((self.finding.severity, self.finding.unit, self.finding.limit), (MUST, "LU", 10.0))

    def test_remedy_reaches_the_clearance_when_it_is_carried_out(self):
        remedy = self.finding.remedy
        self.assertGreaterEqual(remedy.then.speech_to_background_lu, 10.0)
        points = [(p.at_s, p.gain_db) for p in remedy.points]
        music = automated(chord(40, -24), DUCKED[:4])
        voice = talk(40, SPANS)
        mended = (
            three_stems(voice, automated(music, points))
            if remedy.role == "music"
            else three_stems(automated(voice, points), music)
        )
        result = judge(mended, RELAXED)
        self.assertEqual(result.findings, ())
        if remedy.then.integrated_lufs is not None:
            self.assertAlmostEqual(result.context.loudness.integrated_lufs, remedy.then.integrated_lufs, delta=0.15)

    def test_both_ways_are_offered(self):
        ways = {self.finding.remedy.role, *(a.role for a in self.finding.alternatives)}
        self.assertEqual(ways, {"music", "dialogue"})


class SourceTest(unittest.TestCase):
    """Where a role has several stems, a finding names the one that is to blame there.

    Its remedies are for that one or for all.
    """

    def judged(self, first, second):
        voice = talk(40, SPANS)
        stems = [("dialogue", stereo(voice)), ("music", stereo(first)), ("music", stereo(second))]
        plain = measured(stereo(voice + first + second), stems)
        names = ("voice.wav", "strings.wav", "drums.wav")
        return judge(
            replace(plain, stems=tuple(replace(s, name=n) for s, n in zip(plain.stems, names, strict=True))), RELAXED
        )

    def test_stems_that_sound_at_once_go_down_together(self):
        parts = [automated(music, DUCKED[:4]) for music in (chord(40, -25.5), chord(40, -29, hz=370.0))]
        (finding,) = self.judged(*parts).findings
        remedy = finding.remedy
        self.assertEqual(
            (finding.source, remedy.role, remedy.part.source, remedy.part.together),
            ("strings.wav", "music", None, True),
        )
        after = self.judged(*(automated(music, [(p.at_s, p.gain_db) for p in remedy.points]) for music in parts))
        self.assertEqual(after.findings, ())
        lowest = float(np.nanmin(after.context.local_ratio_lu[241:299]))
        self.assertAlmostEqual(lowest, remedy.then.speech_to_background_lu, delta=0.3)

    def test_what_is_for_one_of_them_is_predicted_for_that_one(self):
        parts = [automated(music, DUCKED[:4]) for music in (chord(40, -25.5), chord(40, -29, hz=370.0))]
        before = self.judged(*parts)
        both = before.findings[0].remedy
        for_one = replace(both, part=replace(both.part, source="strings.wav"))
        one = predicted(before.context, for_one, before.context.passages[1:])
        after = self.judged(automated(parts[0], [(p.at_s, p.gain_db) for p in one.points]), parts[1])
        self.assertAlmostEqual(
            float(np.nanmin(after.context.local_ratio_lu[241:299])), one.then.speech_to_background_lu, delta=0.3
        )
        self.assertAlmostEqual(after.context.loudness.integrated_lufs, one.then.integrated_lufs, delta=0.1)

    def test_the_louder_stem_is_named(self):
        first, second = (
            chord(40, -24) * np.where((np.arange(40 * RATE) < 20 * RATE) == early, 1.0, 0.03) for early in (True, False)
        )
        found = self.judged(first, second).findings
        self.assertEqual(
            [(f.kind, f.source) for f in found], [("duck-missing", "strings.wav"), ("duck-missing", "drums.wav")]
        )
        for finding in found:
            for remedy in (finding.remedy, *finding.alternatives):
                self.assertEqual(remedy.part.source, {"music": finding.source, "dialogue": None}[remedy.role])

    def test_a_lone_stem_needs_no_name(self):
        (finding,) = judge(programme(DUCKED[:4], music_db=-24), RELAXED).findings
        self.assertEqual((finding.source, finding.remedy.part.source), (None, None))


class DuckLateTest(unittest.TestCase):
    LATE = ((8.1, 0), (8.7, -12), *DUCKED[2:])

    def test_found_with_its_delay(self):
        (finding,) = judge(programme(self.LATE), RELAXED).findings
        self.assertEqual((finding.kind, finding.unit, finding.limit), ("duck-late", "s", 0.1))
        self.assertAlmostEqual(finding.measured, 0.7, delta=0.2)
        self.assertEqual(finding.role, "music")

    def test_remedy_moves_the_fall(self):
        (finding,) = judge(programme(self.LATE), RELAXED).findings
        self.assertEqual(finding.remedy.action, "reshape")
        points = [(p.at_s, p.gain_db) for p in finding.remedy.points]
        mended = three_stems(talk(40, SPANS), automated(automated(chord(40, -27), self.LATE), points))
        self.assertEqual(kinds(mended), [])

    def test_a_late_end_that_nobody_hears_is_none(self):
        self.assertEqual(kinds(programme(self.LATE, music_db=-44)), [])

    def test_not_judged_when_the_spec_says_so(self):
        spec = Spec("x", replace(RELAXED.limits, fall_late_s=None))
        self.assertNotIn("duck-late", kinds(programme(self.LATE), spec))


class MaskedSpeechTest(unittest.TestCase):
    PUSHED = (*DUCKED[:2], (10.0, -12), (10.2, -1), (12.0, -1), (12.2, -12), *DUCKED[2:])

    def test_a_push_inside_a_sentence(self):
        (finding,) = judge(programme(self.PUSHED), RELAXED).findings
        self.assertEqual((finding.kind, finding.role), ("masked-speech", "music"))
        self.assertAlmostEqual(finding.in_s, 10.0, delta=1.6)
        self.assertAlmostEqual(finding.out_s, 12.2, delta=1.6)

    def test_severity_follows_the_second_limit(self):
        (finding,) = judge(programme(self.PUSHED), RELAXED).findings
        wanted = MUST if round(finding.measured, 1) < 5.0 else SHOULD
        self.assertEqual(finding.severity, wanted)
        spec = Spec("x", replace(RELAXED.limits, clearance_must_lu=0.0))
        self.assertEqual(judge(programme(self.PUSHED), spec).findings[0].severity, SHOULD)

    def test_effects_mask_too_and_are_named(self):
        effects = np.zeros(40 * RATE)
        effects[24 * RATE : 31 * RATE] = chord(7, -26, hz=170)
        (finding,) = judge(programme(effects=effects), RELAXED).findings
        self.assertEqual((finding.kind, finding.role), ("masked-speech", "effects"))
        self.assertEqual({finding.remedy.role, finding.alternatives[0].role}, {"effects", "dialogue"})

    def test_a_breath_between_two_notes_is_no_lost_word(self):
        short = [*DUCKED[:2], (10.0, -12), (10.02, -4), (10.1, -4), (10.12, -12), *DUCKED[2:]]
        self.assertEqual(kinds(programme(short)), [])


class FirstWordTest(unittest.TestCase):
    def hit(self, level_db):
        effects = np.zeros(40 * RATE)
        effects[round(23.98 * RATE) : round(24.4 * RATE)] = chord(0.42, level_db, hz=500)
        return judge(programme(DUCKED, music_db=-40, effects=effects), RELAXED).findings

    def test_a_hit_on_the_first_word(self):
        (finding,) = self.hit(-25)
        self.assertEqual((finding.kind, finding.severity, finding.limit), ("first-word-masked", SHOULD, 7.0))
        self.assertAlmostEqual(finding.out_s - finding.in_s, 0.5, places=2)
        self.assertGreaterEqual(finding.remedy.then.speech_to_background_lu, 7.0)

    def test_a_soft_one_is_none(self):
        self.assertEqual(self.hit(-38), ())


class LoudnessKindsTest(unittest.TestCase):
    def test_integrated_off_target(self):
        (finding,) = judge(measured(stereo(sine(-20, 20))), DEFAULT).findings
        self.assertEqual((finding.kind, finding.severity), ("integrated-off-target", MUST))
        self.assertAlmostEqual(finding.measured, -20.0, delta=0.1)
        self.assertAlmostEqual(finding.remedy.amount_db, -3.0, delta=0.1)
        self.assertAlmostEqual(finding.remedy.then.integrated_lufs, -23.0, delta=0.05)

    def test_within_the_tolerance(self):
        for level in (-23.5, -22.5):
            self.assertEqual(kinds(measured(stereo(sine(level, 20))), DEFAULT), [])
        self.assertEqual(kinds(measured(stereo(sine(-23.6, 20))), DEFAULT), ["integrated-off-target"])

    def test_raising_says_what_becomes_of_the_peaks(self):
        quiet = sine(-40, 20)
        quiet[RATE] = 0.5
        (finding,) = judge(measured(stereo(quiet)), DEFAULT).findings
        self.assertFalse(finding.remedy.enough)
        self.assertIn("limit the peaks first", finding.message)

    def test_anchored_to_dialogue(self):
        spec = Spec(
            "long form",
            Limits(
                integrated_lufs=-24.0,
                integrated_tolerance_lu=2.0,
                anchor="dialogue",
                clearance_lu=None,
                first_word_lu=None,
                true_peak_max_dbtp=None,
            ),
        )
        (finding,) = judge(programme(voice_db=-10), spec).findings
        self.assertEqual((finding.kind, finding.role), ("integrated-off-target", "dialogue"))
        self.assertEqual(kinds(measured(stereo(sine(-24, 20))), spec), [])

    def test_dual_mono(self):
        spec = Spec("dual", Limits(mono="dual"))
        self.assertAlmostEqual(judge(measured(sine(-23, 20)), spec).context.loudness.integrated_lufs, -23.0, delta=0.1)
        self.assertAlmostEqual(
            judge(measured(sine(-23, 20)), DEFAULT).context.loudness.integrated_lufs, -26.0, delta=0.1
        )

    def test_short_term_over(self):
        spec = Spec("short", Limits(integrated_lufs=None, short_term_max_lufs=-18.0, section_jump_lu=None))
        signal = np.concatenate([sine(-25, 10), sine(-16, 4), sine(-25, 10)])
        (finding,) = judge(measured(stereo(signal)), spec).findings
        self.assertEqual((finding.kind, finding.severity, finding.unit), ("short-term-over", MUST, "LUFS"))
        self.assertAlmostEqual(finding.measured, -16.0, delta=0.1)
        self.assertLessEqual(finding.in_s, 10.0)
        self.assertGreaterEqual(finding.out_s, 14.0)
        mended = automated(signal, [(p.at_s, p.gain_db) for p in finding.remedy.points])
        self.assertEqual(kinds(measured(stereo(mended)), spec), [])

    def test_true_peak_over(self):
        signal = stereo(sine(-23, 10))
        signal[3 * RATE : 3 * RATE + 40, 1] = 0.97
        signal[7 * RATE : 7 * RATE + 40, 0] = 0.99
        found = judge(measured(signal), DEFAULT).findings
        self.assertEqual([f.kind for f in found], ["true-peak-over"] * 2)
        self.assertIn("channel R at 10:00:03:00", found[0].message)
        self.assertIn("channel L", found[1].message)
        self.assertTrue(all(f.measured > -1.0 and f.limit == -1.0 for f in found))

    def test_overs_close_together_are_one(self):
        signal = stereo(sine(-23, 10))
        for at in (3.0, 3.4, 4.1):
            signal[round(at * RATE) : round(at * RATE) + 40] = 0.98
        self.assertEqual(kinds(measured(signal), DEFAULT), ["true-peak-over"])

    def test_null_limits_are_not_judged(self):
        off = Spec("off", Limits(integrated_lufs=None, true_peak_max_dbtp=None))
        self.assertEqual(kinds(measured(stereo(sine(-3, 10))), off), [])


class WithoutStemsTest(unittest.TestCase):
    def test_nothing_is_said_about_the_voice(self):
        result = judge(measured(stereo(sine(-23, 10))), DEFAULT)
        self.assertEqual((result.context.passages, result.context.ducks, result.clear_share), (None, None, None))

    def test_dialogue_alone(self):
        voice = talk(40, SPANS)
        result = judge(measured(stereo(voice), [("dialogue", stereo(voice))]), RELAXED)
        self.assertEqual(len(result.context.passages), 2)
        self.assertIsNone(result.context.ducks)
        self.assertEqual(result.findings, ())

    def test_background_in_one(self):
        voice, under = talk(40, SPANS), chord(40, -25)
        result = judge(
            measured(stereo(voice + under), [("dialogue", stereo(voice)), ("background", stereo(under))]), RELAXED
        )
        self.assertEqual({f.kind for f in result.findings}, {"masked-speech"})
        self.assertEqual(result.findings[0].remedy.role, "background")


class CorrectionsTest(unittest.TestCase):
    def test_regions_by_hand_decide_where_speech_is(self):
        measurement = programme(DUCKED[:4])
        nobody_speaks = [Correction(SPEECH, 8.0, 14.0)]
        speech = gather(measurement, RELAXED, nobody_speaks).speech
        self.assertTrue(any(s.by_hand for s in speech))


class CausesTest(unittest.TestCase):
    def finding(self, kind, in_s, out_s, severity=SHOULD):
        return Finding(kind, "voice", severity, in_s, out_s, "t", "m", exact(1.0), 2.0, "LU")

    def merge(self, *findings):
        return merge(findings)

    def test_a_cause_takes_over_the_graver_severity(self):
        (found,) = self.merge(self.finding("duck-late", 1, 2), self.finding("masked-speech", 1, 3, MUST))
        self.assertEqual((found.kind, found.severity, found.also), ("duck-late", MUST, ("masked-speech",)))

    def test_a_late_fall_does_not_explain_what_goes_on_long_after(self):
        self.assertEqual(len(self.merge(self.finding("duck-late", 1, 2), self.finding("masked-speech", 1, 9))), 2)

    def test_apart_stays_apart_and_in_order(self):
        found = self.merge(self.finding("masked-speech", 8, 9), self.finding("duck-missing", 1, 2))
        self.assertEqual([f.in_s for f in found], [1, 8])

    def test_level_findings_explain_nothing(self):
        found = self.merge(self.finding("integrated-off-target", 0, 60), self.finding("masked-speech", 1, 9))
        self.assertEqual([f.also for f in found], [(), ()])

    def test_note_is_the_lightest(self):
        (found,) = self.merge(
            self.finding("masked-speech", 1, 3, NOTE), self.finding("first-word-masked", 1, 1.5, SHOULD)
        )
        self.assertEqual(found.severity, SHOULD)


class PredictionTest(unittest.TestCase):
    def setUp(self):
        self.context = gather(programme(), RELAXED)

    def test_gain_curve(self):
        curve = gain_curve([Point(1.0, 0.0), Point(2.0, -10.0)], 300)
        self.assertAlmostEqual(curve[0], 1.0)
        self.assertAlmostEqual(curve[-1], 0.1)
        self.assertAlmostEqual(curve[149], 10 ** (-0.495), places=3)
        np.testing.assert_array_equal(gain_curve([], 3), 1.0)

    def test_lowering_the_music_widens_the_gap_by_as_much(self):
        balance = self.context.balance
        lowered = with_gain(balance, "music", np.full(len(balance.voice), 10**-0.3))
        blocks = np.arange(90, 130)
        self.assertAlmostEqual(ratio_over(lowered, blocks) - ratio_over(balance, blocks), 3.0, delta=0.05)
        raised = with_gain(balance, "dialogue", np.full(len(balance.voice), 10**0.3))
        self.assertAlmostEqual(ratio_over(raised, blocks) - ratio_over(balance, blocks), 3.0, delta=0.05)
        self.assertTrue(np.isnan(ratio_over(balance, np.arange(3))))

    def test_unchanged_gain_changes_nothing(self):
        same = integrated_with(self.context, Part("music"), level_points.hold_points(self.context, 8.0, 14.0, 0.0))
        self.assertAlmostEqual(same, self.context.loudness.integrated_lufs, places=9)

    def test_looking_around_a_stretch_gives_what_the_whole_would(self):
        evidence = self.context
        for role, in_s, out_s, gain_db in (
            ("music", 8.0, 14.0, -7.0),
            ("dialogue", 24.0, 30.0, 4.0),
            ("music", 0.2, 2.0, -3.0),
            ("music", 38.0, 40.0, 5.0),
        ):
            points = level_points.hold_points(evidence, in_s, out_s, gain_db)
            changed = with_gain(evidence.balance, role, gain_curve(points, len(evidence.power)))
            part = (
                changed.voice - evidence.balance.voice if role == "dialogue" else changed.music - evidence.balance.music
            )
            self.assertAlmostEqual(
                integrated_with(evidence, Part(role), points),
                integrated(np.maximum(evidence.power + part, 0.0)),
                places=9,
            )
            first, last = around(in_s, out_s, len(evidence.power))
            window = with_gain(evidence.balance.part(first, last), role, gain_curve(points, last - first, first))
            blocks = np.arange(int(in_s * 10), int(out_s * 10))
            np.testing.assert_allclose(
                ratio_over(window, blocks - first // 10), ratio_over(changed, blocks), rtol=1e-12
            )

    def test_points_stay_inside_the_programme(self):
        points = level_points.hold_points(self.context, 0.1, 39.9, -6.0)
        self.assertEqual((points[0].at_s, points[-1].at_s), (0.0, 40.0))

    def test_raising_beyond_the_headroom_is_not_enough(self):
        spec = Spec("tight", replace(RELAXED.limits, true_peak_max_dbtp=-20.0))
        finding = next(f for f in judge(programme(DUCKED[:4]), spec).findings if f.kind == "duck-missing")
        raising = next(r for r in (finding.remedy, *finding.alternatives) if r.action == "raise")
        self.assertFalse(raising.enough)
        self.assertGreater(raising.headroom_missing_db, 0.5)
        self.assertEqual(finding.remedy.action, "lower")

    def test_whole_gain_without_a_level(self):
        self.assertEqual(
            level_points.whole_gain(self.context, -2.0).then.integrated_lufs,
            self.context.loudness.integrated_lufs - 2.0,
        )


class ShortcutsTest(unittest.TestCase):
    """What is computed all at once is what it would be one by one."""

    def test_the_first_step_that_does_wherever_one_looks_first(self):
        for first in range(1, 60):
            for guess in (-5.0, 1.0, first - 3.5, first, first + 7.2, 300.0, float("nan")):
                asked = []
                found = level_points.first_step(
                    lambda step, first=first, asked=asked: asked.append(step) or step >= first, guess
                )
                self.assertEqual(found, min(first, 48), guess)
                self.assertLess(len(asked), 14)
        asked = []
        level_points.first_step(lambda step: asked.append(step) or step >= 20, 20.0)
        self.assertEqual(len(asked), 2)

    def test_a_level_against_all_others(self):
        dice = np.random.default_rng(1)
        for count in range(3, 12):
            levels = dice.integers(0, 5, count).astype(float)
            wanted = [level - np.median(np.delete(levels, k)) for k, level in enumerate(levels)]
            np.testing.assert_allclose(deviation.deviation_from_median(levels), wanted)

    def test_one_that_stands_off_takes_no_other_with_it(self):
        self.assertEqual(deviation.deviating([-20.0, -28.5, -20.0], 4.0), {1: -8.5})
        self.assertEqual(list(deviation.deviating([-53.4, -53.3, -64.8, -65.8], 4.0)), [2, 3])
        self.assertEqual(deviation.deviating([-20.0, -24.0, -20.5], 4.0), {})
        self.assertEqual(deviation.deviating([-20.0, -30.0], 4.0), {})
        self.assertEqual(list(deviation.deviating([-20.0, -26.0, -21.0, -14.0, -20.0], 4.0)), [1, 3])

    def test_the_balance_of_sides_all_over_the_programme(self):
        dice = np.random.default_rng(2)
        for length, holes in ((5, 0), (100, 0.1), (1000, 0), (1000, 0.01)):
            sides = np.where(dice.random(length) < holes, np.nan, dice.normal(size=length))
            for way in duck_one_sided.WAYS:
                one_by_one = [
                    off
                    for k in range(0, length, 15)
                    if (off := duck_one_sided.stands_off(sides, k, k + 30, way)) is not None
                ]
                np.testing.assert_allclose(np.sort(duck_one_sided.anywhere(sides, way)), np.sort(one_by_one or [0.0]))

    def test_what_is_drawn_on_the_other_side_is_soft_and_leaves_the_words_alone(self):
        for told, drawn in (
            ((10.2, 10.9, 19.5, 19.54), (9.2, 9.9, 20.1, 20.4)),
            ((8.9, 9.4, 20.3, 21.0), (8.9, 9.4, 20.3, 21.0)),
        ):
            np.testing.assert_allclose(duck_one_sided._around(10.0, 20.0, told), drawn)


class RegistryTest(unittest.TestCase):
    def test_names_are_unique_and_families_known(self):
        names = [k.name for k in registry.KINDS]
        self.assertEqual(len(names), len(set(names)))
        self.assertTrue(all(k.family in FAMILIES for k in registry.KINDS))
