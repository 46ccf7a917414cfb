"""The whole way, with a real worker and a real mail.

Sign in, desk, ingest, review, decide, send, answer on a phone.
"""

import csv
import io
import os
import re
import subprocess
import tempfile
from email import message_from_bytes, policy
from pathlib import Path

from mezzavoce.dispatch.models import Answer
from mezzavoce.library.models import Playback
from mezzavoce.measuring.models import Run
from mezzavoce.notes.models import Mark, Note, Placement
from mezzavoce_demo.programmes.scenario import EPISODES
from mezzavoce_demo.studio.render import STEMS, mix_file, stem_file
from tests.browser.base import DESKTOP, PHONE, BrowserCase, MeasuredCase

EPISODE = EPISODES[1]


def media():
    return Path(os.environ["MEZZAVOCE_TEST_MEDIA"])


def film(folder):
    """The episode's mix with a quick picture, as it would be delivered."""
    path = Path(folder) / mix_file(media(), EPISODE).name
    subprocess.run(
        [
            "ffmpeg",
            "-v",
            "error",
            "-y",
            "-f",
            "lavfi",
            "-i",
            "testsrc2=s=320x180:r=25",
            "-i",
            str(mix_file(media(), EPISODE)),
            "-map",
            "0:v",
            "-map",
            "1:a",
            "-shortest",
            "-c:v",
            "libx264",
            "-preset",
            "ultrafast",
            "-pix_fmt",
            "yuv420p",
            "-c:a",
            "copy",
            "-timecode",
            EPISODE.start,
            str(path),
        ],
        check=True,
    )
    return path


