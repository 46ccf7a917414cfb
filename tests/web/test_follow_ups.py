"""What goes out after the first dispatch, to whom, and what editors find behind their links."""

from datetime import timedelta
from email import message_from_bytes, policy
from unittest import mock

from django.core import mail
from django.urls import reverse
from django.utils import timezone

from mezzavoce.accounts.models import AuditEntry
from mezzavoce.config.refusals import NotAllowed, Overtaken, Refused
from mezzavoce.dispatch import actions, answers, mails, reminders
from mezzavoce.dispatch.models import Answer, Delivery, Dispatch, Reminder, Reply
from mezzavoce.dispatch.pending import pending
from mezzavoce.dispatch.selectors import answered, newest_answers
from mezzavoce.dispatch.tokens import token_for
from mezzavoce.library import contacts
from mezzavoce.notes import actions as notes
from mezzavoce.notes import for_all
from mezzavoce.notes.by_hand import Said, note_by_hand
from mezzavoce.notes.editing import Change, change_note, word_note
from mezzavoce.notes.models import Mark, Note
from tests.web.base import ProductionCase, make_mix, measure_mix, prepare

TWO, THREE = ("10:00:03:00", "10:00:05:00"), ("10:00:16:00", "10:00:18:00")


class LoopCase(ProductionCase):
    """One note about the music that was found, two by hand."""

    def setUp(self):
        self.client.force_login(self.reviewer)
        self.mix = make_mix(self.production, self.lead)
        measure_mix(self.mix)
        self.mark = Mark.objects.get(kind="duck-missing")
        notes.decide(self.reviewer, self.mark, self.mix, "note it")
        self.second, self.third = (
            note_by_hand(self.reviewer, self.mix, span, Said(title, "Look here.", "should"))
            for span, title in ((TWO, "A click"), (THREE, "A breath"))
        )

    def note(self, mark):
        return Note.objects.get(marks=mark)

    def send(self, to=None, **said):
        return actions.send(self.reviewer, prepare(self.reviewer, self.mix, to or [self.contact], **said))

    def link(self, dispatch, contact=None):
        return dispatch.recipients.get(contact=contact or self.contact)

    def news(self, dispatch):
        return {i.content["label"]: i.news for i in dispatch.items.all()}

    def page(self, recipient):
        return self.client.get(reverse("editor", args=[token_for(recipient.seed)]))


