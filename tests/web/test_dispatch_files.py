"""The frozen notes of a dispatch as files, for members and through a personal link."""

import json

import jsonschema
from django.urls import reverse

from mezzavoce.dispatch.files import sheet_of
from mezzavoce.dispatch.models import DispatchItem
from mezzavoce.notes import actions as notes
from mezzavoce_core.exchange.sheets.data import schema
from mezzavoce_core.exchange.sheets.formats import FORMATS
from tests.web.test_dispatch import DispatchCase


class FilesTest(DispatchCase):
    def setUp(self):
        super().setUp()
        self.dispatch = self.sent()
        self.client.force_login(self.guest)

    def read(self, name, address="dispatch-file", key=None):
        response = self.client.get(reverse(address, args=[key or self.dispatch.pk, name]))
        self.assertEqual(response.status_code, 200, name)
        return response, b"".join(response.streaming_content)

    def test_every_format_by_page_and_link(self):
        for name, form in FORMATS.items():
            response, own = self.read(name)
            self.assertIn(f'filename="1-low-water-mix-1-notes.{form.ending}"', response["Content-Disposition"])
            self.assertEqual(response["Content-Type"], form.media_type)
            self.client.logout()
            _, through_link = self.read(name, "editor-file", self.token)
            self.assertEqual(own, through_link, name)
            self.client.force_login(self.guest)
        self.assertContains(self.client.get(reverse("dispatch", args=[self.dispatch.pk])), "to be printed")
        self.assertContains(self.client.get(reverse("editor", args=[self.token])), "to be printed")

    def test_as_it_was_sent_whatever_became_of_the_note(self):
        _, before = self.read("json")
        jsonschema.validate(json.loads(before), schema())
        notes.decide(self.reviewer, self.mark, self.mix, "not a fault")
        self.assertEqual(self.read("json")[1], before)
        (told,) = json.loads(before)["notes"]
        self.assertEqual((told["mark"], told["unit"], len(told["points"])), (self.mark.label, "LU", 4))

    def test_one_that_was_frozen_by_an_older_version(self):
        item = DispatchItem.objects.get()
        new = sheet_of(self.dispatch, self.dispatch.items.all())
        for name in ("kind", "measured", "limit", "unit"):
            del item.content[name]
        item.content["points"] = [{"timecode": p["timecode"], "gain": p["gain"]} for p in item.content["points"]]
        item.save()
        old = sheet_of(self.dispatch, type(self.dispatch).objects.get(pk=self.dispatch.pk).items.all())
        for a, b in zip(old.notes[0].points, new.notes[0].points, strict=True):
            self.assertAlmostEqual(a.at_s, b.at_s, delta=0.04)
            self.assertAlmostEqual(a.gain_db, b.gain_db, delta=0.05)
        self.assertEqual(json.loads(self.read("json")[1])["notes"][0]["measured"], None)

    def test_who_may(self):
        self.assertEqual(self.client.get(reverse("dispatch-file", args=[self.dispatch.pk, "docx"])).status_code, 404)
        self.client.force_login(self.stranger)
        self.assertEqual(self.client.get(reverse("dispatch-file", args=[self.dispatch.pk, "csv"])).status_code, 404)
        wrong = "x" * len(self.token)
        self.assertEqual(self.client.get(reverse("editor-file", args=[wrong, "csv"])).status_code, 404)
        self.recipient.withdrawn = True
        self.recipient.save()
        self.assertEqual(self.client.get(reverse("editor-file", args=[self.token, "csv"])).status_code, 404)
