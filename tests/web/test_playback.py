"""Picture and sound for the browser: byte ranges (RFC 9110), making proxies and excerpts, the store."""

import subprocess
import tempfile
from contextlib import suppress
from datetime import timedelta
from pathlib import Path
from unittest import mock

from django.core.files.storage import default_storage
from django.core.management import call_command
from django.db import transaction
from django.test import RequestFactory, SimpleTestCase, override_settings
from django.urls import reverse
from django.utils import timezone

from mezzavoce.dispatch import excerpts
from mezzavoce.dispatch.models import DispatchItem, Excerpt
from mezzavoce.library import serving, storage
from mezzavoce.library.models import Mix, Playback, StoredFile, Track
from mezzavoce.notes import actions as notes
from mezzavoce.notes.models import Mark
from mezzavoce.processes import ffmpeg
from mezzavoce.transcoding import playback, tasks
from mezzavoce.work.execution import NotWanted
from mezzavoce_core.errors import NotMeasurable
from mezzavoce_core.media.probe import probe
from tests.signals import sine, stereo, write_wav
from tests.web.base import ProductionCase, make_mix, stored
from tests.web.test_dispatch import DispatchCase


def film(folder, seconds=8):
    path = Path(folder) / "film.mov"
    wav = write_wav(Path(folder) / "s.wav", stereo(sine(-20, seconds)))
    subprocess.run(
        [
            "ffmpeg",
            "-v",
            "error",
            "-y",
            "-f",
            "lavfi",
            "-i",
            f"testsrc2=s=642x361:r=25:d={seconds}",
            "-i",
            str(wav),
            "-c:v",
            "mpeg4",
            "-c:a",
            "pcm_s24le",
            "-timecode",
            "10:00:00:00",
            str(path),
        ],
        check=True,
    )
    return path


class RangesTest(ProductionCase):
    def setUp(self):
        self.row = stored(self.production, b"0123456789")

    def get(self, header=None):
        request = RequestFactory().get("/", headers={"Range": header} if header else {})
        response = serving.serve(request, self.row, "video/mp4")
        body = b"".join(response.streaming_content) if response.streaming else response.content
        return response, body

    def test_whole(self):
        response, body = self.get()
        self.assertEqual((response.status_code, body, response["Accept-Ranges"]), (200, b"0123456789", "bytes"))

    def test_parts(self):
        for header, wanted, said in (
            ("bytes=0-3", b"0123", "0-3"),
            ("bytes=7-", b"789", "7-9"),
            ("bytes=-2", b"89", "8-9"),
            ("bytes=8-99", b"89", "8-9"),
            ("bytes=-99", b"0123456789", "0-9"),
        ):
            response, body = self.get(header)
            self.assertEqual(
                (response.status_code, body, response["Content-Range"]), (206, wanted, f"bytes {said}/10"), header
            )
            self.assertEqual(response["Content-Length"], str(len(wanted)))

    def test_not_satisfiable(self):
        for header in ("bytes=10-", "bytes=5-3"):
            response, _ = self.get(header)
            self.assertEqual((response.status_code, response["Content-Range"]), (416, "bytes */10"))

    def test_not_understood_means_the_whole(self):
        for header in ("bytes=-", "lines=1-2", "bytes=0-1,4-5"):
            self.assertEqual(self.get(header)[0].status_code, 200, header)


class PlaybackTest(ProductionCase):
    def mix_of(self, content, **facts):
        mix = make_mix(self.production, self.lead, **facts)
        Track.objects.filter(mix=mix).update(file=stored(self.production, content))
        return mix

    def test_a_film_becomes_playable(self):
        with tempfile.TemporaryDirectory() as folder:
            mix = self.mix_of(film(folder).read_bytes(), has_picture=True)
        tasks.make_playbacks()
        made = Playback.objects.get()
        self.assertEqual((made.state, made.error), ("ready", ""))
        with storage.local_copy(made.file) as path:
            facts = probe(path)
            self.assertAlmostEqual(facts.duration_s, 8.0, delta=0.1)
            self.assertTrue(facts.has_picture)
            self.assertIsNone(facts.start_timecode)
            target = path.with_suffix(".mp4")
            playback.cut(path, 2.0, 5.0, target, lambda: True)
            self.assertAlmostEqual(probe(target).duration_s, 3.0, delta=0.15)
            self.assertTrue(playback.still(path, 3.0, path.with_suffix(".jpg")))
            with self.assertRaises(NotMeasurable):
                playback.cut(path, 2.0, 5.0, Path("/nowhere/x.mp4"), lambda: True)
        self.client.force_login(self.guest)
        response = self.client.get(reverse("playback", args=[mix.pk]), headers={"Range": "bytes=0-99"})
        self.assertEqual((response.status_code, response["Content-Length"]), (206, "100"))
        self.client.force_login(self.stranger)
        self.assertEqual(self.client.get(reverse("playback", args=[mix.pk])).status_code, 404)

    def test_what_cannot_be_played_is_said_and_tried_no_more(self):
        self.mix_of(b"no sound")
        self.assertTrue(playback.work_next())
        made = Playback.objects.get()
        self.assertEqual(made.state, "failed")
        self.assertIn("the figures are not touched", made.error)
        self.assertFalse(playback.work_next())
        with mock.patch.object(playback.ffmpeg, "run", return_value="it took too long"):
            Playback.objects.update(state="waiting", attempts=0)
            playback.work_next()
        self.assertIn("took too long", Playback.objects.get().error)

    def test_ffmpeg_is_ended_when_it_takes_too_long_and_when_nobody_wants_it(self):
        endless = ["-f", "lavfi", "-i", "anullsrc", "-t", "100000"]
        with (
            tempfile.TemporaryDirectory() as folder,
            mock.patch.object(ffmpeg, "_ASK_EVERY_S", 0.2),
            mock.patch.object(ffmpeg, "GUARDED", ()),
        ):
            self.assertEqual(ffmpeg.run(endless, Path(folder) / "x.wav", 0.3), "it took too long")
            with self.assertRaises(NotWanted):
                ffmpeg.run(endless, Path(folder) / "x.wav", 60, lambda: False)

    def test_nobody_makes_it_twice_and_orphans_are_taken_up(self):
        mix = self.mix_of(b"x")
        Playback.objects.update(state="running", lease_until=timezone.now() + timedelta(minutes=1))
        self.assertFalse(playback.work_next())
        Playback.objects.update(lease_until=timezone.now() - timedelta(minutes=1))
        self.assertTrue(playback.work_next())
        self.assertEqual(self.client.get(reverse("playback", args=[mix.pk])).status_code, 302)


