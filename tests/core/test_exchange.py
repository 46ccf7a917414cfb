"""What goes out and comes in: JSON, features, curves, corrections, CSV.

CSV as RFC 4180 says, read back by the standard library.
"""

import csv
import io
import json
import tempfile
import unittest
from pathlib import Path

import numpy as np

from mezzavoce_core.command.report import report
from mezzavoce_core.errors import CorrectionError, NotMeasurable
from mezzavoce_core.exchange import corrections, document, features, notes_csv, series, words
from mezzavoce_core.judge.judging import judge
from mezzavoce_core.judge.spec import DEFAULT
from tests.signals import chord, measured, sine, stereo, talk, three_stems


def judged():
    return judge(three_stems(talk(20, [(5, 10)]), chord(20, -28)), DEFAULT)


class FolderTest(unittest.TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)


class DocumentTest(unittest.TestCase):
    def setUp(self):
        self.result = document.document(judged())

    def test_top_level_as_published(self):
        wanted = [
            "schema",
            "made_by",
            "file",
            "range",
            "loudness",
            "true_peak_overs",
            "speech",
            "separation",
            "not_judged",
            "passages",
            "clear_share",
            "ducks",
            "cues",
            "captions",
            "stems",
            "findings",
            "spec",
            "verdict",
        ]
        self.assertEqual(list(self.result), wanted)
        self.assertEqual(self.result["schema"], "mezzavoce.measurement/1")
        whole = {"in_s": 0.0, "out_s": 20.0}
        self.assertEqual(self.result["range"], whole | {"left_out": [], "parts": [whole], "by_hand": False})

    def test_is_plain_json(self):
        self.assertEqual(json.loads(json.dumps(self.result, allow_nan=False)), self.result)

    def test_names_of_figures(self):
        for name in (
            "integrated_lufs",
            "range_lu",
            "momentary_max_lufs",
            "short_term_max_lufs",
            "dialogue_lufs",
            "dialogue_source",
            "loudness_to_dialogue_lu",
            "true_peak_dbtp",
            "true_peak_max_dbtp",
            "true_peak_max_at_s",
            "sample_peak_dbfs",
        ):
            self.assertIn(name, self.result["loudness"])
        for name in (
            "in_s",
            "out_s",
            "speech_lufs",
            "music_lufs",
            "effects_lufs",
            "speech_to_music_lu",
            "speech_to_background_lu",
            "first_word_lu",
        ):
            self.assertIn(name, self.result["passages"][0])
        finding = self.result["findings"][-1]
        for name in (
            "kind",
            "family",
            "severity",
            "certainty",
            "in_s",
            "out_s",
            "in_timecode",
            "out_timecode",
            "role",
            "source",
            "measured",
            "limit",
            "unit",
            "message",
            "also",
            "remedy",
            "alternatives",
        ):
            self.assertIn(name, finding)

    def test_figures_that_do_not_exist_are_null(self):
        result = document.document(judge(measured(stereo(sine(-23, 2))), DEFAULT))
        self.assertIsNone(result["loudness"]["range_lu"])
        self.assertEqual(
            (result["passages"], result["ducks"], result["speech"], result["separation"], result["clear_share"]),
            (None,) * 5,
        )

    def test_report_names_each_finding(self):
        text = report(self.result)
        self.assertIn("fail by EBU R 128", text)
        for finding in self.result["findings"]:
            self.assertIn(finding["message"], text)
        clean = report(document.document(judge(measured(stereo(sine(-23, 20))), DEFAULT)))
        self.assertIn("Nothing found.", clean)
        self.assertIn("give the stems", clean)
        few = report(self.result | {"passages": None})
        self.assertIn("add --dialogue", few)

    def test_report_says_which_stem_its_points_are_for_and_what_they_give(self):
        text = report(self.result)
        mended = [f for f in self.result["findings"] if f["remedy"] and f["remedy"]["action"] != "gain"]
        self.assertTrue(mended)
        for finding in mended:
            self.assertIn(f"      {words.change(finding['remedy'], finding['kind'])}", text)
            self.assertIn(words.prediction(finding["remedy"]), text)
            for other in finding["alternatives"]:
                self.assertIn(f"or {words.in_sentence(words.change(other, finding['kind']))}", text)

    def test_words_of_remedies(self):
        remedy = {
            "role": "music",
            "amount_db": -6.0,
            "action": "lower",
            "predicted_speech_to_background_lu": 10.4,
            "predicted_integrated_lufs": -23.1,
        }
        self.assertEqual(words.change(remedy), "Lower the music by 6.0 dB")
        self.assertEqual(
            words.change(remedy | {"channel": {"number": 2, "name": "R"}}), "Lower the music in R by 6.0 dB"
        )
        self.assertEqual(
            (words.whom(remedy), words.whom(remedy | {"channel": {"name": "L"}})), ("the music", "the music in L")
        )
        of_one = remedy | {"source": "drums.wav"}
        self.assertEqual(
            (words.whom(of_one), words.whom(remedy | {"together": True})), ("the music of “drums.wav”", "all music")
        )
        told = [
            words.stem_told({"source": "drums.wav", "remedy": r}) for r in (None, of_one, remedy | {"together": True})
        ]
        self.assertEqual(told, ["Of the stems it is “drums.wav”.", "", "Most of it is “drums.wav”."])
        self.assertEqual(words.on_the_whole(remedy, -6.0), -6.0)
        for share, whole in ((1.0, -6.0), (0.5, -2.04), (0.0, 0.0)):
            self.assertAlmostEqual(words.on_the_whole({"channel": {"share": share}}, -6.0), whole, places=2)
        self.assertEqual(words.prediction(remedy), "10.4 LU here and -23.1 LUFS overall")
        self.assertIn("fall before the first word", words.change(remedy | {"action": "reshape"}, "duck-late"))
        self.assertEqual(
            words.change(remedy | {"action": "hold"}, "duck-pumping"), "Hold the music down through the pause (6.0 dB)"
        )
        self.assertIn("ramp of the music", words.change(remedy | {"action": "reshape"}, "duck-abrupt"))
        self.assertIn("Take the dip", words.change(remedy | {"action": "remove"}, "duck-stray"))
        self.assertEqual(words.change(remedy | {"role": "mix"}), "Lower the mix here by 6.0 dB")
        self.assertEqual(words.change(remedy | {"role": "mix", "action": "gain"}), "Lower the whole mix by 6.0 dB")
        self.assertEqual((words.gain(0.0), words.gain(-3.04), words.gain(2.0)), ("0.0 dB", "-3.0 dB", "+2.0 dB"))
        self.assertEqual(words.in_sentence("Raise it"), "raise it")

    def test_what_a_remedy_lacks(self):
        remedy = {
            "action": "raise",
            "predicted_speech_to_background_lu": 10.4,
            "predicted_integrated_lufs": None,
            "enough": False,
            "headroom_missing_db": 1.5,
        }
        self.assertEqual(words.lack(remedy), "peaks 1.5 dB over")
        self.assertEqual(
            words.prediction(remedy), "10.4 LU here; 1.5 dB of headroom are missing, so the peaks want limiting"
        )
        self.assertEqual(words.lack(remedy | {"headroom_missing_db": None}), "not enough alone")
        self.assertEqual(words.prediction(remedy | {"headroom_missing_db": None}), "10.4 LU here")
        self.assertEqual(words.lack({"enough": True}), "")