class FollowUpTest(LoopCase):
    def test_only_what_changed_goes_out_again(self):
        first = self.send()
        self.assertEqual(pending(self.mix), [])
        word_note(self.reviewer, self.note(self.second), "Two clicks, take both out.", 1)
        notes.decide(self.reviewer, self.third, self.mix, "reopen")
        fourth = note_by_hand(self.reviewer, self.mix, ("10:00:30:00", "10:00:31:00"), Said("A hum", "Hum.", "note"))
        second = self.send()
        self.assertEqual(
            self.news(second), {self.second.label: "changed", self.third.label: "withdrawn", fourth.label: "new"}
        )
        self.assertEqual(second.follows, first)
        self.assertEqual(second.subject, "1 Low Water, mix 1: 1 new, 1 changed, 1 withdrawn")
        text = Delivery.objects.get(recipient__dispatch=second).text
        for words in ("NEW", "CHANGED", "WITHDRAWN", "Before it said:", "nothing is to be done here any more"):
            self.assertIn(words, text)
        self.assertNotIn(self.mark.label + "  ", text)
        self.assertEqual(pending(self.mix), [])
        self.assertRaisesRegex(Refused, "no note to send", self.send)

    def test_a_note_taken_back_and_noted_again_is_a_changed_one(self):
        self.send()
        notes.decide(self.reviewer, self.third, self.mix, "reopen")
        notes.decide(self.reviewer, self.third, self.mix, "note it")
        self.assertEqual([p.news for p in pending(self.mix)], ["changed"])

    def test_changed_after_the_preview_nothing_goes_out_unseen(self):
        self.send()
        notes.decide(self.reviewer, self.third, self.mix, "reopen")
        prepared = prepare(self.reviewer, self.mix, [self.contact])
        notes.decide(self.reviewer, self.third, self.mix, "note it")
        with self.assertRaisesRegex(Overtaken, "changed after this preview"):
            actions.send(self.reviewer, prepared)

    def test_an_answer_to_what_it_said_before_counts_no_more(self):
        first = self.send()
        item = first.items.get(mark=self.second)
        answers.answer(self.link(first), item, Answer.What.QUESTION, "Which one?", "k1")
        note = self.note(self.second)
        self.assertEqual(newest_answers([self.mix])[note.pk].what, "question")
        word_note(self.reviewer, note, "The second one.", note.version)
        self.assertEqual(newest_answers([self.mix])[note.pk].what, "question")
        second = self.send()
        self.assertEqual((newest_answers([self.mix]), answered([self.mix.pk])), ({}, {}))
        with self.assertRaisesRegex(Overtaken, "changed since. The mail of"):
            answers.answer(self.link(first), item, Answer.What.FIXED, "", "k2")
        self.assertContains(self.page(self.link(first)), "This note was changed since")
        answers.answer(self.link(second), second.items.get(), Answer.What.FIXED, "", "k3")
        self.assertEqual(answered([self.mix.pk]), {note.pk: "fixed"})

    def test_an_answer_to_a_withdrawn_note(self):
        first = self.send()
        notes.decide(self.reviewer, self.third, self.mix, "reopen")
        second = self.send()
        for dispatch in (first, second):
            item = dispatch.items.get(mark=self.third)
            with self.assertRaisesRegex(Overtaken, "has withdrawn this note"):
                answers.answer(self.link(dispatch), item, Answer.What.FIXED, "", "k1")
            self.assertContains(self.page(self.link(dispatch)), "Withdrawn: nothing is to be done here any more.")

    def test_a_person_sees_what_goes_out(self):
        self.send()
        word_note(self.reviewer, self.note(self.second), "Two clicks.", 1)
        page = self.client.get(reverse("notes", args=[self.mix.pk]))
        self.assertContains(page, "1 note to send")
        self.assertContains(page, '<span class="news">changed</span>')


