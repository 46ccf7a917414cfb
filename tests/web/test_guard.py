"""Who guesses waits, and who comes second is told.

What is private stays out of caches, and half-sent requests hold nobody up.
"""

import http.client
import os
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path
from unittest import mock

from django.contrib.auth import get_user_model
from django.core.cache import cache
from django.test import SimpleTestCase
from django.urls import reverse

from mezzavoce.config.refusals import Overtaken, Refused
from mezzavoce.dispatch.tokens import new_seed, token_for
from mezzavoce.notes import actions as notes
from mezzavoce.notes.models import Decision
from mezzavoce_host.services import end, free_port
from tests.web.base import ProductionCase
from tests.web.test_dispatch import DispatchCase

RIGHT = "correct horse battery"


class SignInGuardTest(ProductionCase):
    def setUp(self):
        cache.clear()

    def sign_in(self, password, mail="lead@house.example", **extra):
        return self.client.post(reverse("sign-in"), {"username": mail, "password": password}, **extra)

    def test_after_some_wrong_passwords_none_is_looked_at(self):
        for _ in range(8):
            self.sign_in("wrong")
        hashed = mock.patch(
            "django.contrib.auth.hashers.ScryptPasswordHasher.verify",
            side_effect=AssertionError("a password was looked at"),
        )
        with hashed:
            page = self.sign_in(RIGHT)
        self.assertContains(page, "Wait ten minutes", status_code=429)
        # Others, and the same person from elsewhere, are not kept out by it.
        self.assertEqual(self.sign_in(RIGHT, "reviewer@house.example").status_code, 302)
        self.client.logout()
        self.assertEqual(self.sign_in(RIGHT, REMOTE_ADDR="192.0.2.7").status_code, 302)

    def test_a_closed_account_is_told_so_and_signed_out_everywhere(self):
        self.sign_in(RIGHT)
        self.assertEqual(self.client.get("/").status_code, 200)
        get_user_model().objects.filter(pk=self.lead.pk).update(is_active=False)
        self.assertEqual(self.client.get("/").status_code, 302)
        self.assertContains(self.sign_in(RIGHT), "This account is closed")
        self.assertContains(self.sign_in("wrong"), "do not belong together")


class LinkGuardTest(DispatchCase):
    def setUp(self):
        super().setUp()
        cache.clear()
        self.sent()

    def test_links_that_open_nothing_are_counted_and_then_refused(self):
        for _ in range(31):
            self.assertEqual(self.client.get(reverse("editor", args=[token_for(new_seed())])).status_code, 404)
        refused = self.client.get(reverse("editor", args=[token_for(new_seed())]))
        self.assertContains(refused, "Wait five minutes", status_code=429)
        self.assertEqual(
            self.client.get(reverse("editor", args=[self.token]), REMOTE_ADDR="192.0.2.7").status_code, 200
        )

    def test_a_link_that_opens_is_not_counted(self):
        for _ in range(40):
            self.assertEqual(self.client.get(reverse("editor", args=[self.token])).status_code, 200)


class SecondTest(DispatchCase):
    """Two people look at the same finding; the second decision is made on a page that does not hold any more."""

    def setUp(self):
        super().setUp()
        self.seen = notes.current_decision(self.mark, self.mix).pk

    def decide(self, person, what, seen, **more):
        self.client.force_login(person)
        said = {"what": what, "seen": seen, **more}
        address = reverse("decide", args=[self.mark.mix_id, self.mark.pk])
        return self.client.post(address, said, headers={"Accept": "application/json"})

    def test_who_comes_second_is_told_and_decides_again(self):
        self.assertEqual(self.decide(self.lead, "not a fault", self.seen).status_code, 200)
        second = self.decide(self.reviewer, "allow", self.seen, reason="the song leads")
        self.assertEqual(second.status_code, 409)
        self.assertIn(f"Lead was quicker: {self.mark.label} is not a fault", second.json()["error"])
        self.assertEqual(notes.current_decision(self.mark, self.mix).what, Decision.What.NOT_A_FAULT)
        now = notes.current_decision(self.mark, self.mix).pk
        self.assertEqual(self.decide(self.reviewer, "allow", now, reason="the song leads").status_code, 200)

    def test_the_page_says_what_it_saw(self):
        self.client.force_login(self.reviewer)
        page = self.client.get(f"{reverse('mix', args=[self.mix.pk])}?mark={self.mark.label}")
        self.assertContains(page, f'name="seen" value="{self.seen}"')

    def test_all_alike_are_not_decided_over_somebodys_head(self):
        notes.decide(self.lead, self.mark, self.mix, "reopen")
        with self.assertRaises(Overtaken):
            notes.decide_alike(self.reviewer, self.mark, self.mix, "note it", seen=self.seen)
        self.assertEqual(notes.current_decision(self.mark, self.mix).what, Decision.What.REOPEN)

    def test_a_key_used_for_another_thing_is_refused(self):
        notes.decide(self.reviewer, self.mark, self.mix, "reopen", client_key="k")
        self.assertEqual(
            notes.decide(self.reviewer, self.mark, self.mix, "reopen", client_key="k").what, Decision.What.REOPEN
        )
        with self.assertRaisesRegex(Refused, "key of another one"):
            notes.decide(self.reviewer, self.mark, self.mix, "note it", client_key="k")


