"""Every kind of the ducking family, and what voice and effects do.

Planted one at a time in programmes that are clean otherwise.

Sizes are common practice with no published source: a look-ahead before the first word, 18 dB felt as a plunge, ramps of
1.5 s and more that smear, pauses shorter than about 1 s that stay down, one bed within 3 dB.
"""

import unittest
from dataclasses import replace
from functools import cache

import numpy as np

from mezzavoce_core.exchange.document import finding_dict
from mezzavoce_core.exchange.series import series
from mezzavoce_core.exchange.words import prediction
from mezzavoce_core.judge.judging import judge
from mezzavoce_core.judge.kinds import duck_abrupt, duck_one_sided, duck_plunge, duck_slow_return
from mezzavoce_core.judge.model import MUST, NOTE, SHOULD
from mezzavoce_core.judge.remedies.prediction import ratio_over
from mezzavoce_core.judge.remedy import BandCuts, Side
from mezzavoce_core.judge.spec import Limits, Spec
from mezzavoce_core.measure.balance import blocks_between
from tests.core.test_music_gain import song
from tests.signals import automated, chord, measured, noise, stereo, talk

RELAXED = Spec("level not judged", Limits(integrated_lufs=None, section_jump_lu=None))
SPANS = ((8.0, 14.0), (22.0, 28.0), (36.0, 42.0), (50.0, 56.0))
SECONDS = 62
BED = 10.0


def duck(k, *, fall=(-0.6, -0.1), back=(0.3, 1.0), depth=BED):
    """Level points of the duck of passage ``k``, against where its speech begins and ends."""
    a, b = SPANS[k]
    return [(a + fall[0], 0), (a + fall[1], -depth), (b + back[0], -depth), (b + back[1], 0)]


def points(**own):
    """Ducks of all passages, ``d0`` to ``d3``; None leaves one out."""
    return [p for k in range(len(SPANS)) for p in (own.get(f"d{k}", duck(k)) or [])]


@cache
def usual_music():
    return song(SECONDS) * 10 ** (4 / 20)


def shaken(level_db):
    """The same with noise over the second half of a passage."""
    music = usual_music().copy()
    half = slice(round((SPANS[1][0] + 3.4) * 48000), round(SPANS[1][1] * 48000))
    music[half] += noise(SECONDS, level_db)[half]
    return music


def programme(levels, *, right=None, spans=SPANS, voice=None, effects=None, music=None, added=(), raised=()):
    voice = automated(talk(SECONDS, spans, -23) if voice is None else voice, raised or [(0, 0)])
    tune = usual_music() if music is None else music
    left = automated(automated(tune, levels), added or [(0, 0)])
    both = stereo(left) if right is None else np.stack([left, automated(tune, right)], axis=1)
    effects = np.zeros(len(voice)) if effects is None else effects
    stems = [("dialogue", stereo(voice)), ("music", both), ("effects", stereo(effects))]
    return measured(stereo(voice + effects) + both, stems)


def found(measurement, spec=RELAXED):
    return judge(measurement, spec).findings