class WalkTest(BrowserCase):
    with_worker = True

    def test_from_sign_in_to_the_editors_answer(self):
        page = self.open_page(DESKTOP)
        page.goto(f"{self.live_server_url}/")
        self.assertIn("/sign-in/", page.url)
        self.assert_accessible(page)
        self.sign_in(page)
        self.assert_accessible(page)
        self.assert_fits(page)
        self.ingest(page)
        self.review(page)
        self.send(page)
        beside = self.open_beside(page)
        self.answer_on_a_phone()
        self.see_the_answer_come(beside)
        self.see_the_answer(page)
        self.measure_again(page)
        self.assertEqual(self.complaints, [])

    def ingest(self, page):
        page.get_by_role("link", name="Ingest a mix").click()
        with tempfile.TemporaryDirectory() as folder:
            files = [film(folder), *(stem_file(media(), EPISODE, role) for role in STEMS)]
            page.set_input_files("#choose", files)
            self.until(
                page,
                "Array.from(document.querySelectorAll('#files tbody tr td:nth-child(4)')).filter((cell) => "
                "cell.textContent === '✓ here').length === 4",
            )
        self.assertEqual(page.input_value("#id_start_timecode"), "10:00:00:00")
        self.assertEqual(page.input_value("#id_frame_rate"), "25")
        self.assertEqual(
            [s.input_value() for s in page.locator("#files select").all()], ["mix", "dialogue", "music", "effects"]
        )
        self.assert_accessible(page)
        self.assert_fits(page)
        page.fill("#id_title", EPISODE.title)
        page.click("#measure")
        page.wait_for_url(re.compile(r"/mixes/\d+/$"))
        page.wait_for_selector("#review[data-ready]")
        self.wait_until(lambda: Playback.objects.get().state == "ready")
        page.wait_for_selector("#play:visible")

    def review(self, page):
        self.assertIn("Not yet", page.inner_text("#verdict h1"))
        self.assertEqual(page.locator(".list li").count(), len(EPISODE.planted))
        self.assert_accessible(page)
        self.assert_fits(page)
        self.until(page, "document.getElementById('video').readyState >= 2")
        page.locator(".list a").nth(1).click()
        page.wait_for_selector(".finding[data-mark=B]")
        # It plays from its run-up to a second behind its end; where pages are slow that may be over before words come.
        placed = Placement.objects.get(mark__label="B").evidence
        begin, end = placed["in_s"] - 2.0, placed["out_s"] + 1.0
        at = "document.getElementById('video').currentTime"
        self.until(page, f"{at} > {begin + 0.2} && {at} < {end + 0.5}")
        page.keyboard.press("k")
        self.until(page, "document.querySelector('.finding').dataset.mark === 'A'")
        page.keyboard.press("Space")
        self.decide_each_way(page)

    def decide_each_way(self, page):
        page.get_by_role("button", name="Not a fault").click()
        self.until(page, "document.querySelector('[data-fact=open]').textContent.startsWith('1 of')")
        page.keyboard.press("z")
        self.until(
            page,
            "document.querySelector('[data-fact=open]').textContent.startsWith('2 of') && "
            "document.querySelector('.finding').dataset.mark === 'A'",
        )
        page.keyboard.press("a")
        page.get_by_role("button", name="Allow", exact=True).wait_for()
        page.keyboard.type("the song leads here")
        page.keyboard.press("Enter")
        self.until(page, "document.querySelector('[data-fact=open]').textContent.startsWith('1 of')")
        page.keyboard.press("z")
        self.until(
            page,
            "document.querySelector('[data-fact=open]').textContent.startsWith('2 of') && "
            "document.querySelector('.finding').dataset.mark === 'A'",
        )
        page.keyboard.press("e")
        page.wait_for_selector("#wording:focus")
        page.keyboard.press("Control+a")
        page.keyboard.type("Please let the music fall under the keeper.")
        page.keyboard.press("Control+Enter")
        self.wait_until(
            lambda: Note.objects.filter(text="Please let the music fall under the keeper.", text_by_hand=True).exists()
        )
        page.keyboard.press("Escape")
        page.locator(".list a").nth(1).click()
        page.wait_for_selector(".finding[data-mark=B] .decide")
        page.keyboard.press("Enter")
        self.until(page, "document.querySelector('[data-fact=open]').textContent.startsWith('0 of')")

    def send(self, page):
        page.keyboard.press("m")
        page.wait_for_selector("text=2 notes to send")
        self.assert_accessible(page)
        page.get_by_role("button", name="See what will go out").click()
        page.wait_for_selector("text=This is what will go out")
        preview = page.frame_locator("iframe").locator("body").inner_text()
        self.assertIn("Please let the music fall under the keeper.", preview)
        page.get_by_role("tab", name="as plain text").click()
        text = page.locator("#as-text pre").inner_text()
        self.assert_accessible(page)
        page.get_by_role("button", name="Send it").click()
        page.wait_for_selector("h1:has-text('Sent')")
        path = self.wait_until(lambda: next(iter(self.mailbox.glob("*.eml")), None))
        message = message_from_bytes(path.read_bytes(), policy=policy.default)
        sent = message.get_body("plain").get_content()
        self.link = re.search(r"http://\S+/n/\S+/", sent)[0]
        # The personal link stands in the mail alone.
        self.assertNotIn(self.link, text)
        self.assertEqual(
            sent.replace(self.link, "LINK").split(), re.sub(r"https://\S+addressee/", "LINK", text).split()
        )
        (attached,) = (p for p in message.walk() if p.get_filename())
        self.assertEqual(
            [r["mark"] for r in csv.DictReader(io.StringIO(attached.get_content(), newline=""))], ["A", "B"]
        )
        page.goto(f"{self.live_server_url}/mailbox/")
        page.frame_locator("iframe").get_by_text("Please let the music fall under the keeper.").wait_for()
        self.assert_accessible(page)

    def answer_on_a_phone(self):
        phone = self.open_page(PHONE, permissions=["clipboard-read", "clipboard-write"])
        self.wait_until(lambda: phone.goto(self.link) and phone.locator("video").count() == 2)
        self.assert_accessible(phone)
        self.assert_fits(phone)
        first, second = phone.locator("article").all()
        self.assertLess(first.bounding_box()["y"], second.bounding_box()["y"])
        first.locator("[data-copy]").first.click()
        self.assertEqual(phone.evaluate("navigator.clipboard.readText()"), "10:00:36:00")
        first.locator("video").evaluate("v => v.play()")
        self.until(phone, "document.querySelector('video').currentTime > 0.1")
        self.assertEqual(first.locator(".points tbody tr").count(), 4)
        first.get_by_role("button", name="Fixed").click()
        phone.wait_for_selector("#note-A.is-answered")
        second.get_by_role("button", name="Cannot fix").click()
        phone.keyboard.type("Only a stereo file is left.")
        phone.reload()
        self.assertEqual(phone.locator("#note-B textarea").input_value(), "Only a stereo file is left.")
        phone.locator("#note-B [data-send]").click()
        phone.wait_for_selector("#note-B.is-answered")
        self.assertEqual(sorted(Answer.objects.values_list("what", flat=True)), ["cannot fix", "fixed"])

    def open_beside(self, page):
        """The review and the notes in two more windows of the reviewer, where nobody touches anything."""
        windows = page.context.new_page(), page.context.new_page()
        mix = Mark.objects.first().mix_id
        windows[0].goto(f"{self.live_server_url}/mixes/{mix}/?mark=B")
        windows[0].wait_for_selector("#review[data-ready]")
        windows[1].goto(f"{self.live_server_url}/mixes/{mix}/notes/")
        windows[1].wait_for_selector("#sent")
        return windows

    def see_the_answer_come(self, windows):
        review, notes = windows
        review.wait_for_selector(".answer:has-text('Only a stereo file is left.')")
        self.assertEqual([s.inner_text() for s in review.locator(".list .state").all()], ["fixed", "cannot fix"])
        notes.wait_for_selector("#sent:has-text('Only a stereo file is left.')")
        self.assert_accessible(notes)
        for window in windows:
            window.close()

    def see_the_answer(self, page):
        page.goto(f"{self.live_server_url}/")
        page.wait_for_selector("text=cannot be fixed, with a reason")
        page.wait_for_selector("text=2 sent, 2 answered")
        page.click("text=cannot be fixed, with a reason")
        page.wait_for_selector(".answer:has-text('Only a stereo file is left.')")

    def measure_again(self, page):
        page.get_by_role("button", name="measure again").click()
        self.wait_until(lambda: Run.objects.filter(state=Run.State.MEASURED).count() == 2)
        self.until(page, "Number(document.getElementById('review').dataset.turn || 0) > 0")
        self.assertFalse(page.locator("[data-part=measuring] progress").count())
        self.assertEqual(Mark.objects.count(), 2)
        self.assertEqual([s.inner_text() for s in page.locator(".list .state").all()], ["fixed", "cannot fix"])


