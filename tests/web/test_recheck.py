"""A new mix beside the one before: marks go on, what became of each is kept, confirmed, and seen."""

from dataclasses import replace
from unittest import mock

import numpy as np
from django.urls import reverse

from mezzavoce.config.refusals import NotAllowed, Overtaken, Refused
from mezzavoce.dispatch import actions as dispatch
from mezzavoce.dispatch import answers
from mezzavoce.dispatch.models import Answer
from mezzavoce.library.models import Mix, StoredFile
from mezzavoce.library.storage import keep
from mezzavoce.measuring import actions as measuring
from mezzavoce.measuring import aligning
from mezzavoce.measuring.models import Alignment, Correction, Run
from mezzavoce.measuring.selectors import current_judgement
from mezzavoce.notes import actions as notes
from mezzavoce.notes.models import Decision, Mark, Note, Placement
from mezzavoce.processes.folders import work_folder
from mezzavoce.recheck import actions, removal
from mezzavoce.recheck.models import Recheck
from mezzavoce.recheck.selectors import Laid
from mezzavoce_core.errors import NotMeasurable
from mezzavoce_core.exchange.features import write_features
from mezzavoce_core.versions.alignment import Piece, alignment_of
from mezzavoce_core.versions.document import alignment_dict
from tests.signals import automated, chord, talk, three_stems
from tests.web.base import SPANS, ProductionCase, make_mix, measure_mix, prepare


def music(first_db, second_db):
    """Music at -22 LUFS that gives way by so much under the first and the second passage."""
    points = [
        point
        for (a, b), db in zip(SPANS, (first_db, second_db), strict=True)
        for point in ((a - 0.8, 0), (a - 0.3, db), (b + 0.5, db), (b + 1.5, 0))
    ]
    return three_stems(talk(40, SPANS), automated(chord(40, -22), points))


class RecheckCase(ProductionCase):
    def setUp(self):
        self.client.force_login(self.reviewer)
        self.former = make_mix(self.production, self.lead)
        measure_mix(self.former, music(0, 0))
        self.first, self.second = Mark.objects.filter(kind="duck-missing").order_by("placements__in_sample")

    def new_mix(self, first_db=-14.0, second_db=-4.0, pieces=None):
        mix = make_mix(self.production, self.lead)
        laid = alignment_of(pieces or [Piece(0, 40, 0, 40, 1.0)], 40, 40)
        Alignment.objects.create(mix=mix, former=self.former, pieces=alignment_dict(laid))
        measure_mix(mix, music(first_db, second_db))
        return mix

    def results(self, mix):
        return {r.mark.pk: r.result for r in Recheck.objects.filter(mix=mix).select_related("mark")}


class MarksTest(RecheckCase):
    def test_cured_and_better_with_the_letters_they_had(self):
        mix = self.new_mix()
        results = self.results(mix)
        self.assertEqual((results[self.first.pk], results[self.second.pk]), ("cured", "better"))
        here = set(Placement.objects.filter(mix=mix).values_list("mark", flat=True))
        self.assertIn(self.second.pk, here)
        self.assertNotIn(self.first.pk, here)
        row = Recheck.objects.get(mix=mix, mark=self.second)
        self.assertGreater(row.now, row.before)
        self.assertAlmostEqual(row.lacks, row.limit - row.now, places=6)
        labels = list(Mark.objects.values_list("label", flat=True))
        self.assertEqual(len(labels), len(set(labels)))

    def test_what_was_cut_out_is_gone(self):
        mix = self.new_mix(0, 0, [Piece(0, 20, 0, 20, 1.0)])
        results = self.results(mix)
        self.assertEqual((results[self.first.pk], results[self.second.pk]), ("same", "gone"))
        self.assertIsNone(Recheck.objects.get(mix=mix, mark=self.second).in_sample)

    def test_decided_and_moved_on_the_page_of_the_new_mix_it_counts_there(self):
        mix = self.new_mix()
        address = reverse("decide", args=[mix.pk, self.second.pk])
        self.assertEqual(self.client.post(address, {"what": "note it", "seen": "0"}).status_code, 302)
        self.client.post(reverse("trim", args=[mix.pk, self.second.pk]), {"from": "10:00:24:00", "to": "10:00:26:00"})
        self.assertEqual(list(self.second.decisions.values_list("mix", flat=True)), [mix.pk])
        self.assertEqual(list(self.second.trims.values_list("mix", flat=True)), [mix.pk])
        # The first one lies nowhere in the new mix, so nobody can decide it there.
        address = reverse("decide", args=[mix.pk, self.first.pk])
        self.assertEqual(self.client.post(address, {"what": "note it"}).status_code, 404)

    def test_judged_again_nothing_is_doubled(self):
        mix = self.new_mix()
        before = Recheck.objects.count(), Placement.objects.count(), Mark.objects.count()
        measuring.correct(self.reviewer, mix, Correction.Kind.NO_SPEECH, ("10:00:36:00", "10:00:37:00"))
        self.assertEqual((Recheck.objects.count(), Placement.objects.count(), Mark.objects.count()), before)

    def test_what_was_dismissed_stays_so_where_it_is_no_worse(self):
        notes.decide(self.reviewer, self.first, self.former, Decision.What.ALLOW, "meant so")
        notes.decide(self.reviewer, self.second, self.former, Decision.What.NOT_A_FAULT)
        mix = self.new_mix(0.0, 3.0)
        self.assertEqual(self.results(mix)[self.second.pk], "worse")
        carried = notes.current_decision(self.first, mix)
        self.assertEqual((carried.what, carried.reason, carried.by), (Decision.What.ALLOW, "meant so", self.reviewer))
        self.assertIsNone(notes.current_decision(self.second, mix), "worse: somebody has to look again")
        with self.assertRaisesRegex(Refused, "Nothing has been done"):
            notes.undo(self.reviewer, mix)

    def test_without_an_alignment_every_mark_is_new(self):
        mix = make_mix(self.production, self.lead)
        measure_mix(mix, music(0, 0))
        self.assertFalse(Recheck.objects.exists())
        self.assertFalse(Placement.objects.filter(mix=mix, mark__mix=self.former).exists())