class DuckingKindsTest(unittest.TestCase):
    def only(self, levels, kind, **more):
        findings = found(programme(levels, **more))
        self.assertEqual([f.kind for f in findings], [kind], [f.message for f in findings])
        return findings[0]

    def test_clean(self):
        result = judge(programme(points()), RELAXED)
        self.assertEqual([f.message for f in result.findings], [])
        self.assertEqual(len(result.context.ducks), 4)

    def test_early(self):
        finding = self.only(points(d1=duck(1, fall=(-3.0, -2.5))), "duck-early")
        self.assertEqual(finding.severity, NOTE)
        self.assertAlmostEqual(finding.measured, 2.5, delta=0.3)

    def test_shallow(self):
        finding = self.only(points(d1=duck(1, depth=4.0)), "duck-shallow")
        self.assertIn(finding.severity, (SHOULD, MUST))
        self.assertIn("masked-speech", finding.also)
        self.assertGreaterEqual(finding.remedy.then.speech_to_background_lu, 10.0)

    def test_a_bed_that_sits_higher_than_elsewhere_is_what_covers_half_a_passage(self):
        """A shaker comes in there: under a bed like the others' it is the one place that is at fault."""
        higher = self.only(points(d1=duck(1, depth=6.0)), "duck-shallow", music=shaken(-28))
        self.assertEqual(set(higher.also), {"masked-speech", "duck-uneven"})
        self.only(points(), "masked-speech", music=shaken(-20))

    def test_plunge(self):
        finding = self.only(points(d1=duck(1, depth=24.0)), "duck-plunge")
        self.assertAlmostEqual(finding.measured, 24.0, delta=2.5)
        self.assertIn("duck-uneven", finding.also)

    def test_a_plunge_comes_up_no_further_than_the_voice_allows(self):
        """Under a spec that wants 26 LU the usual bed would cover it, and so would the deepest that a duck may be."""
        spec = replace(RELAXED, limits=replace(RELAXED.limits, clearance_lu=26.0))
        (finding,) = (
            f.mended() for f in duck_plunge.find(judge(programme(points(d1=duck(1, depth=30.0))), spec).context)
        )
        self.assertGreaterEqual(finding.remedy.then.speech_to_background_lu, 26.0)

    def test_pumping(self):
        spans = (SPANS[0], (22.0, 24.7), (25.3, 28.0), *SPANS[2:])
        pumped = [*duck(1)[:2], (24.75, -BED), (24.85, -3), (25.15, -3), (25.25, -BED), *duck(1)[2:]]
        finding = self.only(points(d1=pumped), "duck-pumping", spans=spans)
        self.assertEqual((finding.severity, finding.remedy.action), (SHOULD, "hold"))

    def test_pumping_as_a_compressor_does_it(self):
        """The music comes up all through the pause.

        What is taken off follows it, so that nothing of the rise is left.
        """
        spans = (SPANS[0], (22.0, 23.9), (24.5, 26.1), (26.9, 28.0), *SPANS[2:])
        up = [p for a, b in ((23.9, 24.5), (26.1, 26.9)) for p in ((a, -BED), (b, -BED + 6), (b + 0.03, -BED))]
        pumped = points(d1=[*duck(1)[:2], *up, *duck(1)[2:]])
        finding = self.only(pumped, "duck-pumping", spans=spans)
        taken_off = sorted({(round(p.at_s, 1), p.gain_db) for p in finding.remedy.points})
        self.assertLess(max(abs(p.gain_db) for p in finding.remedy.points), 8.1)
        self.assertEqual([g for _, g in taken_off if g == 0][:1], [0.0])
        self.assertEqual(
            found(programme(pumped, spans=spans, added=[(p.at_s, p.gain_db) for p in finding.remedy.points])), ()
        )

    def test_a_passage_whose_first_seconds_are_bare(self):
        for bare_s in (1.6, 2.6):
            with self.subTest(bare_s):
                finding = self.only(points(d1=duck(1, fall=(bare_s - 0.5, bare_s))), "duck-late")
                self.assertAlmostEqual(finding.measured, bare_s, delta=0.15)
                self.assertIn("masked-speech", finding.also)
                self.assertIn(f"The first {bare_s - 0.5:.1f} s of the passage", finding.message)

    def test_a_late_fall_that_costs_no_word_is_a_note(self):
        """Music under which a voice would be lost, and which is soft over the first word by itself."""
        soft = automated(usual_music(), [(0, 0), (20.9, 0), (21.0, -9), (22.6, -9), (22.7, 0)])
        finding = self.only(points(d1=duck(1, fall=(0.1, 0.6))), "duck-late", music=soft)
        self.assertEqual((finding.severity, finding.also), (NOTE, ()))

    def test_a_duck_that_the_level_denies_is_no_fact(self):
        """It is said to be 24 dB deep where the music under the words lies 1 dB under the music in the clear."""
        evidence = judge(programme(points(d1=duck(1, depth=24.0))), RELAXED).context
        before, odd, *after = evidence.ducks
        denied = replace(evidence, ducks=(before, replace(odd, bed_lufs=odd.open_lufs - 1.0), *after))
        for shown, sure in ((evidence, True), (denied, False)):
            for finding in duck_plunge.find(shown):
                self.assertEqual(finding.certainty >= 0.5, sure)

    def test_a_hold_through_a_short_pause_is_right(self):
        spans = (SPANS[0], (22.0, 24.7), (25.3, 28.0), *SPANS[2:])
        self.assertEqual(found(programme(points(), spans=spans)), ())

    def test_abrupt(self):
        finding = self.only(points(d1=duck(1, fall=(-0.11, -0.1))), "duck-abrupt")
        self.assertLess(finding.measured, 0.04)

    def test_forty_frames_at_25_are_too_slow(self):
        steady = chord(SECONDS, -22) + noise(SECONDS, -50)
        finding = self.only(points(d1=duck(1, fall=(-2.2, -0.1))), "duck-slow-ramp", music=steady)
        self.assertAlmostEqual(finding.measured, 2.1, delta=0.5)

    def test_slow_return(self):
        finding = self.only(points(d1=duck(1, back=(4.0, 4.7))), "duck-slow-return")
        self.assertAlmostEqual(finding.measured, 4.0, delta=0.4)

    def test_stray(self):
        dip = [(31.0, 0), (31.3, -BED), (32.6, -BED), (33.2, 0)]
        finding = self.only([*points(d2=None, d3=None), *dip, *duck(2), *duck(3)], "duck-stray")
        self.assertEqual(finding.remedy.action, "remove")
        self.assertAlmostEqual(finding.remedy.amount_db, BED, delta=2)

    def test_a_voice_that_was_moved_leaves_a_stray_duck_and_a_missing_one(self):
        kinds = {
            f.kind
            for f in found(
                programme(
                    [*points(d1=None, d2=None, d3=None), *[(t - 5.5, g) for t, g in duck(2)], *duck(3)],
                    spans=(SPANS[0], *SPANS[2:]),
                )
            )
        }
        self.assertIn("duck-missing", kinds)

    def test_uneven(self):
        finding = self.only(points(d1=duck(1, depth=BED + 6)), "duck-uneven")
        self.assertAlmostEqual(finding.measured, 6.0, delta=1.5)

    def test_uneven_against_ducks_that_louder_voices_would_not_need(self):
        """15 dB more voice: the music may stay up there.

        Yet its bed is what the one that is needed deviates from.
        """
        limits = replace(RELAXED.limits, voice_spread_lu=None, true_peak_max_dbtp=None)
        voice = talk(SECONDS, [SPANS[1]], -23) + talk(SECONDS, [SPANS[0], *SPANS[2:]], -8)
        findings = found(programme(points(d1=duck(1, depth=BED + 6)), voice=voice), replace(RELAXED, limits=limits))
        self.assertEqual([f.kind for f in findings], ["duck-uneven"], [f.message for f in findings])
        self.assertAlmostEqual(findings[0].in_s, 21.9, delta=0.2)

    def test_one_sided(self):
        finding = self.only(points(), "duck-one-sided", right=points(d1=None))
        self.assertEqual(finding.severity, MUST)
        self.assertIn("Under this passage the music goes down", finding.message)
        self.assertIn("in L against R", finding.message)
        self.assertAlmostEqual(finding.in_s, 22.0, delta=0.2)

    def test_one_sided_is_drawn_on_the_other_channel_as_well(self):
        finding = self.only(points(), "duck-one-sided", right=points(d1=None))
        remedy = finding.remedy
        self.assertEqual((remedy.action, remedy.amount_db), ("lower", -round(finding.measured, 1)))
        # 10 dB under the other one, a channel has a tenth of its power.
        self.assertEqual(replace(remedy.part.side, share=0.0), Side(1, "R", 0.0))
        self.assertAlmostEqual(remedy.part.side.share, 10 / 11, delta=0.02)
        self.assertAlmostEqual(remedy.amount_db, -BED, delta=0.7)
        for point, (time, _) in zip(remedy.points, duck(1), strict=True):
            self.assertAlmostEqual(point.at_s, time, delta=0.15)
        mended = judge(
            programme(
                points(),
                right=[
                    *points(d1=None, d2=None, d3=None),
                    *((p.at_s, p.gain_db) for p in remedy.points),
                    *duck(2),
                    *duck(3),
                ],
            ),
            RELAXED,
        )
        self.assertEqual([f.message for f in mended.findings], [])
        blocks = blocks_between(mended.context.balance.active, finding.in_s, finding.out_s)
        self.assertAlmostEqual(
            remedy.then.speech_to_background_lu, ratio_over(mended.context.balance, blocks), delta=0.3
        )
        self.assertAlmostEqual(remedy.then.integrated_lufs, mended.context.loudness.integrated_lufs, delta=0.1)
        self.assertGreater(remedy.then.audibility, 0.5)

    def test_one_sided_without_a_move_of_both_is_drawn_like_the_others(self):
        evidence = judge(programme(points(), right=points(d1=None)), RELAXED).context
        apart = replace(evidence, ducks=tuple(d for d in evidence.ducks if not d.covers(25.0)))
        (finding,) = (f.mended() for f in duck_one_sided.find(apart))
        for point, (time, _) in zip(finding.remedy.points, duck(1), strict=True):
            self.assertAlmostEqual(point.at_s, time, delta=0.35)

    def test_one_sided_by_less_than_others_are_deep(self):
        """A balance that keeps still tells six and a half dB where ducks have ten.

        One that sways by itself does not, but eight.
        """
        sides = np.zeros(400)
        swaying = 2.0 * np.where(np.arange(400) // 20 % 2, 1.0, -1.0)
        for off, sway, told in ((6.5, 0.0, True), (6.5, 1.0, False), (8.0, 1.0, True), (5.0, 0.0, False)):
            moved = sides + sway * swaying
            moved[150:210] = off
            changed = duck_one_sided._Change(moved)(15.0, 21.0, 7.5, 6.0)
            self.assertEqual(changed is not None, told, (off, sway))
        finding = self.only(points(), "duck-one-sided", right=points(d1=duck(1, depth=3.5)))
        self.assertAlmostEqual(finding.measured, 6.5, delta=0.5)
        self.assertEqual(finding.certainty, 0.6)

    def test_one_sided_under_passages_with_a_short_pause_between_them(self):
        """The music stays down on one side from the first to the last word.

        Neither passage has the clear on both sides of it.
        """
        spans = ((8.0, 14.0), (22.0, 25.0), (27.0, 30.0), (36.0, 42.0))
        held = [(21.4, 0), (21.9, -BED), (30.3, -BED), (31.0, 0)]
        levels = [*duck(0), *held, *[(t - 14, g) for t, g in duck(3)]]
        finding = self.only(levels, "duck-one-sided", spans=spans, right=[*duck(0), *[(t - 14, g) for t, g in duck(3)]])
        self.assertIn("Under these 2 passages", finding.message)
        self.assertAlmostEqual(finding.in_s, 22.0, delta=0.2)
        self.assertAlmostEqual(finding.out_s, 30.0, delta=0.2)

    def test_one_sided_where_the_music_is_moved_nowhere_else(self):
        """A few dB may be the music's own, more is a hand's."""
        for depth, kinds in ((4.0, set()), (8.0, {"duck-one-sided"})):
            findings = found(programme(duck(1, depth=depth), right=[(0, 0)], music=usual_music() / 4))
            self.assertEqual({f.kind for f in findings if f.family == "ducking"}, kinds, depth)

    def test_one_sided_in_music_whose_balance_wanders(self):
        """Near its edges the balance moves by all of it, against what lies further away by half of it."""
        sides = np.concatenate([np.full(40, 2.0), np.linspace(-5.0, 3.0, 80), np.full(40, 8.0)])
        far, near = (duck_one_sided.stands_off(sides, 40, 120, way) for way in duck_one_sided.WAYS)
        self.assertAlmostEqual(far, -3.0, delta=0.1)
        self.assertAlmostEqual(near, -5.0, delta=1.5)

    def test_one_sided_in_the_curves(self):
        """Channels have gains of their own where one alone was lowered, and the same elsewhere."""
        gains = series(judge(programme(points(), right=points(d1=None)), RELAXED))["music_gain_db"]
        inside = gains[240:270].mean(axis=0)
        self.assertLess(inside[0], -7.0)
        self.assertEqual(inside[1], 0.0)
        first = round(10 * SPANS[0][0]) + 20
        self.assertLess(gains[first, 0], -7.0)
        self.assertEqual(len(set(gains[first])), 1)

    def test_a_step_is_as_sure_as_what_tells_it(self):
        """Levels around it are not asked again: what tells a step has heard them, and the sound."""
        for where, claim, sure in (
            ({"back": (0.3, 0.32)}, "return-abrupt", ((0.0, 0.6), (2.0, 0.7), (10.5, 0.95))),
            ({"fall": (-0.12, -0.1)}, "fall-abrupt", ((0.0, 0.8), (2.0, 0.95))),
        ):
            evidence, stepped = self.claimed(points(d1=duck(1, **where)), claim)
            for beyond, certainty in sure:
                ducks = (replace(stepped, nats={claim: beyond}, certainty=1.0),)
                self.assertEqual(
                    [round(f.certainty, 3) for f in duck_abrupt.find(replace(evidence, ducks=ducks))], [certainty]
                )

    def test_a_late_return_is_as_sure_as_what_tells_it(self):
        evidence, held = self.claimed(points(d1=duck(1, back=(4.0, 4.7))), "held")
        for beyond, certainty in ((0.0, 0.3), (3.5, 0.45), (11.0, 0.95)):
            ducks = (replace(held, nats={"held": beyond}, certainty=1.0),)
            self.assertEqual(
                [round(f.certainty, 3) for f in duck_slow_return.find(replace(evidence, ducks=ducks))], [certainty]
            )

    def claimed(self, levels, claim):
        """What is known of a programme, and its duck of which something is claimed."""
        evidence = judge(programme(levels), RELAXED).context
        return evidence, next(d for d in evidence.ducks if d.tells(claim))

    def test_what_is_uncertain_is_a_note_and_says_so(self):
        from mezzavoce_core.judge.judging import _careful

        finding = self.only(points(d1=duck(1, back=(4.0, 4.7))), "duck-slow-return")
        doubted = _careful(replace(finding, certainty=0.4))
        self.assertEqual(doubted.severity, NOTE)
        self.assertIn("cannot be told with certainty", doubted.message)


class RemedyTest(unittest.TestCase):
    """Carried out, measured again: the fault is gone, no new one is there, and the predictions hold."""

    PLANTED = (
        ("duck-early", {"d1": duck(1, fall=(-3.0, -2.5))}),
        ("duck-shallow", {"d1": duck(1, depth=4.0)}),
        ("duck-plunge", {"d1": duck(1, depth=24.0)}),
        ("duck-abrupt", {"d1": duck(1, fall=(-0.11, -0.1))}),
        ("duck-slow-return", {"d1": duck(1, back=(4.0, 4.7))}),
        ("duck-uneven", {"d1": duck(1, depth=BED + 6)}),
        ("duck-late", {"d1": duck(1, fall=(0.2, 0.7))}),
        ("duck-missing", {"d1": None}),
    )

    def test_every_remedy_does_what_it_says(self):
        for kind, own in self.PLANTED:
            levels = points(**own)
            (finding,) = found(programme(levels))
            self.assertEqual(finding.kind, kind)
            for remedy in (finding.remedy, *finding.alternatives):
                with self.subTest(kind, action=remedy.action):
                    if not isinstance(remedy, BandCuts):
                        self.carry_out(levels, remedy)

    def carry_out(self, levels, remedy):
        added = [(p.at_s, p.gain_db) for p in remedy.points]
        result = judge(programme(levels, **{"added" if remedy.role == "music" else "raised": added}), RELAXED)
        left = {f.kind for f in result.findings}
        if remedy.sound:
            self.assertEqual([f.message for f in result.findings], [], "gone, and nothing new")
        else:
            self.assertLessEqual(left, {"duck-uneven", "voice-uneven"}, "what was said to stand off, and nothing else")
            self.assertTrue(left)
        self.assertAlmostEqual(result.context.loudness.integrated_lufs, remedy.then.integrated_lufs, delta=0.3)
        if remedy.then.speech_to_background_lu is not None:
            lowest = float(
                np.nanmin(result.context.local_ratio_lu[round(SPANS[1][0] * 10) + 1 : round(SPANS[1][1] * 10) - 1])
            )
            self.assertAlmostEqual(lowest, remedy.then.speech_to_background_lu, delta=0.3)


class VoiceKindsTest(unittest.TestCase):
    def test_low_under_the_same_music(self):
        voice = talk(SECONDS, SPANS, -23)
        voice[22 * 48000 : 28 * 48000] *= 10 ** (-7 / 20)
        findings = found(programme(points(), voice=voice))
        self.assertEqual([f.kind for f in findings], ["voice-low"])
        self.assertEqual(findings[0].remedy.action, "raise")
        self.assertTrue(findings[0].remedy.sound)
        self.assertGreaterEqual(
            findings[0].remedy.amount_db, findings[0].measured - 4.0, "it is among its neighbours again"
        )
        self.assertFalse(
            any(r.enough for r in findings[0].alternatives),
            "under softer music the voice is still under its neighbours",
        )

    def test_louder_than_elsewhere_is_taste(self):
        voice = talk(SECONDS, SPANS, -23)
        voice[22 * 48000 : 28 * 48000] *= 10 ** (6 / 20)
        findings = found(programme(points(), voice=voice))
        self.assertEqual([(f.kind, f.severity) for f in findings], [("voice-uneven", NOTE)])
        remedy = findings[0].remedy
        self.assertEqual((remedy.action, remedy.role), ("lower", "dialogue"))
        raised = [(p.at_s, p.gain_db) for p in remedy.points]
        result = judge(programme(points(), voice=voice, raised=raised), RELAXED)
        self.assertEqual(result.findings, ())
        self.assertAlmostEqual(
            result.context.passages[1].speech_lufs, result.context.passages[0].speech_lufs, delta=0.7
        )
        self.assertAlmostEqual(result.context.loudness.integrated_lufs, remedy.then.integrated_lufs, delta=0.3)

    def test_room_between_the_words(self):
        voice = talk(SECONDS, SPANS, -23) + noise(SECONDS, -47)
        self.assertIn("voice-noise", {f.kind for f in found(programme(points(), voice=voice))})
        quiet = talk(SECONDS, SPANS, -23) + noise(SECONDS, -62)
        self.assertNotIn("voice-noise", {f.kind for f in found(programme(points(), voice=quiet))})

    def test_an_effect_over_the_voice(self):
        effects = np.zeros(SECONDS * 48000)
        effects[24 * 48000 : 25 * 48000] = noise(1.0, -21)
        (finding,) = found(programme(points(), effects=effects))
        self.assertEqual((finding.kind, finding.role), ("effect-over-speech", "effects"))
        self.assertIn("masked-speech", finding.also)

    def test_what_lowers_an_effect_clears_its_rise_and_its_end_as_well(self):
        effects = automated(
            noise(SECONDS, -21),
            [(0, -200), (22.99, -200), (23, -8), (24, -4), (24.1, 0), (25.1, 0), (25.2, -4), (26.5, -8), (26.51, -200)],
        )
        (finding,) = found(programme(points(), effects=effects))
        added = [(p.at_s, p.gain_db) for p in finding.remedy.points]
        result = judge(programme(points(), effects=automated(effects, added)), RELAXED)
        self.assertEqual([f.message for f in result.findings], [])
        lowest = float(
            np.nanmin(
                result.context.local_ratio_lu[
                    round(finding.remedy.points[1].at_s * 10) + 1 : round(finding.remedy.points[2].at_s * 10)
                ]
            )
        )
        self.assertAlmostEqual(lowest, finding.remedy.then.speech_to_background_lu, delta=0.3)
        self.assertAlmostEqual(result.context.loudness.integrated_lufs, finding.remedy.then.integrated_lufs, delta=0.3)
        self.assertEqual(-finding.remedy.amount_db % 0.5, 0.0)

    def test_too_little_is_clear_all_over(self):
        findings = found(programme([(0, -3)]))
        self.assertIn("clear-share-low", {f.kind for f in findings})
        self.assertEqual({f.kind for f in findings}, {"clear-share-low", "duck-missing"})

    def test_one_gain_all_over_makes_the_speech_clear(self):
        """Carried out, every passage is mended at once, and the share is what was predicted.

        Half a decibel less leaves some too thin.
        """
        levels = [(0, -3)]
        (whole,) = (f for f in found(programme(levels)) if f.kind == "clear-share-low")
        self.assertEqual([r.action for r in (whole.remedy, *whole.alternatives)], ["lower", "raise"])
        for remedy, stem in ((whole.remedy, "added"), (whole.alternatives[0], "raised")):
            with self.subTest(remedy.action):
                points = [(p.at_s, p.gain_db) for p in remedy.points]
                result = judge(programme(levels, **{stem: points}), RELAXED)
                self.assertEqual([f.kind for f in result.findings if f.family in ("voice", "ducking")], [])
                self.assertAlmostEqual(result.clear_share, remedy.then.clear_share, delta=0.01)
                self.assertAlmostEqual(result.context.loudness.integrated_lufs, remedy.then.integrated_lufs, delta=0.1)
                less = [(t, g - np.sign(g) * 0.5) for t, g in points]
                self.assertIn(
                    "duck-missing", {f.kind for f in judge(programme(levels, **{stem: less}), RELAXED).findings}
                )

    def test_what_keeps_the_programme_at_its_loudness_comes_first(self):
        for target, first in ((-19.0, "raise"), (-21.5, "lower")):
            spec = replace(RELAXED, limits=replace(RELAXED.limits, integrated_lufs=target, integrated_tolerance_lu=1.0))
            judged = judge(programme([(0, -3)]), spec)
            (whole,) = (f for f in judged.findings if f.kind == "clear-share-low")
            self.assertEqual((whole.remedy.action, whole.remedy.then_whole_db), (first, None))
            (other,) = whole.alternatives
            self.assertAlmostEqual(other.then.integrated_lufs + other.then_whole_db, target, delta=0.06)
            written = finding_dict(whole, judged.context.clock)["alternatives"][0]
            self.assertIn(f"the whole mix then wants {other.then_whole_db:+.1f} dB", prediction(written))