class KeyboardTest(MeasuredCase):
    def test_no_mouse_at_all(self):
        page = self.open_page(DESKTOP)
        page.goto(f"{self.live_server_url}/sign-in/")
        page.keyboard.press("Enter")
        page.wait_for_selector("#desk")
        self.measured_mix()
        page.wait_for_selector("a[data-key=Enter]")
        page.keyboard.press("Enter")
        page.wait_for_selector("#review[data-ready]")
        open_ones = Mark.objects.count()
        for _ in range(open_ones):
            page.wait_for_selector(".decide")
            page.keyboard.press("Enter")
            self.until(page, f"parseInt(document.querySelector('[data-fact=open]').textContent) === {open_ones - 1}")
            open_ones -= 1
        page.keyboard.press("m")
        page.wait_for_selector("text=See what will go out")
        self.tab_to(page, "See what will go out")
        page.wait_for_selector("text=This is what will go out")
        self.tab_to(page, "Send it")
        page.wait_for_selector("h1:has-text('Sent')")
        page.keyboard.press("d")
        page.wait_for_selector("td.standing:has-text('waits for answers')")
        page.keyboard.press("?")
        page.wait_for_selector("#keys.show")
        self.assertEqual(self.complaints, [])

    def tab_to(self, page, name):
        for _ in range(40):
            page.keyboard.press("Tab")
            if name in page.evaluate("document.activeElement.innerText || ''"):
                page.keyboard.press("Enter")
                return
        self.fail(f"“{name}” cannot be reached with Tab")
