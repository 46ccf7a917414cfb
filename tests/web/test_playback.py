"""Picture and sound for the browser: byte ranges (RFC 9110), making proxies and excerpts, the store."""

import subprocess
import tempfile
from datetime import timedelta
from pathlib import Path
from unittest import mock

from django.core.files.storage import default_storage
from django.core.management import call_command
from django.test import RequestFactory, SimpleTestCase, override_settings
from django.urls import reverse
from django.utils import timezone

from mezzavoce.dispatch.excerpts import make_excerpts
from mezzavoce.dispatch.models import DispatchItem
from mezzavoce.library import playback, serving, storage, tasks
from mezzavoce.library.models import Mix, StoredFile, Track
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
            self.assertEqual((response.status_code, body, response["Content-Range"]), (206, wanted, f"bytes {said}/10"), header)
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
        self.assertEqual(playback.waiting_mixes(), [mix.pk])
        tasks.sweep_playback()
        mix.refresh_from_db()
        self.assertEqual((mix.playback_state, mix.playback_error), ("ready", ""))
        with storage.local_copy(mix.playback) as path:
            facts = probe(path)
            self.assertAlmostEqual(facts.duration_s, 8.0, delta=0.1)
            self.assertTrue(facts.has_picture)
            self.assertIsNone(facts.start_timecode)
            target = path.with_suffix(".mp4")
            playback.cut(path, 2.0, 5.0, target)
            self.assertAlmostEqual(probe(target).duration_s, 3.0, delta=0.15)
            self.assertTrue(playback.still(path, 3.0, path.with_suffix(".jpg")))
            with self.assertRaises(RuntimeError):
                playback.cut(path, 2.0, 5.0, Path("/nowhere/x.mp4"))
        self.client.force_login(self.guest)
        response = self.client.get(reverse("playback", args=[mix.pk]), headers={"Range": "bytes=0-99"})
        self.assertEqual((response.status_code, response["Content-Length"]), (206, "100"))
        self.client.force_login(self.stranger)
        self.assertEqual(self.client.get(reverse("playback", args=[mix.pk])).status_code, 404)

    def test_what_cannot_be_played_is_said_and_tried_no_more(self):
        mix = self.mix_of(b"no sound")
        tasks.make_playback(mix.pk)
        mix.refresh_from_db()
        self.assertEqual(mix.playback_state, "failed")
        self.assertIn("the figures are not touched", mix.playback_error)
        self.assertFalse(playback.make_playback(mix.pk))
        with mock.patch("subprocess.run", side_effect=subprocess.TimeoutExpired("x", 1)):
            Mix.objects.update(playback_state="waiting")
            playback.make_playback(mix.pk)
        mix.refresh_from_db()
        self.assertIn("took too long", mix.playback_error)

    def test_nobody_makes_it_twice_and_orphans_are_taken_up(self):
        mix = self.mix_of(b"x")
        Mix.objects.update(playback_state="making", playback_lease=timezone.now() + timedelta(minutes=1))
        self.assertFalse(playback.make_playback(mix.pk))
        self.assertEqual(playback.waiting_mixes(), [])
        Mix.objects.update(playback_lease=timezone.now() - timedelta(minutes=1))
        self.assertEqual(playback.waiting_mixes(), [mix.pk])
        self.assertTrue(playback.make_playback(mix.pk))
        self.assertEqual(self.client.get(reverse("playback", args=[mix.pk])).status_code, 302)


class ExcerptsTest(DispatchCase):
    def test_cut_once(self):
        with tempfile.TemporaryDirectory() as folder:
            Track.objects.filter(mix=self.mix).update(file=stored(self.production, film(folder, 34).read_bytes()))
        Mix.objects.filter(pk=self.mix.pk).update(has_picture=True)
        dispatch = self.sent()
        make_excerpts(dispatch.pk)
        item = DispatchItem.objects.get()
        with storage.local_copy(item.excerpt) as path:
            self.assertAlmostEqual(probe(path).duration_s, item.content["out_s"] - item.content["in_s"] + 3.0, delta=0.2)
        self.assertEqual(item.still.kind, StoredFile.Kind.STILL)
        before = item.excerpt_id
        make_excerpts(dispatch.pk)
        self.assertEqual(DispatchItem.objects.get().excerpt_id, before)
        self.assertContains(self.client.get(reverse("editor", args=[self.token])), reverse("editor-excerpt", args=[self.token, item.pk]))

    def test_without_playback_there_is_none(self):
        make_excerpts(self.sent().pk)
        self.assertIsNone(DispatchItem.objects.get().excerpt)
        self.assertContains(self.client.get(reverse("editor", args=[self.token])), "are being prepared")


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

    def test_a_store_without_paths(self):
        row = stored(self.production, b"far away")
        with mock.patch.object(type(default_storage._wrapped), "path", side_effect=NotImplementedError):
            pass
        with mock.patch("mezzavoce.library.storage.default_storage") as store:
            store.path.side_effect = NotImplementedError
            store.open.side_effect = lambda _name: default_storage.open(row.storage_name)
            with storage.local_copy(row) as path:
                self.assertEqual(path.read_bytes(), b"far away")
            self.assertFalse(path.exists())
            with storage.work_folder() as folder:
                (folder / "x").write_bytes(b"y")
                kept = storage.keep(folder / "x", self.production, StoredFile.Kind.MEDIA, "x")
            self.assertEqual(store.save.call_args.args[0], kept.storage_name)


class StaticTest(SimpleTestCase):
    def test_hashed_modules_can_be_collected(self):
        with tempfile.TemporaryDirectory() as folder:
            backend = {"BACKEND": "mezzavoce.config.staticfiles.HashedModules"}
            with override_settings(
                STATIC_ROOT=folder, STORAGES={"default": {"BACKEND": "django.core.files.storage.FileSystemStorage"}, "staticfiles": backend}
            ):
                call_command("collectstatic", interactive=False, verbosity=0)
            (main,) = (Path(folder) / "js" / "review").glob("main.????????????.js")
            self.assertRegex(main.read_text(), r'from "\.\./timeline/timecode\.[0-9a-f]{12}\.js"')
