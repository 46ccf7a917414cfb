"""Deleting a mix, a programme, a spec: who may, what goes, what stays."""

from django.core.files.storage import default_storage
from django.urls import reverse

from mezzavoce.accounts.models import AuditEntry
from mezzavoce.config.refusals import NotAllowed, Overtaken, Refused
from mezzavoce.dispatch import actions as dispatch
from mezzavoce.dispatch import answers
from mezzavoce.dispatch.models import Answer, Dispatch
from mezzavoce.dispatch.tokens import token_for
from mezzavoce.library import specs
from mezzavoce.library.models import Mix, Programme, Spec, Track
from mezzavoce.measuring import actions as measuring
from mezzavoce.measuring.models import Judgement, Run
from mezzavoce.measuring.queue import RUNS
from mezzavoce.notes import actions as notes
from mezzavoce.notes.models import Decision, Mark, Note, Placement
from mezzavoce.recheck import removal
from tests.web.base import ProductionCase, make_mix, measure_mix, prepare


class RemovalCase(ProductionCase):
    def worked_on(self, number=1):
        """A mix with a decision taken back, a note sent and answered, a correction and a trim."""
        mix = make_mix(self.production, self.lead, number)
        measure_mix(mix)
        first, second = mix.marks.all()[:2]
        notes.decide(self.reviewer, first, mix, Decision.What.NOT_A_FAULT)
        notes.undo(self.reviewer, mix)
        notes.decide(self.reviewer, second, mix, Decision.What.NOTE)
        notes.trim(self.reviewer, second, mix, ("10:00:08:00", "10:00:12:00"))
        measuring.correct(self.reviewer, mix, "no-speech", ("10:00:36:00", "10:00:37:00"))
        sent = dispatch.send(self.reviewer, prepare(self.reviewer, mix, [self.contact]))
        self.recipient = sent.recipients.get()
        answers.answer(self.recipient, sent.items.get(), Answer.What.FIXED, "", "k1")
        return mix

    def key(self, *mixes):
        return removal.goes_with(mixes).key


class MixTest(RemovalCase):
    def test_everything_of_it_goes_and_nothing_of_others(self):
        mix, other = self.worked_on(), make_mix(self.production, self.lead, 2)
        measure_mix(other)
        # A file that both use.
        shared = other.tracks.get().file
        Track.objects.create(mix=mix, file=shared, role="music")
        own = {t.file.storage_name for t in mix.tracks.exclude(file=shared)} | {
            Run.objects.get(mix=mix).features.storage_name,
            Judgement.objects.get(run__mix=mix).series.storage_name,
        }
        self.assertTrue(all(map(default_storage.exists, own)))
        told = removal.goes_with([mix])
        self.assertEqual((told.decisions, told.notes, told.dispatches, told.answers, told.corrections), (3, 1, 1, 1, 1))
        with self.captureOnCommitCallbacks(execute=True):
            removal.delete_mix(self.lead, mix, told.key)
        self.assertFalse(any(map(default_storage.exists, own)))
        self.assertTrue(default_storage.exists(shared.storage_name))
        self.assertEqual(list(Mix.objects.all()), [other])
        for model in (Note, Dispatch, Answer, Decision):
            self.assertEqual(model.objects.count(), 0, model)
        self.assertEqual(set(Mark.objects.values_list("mix", flat=True)), {other.pk})
        self.assertEqual(Judgement.objects.get().run.mix, other)
        entry = AuditEntry.objects.get(action="delete")
        self.assertEqual((entry.target, entry.before["answers"]), (str(mix), 1))
        address = reverse("editor", args=[token_for(self.recipient.seed)])
        self.assertNotContains(self.client.get(address), "Low Water", status_code=404)

    def test_a_mark_that_lies_in_another_mix_as_well_stays_with_that_one(self):
        first, second = make_mix(self.production, self.lead), make_mix(self.production, self.lead)
        measure_mix(first)
        mark = Mark.objects.first()
        lies = Placement.objects.get(mark=mark)
        Placement.objects.create(
            mark=mark,
            mix=second,
            in_sample=lies.in_sample,
            out_sample=lies.out_sample,
            severity=lies.severity,
            title=lies.title,
            evidence=lies.evidence,
        )
        notes.decide(self.reviewer, mark, second, Decision.What.NOTE)
        removal.delete_mix(self.lead, first, self.key(first))
        mark.refresh_from_db()
        self.assertEqual(mark.mix, second)
        self.assertEqual(Note.objects.get().mix, second)

    def test_a_label_is_never_given_again(self):
        first = make_mix(self.production, self.lead)
        measure_mix(first)
        given = set(Mark.objects.values_list("label", flat=True))
        removal.delete_mix(self.lead, first, self.key(first))
        measure_mix(make_mix(self.production, self.lead))
        self.assertFalse(given & set(Mark.objects.values_list("label", flat=True)))

    def test_what_came_meanwhile_is_told_first(self):
        mix = make_mix(self.production, self.lead)
        measure_mix(mix)
        seen = self.key(mix)
        notes.decide(self.reviewer, Mark.objects.first(), mix, Decision.What.NOTE)
        with self.assertRaisesRegex(Overtaken, "meanwhile"):
            removal.delete_mix(self.lead, mix, seen)
        self.assertTrue(Mix.objects.filter(pk=mix.pk).exists())

    def test_while_it_is_measured_the_worker_finds_nothing_to_write_to(self):
        mix = make_mix(self.production, self.lead)
        run = RUNS.claim(measuring.request_run(self.reviewer, mix).pk)
        removal.delete_mix(self.lead, mix, self.key(mix))
        self.assertIsNone(RUNS.mine(run))
        self.assertFalse(RUNS.extend(run, stage="going on"))

    def test_who_may(self):
        mix = make_mix(self.production, self.lead)
        with self.assertRaises(NotAllowed):
            removal.delete_mix(self.reviewer, mix, self.key(mix))
        address = reverse("delete-mix", args=[mix.pk])
        for person, status in ((self.reviewer, 403), (self.stranger, 404)):
            self.client.force_login(person)
            self.assertEqual(self.client.get(address).status_code, status)
        self.client.force_login(self.lead)
        page = self.client.get(address)
        self.assertContains(page, "1 delivered file")
        self.assertNotContains(page, "decision")
        self.assertEqual(self.client.post(address).status_code, 409, "without having been told")
        self.assertRedirects(
            self.client.post(address, {"seen": self.key(mix)}), reverse("programmes", args=[self.production.pk])
        )


