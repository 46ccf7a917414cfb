"""Notes that a person writes where nothing was measured."""

from django.urls import reverse

from mezzavoce.config.refusals import NotAllowed, Refused
from mezzavoce.library import contacts
from mezzavoce.measuring.models import Alignment
from mezzavoce.notes import actions as notes
from mezzavoce.notes.by_hand import Said, note_by_hand
from mezzavoce.notes.models import Decision, Mark, Note
from mezzavoce.recheck import signing
from mezzavoce.recheck.models import Recheck
from mezzavoce.recheck.selectors import Laid
from mezzavoce.screens.review import review
from mezzavoce_core.errors import TimecodeError
from mezzavoce_core.versions.alignment import Piece, alignment_of
from mezzavoce_core.versions.document import alignment_dict
from tests.web.base import ProductionCase, make_mix, measure_mix, prepare

SPAN = ("10:00:03:00", "10:00:05:12")
WORDS = "The door falls shut twice; take the second one out."


class OwnNoteTest(ProductionCase):
    def setUp(self):
        self.client.force_login(self.reviewer)
        self.mix = make_mix(self.production, self.lead)
        measure_mix(self.mix)

    def note(self, title="Two doors", text=WORDS, severity="must", span=SPAN, part="mix"):
        return note_by_hand(self.reviewer, self.mix, span, Said(title, text, severity, part))

    def shown(self):
        return [m.mark.label for m in review(self.reviewer, self.mix.pk).marks]

    def test_it_stands_in_the_list_and_goes_out_with_the_others(self):
        before = self.shown()
        mark = self.note()
        self.assertNotIn(mark.label, before)
        self.assertIn(mark.label, self.shown())
        page = self.client.get(reverse("mix", args=[self.mix.pk]), {"mark": mark.label})
        self.assertContains(page, "noted by hand")
        self.assertContains(page, "Two doors")
        self.assertNotContains(page, "does not find this any more")
        sent = prepare(self.reviewer, self.mix, [self.contact])
        content = sent.items.get().content
        self.assertEqual((content["text"], content["in_timecode"], content["points"]), (WORDS, SPAN[0], []))

    def test_measured_again_it_stays(self):
        mark = self.note()
        measure_mix(self.mix)
        self.assertIn(mark.label, self.shown())
        self.assertEqual(Note.objects.get().text, WORDS)

    def test_undone_it_is_gone_and_its_letter_is_not_given_again(self):
        mark = self.note()
        notes.undo(self.reviewer, self.mix)
        self.assertNotIn(mark.label, self.shown())
        self.assertEqual(Note.objects.get().state, Note.State.WITHDRAWN)
        self.assertNotEqual(self.note("Another").label, mark.label)

    def test_what_cannot_be_is_said_and_nothing_is_made(self):
        for more, words in (
            ({"title": " "}, "needs a title"),
            ({"text": ""}, "needs a title"),
            ({"title": "x" * 300}, "may have 120 characters"),
            ({"text": "x" * 5000}, "may have 4000"),
            ({"severity": "urgent"}, "must, should, or note"),
            ({"part": "picture"}, "voice, music, effects, or the whole mix"),
            ({"span": ("10:00:05:00", "10:00:03:00")}, "ends before it begins"),
            ({"span": ("10:01:05:00", "10:01:06:00")}, "behind the end"),
        ):
            with self.subTest(words), self.assertRaisesRegex(Refused, words):
                self.note(**more)
        with self.assertRaises(TimecodeError):
            self.note(span=("10:00", "10:01"))
        with self.assertRaises(NotAllowed):
            note_by_hand(self.guest, self.mix, SPAN, Said("T", "W", "must"))
        self.assertFalse(Mark.objects.filter(kind="by-hand").exists())

    def test_it_goes_to_whoever_mends_what_it_is_about(self):
        voices = contacts.add_contact(self.reviewer, self.production, "Vera Voice", "vera@cut.example")
        contacts.change_contact(self.reviewer, voices, "Vera Voice", usual=False, parts=["dialogue"])
        voices.refresh_from_db()
        mark = self.note(part="dialogue")
        self.note("A hum", part="music")
        sent = prepare(self.reviewer, self.mix, [voices])
        self.assertEqual([i.mark for i in sent.items.all()], [mark])

    def test_by_page_and_script(self):
        address = reverse("note-by-hand", args=[self.mix.pk])
        said = {"from": SPAN[0], "to": SPAN[1], "kind": "should", "title": "Two\r\ndoors", "text": WORDS}
        answer = self.client.post(address, said, headers={"Accept": "application/json"})
        self.assertEqual(answer.status_code, 201)
        mark = Mark.objects.get(kind="by-hand")
        self.assertTrue(answer.json()["address"].endswith(f"?mark={mark.label}"))
        self.assertEqual(mark.placements.get().title, "Two doors")
        self.assertRedirects(self.client.post(address, said), f"{reverse('mix', args=[self.mix.pk])}?mark=D")

    def test_one_that_must_be_mended_is_not_signed_over(self):
        for mark in Mark.objects.all():
            notes.decide(self.reviewer, mark, self.mix, Decision.What.ALLOW, "meant so")
        own = self.note()
        with self.assertRaisesRegex(Refused, f"allowed for a reason: {own.label}"):
            signing.sign(self.reviewer, self.mix)
        notes.decide(self.reviewer, own, self.mix, Decision.What.ALLOW, "the director wants both")
        self.assertIn(own.label, [w["label"] for w in signing.sign(self.reviewer, self.mix).content["waivers"]])

    def test_in_the_next_mix_only_listening_tells(self):
        own = self.note()
        new = make_mix(self.production, self.lead)
        laid = alignment_of([Piece(0, 40, 2, 42, 1.0)], 40, 42)
        Alignment.objects.create(mix=new, former=self.mix, pieces=alignment_dict(laid))
        measure_mix(new)
        row = Recheck.objects.get(mix=new, mark=own)
        self.assertEqual((row.result, row.in_sample), ("unknown", 5 * 48000))
        told = next(t for t in Laid(new).told if t.row.pk == row.pk)
        self.assertEqual(told.words, "not judged: listen")
