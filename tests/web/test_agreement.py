"""Head, list, desk, verdict, notes and mail of a mix say the same, by every shipped spec and after every decision."""

from django.urls import reverse

from mezzavoce.dispatch.models import Delivery
from mezzavoce.library import actions as library
from mezzavoce.library.models import Production
from mezzavoce.measuring.judging import rejudge
from mezzavoce.notes import actions as notes
from mezzavoce.notes.models import Decision
from mezzavoce.screens.desk import desk
from mezzavoce.screens.review import Review
from mezzavoce_core.judge.spec import PRESETS
from tests.web.base import ProductionCase, clean, faulty, make_mix, measure_mix, prepare

SAME = ("integrated", "true-peak", "range", "clear", "must")


class AgreementTest(ProductionCase):
    def setUp(self):
        self.mix = make_mix(self.production, self.lead)

    def judged_by(self, preset):
        Production.objects.filter(pk=self.production.pk).update(spec_version=library.preset_version(preset.name))
        self.production.refresh_from_db()
        self.mix = type(self.mix).objects.get(pk=self.mix.pk)
        return rejudge(self.mix)

    def agree(self):
        """What the page and the desk say; they are asked to agree on the way."""
        mix = type(self.mix).objects.get(pk=self.mix.pk)
        review, row = Review(mix, "lead", None), desk(self.lead, self.production).rows[0]
        head = {figure.name: figure for figure in review.figures}
        for key in SAME:
            there, here = row.head.get(key), None
            if there is not None:
                here = head[there.name]
            self.assertEqual(here, there, key)
        fails = any(figure.state == "fails" for figure in review.figures)
        self.assertEqual(fails, review.sentence.startswith("Not yet"), review.sentence)
        if not row.sent:
            self.assertEqual(fails, row.standing.word == "not yet", row.standing.word)
        self.assertEqual(review.facts["judged_by"], row.judgement.spec_version.words)
        open_ones = [item for item in review.marks if item.is_open]
        self.assertEqual(len(open_ones), len(row.open))
        self.assertEqual(
            "To be mended" in head,
            any(
                item.severity == "must" and item.finding and item.state not in ("not a fault", "allowed")
                for item in review.marks
            ),
        )
        return review, row

    def test_by_every_spec_and_back_again(self):
        for measurement in (faulty(), clean()):
            measure_mix(self.mix, measurement)
            for preset in (*PRESETS, PRESETS[0]):
                with self.subTest(preset.name):
                    self.judged_by(preset)
                    review, _ = self.agree()
                    self.assertIn(preset.name, review.facts["judged_by"])

    def test_after_every_decision(self):
        measure_mix(self.mix, faulty())
        said = set()
        for what in (Decision.What.NOT_A_FAULT, Decision.What.REOPEN, Decision.What.ALLOW, Decision.What.NOTE):
            for item in Review(self.mix, "lead", None).marks:
                notes.decide(self.lead, item.mark, self.mix, what, "the song leads")
                review, row = self.agree()
                said.add((review.sentence.split(":")[0].split(";")[0], row.standing.word))
        self.assertIn(("May go out", "may go out"), said)
        self.assertIn(("Not yet", "not yet"), said)

    def test_the_page_shows_it_after_a_decision_without_being_loaded_anew(self):
        measure_mix(self.mix, faulty())
        self.client.force_login(self.lead)
        seen = Review(self.mix, "lead", None).encoded_version
        for item in Review(self.mix, "lead", None).marks:
            notes.decide(self.lead, item.mark, self.mix, Decision.What.ALLOW, "the song leads")
        state = self.changes("mix-state", self.mix, seen=seen)
        self.assertNotIn("is-fails", state["parts"]["figures"])
        self.assertTrue(state["facts"]["verdict"].startswith("May go out"))

    def test_which_spec_judged_it_stands_everywhere(self):
        measure_mix(self.mix, faulty())
        self.client.force_login(self.lead)
        words = "EBU R 128, version 1"
        self.assertContains(self.client.get(reverse("mix", args=[self.mix.pk])), words)
        self.assertContains(self.client.get(reverse("production", args=[self.production.pk])), words)
        for item in Review(self.mix, "lead", None).marks:
            notes.decide(self.lead, item.mark, self.mix, Decision.What.NOTE)
        prepared = prepare(self.lead, self.mix, [self.contact])
        mail = Delivery.objects.get(recipient__dispatch=prepared)
        self.assertIn(f"Judged by {words}.", mail.text)
        self.assertIn(words, mail.html)
