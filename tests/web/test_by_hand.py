"""What people set by hand: speech regions, important effects, bounds of findings, several decided at once.

Undone one after the other; heard.
"""

import io
import wave
from unittest import mock

from django.urls import reverse

from mezzavoce.accounts.models import AuditEntry
from mezzavoce.config.refusals import NotAllowed, Overtaken, Refused
from mezzavoce.library.models import Mix, StoredFile, Track
from mezzavoce.library.storage import keep
from mezzavoce.measuring import actions as measuring
from mezzavoce.measuring import judgement_cache, judging
from mezzavoce.measuring.models import Correction, Judgement
from mezzavoce.measuring.selectors import current_judgement
from mezzavoce.notes import actions
from mezzavoce.notes.models import Decision, Note, Trim
from mezzavoce.notes.selectors import marked
from mezzavoce.processes.folders import work_folder
from mezzavoce.screens.review import review
from mezzavoce_core.errors import TimecodeError
from mezzavoce_core.measure import music_gain
from mezzavoce_core.media.probe import probe
from tests.signals import chord, noise, stereo, talk, three_stems, write_wav
from tests.web.base import SPANS, ProductionCase, make_mix, measure_mix


class HandCase(ProductionCase):
    def setUp(self):
        self.client.force_login(self.reviewer)
        self.mix = make_mix(self.production, self.lead)
        # Two passages under music that does not give way.
        measure_mix(self.mix, three_stems(talk(40, SPANS), chord(40, -22)))

    def found(self):
        mix = Mix.objects.get(pk=self.mix.pk)
        return marked(mix, current_judgement(mix))

    def of(self, kind):
        return [m for m in self.found() if m.mark.kind == kind]

    def speech(self):
        return [
            (round(s["in_s"], 2), round(s["out_s"], 2), s["by_hand"])
            for s in current_judgement(self.mix).detail["speech"]
        ]

    def post(self, name, *keys, **data):
        data = {k.rstrip("_"): v for k, v in data.items()}
        return self.client.post(reverse(name, args=keys), data, headers={"Accept": "application/json"})


