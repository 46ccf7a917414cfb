"""Mail servers as they are, names as people have them, links that belong to one person, and word of answers."""

import re
import smtplib
import socketserver
import threading
import time
from email import message_from_bytes, policy
from html import unescape
from unittest import mock

from django.conf import settings
from django.core import mail
from django.test import SimpleTestCase, override_settings
from django.urls import reverse
from django.utils import timezone

from mezzavoce.accounts.models import Person
from mezzavoce.config.refusals import NotAllowed, Overtaken, Refused
from mezzavoce.dispatch import actions, answers, mails, post
from mezzavoce.dispatch.models import Answer, Delivery, Notice, Recipient
from mezzavoce.dispatch.tokens import token_for
from mezzavoce.library import contacts
from mezzavoce.library.models import Contact
from tests.web.base import prepare
from tests.web.test_dispatch import DispatchCase

NAMES = (
    "",
    "Roe, Ines",
    "Ines: editor",
    "<b>Ines</b>",
    'Ines "Cut" Roe',
    "Ines\r\nBcc: all@house.example",
    "Инес Ро",
    "ines@cut.example",
    "I" * 100,
    "\u202eseni",
    "; , ()",
)


class ServerCase(SimpleTestCase):
    """A mail server that answers as a script says. Nothing leaves the machine."""

    def serve(self, answer):
        class Handler(socketserver.StreamRequestHandler):
            def handle(self):
                answer(self)

        server = socketserver.ThreadingTCPServer(("127.0.0.1", 0), Handler)
        server.daemon_threads = True
        threading.Thread(target=server.serve_forever, args=(0.05,), daemon=True).start()
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        return server.server_address[1]

    def post(self, port):
        with override_settings(
            EMAIL_BACKEND="django.core.mail.backends.smtp.EmailBackend",
            EMAIL_HOST="127.0.0.1",
            EMAIL_PORT=port,
            EMAIL_TIMEOUT=1,
        ):
            post.post(mail.EmailMessage("Subject", "Text", "from@house.example", ["ines@cut.example"]))


def conversation(handler, **said):
    """The usual course of a conversation, with other answers where they are given; None breaks the connection off."""
    handler.wfile.write(b"220 here\r\n")
    usual = {
        "EHLO": "250 hello",
        "MAIL": "250 ok",
        "RCPT": "250 ok",
        "DATA": "354 go on",
        "body": "250 taken",
        "QUIT": "221 bye",
    }
    in_body = False
    while line := handler.rfile.readline():
        if in_body and line != b".\r\n":
            continue
        command = "body" if in_body else line[:4].decode().upper().strip()
        in_body = command == "DATA"
        answer = (usual | said).get(command, "250 ok")
        if answer is None:
            return
        if callable(answer):
            answer = answer()
        handler.wfile.write(answer.encode() + b"\r\n")


class PostTest(ServerCase):
    def test_taken(self):
        self.post(self.serve(conversation))

    def test_what_a_server_says_is_for_now_or_for_good(self):
        """4xx may go better later, 5xx will not. Source: RFC 5321, section 4.2.1."""
        for said in ({"RCPT": "450 busy"}, {"MAIL": "451 later"}, {"body": "452 full"}):
            with self.assertRaises(post.NotTaken, msg=said):
                self.post(self.serve(lambda h, said=said: conversation(h, **said)))
        for said in ({"RCPT": "550 nobody of that name"}, {"body": "554 no"}):
            with self.assertRaisesRegex(post.TurnedDown, "refused it \\(55"):
                self.post(self.serve(lambda h, said=said: conversation(h, **said)))

    def test_nobody_there_has_cost_nothing(self):
        with self.assertRaisesRegex(post.NotTaken, "does not answer"):
            self.post(1)

    def test_a_connection_that_breaks_in_the_middle_leaves_it_unknown(self):
        with self.assertRaisesRegex(post.FateUnknown, "may have arrived or not"):
            self.post(self.serve(lambda h: conversation(h, body=None)))

    def test_a_server_that_does_not_answer_in_time_leaves_it_unknown(self):
        def slow():
            time.sleep(1.5)
            return "250 taken"

        with self.assertRaises(post.FateUnknown):
            self.post(self.serve(lambda h: conversation(h, body=slow)))

    def test_a_server_that_ends_badly_has_taken_it_all_the_same(self):
        self.post(self.serve(lambda h: conversation(h, QUIT=None)))


