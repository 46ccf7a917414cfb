"""Whatever somebody sends to whichever address.

The answer is a sentence, JSON for scripts and a page for people, and never an error of ours.
"""

import json
import re

from django.test import override_settings
from django.urls import URLPattern, get_resolver, reverse
from django.utils import timezone

from mezzavoce.config.inputs import number, one_line, whole
from mezzavoce.config.refusals import Refused
from mezzavoce.dispatch.models import Answer
from mezzavoce.library import actions as library
from mezzavoce.library.models import StoredFile
from mezzavoce.notes import for_all
from mezzavoce.notes.models import Note
from mezzavoce.people import members
from mezzavoce.recheck.models import Recheck, SignOff
from tests.web.base import ProductionCase, make_mix
from tests.web.test_dispatch import DispatchCase

DIGITS = "9" * 5000
BAD = (
    "",
    "²",
    "٣",
    "-1",
    "0",
    "1e400",
    "NaN",
    "Infinity",
    DIGITS,
    "9" * 19,
    "abc",
    "n" * 101,
    "\x00",
    "\u202etxt",
    "💥",
    "'; DROP TABLE x; --",
    "{}",
    "[" * 100_000,
    '[{"id": Infinity}]',
    f'[{{"id": {DIGITS}}}]',
    '[{"id": 1, "role": {}, "tracks": []}]',
    "10:00:00:99",
    "../../etc/passwd",
)
CONTENT = {
    "production": "P",
    "programme": "2 Low Water",
    "mix": 1,
    "files": [],
    "spec": "EBU R 128, version 1",
    "figures": [],
    "waivers": [],
    "remarks": [],
    "made_by": "Mezzavoce",
    "by": "Lead",
    "at": "2026-12-02T10:00:00+00:00",
}
# Every name that a view reads from a query or a form.
FIELDS = [
    "about",
    "action",
    "addressee",
    "alike",
    "alternative",
    "answers_by_mail",
    "at",
    "attached",
    "back",
    "before",
    "change",
    "choice",
    "client_key",
    "contact",
    "copy",
    "covering",
    "due",
    "file",
    "files",
    "first-from",
    "first-to",
    "format",
    "found",
    "frame_rate",
    "from",
    "gain",
    "in",
    "instead-from",
    "instead-to",
    "kind",
    "layout",
    "length",
    "light",
    "list",
    "mail",
    "mark",
    "media_days",
    "modified",
    "name",
    "new",
    "next",
    "note",
    "number",
    "old",
    "out",
    "pairs",
    "part",
    "password",
    "person",
    "programme",
    "reason",
    "remedy",
    "reminds",
    "role",
    "seen",
    "severity",
    "size",
    "spec",
    "start_timecode",
    "text",
    "upload",
    "title",
    "to",
    "tracks",
    "username",
    "usual",
    "version",
    "what",
    "words_again",
]
HEADERS = ("Range", "Upload-Offset", "Upload-SHA256", "Accept", "Referer", "Cookie")


def addresses(patterns=None, prefix=""):
    """Every address of the application with the names of its parameters."""
    for pattern in patterns if patterns is not None else get_resolver().url_patterns:
        if isinstance(pattern, URLPattern):
            yield pattern.name, re.findall(r"<\w+:(\w+)>", f"{prefix}{pattern.pattern}")
        else:
            yield from addresses(pattern.url_patterns, f"{prefix}{pattern.pattern}")


class EveryAddressCase(DispatchCase):
    def setUp(self):
        super().setUp()
        self.client.raise_request_exception = False
        self.dispatch = self.sent()
        other = make_mix(self.production, self.lead, 2)
        self.known = {
            "production_id": self.production.pk,
            "contact_id": self.contact.pk,
            "recheck_id": Recheck.objects.create(
                mark=self.mark, former=self.mix, mix=other, result="same", lacks=1.0, unit="LU"
            ).pk,
            "name": "csv",
            "sign_off_id": SignOff.objects.create(
                mix=other, by=self.lead, at=timezone.now(), content=CONTENT, fingerprint="x"
            ).pk,
            "mix_id": self.mix.pk,
            "mark_id": self.mark.pk,
            "note_id": Note.objects.first().pk,
            "series_note_id": for_all.add(self.lead, self.production, "Breaths", "Keep them.", "note").pk,
            "dispatch_id": self.dispatch.pk,
            "delivery_id": self.recipient.delivery.pk,
            "recipient_id": self.recipient.pk,
            "item_id": self.dispatch.items.get().pk,
            "answer_id": Answer.objects.create(
                recipient=self.recipient, item=self.dispatch.items.get(), what="question", reason="?", client_key="q"
            ).pk,
            "token": self.token,
            "run_id": self.mix.runs.first().pk,
            "file_id": other.tracks.get().file_id,
            "spec_id": self.production.spec_version.spec_id,
            "key": "0" * 8 + "-0000-4000-8000-" + "0" * 12,
            "role": "reviewer",
            "mail_id": 1,
            "person_id": self.guest.pk,
            "membership_id": self.production.memberships.get(person=self.lead).pk,
            "link_id": members.invite(self.lead, self.production, "mara@house.example", "guest").pk,
            "programme_id": self.mix.programme_id,
        }

    def every(self):
        for name, parameters in addresses():
            # Signing out would end the test's session; health may well be bad.
            if name not in ("sign-out", "sign-out-everywhere", "demo-sign-in", "health", "figures"):
                yield name, reverse(name, kwargs={p: self.known[p] for p in parameters})

    def check(self, response, told):
        self.assertLess(response.status_code, 500, told)
        if response.status_code >= 400 and response.status_code not in (405, 416):
            self.assertTrue(response.content, told)
            self.assertNotIn(b"Traceback", response.content)


