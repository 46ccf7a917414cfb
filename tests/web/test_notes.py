"""Marks, decisions and notes: human work that outlives every measurement."""

from django.test import SimpleTestCase
from django.urls import reverse

from mezzavoce.accounts.models import AuditEntry
from mezzavoce.config.refusals import NotAllowed, Overtaken, Refused
from mezzavoce.measuring.models import Finding, Run
from mezzavoce.notes import actions, editing, wording
from mezzavoce.notes.matching import matched
from mezzavoce.notes.models import Decision, Mark, Note, Placement
from mezzavoce.notes.selectors import marked
from mezzavoce_core.exchange import labels
from mezzavoce_core.exchange.wording import note_text
from tests.signals import automated, chord, talk, three_stems
from tests.web.base import DUCK, SPANS, ProductionCase, clean, make_mix, measure_mix


class LettersTest(SimpleTestCase):
    def test_without_i_and_o(self):
        self.assertEqual(
            [labels.label(n) for n in (0, 7, 8, 12, 13, 23, 24, 25)], ["A", "H", "J", "N", "P", "Z", "AA", "AB"]
        )
        many = [labels.label(n) for n in range(2000)]
        self.assertEqual(len(set(many)), 2000)
        self.assertFalse([m for m in many if "I" in m or "O" in m])


class MarkedCase(ProductionCase):
    def setUp(self):
        self.mix = make_mix(self.production, self.lead)
        self.judgement = measure_mix(self.mix)
        self.mark = Mark.objects.get(kind="duck-missing")

    def placement(self):
        """Where the mark lies in the mix."""
        return Placement.objects.get(mark=self.mark, mix=self.mix)

    def decide(self, what, reason="", **more):
        return actions.decide(self.reviewer, self.mark, self.mix, what, reason, **more)

    def state(self):
        return next(m for m in marked(self.mix, self.judgement) if m.mark == self.mark)


class MarksTest(MarkedCase):
    def test_given_in_order_of_place(self):
        self.assertEqual([m.label for m in Mark.objects.order_by("id")], ["A", "B"][: Mark.objects.count()])
        self.assertEqual(self.placement().in_sample, self.mix.samples(self.placement().evidence["in_s"]))

    def test_measuring_again_keeps_them(self):
        self.decide("note it")
        before = list(Mark.objects.values_list("pk", "label"))
        again = measure_mix(self.mix)
        self.assertEqual(list(Mark.objects.values_list("pk", "label")), before)
        found = next(m for m in marked(self.mix, again) if m.mark == self.mark)
        self.assertEqual((found.state, found.finding.judgement), ("noted", again))
        self.assertEqual(found.note.marks.get(), self.mark)

    def test_a_moved_finding_keeps_its_letter(self):
        moved = three_stems(talk(40, (SPANS[0], (24.4, 30.3))), automated(chord(40, -22), DUCK))
        again = measure_mix(self.mix, moved)
        self.assertEqual(again.findings.get(kind="duck-missing").mark, self.mark)
        self.mark.refresh_from_db()
        self.assertAlmostEqual(self.mix.seconds(self.placement().in_sample), 24.4, delta=0.1)

    def test_an_alignment_says_where_a_mark_lies_in_another_mix(self):
        placed = list(Placement.objects.filter(mix=self.mix).select_related("mark"))
        finding = self.judgement.findings.get(kind="duck-missing")
        later = Finding(kind=finding.kind, family=finding.family, role=finding.role)
        later.in_s, later.out_s = finding.in_s + 300, finding.out_s + 300
        self.assertEqual(matched(self.mix, [later], placed), {})
        self.assertEqual(matched(self.mix, [later], placed, lambda t: t + 300)[0].mark, self.mark)
        self.assertEqual(matched(self.mix, [later], placed, lambda _: None), {})

    def test_a_decided_mark_that_is_not_found_any_more_stays(self):
        self.decide("allow", "meant so")
        again = measure_mix(self.mix, clean())
        found = next(m for m in marked(self.mix, again) if m.mark == self.mark)
        self.assertIsNone(found.finding)
        self.assertEqual(found.state, "allowed")

    def test_an_undecided_one_that_is_gone_is_not_shown_and_its_letter_not_given_again(self):
        again = measure_mix(self.mix, clean())
        self.assertNotIn(self.mark, [m.mark for m in marked(self.mix, again)])
        other = make_mix(self.production, self.lead)
        measure_mix(other)
        self.assertEqual(Mark.objects.filter(label=self.mark.label).count(), 1)

    def test_throwing_runs_away_keeps_human_work(self):
        self.decide("note it")
        Run.objects.all().delete()
        self.assertTrue(Mark.objects.filter(pk=self.mark.pk).exists())
        self.assertEqual((Decision.objects.count(), Note.objects.count()), (1, 1))
        self.assertEqual(next(m for m in marked(self.mix, None)).state, "noted")