class NamesTest(DispatchCase):
    def test_a_mail_goes_out_whatever_the_name(self):
        for k, name in enumerate(NAMES):
            with self.subTest(name):
                contact = contacts.add_contact(self.reviewer, self.production, name, f"ines{k}@cut.example")
                dispatch = prepare(self.reviewer, self.mix, [contact])
                recipient = dispatch.recipients.get()
                Delivery.objects.filter(recipient=recipient).update(state=Delivery.State.WAITING)
                dispatch.state = dispatch.State.SENT
                dispatch.save()
                self.assertTrue(mails.send_next())
                self.assertEqual(Delivery.objects.get(recipient=recipient).state, Delivery.State.SENT)
                message = message_from_bytes(mail.outbox[-1].message().as_bytes(), policy=policy.default)
                (address,) = message["To"].addresses
                self.assertEqual((address.addr_spec, address.display_name), (contact.mail, contact.name))
                self.assertIsNone(message["Bcc"])
                dispatch.state = dispatch.State.PREPARED
                dispatch.save()

    def test_names_and_addresses_are_looked_at_where_they_are_typed(self):
        for name, address, words in (
            ("Ines", "no address", "no mail address"),
            ("Ines", "ines@cut.example\r\nBcc: x@y.example", "no mail address"),
            ("I" * 101, "ines@cut.example", "may have 100 characters"),
        ):
            with self.assertRaisesRegex(Refused, words):
                contacts.add_contact(self.reviewer, self.production, name, address)
        self.assertEqual(
            contacts.add_contact(self.reviewer, self.production, "", "x@cut.example").name, "x@cut.example"
        )

    def test_one_that_cannot_be_written_ends_in_a_sentence_and_the_next_one_goes_out(self):
        second = contacts.add_contact(self.reviewer, self.production, "Bo", "bo@cut.example")
        Contact.objects.filter(pk=self.contact.pk).update(mail="two\nlines")
        actions.send(self.reviewer, prepare(self.reviewer, self.mix, [self.contact, second]))
        while mails.send_next():
            pass
        bad, good = Delivery.objects.order_by("pk")
        self.assertEqual((bad.state, good.state), (Delivery.State.FAILED, Delivery.State.SENT))
        self.assertIn("Check the name and address", bad.error)


class FateTest(DispatchCase):
    def test_a_mail_of_unknown_fate_is_told_and_sent_again_by_a_person_only(self):
        dispatch = self.sent()
        with mock.patch(
            "django.core.mail.EmailMultiAlternatives.send", side_effect=smtplib.SMTPServerDisconnected("gone")
        ):
            mails.send_next()
        self.assertEqual(Delivery.objects.get().state, Delivery.State.UNKNOWN)
        self.assertFalse(mails.send_next())
        self.client.force_login(self.reviewer)
        page = self.client.get(reverse("dispatch", args=[dispatch.pk]))
        self.assertContains(page, "it may have arrived or not")
        self.client.post(reverse("retry", args=[Delivery.objects.get().pk]))
        self.assertTrue(mails.send_next())
        self.assertEqual((Delivery.objects.get().state, len(mail.outbox)), (Delivery.State.SENT, 1))

    def test_a_slow_conversation_is_not_begun_twice(self):
        self.sent()
        first = mails.DELIVERIES.claim()
        self.assertFalse(mails.send_next())
        with self.assertRaisesRegex(Overtaken, "right now"):
            actions.retry(self.reviewer, first)
        self.assertGreater((first.lease_until - timezone.now()).total_seconds(), settings.MAIL_LIMIT_S * 1.9)

    def test_a_worker_that_was_lost_in_the_middle_leaves_it_unknown(self):
        self.sent()
        mails.DELIVERIES.claim()
        Delivery.objects.update(lease_until=timezone.now())
        self.assertFalse(mails.send_next())
        lost = Delivery.objects.get()
        self.assertEqual((lost.state, len(mail.outbox)), (Delivery.State.UNKNOWN, 0))
        self.assertIn("may have arrived or not", lost.error)


