"""Several people at the same mix in the same moment.

No word is lost, and nobody waits for somebody who waits for them.
"""

import threading
import time
from contextlib import suppress
from unittest import mock

from django.db import connection
from django.test import TransactionTestCase

from mezzavoce.dispatch import actions as dispatch
from mezzavoce.dispatch import answers, mails
from mezzavoce.dispatch.models import Delivery, Notice
from mezzavoce.library import intake as library
from mezzavoce.library.models import Mix
from mezzavoce.library.sounds import Piece
from mezzavoce.measuring import actions as measuring
from mezzavoce.measuring import judging
from mezzavoce.measuring.models import Correction
from mezzavoce.measuring.selectors import current_judgement
from mezzavoce.notes import actions, receivers
from mezzavoce.notes.models import Decision, Mark, Note
from mezzavoce.notes.selectors import marked
from mezzavoce_core.exchange.document import document
from mezzavoce_core.exchange.labels import label
from tests.signals import chord, talk, three_stems
from tests.web.base import SPANS, make_mix, make_people, measure_mix, prepare, stored


class AtOnceTest(TransactionTestCase):
    def setUp(self):
        make_people(self)
        self.mix = make_mix(self.production, self.lead)
        measure_mix(self.mix, three_stems(talk(40, SPANS), chord(40, -22)))

    def beside(self, do, *args):
        """Somebody else does something, over a connection of their own."""

        def done():
            do(self.reviewer, *args)
            connection.close()

        thread = threading.Thread(target=done)
        thread.start()
        return thread

    def say(self, *span):
        return self.beside(measuring.correct, Mix.objects.get(pk=self.mix.pk), "no-speech", span)

    def test_two_people_at_once_and_neither_word_is_lost(self):
        here = threading.Barrier(2)

        def slow(result):
            # Whoever comes first waits a while for the other to have judged, too.
            with suppress(threading.BrokenBarrierError):
                here.wait(1.0)
            return document(result)

        with mock.patch.object(judging, "document", side_effect=slow):
            for thread in (self.say("10:00:08:00", "10:00:14:00"), self.say("10:00:24:00", "10:00:30:00")):
                thread.join(60)
        self.assertEqual((Correction.objects.count(), current_judgement(self.mix).detail["speech"]), (2, []))

    def test_a_finding_is_decided_while_it_is_judged_again(self):
        marks = [m.mark for m in marked(self.mix, current_judgement(self.mix))]

        def decided(result):
            for mark in marks:
                self.beside(actions.decide, mark, self.mix, Decision.What.NOTE).join(5)
            self.decided = Decision.objects.count()
            return document(result)

        with mock.patch.object(judging, "document", side_effect=decided):
            self.say("10:00:24:00", "10:00:30:00").join(60)
        self.assertEqual(self.decided, len(marks))
        self.assertEqual(len(current_judgement(self.mix).detail["speech"]), 1)

    def test_a_finding_is_decided_while_marks_are_given(self):
        """Whoever decides needs the mark and the programme, and whoever judges, too.

        Neither waits for the other in a circle.
        """
        deciding = []

        def slow(number):
            deciding.extend(
                self.beside(actions.decide, mark, self.mix, Decision.What.NOTE)
                for mark in Mark.objects.filter(mix=self.mix)
            )
            time.sleep(0.5)
            return label(number)

        with mock.patch.object(receivers, "label", side_effect=slow):
            self.say("10:00:26:00", "10:00:28:00").join(60)
        for thread in deciding:
            thread.join(60)
        self.assertGreater(len(deciding), 0)
        self.assertEqual((Correction.objects.count(), Decision.objects.count()), (1, len(deciding)))

    def test_two_new_programmes_at_once_get_two_numbers(self):
        files = [stored(self.production, name=f"{k}.wav") for k in range(4)]

        def take(person, file):
            library.ingest(
                person,
                self.production,
                library.Ingest(
                    files=[Piece(file, "mix")], frame_rate="25", start_timecode="00:00:00:00", title=file.name
                ),
            )

        for thread in [self.beside(take, file) for file in files]:
            thread.join(60)
        self.assertEqual(sorted(self.production.programmes.values_list("number", flat=True)), [1, 2, 3, 4, 5])

    def test_two_people_decide_the_same_findings_at_once(self):
        marks = list(Mark.objects.filter(mix=self.mix, kind="duck-missing"))
        self.assertEqual(len(marks), 2)

        def slow(*args):
            time.sleep(0.5)
            return follow(*args)

        follow = actions._follow
        with mock.patch.object(actions, "_follow", side_effect=slow):
            for thread in [self.beside(actions.decide_alike, mark, self.mix, Decision.What.NOTE) for mark in marks]:
                thread.join(60)
        self.assertEqual((Decision.objects.count(), Note.objects.count()), (4, 2))


class AnswersAtOnceTest(TransactionTestCase):
    def test_an_answer_that_comes_while_a_mail_tells_of_another_is_told_by_the_next(self):
        make_people(self)
        mix = make_mix(self.production, self.lead)
        measure_mix(mix)
        actions.decide(self.reviewer, Mark.objects.first(), mix, Decision.What.NOTE)
        sent = dispatch.send(self.reviewer, prepare(self.reviewer, mix, [self.contact]), answers_by_mail=True)
        recipient, item = sent.recipients.get(), sent.items.get()
        Delivery.objects.update(state=Delivery.State.SENT)
        answers.answer(recipient, item, "fixed", "", "first")

        def meanwhile(message):
            told.append(message.subject)
            if len(told) == 1:
                answers.answer(recipient, item, "question", "Which take?", "second")

        told = []
        with mock.patch.object(mails, "post", side_effect=meanwhile):
            for _ in range(2):
                Notice.objects.update(next_try=None)
                self.assertTrue(mails.send_next())
            Notice.objects.update(next_try=None)
            self.assertFalse(mails.send_next())
        self.assertEqual(
            (len(told), Notice.objects.get().state, Notice.objects.get().error), (2, Notice.State.SENT, "")
        )
