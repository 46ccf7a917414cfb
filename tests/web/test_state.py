"""What a page that keeps itself fresh is told: what changed since the version that it shows, and nothing else."""

import json

from django.urls import reverse

from mezzavoce.measuring import actions as measuring
from mezzavoce.notes import actions as notes
from mezzavoce.notes.models import Decision, Note, Placement
from mezzavoce_core.exchange.series import without
from tests.signals import chord, talk, three_stems
from tests.web.base import SPANS, ProductionCase, make_mix, measure_mix

NOTHING_NEW_QUERIES = 12


class StateCase(ProductionCase):
    def setUp(self):
        self.client.force_login(self.reviewer)
        self.mix = make_mix(self.production, self.lead)
        measure_mix(self.mix, three_stems(talk(40, SPANS), chord(40, -22)))
        self.marks = [p.mark for p in Placement.objects.order_by("in_sample", "id")]
        first = self.marks[0].label
        self.shown = {"mark": first, "shown": first}
        self.seen = self.changes("mix-state", self.mix, **self.shown)["version"]

    def state(self, **words):
        return self.changes("mix-state", self.mix, seen=self.seen, **{**self.shown, **words})

    def post(self, name, *keys, **data):
        address = reverse(name, args=keys, query={"seen": self.seen, **self.shown})
        return self.client.post(address, data, headers={"Accept": "application/json"}).json()


class ReviewStateTest(StateCase):
    def test_nothing_where_nothing_changed_and_it_costs_little(self):
        with self.assertNumQueries(NOTHING_NEW_QUERIES):
            self.assertEqual(self.state(), {})

    def test_another_mark_is_its_finding_alone(self):
        other = self.marks[1].label
        state = self.state(mark=other)
        self.assertEqual((state["chosen"], list(state["parts"])), (other, ["finding"]))
        self.assertEqual(set(state), {"version", "chosen", "playback", "parts"})
        self.assertIn(f'data-mark="{other}"', state["parts"]["finding"])

    def test_a_decision_sends_its_own_line_and_states(self):
        state = self.post("decide", self.mix.pk, self.marks[0].pk, what="note it")
        self.assertEqual(set(state), {"version", "chosen", "playback", "parts", "facts", "lines", "states"})
        self.assertEqual(list(state["lines"]), [self.marks[0].label])
        self.assertIn("noted", state["lines"][self.marks[0].label])
        self.assertEqual(state["states"][self.marks[0].label], "noted")
        self.assertEqual(set(state["parts"]), {"finding", "undo", "figures"})
        self.assertEqual(state["facts"]["noted"], "1")

    def test_deciding_can_go_on_to_another_mark(self):
        self.shown["mark"] = self.marks[1].label
        state = self.post("decide", self.mix.pk, self.marks[0].pk, what="not a fault")
        self.assertEqual(state["chosen"], self.marks[1].label)
        self.assertIn(f'data-mark="{self.marks[1].label}"', state["parts"]["finding"])

    def test_undo_goes_to_the_mark_that_it_was_about(self):
        notes.decide(self.reviewer, self.marks[1], self.mix, "note it")
        state = self.post("undo", self.mix.pk)
        self.assertEqual((state["chosen"], Decision.objects.last().what), (self.marks[1].label, "reopen"))

    def test_a_wording_sends_the_finding_alone(self):
        notes.decide(self.reviewer, self.marks[0], self.mix, "note it")
        self.seen = self.changes("mix-state", self.mix, **self.shown)["version"]
        note = Note.objects.get()
        state = self.post("word-note", note.pk, version=note.version, text="Please lower it.")
        self.assertEqual(set(state), {"version", "chosen", "playback", "parts"})
        self.assertEqual(list(state["parts"]), ["finding"])
        self.assertIn("Please lower it.", state["parts"]["finding"])

    def test_a_correction_sends_what_hangs_on_the_judgement(self):
        state = self.post("correct", self.mix.pk, kind="no-speech", **{"from": "10:00:23:12", "to": "10:00:31:00"})
        self.assertEqual(state["data"]["speech"], [[8.0, 14.0]])
        self.assertEqual(state["order"], [m["label"] for m in state["data"]["marks"]])
        self.assertEqual(set(state["lines"]), set(state["order"]))
        self.assertEqual(set(state["parts"]), {"figures", "range", "finding", "undo"})

    def test_progress_sends_the_word_about_measuring_alone(self):
        run = measuring.request_run(self.reviewer, self.mix)
        self.seen = self.changes("mix-state", self.mix, **self.shown)["version"]
        run.stage, run.progress = "peaks", 0.5
        run.save()
        self.assertEqual(list(self.state()["parts"]), ["measuring"])

    def test_a_picture_that_cannot_be_prepared_is_said(self):
        made = self.mix.playback
        made.state, made.error = "failed", "No picture could be made of this."
        made.save()
        state = self.state()
        self.assertEqual(list(state["parts"]), ["preparing"])
        self.assertIn(made.error, state["parts"]["preparing"])

    def test_a_version_that_no_page_of_ours_sends_is_none(self):
        for seen in ("x" * 5000, "&".join(f"a{k}=1" for k in range(50)), "%ff=%00", "judged"):
            self.seen = seen
            self.assertEqual(
                set(self.state()["parts"]), {"figures", "range", "finding", "undo", "measuring", "preparing"}
            )


class CurvesTest(StateCase):
    def curves(self, have=(), **headers):
        return self.client.get(reverse("series", args=[self.mix.pk]), {"have": ",".join(have)}, headers=headers)

    def header(self, content):
        return json.loads(content.partition(b"\n")[0])

    def test_what_did_not_change_is_not_sent(self):
        first = self.curves()
        digests = self.header(first.content)["digests"]
        again = self.curves(**{"If-None-Match": first["ETag"]})
        self.assertEqual((again.status_code, again.content), (304, b""))
        measuring.correct(self.reviewer, self.mix, "no-speech", ("10:00:23:12", "10:00:31:00"))
        fresh = self.curves(digests.values(), **{"If-None-Match": first["ETag"]})
        self.assertEqual(fresh.status_code, 200)
        header = self.header(fresh.content)
        changed = {name for name, digest in header["digests"].items() if digests[name] != digest}
        self.assertEqual(set(header["curves"]), changed)
        self.assertIn("speech_probability", changed)
        self.assertNotIn("momentary_lufs", changed)
        self.assertLess(len(fresh.content), len(first.content) / 2)

    def test_a_file_without_digests_is_read_too(self):
        content = self.curves().content
        line, _, values = content.partition(b"\n")
        header = json.loads(line)
        digests = header.pop("digests")
        old = json.dumps(header).encode() + b"\n" + values
        told = self.header(without(old, [digests["speech_lufs"]]))
        self.assertEqual(told["digests"], digests)
        self.assertNotIn("speech_lufs", told["curves"])
