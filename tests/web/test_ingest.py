"""Uploads in pieces, taking in, and everything that can be wrong with it."""

import errno
import hashlib
import json
import tempfile
from pathlib import Path
from unittest import mock

from django.conf import settings
from django.db import OperationalError, connection
from django.test import override_settings
from django.urls import reverse

from mezzavoce.library import surveys, uploads
from mezzavoce.library.models import Mix, Programme, StoredFile, Upload
from mezzavoce.measuring.models import Run
from tests.signals import sine, stereo, write_wav
from tests.web.base import ProductionCase


def wav_bytes(seconds=1.0, level=-20.0):
    with tempfile.TemporaryDirectory() as folder:
        return write_wav(Path(folder) / "a.wav", stereo(sine(level, seconds))).read_bytes()


class IntakeCase(ProductionCase):
    def setUp(self):
        self.client.force_login(self.reviewer)
        # A folder of its own, since other tests upload at the same time.
        folder = self.enterContext(tempfile.TemporaryDirectory())
        self.enterContext(override_settings(UPLOAD_DIR=Path(folder)))

    def begin(self, name, size):
        return self.client.post(
            reverse("upload", args=[self.production.pk]),
            {"name": name, "size": size},
            headers={"Accept": "application/json"},
        )

    def piece(self, address, offset, content):
        told = {
            "Upload-Offset": str(offset),
            "Upload-SHA256": hashlib.sha256(content).hexdigest(),
            "Accept": "application/json",
        }
        return self.client.put(address, content, content_type="application/octet-stream", headers=told)

    def done(self, address):
        """Hand in, have a worker look, ask what became of it."""
        answer = self.client.post(f"{address}done/", headers={"Accept": "application/json"})
        if answer.status_code != 202:
            return answer
        with self.captureOnCommitCallbacks(execute=True):
            uploads.work_next()
        return self.client.get(f"{address}done/", headers={"Accept": "application/json"})

    def sounds_in(self, address):
        """The sounds of a file once a worker has looked through it."""
        self.assertEqual(self.client.get(address).status_code, 202)
        self.assertTrue(surveys.work_next())
        return self.client.get(address).json()["sounds"]

    def bring(self, name, content):
        address = self.begin(name, len(content)).json()["address"]
        self.piece(address, 0, content)
        return self.done(address)

    def ingest(self, chosen, **more):
        data = {
            "title": "Ebb",
            "frame_rate": "25",
            "start_timecode": "10:00:00:00",
            "files": json.dumps([{"id": i, "role": r} for i, r in chosen]),
        } | more
        return self.client.post(
            reverse("ingest", args=[self.production.pk]), data, headers={"Accept": "application/json"}
        )


