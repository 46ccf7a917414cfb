"""Desk and review page: what they say in every state, and how many queries that costs."""

from datetime import timedelta

from django.test import SimpleTestCase
from django.urls import reverse
from django.utils import timezone

from mezzavoce.dispatch import actions as dispatch
from mezzavoce.dispatch import answers
from mezzavoce.library.models import SpecVersion
from mezzavoce.measuring.actions import request_run
from mezzavoce.measuring.models import Finding, Run
from mezzavoce.notes import actions as notes
from mezzavoce.notes.models import Mark, Placement
from mezzavoce.screens.desk import desk
from mezzavoce.screens.review import review
from mezzavoce.screens.templatetags import score
from tests.signals import chord, estimated, measured, sine, stereo, talk
from tests.web.base import ProductionCase, clean, make_mix, measure_mix, prepare

DESK_QUERIES = 24
REVIEW_QUERIES = 24


def passing():
    return measured(stereo(sine(-23, 40)))


class DeskTest(ProductionCase):
    def standing(self):
        return desk(self.reviewer, self.production).rows[0].standing.word

    def test_every_state_has_its_word(self):
        mix = make_mix(self.production, self.lead)
        self.assertEqual(self.standing(), "not measured")
        run = request_run(self.lead, mix)
        self.assertEqual(self.standing(), "being measured")
        for state, word in ((Run.State.FAILED, "could not be measured"), (Run.State.CANCELLED, "cancelled")):
            Run.objects.filter(pk=run.pk).update(state=state, active_key=None)
            self.assertEqual(self.standing(), word)
        measure_mix(mix)
        self.assertEqual(self.standing(), "not yet")
        for mark in Mark.objects.all():
            notes.decide(self.reviewer, mark, mix, "allow", "meant so")
        self.assertEqual(self.standing(), "may go out")

    def test_from_sent_to_answered(self):
        mix = make_mix(self.production, self.lead)
        measure_mix(mix)
        for mark in Mark.objects.all():
            notes.decide(self.reviewer, mark, mix, "note it")
        self.assertEqual(self.standing(), "not yet")
        sent = dispatch.send(self.reviewer, prepare(self.reviewer, mix, [self.contact]))
        self.assertEqual(self.standing(), "waits for answers")
        for k, item in enumerate(sent.items.all()):
            answers.answer(sent.recipients.get(), item, "fixed", "", f"k{k}")
        self.assertEqual(self.standing(), "answered")

    def test_what_falls_short_of_the_spec_waits_for_a_person_and_taste_does_not(self):
        mix = make_mix(self.production, self.lead)
        measure_mix(mix)
        for severity, word, said in (
            ("should", "to decide", "should be better"),
            ("note", "may go out", "could be better"),
        ):
            Finding.objects.update(severity=severity)
            Placement.objects.update(severity=severity)
            self.assertEqual(self.standing(), word)
            self.client.force_login(self.reviewer)
            self.assertContains(self.client.get(reverse("mix", args=[mix.pk])), said)

    def test_a_good_mix_may_go_out(self):
        measure_mix(make_mix(self.production, self.lead), passing())
        self.assertEqual(self.standing(), "may go out")
        self.client.force_login(self.guest)
        self.assertContains(self.client.get("/"), "stems are wanted for this")

    def test_newest_mix_counts_and_programmes_without_one_are_there(self):
        make_mix(self.production, self.lead)
        second = make_mix(self.production, self.lead)
        rows = desk(self.reviewer, self.production).rows
        self.assertEqual(rows[0].mix, second)
        self.production.programmes.create(number=9, title="Later")
        self.client.force_login(self.reviewer)
        self.assertContains(self.client.get("/"), "ingest its first mix")

    def test_next_is_the_soonest_due(self):
        for number, days in ((1, 9), (2, 1), (3, 4)):
            mix = make_mix(self.production, self.lead, number)
            mix.programme.due = timezone.localdate() + timedelta(days=days)
            mix.programme.save(update_fields=["due"])
            measure_mix(mix)
        self.assertEqual(desk(self.reviewer, self.production).next_row.programme.number, 2)

    def test_progress_is_shown(self):
        run = request_run(self.lead, make_mix(self.production, self.lead))
        Run.objects.filter(pk=run.pk).update(state=Run.State.RUNNING, stage="peaks of the mix", progress=0.4)
        self.client.force_login(self.guest)
        runs = self.changes("desk-state", self.production)["parts"]["runs"]
        self.assertIn("peaks of the mix", runs)
        self.assertIn("40 %", runs)

    def test_queries_do_not_grow_with_the_programmes(self):
        for number in range(1, 4):
            measure_mix(make_mix(self.production, self.lead, number))
        self.client.force_login(self.reviewer)
        with self.assertNumQueries(DESK_QUERIES):
            self.client.get("/")
        for number in range(4, 8):
            measure_mix(make_mix(self.production, self.lead, number), clean())
        with self.assertNumQueries(DESK_QUERIES):
            self.client.get("/")


