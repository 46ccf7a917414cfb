"""Preparing, sending, the mail itself, the editor's link and answers."""

import csv
import io
import re
from datetime import timedelta
from email import message_from_bytes, policy
from unittest import mock

from django.conf import settings
from django.core import mail
from django.urls import reverse
from django.utils import timezone

from mezzavoce.config.refusals import NotAllowed, Overtaken, Refused
from mezzavoce.dispatch import actions, excerpts, mails, tasks
from mezzavoce.dispatch.models import Answer, Delivery, Dispatch, Recipient
from mezzavoce.dispatch.tokens import hash_of, new_seed, token_for
from mezzavoce.library.models import StoredFile
from mezzavoce.notes import actions as notes
from mezzavoce.notes.editing import word_note
from mezzavoce.notes.models import Mark, Note
from tests.web.base import ProductionCase, make_mix, measure_mix, prepare, stored


class DispatchCase(ProductionCase):
    def setUp(self):
        self.mix = make_mix(self.production, self.lead)
        measure_mix(self.mix)
        self.mark = Mark.objects.get(kind="duck-missing")
        notes.decide(self.reviewer, self.mark, self.mix, "note it")

    def prepare(self):
        return prepare(self.reviewer, self.mix, [self.contact])

    def sent(self):
        dispatch = actions.send(self.reviewer, self.prepare())
        self.recipient = dispatch.recipients.get()
        self.token = token_for(self.recipient.seed)
        return dispatch


class PrepareTest(DispatchCase):
    def test_frozen_content(self):
        dispatch = self.prepare()
        content = dispatch.items.get().content
        self.assertEqual((content["label"], content["in_timecode"]), (self.mark.label, "10:00:24:00"))
        self.assertEqual(len(content["points"]), 4)
        self.assertEqual(dispatch.subject, "1 Low Water, mix 1: 1 note")
        self.assertEqual(Delivery.objects.get().state, Delivery.State.PREPARED)

    def test_what_is_missing_is_said(self):
        with self.assertRaisesRegex(Refused, "at least one addressee"):
            prepare(self.reviewer, self.mix, [])
        notes.undo(self.reviewer, self.mix)
        with self.assertRaisesRegex(Refused, "no note to send"):
            self.prepare()
        with self.assertRaises(NotAllowed):
            prepare(self.guest, self.mix, [self.contact])

    def test_preparing_again_replaces(self):
        first, second = self.prepare(), self.prepare()
        first.refresh_from_db()
        self.assertEqual((first.state, second.state), (Dispatch.State.DROPPED, Dispatch.State.PREPARED))
        with self.assertRaises(Overtaken):
            actions.send(self.reviewer, first)

    def test_a_note_changed_since_is_not_sent_unseen(self):
        dispatch = self.prepare()
        word_note(self.lead, Note.objects.get(), "Other words", 1)
        with self.assertRaisesRegex(Overtaken, "changed after this preview"):
            actions.send(self.reviewer, dispatch)
        self.assertEqual(Note.objects.get().state, Note.State.WRITTEN)


class SendTest(DispatchCase):
    def deliver(self):
        self.sent()
        self.assertTrue(mails.send_next())
        return message_from_bytes(mail.outbox[-1].message().as_bytes(), policy=policy.default)

    def test_mail_read_by_its_parser_is_the_preview(self):
        message = self.deliver()
        delivery = Delivery.objects.get()
        link = mails.link_of(self.recipient)
        self.assertEqual(message["To"], "Ines Editor <ines@cut.example>")
        self.assertEqual(message["Reply-To"], f"Reviewer <{self.reviewer.mail}>")
        text = message.get_body("plain").get_content()
        html = message.get_body("html").get_content()
        self.assertEqual(text.strip(), mails.with_link(delivery.text, link).strip())
        self.assertEqual(html.strip(), mails.with_link(delivery.html, link).strip())
        self.assertIn(link, text)
        self.assertIn(link, html)
        self.assertNotIn(settings.LINK_PLACE, text + html)
        self.assertEqual((delivery.state, delivery.message_id), (Delivery.State.SENT, message["Message-ID"]))

    def test_csv_read_back(self):
        (attached,) = (p for p in self.deliver().walk() if p.get_filename())
        (row,) = csv.DictReader(io.StringIO(attached.get_content(), newline=""))
        self.assertEqual(
            (row["mark"], row["in"], row["severity"]),
            (self.mark.label, "10:00:24:00", self.mark.placements.get().severity),
        )
        self.assertEqual(row["note"], Note.objects.get().text)
        self.assertEqual(len(row["points"].split("; ")), 4)

    def test_sent_once(self):
        dispatch = self.sent()
        with self.assertRaisesRegex(Overtaken, "sent already"):
            actions.send(self.reviewer, dispatch)
        self.assertEqual(Note.objects.get().state, Note.State.SENT)
        self.assertTrue(mails.send_next())
        self.assertFalse(mails.send_next())
        self.assertEqual(len(mail.outbox), 1)

    def test_a_server_that_is_away_is_asked_again_and_then_it_is_said(self):
        self.sent()
        with mock.patch(
            "django.core.mail.backends.locmem.EmailBackend.open", side_effect=ConnectionRefusedError("refused")
        ):
            self.assertTrue(mails.send_next())
            waiting = Delivery.objects.get()
            self.assertEqual((waiting.state, waiting.attempts), (Delivery.State.WAITING, 1))
            self.assertGreater(waiting.next_try, timezone.now())
            self.assertFalse(mails.send_next())
            Delivery.objects.update(attempts=5, next_try=None)
            tasks.send_mail()
        failed = Delivery.objects.get()
        self.assertEqual(failed.state, Delivery.State.FAILED)
        self.client.force_login(self.reviewer)
        page = self.client.get(reverse("dispatch", args=[self.recipient.dispatch_id]))
        self.assertContains(page, "The mail server does not answer (refused)")
        self.assertContains(page, "It was tried 6 times")
        self.client.post(reverse("retry", args=[failed.pk]))
        tasks.send_mail()
        self.assertEqual(Delivery.objects.get().state, Delivery.State.SENT)
        self.assertEqual(self.client.post(reverse("retry", args=[failed.pk])).status_code, 409)

    def test_wakes_the_worker_after_commit_only(self):
        dispatch = self.prepare()
        with mock.patch("mezzavoce.config.celery.app.send_task") as wake, self.captureOnCommitCallbacks(execute=True):
            actions.send(self.reviewer, dispatch)
            self.assertFalse(wake.called)
        self.assertEqual([c.args[0].rsplit(".", 1)[1] for c in wake.call_args_list], ["send_mail", "cut_excerpts"])


