"""Up next: over all productions what is mine to do, the most urgent first."""

from datetime import timedelta

from django.urls import reverse
from django.utils import timezone

from mezzavoce.dispatch import actions as dispatch
from mezzavoce.dispatch import answers
from mezzavoce.dispatch.models import Answer
from mezzavoce.library import actions, archive, contacts
from mezzavoce.library.models import Membership
from mezzavoce.measuring.models import Run
from mezzavoce.notes import actions as notes
from mezzavoce.notes.models import Decision
from mezzavoce.screens.up_next import UpNext
from tests.web.base import ProductionCase, make_mix, measure_mix, prepare

QUERIES = 20


class UpNextTest(ProductionCase):
    def setUp(self):
        self.client.force_login(self.reviewer)
        self.other = actions.start_production(self.lead, "Bells", self.production.spec_version)
        actions.admit(self.lead, self.other, self.reviewer, Membership.Role.REVIEWER)

    def due(self, mix, days):
        type(mix.programme).objects.filter(pk=mix.programme_id).update(due=timezone.localdate() + timedelta(days=days))
        return mix

    def found(self, production=None, number=1, days=0):
        mix = self.due(make_mix(production or self.production, self.lead, number, f"No. {number}"), days)
        measure_mix(mix)
        return mix

    def send(self, mix, *said):
        """Every finding is noted and sent, and answered in turn."""
        for mark in mix.marks.all():
            notes.decide(self.reviewer, mark, mix, Decision.What.NOTE)
        contact = contacts.add_contact(self.reviewer, mix.production, "Ines", "ines@cut.example")
        sent = dispatch.send(self.reviewer, prepare(self.reviewer, mix, [contact]))
        for item, what in zip(sent.items.all(), said, strict=False):
            answers.answer(sent.recipients.get(), item, what, "why", f"k{item.pk}")
        return sent

    def told(self, person=None):
        return [(t.row.programme.title, t.words.split(",")[0], t.when) for t in UpNext(person or self.reviewer).tasks]

    def test_by_day_over_all_productions(self):
        self.found(number=1, days=9)
        self.found(self.other, number=2, days=-1)
        self.found(number=3, days=1)
        self.found(self.other, number=4, days=5)
        self.assertEqual(
            self.told(),
            [
                ("No. 2", "decide 2", "overdue"),
                ("No. 3", "decide 2", "tomorrow"),
                ("No. 4", "decide 2", "within a week"),
                ("No. 1", "decide 2", "later"),
            ],
        )

    def test_on_one_day_whoever_waits_comes_first(self):
        self.found(number=1)
        self.send(self.found(number=2), Answer.What.FIXED, Answer.What.QUESTION)
        noted = self.found(number=3)
        for mark in noted.marks.all():
            notes.decide(self.reviewer, mark, noted, Decision.What.NOTE)
        self.send(self.found(number=4), Answer.What.FIXED, Answer.What.FIXED)
        failed = self.due(make_mix(self.production, self.lead, 5, "No. 5"), 0)
        Run.objects.create(mix=failed, state=Run.State.FAILED)
        actions.plan_programme(self.reviewer, self.production, 6, "No. 6", timezone.localdate())
        self.assertEqual(
            [(title, words) for title, words, _ in self.told()],
            [
                ("No. 2", "1 answer with a question or a reason"),
                ("No. 1", "decide 2"),
                ("No. 3", "send 2 notes"),
                ("No. 4", "all answered: wants a new mix or a word"),
                ("No. 5", "could not be measured"),
                ("No. 6", "no mix has come"),
            ],
        )

    def test_what_is_not_mine_to_do_is_left_out(self):
        self.send(self.found(number=1))
        decided = self.found(number=2)
        for mark in decided.marks.all():
            notes.decide(self.reviewer, mark, decided, Decision.What.NOT_A_FAULT)
        actions.plan_programme(self.reviewer, self.production, 3, "Not due yet", timezone.localdate() + timedelta(2))
        archive.archive(self.lead, self.found(number=4).programme)
        Run.objects.create(mix=make_mix(self.production, self.lead, 5), state=Run.State.RUNNING)
        self.assertEqual(self.told(), [])
        self.assertContains(self.client.get(reverse("up-next")), "Nothing waits for you")
        self.found(number=6)
        self.assertEqual(self.told(self.guest), [], "a guest only looks")
        self.assertEqual(self.told(self.stranger), [])
        archive.archive(self.lead, self.production)
        self.assertEqual(self.told(), [], "in the archive")

    def test_the_page_is_gone_through_by_keys_and_keeps_itself_fresh(self):
        mix = self.found()
        page = self.client.get(reverse("up-next"))
        self.assertContains(page, f'data-key="Enter" data-task\n    href="{reverse("mix", args=[mix.pk])}"')
        self.assertContains(page, 'data-key="2"')
        self.assertContains(page, "1 to do")
        version = page.context["version"]
        state = reverse("up-next-state")

        def ask():
            return self.client.get(state, {"seen": version}, headers={"Accept": "application/json"})

        self.assertEqual(ask().status_code, 204)
        for mark in mix.marks.all():
            notes.decide(self.reviewer, mark, mix, Decision.What.NOT_A_FAULT)
        self.assertIn("Nothing waits", ask().json()["parts"]["tasks"])
        self.assertRedirects(self.client.get(state), reverse("up-next"))

    def test_queries_do_not_grow(self):
        self.found()
        with self.assertNumQueries(QUERIES):
            self.client.get(reverse("up-next"))
        for number in range(2, 6):
            self.found(self.other if number % 2 else None, number)
        with self.assertNumQueries(QUERIES):
            self.client.get(reverse("up-next"))
