"""Speech regions and bounds moved by keys and mouse, the proposal and stems heard.

In the browser, with a real worker.
"""

from contextlib import contextmanager

from mezzavoce.library.models import Playback
from mezzavoce.measuring.models import Correction, Judgement
from mezzavoce.notes.models import Mark, Trim
from tests.browser.base import DESKTOP, MeasuredCase

_HEARD = "document.getElementById('review').dataset.heard"
_TURN = "Number(document.getElementById('review').dataset.turn || 0)"
_STAND = "document.querySelectorAll('.list > li').forEach((line) => { line.stood = line.outerHTML; })"
_STOOD = (
    "Array.from(document.querySelectorAll('.list > li'), (line) => "
    "[line.querySelector('a')?.dataset.mark, line.stood, line.outerHTML])"
)
_SPEECH = "JSON.parse(document.getElementById('review-data').textContent).speech"


class ByHandTest(MeasuredCase):
    def setUp(self):
        super().setUp()
        self.measured_mix()
        self.wait_until(lambda: Playback.objects.get().state == "ready")
        self.page = self.open_page(DESKTOP)
        self.sign_in(self.page)
        self.page.click("text=1 Ebb")
        self.ready()

    def ready(self):
        self.page.wait_for_selector("#review[data-ready]")
        self.until(self.page, "document.getElementById('video').readyState >= 2")

    @contextmanager
    def judged_again(self):
        """Waits until the page shows what was judged anew; what it was told of it is in ``self.told``."""
        turn = self.page.evaluate(_TURN)
        with self.page.expect_response(
            lambda r: r.request.method == "POST" and not r.url.endswith("/prejudge/")
        ) as answer:
            yield
        self.told = answer.value.json()
        self.until(self.page, f"{_TURN} > {turn}")

    def seek(self, time):
        self.page.evaluate(f"document.getElementById('video').currentTime = {time}")
        self.until(
            self.page,
            f"Math.abs(document.getElementById('video').currentTime - {time}) < 0.1 && "
            "!document.getElementById('video').seeking",
        )

    def test_a_speech_region_by_keys_and_undo(self):
        page = self.page
        self.seek(8)
        page.keyboard.press("s")
        page.wait_for_selector("#span-panel:visible")
        self.assert_accessible(page)
        begin, end = page.locator("#span-panel input").all()
        self.assertEqual((begin.input_value(), end.input_value()), ("00:00:06:00", "00:00:12:00"))
        for key in ("Shift+ArrowUp", "ArrowUp", "ArrowUp"):
            page.keyboard.press(key)
        self.assertEqual(begin.input_value(), "00:00:07:02")
        # Looked at while the hand rests; nothing counts yet.
        self.wait_until(lambda: Judgement.objects.get().revisited)
        self.assertEqual(page.evaluate(_SPEECH), [[6.0, 12.0]])
        page.evaluate(_STAND)
        with self.judged_again():
            page.keyboard.press("Enter")
        self.only_what_changed_is_new()
        row = Correction.objects.get()
        self.assertEqual((row.kind, row.in_sample, row.out_sample), ("speech", round(7.08 * 48000), 12 * 48000))
        self.assertEqual(self.told["data"]["speech"], [[7.08, 12.0]])
        self.assertIn("somebody speaks", page.inner_text(".undo-row"))
        with self.judged_again():
            page.keyboard.press("z")
        self.assertEqual(self.told["data"]["speech"], [[6.0, 12.0]])

    def only_what_changed_is_new(self):
        """Lines of the list that say what they said stand where they stood, in the order of time."""
        lines = self.page.evaluate(_STOOD)
        self.assertTrue(any(stood for _, stood, _ in lines))
        self.assertEqual([label for label, stood, now in lines if stood and stood != now], [])
        self.assertEqual([label for label, _, _ in lines], self.told["order"])

    def test_an_edge_by_mouse_counts_when_it_is_saved(self):
        page = self.page
        self.seek(8)
        box = page.locator("#lanes-canvas").bounding_box()
        page.keyboard.press("s")
        found = self.edge(box)
        page.mouse.move(*found)
        page.mouse.down()
        page.mouse.move(found[0] + 40, found[1], steps=4)
        page.mouse.up()
        moved = page.locator("#span-panel input").first.input_value()
        self.assertGreater(moved, "00:00:06:05")
        self.assertEqual(Correction.objects.count(), 0)
        with self.judged_again():
            page.get_by_role("button", name="Nobody speaks here").click()
        self.assertEqual(Correction.objects.get().kind, "no-speech")

    def edge(self, box):
        """Where the pointer says that an edge can be moved, in the row of the speech lane."""
        page = self.page
        for x in range(int(box["x"]) + 50, int(box["x"] + box["width"]), 3):
            page.mouse.move(x, box["y"] + box["height"] - 118)
            if page.evaluate("document.getElementById('lanes-canvas').style.cursor") == "ew-resize":
                return x + 3, box["y"] + box["height"] - 118
        self.fail("no edge was found under the pointer")
        return None

    def test_bounds_of_a_finding_and_all_alike(self):
        page = self.page
        label = page.get_attribute(".finding", "data-mark")
        page.keyboard.press("b")
        page.wait_for_selector("#span-panel:visible")
        page.keyboard.press("ArrowUp")
        with self.judged_again():
            page.keyboard.press("Enter")
        self.assertEqual(Trim.objects.get().mark.label, label)
        self.assertIn("set by hand", page.inner_text(".where"))
        by_time = self.order()
        page.keyboard.press("v")
        kinds = len(set(Mark.objects.values_list("kind", flat=True)))
        self.assertEqual(page.locator(".list-kind").count(), kinds)
        page.keyboard.press("j")
        self.until(page, "document.querySelectorAll('.list .is-chosen').length === 1")
        self.assertEqual((page.locator(".list-kind").count(), sorted(self.order())), (kinds, sorted(by_time)))
        page.keyboard.press("v")
        self.assertEqual((page.locator(".list-kind").count(), self.order()), (0, by_time))

    def order(self):
        return [link.get_attribute("data-mark") for link in self.page.locator(".list a").all()]

    def test_stems_and_the_proposal_are_heard(self):
        page = self.page
        page.locator(".list a", has_text="Music does not give way").click()
        page.wait_for_selector("[data-hear='0']")
        page.keyboard.press("3")
        self.assertEqual(page.get_attribute("[data-what=music]", "aria-pressed"), "true")
        self.until(
            page,
            f"{_HEARD} === 'music' && document.getElementById('video').muted && "
            "!document.getElementById('video').paused",
        )
        page.keyboard.press("t")
        self.until(page, f"{_HEARD} === 'music proposed'")
        page.click("[data-hear='1']")
        self.until(page, "document.querySelector('[data-state=proposed]').getAttribute('aria-pressed') === 'true'")
        page.keyboard.press("1")
        self.until(page, f"{_HEARD} === 'mix proposed'")
        page.keyboard.press("t")
        self.until(page, "!document.getElementById('video').muted")
        self.assertTrue(page.locator("[data-what=effects]").is_disabled())
        self.assertIn("No stem", page.get_attribute("[data-what=effects]", "title"))
        self.assertEqual(self.complaints, [])
