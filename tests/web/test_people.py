"""Accounts: the first one, new passwords, one's own page, closing, the mail server."""

import re
import smtplib
from datetime import timedelta
from unittest import mock

from django.core import mail
from django.core.cache import cache
from django.core.management import call_command
from django.test import TestCase
from django.urls import reverse
from django.utils import timezone

from mezzavoce.accounts.access import role_in
from mezzavoce.accounts.models import Person
from mezzavoce.library import actions as library
from mezzavoce.library.models import Production
from mezzavoce.people import accounts, mails, members
from mezzavoce.people.models import PersonalLink
from tests.web.base import ProductionCase

PASSWORD = "a quiet harbour at low water"
NEW = "another quiet harbour"


def path_in(text):
    """The path of the only link in a mail."""
    (found,) = re.findall(r"http://127\.0\.0\.1:8400(/\S+)", text)
    return found


class PeopleCase(ProductionCase):
    def setUp(self):
        cache.clear()

    def sent(self):
        """The mails that workers hand over now."""
        before = len(mail.outbox)
        while mails.send_next():
            pass
        return mail.outbox[before:]

    def invited(self, address="mara@house.example", role="reviewer"):
        """The path of an invitation as it stands in its mail."""
        members.invite(self.lead, self.production, address, role)
        (letter,) = self.sent()
        self.assertEqual(letter.to, [address])
        return path_in(letter.body)


class FirstAccountTest(TestCase):
    def setUp(self):
        cache.clear()
        library.ship_presets()

    def path(self):
        return path_in(accounts.first_link().address)

    def make(self, path, **more):
        said = {"name": "Mara Quist", "mail": "mara@house.example", "password": PASSWORD} | more
        return self.client.post(path, said)

    def test_from_nobody_to_a_production(self):
        path = self.path()
        self.assertContains(self.client.get(path), "Make the first account")
        self.assertRedirects(self.make(path), reverse("desk"))
        person = Person.objects.get()
        self.assertTrue(person.is_administrator)
        desk = self.client.get(reverse("desk"))
        self.assertContains(desk, "Start a production")
        started = self.client.post(reverse("start-production"), {"name": "Ebb", "spec": "EBU R 128"})
        production = Production.objects.get()
        self.assertRedirects(started, reverse("production", args=[production.pk]))
        self.assertEqual(role_in(person, production), "lead")

    def test_it_works_once_and_only_while_nobody_has_an_account(self):
        older, path = self.path(), self.path()
        self.assertEqual(self.client.get(older).status_code, 404, "a newer one was made")
        self.make(path)
        self.assertIsNone(accounts.first_link())
        self.client.logout()
        self.assertContains(self.client.get(path), "does not open", status_code=404)
        self.assertEqual(self.make(path, mail="other@house.example").status_code, 404)
        self.assertEqual(Person.objects.count(), 1)

    def test_it_runs_out_after_a_day(self):
        path = self.path()
        PersonalLink.objects.update(expires=timezone.now() - timedelta(seconds=1))
        self.assertEqual(self.client.get(path).status_code, 404)

    def test_what_is_refused_stands_over_the_form_and_nothing_is_made(self):
        path = self.path()
        for more, words in (
            ({"password": "short"}, "at least 10 characters"),
            ({"password": "password1234"}, "too common"),
            ({"name": "\u202e\x07 "}, "Write your name"),
            ({"name": "M" * 300}, "may have 100 characters"),
            ({"mail": "mara"}, "is no mail address"),
        ):
            with self.subTest(words):
                page = self.make(path, **more)
                self.assertContains(page, words, status_code=422)
                self.assertFalse(Person.objects.exists())
        self.assertContains(self.make(path, mail="mara"), 'value="Mara Quist"', status_code=422)
        self.assertRedirects(self.make(path), reverse("desk"), msg_prefix="the link was not used up")

    def test_the_command_at_the_terminal_makes_an_administrator(self):
        call_command("createsuperuser", interactive=False, mail="mara@house.example", name="Mara Quist", verbosity=0)
        self.assertTrue(Person.objects.get().is_administrator)


