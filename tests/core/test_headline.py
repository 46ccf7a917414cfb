"""The head's figures: how each stands, and that they never contradict verdict and findings."""

import unittest
from dataclasses import asdict, replace

from mezzavoce_core.command.report import report
from mezzavoce_core.exchange.document import document
from mezzavoce_core.exchange.headline import FAILS, HOLDS, OPEN, SHORT, headline
from mezzavoce_core.judge.judging import judge
from mezzavoce_core.judge.spec import PRESETS, Limits
from mezzavoce_demo.programmes.scenario import EPISODES
from tests.core.test_outside import measured

LOUD = {
    "integrated_lufs": -23.2,
    "range_lu": 9.0,
    "true_peak_max_dbtp": -1.4,
    "short_term_max_lufs": -18.0,
    "momentary_max_lufs": -15.0,
    "dialogue_lufs": -24.0,
    "loudness_to_dialogue_lu": 0.8,
}


def head(clear=0.97, left=(), loud=LOUD, **limits):
    return headline(loud, clear, asdict(replace(Limits(), **limits)), left)


class StateTest(unittest.TestCase):
    def state(self, key, **how):
        return head(**how)[key].state

    def test_what_the_spec_limits_is_held_against_it(self):
        for key, limits, state in (
            ("range", {}, OPEN),
            ("range", {"range_max_lu": 9.0}, HOLDS),
            ("range", {"range_max_lu": 8.9}, SHORT),
            ("true-peak", {}, HOLDS),
            ("true-peak", {"true_peak_max_dbtp": -2.0}, SHORT),
            ("integrated", {}, HOLDS),
            ("integrated", {"integrated_lufs": -20.0}, SHORT),
            ("integrated", {"integrated_lufs": None}, OPEN),
            ("short-term", {"short_term_max_lufs": -18.1}, SHORT),
            ("momentary", {"momentary_max_lufs": -15.0}, HOLDS),
            ("dialogue", {"loudness_to_dialogue_max_lu": 0.7}, SHORT),
            ("dialogue", {}, OPEN),
            ("clear", {}, HOLDS),
            ("clear", {"clear_share_min": 0.98, "clear_share_must": 0.5}, SHORT),
            ("clear", {"clear_share_min": None}, OPEN),
        ):
            self.assertEqual(self.state(key, **limits), state, f"{key} with {limits}")

    def test_every_limit_stands_beside_its_figure(self):
        shown = head(range_max_lu=8.0, short_term_max_lufs=-18.0, momentary_max_lufs=-15.0)
        self.assertEqual(shown["range"].limit, "at most 8.0")
        self.assertEqual((shown["short-term"].limit, shown["momentary"].limit), ("at most -18.0", "at most -15.0"))
        self.assertNotIn("short-term", head())

    def test_a_figure_fails_with_a_finding_that_must_be_mended(self):
        must, dismissed = [("integrated-off-target", "loudness", "must")], []
        self.assertEqual(self.state("integrated", integrated_lufs=-20.0, left=must), FAILS)
        self.assertEqual(self.state("integrated", integrated_lufs=-20.0, left=dismissed), SHORT)
        self.assertEqual(self.state("clear", clear=0.5, left=[("masked-speech", "voice", "must")]), FAILS)
        self.assertEqual(self.state("clear", clear=0.5, left=[("dropout", "signal", "must")]), SHORT)

    def test_what_must_be_mended_is_counted(self):
        self.assertNotIn("must", head(left=[("masked-speech", "voice", "should")]))
        shown = head(left=[("dropout", "signal", "must"), ("clipped", "peak", "must")])["must"]
        self.assertEqual((shown.value, shown.unit, shown.state), ("2", "places", FAILS))

    def test_a_dialogue_anchor_judges_the_dialogue(self):
        shown = head(anchor="dialogue", integrated_lufs=-24.0)
        self.assertEqual((shown["integrated"].state, shown["dialogue"].state), (OPEN, HOLDS))


class AgreementTest(unittest.TestCase):
    """Every programme of the demo by every shipped spec."""

    def test_head_verdict_findings_and_report_agree(self):
        for episode in EPISODES:
            for spec in PRESETS:
                with self.subTest(episode.title, spec=spec.name):
                    self.agree(document(judge(measured(episode.number), spec)))

    def agree(self, result):
        left = [(f["kind"], f["family"], f["severity"]) for f in result["findings"]]
        shown = headline(result["loudness"], result["clear_share"], result["spec"]["limits"], left)
        states = {key: figure.state for key, figure in shown.items()}
        self.assertEqual(FAILS in states.values(), result["verdict"] == "fail", "one fails exactly where it may not go")
        told = {kind for kind, _, _ in left}
        for key, kind in (
            ("integrated", "integrated-off-target"),
            ("range", "range-too-wide"),
            ("short-term", "short-term-over"),
        ):
            if key in states and kind in told:
                self.assertIn(states[key], (SHORT, FAILS) if key != "integrated" else (SHORT, FAILS, OPEN), kind)
        if states.get("integrated") in (SHORT, FAILS):
            self.assertIn("integrated-off-target", told)
        if states.get("range") in (SHORT, FAILS):
            self.assertIn("range-too-wide", told)
        if states.get("true-peak") in (SHORT, FAILS):
            self.assertIn("true-peak-over", told)
        text = report(result)
        self.assertIn(f"{'pass' if result['verdict'] == 'pass' else 'fail'} by {result['spec']['name']}", text)
        for figure in shown.values():
            if figure.state in (SHORT, FAILS) and figure.name != "To be mended":
                self.assertIn(figure.limit, text, figure.name)
