"""Whether everything runs, and how much waits."""

from unittest import mock

from django.core.cache import cache
from django.db import OperationalError as DatabaseGone
from django.test import override_settings
from django.urls import reverse
from kombu.exceptions import OperationalError as QueueGone

from mezzavoce.people import members
from mezzavoce.screens import health
from tests.web.base import ProductionCase, make_mix


class HealthTest(ProductionCase):
    def health(self, pong=(), **broken):
        with mock.patch.object(health.app.control, "ping", side_effect=broken.get("queue"), return_value=list(pong)):
            answer = self.client.get(reverse("health"))
        return answer.status_code, {name for name, runs in answer.json().items() if not runs}

    def test_all_runs(self):
        self.assertEqual(self.health(pong=[{"errands@x": "pong"}]), (200, set()))

    def test_no_worker_answers(self):
        self.assertEqual(self.health(), (503, {"workers"}))

    def test_the_queue_is_away(self):
        self.assertEqual(self.health(queue=QueueGone("refused")), (503, {"queue", "workers"}))

    def test_the_database_is_away(self):
        with mock.patch.object(health, "_ask_database", side_effect=DatabaseGone("gone")):
            self.assertEqual(self.health(pong=[{"errands@x": "pong"}]), (503, {"database"}))


class FiguresTest(ProductionCase):
    def setUp(self):
        cache.clear()
        self.enterContext(mock.patch.object(health.app.control, "ping", return_value=[{"a": "pong"}, {"b": "pong"}]))

    def lines(self, **how):
        answer = self.client.get(reverse("figures"), **how)
        return answer.status_code, answer.content.decode().splitlines()

    def test_work_by_kind_and_state(self):
        make_mix(self.production, self.lead)
        members.invite(self.lead, self.production, "mara@house.example", "guest")
        status, lines = self.lines()
        self.assertEqual(status, 200)
        self.assertIn('mezzavoce_work{kind="link mail",state="waiting"} 1', lines)
        self.assertIn('mezzavoce_work{kind="playback",state="waiting"} 1', lines)
        self.assertIn('mezzavoce_work_due{kind="link mail"} 1', lines)
        self.assertIn("mezzavoce_workers 2", lines)

    def test_every_figure_has_a_type_before_it(self):
        make_mix(self.production, self.lead)
        _, lines = self.lines()
        typed = {line.split()[2] for line in lines if line.startswith("# TYPE")}
        self.assertEqual({line.split("{")[0].split()[0] for line in lines if not line.startswith("#")}, typed)

    def test_from_elsewhere_only_with_the_token(self):
        elsewhere = {"REMOTE_ADDR": "192.0.2.7"}
        self.assertEqual(self.lines(**elsewhere)[0], 404)
        self.assertEqual(self.lines(headers={"Authorization": "Bearer "}, **elsewhere)[0], 404)
        with override_settings(FIGURES_TOKEN="seven gulls"):
            self.assertEqual(self.lines(headers={"Authorization": "Bearer seven gulls"}, **elsewhere)[0], 200)
            self.assertEqual(self.lines(headers={"Authorization": "Bearer six gulls"}, **elsewhere)[0], 404)
