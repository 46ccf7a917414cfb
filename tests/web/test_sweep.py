"""What nothing points at goes; everything else stays. Mixes that cannot be measured can be taken out again."""

import io
import os
import tempfile
import time
from datetime import timedelta
from pathlib import Path

from django.conf import settings
from django.core.files.base import ContentFile
from django.core.files.storage import default_storage
from django.core.management import call_command
from django.test import override_settings
from django.urls import reverse
from django.utils import timezone

from mezzavoce.config.refusals import NotAllowed, Overtaken, Refused
from mezzavoce.library import sweep, uploads
from mezzavoce.library.models import Mix, StoredFile, Survey, Track, Upload
from mezzavoce.measuring import actions
from mezzavoce.measuring.models import Correction, Finding, Judgement, Run
from mezzavoce.measuring.selectors import current_judgement
from mezzavoce.notes import actions as notes
from mezzavoce.notes.models import Mark
from tests.web.base import ProductionCase, make_mix, measure_mix, stored

OLD = timedelta(days=30)


def age(path):
    long_ago = time.time() - OLD.total_seconds()
    os.utime(path, (long_ago, long_ago))


class SweepCase(ProductionCase):
    def setUp(self):
        # A store of its own: the others keep theirs.
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        store = {"BACKEND": "django.core.files.storage.FileSystemStorage", "OPTIONS": {"location": folder / "files"}}
        self.enterContext(
            override_settings(
                STORAGES=settings.STORAGES | {"default": store}, UPLOAD_DIR=folder / "uploads", WORK_DIR=folder / "work"
            )
        )

    def swept(self, **options):
        with self.captureOnCommitCallbacks(execute=True):
            return [(found.what, found.name) for found in sweep.sweep(**options)]


class FilesTest(SweepCase):
    def test_a_dry_run_removes_nothing_and_says_all(self):
        unused = stored(self.production)
        StoredFile.objects.update(created=timezone.now() - OLD)
        told = io.StringIO()
        call_command("sweep", "--dry-run", stdout=told)
        self.assertIn("mix.wav", told.getvalue())
        self.assertIn("1 left over, 0.0 MB would be removed", told.getvalue())
        self.assertTrue(default_storage.exists(unused.storage_name))
        self.assertEqual(self.swept(), [("delivered media", "mix.wav")])
        self.assertFalse(default_storage.exists(unused.storage_name) or StoredFile.objects.exists())

    def test_what_somebody_may_still_take_in_stays(self):
        stored(self.production)
        self.assertEqual(self.swept(), [])

    def test_everything_that_is_used_stays(self):
        mix = make_mix(self.production, self.lead)
        measure_mix(mix)
        mix.captions = stored(self.production, kind=StoredFile.Kind.CAPTIONS)
        mix.save()
        mix.playback.file = stored(self.production, kind=StoredFile.Kind.PLAYBACK)
        mix.playback.save()
        Run.objects.update(peaks=stored(self.production, kind=StoredFile.Kind.SERIES))
        StoredFile.objects.update(created=timezone.now() - OLD)
        self.assertEqual(self.swept(), [])
        self.assertEqual(StoredFile.objects.count(), 6)

    def test_a_look_through_a_file_is_no_use_of_it(self):
        Survey.objects.create(file=stored(self.production))
        StoredFile.objects.update(created=timezone.now() - OLD)
        self.swept()
        self.assertFalse(StoredFile.objects.exists() or Survey.objects.exists())

    def test_old_runs_lose_their_files_and_no_word_of_anybody(self):
        mix = make_mix(self.production, self.lead)
        first = measure_mix(mix)
        mark = first.findings.first().mark
        notes.decide(self.reviewer, mark, mix, "note it")
        actions.correct(self.reviewer, mix, "no-speech", ("10:00:24:00", "10:00:30:00"))
        second = measure_mix(mix)
        kept = {second.series_id, second.run.features_id, mix.tracks.get().file_id}
        self.swept()
        self.assertEqual(set(StoredFile.objects.values_list("pk", flat=True)), kept)
        self.assertEqual(list(Judgement.objects.all()), [second])
        self.assertEqual(current_judgement(mix), second)
        self.assertFalse(Finding.objects.exclude(judgement=second).exists())
        self.assertEqual(
            (mark.decisions.count(), mark.notes.count(), Correction.objects.count(), Run.objects.count()), (1, 1, 1, 2)
        )

    def test_bytes_without_a_row_go_once_nobody_can_be_at_them(self):
        for key in ("a" * 32, "b" * 32):
            default_storage.save(f"{key[:2]}/{key}", ContentFile(b"lost"))
        age(default_storage.path("aa/" + "a" * 32))
        self.assertEqual(self.swept(), [("bytes without a row", "aa/" + "a" * 32)])
        self.assertTrue(default_storage.exists("bb/" + "b" * 32))


