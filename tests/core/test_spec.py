"""Specs: presets (published figures, from memory of the documents named in each ``source``), files, refusals."""

import json
import tempfile
import unittest
from dataclasses import fields
from pathlib import Path

from mezzavoce_core.errors import SpecError
from mezzavoce_core.judge import spec
from mezzavoce_core.judge.limits import schema
from mezzavoce_core.judge.spec import Limits


class PresetsTest(unittest.TestCase):
    def test_published_figures(self):
        wanted = {
            "EBU R 128": (-23.0, 0.5, -1.0),
            "EBU R 128 live": (-23.0, 1.0, -1.0),
            "ATSC A/85": (-24.0, 2.0, -2.0),
            "ARIB TR-B32": (-24.0, 1.0, -1.0),
            "Free TV OP-59": (-24.0, 1.0, -2.0),
            "AES TD1008 speech online": (-18.0, 0.5, -1.0),
            "Online video": (-14.0, 1.0, -1.0),
        }
        for name, (level, tolerance, peak) in wanted.items():
            limits = spec.preset(name).limits
            self.assertEqual(
                (limits.integrated_lufs, limits.integrated_tolerance_lu, limits.true_peak_max_dbtp),
                (level, tolerance, peak),
                name,
            )
        self.assertEqual(spec.preset("EBU R 128 s1").limits.short_term_max_lufs, -18.0)
        self.assertEqual(spec.preset("Accessible audio").limits.clearance_lu, 20.0)
        self.assertEqual(spec.preset("ATSC A/85").limits.anchor, "dialogue")

    def test_each_has_a_source(self):
        self.assertTrue(all(s.source for s in spec.PRESETS))

    def test_names_ignore_case(self):
        self.assertIs(spec.preset("ebu r 128"), spec.DEFAULT)
        with self.assertRaisesRegex(SpecError, "one of: EBU R 128"):
            spec.preset("nothing")


class SchemaTest(unittest.TestCase):
    PUBLISHED = Path(__file__).parents[2] / "docs" / "spec.schema.json"

    def test_the_published_file_is_the_newest(self):
        self.assertEqual(json.loads(self.PUBLISHED.read_text()), json.loads(json.dumps(schema())))

    def test_every_preset_fits_it(self):
        properties = schema()["properties"]["limits"]["properties"]
        for one in spec.PRESETS:
            for name, value in one.as_file()["limits"].items():
                rule = properties[name]
                if "enum" in rule:
                    self.assertIn(value, rule["enum"])
                elif value is None:
                    self.assertIn("null", rule["type"])
                else:
                    self.assertTrue(rule["minimum"] <= value <= rule["maximum"], f"{one.name}: {name}")


class FilesTest(unittest.TestCase):
    def load(self, text):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "own.json"
            path.write_text(text)
            return spec.load(str(path))

    def test_missing_limits_have_their_defaults(self):
        found = self.load('{"name": "ours", "limits": {"clearance_lu": 8}}')
        self.assertEqual((found.name, found.limits.clearance_lu, found.limits.integrated_lufs), ("ours", 8, -23.0))

    def test_null_is_not_judged(self):
        self.assertIsNone(self.load('{"name": "x", "limits": {"true_peak_max_dbtp": null}}').limits.true_peak_max_dbtp)

    def test_limits_of_later_kinds_are_carried_but_not_applied(self):
        self.assertEqual(self.load('{"name": "x", "limits": {"audibility_min": 0.65}}').limits, Limits())

    def test_each_error_names_the_field(self):
        cases = {
            '{"name": "x", "limits": {"loudnes": 1}}': "no limit “loudnes”",
            '{"name": "x", "limits": {"clearance_lu": "ten"}}': "“clearance_lu” is “ten”",
            '{"name": "x", "limits": {"anchor": "music"}}': "programme or dialogue",
            '{"name": "x", "limits": {"bridge_s": null}}': "“bridge_s” cannot be null",
            '{"name": "x", "limits": {"bridge_s": -1}}': "“bridge_s” is -1; it has to lie between 0 and 10",
            '{"name": "x", "limits": {"clear_share_min": 95}}': "is 95; it has to lie between 0 and 1",
            '{"name": "x", "limits": {"integrated_tolerance_lu": -1}}': "“integrated_tolerance_lu”",
            '{"limits": {}}': "with a “name”",
            "[1]": "with a “name”",
            '{"name": "x", "limits": {"clearance_lu": 4}}': "“clearance_must_lu” .5. stands above “clearance_lu”",
            "{": "not readable as JSON",
            '{"name": "x", "limits": {"clearance_lu": true}}': "has to be a number",
        }
        for text, words in cases.items():
            with self.subTest(text), self.assertRaisesRegex(SpecError, words):
                self.load(text)

    def test_there_and_back(self):
        for one in spec.PRESETS:
            self.assertEqual(spec.from_dict(json.loads(json.dumps(one.as_dict()))).limits, one.limits)
        self.assertEqual(set(spec.DEFAULT.as_dict()["limits"]), {f.name for f in fields(Limits)})
