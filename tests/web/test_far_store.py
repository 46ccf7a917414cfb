"""Everything works on a store that has no paths.

Files are copied for as long as somebody works on them, and no longer.
"""

import hashlib
import io
import tempfile
from pathlib import Path
from typing import ClassVar

import numpy as np
import soundfile
from django.conf import settings
from django.core.files.base import ContentFile
from django.core.files.storage import Storage, default_storage
from django.test import override_settings
from django.urls import reverse

from mezzavoce.config.refusals import Overtaken
from mezzavoce.dispatch import actions as dispatch
from mezzavoce.dispatch import excerpts, music
from mezzavoce.dispatch.models import Excerpt, ProposedMusic
from mezzavoce.dispatch.tokens import token_for
from mezzavoce.library import intake, surveys, uploads
from mezzavoce.library.models import Playback, Survey, Track
from mezzavoce.library.sounds import Piece
from mezzavoce.measuring import actions as measuring
from mezzavoce.measuring.core_requests import passage_sound, samples
from mezzavoce.measuring.models import Run
from mezzavoce.measuring.selectors import current_judgement
from mezzavoce.notes import actions as notes
from mezzavoce.notes.models import Mark
from mezzavoce.transcoding import playback
from tests.signals import chord, stereo, talk, write_wav
from tests.web.base import ProductionCase, prepare


class FarStore(Storage):
    """As a store of objects elsewhere: bytes by name, and no paths."""

    kept: ClassVar[dict[str, bytes]] = {}

    def _open(self, name, mode="rb"):
        return ContentFile(self.kept[name], name)

    def _save(self, name, content):
        self.kept[name] = content.read()
        return name

    def exists(self, name):
        return name in self.kept

    def delete(self, name):
        self.kept.pop(name, None)


class FarStoreTest(ProductionCase):
    def setUp(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        far = {"BACKEND": "tests.web.test_far_store.FarStore"}
        self.enterContext(
            override_settings(
                STORAGES=settings.STORAGES | {"default": far}, UPLOAD_DIR=folder / "up", WORK_DIR=folder / "work"
            )
        )

    def bring(self, name, signal):
        with tempfile.TemporaryDirectory() as folder:
            content = write_wav(Path(folder) / name, stereo(signal)).read_bytes()
        upload = uploads.begin(self.reviewer, self.production, name, len(content))
        uploads.add_piece(upload, 0, content, hashlib.sha256(content).hexdigest())
        with self.captureOnCommitCallbacks(execute=True):
            return uploads.finish(upload)

    def left_over(self):
        """What lies about on the disk, beside the locks of the slots."""
        return [
            p
            for root in (settings.WORK_DIR, settings.UPLOAD_DIR)
            for p in root.rglob("*")
            if p.is_file() and p.parent.name != "slots"
        ]

    def test_from_upload_to_excerpt(self):
        with self.assertRaises(NotImplementedError):
            default_storage.path("x")
        voice, music = talk(24, [(6, 12)]), chord(24, -24)
        sounds = {"mix": voice + music, "dialogue": voice, "music": music}
        pieces = [Piece(self.bring(f"{role}.wav", signal), role) for role, signal in sounds.items()]
        mix = intake.ingest(
            self.reviewer,
            self.production,
            intake.Ingest(files=pieces, frame_rate="25", start_timecode="00:00:00:00", title="Ebb"),
        )
        self.assertTrue(measuring.work_next())
        self.assertEqual(Run.objects.get().state, Run.State.MEASURED, Run.objects.get().error)
        self.assertTrue(current_judgement(mix).findings.exists())
        self.assertTrue(playback.work_next())
        self.assertEqual(Playback.objects.get().state, Playback.State.READY)
        self.assertEqual(len(samples(mix, 7.0, 0.1)["channels"]), 2)
        self.assertGreater(len(passage_sound(mix, "music", (6.0, 8.0))), 300_000)
        with tempfile.TemporaryDirectory() as folder:
            playback.listen(Track.objects.first().file, "", Path(folder) / "heard.mp4")
        notes.decide(self.reviewer, Mark.objects.filter(family="ducking").first(), mix, "note it")
        sent = dispatch.send(self.reviewer, prepare(self.reviewer, mix, [self.contact]))
        self.assertTrue(excerpts.work_next())
        self.assertEqual(Excerpt.objects.get().state, Excerpt.State.READY)
        token = token_for(sent.recipients.get().seed)
        part = self.client.get(
            reverse("editor-excerpt", args=[token, sent.items.get().pk]), headers={"Range": "bytes=4-7"}
        )
        self.assertEqual(b"".join(part.streaming_content), b"ftyp")
        proposed = self.client.get(reverse("editor-proposed", args=[token, sent.items.get().pk]))
        self.assertEqual(b"".join(proposed.streaming_content)[4:8], b"ftyp")
        self.written(mix, sent, token)
        self.assertEqual(self.left_over(), [])

    def written(self, mix, sent, token):
        """The music as proposed, asked for, written, and fetched through the link."""
        self.assertEqual(self.client.get(reverse("editor-music", args=[token])).status_code, 404)
        music.ask(self.reviewer, sent)
        with self.assertRaisesRegex(Overtaken, "is being written"):
            music.ask(self.reviewer, sent)
        self.assertTrue(music.work_next())
        row = ProposedMusic.objects.get()
        self.assertEqual(row.state, ProposedMusic.State.READY, row.error)
        # Whoever has only some of the notes does not get what all of them would make of the music.
        link = sent.recipients.get()
        items = list(link.items.all())
        link.items.clear()
        self.assertEqual(self.client.get(reverse("editor-music", args=[token])).status_code, 404)
        link.items.set(items)
        answer = self.client.get(reverse("editor-music", args=[token]))
        sound, rate = soundfile.read(io.BytesIO(b"".join(answer.streaming_content)))
        self.assertEqual((len(sound), rate), (round(mix.duration_s * rate), 48000))
        before = chord(24, -24)[9 * rate : 10 * rate]
        self.assertLess(np.abs(sound[9 * rate : 10 * rate, 0]).max(), 0.9 * np.abs(before).max())

    def test_looking_through_a_file(self):
        row = self.bring("mix.wav", talk(6, [(1, 4)]))
        self.assertIsNone(surveys.sounds_of(row))
        self.assertTrue(surveys.work_next())
        self.assertEqual(Survey.objects.get().state, Survey.State.READY)
        row.refresh_from_db()
        self.assertEqual(len(surveys.sounds_of(row)), 1)
        self.assertEqual(self.left_over(), [])