class FeaturesTest(FolderTest):
    def test_judged_again_without_decoding(self):
        first = judged()
        path = self.folder / "f.npz"
        features.write_features(first.context.measurement, path)
        again = judge(features.read_features(path), DEFAULT)
        self.assertEqual(document.document(again), document.document(first))
        self.assertEqual([p.name for p in self.folder.iterdir()], ["f.npz"])

    def test_something_else_is_refused(self):
        path = self.folder / "f.npz"
        np.savez(path, header=np.array('{"format": "other"}'))
        for bad in (path, self.folder / "missing.npz"):
            with self.assertRaisesRegex(NotMeasurable, "measure the mix again"):
                features.read_features(bad)


class SeriesTest(FolderTest):
    def test_curves_for_scripts(self):
        path = self.folder / "s.npz"
        result = judged()
        series.write_npz(result, path)
        with np.load(path) as stored:
            names = (
                *(
                    "time_s",
                    "momentary_lufs",
                    "short_term_lufs",
                    "true_peak_dbtp",
                    "speech_probability",
                    "speech_lufs",
                    "music_lufs",
                ),
                *("effects_lufs", "background_lufs", "local_ratio_lu", "audibility", "music_gain_db"),
                *("background_low_lufs", "background_high_lufs", "ratio_doubt_lu"),
            )
            self.assertEqual(sorted(stored.files), sorted(names))
            self.assertEqual({len(stored[n]) for n in names}, {200})
            self.assertEqual(stored["music_gain_db"].shape, (200, 3))
            self.assertTrue(np.isnan(stored["momentary_lufs"][:3]).all())
            self.assertFalse(np.isnan(stored["momentary_lufs"][3]))
            self.assertTrue(np.isnan(stored["short_term_lufs"][28]) and not np.isnan(stored["short_term_lufs"][29]))
            self.assertAlmostEqual(float(stored["time_s"][10]), 1.0)
            self.assertAlmostEqual(
                float(np.nanmax(stored["momentary_lufs"])), result.context.loudness.momentary_max_lufs, delta=0.3
            )

    def test_without_stems_they_are_absent(self):
        curves = series.series(judge(measured(stereo(sine(-23, 5))), DEFAULT))
        self.assertTrue(np.isnan(curves["speech_lufs"]).all() and np.isnan(curves["music_gain_db"]).all())

    def test_curves_for_the_page(self):
        path = self.folder / "s.bin"
        result = judged()
        series.write_page_series(result, path)
        raw = path.read_bytes()
        line, _, body = raw.partition(b"\n")
        header = json.loads(line)
        self.assertEqual((len(line) + 1) % 2, 0)
        self.assertEqual(len(body), header["count"] * len(header["curves"]) * 2)
        values = np.frombuffer(body, dtype="<i2").reshape(len(header["curves"]), -1)
        ratios = values[header["curves"].index("local_ratio_lu")]
        wanted = series.series(result)["local_ratio_lu"]
        np.testing.assert_array_equal(ratios == series.ABSENT, np.isnan(wanted))
        np.testing.assert_allclose(ratios[ratios != series.ABSENT] / 100, wanted[~np.isnan(wanted)], atol=0.006)


