"""The queue of runs: leases, fairness, cancelling, killed workers; and judging without decoding."""

import json
import signal
import tempfile
from datetime import timedelta
from pathlib import Path
from unittest import mock

from django.conf import settings
from django.test import SimpleTestCase
from django.urls import reverse
from django.utils import timezone

from mezzavoce.config.refusals import Overtaken, Refused
from mezzavoce.library import actions as library
from mezzavoce.library.models import Spec, SpecVersion
from mezzavoce.measuring import actions, judging, tasks
from mezzavoce.measuring.models import Finding, Judgement, Run
from mezzavoce.measuring.queue import RUNS
from mezzavoce.measuring.selectors import current_judgement
from mezzavoce.processes import core as core_process
from mezzavoce.work.execution import NotWanted
from mezzavoce_core.errors import NotMeasurable, ToolFailed
from tests.signals import sine, stereo, write_wav
from tests.web.base import ProductionCase, clean, make_mix, measure_mix


class QueueTest(ProductionCase):
    def ask(self, number=1, production=None):
        return actions.request_run(self.lead, make_mix(production or self.production, self.lead, number))

    def test_one_active_run_a_mix(self):
        run = self.ask()
        with self.assertRaisesRegex(Overtaken, "is being measured already"):
            actions.request_run(self.reviewer, run.mix)

    def test_claiming_takes_a_lease(self):
        run = self.ask()
        claimed = RUNS.claim()
        self.assertEqual((claimed.pk, claimed.state, claimed.attempts), (run.pk, Run.State.RUNNING, 1))
        self.assertGreater(claimed.lease_until, timezone.now())
        self.assertIsNone(RUNS.claim())

    def test_an_orphan_is_taken_up_when_its_lease_is_over(self):
        self.ask()
        first = RUNS.claim()
        Run.objects.update(lease_until=timezone.now() - timedelta(seconds=1))
        second = RUNS.claim()
        self.assertEqual((second.pk, second.attempts), (first.pk, 2))
        self.assertFalse(RUNS.extend(first, progress=0.5))
        self.assertTrue(RUNS.extend(second, progress=0.5))

    def test_after_three_attempts_it_ends_with_a_sentence(self):
        run = self.ask()
        Run.objects.update(state=Run.State.RUNNING, attempts=3, lease_until=timezone.now() - timedelta(seconds=1))
        self.assertIsNone(RUNS.claim())
        run.refresh_from_db()
        self.assertEqual((run.state, run.active_key), (Run.State.FAILED, None))
        self.assertIn("stopped 3 times", run.error)

    def test_fair_between_productions(self):
        other = library.start_production(self.lead, "Other", library.preset_version("EBU R 128"))
        for number in (1, 2, 3):
            self.ask(number)
        late = self.ask(1, other)
        RUNS.claim()
        self.assertEqual(RUNS.claim().pk, late.pk)

    def test_cancelling(self):
        run = self.ask()
        claimed = RUNS.claim()
        actions.cancel_run(self.reviewer, run)
        self.assertFalse(RUNS.extend(claimed, progress=0.5))
        with self.assertRaisesRegex(Overtaken, "over already"):
            actions.cancel_run(self.reviewer, run)
        actions.request_run(self.reviewer, run.mix)

    def test_cancel_and_measure_from_the_page(self):
        run = self.ask()
        self.client.force_login(self.reviewer)
        self.client.post(reverse("cancel-run", args=[run.pk]))
        page = self.client.get(reverse("mix", args=[run.mix_id]))
        self.assertContains(page, "Measuring was cancelled")
        self.client.post(reverse("measure", args=[run.mix_id]))
        self.assertContains(self.client.get(reverse("mix", args=[run.mix_id])), "is being measured")
        state = self.changes("mix-state", run.mix)
        self.assertIn("waiting for its turn", state["parts"]["measuring"])


class WorkTest(ProductionCase):
    def setUp(self):
        self.mix = make_mix(self.production, self.lead)
        self.run_row = actions.request_run(self.lead, self.mix)

    def work(self, outcome):
        with mock.patch.object(core_process, "measure", side_effect=outcome):
            self.assertTrue(actions.work_next())
        self.run_row.refresh_from_db()
        return self.run_row

    def test_nothing_to_do(self):
        Run.objects.all().delete()
        self.assertFalse(actions.work_next())

    def test_a_final_error_is_shown_on_the_page(self):
        run = self.work(NotMeasurable("“x.wav” is silent; check the track."))
        self.assertEqual((run.state, run.error), (Run.State.FAILED, "“x.wav” is silent; check the track."))
        self.client.force_login(self.guest)
        self.assertContains(self.client.get(reverse("mix", args=[self.mix.pk])), "is silent; check the track")

    def test_a_temporary_error_is_tried_again(self):
        run = self.work(ToolFailed("killed"))
        self.assertEqual((run.state, run.attempts, run.error), (Run.State.WAITING, 1, "killed"))
        self.assertGreater(run.next_try, timezone.now())
        self.assertFalse(actions.work_next())
        Run.objects.update(next_try=None, attempts=2)
        self.assertEqual(self.work(ToolFailed("killed")).state, Run.State.FAILED)

    def test_cancelled_meanwhile(self):
        def cancel(order, hold):
            actions.cancel_run(self.lead, self.run_row)
            raise NotWanted

        self.assertEqual(self.work(cancel).state, Run.State.CANCELLED)

    def test_a_result_that_comes_too_late_is_dropped(self):
        def late(order, hold):
            order.features.write_bytes(b"x")
            Run.objects.update(lease_holder="somebody else")

        self.assertEqual(self.work(late).features, None)

    def test_tasks_wake_and_work_until_nothing_waits(self):
        with mock.patch.object(actions, "work_next", side_effect=[True, True, False]) as work:
            tasks.wake()
        self.assertEqual(work.call_count, 3)