class UploadTest(IntakeCase):
    def test_in_pieces(self):
        content = wav_bytes()
        address = self.begin("../../a.wav", len(content)).json()["address"]
        self.assertEqual(self.piece(address, 0, content[:1000]).json()["received"], 1000)
        self.assertEqual(self.piece(address, 1000, content[1000:]).json()["received"], len(content))
        answer = self.done(address).json()
        row = StoredFile.objects.get(pk=answer["id"])
        self.assertEqual((row.name, row.size, answer["facts"]["channels"]), ("a.wav", len(content), 2))
        self.assertEqual(row.sha256, hashlib.sha256(content).hexdigest())
        self.assertEqual(list(Path(settings.UPLOAD_DIR).glob("*.part")), [])

    def test_a_broken_one_goes_on_where_it_stopped(self):
        content = wav_bytes()
        address = self.begin("a.wav", len(content)).json()["address"]
        self.piece(address, 0, content[:500])
        again = self.piece(address, 0, content[:500])
        self.assertEqual(again.status_code, 409)
        self.assertIn("goes on at byte 500", again.json()["error"])
        self.assertEqual(self.done(address).status_code, 409)
        self.assertEqual(self.client.get(address).json(), {"received": 500, "size": len(content)})
        self.piece(address, 500, content[500:])
        self.assertEqual(self.done(address).status_code, 200)

    def test_what_a_killed_server_left_half_written_is_overwritten(self):
        content = wav_bytes()
        upload = uploads.begin(self.reviewer, self.production, "a.wav", len(content))
        self.piece(reverse("upload-piece", args=[upload.key]), 0, content[:500])
        with upload.part.open("ab") as file:
            file.write(b"half a piece")
        self.piece(reverse("upload-piece", args=[upload.key]), 500, content[500:])
        self.assertEqual(uploads.finish(upload).facts["duration_s"], 1.0)

    def test_two_at_once_do_not_mix(self):
        one, two = wav_bytes(1.0), wav_bytes(2.0)
        first, second = (self.begin("a.wav", len(c)).json()["address"] for c in (one, two))
        for k in range(2):
            for address, content in ((first, one), (second, two)):
                half = len(content) // 2
                self.piece(address, k * half, content[k * half : len(content) if k else half])
        self.assertEqual([self.done(a).json()["facts"]["duration_s"] for a in (first, second)], [1.0, 2.0])

    def test_each_bad_file_has_its_sentence_and_leaves_nothing(self):
        self.assertIn("is empty", self.begin("a.wav", 0).json()["error"])
        self.assertIn(
            "choose it again",
            self.client.post(
                reverse("upload", args=[self.production.pk]), {"name": "x"}, headers={"Accept": "application/json"}
            ).json()["error"],
        )
        cases = {
            "text.wav": (b"a letter, no sound " * 50, "no video or audio file"),
            "cut.wav": (wav_bytes()[:9000], "is cut off"),
        }
        for name, (content, words) in cases.items():
            answer = self.bring(name, content)
            self.assertEqual(answer.status_code, 422)
            self.assertIn(words, answer.json()["error"])
            self.assertIn(name, answer.json()["error"])
        self.assertFalse(StoredFile.objects.exists())
        self.assertEqual(list(Path(settings.UPLOAD_DIR).glob("*.part")), [])

    @override_settings(UPLOAD_MAX_BYTES=1000)
    def test_too_large(self):
        self.assertIn("larger than", self.begin("a.wav", 1001).json()["error"])

    def test_more_than_announced(self):
        address = self.begin("a.wav", 10).json()["address"]
        self.assertIn("More of", self.piece(address, 0, b"x" * 11).json()["error"])

    def test_giving_up_and_other_peoples_uploads(self):
        address = self.begin("a.wav", 10).json()["address"]
        self.client.force_login(self.lead)
        self.assertEqual(self.piece(address, 0, b"x").status_code, 404)
        self.client.force_login(self.reviewer)
        self.assertEqual(self.client.delete(address).status_code, 200)
        self.assertFalse(Upload.objects.exists())