class CorrectionTest(HandCase):
    def test_nobody_speaks_here(self):
        self.assertEqual(len(self.of("duck-missing")), 2)
        answer = self.post("correct", self.mix.pk, kind="no-speech", from_="10:00:23:12", to="10:00:31:00")
        self.assertEqual(answer.status_code, 200)
        self.assertEqual(self.speech(), [(8.0, 14.0, False)])
        self.assertEqual([round(m.in_s) for m in self.of("duck-missing") if m.finding], [8])
        self.assertEqual(AuditEntry.objects.filter(action="correct: nobody speaks").count(), 1)

    def test_the_ends_of_a_region_are_moved(self):
        """Nothing of the region as it was is left, and undo brings all of it back."""
        moved = {
            "from_": "10:00:09:00",
            "to": "10:00:13:00",
            "instead-from": "10:00:08:00",
            "instead-to": "10:00:14:00",
        }
        self.assertEqual(self.post("prejudge", self.mix.pk, kind="speech", **moved).status_code, 200)
        self.assertEqual(self.post("correct", self.mix.pk, kind="speech", **moved).status_code, 200)
        self.assertEqual(self.speech(), [(9.0, 13.0, True), (24.0, 30.0, False)])
        actions.undo(self.reviewer, self.mix)
        self.assertEqual(self.speech(), [(8.0, 14.0, False), (24.0, 30.0, False)])
        refused = self.post("correct", self.mix.pk, kind="speech", **moved | {"instead-to": "10:00:07:00"})
        self.assertEqual((refused.status_code, Correction.objects.filter(withdrawn=None).count()), (422, 0))

    def test_what_stays_as_it_was_keeps_its_row(self):
        """Of hundreds of findings only those are written anew that a word changes."""
        before = {f.pk: f for f in Judgement.objects.get().findings.all()}
        measuring.correct(self.reviewer, self.mix, "no-speech", ("10:00:23:12", "10:00:31:00"))
        after = {f.pk: f for f in Judgement.objects.get().findings.all()}
        kept = before.keys() & after.keys()
        self.assertEqual(
            [(f.kind, round(f.in_s)) for f in after.values() if f.pk in kept and f.kind == "duck-missing"],
            [("duck-missing", 8)],
        )
        self.assertTrue(
            all((before[k].evidence, before[k].mark_id) == (after[k].evidence, after[k].mark_id) for k in kept)
        )
        gone = [before[k] for k in before.keys() - kept]
        self.assertIn(("duck-missing", 24), [(f.kind, round(f.in_s)) for f in gone])
        self.assertTrue(all(f.evidence not in [a.evidence for a in after.values()] for f in gone))

    def test_judged_again_from_memory_as_from_the_file(self):
        with mock.patch.object(judgement_cache, "read_features", side_effect=judgement_cache.read_features) as reading:
            for span in (("10:00:08:00", "10:00:09:00"), ("10:00:24:00", "10:00:25:00")):
                measuring.correct(self.reviewer, self.mix, "no-speech", span)
            remembered = current_judgement(self.mix)
            self.assertEqual(reading.call_count, 1)
            run = remembered.run
            found = list(remembered.findings.values_list("evidence", "mark"))
            self.assertEqual(
                list(judging.judge_run(run, remembered.spec_version).findings.values_list("evidence", "mark")), found
            )
            self.assertEqual(reading.call_count, 2)

    def test_two_people_at_two_mixes_do_not_push_each_other_out(self):
        other = make_mix(self.production, self.lead, 2)
        measure_mix(other)
        with mock.patch.object(judgement_cache, "read_features", side_effect=judgement_cache.read_features) as reading:
            for begin in ("10:00:08:00", "10:00:09:00", "10:00:10:00"):
                for mix in (self.mix, other):
                    measuring.correct(self.reviewer, mix, "no-speech", (begin, "10:00:12:00"))
        self.assertEqual(reading.call_count, 2)

    def test_another_spec_takes_the_measurement_and_not_the_judgement(self):
        kept, asked = judgement_cache.JudgementCache(2), []
        run = self.mix.runs.get()
        with mock.patch.object(judgement_cache, "read_features", side_effect=judgement_cache.read_features) as reading:
            for spec in (1, 2, 1, 3, 2):
                kept.judged(run.features, spec, lambda measurement, earlier: asked.append(earlier) or measurement)
        # The third spec pushes out the one that was asked for longest ago.
        self.assertEqual([earlier is None for earlier in asked], [True, True, False, True, True])
        self.assertEqual(reading.call_count, 1)

    def test_what_was_looked_at_again_is_known_in_every_process(self):
        with mock.patch("mezzavoce_core.measure.music_gain.find_gain", side_effect=music_gain.find_gain) as looked:
            measuring.correct(self.reviewer, self.mix, "no-speech", ("10:00:24:00", "10:00:25:00"))
            found = current_judgement(self.mix).detail["ducks"]
            self.assertEqual(looked.call_count, 1)
            with mock.patch.object(judging, "_CACHE", judgement_cache.JudgementCache(4)):
                self.assertEqual(judging.rejudge(self.mix).detail["ducks"], found)
            self.assertEqual(looked.call_count, 1)
            # Of another kind than this version knows.
            Judgement.objects.update(revisited={"key": {"ducks": [{"depth": 3}], "nats": 1}})
            with mock.patch.object(judging, "_CACHE", judgement_cache.JudgementCache(4)):
                self.assertEqual(judging.rejudge(self.mix).detail["ducks"], found)
            self.assertEqual(looked.call_count, 2)

    def test_what_is_being_set_is_looked_at_ahead(self):
        """Nothing counts before it is said; then it takes no look any more, and comes out as it would have."""
        span = {"from_": "10:00:24:00", "to": "10:00:27:00"}
        before = Judgement.objects.get()
        with mock.patch("mezzavoce_core.measure.music_gain.find_gain", side_effect=music_gain.find_gain) as looked:
            answer = self.post("prejudge", self.mix.pk, kind="no-speech", **span)
            self.assertEqual((answer.status_code, answer.json(), looked.call_count), (200, {}, 1))
            self.assertEqual((Judgement.objects.get(), Correction.objects.count()), (before, 0))
            self.assertEqual(self.speech(), [(8.0, 14.0, False), (24.0, 30.0, False)])
            # Any process knows of it.
            with mock.patch.object(judging, "_CACHE", judgement_cache.JudgementCache(4)):
                self.post("correct", self.mix.pk, kind="no-speech", **span)
            self.assertEqual(looked.call_count, 1)
        ahead = current_judgement(self.mix)
        found = list(ahead.findings.values_list("evidence", "mark"))
        Judgement.objects.update(revisited={})
        with mock.patch.object(judging, "_CACHE", judgement_cache.JudgementCache(4)):
            self.assertEqual(list(judging.rejudge(self.mix).findings.values_list("evidence", "mark")), found)

    def test_what_cannot_be_said_is_not_looked_at(self):
        for kind, span in (("speech", ("10:00:05:00", "10:00:04:00")), ("laughter", ("10:00:01:00", "10:00:02:00"))):
            with self.subTest(kind):
                answer = self.post("prejudge", self.mix.pk, kind=kind, from_=span[0], to=span[1])
                self.assertEqual(answer.status_code, 422)
                self.assertTrue(answer.json()["error"])
        with self.assertRaises(NotAllowed):
            measuring.prejudge(self.guest, self.mix, "speech", ("10:00:01:00", "10:00:02:00"))
        self.mix.runs.update(features=None)
        measuring.prejudge(self.reviewer, self.mix, "speech", ("10:00:01:00", "10:00:02:00"))
        self.assertEqual(Judgement.objects.get().revisited, {})

    def test_another_mix_is_not_taken_for_the_last_one(self):
        measuring.correct(self.reviewer, self.mix, "no-speech", ("10:00:08:00", "10:00:14:00"))
        other = make_mix(self.production, self.lead)
        measure_mix(other, three_stems(talk(40, SPANS), chord(40, -60)))
        self.assertEqual(judging.rejudge(other).findings.filter(kind="duck-missing").count(), 0)
        self.assertEqual(judging.rejudge(self.mix).findings.filter(kind="duck-missing").count(), 1)

    def test_a_later_word_wins_and_undo_goes_back(self):
        measuring.correct(self.reviewer, self.mix, "no-speech", ("10:00:08:00", "10:00:14:00"))
        measuring.correct(self.reviewer, self.mix, "speech", ("10:00:09:00", "10:00:10:00"))
        self.assertEqual(self.speech()[0], (9.0, 10.0, True))
        answer = self.post("undo", self.mix.pk).json()
        self.assertIn("data", answer)
        self.assertEqual(self.speech(), [(24.0, 30.0, False)])
        actions.undo(self.reviewer, self.mix)
        self.assertEqual(self.speech(), [(8.0, 14.0, False), (24.0, 30.0, False)])
        self.assertEqual(Correction.objects.count(), 2)

    def test_it_outlives_measuring_again(self):
        measuring.correct(self.reviewer, self.mix, "speech", ("10:00:02:00", "10:00:04:00"))
        measure_mix(self.mix, three_stems(talk(40, SPANS), chord(40, -22)))
        self.assertEqual(self.speech()[0], (2.0, 4.0, True))

    def test_an_important_effect(self):
        measure_mix(self.mix, three_stems(talk(40, SPANS), chord(40, -22), noise(40, -45)))
        measuring.correct(self.reviewer, self.mix, "important-effect", ("10:00:16:00", "10:00:18:00"))
        (item,) = self.of("effect-masked")
        self.assertEqual((item.severity, item.mark.family), ("note", "effects"))

    def test_refusals_change_nothing(self):
        for kind, span in (
            ("speech", ("10:00:05:00", "10:00:04:00")),
            ("speech", ("10:02:00:00", "10:03:00:00")),
            ("laughter", ("10:00:01:00", "10:00:02:00")),
        ):
            with self.subTest(kind, span=span), self.assertRaises(Refused):
                measuring.correct(self.reviewer, self.mix, kind, span)
        with self.assertRaises(TimecodeError):
            measuring.correct(self.reviewer, self.mix, "speech", ("10:00:05:30", "10:00:08:00"))
        with self.assertRaises(NotAllowed):
            measuring.correct(self.guest, self.mix, "speech", ("10:00:05:00", "10:00:08:00"))
        self.assertEqual((Correction.objects.count(), Judgement.objects.count()), (0, 1))

    def test_taken_back_twice(self):
        row = measuring.correct(self.reviewer, self.mix, "speech", ("10:00:02:00", "10:00:04:00"))
        measuring.withdraw(self.reviewer, row)
        with self.assertRaisesRegex(Overtaken, "taken this back already"):
            measuring.withdraw(self.lead, row)