class CachesTest(DispatchCase):
    def test_what_is_private_is_kept_out_of_caches(self):
        self.sent()
        self.client.force_login(self.reviewer)
        for name, args in (
            ("desk", []),
            ("mix", [self.mix.pk]),
            ("notes", [self.mix.pk]),
            ("specs", [self.production.pk]),
            ("editor", [self.token]),
            ("editor-file", [self.token, "csv"]),
            ("mix-state", [self.mix.pk]),
        ):
            told = self.client.get(reverse(name, args=args))["Cache-Control"]
            self.assertIn("private", told, name)
            self.assertIn("no-store", told, name)
        self.assertIn("private", self.client.get(reverse("series", args=[self.mix.pk]))["Cache-Control"])


class ServerTest(SimpleTestCase):
    """The web server as the start command starts it."""

    processes = "1"

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.port = free_port(8700 + os.getpid() % 200)
        environment = os.environ | {"MEZZAVOCE_PORT": str(cls.port), "MEZZAVOCE_WEB_PROCESSES": cls.processes}
        cls.process = subprocess.Popen(
            [sys.executable, "-m", "mezzavoce.config.server"],
            env=environment,
            stderr=subprocess.DEVNULL,
            start_new_session=True,
        )
        cls.addClassCleanup(end, cls.process)
        until = time.monotonic() + 30
        while time.monotonic() < until:
            try:
                cls.ask()
            except OSError:
                time.sleep(0.1)
            else:
                return

    @classmethod
    def ask(cls):
        connection = http.client.HTTPConnection("127.0.0.1", cls.port, timeout=10)
        try:
            connection.request("GET", "/specs/schema.json")
            return connection.getresponse().status
        finally:
            connection.close()

    def test_sixty_half_sent_requests_hold_nobody_up(self):
        for half in (
            b"GET / HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Long: ",
            b"POST /sign-in/ HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 500\r\n\r\nusername=",
        ):
            for _ in range(60):
                connection = socket.create_connection(("127.0.0.1", self.port), 5)
                self.addCleanup(connection.close)
                connection.sendall(half)
        self.assertEqual(self.ask(), 200)

    def test_an_idle_connection_is_kept_for_a_while(self):
        with socket.create_connection(("127.0.0.1", self.port), 5) as connection:
            for _ in range(2):
                connection.sendall(b"HEAD /specs/schema.json HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n")
                self.assertTrue(connection.recv(4096).startswith(b"HTTP/1.1"))
                time.sleep(3)

    def test_forwarded_headers_of_anybody_count_for_nothing(self):
        connection = http.client.HTTPConnection("127.0.0.1", self.port, timeout=10)
        self.addCleanup(connection.close)
        connection.request(
            "GET", "/nowhere/", headers={"X-Forwarded-Host": "evil.example", "X-Forwarded-Proto": "https"}
        )
        answer = connection.getresponse()
        self.assertEqual(answer.status, 404)
        self.assertNotIn(b"evil.example", answer.read())


class DeployTest(SimpleTestCase):
    def test_django_finds_nothing_to_say_about_an_https_address(self):
        told = {"BASE_URL": "https://mixes.house.example", "SECRET_KEY": token_for("a") + token_for("b"), "DEMO": "0"}
        # The tests allow it themselves; no installation does.
        usual = {name: value for name, value in os.environ.items() if name != "DJANGO_ALLOW_ASYNC_UNSAFE"}
        environment = usual | {f"MEZZAVOCE_{name}": value for name, value in told.items()}
        command = [sys.executable, "manage.py", "check", "--deploy", "--fail-level", "INFO"]
        done = subprocess.run(command, env=environment, capture_output=True, text=True, check=False)
        self.assertEqual(done.returncode, 0, done.stdout + done.stderr)


class TwoProcessesTest(ServerTest):
    """The same with two processes at one address."""

    processes = "2"

    def test_when_one_dies_both_end(self):
        children = subprocess.run(
            ["ps", "-o", "pid=", "--ppid", str(self.process.pid)], capture_output=True, text=True, check=True
        ).stdout.split()
        self.assertEqual(len(children), 2)
        os.kill(int(children[0]), signal.SIGKILL)
        self.assertEqual(self.process.wait(20), 1, "one that died is told, so that whoever watches starts anew")
        until = time.monotonic() + 10
        while Path(f"/proc/{children[1]}").exists() and time.monotonic() < until:
            time.sleep(0.05)
        self.assertFalse(Path(f"/proc/{children[1]}").exists())