class BadValuesTest(EveryAddressCase):
    def sweep(self, ask, values=BAD):
        asked = 0
        for name, address in self.every():
            for value in values:
                response = ask(address, value)
                self.check(response, f"{name} {value[:40]!r}")
                asked += 1
        self.assertGreater(asked, 400)

    def test_in_every_query(self):
        self.client.force_login(self.reviewer)
        # An address holds some thousand signs at most; what is longer comes in forms.
        short = [value for value in BAD if len(value) < 6000][::2]
        self.sweep(lambda address, value: self.client.get(address, dict.fromkeys(FIELDS, value)), short)

    def test_in_every_form(self):
        self.client.force_login(self.lead)
        programmes = {f"programme-{p.pk}": "²" for p in self.production.programmes.all()}
        self.sweep(
            lambda address, value: self.client.post(
                address, dict.fromkeys(FIELDS, value) | programmes, headers={"Accept": "application/json"}
            )
        )

    def test_in_every_field_by_itself(self):
        """With the others left out, so that none of them is refused first."""
        self.client.force_login(self.lead)
        for name, address in self.every():
            if self.client.post(address).status_code == 405:
                continue
            for field in FIELDS:
                self.check(
                    self.client.post(address, {field: "²"}, headers={"Accept": "application/json"}), f"{name} {field}"
                )

    def test_in_every_header(self):
        self.client.force_login(self.reviewer)
        for value in ("bytes=" + DIGITS, "bytes=" + DIGITS + "-", "bytes=-" + DIGITS, "²", "x" * 4000):
            for name, address in self.every():
                headers = {h: value for h in HEADERS if h != "Cookie"}
                self.check(self.client.get(address, headers=headers), f"{name} {value[:20]}")

    def test_in_every_number_of_an_address(self):
        self.client.force_login(self.reviewer)
        for name, parameters in addresses():
            for parameter in (p for p in parameters if p.endswith("_id")):
                for value in (0, 2**31, 2**63, 10**30):
                    address = reverse(name, kwargs={p: value if p == parameter else self.known[p] for p in parameters})
                    self.check(self.client.get(address), f"{name} {value}")

    def test_spec_files(self):
        self.client.force_login(self.lead)
        limits = '{"name": "x", "limits": {"clearance_lu": %s}}'
        for content in (
            b"[" * 100_000,
            b"\xff\xfe",
            b"",
            *(limits.encode() % v.encode() for v in (DIGITS, "1e999", "Infinity", "NaN", "-Infinity", '"10"')),
        ):
            from django.core.files.uploadedfile import SimpleUploadedFile

            file = SimpleUploadedFile("spec.json", content)
            answer = self.client.post(
                reverse("spec-bring-in", args=[self.production.pk]),
                {"file": file},
                headers={"Accept": "application/json"},
            )
            self.assertEqual(answer.status_code, 422, content[:60])
            self.assertTrue(answer.json()["error"])

    def test_more_than_is_taken(self):
        self.client.force_login(self.lead)
        answer = self.client.post(
            reverse("light"), {f"field-{k}": "x" for k in range(1100)}, headers={"Accept": "application/json"}
        )
        self.assertEqual((answer.status_code, list(answer.json())), (400, ["error"]))
        page = self.client.post(reverse("light"), {f"field-{k}": "x" for k in range(1100)})
        self.assertContains(page, "could not read this", status_code=400)


