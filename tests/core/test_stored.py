"""What older versions stored is read by this one: an example of every version of every form."""

import json
import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np

from mezzavoce_core.errors import NotMeasurable
from mezzavoce_core.exchange.document import document, finding_dict
from mezzavoce_core.exchange.features import read_features, write_features
from mezzavoce_core.exchange.forms import FEATURES, FINDING, GAIN
from mezzavoce_core.exchange.gains import gain_dict, gain_from_dict
from mezzavoce_core.exchange.stored import Form
from mezzavoce_core.exchange.words import change, lack, prediction, whom
from mezzavoce_core.judge.judging import judge
from mezzavoce_core.judge.spec import DEFAULT
from mezzavoce_core.measure.ducks import Duck, MusicGain
from tests.core.test_exchange import judged

GROWN = Form("mezzavoce.example", (lambda d: {**d, "b": d["a"] + 1}, lambda d: {**d, "c": d["b"] + 1}), first=3)


class FormTest(unittest.TestCase):
    def test_an_older_version_goes_through_the_steps_that_it_lacks(self):
        self.assertEqual(GROWN.version, 5)
        for version, stored in ((3, {"a": 1}), (4, {"a": 1, "b": 2}), (5, {"a": 1, "b": 2, "c": 3})):
            read = GROWN.newest({**stored, "format": f"mezzavoce.example/{version}"})
            self.assertEqual(read, {"a": 1, "b": 2, "c": 3})

    def test_without_a_version_it_is_of_the_first(self):
        self.assertEqual(GROWN.newest({"a": 1}), {"a": 1, "b": 2, "c": 3})

    def test_what_is_written_is_read_as_it_was(self):
        self.assertEqual(GROWN.newest(GROWN.stamped({"a": 5})), {"a": 5})

    def test_what_is_newer_older_or_another_form_is_refused(self):
        for sign in ("mezzavoce.example/6", "mezzavoce.example/2", "mezzavoce.other/3", "other", "mezzavoce.example/x"):
            with self.subTest(sign), self.assertRaisesRegex(NotMeasurable, "measure the mix again"):
                GROWN.newest({"a": 1, "format": sign})


class OlderTest(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(TemporaryDirectory()))

    def rewritten(self, path, change_header):
        with np.load(path, allow_pickle=False) as stored:
            arrays = {name: stored[name] for name in stored.files}
        header = json.loads(str(arrays.pop("header")))
        np.savez(path, header=np.array(json.dumps(change_header(header))), **arrays)

    def test_features_of_version_7_are_judged_as_those_of_today(self):
        def older(header):
            stems = [{k: v for k, v in s.items() if k != "held"} | {"voice_db": None} for s in header["stems"]]
            gain = header["gain"] and {k: v for k, v in header["gain"].items() if k not in ("format", "steps")}
            return {**header, "stems": stems, "gain": gain, "format": "mezzavoce.features/7"}

        first, path = judged(), self.folder / "f.npz"
        write_features(first.context.measurement, path)
        self.rewritten(path, older)
        self.assertEqual(document(judge(read_features(path), DEFAULT)), document(first))

    def test_features_of_a_newer_version_are_refused(self):
        path = self.folder / "f.npz"
        write_features(judged().context.measurement, path)
        self.rewritten(path, lambda header: {**header, "format": f"mezzavoce.features/{FEATURES.version + 1}"})
        with self.assertRaisesRegex(NotMeasurable, "newer"):
            read_features(path)

    def test_moves_without_heard_steps(self):
        gain = MusicGain((Duck(1.0, 2.0, 5.0, 6.0, 8.0),), 3.0)
        older = {k: v for k, v in gain_dict(gain).items() if k not in ("format", "steps")}
        self.assertEqual(gain_from_dict(older), gain)
        self.assertEqual(GAIN.version, 2)

    def test_findings_whose_remedies_say_less(self):
        result = judged()
        today = finding_dict(result.findings[0], result.context.clock)
        kept = ("action", "role", "amount_db", "points")
        older = {k: v for k, v in today.items() if k not in ("source", "details", "alternatives")}
        older["remedy"] = {k: v for k, v in today["remedy"].items() if k in kept}
        read = FINDING.newest(older)
        self.assertEqual(read.keys(), today.keys())
        self.assertEqual(read["remedy"].keys(), today["remedy"].keys())
        self.assertTrue(whom(read["remedy"]))
        self.assertTrue(change(read["remedy"], read["kind"]))
        self.assertEqual((prediction(read["remedy"]), lack(read["remedy"])), ("", ""))
