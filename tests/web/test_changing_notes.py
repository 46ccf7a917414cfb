"""Notes joined and split, their weight, addressee and remedy chosen, wordings of a production."""

from django.urls import reverse

from mezzavoce.config.refusals import NotAllowed, Overtaken, Refused
from mezzavoce.dispatch.files import sheet_of
from mezzavoce.dispatch.pending import drifts, pending
from mezzavoce.library import contacts
from mezzavoce.measuring import actions as measuring
from mezzavoce.notes import actions as notes
from mezzavoce.notes import editing, joining, wordings
from mezzavoce.notes.editing import Change, change_note, own_points, word_note
from mezzavoce.notes.models import Mark, Note, Wording
from mezzavoce.notes.proposal import NONE, OWN
from mezzavoce_core.errors import TimecodeError, UsageError
from mezzavoce_core.exchange.wording import DEFAULT, checked, note_text
from tests.web.base import ProductionCase, make_mix, measure_mix, prepare
from tests.web.test_follow_ups import LoopCase


class JoinTest(LoopCase):
    def setUp(self):
        super().setUp()
        self.rows = [self.note(m) for m in (self.mark, self.second, self.third)]

    def join(self, *marks):
        return joining.join(self.reviewer, self.mix, [self.note(m).pk for m in marks])

    def test_told_in_one_with_every_place_and_split_again(self):
        before = {n.pk: (n.text, n.severity) for n in self.rows}
        lead = self.join(self.mark, self.second, self.third)
        # The one that lies first leads.
        self.assertEqual(lead.marks.count(), 3)
        self.assertEqual(joining.labels(lead), f"{self.second.label}, {self.third.label}, {self.mark.label}")
        (waiting,) = pending(self.mix)
        content = waiting.content("")
        self.assertEqual(content["label"], self.second.label)
        self.assertEqual([one["label"] for one in content["joined"]], [self.third.label, self.mark.label])
        self.assertEqual(len(content["joined"][1]["points"]), 4)
        joining.split(self.reviewer, lead)
        self.assertEqual({n.pk: (n.text, n.severity) for n in Note.objects.filter(state="written")}, before)

    def test_every_place_stands_in_the_files(self):
        self.join(self.mark, self.second)
        dispatch = prepare(self.reviewer, self.mix, [self.contact])
        told = {n.label: n.text for n in sheet_of(dispatch, dispatch.items.all()).notes}
        self.assertEqual(set(told), {self.mark.label, self.second.label, self.third.label})
        self.assertEqual(told[self.mark.label], f"Told with {self.second.label}, 10:00:03:00.")

    def test_what_is_not_noted_any_more_leaves_it(self):
        lead = self.join(self.mark, self.second, self.third)
        notes.decide(self.reviewer, self.third, self.mix, "reopen")
        self.assertEqual(joining.labels(lead), f"{self.second.label}, {self.mark.label}")
        # The lead itself goes: the others stand by themselves again.
        notes.decide(self.reviewer, self.second, self.mix, "reopen")
        self.assertEqual([p.mark for p in pending(self.mix)], [self.mark])
        notes.decide(self.reviewer, self.third, self.mix, "note it")
        self.assertEqual({p.mark for p in pending(self.mix)}, {self.mark, self.third})

    def test_joined_ones_are_joined_with_more(self):
        self.join(self.mark, self.third)
        lead = Note.objects.get(marks=self.third, joined_into=None)
        joining.join(self.reviewer, self.mix, [lead.pk, self.note(self.second).pk])
        (waiting,) = pending(self.mix)
        self.assertEqual(len(waiting.marks), 3)
        joining.split(self.reviewer, waiting.note)
        self.assertEqual(Note.objects.filter(state="written").count(), 3)

    def test_one_that_was_sent_before_is_told_in_the_other_and_not_as_withdrawn(self):
        self.send(only=[self.rows[1].pk, self.rows[2].pk])
        for mark in (self.second, self.third):
            notes.decide(self.reviewer, mark, self.mix, "reopen")
            notes.decide(self.reviewer, mark, self.mix, "note it")
        self.join(self.second, self.third)
        self.assertEqual([(p.mark, p.news) for p in pending(self.mix) if p.last], [(self.second, "changed")])

    def test_what_cannot_be_joined_or_split(self):
        with self.assertRaisesRegex(Refused, "two notes or more"):
            self.join(self.mark)
        with self.assertRaisesRegex(Refused, "can be split"):
            joining.split(self.reviewer, self.rows[0])
        self.send(only=[self.rows[0].pk])
        with self.assertRaisesRegex(Refused, "not sent yet"):
            self.join(self.mark, self.second)
        with self.assertRaises(NotAllowed):
            joining.join(self.guest, self.mix, [n.pk for n in self.rows])

    def test_by_the_page(self):
        ticked = [str(n.pk) for n in self.rows[1:]]
        self.client.post(reverse("join-notes", args=[self.mix.pk]), {"note": ticked})
        page = self.client.get(reverse("notes", args=[self.mix.pk]))
        self.assertContains(page, "2 notes to send")
        self.assertContains(page, "split again")
        lead = Note.objects.get(alone__isnull=False)
        self.client.post(reverse("split-note", args=[lead.pk]))
        self.assertContains(self.client.get(reverse("notes", args=[self.mix.pk])), "3 notes to send")

    def test_measured_again_it_follows(self):
        lead = self.join(self.mark, self.second)
        lead.refresh_from_db()
        before = lead.text
        measuring.correct(self.reviewer, self.mix, "no-speech", ("10:00:23:12", "10:00:27:00"))
        lead.refresh_from_db()
        # A note by hand is in it, so a person's words stand.
        self.assertEqual(lead.text, before)