class EnvelopeTest(LoopCase):
    def setUp(self):
        super().setUp()
        self.voices = contacts.add_contact(self.reviewer, self.production, "Vera Voice", "vera@cut.example")
        contacts.change_contact(self.reviewer, self.voices, "Vera Voice", usual=False, parts=["dialogue"])
        self.voices.refresh_from_db()
        self.music = contacts.add_contact(self.reviewer, self.production, "Max Music", "max@cut.example")
        contacts.change_contact(self.reviewer, self.music, "Max Music", usual=False, parts=["music"])
        self.music.refresh_from_db()

    def labels(self, dispatch, contact):
        return {i.content["label"] for i in self.link(dispatch, contact).items.all()}

    def test_each_gets_what_is_for_them(self):
        note = self.note(self.second)
        change_note(self.reviewer, note, Change(note.text, "must", self.voices, 0), note.version)
        dispatch = self.send([self.voices, self.music])
        self.assertEqual(self.labels(dispatch, self.music), {self.mark.label})
        self.assertEqual(self.labels(dispatch, self.voices), {self.second.label})
        self.assertEqual(dispatch.remarks, [f"{self.third.label} stays here: for nobody of these."])
        self.assertEqual(self.note(self.third).state, Note.State.WRITTEN)
        page = self.page(self.link(dispatch, self.voices))
        self.assertContains(page, "A click")
        self.assertNotContains(page, self.mark.placements.get().title)
        other = dispatch.items.get(mark=self.mark)
        token = token_for(self.link(dispatch, self.voices).seed)
        address = reverse("editor-answer", args=[token, other.pk])
        self.assertEqual(self.client.post(address, {"what": "fixed", "client_key": "z"}).status_code, 404)
        table = self.client.get(reverse("editor-file", args=[token, "csv"]))
        told = b"".join(table.streaming_content).decode()
        self.assertIn("A click", told)
        self.assertNotIn("A breath", told)

    def test_nobody_of_these(self):
        effects = contacts.add_contact(self.reviewer, self.production, "Ed Effects", "ed@cut.example")
        contacts.change_contact(self.reviewer, effects, "Ed Effects", usual=False, parts=["effects"])
        effects.refresh_from_db()
        with self.assertRaisesRegex(Refused, "None of these notes is for the addressees"):
            self.send([effects])
        dispatch = self.send([self.contact, effects])
        self.assertEqual(dispatch.remarks, ["Ed Effects gets nothing: none of these notes is for that addressee."])
        self.assertEqual(dispatch.recipients.count(), 1)

    def test_a_copy_is_read_and_not_answered(self):
        dispatch = self.send([self.contact], copies=[self.music])
        copy = self.link(dispatch, self.music)
        self.assertEqual(copy.items.count(), 3)
        self.assertIn("This is a copy", copy.delivery.text)
        page = self.page(copy)
        self.assertContains(page, "This is a copy")
        self.assertNotContains(page, "Cannot fix")
        with self.assertRaisesRegex(Refused, "is a copy"):
            answers.answer(copy, dispatch.items.first(), "fixed", "", "k")
        with self.assertRaisesRegex(Refused, "is a copy"):
            answers.answer_all(copy, "k")

    def test_some_of_the_notes(self):
        dispatch = self.send(only=[self.note(self.third).pk])
        self.assertEqual(self.news(dispatch), {self.third.label: "new"})
        self.assertEqual(len(pending(self.mix)), 2)

    def test_files_as_chosen_and_words_before_the_notes(self):
        self.send(covering="Please by Friday.", attached=["csv", "srt", "pdf", "points"])
        self.assertTrue(mails.send_next())
        message = message_from_bytes(mail.outbox[-1].message().as_bytes(), policy=policy.default)
        names = [p.get_filename().rsplit("notes.", 1)[1] for p in message.walk() if p.get_filename()]
        self.assertEqual(names, ["csv", "srt", "points.csv", "pdf"])
        self.assertIn("Please by Friday.", message.get_body("plain").get_content())
        with self.assertRaisesRegex(Refused, "cannot be attached"):
            prepare(self.reviewer, self.mix, [self.contact], attached=["wav"])
        with self.assertRaisesRegex(Refused, "may have 2000 characters"):
            prepare(self.reviewer, self.mix, [self.contact], covering="x" * 2001)

    def test_the_preview_shows_each_mail(self):
        prepared = prepare(self.reviewer, self.mix, [self.contact, self.music], attached=[])
        address = reverse("dispatch", args=[prepared.pk])
        shown = self.client.get(address, {"to": self.link(prepared, self.music).pk})
        self.assertContains(shown, "1 Low Water, mix 1: 1 note<")
        self.assertContains(shown, "Hello Max Music")
        self.assertNotContains(shown, "A breath")
        letter = self.client.get(reverse("dispatch-letter", args=[prepared.pk]))
        self.assertContains(letter, "A breath")
        self.assertNotContains(letter, "attached as files")

    def test_one_of_three_is_refused_by_the_server(self):
        self.send([self.contact, self.voices, self.music], only=[self.note(self.mark).pk])
        with mock.patch("mezzavoce.dispatch.mails.post", side_effect=[None, mails.TurnedDown("No such box.")]):
            mails.send_next()
            mails.send_next()
        self.assertEqual(sorted(Delivery.objects.values_list("state", flat=True)), ["failed", "sent"])