class ConfirmTest(RecheckCase):
    def setUp(self):
        super().setUp()
        for mark in (self.first, self.second):
            notes.decide(self.reviewer, mark, self.former, Decision.What.NOTE)
        sent = dispatch.send(self.reviewer, prepare(self.reviewer, self.former, [self.contact]))
        for item in sent.items.all():
            answers.answer(sent.recipients.get(), item, Answer.What.FIXED, "", f"k{item.pk}")
        self.mix = self.new_mix()

    def row(self, mark):
        return Recheck.objects.get(mix=self.mix, mark=mark)

    def test_an_answer_that_says_fixed_and_is_not_stands_out(self):
        told = {t.row.mark_id: t for t in Laid(self.mix).told}
        self.assertTrue(told[self.second.pk].contradicts)
        self.assertFalse(told[self.first.pk].contradicts)
        page = self.client.get(reverse("beside", args=[self.mix.pk]))
        self.assertContains(page, "and it is not")
        self.assertContains(page, "still short by")

    def test_confirmed_one_by_one_or_all_at_once(self):
        actions.confirm(self.reviewer, self.row(self.first), "cured")
        self.assertTrue(self.row(self.first).is_confirmed)
        left = len(Laid(self.mix).open)
        self.assertEqual(actions.confirm_all(self.reviewer, self.mix), left)
        self.assertEqual(actions.confirm_all(self.reviewer, self.mix), 0)
        with self.assertRaises(NotAllowed):
            actions.confirm_all(self.guest, self.mix)

    def test_what_is_left_is_noted_again_or_allowed(self):
        actions.confirm(self.reviewer, self.row(self.second), "better", "note it")
        note = Note.objects.get(mix=self.mix, marks=self.second)
        self.assertEqual(note.state, Note.State.WRITTEN)
        with self.assertRaisesRegex(Refused, "Nothing is left"):
            actions.confirm(self.reviewer, self.row(self.first), "cured", "note it")
        self.assertFalse(self.row(self.first).is_confirmed)
        with self.assertRaisesRegex(Refused, "needs a reason"):
            actions.confirm(self.reviewer, self.row(self.second), "better", "allow")
        actions.confirm(self.reviewer, self.row(self.second), "better", "allow", "enough for radio")
        self.assertEqual(notes.current_decision(self.second, self.mix).reason, "enough for radio")

    def test_measured_otherwise_meanwhile(self):
        Recheck.objects.filter(pk=self.row(self.first).pk).update(result="better")
        with self.assertRaisesRegex(Overtaken, "measured otherwise meanwhile: better"):
            actions.confirm(self.reviewer, self.row(self.first), "cured")
        actions.confirm(self.reviewer, self.row(self.second), "better")
        Recheck.objects.filter(mark=self.second).update(result="same")
        self.assertFalse(self.row(self.second).is_confirmed, "another result wants another look")

    def test_by_page_and_script(self):
        address = reverse("confirm-recheck", args=[self.row(self.first).pk])
        quiet = {"headers": {"Accept": "application/json"}}
        answer = self.client.post(address, {"seen": "cured"}, **quiet)
        self.assertEqual(answer.json()["open"], len(Laid(self.mix).open))
        self.assertEqual(self.client.post(address, {"seen": "worse"}, **quiet).status_code, 409)
        page = self.client.get(reverse("beside", args=[self.mix.pk]))
        self.assertContains(page, 'class="is-done"')
        self.assertContains(page, "the same edit")
        self.client.post(reverse("confirm-all", args=[self.mix.pk]))
        self.assertEqual(Laid(self.mix).open, [])
        for person, status in ((self.guest, 403), (self.stranger, 404)):
            self.client.force_login(person)
            self.assertEqual(self.client.post(address, {"seen": "cured"}, **quiet).status_code, status)
        self.client.force_login(self.guest)
        self.assertNotContains(self.client.get(reverse("beside", args=[self.mix.pk])), "It is so")

    def test_deleting_the_former_mix_leaves_the_new_one_whole(self):
        for mix in (self.former, self.mix):
            kept = Mix.objects.exclude(pk=mix.pk).first()
            removal.delete_mix(self.lead, mix, removal.goes_with([mix]).key)
            if kept:
                page = self.client.get(reverse("mix", args=[kept.pk]))
                self.assertEqual(page.status_code, 200)
        self.assertFalse(Recheck.objects.exists())


