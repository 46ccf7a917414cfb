"""What starts everything on one machine: ports, secrets, one start a data folder.

And the loader that uses the same actions as people.
"""

import os
import socket
import tempfile
from contextlib import redirect_stdout
from io import StringIO
from pathlib import Path
from unittest import mock

from django.test import SimpleTestCase, TestCase, override_settings
from django.urls import reverse

from mezzavoce.accounts.models import Person
from mezzavoce.library.models import Mix, Production, Programme, Track
from mezzavoce.measuring.models import Run
from mezzavoce.notes.models import Mark, Placement
from mezzavoce.recheck.models import Recheck
from mezzavoce_demo import announce, loader, serve
from mezzavoce_demo.planted import told_again
from mezzavoce_demo.programmes import scenario
from mezzavoce_host import services


class ServicesTest(SimpleTestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    def test_a_used_port_is_left_alone(self):
        with socket.create_server(("127.0.0.1", 0)) as server:
            taken = server.getsockname()[1]
            self.assertNotEqual(services.free_port(taken), taken)
            with (
                mock.patch.dict(os.environ, {"MEZZAVOCE_PORT": str(taken)}),
                self.assertRaisesRegex(services.CannotStart, "MEZZAVOCE_PORT to a free one"),
            ):
                services.free_port(8400, "MEZZAVOCE_PORT")

    def test_a_port_that_was_asked_for_is_taken(self):
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            free = probe.getsockname()[1]
        with mock.patch.dict(os.environ, {"MEZZAVOCE_PORT": str(free)}):
            self.assertEqual(services.free_port(8400, "MEZZAVOCE_PORT"), free)

    def test_secrets_are_made_once_and_closed_to_others(self):
        first = services.secret(self.folder, "application")
        self.assertEqual(services.secret(self.folder, "application"), first)
        self.assertGreater(len(first), 40)
        self.assertEqual((self.folder / "secrets" / "application").stat().st_mode & 0o777, 0o600)

    def test_starting_over_keeps_only_what_would_be_made_again(self):
        for name in ("files", "mariadb", "demo-media", "tmp"):
            (self.folder / name).mkdir()
        (self.folder / "beat").touch()
        (self.folder / "tmp" / "left").touch()
        serve._start_over(self.folder)
        self.assertEqual(sorted(p.name for p in self.folder.iterdir()), ["demo-media", "tmp"])
        self.assertEqual(
            list((self.folder / "tmp").iterdir()), [], "temporary files have a place, and none is left in it"
        )

    def test_a_missing_program_is_named(self):
        with self.assertRaisesRegex(services.CannotStart, "“no-such-program” is missing"):
            services.find_program("no-such-program")


class LoaderTest(TestCase):
    def test_loads_once_through_the_same_actions(self):
        media = Path(os.environ["MEZZAVOCE_TEST_MEDIA"])
        with mock.patch("mezzavoce_demo.loader.EPISODES", scenario.EPISODES[3:4]):
            for _ in range(2):
                loader.load(media)
        production = Production.objects.get()
        self.assertEqual((production.name, Mix.objects.count(), Programme.objects.count()), (scenario.SERIES, 1, 2))
        self.assertEqual(sorted(Track.objects.values_list("role", flat=True)), ["dialogue", "effects", "mix", "music"])
        self.assertEqual(Run.objects.get().state, Run.State.WAITING)
        self.assertEqual(Mix.objects.get().programme.judged_by.spec.name, "EBU R 128 s1")
        for role in ("reviewer", "lead", "guest"):
            page = self.client.post(reverse("demo-sign-in", args=[role]), follow=True)
            self.assertContains(page, scenario.SERIES)
        self.assertEqual(self.client.post(reverse("demo-sign-in", args=["nobody"])).status_code, 404)


class SecondMixTest(TestCase):
    def test_brought_in_once_after_the_first_one(self):
        media, some = Path(os.environ["MEZZAVOCE_TEST_MEDIA"]), scenario.EPISODES[2:3]
        with mock.patch("mezzavoce_demo.loader.EPISODES", some):
            loader.start()
            loader.load_second(media)
            self.assertEqual(Mix.objects.count(), 0, "not before the first one")
            loader.load(media)
            for _ in range(2):
                loader.load_second(media)
        mix = Mix.objects.get(number=2)
        self.assertEqual((Mix.objects.count(), mix.programme.number, mix.tracks.count()), (2, 3, 4))
        lead = Person.objects.get(mail=loader.PEOPLE[0][2])
        told = {t.second.number: t for t in told_again(lead)}
        self.assertEqual([row for _, row in told[3].rows], [None, None, None], "not measured yet")
        mark = Mark.objects.create(
            programme=mix.programme, label="A", mix=mix, role="music", kind="masked-speech", family="voice"
        )
        former = Mix.objects.get(number=1)
        Placement.objects.create(
            mark=mark, mix=former, in_sample=23 * 48000, out_sample=27 * 48000, severity="must", title="T", evidence={}
        )
        Recheck.objects.create(mark=mark, former=former, mix=mix, result="same", lacks=1.0, unit="LU")
        told = {t.second.number: t for t in told_again(lead)}
        self.assertEqual(told[3].right, 1)
        self.client.force_login(lead)
        self.assertContains(self.client.get(reverse("planted")), "1 of 3 told right")


class AnnounceTest(TestCase):
    def test_says_how_much_is_left_and_then_where(self):
        media = Path(os.environ["MEZZAVOCE_TEST_MEDIA"])
        with mock.patch("mezzavoce_demo.loader.EPISODES", scenario.EPISODES[3:4]):
            loader.load(media)

        def measured(_seconds):
            Run.objects.update(state=Run.State.MEASURED)

        with (
            mock.patch.multiple(announce, answers=lambda _port: True, _SAY_EVERY_S=0, EPISODES=()),
            mock.patch("mezzavoce_demo.announce.time.sleep", measured),
            redirect_stdout(StringIO()) as said,
        ):
            announce.main("http://127.0.0.1:8400/")
        left, rest = said.getvalue().split("\n", 1)
        self.assertEqual(left, "Measuring: 1 mix is left")
        self.assertIn("is running:  http://127.0.0.1:8400/", rest)

    def test_the_others_are_made_behind_it_and_planned_from_the_first_moment(self):
        media = Path(os.environ["MEZZAVOCE_TEST_MEDIA"])
        some = scenario.EPISODES[3:6]
        with (
            mock.patch("mezzavoce_demo.loader.EPISODES", some),
            mock.patch.multiple(announce, EPISODES=some, FIRST=1),
            mock.patch("mezzavoce_demo.studio.render.unrendered", return_value=list(some[1:])),
            mock.patch("mezzavoce_demo.studio.render.render_all", return_value=media),
            redirect_stdout(StringIO()) as said,
        ):
            loader.load(media, some[:1])
            self.assertEqual((Programme.objects.count(), Mix.objects.count()), (4, 1))
            announce._make_the_rest(media)
            self.assertEqual((Programme.objects.count(), Mix.objects.count()), (4, 3))
            announce._make_the_rest(media)
            self.assertEqual(Mix.objects.count(), 3, "at the next start nothing is made twice")
        self.assertIn("2 more programmes are being made", said.getvalue())


class MailboxTest(TestCase):
    def test_empty_and_unknown(self):
        loader._person(*loader.PEOPLE[0][1:])
        self.client.post(reverse("demo-sign-in", args=["lead"]))
        with tempfile.TemporaryDirectory() as folder, override_settings(MAILBOX_DIR=Path(folder) / "mailbox"):
            self.assertContains(self.client.get(reverse("mailbox")), "No mail yet")
            for name in ("mailbox-body", "mailbox-attachment"):
                self.assertEqual(self.client.get(reverse(name, args=[1])).status_code, 404)
            box = Path(folder) / "mailbox"
            box.mkdir()
            (box / "1.eml").write_text(
                "Subject: Hello\nTo: a@b.example\nDate: Wed, 25 Nov 2026 10:00:00 +0000\n\nOnly words.\n"
            )
            self.assertContains(self.client.get(reverse("mailbox")), "Hello")
            body = self.client.get(reverse("mailbox-body", args=[1]))
            self.assertContains(body, "Only words.")
            self.assertIn("default-src 'none'", body["Content-Security-Policy"])
            self.assertEqual(self.client.get(reverse("mailbox-attachment", args=[1])).status_code, 404)