class ForAllTest(LoopCase):
    def add(self, title="Breaths"):
        return for_all.add(self.reviewer, self.production, title, "Leave breaths where they are.", "note")

    def test_told_once_with_the_notes_of_each_mix(self):
        self.add()
        first = self.send(only=[self.note(self.second).pk])
        self.assertIn("In all programmes:", Delivery.objects.get(recipient__dispatch=first).text)
        self.assertContains(self.page(self.link(first)), "Leave breaths where they are.")
        self.add("Room tone")
        second = self.send()
        self.assertEqual([one["title"] for one in second.for_all], ["Room tone"])
        other = make_mix(self.production, self.lead, 2)
        measure_mix(other)
        notes.decide(self.reviewer, other.marks.first(), other, "note it")
        third = prepare(self.reviewer, other, [self.contact])
        self.assertEqual([one["title"] for one in third.for_all], ["Breaths", "Room tone"])

    def test_withdrawn_it_goes_out_no_more(self):
        row = self.add()
        self.client.post(reverse("withdraw-series-note", args=[row.pk]), {"back": reverse("notes", args=[self.mix.pk])})
        self.assertEqual(self.send().for_all, [])
        with self.assertRaisesRegex(Overtaken, "withdrawn this already"):
            for_all.withdraw(self.reviewer, row)

    def test_by_the_page_and_what_cannot_be(self):
        address = reverse("add-series-note", args=[self.mix.pk])
        self.client.post(address, {"title": "Breaths", "text": "Leave them.", "severity": "should"})
        self.assertContains(self.client.get(reverse("notes", args=[self.mix.pk])), "Leave them.")
        for said in ({"title": " ", "text": "x", "severity": "must"}, {"title": "x", "text": "y", "severity": "heavy"}):
            self.assertEqual(self.client.post(address, said, headers={"Accept": "application/json"}).status_code, 422)
        with self.assertRaises(NotAllowed):
            for_all.add(self.guest, self.production, "x", "y", "must")


