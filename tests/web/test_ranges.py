"""What is programme: found, set by hand, refused where it cannot be.

Words on the page; peaks and samples for pictures.
"""

import json
import tempfile
from pathlib import Path

import numpy as np
from django.test import SimpleTestCase
from django.urls import reverse

from mezzavoce.accounts.models import AuditEntry
from mezzavoce.config.refusals import Refused
from mezzavoce.library.models import Mix, StoredFile, Track
from mezzavoce.library.storage import keep
from mezzavoce.measuring import actions
from mezzavoce.measuring.models import Run
from mezzavoce.measuring.selectors import current_judgement
from mezzavoce.screens.ranges import remarks
from mezzavoce.screens.review import review
from mezzavoce_core.judge.spec import from_dict
from mezzavoce_core.media.probe import probe
from tests.signals import RATE, chord, measured, noise, sine, stereo, talk, three_stems, write_wav
from tests.web.base import SPANS, ProductionCase, make_mix, measure_mix


def with_leader():
    """Tone and silence before 40 s of programme, in mix and stems."""
    head = np.concatenate([sine(-8, 6), np.zeros(2 * RATE)])
    voice, music = talk(32, [(a - 4, b - 4) for a, b in SPANS]), chord(32, -40)
    blank = np.zeros_like(head)
    mix = np.concatenate([head, voice + music])
    return measured(
        stereo(mix),
        [("dialogue", stereo(np.concatenate([blank, voice]))), ("music", stereo(np.concatenate([blank, music])))],
        start_timecode="09:59:52:00",
    )


class RangeCase(ProductionCase):
    def setUp(self):
        self.client.force_login(self.reviewer)
        self.mix = make_mix(self.production, self.lead)
        self.mix.start_timecode = "09:59:52:00"
        self.mix.save()
        measure_mix(self.mix, with_leader())
        self.address = reverse("set-range", args=[self.mix.pk])

    def save(self, *spans, **more):
        data = {"from": [a for a, _ in spans], "to": [b for _, b in spans]} | more
        return self.client.post(self.address, data, headers={"Accept": "application/json"})

    def detail(self):
        return current_judgement(Mix.objects.get(pk=self.mix.pk)).detail

    def page(self):
        return self.client.get(reverse("mix", args=[self.mix.pk]))


class FoundTest(RangeCase):
    def test_what_was_left_out_is_said(self):
        page = self.page()
        self.assertContains(page, "10:00:00:00 - 10:00:32:00")
        self.assertContains(page, "left out: line-up tone 8.0 s")
        shown = review(self.reviewer, self.mix.pk).for_page["range"]
        self.assertEqual((shown["parts"], shown["out"][0][2]), ([[8.0, 40.0]], "line-up tone"))

    def test_the_tone_does_not_count(self):
        inside = self.detail()["loudness"]["integrated_lufs"]
        self.assertEqual(self.save(("09:59:52:00", "10:00:32:00")).status_code, 200)
        self.assertGreater(abs(self.detail()["loudness"]["integrated_lufs"] - inside), 0.5)


class ByHandTest(RangeCase):
    def test_judged_at_once_and_remembered(self):
        runs = Run.objects.count()
        self.assertEqual(self.save(("10:00:04:00", "10:00:30:00")).status_code, 200)
        found = self.detail()["range"]
        self.assertEqual(
            (found["in_s"], found["out_s"], found["by_hand"], Run.objects.count()), (12.0, 38.0, True, runs)
        )
        self.assertContains(self.page(), "set by hand")
        self.assertTrue(AuditEntry.objects.filter(action="set range", target=str(self.mix)).exists())
        measure_mix(Mix.objects.get(pk=self.mix.pk), with_leader())
        self.assertEqual(self.detail()["range"]["in_s"], 12.0, "measuring again keeps what a person said")

    def test_back_to_what_was_found(self):
        self.save(("10:00:04:00", "10:00:30:00"))
        self.assertEqual(self.save(found="1").status_code, 200)
        self.assertEqual((self.detail()["range"]["in_s"], self.detail()["range"]["by_hand"]), (8.0, False))

    def test_several_parts_as_one_and_each_by_itself(self):
        self.save(("10:00:16:00", "10:00:32:00"), ("10:00:00:00", "10:00:12:00"))
        parts = self.detail()["range"]["parts"]
        self.assertEqual([(p["in_s"], p["out_s"]) for p in parts], [(8.0, 20.0), (24.0, 40.0)])
        self.assertTrue(all(p["integrated_lufs"] < -15 for p in parts))
        self.assertContains(self.page(), "Part 2:")
        self.assertContains(self.page(), "28.0 s, set by hand")

    def test_each_impossible_one_is_refused_and_changes_nothing(self):
        before = self.detail()
        for spans, words in (
            ([("10:00:04:00", "10:00:04:00")], "ends where it begins"),
            ([("10:00:00:00", "10:00:20:00"), ("10:00:10:00", "10:00:30:00")], "overlap"),
            ([("10:00:00:00", "10:00:50:00")], "outside the file"),
            ([("10:00:00:25", "10:00:30:00")], "10:00:00:25"),
            ([("soon", "10:00:30:00")], "soon"),
            ([], "at least one range"),
        ):
            answer = self.save(*spans)
            self.assertEqual(answer.status_code, 422, spans)
            self.assertIn(words, answer.json()["error"])
        one_sided = self.client.post(self.address, {"from": ["10:00:00:00"]}, headers={"Accept": "application/json"})
        self.assertIn("Set both", one_sided.json()["error"])
        self.assertEqual((self.detail(), Mix.objects.get(pk=self.mix.pk).ranges), (before, None))

    def test_a_minute_that_drop_frame_leaves_out(self):
        Mix.objects.filter(pk=self.mix.pk).update(
            frame_rate="30000/1001", drop_frame=True, start_timecode="09:59:52;00"
        )
        self.assertIn("10:01:00;00", self.save(("10:00:00;00", "10:01:00;00")).json()["error"])

    def test_guests_only_look(self):
        self.client.force_login(self.guest)
        self.assertEqual(self.save(("10:00:04:00", "10:00:30:00")).status_code, 403)
        self.assertNotContains(self.page(), "range-panel")


