"""What became of every finding of a former mix in the new one, by core and command."""

import contextlib
import io
import json
import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

from mezzavoce_core.command.cli import main
from mezzavoce_core.versions.alignment import Alignment, Piece, alignment_of
from mezzavoce_core.versions.recheck import comparable, holds, recheck
from tests.signals import automated, chord, noise, stereo, talk, write_wav

SPANS = ((8.0, 14.0), (24.0, 30.0))


def finding(kind="duck-missing", in_s=10.0, out_s=14.0, measured=4.0, **more):
    facts = {"family": "ducking", "role": "music", "limit": 10.0, "unit": "LU", "severity": "must"}
    return facts | {"kind": kind, "in_s": in_s, "out_s": out_s, "measured": measured} | more


def result(*findings, length=100.0, **more):
    judged = {"passages": [], "ducks": [], "cues": [], "captions": None} | more
    return judged | {"findings": list(findings), "range": {"in_s": 0.0, "out_s": length}}


def same_edit(length=100.0):
    return alignment_of([Piece(0, length, 0, length, 1.0)], length, length)


class RecheckTest(unittest.TestCase):
    def results(self, old, new, alignment=None):
        return [r.result for r in recheck(result(*old), result(*new), alignment or same_edit())]

    def test_by_how_far_the_figure_moved_to_its_limit(self):
        for measured, expected in ((4.9, "same"), (3.2, "same"), (5.2, "better"), (2.8, "worse")):
            self.assertEqual(self.results([finding()], [finding(measured=measured)]), [expected], measured)
        short = {"unit": "s", "measured": 0.5, "limit": 0.1}
        for measured, expected in ((0.45, "same"), (0.3, "better"), (0.7, "worse")):
            self.assertEqual(self.results([finding(**short)], [finding(**short | {"measured": measured})]), [expected])

    def test_cured_gone_and_new(self):
        cut = alignment_of([Piece(0, 5, 0, 5, 1.0), Piece(20, 100, 5, 85, 1.0)], 100, 85)
        self.assertEqual(self.results([finding()], []), ["cured"])
        self.assertEqual(self.results([finding()], [], cut), ["gone"])
        self.assertEqual(self.results([], [finding()]), ["new"])
        self.assertEqual(self.results([finding()], [finding(in_s=60.0, out_s=64.0)]), ["cured", "new"])

    def test_where_it_lies_now(self):
        later = alignment_of([Piece(0, 100, 7, 107, 1.0)], 100, 107)
        (found,) = recheck(result(finding()), result(finding(in_s=17.0, out_s=21.0, measured=6.0), length=107.0), later)
        self.assertEqual((found.placed, found.result, found.lacks), ((17.0, 21.0), "better", 4.0))

    def test_another_kind_that_names_the_same_figure_is_the_same_fault(self):
        self.assertEqual(self.results([finding()], [finding("duck-shallow", measured=8.0)]), ["better"])
        masked = finding("masked-speech", family="voice", role="dialogue", measured=8.0)
        self.assertEqual(self.results([finding()], [masked]), ["better"])
        late = finding("duck-late", measured=0.6, limit=0.1, unit="s", severity="should")
        self.assertEqual(self.results([finding()], [late]), ["cured", "new"])
        self.assertFalse(comparable(finding("cue-level-jump", role="music"), finding("cue-level-jump", role="effects")))

    def test_one_of_the_whole_programme_lies_in_the_whole_programme(self):
        loud = {"family": "loudness", "role": "mix", "limit": -23.0, "unit": "LUFS"}
        half = alignment_of([Piece(0, 50, 0, 50, 1.0)], 100, 50)
        old = result(finding("integrated-off-target", 0.0, 100.0, -20.0, **loud))
        new = result(finding("integrated-off-target", 0.0, 50.0, -21.5, **loud), length=50.0)
        (found,) = recheck(old, new, half)
        self.assertEqual((found.placed, found.result, found.lacks), ((0.0, 50.0), "better", 1.5))

    def test_two_near_each_other_keep_apart(self):
        old = [finding(in_s=10.0, out_s=14.0, measured=2.0), finding(in_s=13.5, out_s=17.0, measured=3.0)]
        new = [finding(in_s=13.4, out_s=17.0, measured=8.0)]
        self.assertEqual(self.results(old, new), ["cured", "better"])

    def test_a_moment_is_found_again_beside_itself(self):
        peak = {"family": "peak", "role": "mix", "limit": -1.0, "unit": "dBTP", "measured": 0.5}
        old, new = finding("true-peak-over", 10.0, 10.0, **peak), finding("true-peak-over", 10.02, 10.02, **peak)
        self.assertEqual(self.results([old], [new]), ["same"])

    def test_what_the_new_mix_was_not_judged_by_is_not_called_cured(self):
        """Without stems nothing is said of the voice, without captions nothing of captions."""
        bare = {"passages": None, "ducks": None, "cues": None}
        caption = finding("caption-unheard", family="voice", role="dialogue", unit="s")
        peak = finding("true-peak-over", family="peak", role="mix", unit="dBTP")
        found = recheck(result(finding(), caption, peak), result(**bare), same_edit())
        self.assertEqual([r.result for r in found], ["unknown", "unknown", "cured"])
        self.assertIsNone(found[0].lacks)
        self.assertFalse(holds(found))
        with_captions = recheck(result(caption), result(captions={"all": []}), same_edit())
        self.assertEqual(with_captions[0].result, "cured")

    def test_when_the_new_mix_holds(self):
        def held(old, new):
            return holds(recheck(result(*old), result(*new), same_edit()))

        self.assertTrue(held([finding()], []))
        self.assertTrue(held([], [finding(severity="should")]))
        self.assertFalse(held([], [finding()]))
        self.assertFalse(held([finding()], [finding(measured=9.0)]))

    def test_of_one_torn_apart_the_larger_part_counts(self):
        apart = Alignment((Piece(0, 11, 0, 11, 1.0), Piece(11, 100, 60, 149, 1.0)), (), ((11.0, 60.0),))
        self.assertEqual(apart.placed(10.0, 14.0), (60.0, 63.0))