class ProgrammeTest(RemovalCase):
    def test_with_all_its_mixes(self):
        mix = self.worked_on()
        later = make_mix(self.production, self.lead)
        self.client.force_login(self.lead)
        address = reverse("delete-programme", args=[mix.programme_id])
        self.assertContains(self.client.get(address), "2 mixes with figures")
        self.assertContains(self.client.get(address), "1 note")
        self.client.post(address, {"seen": self.key(mix, later)})
        self.assertFalse(Programme.objects.exists())
        self.assertFalse(Mark.objects.exists())
        # Its number is free again.
        make_mix(self.production, self.lead, 1)

    def test_one_without_a_mix(self):
        self.client.force_login(self.lead)
        programme = make_mix(self.production, self.lead).programme
        programme.mixes.all().delete()
        self.client.post(reverse("delete-programme", args=[programme.pk]), {"seen": self.key()})
        self.assertFalse(Programme.objects.exists())


class SpecTest(RemovalCase):
    def test_one_that_judges_or_judged_stays(self):
        mix = make_mix(self.production, self.lead)
        own = specs.copy_spec(self.lead, self.production, self.production.spec_version.spec)
        spare = specs.copy_spec(self.lead, self.production, self.production.spec_version.spec)
        measuring.choose_spec(self.lead, self.production, specs.newest(own))
        mix.refresh_from_db()
        mix.programme.production.refresh_from_db()
        measure_mix(mix)
        with self.assertRaisesRegex(Refused, "stays for that"):
            specs.delete_spec(self.lead, own)
        measuring.choose_spec(self.lead, self.production, specs.newest(spare))
        with self.assertRaisesRegex(Refused, "stays for that"):
            specs.delete_spec(self.lead, own)
        with self.assertRaisesRegex(Refused, "shipped preset"):
            specs.delete_spec(self.lead, Spec.objects.filter(production=None).first())
        measuring.choose_spec(self.lead, self.production, specs.newest(own))
        self.client.force_login(self.reviewer)
        address = reverse("spec-delete", args=[self.production.pk, spare.pk])
        self.assertEqual(self.client.post(address).status_code, 403)
        self.client.force_login(self.lead)
        self.assertEqual(self.client.post(address).status_code, 302)
        self.assertFalse(Spec.objects.filter(pk=spare.pk).exists())
        self.assertTrue(Spec.objects.filter(pk=own.pk).exists())