class ReviewTest(ProductionCase):
    def setUp(self):
        self.mix = make_mix(self.production, self.lead)
        self.judgement = measure_mix(self.mix)
        self.client.force_login(self.reviewer)

    def page(self, mark=None):
        return self.client.get(reverse("mix", args=[self.mix.pk]), {"mark": mark} if mark else {})

    def test_first_open_one_is_chosen_and_any_can_be(self):
        marks = review(self.reviewer, self.mix.pk).marks
        self.assertEqual(review(self.reviewer, self.mix.pk).chosen, marks[0])
        self.assertEqual(review(self.reviewer, self.mix.pk, marks[-1].mark.label).chosen.mark, marks[-1].mark)
        notes.decide(self.reviewer, marks[0].mark, self.mix, "not a fault")
        self.assertEqual(review(self.reviewer, self.mix.pk).chosen.mark, marks[1].mark)

    def test_says_verdict_figures_and_finding(self):
        mark = Mark.objects.get(kind="duck-missing")
        page = self.page(mark.label)
        self.assertContains(page, "Not yet:")
        self.assertContains(page, "wants -23.0 ± 0.5")
        self.assertContains(page, "Music does not give way")
        self.assertContains(page, mark.placements.get().evidence["remedy"]["points"][1]["at_timecode"])
        self.assertContains(page, "words covered, first word covered")

    def test_without_stems_it_says_that_they_are_wanted(self):
        measure_mix(self.mix, passing())
        self.assertContains(self.page(), "stems are wanted for that")

    def test_estimates_carry_their_interval_and_what_cannot_be_told_is_listed(self):
        spans = [(5.0, 12.0), (20.0, 30.0)]
        measure_mix(self.mix, estimated(talk(40, spans), chord(40, -29.0), spans, half_lu=1.6, conditions=1))
        mark = Mark.objects.filter(family__in=("voice", "ducking"), placements__mix=self.mix).last()
        page = self.page(mark.label)
        self.assertContains(page, "Voice and music are estimated from the mix alone.")
        self.assertContains(page, "Ratios are sure within about ±2 LU")
        self.assertContains(page, "Less sure in 2 passages: the mix has no side")
        self.assertContains(page, "noise behind the voice")
        self.assertContains(page, "Estimated from the mix, ±2 LU.")
        self.assertRegex(page.content.decode(), r"<dd>\d+ ± 2 LU</dd>")
        self.assertContains(self.client.get("/"), "% estimated")

    def test_what_is_more_likely_wrong_than_right_is_to_be_listened_to(self):
        item = review(self.reviewer, self.mix.pk).marks[0]
        shown = review(self.reviewer, self.mix.pk)
        self.assertNotEqual(shown.word(item), "listen")
        item.placement.certainty = 0.4
        self.assertEqual(shown.word(item), "listen")

    def test_with_stems_that_do_not_tell_the_voice_it_says_which_are_wanted(self):
        measure_mix(self.mix, measured(stereo(sine(-23, 40)), [("music", stereo(sine(-40, 40)))]))
        self.assertContains(self.page(), "these stems do not tell the voice from the rest")

    def test_states(self):
        self.assertContains(self.page(), "Picture and sound are being prepared")
        made = self.mix.playback
        made.state, made.error = "failed", "Picture and sound could not be prepared."
        made.save()
        self.assertContains(self.page(), "could not be prepared.")
        request_run(self.lead, self.mix)
        self.assertContains(self.page(), "Being measured again")
        self.assertRedirects(
            self.client.get(reverse("mix-state", args=[self.mix.pk])), reverse("mix", args=[self.mix.pk])
        )

    def test_verdict_follows_decisions(self):
        for item in review(self.reviewer, self.mix.pk).marks:
            notes.decide(self.reviewer, item.mark, self.mix, "allow", "meant so")
        self.assertEqual(review(self.reviewer, self.mix.pk).sentence, "May go out: what was found has been decided.")
        self.assertEqual(self.changes("mix-state", self.mix)["facts"]["open"], f"0 of {Mark.objects.count()} open")

    def test_sentences(self):
        for measurement, spec, words in (
            (passing(), "EBU R 128", "nothing was found"),
            (passing(), "Online video", "the level is off"),
            (clean(), "Online video", "the voice is clear"),
        ):
            self.mix.programme.spec_version = SpecVersion.objects.get(spec__name=spec)
            self.mix.programme.save(update_fields=["spec_version"])
            measure_mix(self.mix, measurement)
            self.assertIn(words, review(self.reviewer, self.mix.pk).sentence)

    def test_anchor_and_short_term_in_the_figures(self):
        for spec, words in (
            ("ATSC A/85", "wants -24.0 ± 2.0"),
            ("EBU R 128 s1", "at most -18.0"),
            ("Accessible audio", "not limited"),
        ):
            self.mix.programme.spec_version = SpecVersion.objects.get(spec__name=spec)
            self.mix.programme.save(update_fields=["spec_version"])
            measure_mix(self.mix)
            self.assertContains(self.page(), words)

    def test_queries_are_pinned(self):
        with self.assertNumQueries(REVIEW_QUERIES):
            self.page()

    def test_data_for_the_scripts(self):
        data = review(self.reviewer, self.mix.pk).for_page
        self.assertEqual((data["rate"], data["start"], data["duration"]), ("25", "10:00:00:00", 40.0))
        self.assertEqual(len(data["speech"]), 2)
        chosen = next(m for m in data["marks"] if m["family"] == "ducking")
        self.assertEqual(len(chosen["remedy"]["points"]), 4)