class TrimTest(HandCase):
    def test_bounds_by_hand_stay_until_they_are_undone(self):
        item = self.of("duck-missing")[0]
        answer = self.post("trim", self.mix.pk, item.mark.pk, from_="10:00:09:00", to="10:00:12:12")
        bounds = {m["label"]: (m["in"], m["out"]) for m in answer.json()["data"]["marks"]}
        self.assertEqual(bounds[item.mark.label], (9.0, 12.48))
        moved = self.of("duck-missing")[0]
        self.assertEqual(
            (moved.in_timecode, moved.out_timecode, round(moved.length_s, 3)), ("10:00:09:00", "10:00:12:12", 3.48)
        )
        judging.rejudge(Mix.objects.get(pk=self.mix.pk))
        self.assertEqual(self.of("duck-missing")[0].in_timecode, "10:00:09:00")
        self.assertEqual(actions.undo(self.reviewer, self.mix).label, item.mark.label)
        self.assertEqual(self.of("duck-missing")[0].in_s, item.in_s)

    def test_refusals(self):
        mark = self.of("duck-missing")[0].mark
        with self.assertRaises(Refused):
            actions.trim(self.reviewer, mark, self.mix, ("10:00:09:00", "10:00:09:00"))
        with self.assertRaises(NotAllowed):
            actions.trim(self.guest, mark, self.mix, ("10:00:09:00", "10:00:10:00"))
        self.assertEqual(Trim.objects.count(), 0)

    def test_a_stranger_sees_none(self):
        self.client.force_login(self.stranger)
        self.assertEqual(
            self.post(
                "trim", self.mix.pk, self.of("duck-missing")[0].mark.pk, from_="10:00:09:00", to="10:00:10:00"
            ).status_code,
            404,
        )


