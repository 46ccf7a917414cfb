"""The demo's second mixes: a recheck says of every planted fault what was done about it, and finds every edit."""

import os
import unittest
from functools import cache
from pathlib import Path

from mezzavoce_core.exchange.document import document
from mezzavoce_core.judge.spec import DEFAULT
from mezzavoce_core.media.source import Sound
from mezzavoce_core.pipeline import Job, Judging, Stem, run
from mezzavoce_core.versions.alignment import align
from mezzavoce_core.versions.recheck import recheck
from mezzavoce_demo.programmes.scenario import EPISODES
from mezzavoce_demo.second.make import second_files
from mezzavoce_demo.second.mixes import SECOND_MIXES
from mezzavoce_demo.studio.render import mix_file, stem_files

FRAME_S = 1 / 25


@cache
def beside(number):
    """Both judgements of a programme as results, and how the second mix lies beside the first."""
    media = Path(os.environ["MEZZAVOCE_TEST_MEDIA"])
    second = next(s for s in SECOND_MIXES if s.number == number)
    episode = next(e for e in EPISODES if e.number == number)
    found = [
        run(
            Job(
                Sound((mix,), mix.name),
                tuple(Stem(Sound((p,), p.name), role) for role, p in stems),
                levels_only=False,
                outline=True,
            ),
            Judging(DEFAULT),
        )
        for mix, stems in (
            (mix_file(media, episode), stem_files(media, episode)),
            (second_files(media, second)[0][1], second_files(media, second)[1:]),
        )
    ]
    alignment = align(*(j.measurement.mix.outline for j in found))
    return [document(j) for j in found], alignment


class SecondMixesTest(unittest.TestCase):
    def test_every_fault_is_told_as_it_became(self):
        for second in SECOND_MIXES:
            (old, new), alignment = beside(second.number)
            found = recheck(old, new, alignment)
            for becomes in second.becomes:
                with self.subTest(f"{second.number} {becomes.kind}"):
                    (one,) = [
                        r
                        for r in found
                        if r.old
                        and r.old["kind"] == becomes.kind
                        and r.old["in_s"] - 0.5 <= becomes.at_s <= r.old["out_s"] + 0.5
                    ]
                    self.assertEqual(one.result, becomes.result)
            self.assertEqual({r.kind for r in found if r.old is None}, set(second.new), second.number)

    def test_every_edit_is_found_to_a_frame(self):
        for second in SECOND_MIXES:
            _, alignment = beside(second.number)
            long = [span for span in alignment.removed if span[1] - span[0] > 1]
            self.assertEqual(len(long), len(second.cut), second.number)
            for span, cut in zip(long, second.cut, strict=True):
                for found, made in zip(span, cut, strict=True):
                    self.assertAlmostEqual(found, made, delta=FRAME_S)
            scenes = [b - a for a, b in alignment.inserted if b - a > 1]
            for length, put_in in zip(scenes, second.put_in, strict=True):
                self.assertAlmostEqual(length, put_in.length_s, delta=FRAME_S)