class NothingLostTest(IntakeCase):
    """What counts is what is on disk."""

    def setUp(self):
        super().setUp()
        self.content = wav_bytes()
        self.address = self.begin("a.wav", len(self.content)).json()["address"]
        self.piece(self.address, 0, self.content[:5000])

    @property
    def upload(self):
        return Upload.objects.get()

    def test_a_part_that_is_missing_or_shorter_is_sent_again(self):
        for left in (b"", self.content[:2000]):
            self.upload.part.write_bytes(left)
            self.assertEqual(self.client.get(self.address).json()["received"], len(left))
            refused = self.piece(self.address, 5000, self.content[5000:])
            self.assertEqual((refused.status_code, self.upload.part.stat().st_size), (409, len(left)))
            self.assertIn(f"goes on at byte {len(left)}", refused.json()["error"])
        self.upload.part.unlink()
        self.piece(self.address, 0, self.content)
        answer = self.done(self.address).json()
        self.assertEqual(StoredFile.objects.get(pk=answer["id"]).sha256, hashlib.sha256(self.content).hexdigest())

    def test_a_part_that_shrank_after_it_was_handed_in_goes_on(self):
        self.piece(self.address, 5000, self.content[5000:])
        self.client.post(f"{self.address}done/")
        self.upload.part.write_bytes(self.content[:100])
        uploads.work_next()
        self.assertEqual(
            (self.upload.state, self.client.get(self.address).json()["received"]), (Upload.State.ARRIVING, 100)
        )

    def test_a_damaged_piece_is_not_kept(self):
        told = {
            "Upload-Offset": "5000",
            "Upload-SHA256": hashlib.sha256(b"what was sent").hexdigest(),
            "Accept": "application/json",
        }
        for digest in (told["Upload-SHA256"], "", "x" * 5000):
            answer = self.client.put(
                self.address,
                b"what arrived",
                content_type="application/octet-stream",
                headers=told | {"Upload-SHA256": digest},
            )
            self.assertEqual(answer.status_code, 409)
            self.assertIn("arrived damaged", answer.json()["error"])
        self.assertEqual(self.upload.here, 5000)

    def test_handing_in_twice_is_one_file_and_one_answer(self):
        self.piece(self.address, 5000, self.content[5000:])
        first = self.done(self.address).json()
        self.assertEqual(self.client.post(f"{self.address}done/").json(), first)
        self.assertEqual(StoredFile.objects.count(), 1)

    def test_a_worker_that_loses_the_database_loses_nothing(self):
        self.piece(self.address, 5000, self.content[5000:])
        self.client.post(f"{self.address}done/")
        with mock.patch("mezzavoce.library.uploads.keep", side_effect=OperationalError("gone away")):
            uploads.work_next()
        self.assertEqual((self.upload.state, self.upload.part.read_bytes()), (Upload.State.WAITING, self.content))
        Upload.objects.update(next_try=None)
        uploads.work_next()
        self.assertEqual(self.upload.file.sha256, hashlib.sha256(self.content).hexdigest())

    def test_nothing_is_locked_while_the_whole_is_hashed(self):
        self.piece(self.address, 5000, self.content[5000:])
        self.client.post(f"{self.address}done/")
        depth = len(connection.savepoint_ids)

        def looked(path, hold):
            self.assertEqual(len(connection.savepoint_ids), depth)
            return "0" * 64

        with mock.patch("mezzavoce.library.uploads.sha256_of", side_effect=looked) as hashed:
            uploads.work_next()
        self.assertTrue(hashed.called)

    def test_it_goes_on_after_the_page_was_loaded_anew(self):
        again = {"name": "b.wav", "size": 9000, "modified": 1764600000000}
        first = self.client.post(reverse("upload", args=[self.production.pk]), again).json()
        self.piece(first["address"], 0, b"x" * 4000)
        self.assertContains(self.client.get(reverse("ingest", args=[self.production.pk])), "Choose the same file again")
        second = self.client.post(reverse("upload", args=[self.production.pk]), again).json()
        self.assertEqual(second, {"address": first["address"], "received": 4000})
        for other in ({"modified": 1}, {"size": 9001}, {"name": "c.wav"}):
            self.assertEqual(
                self.client.post(reverse("upload", args=[self.production.pk]), again | other).json()["received"], 0
            )
        self.client.force_login(self.lead)
        self.assertEqual(self.client.post(reverse("upload", args=[self.production.pk]), again).json()["received"], 0)


class RoomTest(IntakeCase):
    def test_what_is_promised_counts_against_the_room_there_is(self):
        gib = 1024**3
        with mock.patch("mezzavoce.library.storage.shutil.disk_usage", return_value=mock.Mock(free=71 * gib)):
            self.assertEqual(self.begin("a.mov", 60 * gib).status_code, 201)
            refused = self.begin("b.mov", 60 * gib)
            self.assertEqual(refused.status_code, 507)
            self.assertIn("9.0 GiB are left", refused.json()["error"])
            self.assertEqual(self.begin("c.mov", 8 * gib).status_code, 201)
            self.assertContains(self.client.get(reverse("ingest", args=[self.production.pk])), "nearly full")

    def test_a_full_disk_is_a_sentence_and_costs_nothing(self):
        address = self.begin("a.wav", 5000).json()["address"]
        self.piece(address, 0, b"x" * 1000)
        with mock.patch(
            "mezzavoce.library.uploads.os.fsync", side_effect=OSError(errno.ENOSPC, "No space left on device")
        ):
            answer = self.piece(address, 1000, b"y" * 1000)
        self.assertEqual(answer.status_code, 507)
        self.assertIn("disk of this Mezzavoce is full", answer.json()["error"])
        self.assertEqual(self.client.get(address).json()["received"], 1000)
        self.assertEqual(self.piece(address, 1000, b"y" * 1000).json()["received"], 2000)