class AlikeTest(HandCase):
    def test_all_of_a_kind_are_decided_and_undone_together(self):
        first, second = (m.mark for m in self.of("duck-missing"))
        self.assertEqual(review(self.reviewer, self.mix.pk, first.label).alike, 2)
        answer = self.post("decide", self.mix.pk, first.pk, what="note it", alike="1", client_key="k1")
        self.assertEqual(answer.status_code, 200)
        self.assertEqual({m.state for m in self.of("duck-missing")}, {"noted"})
        self.assertEqual(Note.objects.filter(marks__in=[first, second]).count(), 2)
        self.assertEqual(review(self.reviewer, self.mix.pk).last.words, f"{first.label} noted and 1 alike")
        actions.undo(self.reviewer, self.mix)
        self.assertEqual({m.state for m in self.of("duck-missing")}, {"open"})
        with self.assertRaises(Refused):
            actions.undo(self.reviewer, self.mix)

    def test_what_was_decided_before_stays(self):
        first, second = (m.mark for m in self.of("duck-missing"))
        actions.decide(self.reviewer, second, self.mix, "allow", "a song")
        actions.decide_alike(self.reviewer, first, self.mix, "not a fault")
        self.assertEqual([m.state for m in self.of("duck-missing")], ["not a fault", "allowed"])

    def test_the_same_key_twice_does_it_once(self):
        mark = self.of("duck-missing")[0].mark
        actions.decide_alike(self.reviewer, mark, self.mix, "note it", client_key="k")
        self.assertEqual(actions.decide_alike(self.reviewer, mark, self.mix, "note it", client_key="k"), [])
        self.assertEqual(Decision.objects.count(), 2)

    def test_undo_takes_the_newest_of_everything(self):
        mark = self.of("duck-missing")[0].mark
        actions.decide(self.reviewer, mark, self.mix, "note it")
        actions.trim(self.reviewer, mark, self.mix, ("10:00:09:00", "10:00:10:00"))
        measuring.correct(self.reviewer, self.mix, "speech", ("10:00:02:00", "10:00:04:00"))
        kinds = [type(actions.undo(self.reviewer, self.mix).what) for _ in range(3)]
        self.assertEqual(kinds, [Correction, Trim, Decision])