class UploadsTest(SweepCase):
    def begin(self, name, **changes):
        upload = uploads.begin(self.reviewer, self.production, name, 100)
        upload.part.write_bytes(b"x" * 40)
        Upload.objects.filter(pk=upload.pk).update(**changes)
        return upload

    def test_given_up_parts_and_folders_go(self):
        old = self.begin("old.wav", touched=timezone.now() - OLD, received=40)
        young = self.begin("young.wav")
        stray = settings.UPLOAD_DIR / f"{'c' * 32}.part"
        stray.write_bytes(b"x")
        folder = settings.WORK_DIR / "tmpold"
        folder.mkdir(parents=True)
        (settings.WORK_DIR / "tmpnew").mkdir()
        for path in (stray, folder):
            age(path)
        self.assertEqual(
            self.swept(), [("upload", "old.wav"), ("part of an upload", stray.name), ("working folder", "tmpold")]
        )
        self.assertEqual(
            (old.part.exists(), young.part.exists(), stray.exists(), folder.exists()), (False, True, False, False)
        )
        self.assertEqual(list(Upload.objects.all()), [young])
        self.assertTrue((settings.WORK_DIR / "tmpnew").exists())

    def test_what_is_being_looked_at_stays(self):
        for state in (Upload.State.WAITING, Upload.State.RUNNING):
            self.begin(f"{state}.wav", state=state, touched=timezone.now() - OLD)
        self.assertEqual(self.swept(), [])


class TakeOutTest(ProductionCase):
    def setUp(self):
        self.mix = make_mix(self.production, self.lead)
        self.run_row = actions.request_run(self.lead, self.mix)

    def fail(self):
        Run.objects.update(state=Run.State.FAILED, active_key=None, error="One sample is no sound.")

    def test_one_that_cannot_be_measured_is_taken_out_and_may_come_again(self):
        self.client.force_login(self.reviewer)
        with self.assertRaisesRegex(Overtaken, "being measured"):
            actions.remove_mix(self.reviewer, self.mix)
        self.fail()
        self.assertContains(self.client.get(reverse("mix", args=[self.mix.pk])), "Remove this mix")
        self.client.post(reverse("remove-mix", args=[self.mix.pk]))
        self.assertFalse(Mix.objects.exists() or Run.objects.exists() or Track.objects.exists())
        self.assertEqual(self.production.audit_entries.last().action, "remove mix")
        make_mix(self.production, self.lead)

    def test_a_guest_may_not(self):
        self.fail()
        with self.assertRaises(NotAllowed):
            actions.remove_mix(self.guest, self.mix)

    def test_what_has_figures_or_somebodys_work_stays(self):
        self.fail()
        Correction.objects.create(mix=self.mix, kind="speech", in_sample=0, out_sample=9, by=self.reviewer)
        with self.assertRaisesRegex(Refused, "has worked on"):
            actions.remove_mix(self.reviewer, self.mix)
        Correction.objects.all().delete()
        measure_mix(self.mix)
        with self.assertRaisesRegex(Refused, "was measured"):
            actions.remove_mix(self.reviewer, self.mix)
        self.assertTrue(Mark.objects.exists())
