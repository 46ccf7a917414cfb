"""What is programme, specs, and files with several sounds: in the browser, with a real worker."""

import json
import re
import tempfile
from pathlib import Path

import numpy as np

from mezzavoce.library.models import Mix, Spec, StoredFile, Track
from mezzavoce.measuring.models import Judgement, Run
from mezzavoce_core.measure.loudness import integrated
from tests.browser.base import DESKTOP, MeasuredCase
from tests.signals import RATE, chord, measured, noise, stereo, talk, write_wav
from tests.web.base import make_mix, measure_mix


class RangeTest(MeasuredCase):
    def test_in_and_out_by_keyboard(self):
        self.measured_mix()
        page = self.open_page(DESKTOP)
        self.sign_in(page)
        page.click("text=1 Ebb")
        page.wait_for_selector("#review[data-ready]")
        self.assertIn("the whole file", page.inner_text(".range-row"))
        page.keyboard.press("g")
        page.wait_for_selector("#range-panel:visible")
        self.assert_accessible(page)
        first, last = page.locator("#range-parts input").all()
        self.assertEqual((first.input_value(), last.input_value()), ("00:00:00:00", "00:00:24:00"))
        first.focus()
        for key in ("Shift+ArrowUp", "Shift+ArrowUp", "ArrowDown"):
            page.keyboard.press(key)
        self.assertEqual(first.input_value(), "00:00:01:24")
        last.fill("00:00:99:00")
        self.assertIn("is-invalid", last.get_attribute("class"))
        page.click("#range-save")
        page.wait_for_selector("#say:visible")
        self.assertIsNone(Mix.objects.get().ranges)
        last.fill("00:00:20:00")
        last.press("Enter")
        page.wait_for_selector(".range-row:has-text('set by hand')")
        self.assertIn("left out: 6.0 s in all", page.inner_text(".remarks"))
        self.assertEqual(Mix.objects.get().ranges, [[round(1.96 * 48000), 20 * 48000]])
        page.keyboard.press("g")
        page.click("#range-found")
        page.wait_for_selector(".range-row:has-text('the whole file')")
        self.assertEqual((Run.objects.count(), [c for c in self.complaints if "422" not in c]), (1, []))

    def test_where_nothing_was_found_the_page_begins_with_the_programme(self):
        mix = make_mix(self.production, self.lead, ranges=[[5 * RATE, 38 * RATE]])
        sound = stereo(noise(40, -30))
        measure_mix(mix, measured(sound * 10 ** ((-23 - integrated(measured(sound).mix_power())) / 20)))
        page = self.open_page(DESKTOP)
        self.sign_in(page)
        page.goto(f"{self.live_server_url}/mixes/{mix.pk}/")
        page.wait_for_selector("#review[data-ready]")
        self.assertEqual(
            (page.inner_text(".finding h2"), page.inner_text("#timecode")), ("Nothing to decide.", "10:00:05:00")
        )
        self.assertEqual(self.complaints, [])

    def test_peaks_or_loudness_below(self):
        self.measured_mix()
        page = self.open_page(DESKTOP)
        self.sign_in(page)
        page.click("text=1 Ebb")
        page.wait_for_selector("#review[data-ready]")
        before = page.inner_text("[data-lower]")
        with page.expect_response(re.compile("/peaks/")) as answer:
            page.keyboard.press("w")
        self.assertEqual(answer.value.status, 206)
        self.assertNotEqual(page.inner_text("[data-lower]"), before)
        self.assertEqual(self.complaints, [])


class NarrowTest(MeasuredCase):
    def test_nothing_of_the_review_lies_beside_a_narrow_window(self):
        self.measured_mix()
        outside = (
            "[...document.querySelectorAll('button, a, input, .figures div, .list li')].filter((e) => "
            "e.checkVisibility())"
            ".filter((e) => e.getBoundingClientRect().right > innerWidth + 0.5).map((e) => e.outerHTML.slice(0, 100))"
        )
        for width, height in ((1180, 800), (1024, 768), (820, 1100)):
            with self.subTest(width):
                page = self.open_page({"width": width, "height": height})
                self.sign_in(page)
                page.click("text=1 Ebb")
                page.wait_for_selector("#review[data-ready]")
                self.assertGreater(page.locator(".decide .btn").count(), 2)
                self.assertEqual(page.evaluate(outside), [])
                self.assert_accessible(page)


