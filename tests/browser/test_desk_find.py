"""Finding programmes on the desk, switching productions by keys, and what names of files propose."""

from mezzavoce.library import actions as library
from mezzavoce.library.productions import plan_list
from tests.browser.base import DESKTOP, BrowserCase

NAMES = (
    ("Hestholm 16 mix 1.mov", "The Hestholm Lamps", 16, ""),
    ("12_The_Long_Tide_v3.wav", "Tide Tables", 12, "The Long Tide"),
    ("The Long Tide - ep 7 - stereo final.mov", "", 7, "The Long Tide"),
    ("S02E04 Slack Water 1080p.mp4", "", 4, "Slack Water"),
    ("mix.wav", "", "", ""),
    ("Ebb 5.1 48k 24bit.wav", "", "", "Ebb"),
    ("1914 (1).mov", "", 1914, ""),
)


class DeskFindTest(BrowserCase):
    def shown(self, page):
        return page.eval_on_selector_all(
            ".rows tbody tr:not([hidden])", "(rows) => rows.map((row) => Number(row.dataset.programme))"
        )

    def test_found_ordered_and_opened_by_keys(self):
        plan_list(self.lead, self.production, "1 Ebb 2026-12-24\n2 Flood 2026-12-20\n3 Slack Ebb")
        library.start_production(self.lead, "Zephyr", self.production.spec_version)
        page = self.open_page(DESKTOP)
        self.sign_in(page, "lead")
        self.assert_accessible(page)
        self.assert_fits(page)
        self.assertEqual(self.shown(page), [1, 2, 3])
        page.keyboard.press("/")
        page.keyboard.type("ebb")
        self.assertEqual(self.shown(page), [1, 3])
        self.assertEqual(page.inner_text("#find-count"), "2 of 3")
        # What is new on the desk is found, too.
        plan_list(self.lead, self.production, "4 Ebb again")
        self.wait_until(lambda: self.shown(page) == [1, 3, 4])
        page.keyboard.press("Escape")
        self.assertEqual(self.shown(page), [1, 2, 3, 4])
        page.select_option("#find-order", "due")
        self.assertEqual(self.shown(page), [2, 1, 3, 4])
        page.select_option("#find-standing", "may go out")
        self.assertEqual(self.shown(page), [])
        page.locator("#find-order").blur()
        page.keyboard.press("p")
        page.wait_for_selector(".productions")
        self.assert_accessible(page)
        page.keyboard.press("2")
        page.wait_for_selector("h1:has-text('Zephyr')")
        self.assertEqual(self.complaints, [])

    def test_what_a_name_says(self):
        page = self.open_page(DESKTOP)
        page.goto(f"{self.live_server_url}/sign-in/")
        script = "async ([name, series]) => (await import('/static/js/ingest_names.js')).readName(name, series)"
        for name, series, number, title in NAMES:
            self.assertEqual(page.evaluate(script, [name, series]), {"number": number, "title": title}, name)