class ChoiceTest(ProductionCase):
    def setUp(self):
        self.client.force_login(self.reviewer)
        self.mix = make_mix(self.production, self.lead)
        measure_mix(self.mix)
        self.mark = Mark.objects.get(kind="duck-missing")
        notes.decide(self.reviewer, self.mark, self.mix, "note it")
        self.note = Note.objects.get()
        self.evidence = self.mark.placements.get().evidence

    def choose(self, choice, **more):
        said = {"text": self.note.text, "severity": "must", "addressee": None, "own_points": None} | more
        self.note = change_note(self.reviewer, self.note, Change(choice=choice, **said), self.note.version)
        return pending(self.mix)[0].content("")

    def test_an_alternative(self):
        alternative = self.evidence["alternatives"][0]
        content = self.choose(1)
        self.assertEqual(content["part"], alternative["role"])
        self.assertEqual([p["at_s"] for p in content["points"]], [p["at_s"] for p in alternative["points"]])
        self.assertNotIn(" Or ", content["text"])
        # The words are a proposal still: they follow the choice.
        self.assertFalse(self.note.text_by_hand)
        measure_mix(self.mix)
        self.note.refresh_from_db()
        self.assertEqual(self.note.choice, 1)

    def test_no_remedy(self):
        content = self.choose(NONE)
        self.assertEqual((content["points"], content["role"]), ([], None))
        self.assertEqual(content["text"], self.evidence["message"])

    def test_points_of_ones_own_are_sent_and_heard(self):
        own = own_points(self.mix, "music", ["10:00:23:00", "", "10:00:31:00"], ["-3,5", "", "0 dB"])
        content = self.choose(OWN, own_points=own)
        self.assertEqual(
            [(p["timecode"], p["gain"]) for p in content["points"]],
            [("10:00:23:00", "-3.5 dB"), ("10:00:31:00", "0.0 dB")],
        )
        self.assertIn("Draw the level of the music anew, at the points given.", content["text"])
        self.assertEqual(notes.remedy_of_note(self.mix, self.note.pk)["points"][0]["gain_db"], -3.5)
        for role, at, gain, words in (
            ("voice", ["10:00:23:00"], ["1"], "which part of the sound"),
            ("music", ["", ""], ["", ""], "at least one"),
            ("music", ["10:00:23:00"], ["loud"], "is no gain"),
            ("music", ["10:00:23:00"], ["-99"], "is no gain"),
            ("music", ["10:05:00:00"], ["-3"], "outside of the mix"),
        ):
            with self.assertRaisesRegex(Refused, words):
                own_points(self.mix, role, at, gain)
        with self.assertRaises(TimecodeError):
            own_points(self.mix, "music", ["soon"], ["-3"])

    def test_one_that_is_not_offered(self):
        with self.assertRaisesRegex(Refused, "not offered any more"):
            self.choose(99)
        with self.assertRaisesRegex(Refused, "at least one level point"):
            self.choose(OWN)

    def test_what_a_person_wrote_stands_beside_what_is_measured_since(self):
        word_note(self.reviewer, self.note, "Mine.", 1)
        self.assertEqual(drifts(self.mix, pending(self.mix)), {})
        measuring.correct(self.reviewer, self.mix, "no-speech", ("10:00:23:12", "10:00:27:00"))
        item = next(p for p in pending(self.mix))
        self.assertEqual(item.note.text, "Mine.")
        self.assertTrue(drifts(self.mix, [item])[item.note.pk])
        self.assertContains(self.client.get(reverse("notes", args=[self.mix.pk])), "Measured otherwise since")
        self.assertContains(self.client.get(reverse("note", args=[item.note.pk])), "Take the proposed words")

    def test_addressee_of_another_production(self):
        other = make_mix(self.production, self.lead, 2).production
        contact = contacts.add_contact(self.reviewer, other, "Otto", "otto@cut.example")
        contact.production_id = 0
        with self.assertRaisesRegex(Refused, "another production"):
            self.choose(0, addressee=contact)

    def test_by_the_page(self):
        address = reverse("note", args=[self.note.pk])
        page = self.client.get(address)
        self.assertContains(page, "What the editor is told")
        said = {
            "version": 1,
            "text": "Duck here, please.",
            "severity": "should",
            "addressee": self.contact.pk,
            "remedy": "own",
            "role": "music",
            "at": ["10:00:23:00", "10:00:31:00"],
            "gain": ["-6", "-6"],
        }
        self.assertRedirects(self.client.post(address, said), reverse("notes", args=[self.mix.pk]))
        row = Note.objects.get()
        self.assertEqual((row.severity, row.addressee, row.choice), ("should", self.contact, OWN))
        self.assertContains(self.client.get(reverse("notes", args=[self.mix.pk])), "points set by hand")
        again = self.client.post(address, said, headers={"Accept": "application/json"})
        self.assertEqual((again.status_code, "Your words are still" in again.json()["error"]), (409, True))
        self.client.force_login(self.guest)
        self.assertEqual(self.client.get(address).status_code, 403)

    def test_one_that_was_taken_back_meanwhile(self):
        notes.undo(self.reviewer, self.mix)
        self.note.refresh_from_db()
        with self.assertRaisesRegex(Overtaken, "was taken back"):
            editing.word_note(self.reviewer, self.note, "x", self.note.version)