class PagesTest(DispatchCase):
    def setUp(self):
        super().setUp()
        self.client.force_login(self.reviewer)

    def test_from_note_to_sent(self):
        page = self.client.get(reverse("notes", args=[self.mix.pk]))
        self.assertContains(page, "1 note to send")
        response = self.client.post(reverse("prepare", args=[self.mix.pk]), {"contact": [self.contact.pk]}, follow=True)
        self.assertContains(response, "This is what will go out")
        dispatch = Dispatch.objects.get()
        letter = self.client.get(reverse("dispatch-letter", args=[dispatch.pk]))
        self.assertContains(letter, self.mark.placements.get().title)
        self.assertIn("default-src 'none'", letter["Content-Security-Policy"])
        response = self.client.post(reverse("send", args=[dispatch.pk]), follow=True)
        self.assertContains(response, "on its way")
        self.assertContains(self.client.get(reverse("notes", args=[self.mix.pk])), "No note waits to be sent")

    def test_addressees(self):
        answer = self.client.post(
            reverse("add-contact", args=[self.mix.pk]),
            {"name": "Bo", "mail": "no address"},
            headers={"Accept": "application/json"},
        )
        self.assertIn("is no mail address", answer.json()["error"])
        self.client.post(reverse("add-contact", args=[self.mix.pk]), {"name": "Bo", "mail": "bo@cut.example"})
        self.assertContains(self.client.get(reverse("notes", args=[self.mix.pk])), "bo@cut.example")


class TokensTest(DispatchCase):
    def test_only_the_hash_is_stored(self):
        self.sent()
        self.assertEqual(bytes(self.recipient.token_hash), hash_of(self.token))
        for table in (Recipient, Delivery, Dispatch):
            for row in table.objects.values():
                self.assertNotIn(self.token, str(row))
        self.assertNotEqual(token_for(new_seed()), token_for(new_seed()))

    def test_altered_expired_withdrawn_or_unsent_opens_nothing(self):
        prepared = token_for(self.prepare().recipients.get().seed)
        self.sent()
        swapped = self.token[:-1] + ("A" if self.token[-1] != "A" else "B")
        for token in (swapped, self.token.swapcase(), self.token[:-1], prepared, "x"):
            page = self.client.get(reverse("editor", args=[token]))
            self.assertContains(page, "This link opens nothing", status_code=404)
        for change in (
            {"expires": timezone.now() - timedelta(days=1)},
            {"expires": timezone.now() + timedelta(days=1), "withdrawn": True},
        ):
            Recipient.objects.filter(pk=self.recipient.pk).update(**change)
            self.assertEqual(self.client.get(reverse("editor", args=[self.token])).status_code, 404)


