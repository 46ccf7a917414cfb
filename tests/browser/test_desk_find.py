"""Finding programmes on the desk, switching productions by keys, and what names of files propose."""

from datetime import timedelta

from django.utils import timezone

from mezzavoce.library import actions as library
from mezzavoce.library.productions import plan_list
from tests.browser.base import DESKTOP, BrowserCase
from tests.web.base import make_mix, measure_mix

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

    def test_those_that_are_asked_for(self):
        today = timezone.localdate()
        days = [today + timedelta(days=d) for d in (-1, 3, 30)]
        plan_list(self.lead, self.production, "\n".join(f"{k} Part {k} {day}" for k, day in enumerate(days, 1)))
        plan_list(self.lead, self.production, "4 Without a day")
        measure_mix(make_mix(self.production, self.lead, 3))
        page = self.open_page(DESKTOP)
        self.sign_in(page, "lead")
        for which, expected in (("overdue", [1]), ("week", [1, 2]), ("open", [3]), ("mine", [3]), ("", [1, 2, 3, 4])):
            page.select_option("#find-which", which)
            self.assertEqual(self.shown(page), expected, which)
        self.assert_fits(page)

    def test_what_a_name_says(self):
        page = self.open_page(DESKTOP)
        page.goto(f"{self.live_server_url}/sign-in/")
        script = "async ([name, series]) => (await import('/static/js/ingest_names.js')).readName(name, series)"
        for name, series, number, title in NAMES:
            self.assertEqual(page.evaluate(script, [name, series]), {"number": number, "title": title}, name)
