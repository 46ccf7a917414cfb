"""A new mix that an editor hands in through the personal link."""

import hashlib
import tempfile
from pathlib import Path

from django.urls import reverse

from mezzavoce.accounts.models import AuditEntry
from mezzavoce.dispatch import actions as dispatch
from mezzavoce.dispatch.models import Recipient
from mezzavoce.dispatch.tokens import token_for
from mezzavoce.library import productions, uploads
from mezzavoce.library.models import Mix, Upload
from mezzavoce.measuring.models import Run
from tests.signals import chord, stereo, talk, write_wav
from tests.web.test_follow_ups import LoopCase

JSON = {"Accept": "application/json"}


class HandInTest(LoopCase):
    def setUp(self):
        super().setUp()
        self.dispatch = self.send()
        self.recipient = self.link(self.dispatch)
        self.token = token_for(self.recipient.seed)
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.allow()
        self.client.logout()

    def allow(self, *, editors_hand_in=True):
        usual = productions.Usual(self.production.name, editors_hand_in=editors_hand_in)
        productions.settle(self.lead, self.production, usual)

    def to(self, name, *more, token=None):
        return reverse(name, args=[token or self.token, *more])

    def bring(self, name, signal):
        content = write_wav(self.folder / name, stereo(signal)).read_bytes()
        told = self.client.post(
            self.to("editor-upload"), {"name": name, "size": len(content), "modified": 1}, headers=JSON
        ).json()
        headers = {"Upload-Offset": "0", "Upload-SHA256": hashlib.sha256(content).hexdigest()} | JSON
        piece = self.client.put(told["address"], content, content_type="application/octet-stream", headers=headers)
        self.assertEqual(piece.json()["received"], len(content))
        done = self.to("editor-upload-done", told["key"])
        self.assertEqual(self.client.post(done, headers=JSON).status_code, 202)
        self.assertTrue(uploads.work_next())
        self.assertEqual(self.client.get(done, headers=JSON).json()["name"], name)
        return told["key"]

    def hand_in(self, *files):
        keys, roles = zip(*files, strict=True)
        return self.client.post(self.to("editor-mix"), {"upload": keys, "role": roles}, headers=JSON)

    def test_a_new_mix_with_its_stems(self):
        self.assertContains(self.page(self.recipient), "Hand in the new mix")
        voice, music = talk(8, [(2, 5)]), chord(8, -30)
        files = [
            (self.bring("Ebb mix 2.wav", voice + music), "mix"),
            (self.bring("Ebb DX.wav", voice), "dialogue"),
            (self.bring("Ebb MX.wav", music), "music"),
        ]
        answer = self.hand_in(*files)
        self.assertIn("Mix 2 is here", answer.json()["words"])
        mix = Mix.objects.get(number=2)
        self.assertEqual(
            (mix.programme, mix.label, mix.frame_rate, mix.start_timecode, mix.ingested_by),
            (self.mix.programme, self.mix.label, "25", "10:00:00:00", self.reviewer),
        )
        self.assertEqual(sorted(mix.tracks.values_list("role", flat=True)), ["dialogue", "mix", "music"])
        self.assertTrue(Run.objects.filter(mix=mix, state=Run.State.WAITING).exists())
        self.assertTrue(AuditEntry.objects.filter(actor=None, action="hand in a mix").exists())
        # The same file once more is no new mix.
        again = self.hand_in((self.bring("Ebb mix 2.wav", voice + music), "mix"))
        self.assertEqual((again.status_code, "here already as" in again.json()["error"]), (422, True))

    def test_where_the_production_does_not_take_them(self):
        self.allow(editors_hand_in=False)
        self.assertNotContains(self.page(self.recipient), "Hand in the new mix")
        for name, said in (("editor-upload", {"name": "x.wav", "size": 9}), ("editor-mix", {})):
            answer = self.client.post(self.to(name), said, headers=JSON)
            self.assertEqual(answer.status_code, 403)
            self.assertIn("does not take mixes through links", answer.json()["error"])

    def test_a_copy_and_a_link_that_was_withdrawn(self):
        Recipient.objects.filter(pk=self.recipient.pk).update(is_copy=True)
        self.assertEqual(self.client.post(self.to("editor-mix"), headers=JSON).status_code, 403)
        Recipient.objects.filter(pk=self.recipient.pk).update(is_copy=False)
        dispatch.withdraw_link(self.reviewer, self.recipient)
        answer = self.client.post(self.to("editor-upload"), {"name": "x.wav", "size": 9}, headers=JSON)
        self.assertIn("opens nothing any more", answer.json()["error"])

    def test_what_has_not_arrived_or_is_somebody_elses(self):
        told = self.client.post(self.to("editor-upload"), {"name": "x.wav", "size": 9}, headers=JSON).json()
        self.assertIn("wait until it has arrived", self.hand_in((told["key"], "mix")).json()["error"])
        self.assertEqual(self.client.post(self.to("editor-mix"), headers=JSON).status_code, 422)
        self.assertEqual(self.hand_in(("no key", "mix")).status_code, 404)
        foreign = uploads.begin(self.lead, self.production, "theirs.wav", 9)
        self.assertEqual(self.hand_in((str(foreign.key), "mix")).status_code, 404)
        self.assertEqual(Upload.objects.count(), 2)
        self.assertEqual(Mix.objects.count(), 1)

    def test_whoever_sent_it_has_left(self):
        self.production.memberships.filter(person=self.reviewer).delete()
        told = self.client.post(self.to("editor-upload"), {"name": "x.wav", "size": 9}, headers=JSON).json()
        self.assertEqual(Upload.objects.get(key=told["key"]).person, self.lead)
