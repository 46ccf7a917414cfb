"""The whole loop twice: review, send, answer, a new mix through the link, recheck, a second dispatch, sign-off."""

import re
import tempfile
from email import message_from_bytes, policy
from pathlib import Path

from mezzavoce.dispatch.models import Answer, Dispatch
from mezzavoce.library import intake, productions
from mezzavoce.library.models import Mix
from mezzavoce.measuring.models import Run
from mezzavoce.notes.models import Note
from mezzavoce.recheck.models import Recheck, SignOff
from mezzavoce_demo import loader
from tests.browser.base import DESKTOP, PHONE, MeasuredCase
from tests.signals import automated, chord, noise, stereo, talk, write_wav

ROLES = {"mix": "Ebb mix", "dialogue": "Ebb DX", "music": "Ebb MX"}


class LoopTest(MeasuredCase):
    def setUp(self):
        super().setUp()
        usual = productions.Usual(self.production.name, editors_hand_in=True)
        productions.settle(self.lead, self.production, usual)
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def files(self, duck_db, number):
        """A mix with its stems whose music gives way by so much under the voice."""
        points = [(5.0, 0), (5.6, duck_db), (12.4, duck_db), (13.4, 0)]
        voice, music = talk(24, [(6, 12)]), automated(chord(24, -24), points) + noise(24, -55)
        parts = {"mix": voice + music, "dialogue": voice, "music": music}
        paths = {role: self.folder / f"{ROLES[role]} {number}.wav" for role in parts}
        for role, signal in parts.items():
            write_wav(paths[role], stereo(signal))
        return paths

    def measured(self, number):
        self.wait_until(lambda: Run.objects.filter(mix__number=number, state=Run.State.MEASURED).exists(), 120)
        return Mix.objects.get(number=number)

    def test_until_it_is_signed(self):
        paths = self.files(0.0, 1)
        given = [(loader.upload(self.reviewer, self.production, path), role) for role, path in paths.items()]
        intake.ingest(self.reviewer, self.production, intake.Ingest(given, "25", "10:00:00:00", title="Ebb"))
        self.measured(1)
        page = self.open_page(DESKTOP)
        self.sign_in(page)
        self.note_everything(page, Mix.objects.get())
        self.send(page, Mix.objects.get())
        self.answer_and_hand_in(self.files(-4.0, 2))
        second = self.measured(2)
        self.recheck(page, second)
        self.send(page, second)
        self.answer_and_hand_in(self.files(-14.0, 3))
        self.sign(page, self.measured(3))
        self.assertEqual(self.complaints, [])

    def note_everything(self, page, mix):
        page.goto(f"{self.live_server_url}/mixes/{mix.pk}/")
        page.wait_for_selector("#review[data-ready]")
        left = mix.marks.count()
        while left:
            page.wait_for_selector(".decide")
            page.keyboard.press("Enter")
            left -= 1
            self.until(page, f"parseInt(document.querySelector('[data-fact=open]').textContent) === {left}")

    def send(self, page, mix):
        before = set(self.mailbox.glob("*.eml"))
        page.goto(f"{self.live_server_url}/mixes/{mix.pk}/notes/")
        page.fill("#covering", "Please by Friday.")
        page.get_by_role("button", name="See what will go out").click()
        page.get_by_role("button", name="Send it").click()
        page.wait_for_selector("h1:has-text('Sent')")
        path = self.wait_until(lambda: next(iter(set(self.mailbox.glob("*.eml")) - before), None))
        text = message_from_bytes(path.read_bytes(), policy=policy.default).get_body("plain").get_content()
        self.assertIn("Please by Friday.", text)
        self.link = re.search(r"http://\S+/n/\S+/", text)[0]

    def answer_and_hand_in(self, paths):
        phone = self.open_page(PHONE)
        phone.goto(self.link)
        waiting = phone.locator("[data-open]").count()
        self.assertTrue(waiting)
        self.assert_accessible(phone)
        # Without a connection an answer waits in the browser, and goes out when there is one.
        phone.context.set_offline(True)
        phone.get_by_role("button", name="Fixed", exact=True).first.click()
        phone.wait_for_selector("#kept:visible")
        self.complaints.clear()
        phone.context.set_offline(False)
        phone.wait_for_selector(".item.is-answered")
        if waiting > 1:
            phone.get_by_role("button", name="All the others are fixed").click()
        self.until(phone, f"document.querySelectorAll('.item.is-answered').length === {waiting}")
        phone.get_by_text("Hand in the new mix").click()
        phone.set_input_files("#new-mix", list(paths.values()))
        phone.wait_for_selector("#hand-it-in:not([disabled])")
        self.assertEqual([s.input_value() for s in phone.locator("#new-files select").all()], list(paths))
        self.assert_fits(phone)
        phone.click("#hand-it-in")
        phone.wait_for_selector("#handed-in:visible")

    def recheck(self, page, mix):
        """What was said to be fixed and is not stands out, and is noted again; the rest is so."""
        row = Recheck.objects.get(mix=mix, mark__family="ducking")
        self.assertEqual(row.result, "better")
        page.goto(f"{self.live_server_url}/mixes/{mix.pk}/beside/")
        page.wait_for_selector("#rechecks .is-chosen")
        chosen = page.locator(f"[data-recheck='{row.pk}']")
        self.assertIn("and it is not", chosen.inner_text())
        while "is-chosen" not in (chosen.get_attribute("class") or ""):
            page.keyboard.press("j")
        page.keyboard.press("n")
        page.wait_for_selector(f"[data-recheck='{row.pk}'].is-done")
        page.keyboard.press("v")
        self.wait_until(lambda: not [r for r in Recheck.objects.filter(mix=mix) if not r.is_confirmed])
        self.assertTrue(Note.objects.filter(mix=mix, state=Note.State.WRITTEN).exists())

    def sign(self, page, mix):
        self.assertEqual(Recheck.objects.get(mix=mix, mark__family="ducking").result, "cured")
        self.assertEqual(Dispatch.objects.filter(state=Dispatch.State.SENT).count(), 2)
        self.assertEqual(set(Answer.objects.values_list("what", flat=True)), {"fixed"})
        page.goto(f"{self.live_server_url}/mixes/{mix.pk}/")
        page.wait_for_selector("#review[data-ready]")
        while page.locator(".decide").count():
            left = int(page.inner_text("[data-fact=open]").split()[0])
            page.keyboard.press("a")
            page.wait_for_selector("#reason:focus")
            page.keyboard.type("meant like that")
            page.keyboard.press("Enter")
            self.until(page, f"parseInt(document.querySelector('[data-fact=open]').textContent) === {left - 1}")
        page.get_by_role("link", name="Sign off").click()
        page.get_by_role("button", name="Sign it").click()
        page.wait_for_selector("text=is signed.")
        self.assertEqual(SignOff.objects.get().by, self.reviewer)
        page.goto(f"{self.live_server_url}/")
        page.wait_for_selector("td.standing:has-text('signed')")
