"""Programmes in the archive, and how long their sound and picture are kept."""

from datetime import timedelta

from django.core.files.storage import default_storage
from django.urls import reverse
from django.utils import timezone

from mezzavoce.config.refusals import NotAllowed, Overtaken, Refused
from mezzavoce.library import archive, intake
from mezzavoce.library.models import Playback, Production, Programme, StoredFile, Track
from mezzavoce.library.sweep import sweep
from mezzavoce.measuring import actions as measuring
from mezzavoce.measuring.models import Judgement, Run
from mezzavoce.notes import actions as notes
from mezzavoce.notes.models import Decision, Mark, Note
from tests.web.base import ProductionCase, make_mix, measure_mix, stored


class ArchiveTest(ProductionCase):
    def setUp(self):
        self.mix = make_mix(self.production, self.lead)
        measure_mix(self.mix)
        self.programme = self.mix.programme
        self.client.force_login(self.lead)

    def test_off_the_desk_read_and_not_changed(self):
        self.client.post(reverse("archive-programme", args=[self.programme.pk]))
        self.assertNotContains(self.client.get(reverse("production", args=[self.production.pk])), "Low Water")
        page = self.client.get(reverse("programmes", args=[self.production.pk]))
        self.assertContains(page, "In the archive")
        for name in ("mix", "notes", "mix-files"):
            self.assertEqual(self.client.get(reverse(name, args=[self.mix.pk])).status_code, 200)
        mark = Mark.objects.first()
        answer = self.client.post(reverse("decide", args=[mark.mix_id, mark.pk]), {"what": "note it"})
        self.assertContains(answer, "is archived", status_code=403)
        programme = Programme.objects.get()
        given = intake.Ingest([(stored(self.production), "mix")], "25", "10:00:00:00", programme=programme)
        with self.assertRaisesRegex(NotAllowed, "is archived"):
            intake.ingest(self.reviewer, self.production, given)
        self.client.post(reverse("archive-programme", args=[self.programme.pk]))
        self.assertContains(self.client.get(reverse("production", args=[self.production.pk])), "Low Water")

    def test_who_may(self):
        for person in (self.reviewer, self.guest):
            self.client.force_login(person)
            self.assertEqual(self.client.post(reverse("archive-programme", args=[self.programme.pk])).status_code, 403)
        with self.assertRaises(NotAllowed):
            archive.bring_back(self.reviewer, self.programme)
        archive.archive(self.lead, self.production)
        self.programme.refresh_from_db()
        with self.assertRaisesRegex(Overtaken, "whole production"):
            archive.bring_back(self.lead, Programme.objects.get())


class KeptForDaysTest(ProductionCase):
    def setUp(self):
        self.mix, self.other = make_mix(self.production, self.lead), make_mix(self.production, self.lead, 2)
        for mix in (self.mix, self.other):
            measure_mix(mix)
            film = stored(self.production, b"film", StoredFile.Kind.PLAYBACK, "playback.mp4")
            Playback.objects.filter(mix=mix).update(file=film, state=Playback.State.READY)
        self.delivered = self.mix.tracks.get().file
        # Both programmes use it.
        self.shared = self.other.tracks.get().file
        Track.objects.create(mix=self.mix, file=self.shared, role="music")

    def archived(self, days_ago, media_days=30, place=None):
        Production.objects.update(media_days=media_days)
        at = timezone.now() - timedelta(days=days_ago)
        (place or Programme.objects.filter(pk=self.mix.programme_id)).update(archived_at=at)

    def swept(self, **how):
        with self.captureOnCommitCallbacks(execute=True):
            return {(left.what, left.name) for left in sweep(**how)}

    def here(self, row):
        return default_storage.exists(row.storage_name)

    def test_after_its_days_the_heavy_things_go_and_the_rest_is_read(self):
        notes.decide(self.reviewer, Mark.objects.filter(mix=self.mix).first(), self.mix, Decision.What.NOTE)
        self.archived(31)
        film, features = Playback.objects.get(mix=self.mix).file, Run.objects.get(mix=self.mix).features
        told = self.swept(dry_run=True)
        self.assertTrue(self.here(self.delivered) and self.here(film) and self.here(features))
        self.assertEqual(self.swept(), told)
        self.assertIn(("delivered media, archived", "mix.wav"), told)
        self.assertFalse(self.here(self.delivered) or self.here(film) or self.here(features))
        self.assertTrue(self.here(self.shared))
        self.assertTrue(self.here(Judgement.objects.get(run__mix=self.mix).series))
        self.assertTrue(self.here(Playback.objects.get(mix=self.other).file))
        self.assertEqual(Note.objects.count(), 1)
        self.assertEqual(self.swept(), set(), "once")
        self.client.force_login(self.guest)
        page = self.client.get(reverse("mix", args=[self.mix.pk]))
        self.assertContains(page, "Sound and picture were removed on")
        self.assertContains(page, "Not yet")
        self.assertContains(self.client.get(reverse("mix-files", args=[self.mix.pk])), "as this production says")
        self.assertEqual(self.client.get(reverse("playback", args=[self.mix.pk])).status_code, 404)

    def test_before_its_days_and_without_days_all_stays(self):
        self.archived(29)
        self.assertEqual(self.swept(), set())
        self.archived(4000, media_days=None)
        self.assertEqual(self.swept(), set())
        self.archived(31, place=Production.objects)
        self.assertTrue(self.swept(), "the whole production counts as well")
        self.assertFalse(self.here(self.shared))

    def test_brought_back_it_says_what_to_do(self):
        self.archived(31)
        self.swept()
        archive.bring_back(self.lead, Programme.objects.get(pk=self.mix.programme_id))
        mix = type(self.mix).objects.get(pk=self.mix.pk)
        with self.assertRaisesRegex(Refused, "Ingest it again"):
            measuring.request_run(self.reviewer, mix)
        again = stored(self.production, name="again.wav")
        StoredFile.objects.filter(pk=again.pk).update(sha256=self.delivered.sha256)
        again.refresh_from_db()
        fresh = intake.ingest(
            self.reviewer,
            self.production,
            intake.Ingest([(again, "mix")], "25", "10:00:00:00", programme=mix.programme),
        )
        self.assertEqual(fresh.programme, mix.programme)
        self.client.force_login(self.reviewer)
        sound = self.client.get(reverse("samples", args=[mix.pk]), {"from": "1", "length": "0.1"})
        self.assertContains(sound, "was removed", status_code=422)