class CommandTest(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(TemporaryDirectory()))

    def stems(self, name, duck_db, cut_s=0.0):
        """A mix with its stems, music under both passages ducked by so much, from ``cut_s`` on."""
        points = [
            (a + d, g)
            for a, b in SPANS
            for d, g in ((-0.8, 0), (-0.3, duck_db), (b - a + 0.5, duck_db), (b - a + 1.5, 0))
        ]
        voice, music = talk(40, SPANS), automated(chord(40, -22), points) + noise(40, -60)
        parts = {"dialogue": stereo(voice), "music": stereo(music), "mix": stereo(voice + music)}
        for role, signal in parts.items():
            write_wav(self.folder / f"{name} {role}.wav", signal[round(cut_s * 48000) :])
        return self.folder / f"{name} mix.wav"

    def run_it(self, *arguments):
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            code = main(["recheck", *map(str, arguments), "--quiet"])
        return code, out.getvalue(), err.getvalue()

    def with_stems(self, old, new):
        both = (("--old-", old), ("--", new))
        return [
            f"{begin}{role}={str(mix).replace('mix.wav', f'{role}.wav')}"
            for begin, mix in both
            for role in ("dialogue", "music")
        ]

    def test_mended_and_moved(self):
        old, new = self.stems("first", 0.0), self.stems("second", -14.0, cut_s=3.0)
        code, out, _ = self.run_it(old, new, *self.with_stems(old, new), "--json")
        told = json.loads(out)
        self.assertEqual(told["schema"], "mezzavoce.recheck/1")
        missing = [f for f in told["findings"] if f["kind"] == "duck-missing"]
        self.assertEqual([f["result"] for f in missing], ["cured", "cured"])
        self.assertAlmostEqual(missing[0]["placed"]["in_s"], missing[0]["old"]["in_s"] - 3.0, delta=0.04)
        self.assertEqual([f["lacks"] for f in missing], [0.0, 0.0])
        (piece,) = told["pieces"]
        self.assertAlmostEqual(piece["old_in_s"] - piece["new_in_s"], 3.0, delta=0.04)
        # The chord stands still there, so that nothing tells one moment of it from the next.
        self.assertAlmostEqual(told["removed"][0]["out_s"], 3.0, delta=0.6)
        self.assertEqual(code, 0 if told["holds"] else 1)

    def test_half_mended(self):
        old, new = self.stems("first", 0.0), self.stems("second", -4.0)
        code, out, _ = self.run_it(old, new, *self.with_stems(old, new))
        self.assertEqual(code, 1)
        self.assertIn("better, still short by", out)

    def test_what_cannot_be_laid_beside_each_other(self):
        old = self.stems("first", 0.0)
        other = self.folder / "other.wav"
        write_wav(other, stereo(noise(30, -20, seed=9)))
        code, out, err = self.run_it(old, other)
        self.assertEqual((code, out), (2, ""))
        self.assertIn("no sound in common", err)
        self.assertEqual(self.run_it(old, self.folder / "none.wav")[0], 2)
        self.assertEqual(self.run_it(old)[0], 2)
