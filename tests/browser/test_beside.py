"""A new mix beside the one before, and a mix put right, in the browser, with a real worker."""

import tempfile
from pathlib import Path

from mezzavoce.library import intake
from mezzavoce.library.models import Mix
from mezzavoce.measuring.models import Alignment, Run
from mezzavoce.notes.models import Decision, Note
from mezzavoce.recheck.models import Recheck
from mezzavoce_demo import loader
from tests.browser.base import DESKTOP, MeasuredCase
from tests.signals import automated, chord, noise, stereo, talk, write_wav

CAPTIONS = "WEBVTT\n\n00:00:18.000 --> 00:00:20.000\nNobody says this.\n"


class BesideTest(MeasuredCase):
    def take_in(self, duck_db, programme=None):
        """A mix with its stems whose music gives way by so much under the voice, measured."""
        points = [(5.0, 0), (5.6, duck_db), (12.4, duck_db), (13.4, 0)]
        voice, music = talk(24, [(6, 12)]), automated(chord(24, -24), points) + noise(24, -55)
        with tempfile.TemporaryDirectory() as folder:
            parts = {"mix": voice + music, "dialogue": voice, "music": music}
            for role, signal in parts.items():
                write_wav(Path(folder) / f"{role}.wav", stereo(signal))
            files = [(loader.upload(self.reviewer, self.production, Path(folder) / f"{r}.wav"), r) for r in parts]
        given = intake.Ingest(files, "25", "10:00:00:00", programme=programme, title="Ebb")
        mix = intake.ingest(self.reviewer, self.production, given)
        self.wait_until(lambda: Run.objects.filter(mix=mix, state=Run.State.MEASURED).exists())
        return mix

    def test_from_note_to_note_by_keys(self):
        first = self.take_in(0.0)
        second = self.take_in(-4.0, first.programme)
        self.assertEqual(Alignment.objects.get().former, first)
        row = Recheck.objects.get(mark__family="ducking")
        self.assertEqual(row.result, "better")
        page = self.open_page(DESKTOP)
        self.sign_in(page)
        page.keyboard.press("/")
        page.keyboard.type("ebb")
        page.keyboard.press("Enter")
        page.wait_for_selector("#review[data-ready]")
        page.keyboard.press("c")
        page.wait_for_selector("#rechecks .is-chosen")
        self.assertIn("better", page.inner_text(".verdict h1"))
        self.assertEqual(page.locator(".ribbon").count(), 1)
        self.assert_accessible(page)
        self.assert_fits(page)
        chosen = page.locator(f"[data-recheck='{row.pk}']")
        while "is-chosen" not in (chosen.get_attribute("class") or ""):
            page.keyboard.press("j")
        page.wait_for_function("document.querySelector('[data-span=new]').textContent.startsWith('10:00:0')")
        page.keyboard.press("n")
        page.wait_for_selector(f"[data-recheck='{row.pk}'].is-done")
        row.refresh_from_db()
        self.assertEqual((row.confirmed, row.confirmed_by), ("better", self.reviewer))
        self.assertEqual(Decision.objects.get(mix=second, mark=row.mark).what, Decision.What.NOTE)
        self.assertEqual(Note.objects.get(mix=second).state, Note.State.WRITTEN)
        with page.expect_navigation():
            page.keyboard.press("v")
        self.assertIn("0 of", page.inner_text("#left"))
        page.keyboard.press("Escape")
        page.wait_for_selector("#review[data-ready]")
        self.assertEqual(self.complaints, [])

    def test_put_right_without_sending_again(self):
        mix = self.take_in(-14.0)
        page = self.open_page(DESKTOP)
        self.sign_in(page)
        page.goto(f"{self.live_server_url}/mixes/{mix.pk}/files/")
        page.wait_for_selector("text=✓ here")
        self.assertEqual(page.input_value("#id_start_timecode"), "10:00:00:00")
        self.assert_accessible(page)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "said.vtt"
            path.write_text(CAPTIONS)
            page.set_input_files("#choose", str(path))
            page.wait_for_selector("text=1 caption")
        page.fill("#id_start_timecode", "09:59:58:00")
        page.select_option("[aria-label='Role of music.wav']", "effects")
        page.select_option("[aria-label='Role of music.wav']", "music")
        self.assertEqual(page.input_value("#id_start_timecode"), "09:59:58:00", "what was typed stays")
        page.click("#measure")
        page.wait_for_selector("#review[data-ready]")
        mix = Mix.objects.get()
        self.assertEqual((mix.start_timecode, mix.captions.name), ("09:59:58:00", "said.vtt"))
        self.assertEqual(page.inner_text("#timecode")[:2], "09")
        self.assertEqual(Run.objects.count(), 1, "nothing was measured again")
        self.assertEqual(self.complaints, [])