class EditorTest(DispatchCase):
    def setUp(self):
        super().setUp()
        self.dispatch = self.sent()
        self.item = self.dispatch.items.get()

    def answer(self, what, reason="", key="k1"):
        address = reverse("editor-answer", args=[self.token, self.item.pk])
        return self.client.post(
            address, {"what": what, "reason": reason, "client_key": key}, headers={"Accept": "application/json"}
        )

    def test_page_without_an_account(self):
        page = self.client.get(reverse("editor", args=[self.token]))
        self.assertContains(page, "10:00:24:00")
        self.assertContains(page, self.item.content["text"][:40])
        self.assertContains(page, 'data-copy="10:00:24:00"')
        self.assertEqual(page["X-Robots-Tag"], "noindex")
        self.assertFalse(Answer.objects.exists())

    def test_three_answers_and_taking_back(self):
        self.assertEqual(self.answer("fixed").json(), {"what": "fixed", "reason": ""})
        self.assertIn("why it cannot be fixed", self.answer("cannot fix", key="k2").json()["error"])
        self.assertIn("write the question", self.answer("question", " ", key="k3").json()["error"])
        self.assertEqual(self.answer("cannot fix", "one stereo file only", key="k4").status_code, 200)
        self.assertContains(self.client.get(reverse("editor", args=[self.token])), "one stereo file only")
        self.answer("taken back", key="k5")
        self.assertNotContains(self.client.get(reverse("editor", args=[self.token])), "is-answered")
        self.assertIn("can be: fixed", self.answer("done", key="k6").json()["error"])
        self.assertIn("out of date", self.answer("fixed", key="").json()["error"])

    def test_sent_twice_is_one_answer(self):
        self.answer("fixed")
        self.assertEqual(self.answer("fixed").status_code, 200)
        self.assertEqual(Answer.objects.count(), 1)

    def test_the_reviewer_sees_it(self):
        self.answer("cannot fix", "one stereo file only")
        self.client.force_login(self.reviewer)
        self.assertContains(self.client.get("/"), "cannot be fixed, with a reason")
        self.assertContains(
            self.client.get(f"{reverse('mix', args=[self.mix.pk])}?mark={self.mark.label}"), "one stereo file only"
        )
        self.assertContains(self.client.get(reverse("notes", args=[self.mix.pk])), "one stereo file only")

    def test_table(self):
        response = self.client.get(reverse("editor-file", args=[self.token, "csv"]))
        self.assertTrue(b"".join(response.streaming_content).decode().startswith("mark,in,out"))
        self.assertIn("attachment", response["Content-Disposition"])

    def test_items_of_other_dispatches_stay_closed(self):
        other = make_mix(self.production, self.lead, 2)
        measure_mix(other)
        mark = Mark.objects.filter(mix=other).first()
        notes.decide(self.reviewer, mark, other, "note it")
        foreign = actions.send(self.reviewer, prepare(self.reviewer, other, [self.contact])).items.get()
        for name in ("editor-excerpt", "editor-still"):
            self.assertEqual(self.client.get(reverse(name, args=[self.token, foreign.pk])).status_code, 404)
            self.assertEqual(self.client.get(reverse(name, args=[self.token, self.item.pk])).status_code, 404)
        self.assertEqual(
            self.client.post(
                reverse("editor-answer", args=[self.token, foreign.pk]), {"what": "fixed", "client_key": "z"}
            ).status_code,
            404,
        )

    def test_excerpt_and_still_are_served(self):
        cut = self.item.excerpt
        cut.clip = stored(self.production, b"0123456789", StoredFile.Kind.EXCERPT)
        cut.still = stored(self.production, b"jpeg", StoredFile.Kind.STILL)
        cut.save()
        part = self.client.get(
            reverse("editor-excerpt", args=[self.token, self.item.pk]), headers={"Range": "bytes=2-4"}
        )
        self.assertEqual((part.status_code, b"".join(part.streaming_content)), (206, b"234"))
        self.assertEqual(
            self.client.get(reverse("editor-still", args=[self.token, self.item.pk]))["Content-Type"], "image/jpeg"
        )


class ExcerptSpanTest(ProductionCase):
    def test_run_up_and_limits(self):
        self.assertEqual(excerpts.span({"in_s": 10.0, "out_s": 12.0}, 60.0), (8.0, 13.0))
        self.assertEqual(excerpts.span({"in_s": 1.0, "out_s": 59.8}, 60.0), (0.0, 45.0))
        self.assertEqual(excerpts.span({"in_s": 58.0, "out_s": 60.0}, 60.0), (56.0, 60.0))

    def test_letters_have_no_markup_in_text(self):
        mix = make_mix(self.production, self.lead, title="Ebb & <Flow>")
        measure_mix(mix)
        notes.decide(self.reviewer, Mark.objects.get(kind="duck-missing"), mix, "note it")
        sent = prepare(self.reviewer, mix, [self.contact], covering="<script>alert(1)</script> & thanks")
        delivery = Delivery.objects.get(recipient__dispatch=sent)
        self.assertIn("Ebb & <Flow>", delivery.text)
        self.assertIn("<script>alert(1)</script> & thanks", delivery.text)
        self.assertIn("Ebb &amp; &lt;Flow&gt;", delivery.html)
        self.assertIsNone(re.search(r"<script|javascript:", delivery.html))