class LinksTest(DispatchCase):
    def setUp(self):
        super().setUp()
        self.dispatch = self.sent()
        mails.send_next()

    def test_a_personal_link_is_shown_to_nobody_but_its_addressee(self):
        self.assertIn(self.token, mail.outbox[-1].body)
        for person in (self.guest, self.reviewer, self.lead):
            self.client.force_login(person)
            for name, args in (
                ("dispatch", [self.dispatch.pk]),
                ("dispatch-letter", [self.dispatch.pk]),
                ("notes", [self.mix.pk]),
                ("mix", [self.mix.pk]),
            ):
                page = self.client.get(reverse(name, args=args))
                self.assertEqual(page.status_code, 200)
                self.assertNotContains(page, self.token)
        self.assertContains(
            self.client.get(reverse("dispatch-letter", args=[self.dispatch.pk])), "personal-link-of-each-addressee"
        )

    def test_withdrawn_it_opens_nothing_and_what_was_answered_stays(self):
        address = reverse("editor-answer", args=[self.token, self.dispatch.items.get().pk])
        self.client.post(address, {"what": "fixed", "client_key": "k"})
        with self.assertRaises(NotAllowed):
            actions.withdraw_link(self.guest, self.recipient)
        self.client.force_login(self.reviewer)
        self.client.post(reverse("withdraw-link", args=[self.recipient.pk]))
        self.client.logout()
        self.assertEqual(self.client.get(reverse("editor", args=[self.token])).status_code, 404)
        late = self.client.post(address, {"what": "fixed", "client_key": "l"}, headers={"Accept": "application/json"})
        self.assertIn("opens nothing any more", late.json()["error"])
        self.assertEqual(Answer.objects.count(), 1)
        with self.assertRaisesRegex(Overtaken, "withdrawn already"):
            actions.withdraw_link(self.reviewer, self.recipient)

    def test_sent_anew_the_former_one_opens_nothing(self):
        self.client.post(
            reverse("editor-answer", args=[self.token, self.dispatch.items.get().pk]),
            {"what": "fixed", "client_key": "k"},
        )
        self.client.force_login(self.reviewer)
        self.client.post(reverse("renew-link", args=[self.recipient.pk]))
        self.assertTrue(mails.send_next())
        fresh = Recipient.objects.get(withdrawn=False)
        self.assertIn(token_for(fresh.seed), mail.outbox[-1].body)
        self.assertEqual(self.client.get(reverse("editor", args=[self.token])).status_code, 404)
        page = self.client.get(reverse("editor", args=[token_for(fresh.seed)]))
        self.assertContains(page, "is-answered")

    def test_an_answer_says_through_which_link_it_came(self):
        self.client.post(
            reverse("editor-answer", args=[self.token, self.dispatch.items.get().pk]),
            {"what": "fixed", "client_key": "k"},
        )
        self.assertEqual(Answer.objects.get().recipient, self.recipient)
        self.client.force_login(self.reviewer)
        self.assertContains(self.client.get(reverse("notes", args=[self.mix.pk])), "through the link of")

    def test_a_link_withdrawn_before_its_mail_went_out_is_not_sent(self):
        fresh = actions.renew_link(self.reviewer, self.recipient)
        actions.withdraw_link(self.reviewer, fresh)
        self.assertFalse(mails.send_next())
        self.assertEqual(Delivery.objects.get(recipient=fresh).state, Delivery.State.FAILED)


class NewsTest(DispatchCase):
    def setUp(self):
        super().setUp()
        self.dispatch = actions.send(self.reviewer, self.prepare(), answers_by_mail=True)
        self.recipient = self.dispatch.recipients.get()
        self.item = self.dispatch.items.get()

    def answer(self, what="fixed", reason="", key="k"):
        return answers.answer(self.recipient, self.item, what, reason, key)

    def test_pages_hear_of_it_by_themselves(self):
        self.client.force_login(self.reviewer)
        for name, page, part in (("mix-state", "mix", "finding"), ("notes-state", "notes", "sent")):
            seen = unescape(
                re.search(
                    r'data-version="([^"]*)"', self.client.get(reverse(page, args=[self.mix.pk])).content.decode()
                )[1]
            )
            shown = {"mark": self.mark.label, "shown": self.mark.label}
            self.assertEqual(self.changes(name, self.mix, seen=seen, **shown), {})
            self.answer("question", f"Asked for {name}?", key=name)
            changed = self.changes(name, self.mix, seen=seen, **shown)
            self.assertNotEqual(changed["version"], seen)
            self.assertIn(f"Asked for {name}?", changed["parts"][part])

    def test_the_desk_builds_nothing_where_nothing_is_new(self):
        self.client.force_login(self.reviewer)
        seen = self.changes("desk-state", self.production)["version"]
        with self.assertNumQueries(7):
            self.assertEqual(self.changes("desk-state", self.production, seen=seen), {})
        self.answer()
        parts = self.changes("desk-state", self.production, seen=seen)["parts"]
        self.assertIn("is fixed", parts["waiting"])
        self.assertNotIn("runs", parts)

    def test_a_mail_tells_of_all_answers_of_a_minute(self):
        mails.send_next()
        self.answer("fixed", key="a")
        self.answer("question", "Which take?", key="b")
        self.assertFalse(mails.send_next())
        Notice.objects.update(next_try=None)
        self.assertTrue(mails.send_next())
        told = mail.outbox[-1]
        self.assertEqual(
            (told.to, told.subject), (["Reviewer <reviewer@house.example>"], "1 Low Water, mix 1: 2 answers")
        )
        self.assertIn("Which take?", told.body)
        self.assertIn(f"?mark={self.mark.label}", told.body)
        self.answer("fixed", key="c")
        Notice.objects.update(next_try=None)
        mails.send_next()
        self.assertIn("1 answer", mail.outbox[-1].subject)

    def test_no_mail_where_none_is_wanted_and_the_choice_is_remembered(self):
        self.dispatch.answers_by_mail = False
        self.dispatch.save()
        self.answer()
        self.assertFalse(Notice.objects.exists())
        self.assertTrue(Person.objects.get(pk=self.reviewer.pk).answers_by_mail)

    def test_a_key_used_for_another_answer_is_refused(self):
        self.answer("fixed", key="a")
        with self.assertRaisesRegex(Refused, "key of another one"):
            self.answer("question", "Which take?", key="a")
