"""What was wrong at ingest is put right without sending the files again; what people decided stays."""

import json
from unittest import mock

from django.urls import reverse

from mezzavoce.accounts.models import AuditEntry
from mezzavoce.config.refusals import NotAllowed, Refused
from mezzavoce.library import intake
from mezzavoce.library.models import Mix, Playback, StoredFile, Track
from mezzavoce.measuring import mending
from mezzavoce.measuring.models import Correction, Run
from mezzavoce.measuring.selectors import current_judgement
from mezzavoce.notes import actions as notes
from mezzavoce.notes.editing import word_note
from mezzavoce.notes.models import Decision, Mark, Note
from tests.web.base import ProductionCase, make_mix, measure_mix, stored

CAPTIONS = b"WEBVTT\n\n00:00:18.000 --> 00:00:20.000\nNobody says this.\n"


class MendingCase(ProductionCase):
    def setUp(self):
        self.client.force_login(self.reviewer)
        self.mix = make_mix(self.production, self.lead)
        self.file = self.mix.tracks.get().file
        self.mix.layout = "stereo"
        self.mix.save()
        measure_mix(self.mix)

    def put_right(self, files=None, rate="25", start="10:00:00:00", **more):
        return mending.put_right(
            self.reviewer, self.mix, intake.Given(files or [(self.file, "mix")], rate, start, **more)
        )

    def captions(self):
        return stored(self.production, CAPTIONS, StoredFile.Kind.CAPTIONS, "said.vtt")

    def timecodes(self):
        return [f.evidence["in_timecode"] for f in current_judgement(Mix.objects.get(pk=self.mix.pk)).findings.all()]


class TimingTest(MendingCase):
    def test_another_start_moves_every_timecode_and_measures_nothing(self):
        mark = Mark.objects.first()
        notes.decide(self.reviewer, mark, self.mix, Decision.What.NOTE)
        before = self.timecodes()
        self.assertEqual(self.put_right(start="11:00:00:00").words, ["frame rate or start"])
        self.assertEqual(self.timecodes(), [t.replace("10:", "11:", 1) for t in before])
        self.assertEqual(Run.objects.count(), 1)
        self.assertEqual(Mark.objects.count(), len(before), "the same marks as before")
        self.assertEqual(notes.current_decision(mark, self.mix).what, Decision.What.NOTE)
        self.assertEqual(AuditEntry.objects.filter(action="put right").count(), 1)

    def test_another_rate_counts_other_frames_to_the_same_place(self):
        places = [f.in_s for f in current_judgement(self.mix).findings.all()]
        self.put_right(rate="50")
        self.assertEqual([f.in_s for f in current_judgement(self.mix).findings.all()], places)
        self.assertEqual(current_judgement(self.mix).detail["file"]["frame_rate"], "50")
        # A tenth of a second is five frames then.
        self.assertEqual(Mix.objects.get(pk=self.mix.pk).clock.timecode_in(24.1), "10:00:24:05")

    def test_what_is_judged_after_it_keeps_the_new_timing(self):
        self.put_right(start="11:00:00:00")
        self.client.post(
            reverse("correct", args=[self.mix.pk]), {"kind": "no-speech", "from": "11:00:23:12", "to": "11:00:31:00"}
        )
        self.assertEqual(Correction.objects.count(), 1)
        self.assertTrue(all(t.startswith("11:") for t in self.timecodes()))

    def test_the_same_again_changes_nothing(self):
        judged = current_judgement(self.mix).judged_at
        self.assertEqual(self.put_right().words, [])
        self.assertEqual(current_judgement(self.mix).judged_at, judged)
        self.assertFalse(AuditEntry.objects.filter(action="put right").exists())

    def test_a_wording_that_nobody_touched_follows(self):
        marks = list(Mark.objects.all()[:2])
        for mark in marks:
            notes.decide(self.reviewer, mark, self.mix, Decision.What.NOTE)
        by_hand = Note.objects.get(marks=marks[0])
        word_note(self.reviewer, by_hand, "My own words.", by_hand.version)
        Note.objects.filter(marks=marks[1]).update(text="An older proposal.")
        self.put_right(start="11:00:00:00")
        self.assertEqual(Note.objects.get(marks=marks[0]).text, "My own words.")
        self.assertNotEqual(Note.objects.get(marks=marks[1]).text, "An older proposal.")