class HeardTest(ProductionCase):
    """Real files, read by the core in its own process."""

    def setUp(self):
        self.client.force_login(self.reviewer)
        voice, music = talk(40, SPANS), chord(40, -22)
        self.mix = make_mix(self.production, self.lead)
        self.mix.tracks.all().delete()
        for role, signal in (("mix", voice + music), ("dialogue", voice), ("music", music)):
            with work_folder() as folder:
                path = write_wav(folder / "x.wav", stereo(signal))
                row = keep(
                    path,
                    self.production,
                    StoredFile.Kind.MEDIA,
                    f"{role}.wav",
                    sha256=role,
                    facts=probe(path).as_dict(),
                )
            Track.objects.create(mix=self.mix, file=row, role=role)
        measure_mix(self.mix, three_stems(voice, music))
        self.mark = next(m.mark for m in marked(self.mix, current_judgement(self.mix)) if m.mark.kind == "duck-missing")

    def sound(self, **query):
        return self.client.get(
            reverse("sound", args=[self.mix.pk]),
            {"from": "7", "to": "12", **query},
            headers={"Accept": "application/json"},
        )

    def level(self, response):
        self.assertEqual((response.status_code, response["Content-Type"]), (200, "audio/wav"))
        with wave.open(io.BytesIO(response.content)) as file:
            self.assertEqual((file.getnchannels(), file.getframerate(), file.getnframes()), (2, 48000, 5 * 48000))
            values = memoryview(file.readframes(file.getnframes())).cast("h")[96000 * 2 :]
        return sum(v * v for v in values[::50]) / len(values[::50])

    def test_mix_stem_and_proposal(self):
        mix, music = self.level(self.sound()), self.level(self.sound(what="music"))
        self.assertLess(music, mix)
        lowered = self.level(self.sound(what="music", mark=self.mark.label))
        self.assertLess(lowered, music / 2)
        self.assertLess(self.level(self.sound(mark=self.mark.label)), mix)
        raised = self.level(self.sound(what="dialogue", mark=self.mark.label, choice="1"))
        self.assertGreater(raised, self.level(self.sound(what="dialogue")) * 1.5)

    def test_what_cannot_be_heard_says_why(self):
        self.assertContains(self.sound(what="effects"), "--effects", status_code=422)
        self.assertContains(self.sound(what="everything"), "the mix or one of its stems", status_code=422)
        self.assertContains(self.sound(mark="ZZ"), "Nothing is proposed", status_code=422)
        self.assertContains(self.sound(to="99"), "lasts up to 60 s", status_code=422)
        self.assertContains(self.sound(**{"from": "x"}), "beginning and its end", status_code=422)
        self.client.force_login(self.stranger)
        self.assertEqual(self.sound().status_code, 404)


class PageTest(HandCase):
    def test_what_the_page_carries(self):
        page = self.client.get(reverse("mix", args=[self.mix.pk]), {"mark": self.of("duck-missing")[0].mark.label})
        for part in (
            'id="span-panel"',
            'data-state="proposed"',
            'data-hear="0"',
            "2 alike:",
            'data-words="music stays up"',
        ):
            self.assertContains(page, part)

    def test_what_the_page_takes_over_after_a_correction(self):
        self.post("correct", self.mix.pk, kind="no-speech", from_="10:00:23:12", to="10:00:31:00")
        left = next(m.mark.label for m in self.of("duck-missing") if m.finding)
        state = self.changes("mix-state", self.mix, mark=left)
        self.assertIn(f'data-mark="{left}"', state["parts"]["finding"])
        self.assertIn("undo: nobody speaks", state["parts"]["undo"])
        self.assertEqual((state["chosen"], state["data"]["speech"]), (left, [[8.0, 14.0]]))

    def test_a_guest_moves_nothing(self):
        self.client.force_login(self.guest)
        page = self.client.get(reverse("mix", args=[self.mix.pk]))
        self.assertNotContains(page, 'id="span-panel"')
        self.assertNotContains(page, "alike:")
        self.assertContains(page, 'data-state="proposed"')