class SpecsTest(MeasuredCase):
    def test_copied_changed_refused_and_judged_again(self):
        self.measured_mix()
        page = self.open_page(DESKTOP)
        self.sign_in(page, "lead")
        page.click("text=Specs")
        page.wait_for_selector(".limits")
        self.assert_accessible(page)
        self.assert_fits(page)
        page.get_by_role("button", name="Copy").click()
        page.wait_for_selector("#spec-form .name-row")
        page.fill("#spec-name", "House")
        page.fill("#limit-clearance_lu", "3")
        page.click("text=Save as version")
        page.wait_for_selector("#say:has-text('Clearance that words need')")
        self.assertEqual((page.input_value("#spec-name"), page.input_value("#limit-clearance_lu")), ("House", "3"))
        page.fill("#limit-clearance_lu", "12")
        page.click("text=Save as version")
        page.wait_for_selector("h1:has-text('House version 2')")
        self.assertIn("clearance 10 to 12", page.inner_text(".versions"))
        self.assert_accessible(page)
        page.get_by_role("button", name="Judge the production by it").click()
        page.wait_for_selector("text=judges the production")
        self.wait_until(lambda: Judgement.objects.filter(spec_version__spec__name="House").exists())
        self.assertEqual(Run.objects.count(), 1)
        with page.expect_download() as download:
            page.get_by_role("link", name="As a file").click()
        content = Path(download.value.path()).read_text()
        self.assertEqual(json.loads(content)["limits"]["clearance_lu"], 12)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "own.json"
            path.write_text(content.replace("House", "Harbour"))
            page.set_input_files("input[type=file]", path)
            page.get_by_role("button", name="Bring in", exact=True).click()
            page.wait_for_selector("h1:has-text('Harbour')")
        self.assertEqual(Spec.objects.filter(production=self.production).count(), 2)


class TrackMapTest(MeasuredCase):
    def test_mix_and_stems_in_one_file(self):
        voice, music, effects = talk(20, [(4, 9), (12, 17)], -24), chord(20, -36), noise(20, -50)
        page = self.open_page(DESKTOP)
        self.sign_in(page)
        page.get_by_role("link", name="Ingest a mix").click()
        with tempfile.TemporaryDirectory() as folder:
            sounds = [stereo(s) for s in (voice + music + effects, voice, music, effects)]
            page.set_input_files("#choose", write_wav(Path(folder) / "all.wav", np.concatenate(sounds, axis=1)))
            page.wait_for_selector(".track-map-table svg")
        roles = page.locator(".track-map-table select")
        self.assertEqual([s.input_value() for s in roles.all()], ["mix", "dialogue", "music", "effects"])
        self.assertIn("the sum of 3-4, 5-6, 7-8", page.inner_text(".track-map-table"))
        self.assert_accessible(page)
        self.assert_fits(page)
        with page.expect_response(re.compile("/listen/")) as heard:
            page.get_by_role("button", name="Hear 3-4").click()
        self.assertEqual(heard.value.status, 200)
        roles.nth(3).select_option("")
        page.fill("#id_title", "Flood")
        page.click("#measure")
        page.wait_for_url(re.compile(r"/mixes/\d+/$"))
        page.wait_for_selector("#review[data-ready]")
        self.assertEqual(
            sorted(Track.objects.values_list("role", "tracks")), [("dialogue", "3-4"), ("mix", "1-2"), ("music", "5-6")]
        )
        self.assertEqual(StoredFile.objects.filter(kind="media").count(), 1)
        self.assertIsNotNone(Judgement.objects.get().figures["clear_share"])
        self.assertEqual(self.complaints, [])