class ExcerptsTest(DispatchCase):
    def film_is_there(self):
        with tempfile.TemporaryDirectory() as folder:
            Track.objects.filter(mix=self.mix).update(file=stored(self.production, film(folder, 34).read_bytes()))
        Mix.objects.filter(pk=self.mix.pk).update(has_picture=True)
        self.assertTrue(playback.work_next())

    def test_cut_once(self):
        self.film_is_there()
        self.sent()
        self.assertTrue(excerpts.work_next())
        made, item = Excerpt.objects.get(), DispatchItem.objects.get()
        with storage.local_copy(made.clip) as path:
            self.assertAlmostEqual(
                probe(path).duration_s, item.content["out_s"] - item.content["in_s"] + 3.0, delta=0.2
            )
        self.assertEqual(made.still.kind, StoredFile.Kind.STILL)
        self.assertFalse(excerpts.work_next())
        self.assertContains(
            self.client.get(reverse("editor", args=[self.token])), reverse("editor-excerpt", args=[self.token, item.pk])
        )

    def test_without_playback_there_is_none(self):
        self.sent()
        self.assertFalse(excerpts.work_next())
        self.assertContains(self.client.get(reverse("editor", args=[self.token])), "are being prepared")

    def test_one_that_cannot_be_cut_is_told_and_does_not_keep_the_next_one_waiting(self):
        self.film_is_there()
        for mark in Mark.objects.exclude(pk=self.mark.pk):
            notes.decide(self.reviewer, mark, self.mix, "note it")
        self.sent()
        bad, *good = Excerpt.objects.order_by("pk").values_list("pk", flat=True)
        with mock.patch.object(excerpts, "span", side_effect=[ValueError("no such place"), *[(1.0, 2.0)] * len(good)]):
            tasks_done = sum(excerpts.work_next() for _ in range(1 + len(good)))
        self.assertEqual(tasks_done, 1 + len(good))
        self.assertEqual(set(Excerpt.objects.filter(pk__in=good).values_list("state", flat=True)), {"ready"})
        self.assertEqual(Excerpt.objects.get(pk=bad).state, "waiting")
        Excerpt.objects.filter(pk=bad).update(next_try=None, attempts=2)
        with mock.patch.object(excerpts, "span", side_effect=ValueError("no such place")):
            excerpts.work_next()
        self.assertEqual(Excerpt.objects.get(pk=bad).state, "failed")
        self.assertContains(
            self.client.get(reverse("editor", args=[self.token])), "There is no picture and sound of this passage"
        )


class StoreTest(ProductionCase):
    def test_a_users_name_is_never_a_path(self):
        row = stored(self.production, name="../../etc/passwd")
        self.assertRegex(row.storage_name, r"^[0-9a-f]{2}/[0-9a-f]{32}$")

    def test_dropping_waits_for_the_commit(self):
        row = stored(self.production)
        name = row.storage_name
        with self.captureOnCommitCallbacks(execute=True):
            storage.drop(row)
            self.assertTrue(default_storage.exists(name))
        self.assertFalse(default_storage.exists(name))

    def test_a_transaction_that_fails_loses_no_file(self):
        with storage.work_folder() as folder:
            path = folder / "x"
            path.write_bytes(b"whole")
            with suppress(RuntimeError), transaction.atomic():
                storage.keep(path, self.production, StoredFile.Kind.MEDIA, "x")
                raise RuntimeError
            self.assertEqual(path.read_bytes(), b"whole")
        self.assertFalse(StoredFile.objects.filter(name="x").exists())


class StaticTest(SimpleTestCase):
    def test_hashed_modules_can_be_collected(self):
        with tempfile.TemporaryDirectory() as folder:
            backend = {"BACKEND": "mezzavoce.config.staticfiles.HashedModules"}
            with override_settings(
                STATIC_ROOT=folder,
                STORAGES={
                    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
                    "staticfiles": backend,
                },
            ):
                call_command("collectstatic", interactive=False, verbosity=0)
            (main,) = (Path(folder) / "js" / "review").glob("main.????????????.js")
            self.assertRegex(main.read_text(), r'from "\.\./timeline/timecode\.[0-9a-f]{12}\.js"')