class AnswersTest(EveryAddressCase):
    def test_scripts_get_json_and_people_a_page(self):
        self.client.force_login(self.reviewer)
        for address, status in (
            (reverse("samples", args=[self.mix.pk]), 422),
            (reverse("mix", args=[99999]), 404),
            ("/nowhere/", 404),
            (reverse("listen", args=[self.known["file_id"]]) + "?tracks=abc", 422),
        ):
            self.assertEqual(
                list(self.client.get(address, headers={"Accept": "application/json"}).json()), ["error"], address
            )
            self.assertContains(self.client.get(address), "<h1>", status_code=status)

    def test_scripts_of_somebody_signed_out_are_told(self):
        answer = self.client.get(reverse("mix-state", args=[self.mix.pk]), headers={"Accept": "application/json"})
        self.assertEqual(answer.status_code, 401)
        self.assertIn("You are signed out", answer.json()["error"])

    @override_settings(DEBUG=False)
    def test_an_error_of_ours_is_a_sentence_too(self):
        self.client.force_login(self.reviewer)
        from unittest import mock

        with mock.patch("mezzavoce.screens.review_views.review", side_effect=ZeroDivisionError):
            answer = self.client.get(reverse("mix-state", args=[self.mix.pk]), headers={"Accept": "application/json"})
            self.assertEqual((answer.status_code, list(answer.json())), (500, ["error"]))
            self.assertContains(
                self.client.get(reverse("mix", args=[self.mix.pk])), "Nothing of yours is lost", status_code=500
            )


class PermissionFirstTest(EveryAddressCase):
    # What a guest may send: how pages look, what is their own, and what a link opens for whoever has it.
    OPEN = (
        "light",
        "sign-in",
        "editor-answer",
        "editor-answer-all",
        "editor-upload",
        "editor-upload-piece",
        "editor-upload-done",
        "editor-mix",
        "editor-table",
        "change-own",
        "put-away",
        "change-password",
        "ask-for-password",
        "first-account",
        "invitation",
        "new-password",
    )

    def test_who_may_not_is_told_so_whatever_was_in_the_form(self):
        """The form of somebody who may not do a thing is not read."""
        self.client.force_login(self.guest)
        before = Note.objects.count(), StoredFile.objects.count()
        for name, address in self.every():
            response = self.client.post(address, {}, headers={"Accept": "application/json"})
            if response.status_code == 405 or name in self.OPEN:
                continue
            self.assertIn(response.status_code, (403, 404), f"{name}: {response.content[:200]}")
            if name not in ("upload-done", "upload-piece", "mailbox-body", "mailbox-attachment"):
                self.assertEqual(response.status_code, 403, name)
        self.assertEqual((Note.objects.count(), StoredFile.objects.count()), before)

    def test_a_reviewer_refused_a_leads_deed_is_told_that(self):
        self.client.force_login(self.reviewer)
        answer = self.client.post(
            reverse("spec-choose", args=[self.production.pk, self.known["spec_id"]]),
            headers={"Accept": "application/json"},
        )
        self.assertEqual(answer.status_code, 403)
        self.assertIn("As a reviewer you may decide and send notes", answer.json()["error"])


class ValuesTest(ProductionCase):
    def test_numbers(self):
        self.assertEqual(
            [whole(v) for v in ("12", "0", "²", "-1", "1.5", DIGITS, "", None)],
            [12, 0, None, None, None, None, None, None],
        )
        self.assertEqual(
            [number(v) for v in ("1.5", " 2 ", "-3", "1e3", "1e400", "nan", "inf", DIGITS, None)],
            [1.5, 2, -3, 1000, *[None] * 5],
        )

    def test_one_line(self):
        self.assertEqual(one_line(" Low\r\nWater\u202e \x07 ", 20, "A title"), "Low Water")
        with self.assertRaisesRegex(Refused, "A title may have 5 characters"):
            one_line("abcdef", 5, "A title")

    def test_a_long_title_goes_through_everything(self):
        programme = library.plan_programme(self.reviewer, self.production, 9, "T" * 160)
        self.assertEqual(self.production.audit_entries.last().target, str(programme)[:200])

    def test_a_spec_of_another_production_is_not_here(self):
        other = library.start_production(self.lead, "Other", library.preset_version("EBU R 128"))
        from mezzavoce.library import specs

        foreign = specs.bring_in(self.lead, other, json.dumps({"name": "x", "limits": {}}).encode())
        self.client.force_login(self.lead)
        self.assertEqual(self.client.get(reverse("spec", args=[self.production.pk, foreign.pk])).status_code, 404)
        self.assertEqual(self.client.get(reverse("spec", args=[other.pk, foreign.pk])).status_code, 200)