class PasswordTest(PeopleCase):
    def ask(self, address):
        return self.client.post(reverse("ask-for-password"), {"mail": address})

    def test_forgotten_and_chosen_anew(self):
        elsewhere = self.client_class()
        elsewhere.force_login(self.reviewer)
        self.ask("Reviewer@house.example")
        (letter,) = self.sent()
        path = path_in(letter.body)
        self.assertContains(self.client.post(path, {"password": "short"}), "at least 10", status_code=422)
        self.assertRedirects(self.client.post(path, {"password": NEW}), reverse("desk"), fetch_redirect_response=False)
        self.assertTrue(Person.objects.get(pk=self.reviewer.pk).check_password(NEW))
        self.assertEqual(elsewhere.get(reverse("own")).status_code, 302, "other sessions end")
        self.assertEqual(self.client_class().get(path).status_code, 404, "it works once")

    def test_a_stranger_learns_nothing(self):
        Person.objects.filter(pk=self.guest.pk).update(is_active=False)
        known, unknown, closed = (self.ask(f"{who}@house.example") for who in ("reviewer", "nobody", "guest"))
        strip = re.compile(rb'name="csrfmiddlewaretoken" value="[^"]*"')
        pages = {strip.sub(b"", page.content) for page in (known, unknown, closed)}
        self.assertEqual(len(pages), 1)
        self.assertEqual(len(self.sent()), 1)

    def test_a_newer_link_and_a_changed_password_close_the_older(self):
        paths = []
        for _ in range(2):
            self.ask("reviewer@house.example")
            (letter,) = self.sent()
            paths.append(path_in(letter.body))
        self.assertEqual(self.client.get(paths[0]).status_code, 404)
        accounts.change_password(self.reviewer, "correct horse battery", NEW)
        self.assertEqual(self.client.get(paths[1]).status_code, 404)

    def test_it_runs_out(self):
        self.ask("reviewer@house.example")
        (letter,) = self.sent()
        PersonalLink.objects.update(expires=timezone.now())
        self.assertEqual(self.client.get(path_in(letter.body)).status_code, 404)

    def test_asked_too_often_from_one_place(self):
        for _ in range(10):
            self.ask("reviewer@house.example")
        self.assertEqual(self.ask("reviewer@house.example").status_code, 429)

    def test_a_link_for_one_thing_opens_nothing_else(self):
        self.ask("reviewer@house.example")
        (letter,) = self.sent()
        token = path_in(letter.body).split("/")[-2]
        for page in ("first-account", "invitation", "editor"):
            self.assertEqual(self.client.get(reverse(page, args=[token])).status_code, 404, page)


class OwnPageTest(PeopleCase):
    def setUp(self):
        super().setUp()
        self.client.force_login(self.reviewer)

    def test_name_and_mails(self):
        self.assertContains(self.client.get(reverse("own")), "reviewer@house.example")
        self.client.post(reverse("change-own"), {"name": "Rita\r\nRoe"})
        self.reviewer.refresh_from_db()
        self.assertEqual((self.reviewer.name, self.reviewer.answers_by_mail), ("Rita Roe", False))
        self.client.post(reverse("change-own"), {"name": "Rita", "answers_by_mail": "yes", "light": "night"})
        self.reviewer.refresh_from_db()
        self.assertTrue(self.reviewer.answers_by_mail)

    def test_light_follows_a_person_from_browser_to_browser(self):
        self.client.post(reverse("light"), {"light": "night", "back": "/own/"})
        elsewhere = self.client_class()
        elsewhere.force_login(self.reviewer)
        self.assertContains(elsewhere.get(reverse("own")), 'data-light="night"')
        elsewhere.post(reverse("change-own"), {"name": "Rita", "light": ""})
        self.assertContains(self.client.get(reverse("own")), 'data-light=""')
        answer = self.client.post(reverse("change-own"), {"name": "Rita", "light": "dusk"})
        self.assertContains(answer, "by day, by night", status_code=422)

    def test_first_words_are_put_away_and_brought_back(self):
        desk = reverse("production", args=[self.production.pk])
        self.assertContains(self.client.get(desk), "This is the desk")
        quietly = {"headers": {"Accept": "application/json"}}
        self.assertEqual(self.client.post(reverse("put-away"), {"about": "desk"}, **quietly).status_code, 204)
        self.assertNotContains(self.client.get(desk), "This is the desk")
        ingest = reverse("ingest", args=[self.production.pk])
        self.assertContains(self.client.get(ingest), "I know this")
        back = self.client.post(reverse("put-away"), {"about": "ingest", "back": ingest})
        self.assertRedirects(back, ingest)
        self.assertNotContains(self.client.get(ingest), "I know this")
        self.assertEqual(self.client.post(reverse("put-away"), {"about": "x" * 300}, **quietly).status_code, 422)
        self.client.post(reverse("change-own"), {"name": "Rita", "words_again": "yes"})
        self.assertContains(self.client.get(desk), "This is the desk")

    def test_the_password_wants_the_one_of_today_and_ends_other_sessions(self):
        elsewhere = self.client_class()
        elsewhere.force_login(self.reviewer)
        page = self.client.post(reverse("change-password"), {"old": "wrong", "new": NEW})
        self.assertContains(page, "not your password", status_code=422)
        self.client.post(reverse("change-password"), {"old": "correct horse battery", "new": NEW})
        self.assertEqual(self.client.get(reverse("own")).status_code, 200, "here one stays")
        self.assertEqual(elsewhere.get(reverse("own")).status_code, 302)

    def test_signed_out_everywhere(self):
        elsewhere = self.client_class()
        elsewhere.force_login(self.reviewer)
        self.client.post(reverse("sign-out-everywhere"))
        for client in (self.client, elsewhere):
            self.assertEqual(client.get(reverse("own")).status_code, 302)