class TakeInTest(IntakeCase):
    def setUp(self):
        super().setUp()
        self.mix_id = self.bring("mix.wav", wav_bytes(2.0)).json()["id"]

    def test_a_mix_is_made_and_waits_to_be_measured(self):
        with mock.patch("mezzavoce.config.celery.app.send_task") as wake, self.captureOnCommitCallbacks(execute=True):
            answer = self.ingest([(self.mix_id, "mix")], start_timecode="01:00:00;00", frame_rate="30000/1001")
        self.assertEqual(answer.status_code, 201, answer.content)
        mix = Mix.objects.get()
        self.assertEqual((mix.programme.title, mix.programme.number, mix.number, mix.drop_frame), ("Ebb", 1, 1, True))
        self.assertEqual((mix.frame_rate, mix.start_timecode, mix.duration_s), ("30000/1001", "01:00:00;00", 2.0))
        self.assertEqual(Run.objects.get().state, Run.State.WAITING)
        self.assertTrue(wake.called)
        self.assertEqual(answer.json()["address"], reverse("mix", args=[mix.pk]))

    def test_next_mix_of_a_programme(self):
        self.ingest([(self.mix_id, "mix")])
        other = self.bring("mix.wav", wav_bytes(2.0, -21)).json()["id"]
        self.ingest([(other, "mix")], programme=Programme.objects.get().pk, title="")
        self.assertEqual(sorted(Mix.objects.values_list("number", flat=True)), [1, 2])

    def refused(self, words, chosen, **more):
        answer = self.ingest(chosen, **more)
        self.assertEqual(answer.status_code, 422)
        self.assertIn(words, answer.json()["error"])
        self.assertFalse(Mix.objects.exists() or Run.objects.exists() or Programme.objects.exists())
        return answer

    def test_each_refusal_is_a_sentence_and_makes_nothing(self):
        mix, twin = self.mix_id, self.bring("twin.wav", wav_bytes(2.0)).json()["id"]
        self.refused("No file is marked as the mix", [(mix, "music")])
        self.refused("No file is marked as the mix", [])
        self.refused("Two files are marked as the mix", [(mix, "mix"), (twin, "mix")])
        self.refused("are the same file", [(mix, "mix"), (twin, "music")])
        self.refused("needs a title", [(mix, "mix")], title=" ")
        self.refused("from 0 to 24", [(mix, "mix")], start_timecode="10:00:00:25")
        self.refused("no timecode", [(mix, "mix")], start_timecode="ten o'clock")
        self.refused("only at 29.97 and 59.94", [(mix, "mix")], start_timecode="10:00:00;00")
        self.refused("not here any more", [(999999, "mix")])
        self.refused("choose the files again", [(mix, "mix")], files="broken")
        self.refused("valid choice", [(mix, "mix")], frame_rate="17")

    def test_the_same_file_twice(self):
        self.ingest([(self.mix_id, "mix")])
        again = self.bring("copy.wav", wav_bytes(2.0)).json()["id"]
        answer = self.ingest([(again, "mix")], title="Another")
        self.assertIn("is here already as 1 Ebb, mix 1", answer.json()["error"])
        self.assertEqual(Mix.objects.count(), 1)

    def test_page_shows_programmes_and_rates(self):
        page = self.client.get(reverse("ingest", args=[self.production.pk]))
        self.assertContains(page, "29.97 drop-frame")
        self.assertContains(page, "a new programme")


class CaptionsTest(IntakeCase):
    WEBVTT = b"WEBVTT\n\n00:01.000 --> 00:03.000\nHigh water.\n\n00:05.000 --> 00:07.000\nLow water.\n"

    def test_taken_in_beside_the_mix(self):
        mix = self.bring("mix.wav", wav_bytes()).json()
        captions = self.bring("mix.vtt", self.WEBVTT).json()
        self.assertEqual(captions["facts"], {"captions": 2, "from_s": 1.0, "to_s": 7.0})
        self.assertEqual(self.ingest([(mix["id"], "mix"), (captions["id"], "captions")]).status_code, 201)
        made = Mix.objects.get()
        self.assertEqual((made.captions.name, made.tracks.count()), ("mix.vtt", 1))

    def test_what_is_no_caption_file_is_refused_and_leaves_nothing(self):
        answer = self.bring("mix.srt", b"hello there")
        self.assertContains(answer, "neither WebVTT nor SubRip", status_code=422)
        self.assertFalse(StoredFile.objects.exists())

    def test_one_file_of_captions_and_never_as_sound(self):
        mix, first = self.bring("mix.wav", wav_bytes()).json(), self.bring("a.vtt", self.WEBVTT).json()
        second = self.bring("b.vtt", self.WEBVTT + b"\n").json()
        answer = self.ingest([(mix["id"], "mix"), (first["id"], "captions"), (second["id"], "captions")])
        self.assertContains(answer, "Two files hold captions", status_code=422)
        for roles in ([(mix["id"], "captions")], [(mix["id"], "mix"), (first["id"], "music")]):
            self.assertEqual(self.ingest(roles).status_code, 422)
        self.assertFalse(Mix.objects.exists())