class DecisionsTest(MarkedCase):
    def test_each_word(self):
        for what, reason, state in (
            ("note it", "", "noted"),
            ("not a fault", "", "not a fault"),
            ("allow", "the song leads", "allowed"),
            ("reopen", "", "open"),
        ):
            self.decide(what, reason)
            self.assertEqual(self.state().state, state)
        self.assertEqual(Decision.objects.count(), 4)
        self.assertEqual(AuditEntry.objects.filter(action="allow").get().after, "allow")

    def test_allowing_needs_a_reason(self):
        with self.assertRaisesRegex(Refused, "needs a reason"):
            self.decide("allow", "  ")
        with self.assertRaisesRegex(Refused, "can be noted"):
            self.decide("ignore")
        self.assertFalse(Decision.objects.exists())

    def test_a_repeated_key_press_decides_once(self):
        first, second = (self.decide("note it", client_key="k1") for _ in range(2))
        self.assertEqual(first, second)
        self.assertEqual(Decision.objects.count(), 1)

    def test_undo_goes_back_step_by_step(self):
        self.decide("note it")
        self.decide("not a fault")
        actions.undo(self.reviewer, self.mix)
        self.assertEqual((self.state().state, self.state().note.state), ("noted", "written"))
        actions.undo(self.reviewer, self.mix)
        self.assertTrue(self.state().is_open)
        self.assertEqual(Note.objects.get().state, Note.State.WITHDRAWN)
        with self.assertRaisesRegex(Refused, "Nothing has been done"):
            actions.undo(self.reviewer, self.mix)

    def test_undo_brings_a_reason_back(self):
        self.decide("allow", "meant so")
        self.decide("reopen")
        actions.undo(self.reviewer, self.mix)
        self.assertEqual(actions.current_decision(self.mark, self.mix).reason, "meant so")

    def test_guests_decide_nothing(self):
        with self.assertRaises(NotAllowed):
            actions.decide(self.guest, self.mark, self.mix, "note it")
        with self.assertRaises(NotAllowed):
            actions.undo(self.guest, self.mix)

    def test_over_http(self):
        self.client.force_login(self.reviewer)
        address = reverse("decide", args=[self.mark.mix_id, self.mark.pk])
        answer = self.client.post(
            address, {"what": "note it", "client_key": "a"}, headers={"Accept": "application/json"}
        )
        self.assertIn("noted", answer.json()["lines"][self.mark.label])
        self.assertRedirects(
            self.client.post(reverse("undo", args=[self.mix.pk])),
            f"{reverse('mix', args=[self.mix.pk])}?mark={self.mark.label}",
        )
        self.assertEqual(
            self.client.post(address, {"what": "allow"}, headers={"Accept": "application/json"}).status_code, 422
        )


class WordingTest(MarkedCase):
    def test_proposed_words_say_what_and_how(self):
        self.decide("note it")
        text = self.state().note.text
        self.assertIn("10 LU are wanted", text)
        self.assertRegex(
            text,
            r"(Lower the music|Raise the voice) by \d+\.\d dB(, to where its bed is elsewhere)?, at the points given",
        )

    def test_own_words_survive_undo_and_measuring(self):
        self.decide("note it")
        note = editing.word_note(self.reviewer, self.state().note, "  Please duck here.  ", 1)
        self.assertEqual((note.text, note.text_by_hand, note.version), ("Please duck here.", True, 2))
        actions.undo(self.reviewer, self.mix)
        measure_mix(self.mix)
        self.decide("note it")
        self.assertEqual(Note.objects.get().text, "Please duck here.")

    def test_second_of_two_is_told(self):
        self.decide("note it")
        note = self.state().note
        editing.word_note(self.lead, note, "First", 1)
        with self.assertRaisesRegex(Overtaken, "Your words are still in the field"):
            editing.word_note(self.reviewer, note, "Second", 1)
        self.assertEqual(Note.objects.get().text, "First")

    def test_words_are_needed_and_not_too_many(self):
        self.decide("note it")
        note = self.state().note
        with self.assertRaisesRegex(Refused, "without words"):
            editing.word_note(self.reviewer, note, " ", 1)
        with self.assertRaisesRegex(Refused, "4000 characters; this one has 4001"):
            editing.word_note(self.reviewer, note, "x" * 4001, 1)

    def test_over_http(self):
        self.decide("note it")
        note = self.state().note
        self.client.force_login(self.reviewer)
        address = reverse("word-note", args=[note.pk])
        self.assertEqual(
            self.client.post(
                address, {"text": "Mine", "version": "x"}, headers={"Accept": "application/json"}
            ).status_code,
            422,
        )
        self.assertEqual(
            self.client.post(
                address, {"text": "Mine", "version": "1"}, headers={"Accept": "application/json"}
            ).status_code,
            200,
        )
        self.assertEqual(
            self.client.post(
                address, {"text": "Again", "version": "1"}, headers={"Accept": "application/json"}
            ).status_code,
            409,
        )

    def test_proposed_words(self):
        self.mix.frame_rate, self.mix.drop_frame, self.mix.start_timecode = "30000/1001", True, "01:00:00;00"
        fact = {"message": "The music stays up.", "source": "strings.wav", "remedy": None}
        self.assertEqual(note_text(fact), "The music stays up. Of the stems it is “strings.wav”.")
        self.assertEqual(wording.rate_words(self.mix), "29.97 frames/s, drop-frame")
        self.mix.frame_rate, self.mix.drop_frame, self.mix.start_timecode = "25", False, "01:00:00:00"
        self.assertEqual(wording.rate_words(self.mix), "25 frames/s")