class CorrectionsTest(FolderTest):
    def read(self, text):
        path = self.folder / "c.json"
        path.write_text(text)
        return corrections.read_corrections(path)

    def test_regions(self):
        found = self.read('{"speech": [{"in_s": 3, "out_s": 4}, {"in_s": 1, "out_s": 2}]}')
        self.assertEqual([(c.kind, c.in_s, c.out_s) for c in found], [("speech", 3, 4), ("speech", 1, 2)])

    def test_speech_comes_after_what_takes_it_away(self):
        found = self.read(
            '{"speech": [{"in_s": 3, "out_s": 4}], "no_speech": [{"in_s": 0, "out_s": 9}], '
            '"important_effects": [{"in_s": 5, "out_s": 6}]}'
        )
        self.assertEqual([c.kind for c in found], ["no-speech", "speech", "important-effect"])

    def test_each_error_says_what_is_wrong(self):
        cases = {
            "{": "not readable as JSON",
            "[]": "a list “speech”",
            '{"speech": 3}': "a list “speech”",
            '{"speech": [{"in_s": 1}]}': "Speech region 1 needs",
            '{"speech": [{"in_s": 2, "out_s": 1}]}': "end after it begins",
            '{"speech": [{"in_s": -1, "out_s": 1}]}': "end after it begins",
            '{"no_speech": [{"out_s": 1}]}': "Stretch without speech 1 needs",
            '{"speech": [], "speach": []}': "a field “speach”",
        }
        for text, told in cases.items():
            with self.subTest(text), self.assertRaisesRegex(CorrectionError, told):
                self.read(text)
        with self.assertRaisesRegex(CorrectionError, "There is no corrections file"):
            corrections.read_corrections(self.folder / "none.json")


class NotesCsvTest(unittest.TestCase):
    def test_read_back_by_the_standard_library(self):
        row = {
            "mark": "A",
            "in": "10:00:00:00",
            "out": "10:00:01:00",
            "severity": "must",
            "title": 'He said "no", twice',
            "note": "two\nlines; and, commas",
        }
        text = notes_csv.write_notes_csv([row])
        (found,) = csv.DictReader(io.StringIO(text, newline=""))
        self.assertEqual({k: found[k] for k in row}, row)
        self.assertTrue(text.endswith("\r\n"))

    def test_a_spreadsheet_runs_nothing(self):
        for evil in ("=HYPERLINK(1)", "+1", "-2", "@x", "\tx"):
            (found,) = csv.DictReader(io.StringIO(notes_csv.write_notes_csv([{"note": evil}]), newline=""))
            self.assertEqual(found["note"], f"'{evil}")
