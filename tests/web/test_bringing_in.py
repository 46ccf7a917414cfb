"""Answers in filled-in tables and notes of others, taken over whole or not at all."""

import csv
import io

from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse

from mezzavoce.config.refusals import NotAllowed, Overtaken, Refused
from mezzavoce.dispatch import actions, answers
from mezzavoce.dispatch.files import file_of
from mezzavoce.dispatch.models import Answer
from mezzavoce.dispatch.tokens import token_for
from mezzavoce.notes import actions as notes
from mezzavoce.notes import joining
from mezzavoce.notes.by_hand import bring_in
from mezzavoce.notes.models import Mark, Note
from mezzavoce_core.errors import UsageError
from tests.core.test_incoming import table
from tests.web.base import prepare
from tests.web.test_follow_ups import LoopCase

FOREIGN = table(
    ("in", "out", "title", "note", "severity"),
    ("10:00:02:00", "10:00:03:00", "Bump", "A bump on the table.", "note"),
    ("10:00:35:00", "", "Hiss", "Hiss in the left channel.", ""),
)


def uploaded(content, name="table.csv"):
    return {"file": SimpleUploadedFile(name, content, "text/csv")}


class AnswersInTableTest(LoopCase):
    def setUp(self):
        super().setUp()
        self.dispatch = self.send()
        self.recipient = self.link(self.dispatch)
        self.token = token_for(self.recipient.seed)

    def filled(self, **said):
        response = file_of(self.dispatch, self.recipient.items.all(), "csv")
        rows = list(csv.DictReader(io.StringIO(b"".join(response.streaming_content).decode(), newline="")))
        for row in rows:
            row["answer"], row["reason"] = said.get(row["mark"], ("", ""))
        return table(list(rows[0]), *[list(row.values()) for row in rows], separator=";", encoding="utf-16")

    def test_through_the_link_and_by_the_reviewer(self):
        first, second, third = (i.content["label"] for i in self.dispatch.items.all())
        content = self.filled(**{first: ("done", ""), second: ("question", "Which?")})
        response = self.client.post(reverse("editor-table", args=[self.token]), uploaded(content))
        self.assertEqual(response.status_code, 302)
        self.assertEqual(list(Answer.objects.values_list("what", "reason")), [("fixed", ""), ("question", "Which?")])
        answers.take_table(self.recipient, content)
        self.assertEqual(Answer.objects.count(), 2)
        later = self.filled(**{third: ("cannot fix", "no stem")})
        page = self.client.post(reverse("answers-in-table", args=[self.recipient.pk]), uploaded(later), follow=True)
        self.assertContains(page, "1 answer taken over.")
        with self.assertRaises(NotAllowed):
            answers.take_table(self.recipient, later, self.guest)

    def test_one_wrong_row_and_nothing_is_taken_over(self):
        first, second, _ = (i.content["label"] for i in self.dispatch.items.all())
        wrong = table(("mark", "answer"), (first, "fixed"), ("ZZ", "fixed"))
        with self.assertRaisesRegex(Refused, "answers ZZ, which is not among"):
            answers.take_table(self.recipient, wrong)
        notes.decide(self.reviewer, self.dispatch.items.get(position=1).mark, self.mix, "reopen")
        actions.send(self.reviewer, prepare(self.reviewer, self.mix, [self.contact]))
        with self.assertRaisesRegex(Overtaken, "withdrawn"):
            answers.take_table(self.recipient, table(("mark", "answer"), (first, "fixed"), (second, "fixed")))
        self.assertFalse(Answer.objects.exists())

    def test_no_file_or_one_too_large(self):
        address = reverse("editor-table", args=[self.token])
        for data, words in (({}, "No file was chosen"), (uploaded(b"x" * 10_000_001), "is it the right one")):
            response = self.client.post(address, data, headers={"Accept": "application/json"})
            self.assertEqual(response.status_code, 422)
            self.assertIn(words.lower(), response.json()["error"].lower())


class JoinedInTableTest(LoopCase):
    def test_rows_of_joined_notes_answer_the_note_that_tells_of_them(self):
        joining.join(self.reviewer, self.mix, [self.note(m).pk for m in (self.second, self.third)])
        recipient = self.link(self.send())
        lead, other = self.second.label, self.third.label
        head = ("mark", "answer", "reason")
        with self.assertRaisesRegex(Refused, f"{lead} and {other} are one note"):
            answers.take_table(recipient, table(head, (lead, "fixed", ""), (other, "cannot fix", "no")))
        answers.take_table(recipient, table(head, (lead, "fixed", ""), (other, "fixed", "")))
        (given,) = Answer.objects.all()
        self.assertEqual((given.what, given.item.content["label"]), ("fixed", lead))


class ForeignNotesTest(LoopCase):
    def test_taken_over_sent_and_undone_together(self):
        marks, remark = bring_in(self.reviewer, self.mix, FOREIGN, "should")
        self.assertEqual(([m.placements.get().title for m in marks], remark), (["Bump", "Hiss"], ""))
        self.assertEqual(
            sorted(Note.objects.filter(marks__in=marks).values_list("severity", flat=True)), ["note", "should"]
        )
        notes.undo(self.reviewer, self.mix)
        self.assertEqual(set(Note.objects.filter(marks__in=marks).values_list("state", flat=True)), {"withdrawn"})

    def test_by_the_page(self):
        address = reverse("bring-in-notes", args=[self.mix.pk])
        page = self.client.post(address, uploaded(FOREIGN) | {"severity": "must"}, follow=True)
        self.assertContains(page, "2 notes taken over.")
        self.assertContains(page, "Hiss in the left channel.")
        before = Mark.objects.count()
        wrong = self.client.post(address, uploaded(b"a,b\r\n1,2"), headers={"Accept": "application/json"})
        self.assertEqual((wrong.status_code, Mark.objects.count()), (422, before))
        self.client.force_login(self.guest)
        self.assertEqual(self.client.post(address, uploaded(FOREIGN)).status_code, 403)

    def test_all_or_none(self):
        before = Mark.objects.count()
        with self.assertRaises(UsageError):
            bring_in(self.reviewer, self.mix, FOREIGN + b"10:09:00:00,,Late,Behind the end.,\r\n", "should")
        with self.assertRaisesRegex(Refused, "how much these notes weigh"):
            bring_in(self.reviewer, self.mix, FOREIGN, "heavy")
        self.assertEqual(Mark.objects.count(), before)