class EditorTest(LoopCase):
    def setUp(self):
        super().setUp()
        self.dispatch = self.send()
        self.recipient = self.link(self.dispatch)
        self.token = token_for(self.recipient.seed)
        self.client.logout()

    def test_all_that_are_open_at_once(self):
        items = list(self.dispatch.items.all())
        answers.answer(self.recipient, items[0], Answer.What.CANNOT, "No time", "k0")
        address = reverse("editor-answer-all", args=[self.token])
        told = self.client.post(address, {"client_key": "all1"}, headers={"Accept": "application/json"}).json()
        self.assertEqual(told["fixed"], [i.pk for i in items[1:]])
        again = self.client.post(address, {"client_key": "all1"}, headers={"Accept": "application/json"}).json()
        self.assertEqual(again["fixed"], [])
        self.assertEqual(Answer.objects.count(), 3)

    def test_without_scripts_it_works_as_well(self):
        page = self.page(self.recipient).content.decode()
        key = page.split('name="client_key" value="')[1].split('"')[0]
        item = self.dispatch.items.first()
        address = reverse("editor-answer", args=[self.token, item.pk])
        self.assertEqual(self.client.post(address, {"what": "fixed", "client_key": key}).status_code, 302)
        self.assertEqual(item.answers.get().what, "fixed")

    def test_a_question_is_answered_there_and_by_mail(self):
        item = self.dispatch.items.first()
        given = answers.answer(self.recipient, item, Answer.What.QUESTION, "Which take?", "k1")
        self.assertContains(self.page(self.recipient), "Which take?")
        with self.assertRaises(NotAllowed):
            answers.reply(self.guest, given, "The second.")
        with self.assertRaisesRegex(Refused, "Write what"):
            answers.reply(self.reviewer, given, "  ")
        self.client.force_login(self.reviewer)
        self.client.post(reverse("reply", args=[given.pk]), {"text": "The second one."})
        self.assertContains(self.client.get(reverse("notes", args=[self.mix.pk])), "The second one.")
        self.client.logout()
        page = self.page(self.recipient)
        self.assertContains(page, "The second one.")
        # The question is answered, so the note is open again.
        self.assertNotContains(page, 'class="item is-answered')
        stamps = self.client.get(reverse("editor-state", args=[self.token])).json()
        self.assertTrue(stamps[str(item.pk)])
        while mails.send_next():
            pass
        told = next(m for m in mail.outbox if "about note" in m.subject)
        self.assertIn(mails.link_of(self.recipient), told.body)
        self.assertIn("The second one.", told.body)
        self.assertEqual(Reply.objects.get().state, Reply.State.SENT)

    def test_a_reply_to_what_was_fixed(self):
        given = answers.answer(self.recipient, self.dispatch.items.first(), Answer.What.FIXED, "", "k1")
        with self.assertRaisesRegex(Refused, "Only a question"):
            answers.reply(self.reviewer, given, "Thanks.")

    def test_a_reply_whose_link_was_withdrawn_says_so(self):
        given = answers.answer(self.recipient, self.dispatch.items.first(), Answer.What.QUESTION, "Which?", "k1")
        while mails.send_next():
            pass
        actions.withdraw_link(self.reviewer, self.recipient)
        answers.reply(self.reviewer, given, "The second.")
        mails.send_next()
        self.assertRegex(Reply.objects.get().error, "do not open any more")

    def test_every_use_stands_in_the_trail_and_opening_twice_is_one(self):
        self.page(self.recipient)
        self.page(self.recipient)
        self.client.get(reverse("editor-file", args=[self.token, "srt"]))
        used = AuditEntry.objects.filter(actor=None).values_list("action", flat=True)
        self.assertEqual(list(used), ["open link", "take srt file"])

    def test_out_of_searches_and_referrers(self):
        for response in (self.page(self.recipient), self.client.get(reverse("editor", args=["x" * 43]))):
            self.assertEqual(response["Referrer-Policy"], "same-origin")
            self.assertEqual(response["X-Robots-Tag"], "noindex")


class ReminderTest(LoopCase):
    def setUp(self):
        super().setUp()
        programme = self.mix.programme
        programme.due = timezone.localdate() + timedelta(days=1)
        programme.save()
        self.dispatch = actions.send(self.reviewer, prepare(self.reviewer, self.mix, [self.contact]), reminds=True)
        while mails.send_next():
            pass
        Dispatch.objects.update(sent_at=timezone.now() - timedelta(days=3))
        mail.outbox.clear()

    def test_once_and_only_where_nothing_was_answered(self):
        self.assertEqual(reminders.remind(), 1)
        self.assertEqual(reminders.remind(), 0)
        mails.send_next()
        (message,) = mail.outbox
        self.assertIn("have no answer from you yet", message.body)
        self.assertIn(mails.link_of(self.link(self.dispatch)), message.body)

    def test_an_answer_that_comes_meanwhile(self):
        reminders.remind()
        answers.answer(self.link(self.dispatch), self.dispatch.items.first(), "fixed", "", "k")
        mails.send_next()
        self.assertEqual((mail.outbox, Reminder.objects.get().state), ([], "sent"))

    def test_a_due_day_that_was_taken_back_meanwhile(self):
        reminders.remind()
        type(self.mix.programme).objects.update(due=None)
        mails.send_next()
        self.assertEqual((mail.outbox, Reminder.objects.get().state), ([], "sent"))

    def test_nobody_is_reminded_who_was_not_to_be(self):
        for change in ({"reminds": False}, {"sent_at": timezone.now()}):
            before = Dispatch.objects.values(*change).get()
            Dispatch.objects.update(**change)
            self.assertEqual(reminders.remind(), 0, change)
            Dispatch.objects.update(**before)
        answers.answer(self.link(self.dispatch), self.dispatch.items.first(), "fixed", "", "k")
        self.assertEqual(reminders.remind(), 0)