class ScoreTagsTest(SimpleTestCase):
    def test_each_family_has_its_shape(self):
        shapes = {
            "loudness": "square",
            "peak": "square",
            "voice": "diamond",
            "ducking": "round",
            "music": "triangle",
            "effects": "hexagon",
        }
        for family, shape in shapes.items():
            self.assertIn(f"sign-{shape}", score.mark("A", family))
        self.assertIn("sign-done", score.mark("A", "voice", "noted"))
        self.assertIn("&lt;b&gt;", score.mark("<b>", "voice"))

    def test_scales(self):
        limits = {"integrated_lufs": -23.0, "integrated_tolerance_lu": 0.5}
        self.assertIn("is-off", score.loudness_scale({"integrated_lufs": -20.0}, limits, "fails"))
        self.assertNotIn("is-off", score.loudness_scale({"integrated_lufs": -23.0}, limits, "holds"))
        self.assertEqual(score.loudness_scale({}, {}, ""), "")
        self.assertEqual(score.clearance_scale({"ratios_lu": []}, {}), "")
        self.assertEqual(score.clearance_scale({"ratios_lu": [4.0, 12.0]}, {"clearance_lu": 10.0}).count("is-thin"), 1)
        self.assertIn("-23", score.scale_head("loudness"))
        self.assertIn("10", score.scale_head("clearance"))
        self.assertEqual(score.Scale(0, 10, 108).x(99), 104)

    def test_filters(self):
        self.assertEqual((score.percent(0.951), score.percent(None)), ("95", ""))
        self.assertEqual((score.tenth(-1.04), score.tenth(None)), ("-1.0", ""))
        self.assertEqual((score.signed(-3.0), score.signed(2.5), score.signed(0.0)), ("-3.0", "+2.5", "0.0"))

    def test_figures_have_the_digits_of_their_unit(self):
        for kind, unit, value, words in (
            ("duck-late", "s", 0.416, "0.42 s"),
            ("masked-speech", "LU", 3.25, "3.2 LU"),
            ("masked-speech", "of 1", 0.583, "0.58 of 1"),
            ("clear-share-low", "of 1", 0.853, "85 %"),
            ("clipped", "samples", 7.0, "7 samples"),
            ("dropout", "", 1.0, "1.0"),
            ("inverse-phase", "correlation", None, ""),
        ):
            self.assertEqual(
                score.figure({"kind": kind, "unit": unit, "measured": value, "limit": 0}, "measured"), words
            )