class AdministratorTest(PeopleCase):
    def setUp(self):
        super().setUp()
        Person.objects.filter(pk=self.lead.pk).update(is_administrator=True)
        self.lead.refresh_from_db()
        self.client.force_login(self.lead)

    def change(self, person, what):
        return self.client.post(reverse("change-account", args=[person.pk]), {"what": what})

    def test_an_account_is_closed_and_its_sessions_end_at_once(self):
        session = self.client_class()
        session.force_login(self.reviewer)
        self.assertEqual(session.get(reverse("own")).status_code, 200)
        self.change(self.reviewer, "close")
        self.assertEqual(session.get(reverse("own")).status_code, 302)
        said = {"username": "reviewer@house.example", "password": "correct horse battery"}
        self.assertContains(self.client_class().post(reverse("sign-in"), said), "closed")
        self.change(self.reviewer, "reopen")
        self.assertRedirects(
            self.client_class().post(reverse("sign-in"), said), reverse("desk"), fetch_redirect_response=False
        )
        self.assertEqual(session.get(reverse("own")).status_code, 302, "an old session stays ended")

    def test_one_administrator_always_stays(self):
        for what in ("close", "unname"):
            self.assertContains(self.change(self.lead, what), "only administrator", status_code=422)
        self.change(self.reviewer, "name")
        self.assertEqual(self.change(self.lead, "unname").status_code, 302)
        self.assertEqual(list(Person.objects.filter(is_administrator=True)), [self.reviewer])

    def test_nobody_else_sees_or_changes_accounts_or_starts_productions(self):
        self.client.force_login(self.reviewer)
        self.assertEqual(self.client.get(reverse("accounts")).status_code, 403)
        self.assertEqual(self.change(self.guest, "close").status_code, 403)
        started = self.client.post(reverse("start-production"), {"name": "Ebb", "spec": "EBU R 128"})
        self.assertEqual(started.status_code, 403)
        self.assertEqual(Production.objects.count(), 1)

    def test_what_is_not_known_is_refused(self):
        self.assertEqual(self.change(self.guest, "promote").status_code, 422)
        started = self.client.post(reverse("start-production"), {"name": "Ebb", "spec": "nothing"})
        self.assertContains(started, "Choose the spec", status_code=422)

    def test_the_list(self):
        page = self.client.get(reverse("accounts"))
        self.assertContains(page, "Tide Tables (reviewer)")


class MailServerTest(PeopleCase):
    def setUp(self):
        super().setUp()
        Person.objects.filter(pk=self.lead.pk).update(is_administrator=True)
        self.client.force_login(self.lead)

    def test_how_it_is_set_and_a_test_mail(self):
        self.assertContains(self.client.get(reverse("mail-server")), "MEZZAVOCE_SMTP_HOST")
        self.assertContains(self.client.post(reverse("mail-server")), "took a test mail to lead@house.example")
        self.assertEqual(mail.outbox[-1].to, ["Lead <lead@house.example>"])

    def test_a_server_that_refuses_is_told_in_a_sentence(self):
        """The page shows what the server said. Source of the codes: RFC 5321, section 4.2.1."""
        refused = smtplib.SMTPRecipientsRefused({"lead@house.example": (550, b"no such mailbox")})
        backend = "django.core.mail.backends.locmem.EmailBackend"
        for method, error, words in (
            ("send_messages", refused, "550: no such mailbox"),
            ("open", ConnectionRefusedError("refused"), "does not answer"),
        ):
            with self.subTest(words), mock.patch(f"{backend}.{method}", side_effect=error):
                self.assertContains(self.client.post(reverse("mail-server")), words)

    def test_administrators_alone(self):
        self.client.force_login(self.reviewer)
        self.assertEqual(self.client.get(reverse("mail-server")).status_code, 403)