class CoreProcessTest(SimpleTestCase):
    def setUp(self):
        settings.WORK_DIR.mkdir(parents=True, exist_ok=True)
        holder = tempfile.TemporaryDirectory(dir=settings.WORK_DIR)
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    def order(self, name="mix.wav", seconds=6.0):
        path = self.folder / "mix.wav"
        write_wav(path, stereo(sine(-23, seconds)))
        job = {
            "mix": {"paths": [str(self.folder / name)], "name": name},
            "stems": [],
            "rate": "25",
            "start": "10:00:00:00",
        }
        return core_process.MeasureRequest(job, self.folder / "features.npz", seconds)

    def test_measures_and_reports(self):
        heard = []
        core_process.measure(self.order(), lambda share, doing: heard.append((share, doing)) or True)
        self.assertTrue((self.folder / "features.npz").exists())
        self.assertTrue(heard)

    def test_the_cores_sentence_arrives(self):
        with self.assertRaisesRegex(NotMeasurable, "There is no file “gone.wav”"):
            core_process.measure(self.order("gone.wav"), lambda *_: True)

    def test_cancelling_kills_it(self):
        with self.assertRaises(NotWanted):
            core_process.measure(self.order(seconds=240), lambda *_: False)

    def test_killed_is_temporary(self):
        real = core_process._listen

        def kill(process, hold, end):
            process.send_signal(signal.SIGKILL)
            return real(process, hold, end)

        with mock.patch.object(core_process, "_listen", kill), self.assertRaises(ToolFailed) as caught:
            core_process.measure(self.order(), lambda *_: True)
        self.assertTrue(caught.exception.temporary)

    def test_too_long_is_final(self):
        with (
            self.settings(CORE_SECONDS=0, CORE_SECONDS_PER_SECOND=0),
            self.assertRaisesRegex(NotMeasurable, "far longer"),
        ):
            core_process.measure(self.order(), lambda *_: True)

    def test_no_secrets_go_along(self):
        self.assertFalse(
            [name for name in core_process._environment(self.folder) if "SECRET" in name or "PASSWORD" in name]
        )


class JudgingTest(ProductionCase):
    def setUp(self):
        self.mix = make_mix(self.production, self.lead)
        self.judgement = measure_mix(self.mix)

    def test_figures_and_findings(self):
        self.assertEqual(self.judgement.verdict, "fail")
        self.assertIn("duck-missing", [f.kind for f in self.judgement.findings.all()])
        self.assertEqual(len(self.judgement.figures["ratios_lu"]), 2)
        self.assertEqual(self.judgement.figures["must"], self.judgement.findings.filter(severity="must").count())

    def test_another_spec_needs_no_measuring(self):
        spec = Spec.objects.create(production=self.production, name="Loose")
        loose = SpecVersion.objects.create(
            spec=spec, limits={"integrated_lufs": None, "clearance_lu": None, "first_word_lu": None}
        )
        again = judging.judge_run(self.judgement.run, loose)
        self.assertEqual(again.verdict, "pass")
        self.mix.programme.spec_version = loose
        self.assertEqual(current_judgement(self.mix), again)
        self.assertEqual(Judgement.objects.count(), 2)

    def test_judging_again_replaces(self):
        count = Finding.objects.count()
        judging.judge_run(self.judgement.run, self.judgement.spec_version)
        self.assertEqual((Judgement.objects.count(), Finding.objects.count()), (1, count))

    def test_nothing_to_judge(self):
        with self.assertRaisesRegex(Refused, "measure it first"):
            judging.judge_run(Run.objects.create(mix=self.mix), self.judgement.spec_version)

    def test_newest_run_counts(self):
        newer = measure_mix(self.mix, clean())
        self.assertEqual(current_judgement(self.mix), newer)

    def test_curves_for_the_page(self):
        self.client.force_login(self.guest)
        response = self.client.get(reverse("series", args=[self.mix.pk]))
        self.assertEqual(json.loads(response.content.partition(b"\n")[0])["count"], 400)
        self.assertEqual(
            self.client.get(reverse("series", args=[make_mix(self.production, self.lead, 2).pk])).status_code, 404
        )
