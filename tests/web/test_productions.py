"""Productions and what is planned in them: names, usual settings, the archive, pasted lists."""

from datetime import date

from django.test import SimpleTestCase
from django.urls import reverse

from mezzavoce.config.refusals import NotAllowed, Refused
from mezzavoce.library import actions as library
from mezzavoce.library import archive, contacts
from mezzavoce.library.models import Production, Programme
from mezzavoce.library.productions import Planned, read_list
from mezzavoce.measuring.actions import request_run
from mezzavoce.measuring.queue import RUNS
from mezzavoce.notes.models import Mark
from tests.web.base import ProductionCase, make_mix, measure_mix


class ListTest(SimpleTestCase):
    def test_as_people_write_and_paste_them(self):
        for line, planned in (
            ("12 The Long Tide", Planned(12, "The Long Tide", None)),
            ("12\tThe Long Tide\t2026-12-24", Planned(12, "The Long Tide", date(2026, 12, 24))),
            ("12; Tide, the long one; 2026-12-24", Planned(12, "Tide, the long one", date(2026, 12, 24))),
            ("  3. Ebb 2 ", Planned(3, "Ebb 2", None)),
            ("4) 1914", Planned(4, "1914", None)),
            ("5 - Ebbe – und Flut", Planned(5, "Ebbe – und Flut", None)),
        ):
            self.assertEqual(read_list(line), [planned], line)

    def test_empty_lines_do_not_count(self):
        self.assertEqual([p.number for p in read_list("\n1 a\n\n2 b\n")], [1, 2])

    def test_what_cannot_be_is_named_by_its_line(self):
        for text, words in (
            ("", "Paste a list"),
            ("1 a\nThe Long Tide", "Line 2 is “The Long Tide”"),
            ("1", "Line 1"),
            ("1 \u202e", "Line 1"),
            ("1 a 2026-02-30", "no day of the calendar"),
            ("1 a\n1 b", "Number 1 stands in the list more than once"),
            ("1 " + "a" * 161, "title in line 1 may have 160 characters"),
            ("\n".join(f"{k} a" for k in range(1, 502)), "at most 500"),
        ):
            with self.assertRaisesRegex(Refused, words):
                read_list(text)


class PlanTest(ProductionCase):
    def test_all_or_nothing(self):
        self.client.force_login(self.reviewer)
        address = reverse("plan-programmes", args=[self.production.pk])
        self.client.post(address, {"list": "1 Ebb\n2 Flood 2026-12-24"})
        self.assertEqual(self.production.programmes.get(number=2).due, date(2026, 12, 24))
        page = self.client.post(address, {"list": "3 Slack\n2 Again"})
        self.assertContains(page, "Programme 2 exists already", status_code=422)
        self.assertEqual(self.production.programmes.count(), 2)
        self.assertContains(self.client.get(reverse("production", args=[self.production.pk])), "Flood")

    def test_changed_later(self):
        programme = library.plan_programme(self.lead, self.production, 1, "Ebb")
        library.plan_programme(self.lead, self.production, 2, "Flood")
        self.client.force_login(self.reviewer)
        address = reverse("change-programme", args=[programme.pk])
        self.client.post(address, {"number": "7", "title": "Slack\nwater", "due": "2026-12-24"})
        programme.refresh_from_db()
        self.assertEqual((programme.number, programme.title, programme.due), (7, "Slack water", date(2026, 12, 24)))
        for said, words in (
            ({"number": "2", "title": "x"}, "exists already"),
            ({"number": "x", "title": "x"}, "needs a number"),
            ({"number": "7", "title": " "}, "needs a number and a title"),
            ({"number": "7", "title": "x", "due": "tomorrow"}, "no day of the calendar"),
        ):
            self.assertContains(self.client.post(address, said), words, status_code=422)
        programme.refresh_from_db()
        self.assertEqual(programme.number, 7)

    def test_guests_and_strangers_plan_nothing(self):
        for person, status in ((self.guest, 403), (self.stranger, 404)):
            self.client.force_login(person)
            answer = self.client.post(reverse("plan-programmes", args=[self.production.pk]), {"list": "1 Ebb"})
            self.assertEqual(answer.status_code, status)
        self.assertFalse(Programme.objects.exists())