class RemarksTest(SimpleTestCase):
    def detail(self, **changed):
        file = {"channels": 2, "channel_names": ["L", "R"], "frame_rate_varies": False} | changed.pop("file", {})
        limits = from_dict({"name": "x", "limits": changed.pop("limits", {})}).as_dict()["limits"]
        return {"file": file, "spec": {"limits": limits}, "loudness": {"dialogue_lufs": None}}

    def test_what_a_reader_has_to_know(self):
        mono = {"channels": 1, "channel_names": ["mono"]}
        for changed, words in (
            ({"file": mono}, "counted as one loudspeaker"),
            ({"file": mono, "limits": {"mono": "dual"}}, "dual mono"),
            ({"file": {"channels": 6, "channel_names": ["L", "R", "C", "LFE", "Ls", "Rs"]}}, "L R C LFE Ls Rs"),
            ({"limits": {"anchor": "dialogue"}}, "without a dialogue stem"),
            ({"file": {"frame_rate_varies": True}}, "frame rate varies"),
        ):
            self.assertIn(words, " ".join(remarks(self.detail(**changed))))
        self.assertEqual(remarks(self.detail()), [])


class PicturesTest(RangeCase):
    def test_samples_of_a_moment(self):
        with tempfile.TemporaryDirectory() as folder:
            signal = stereo(noise(4, -20))
            path = write_wav(Path(folder) / "mix.wav", signal)
            facts = probe(path).as_dict()
            file = keep(path, self.production, StoredFile.Kind.MEDIA, "mix.wav", facts=facts)
        Track.objects.filter(mix=self.mix).update(file=file)
        address = reverse("samples", args=[self.mix.pk])
        found = self.client.get(address, {"from": "1.5", "length": "0.01"}).json()
        self.assertEqual((found["rate_hz"], len(found["channels"]), len(found["channels"][0])), (RATE, 2, 480))
        self.assertAlmostEqual(found["channels"][0][0], signal[72000, 0], delta=2e-5)
        for query in (
            {},
            {"from": "x", "length": "1"},
            {"from": "0", "length": "5"},
            {"from": "nan", "length": "nan"},
            {"from": "0", "length": "-1"},
        ):
            self.assertEqual(
                self.client.get(address, query, headers={"Accept": "application/json"}).status_code, 422, query
            )

    def test_peaks_are_served_in_pieces(self):
        address = reverse("peaks", args=[self.mix.pk])
        self.assertEqual(self.client.get(address).status_code, 404)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "peaks.bin"
            path.write_bytes(json.dumps({"levels": []}).encode().ljust(100))
            row = keep(path, self.production, StoredFile.Kind.SERIES, "peaks.bin")
        Run.objects.update(peaks=row)
        answer = self.client.get(address, headers={"Range": "bytes=0-9"})
        self.assertEqual((answer.status_code, answer["Content-Range"]), (206, "bytes 0-9/100"))
        self.client.force_login(self.stranger)
        self.assertEqual(self.client.get(address).status_code, 404)

    def test_each_kind_gets_its_picture(self):
        mix = stereo(talk(20, [(2, 18)], -23))
        mix[10 * RATE : round(10.08 * RATE)] = 0
        mix[14 * RATE : 17 * RATE, 1] *= -1
        mix[5 * RATE, 0] = 0.99
        measure_mix(self.mix, measured(mix))
        pictures = {}
        for item in review(self.reviewer, self.mix.pk).marks:
            shown = review(self.reviewer, self.mix.pk, item.mark.label).picture
            pictures[item.mark.kind] = shown and (shown.kind, shown.limit)
        self.assertEqual(pictures["dropout"], ("gap", ""))
        self.assertEqual(pictures["true-peak-over"], ("peak", "-1.0"))
        self.assertEqual(pictures.get("inverse-phase", pictures.get("mono-loss")), ("phase", ""))


class RefusedTest(RangeCase):
    def test_without_a_measurement_the_range_waits(self):
        mix = make_mix(self.production, self.lead, 2, "High Water")
        self.assertIsNone(actions.set_ranges(self.reviewer, mix, [("10:00:00:00", "10:00:30:00")]))
        measure_mix(mix, three_stems(talk(40, SPANS), chord(40, -45)))
        self.assertEqual(current_judgement(mix).detail["range"]["out_s"], 30.0)
        with self.assertRaises(Refused):
            actions.set_ranges(self.guest, mix, None)
