"""The one queue behind measuring, playback, excerpts and mail.

Whose turn it is, who holds what, how often it is tried, and what is said at the end.
"""

import errno
from datetime import timedelta
from unittest import mock

from django.utils import timezone
from kombu.exceptions import OperationalError

from mezzavoce.config import celery
from mezzavoce.library import actions as library
from mezzavoce.library.models import Playback
from mezzavoce.measuring import actions
from mezzavoce.measuring.models import Run
from mezzavoce.measuring.queue import RUNS
from mezzavoce.transcoding.playback import PLAYBACKS
from mezzavoce.work import waking
from mezzavoce.work.execution import work_next
from mezzavoce.work.models import Turn
from mezzavoce.work.queue import Rules
from mezzavoce_core.errors import NotMeasurable, ToolFailed
from tests.web.base import ProductionCase, make_mix

LONG_AGO = timedelta(hours=1)


class TurnsTest(ProductionCase):
    def ask(self, production, number):
        return actions.request_run(self.lead, make_mix(production, self.lead, number))

    def test_the_production_that_was_served_longest_ago_goes_first_with_one_worker_too(self):
        other = library.start_production(self.lead, "Other", library.preset_version("EBU R 128"))
        many = [self.ask(self.production, number) for number in (1, 2, 3, 4)]
        few = [self.ask(other, number) for number in (1, 2)]
        taken = []
        while run := RUNS.claim():
            taken.append(run.pk)
            # One worker: the next run is claimed when this one is over.
            RUNS.end(run, Run.State.MEASURED)
        self.assertEqual(taken, [many[0].pk, few[0].pk, many[1].pk, few[1].pk, many[2].pk, many[3].pk])
        self.assertEqual(Turn.objects.filter(kind="measuring").count(), 2)

    def test_each_kind_of_work_has_turns_of_its_own(self):
        self.ask(self.production, 1)
        self.assertEqual(PLAYBACKS.claim().mix, RUNS.claim().mix)
        self.assertEqual(sorted(Turn.objects.values_list("kind", flat=True)), ["measuring", "playback"])


class LeaseTest(ProductionCase):
    def setUp(self):
        self.run_row = actions.request_run(self.lead, make_mix(self.production, self.lead))

    def work(self, outcome):
        with mock.patch.object(actions, "_carry_out", side_effect=outcome):
            done = work_next(RUNS, actions._carry_out)
        self.run_row.refresh_from_db()
        return done

    def test_put_off_longer_each_time(self):
        rules = Rules(lease_s=1, most_attempts=9, first_wait_s=5, given_up="", longest_wait_s=300)
        self.assertEqual([rules.wait_s(n) for n in (1, 2, 3, 4, 9)], [5, 20, 80, 300, 300])

    def test_whatever_goes_wrong_ends_in_a_state_and_a_sentence(self):
        for outcome, state, words in (
            (ToolFailed("It was killed."), Run.State.WAITING, "It was killed."),
            (ValueError("a bug"), Run.State.WAITING, "nobody expected"),
            (OSError(errno.ENOSPC, "No space left on device"), Run.State.WAITING, "disk of this Mezzavoce is full"),
            (NotMeasurable("It is silent."), Run.State.FAILED, "It is silent."),
        ):
            Run.objects.update(next_try=None, attempts=0)
            self.assertTrue(self.work(outcome))
            self.assertEqual((self.run_row.state, self.run_row.lease_holder), (state, ""))
            self.assertIn(words, self.run_row.error)
        self.assertIsNotNone(self.run_row.finished)

    def test_one_that_goes_wrong_does_not_keep_the_next_one_waiting(self):
        second = actions.request_run(self.lead, make_mix(self.production, self.lead, 2))
        self.work(ValueError("a bug"))
        self.assertEqual(RUNS.claim().pk, second.pk)

    def test_what_a_lost_worker_says_later_does_not_count(self):
        lost = RUNS.claim()
        Run.objects.update(lease_until=timezone.now() - LONG_AGO)
        found = RUNS.claim()
        self.assertFalse(RUNS.end(lost, Run.State.MEASURED) or RUNS.postpone(lost, "late") or RUNS.extend(lost))
        self.assertTrue(RUNS.end(found, Run.State.MEASURED))

    def test_a_lease_goes_on_while_somebody_works(self):
        row = PLAYBACKS.claim()
        Playback.objects.update(lease_until=timezone.now() + timedelta(seconds=1))
        self.assertTrue(PLAYBACKS.extend(row))
        self.assertGreater(Playback.objects.get().lease_until, timezone.now() + timedelta(seconds=30))


class BellTest(ProductionCase):
    def test_a_queue_that_is_away_is_no_error(self):
        mix = make_mix(self.production, self.lead)
        away = mock.patch.object(celery.app, "send_task", side_effect=OperationalError("connection refused"))
        with away as rung, self.captureOnCommitCallbacks(execute=True):
            actions.request_run(self.reviewer, mix)
        self.assertTrue(rung.called)
        self.assertEqual(Run.objects.get().state, Run.State.WAITING)

    def test_it_rings_once_and_does_not_wait_for_the_queue(self):
        with mock.patch.object(celery.app, "send_task") as rung:
            waking.wake_workers("measuring.tasks.wake")
        rung.assert_called_once_with("mezzavoce.measuring.tasks.wake", retry=False)