class ProductionTest(ProductionCase):
    def settle(self, **more):
        said = {"name": "High Water", "frame_rate": "25", "start_timecode": "10:00:00:00"} | more
        return self.client.post(reverse("settle-production", args=[self.production.pk]), said)

    def test_renamed_and_what_is_usual(self):
        self.client.force_login(self.lead)
        self.settle()
        page = self.client.get(reverse("ingest", args=[self.production.pk]))
        self.assertContains(page, 'data-rate="25" data-start="10:00:00:00"')
        self.assertContains(page, "High Water")
        for more, words in (
            ({"name": ""}, "needs a name"),
            ({"name": "H" * 300}, "may have 120 characters"),
            ({"start_timecode": "10:00"}, "10:00"),
            ({"frame_rate": "7"}, "Choose a frame rate"),
            ({"frame_rate": "1e400"}, "Choose a frame rate"),
        ):
            self.assertContains(self.settle(**more), words, status_code=422)
        self.assertEqual(Production.objects.get().name, "High Water")
        self.client.force_login(self.reviewer)
        self.assertEqual(self.settle().status_code, 403)

    def test_archived_it_is_read_and_not_changed(self):
        mix = make_mix(self.production, self.lead)
        with self.assertRaises(NotAllowed):
            archive.archive(self.reviewer, self.production)
        self.client.force_login(self.lead)
        address = reverse("archive-production", args=[self.production.pk])
        self.client.post(address)
        for page in ("production", "programmes", "people", "trail"):
            self.assertEqual(self.client.get(reverse(page, args=[self.production.pk])).status_code, 200)
        self.assertEqual(self.client.get(reverse("mix", args=[mix.pk])).status_code, 200)
        desk = self.client.get(reverse("production", args=[self.production.pk]))
        self.assertNotContains(desk, "Ingest a mix")
        self.assertNotContains(self.client.get(reverse("people", args=[self.production.pk])), "Invite somebody")
        answer = self.client.post(reverse("plan-programmes", args=[self.production.pk]), {"list": "9 Ebb"})
        self.assertContains(answer, "is archived", status_code=403)
        self.production.refresh_from_db()
        with self.assertRaisesRegex(NotAllowed, "is archived"):
            contacts.add_contact(self.lead, self.production, "Ines", "ines@cut.example")
        self.client.force_login(self.reviewer)
        self.assertEqual(self.client.post(address).status_code, 403)
        self.client.force_login(self.lead)
        self.client.post(address)
        self.client.post(reverse("plan-programmes", args=[self.production.pk]), {"list": "9 Ebb"})
        self.assertTrue(self.production.programmes.filter(number=9).exists())

    def test_archived_while_it_is_measured_the_measurement_is_finished(self):
        mix = make_mix(self.production, self.lead)
        run = request_run(self.lead, mix)
        archive.archive(self.lead, self.production)
        self.assertIsNotNone(RUNS.claim(run.pk), "a worker takes it")
        measure_mix(type(mix).objects.get(pk=mix.pk))
        self.client.force_login(self.reviewer)
        self.assertContains(self.client.get(reverse("mix", args=[mix.pk])), "Not yet")
        mark = Mark.objects.first()
        answer = self.client.post(reverse("decide", args=[mark.mix_id, mark.pk]), {"what": "note it"})
        self.assertContains(answer, "is archived", status_code=403)

    def test_every_mix_of_a_programme_is_in_reach(self):
        first, second = make_mix(self.production, self.lead), make_mix(self.production, self.lead)
        for mix in (first, second):
            measure_mix(mix)
        self.client.force_login(self.guest)
        self.assertContains(self.client.get(reverse("mix", args=[second.pk])), reverse("mix", args=[first.pk]))
        self.assertContains(self.client.get(reverse("mix", args=[first.pk])), reverse("mix", args=[second.pk]))

    def test_all_of_mine_those_in_the_archive_last(self):
        other = library.start_production(self.lead, "A First One", self.production.spec_version)
        archive.archive(self.lead, other)
        library.start_production(self.stranger, "Not Mine", self.production.spec_version)
        self.client.force_login(self.lead)
        page = self.client.get(reverse("productions")).content.decode()
        self.assertLess(page.index("Tide Tables"), page.index("A First One"))
        self.assertNotIn("Not Mine", page)
        self.assertContains(self.client.get(reverse("desk")), "Tide Tables")