class WordingsTest(ProductionCase):
    TEMPLATE = "{what}: {measured} instead of {wanted}.\n{remedy} {or}"

    def setUp(self):
        self.client.force_login(self.reviewer)
        self.mix = make_mix(self.production, self.lead)
        measure_mix(self.mix)
        self.mark = Mark.objects.get(kind="duck-missing")
        self.evidence = self.mark.placements.get().evidence
        notes.decide(self.reviewer, self.mark, self.mix, "note it")

    def test_filled_without_gaps(self):
        told = note_text(self.evidence | {"remedy": None, "alternatives": []}, self.TEMPLATE)
        self.assertRegex(told, r"\A[^\n]+: \d+\.\d LU instead of 10\.0 LU\.\Z")
        self.assertEqual(note_text(self.evidence), note_text(self.evidence, DEFAULT))

    def test_what_cannot_be_filled(self):
        for template, words in (("", "without words"), ("{gain}", "is no place"), ("{message", "no partner")):
            with self.assertRaisesRegex(UsageError, words):
                checked(template)

    def test_written_notes_follow_and_those_by_hand_do_not(self):
        wordings.set_wording(self.reviewer, self.production, "duck-missing", self.TEMPLATE)
        note = Note.objects.get()
        self.assertEqual(note.text, note_text(self.evidence, self.TEMPLATE))
        word_note(self.reviewer, note, "Mine.", note.version)
        wordings.set_wording(self.reviewer, self.production, "duck-missing", DEFAULT)
        self.assertEqual(Note.objects.get().text, "Mine.")
        self.assertFalse(Wording.objects.exists())

    def test_by_the_page_with_a_preview_on_what_was_found(self):
        page = self.client.get(reverse("wordings", args=[self.production.pk]))
        self.assertContains(page, "duck-missing")
        tried = self.client.get(
            reverse("try-wording", args=[self.production.pk]), {"kind": "duck-missing", "text": self.TEMPLATE}
        )
        self.assertEqual(tried.json()["text"], note_text(self.evidence, self.TEMPLATE))
        bad = self.client.get(
            reverse("try-wording", args=[self.production.pk]), {"kind": "duck-missing", "text": "{x}"}
        )
        self.assertEqual(bad.status_code, 422)
        said = {"kind": "duck-missing", "text": self.TEMPLATE}
        self.client.post(reverse("wordings", args=[self.production.pk]), said)
        self.assertEqual(Wording.objects.get().template, self.TEMPLATE)
        self.client.force_login(self.guest)
        self.assertEqual(self.client.post(reverse("wordings", args=[self.production.pk]), said).status_code, 403)