class PageTest(RecheckCase):
    def test_of_a_mix_that_is_laid_beside_none(self):
        page = self.client.get(reverse("beside", args=[self.former.pk]))
        self.assertContains(page, "laid beside none")
        self.assertNotContains(self.client.get(reverse("mix", args=[self.former.pk])), "Beside")

    def test_of_two_without_a_common_sound(self):
        mix = make_mix(self.production, self.lead)
        Alignment.objects.create(mix=mix, former=self.former, problem="The two mixes have no sound in common.")
        measure_mix(mix)
        self.assertContains(self.client.get(reverse("beside", args=[mix.pk])), "no sound in common")

    def test_what_was_cut_and_put_in_and_moved(self):
        pieces = [Piece(0, 10, 0, 10, 1.0), Piece(30, 40, 10, 20, 1.0), Piece(12, 30, 22, 40, 1.0)]
        mix = self.new_mix(0, 0, pieces)
        page = self.client.get(reverse("beside", args=[mix.pk]))
        self.assertContains(page, "1 cut out, 1 put in, 1 moved")
        self.assertEqual(page.content.count(b'class="ribbon is-moved"'), 1)


class WorkerTest(RecheckCase):
    """What the worker does: only the core's own work is taken as done."""

    def features(self, mix):
        measured = music(0, 0)
        outline = np.random.default_rng(1).normal(-3000, 900, (2000, 18)).astype(np.int16)
        with work_folder() as folder:
            path = folder / "features.npz"
            write_features(replace(measured, mix=replace(measured.mix, outline=outline)), path)
            file = keep(path, mix.production, StoredFile.Kind.FEATURES, "features.npz")
            Run.objects.create(mix=mix, state=Run.State.MEASURED, features=file)
            return aligning.lay_beside(mix, path)

    def test_laid_beside_the_one_before_of_its_label(self):
        self.assertIsNone(self.features(self.former), "the first one")
        mix = make_mix(self.production, self.lead)
        found = self.features(mix)
        self.assertEqual((found.former, found.problem), (self.former, ""))
        self.assertEqual(len(found.pieces["pieces"]), 1)
        aligning.keep_alignment(found)
        aligning.keep_alignment(found)
        self.assertEqual(Alignment.objects.count(), 1)
        other = make_mix(self.production, self.lead, label="5.1")
        self.assertIsNone(aligning.former_of(other))

    def test_one_measured_by_an_older_version_says_so(self):
        mix = make_mix(self.production, self.lead)
        found = self.features(mix)
        self.assertIn("Measure it again", found.problem)
        self.assertIsNone(aligning.alignment_of(mix))

    def test_a_problem_of_the_core_is_kept_as_its_sentence(self):
        self.features(self.former)
        mix = make_mix(self.production, self.lead)
        with mock.patch.object(aligning.core_process, "ask", side_effect=NotMeasurable("No.")):
            self.assertEqual(self.features(mix).problem, "No.")
        self.assertIsNotNone(current_judgement(self.former))
