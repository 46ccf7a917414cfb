"""What goes wrong: killed workers, bad files, broken lines, people who only look; and pages by night."""

import os
import re
import signal
import tempfile
from pathlib import Path

from mezzavoce.library.models import Playback
from mezzavoce.measuring.models import Run
from mezzavoce.notes import actions as notes
from mezzavoce.notes.models import Mark, Note
from tests.browser.base import DESKTOP, MeasuredCase
from tests.signals import automated, chord, sine, stereo, talk, write_wav


class TroubleTest(MeasuredCase):
    def test_a_killed_worker_loses_nothing(self):
        with tempfile.TemporaryDirectory() as folder:
            long = automated(chord(600, -24), [(0, 0), (300, -3)])
            write_wav(Path(folder) / "mix.wav", stereo(long))
            self.bring_in(folder, "mix")
        self.wait_until(lambda: Run.objects.filter(state=Run.State.RUNNING, progress__gt=0).exists())
        os.killpg(self.worker.pid, signal.SIGKILL)
        self.worker.wait()
        type(self).worker = self.start_worker()
        run = self.wait_until(lambda: Run.objects.filter(state=Run.State.MEASURED).first(), 120)
        self.assertEqual((Run.objects.count(), run.attempts), (1, 2))

    def test_a_failure_says_why_on_the_page(self):
        with tempfile.TemporaryDirectory() as folder:
            write_wav(Path(folder) / "mix.wav", stereo(sine(-20, 8)))
            write_wav(Path(folder) / "music.wav", stereo(talk(8, [(1, 7)])))
            self.bring_in(folder, "mix", "music")
        page = self.open_page()
        self.sign_in(page)
        page.click("text=1 Ebb")
        page.wait_for_selector("text=does not contain the stem “music.wav”")
        self.assert_accessible(page)
        self.assertTrue(page.get_by_role("button", name="measure again").is_visible())

    def test_bad_files_are_told_on_the_intake_page(self):
        page = self.open_page()
        self.sign_in(page)
        page.get_by_role("link", name="Ingest a mix").click()
        with tempfile.TemporaryDirectory() as folder:
            letter, empty = Path(folder) / "letter.wav", Path(folder) / "empty.wav"
            letter.write_text("no sound in here " * 30)
            empty.touch()
            page.set_input_files("#choose", [letter, empty])
            page.wait_for_selector("text=“letter.wav” is no video or audio file")
            page.wait_for_selector("text=“empty.wav” is empty")
        self.assertTrue(page.locator("#measure").is_disabled())
        for _ in range(2):
            page.get_by_role("button", name="remove").first.click()
        self.assertTrue(page.locator("#files").is_hidden())

    def test_files_chosen_before_the_script_has_come_are_taken(self):
        page = self.open_page()
        self.sign_in(page)
        held = []
        page.route("**/js/ingest.*js", lambda route: held.append(route))  # noqa: PLW0108  (a built-in method is not taken)
        page.get_by_role("link", name="Ingest a mix").click(no_wait_after=True)
        with tempfile.TemporaryDirectory() as folder:
            page.set_input_files("#choose", write_wav(Path(folder) / "mix.wav", stereo(sine(-23, 4))))
            self.assertEqual(page.locator("#files tbody tr").count(), 0)
            self.wait_until(
                lambda: page.locator("#files").count() and held
            )  # asking the page lets what was held arrive
            held.pop().continue_()
            page.wait_for_selector("text=✓ here")

    def test_an_upload_goes_on_after_the_line_broke(self):
        page = self.open_page()
        self.sign_in(page)
        page.get_by_role("link", name="Ingest a mix").click()
        page.wait_for_selector("#choose", state="attached")
        broken = []

        def break_once(route):
            if route.request.method == "PUT" and not broken:
                broken.append(route.request.url)
                route.abort()
            else:
                route.continue_()

        page.route("**/uploads/**", break_once)
        with tempfile.TemporaryDirectory() as folder:
            path = write_wav(Path(folder) / "mix.wav", stereo(sine(-23, 4)))
            page.set_input_files("#choose", path)
            page.wait_for_selector("text=✓ here")
        self.assertEqual(len(broken), 1)

    def test_an_upload_goes_on_after_the_page_was_loaded_anew(self):
        page = self.open_page()
        page.on("dialog", lambda dialog: dialog.accept())
        self.sign_in(page)
        page.get_by_role("link", name="Ingest a mix").click()
        page.wait_for_selector("#choose", state="attached")
        offsets = []

        def break_off(route):
            offsets.append(int(route.request.headers["upload-offset"]))
            if offsets[-1]:
                route.abort()
            else:
                route.continue_()

        page.route(
            re.compile(r"/uploads/[0-9a-f-]{36}/$"),
            lambda route: break_off(route) if route.request.method == "PUT" else route.continue_(),
        )
        with tempfile.TemporaryDirectory() as folder:
            path = write_wav(Path(folder) / "mix.wav", stereo(sine(-23, 60)))
            page.set_input_files("#choose", path)
            self.wait_until(lambda: page.locator("#files").count() and any(offsets))
            page.unroute_all()
            page.reload()
            page.wait_for_selector("#unfinished:has-text('mix.wav')")
            self.assert_accessible(page)
            sent = []
            page.on(
                "request",
                lambda request: request.method == "PUT" and sent.append(int(request.headers["upload-offset"])),
            )
            page.set_input_files("#choose", path)
            page.wait_for_selector("text=✓ here")
        self.assertGreater(min(sent), 0)
        self.assertTrue(page.locator("#unfinished").is_hidden())

    def test_the_wording_of_a_note_is_in_view_when_it_is_edited(self):
        self.measured_mix()
        page = self.open_page(DESKTOP)
        self.sign_in(page)
        page.click("text=1 Ebb")
        page.wait_for_selector("#review[data-ready]")
        page.keyboard.press("e")
        page.wait_for_selector("#wording:focus")
        inside = page.evaluate(
            "(() => { const box = document.querySelector('.finding-body').getBoundingClientRect();"
            "return ['#wording', '[data-do=word] button'].map((name) => "
            "document.querySelector(name).getBoundingClientRect())"
            ".every((r) => r.top >= box.top - 1 && r.bottom <= box.bottom + 1); })()"
        )
        self.assertTrue(inside)
        # Whatever is new meanwhile, what is typed stays.
        page.keyboard.type("The music has to wait. ")
        notes.decide(self.lead, Mark.objects.last(), Mark.objects.last().mix, "allow", "the song leads")
        page.wait_for_timeout(3500)
        self.assertIn("The music has to wait. ", page.input_value("#wording"))
        page.keyboard.press("Control+Enter")
        self.wait_until(lambda: Note.objects.filter(text__contains="The music has to wait.").exists())
        self.until(
            page, "Array.from(document.querySelectorAll('.list .state')).some((s) => s.textContent === 'allowed')"
        )

    def test_whoever_goes_on_is_not_taken_back_by_an_answer_that_comes_late(self):
        self.measured_mix()
        page = self.open_page(DESKTOP)
        self.sign_in(page)
        page.click("text=1 Ebb")
        page.wait_for_selector("#review[data-ready]")
        first, other = (link.get_attribute("data-mark") for link in page.locator(".list a").all()[:2])
        held = []
        page.route("**/state/**", lambda route: held.append(route) if not held else route.continue_())
        # Something new that the page asks about by itself, held on its way while somebody goes on to another finding.
        notes.decide(self.lead, Mark.objects.get(label=first), Mark.objects.first().mix, "allow", "the song leads")
        self.wait_until(lambda: page.locator(".list a").count() and held)
        page.locator(".list a").nth(1).click()
        page.wait_for_selector(f".finding[data-mark={other}]")
        held[0].continue_()
        self.until(page, f"document.querySelector('.list a[data-mark={first}] .state').textContent === 'allowed'")
        self.assertEqual(page.locator(".finding").get_attribute("data-mark"), other)
        self.assertEqual(page.locator(".list .is-chosen a").get_attribute("data-mark"), other)
        self.assertEqual(self.complaints, [])

    def test_an_answer_that_a_newer_one_overtook_is_left(self):
        self.measured_mix()
        # Nothing else is new meanwhile.
        self.wait_until(lambda: Playback.objects.get().state == "ready")
        page = self.open_page(DESKTOP)
        self.sign_in(page)
        page.click("text=1 Ebb")
        page.wait_for_selector("#review[data-ready]")
        page.keyboard.press("e")
        page.wait_for_selector("#wording:focus")
        page.keyboard.press("Escape")
        held, told = [], []
        page.route("**/state/**", lambda route: route.continue_() if held else held.append((route, route.fetch())))
        # Something new, whose word is made now and comes only after the person here has saved a wording.
        mark = Mark.objects.order_by("id").last()
        notes.decide(self.lead, mark, mark.mix, "allow", "the song leads")
        self.wait_until(lambda: page.locator(".list a").count() and held)
        page.locator("#wording").press_sequentially("Later. ")
        page.keyboard.press("Control+Enter")
        page.wait_for_selector("#say:has-text('The wording is saved.')")
        page.on("response", lambda response: "/state/" in response.url and told.append(response.status))
        route, answer = held[0]
        route.fulfill(response=answer)
        page.keyboard.press("Escape")
        self.wait_until(lambda: page.locator(".list a").count() and len(told) > 1)
        # Had the page gone back, the next answer would bring it forward again.
        self.assertEqual(told[1], 204)
        self.assertIn("Later. ", page.input_value("#wording"))

    def test_a_guest_sees_no_buttons_to_decide(self):
        self.measured_mix()
        page = self.open_page()
        self.sign_in(page, "guest")
        page.click("text=1 Ebb")
        page.wait_for_selector("#review[data-ready]")
        self.assertEqual(page.locator(".decide").count(), 0)
        page.keyboard.press("Enter")
        page.keyboard.press("x")
        # What a key pressed later does is seen on the page.
        page.keyboard.press("d")
        page.wait_for_selector("#desk")
        self.assertFalse(Note.objects.exists())
        self.assert_accessible(page)

    def test_by_night(self):
        self.measured_mix()
        page = self.open_page(color_scheme="dark")
        self.sign_in(page)
        self.assert_accessible(page)
        page.click("text=1 Ebb")
        page.wait_for_selector("#review[data-ready]")
        self.assert_accessible(page)
        page.get_by_role("button", name="Day").click()
        page.wait_for_selector("html[data-light=day]")