class FilesTest(MendingCase):
    def test_captions_that_came_later_are_judged_at_once(self):
        self.assertNotIn("caption-unheard", {m.kind for m in Mark.objects.all()})
        changed = self.put_right([(self.file, "mix"), (self.captions(), "captions")])
        self.assertEqual(changed.words, ["captions"])
        self.assertIn("caption-unheard", {m.kind for m in Mark.objects.all()})
        self.assertEqual(Run.objects.count(), 1)

    def test_a_stem_that_came_later_is_measured_and_nothing_is_lost_meanwhile(self):
        mark = Mark.objects.first()
        notes.decide(self.reviewer, mark, self.mix, Decision.What.NOTE)
        stem = stored(self.production, name="voice.wav")
        self.assertEqual(self.put_right([(self.file, "mix"), (stem, "dialogue")]).words, ["stems"])
        self.assertEqual(list(Run.objects.values_list("state", flat=True)), [Run.State.WAITING, Run.State.MEASURED])
        self.assertEqual(Playback.objects.get().attempts, 0)
        self.assertIsNotNone(current_judgement(self.mix), "the figures from before are shown until then")
        self.assertEqual(notes.current_decision(mark, self.mix).what, Decision.What.NOTE)

    def test_while_it_is_measured_that_is_stopped_and_begun_anew(self):
        run = Run.objects.create(mix=self.mix, active_key=str(self.mix.pk))
        stem = stored(self.production, name="voice.wav")
        self.put_right([(self.file, "mix"), (stem, "dialogue")])
        run.refresh_from_db()
        self.assertEqual(run.state, Run.State.CANCELLED)
        self.assertEqual(Run.objects.filter(state=Run.State.WAITING).count(), 1)

    def test_roles_the_wrong_way_round(self):
        voice, music = stored(self.production, name="a.wav"), stored(self.production, name="b.wav")
        self.put_right([(self.file, "mix"), (voice, "music"), (music, "dialogue")])
        self.put_right([(self.file, "mix"), (voice, "dialogue"), (music, "music")])
        self.assertEqual(
            set(Track.objects.values_list("file__name", "role")),
            {("mix.wav", "mix"), ("a.wav", "dialogue"), ("b.wav", "music")},
        )

    def test_another_file_as_the_mix_makes_picture_and_sound_anew(self):
        Playback.objects.update(state=Playback.State.READY, attempts=2)
        other = stored(self.production, name="other.wav")
        self.assertEqual(self.put_right([(other, "mix"), (self.file, "dialogue")]).words, ["stems", "mix"])
        film = Playback.objects.get()
        self.assertEqual((film.state, film.attempts), (Playback.State.WAITING, 0))

    def test_what_cannot_be_leaves_all_as_it_was(self):
        longer = stored(self.production, name="longer.wav")
        StoredFile.objects.filter(pk=longer.pk).update(facts=longer.facts | {"duration_s": 41.0})
        longer.refresh_from_db()
        elsewhere = make_mix(self.production, self.lead, number=2).tracks.get().file
        for files, words in (
            ([(longer, "mix")], "Ingest it as a new mix"),
            ([(self.file, "dialogue")], "No file is marked as the mix"),
            ([(elsewhere, "mix")], "here already as 2 Low Water"),
            ([(self.file, "mix"), (self.captions(), "captions"), (self.captions(), "captions")], "Two files hold"),
        ):
            with self.subTest(words), self.assertRaisesRegex(Refused, words):
                self.put_right(files)
        self.assertEqual(Track.objects.get(mix=self.mix).file, self.file)
        self.assertEqual(Run.objects.count(), 1)

    def test_a_failure_in_the_middle_leaves_all_as_it_was(self):
        with mock.patch.object(mending, "rejudge", side_effect=RuntimeError), self.assertRaises(RuntimeError):
            self.put_right(start="11:00:00:00")
        self.assertEqual(Mix.objects.get(pk=self.mix.pk).start_timecode, "10:00:00:00")


class FilesPageTest(MendingCase):
    def post(self, files, **more):
        data = {"frame_rate": "25", "start_timecode": "10:00:00:00", "files": json.dumps(files)} | more
        return self.client.post(reverse("mix-files", args=[self.mix.pk]), data, headers={"Accept": "application/json"})

    def test_the_page_shows_what_there_is_and_takes_what_shall_be(self):
        page = self.client.get(reverse("mix-files", args=[self.mix.pk]))
        self.assertContains(page, "mix.wav")
        self.assertContains(page, "Put it right")
        self.assertNotContains(page, "Delete this mix")
        answer = self.post([{"id": self.file.pk, "role": "mix"}], start_timecode="09:59:50:00")
        self.assertEqual(answer.json()["address"], reverse("mix", args=[self.mix.pk]))
        self.assertEqual(Mix.objects.get(pk=self.mix.pk).start_timecode, "09:59:50:00")

    def test_what_is_wrong_is_said_at_its_field(self):
        answer = self.post([{"id": self.file.pk, "role": "mix"}], start_timecode="10:00")
        self.assertEqual(answer.status_code, 422)
        self.assertIn("start_timecode", answer.json()["fields"])
        self.assertContains(self.post([{"id": 999, "role": "mix"}]), "not here any more", status_code=422)

    def test_tracks_of_a_file_come_with_their_roles(self):
        Track.objects.filter(mix=self.mix).update(tracks="1")
        Track.objects.create(mix=self.mix, file=self.file, role="dialogue", tracks="2")
        known = self.client.get(reverse("mix-files", args=[self.mix.pk])).context["known"]["files"]
        self.assertEqual([k["remembered"]["roles"] for k in known], [{"1": "mix", "2": "dialogue"}])
        self.assertIn("/survey/", known[0]["survey"])

    def test_who_may(self):
        self.client.force_login(self.guest)
        self.assertNotContains(self.client.get(reverse("mix-files", args=[self.mix.pk])), "Put it right")
        self.assertEqual(self.post([{"id": self.file.pk, "role": "mix"}]).status_code, 403)
        with self.assertRaises(NotAllowed):
            mending.put_right(self.guest, self.mix, intake.Given([(self.file, "mix")], "25", "11:00:00:00"))
        self.client.force_login(self.stranger)
        self.assertEqual(self.client.get(reverse("mix-files", args=[self.mix.pk])).status_code, 404)
