"""A new mix laid beside a former one by its sound: what lies where, and what became of every finding."""

import unittest
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
from scipy.signal import resample_poly

from mezzavoce_core.errors import NotMeasurable
from mezzavoce_core.exchange.features import read_features, write_features
from mezzavoce_core.signal.outline import BANDS, FRAMES_PER_S, Outline
from mezzavoce_core.versions.alignment import align
from mezzavoce_core.versions.document import alignment_dict, alignment_from_dict
from tests.signals import RATE, measured, noise, talk

FRAME_S = 1 / 25


def outline_of(seconds, seed=1, level=-30.0):
    """Something that changes as sound does: every band goes its own way, a new way every 150 ms."""
    rng = np.random.default_rng(seed)
    count = round(seconds * FRAMES_PER_S)
    steps = rng.normal(level, 9.0, (count // 7 + 2, BANDS))
    at = np.arange(count) / 7
    low = at.astype(int)
    share = (at - low)[:, None]
    return np.round(100 * (steps[low] * (1 - share) + steps[low + 1] * share)).astype(np.int16)


def frames(seconds):
    return round(seconds * FRAMES_PER_S)


def cut(outline, in_s, out_s):
    return outline[frames(in_s) : frames(out_s)]


class AlignmentTest(unittest.TestCase):
    def setUp(self):
        self.old = outline_of(240)

    def placed(self, new, *expected):
        """Every moment of the former mix lies where it is expected, to a frame; None: it was cut out."""
        found = align(self.old, new)
        for old_s, new_s in expected:
            place = found.new_s(old_s)
            if new_s is None:
                self.assertIsNone(place, old_s)
            else:
                self.assertIsNotNone(place, old_s)
                self.assertAlmostEqual(place, new_s, delta=FRAME_S, msg=f"{old_s}")
        return found

    def test_the_same_mix(self):
        found = self.placed(self.old, (0.1, 0.1), (120, 120), (239.5, 239.5))
        self.assertEqual((len(found.pieces), found.removed, found.inserted), (1, (), ()))
        self.assertEqual(found.pieces[0].speed, 1.0)

    def test_another_start(self):
        head = outline_of(7.3, seed=2)
        found = self.placed(np.concatenate([head, self.old]), (1, 8.3), (200, 207.3))
        self.assertEqual(found.removed, ())
        self.assertAlmostEqual(found.inserted[0][1], 7.3, delta=FRAME_S)

    def test_a_scene_taken_out_and_another_put_in(self):
        new = np.concatenate(
            [cut(self.old, 0, 60), cut(self.old, 72, 150), outline_of(9, seed=3), self.old[frames(150) :]]
        )
        found = self.placed(new, (30, 30), (66, None), (100, 88), (160, 157), (230, 227))
        self.assertEqual([round(t) for t in found.removed[0]], [60, 72])
        self.assertEqual([round(t) for t in found.inserted[0]], [138, 147])

    def test_a_section_that_was_moved(self):
        new = np.concatenate([cut(self.old, 0, 40), cut(self.old, 90, 240), cut(self.old, 40, 90)])
        found = self.placed(new, (20, 20), (65, 215), (120, 70))
        self.assertEqual([round(p.old_in_s) for p in found.pieces], [0, 90, 40], "in the order of the new mix")

    def test_another_speed(self):
        count = round(len(self.old) * 1.001)
        at = np.arange(count) / 1.001
        low = np.minimum(at.astype(int), len(self.old) - 2)
        share = (at - low)[:, None]
        new = np.round(self.old[low] * (1 - share) + self.old[low + 1] * share).astype(np.int16)
        found = self.placed(new, (10, 10.01), (120, 120.12), (230, 230.23))
        self.assertAlmostEqual(found.pieces[0].speed, 1 / 1.001, delta=1e-4)

    def test_another_level_and_a_ducked_passage_change_nothing(self):
        new = self.old - 600
        new[frames(50) : frames(70)] -= 900
        self.placed(new, (20, 20), (60, 60), (200, 200))

    def test_a_new_take_in_the_same_place_lies_there(self):
        new = self.old.copy()
        new[frames(100) : frames(108)] = outline_of(8, seed=4)
        found = self.placed(new, (104, 104), (150, 150))
        self.assertEqual((found.removed, found.inserted), ((), ()))

    def test_music_that_comes_again_is_not_taken_for_what_was_cut_out(self):
        self.old[frames(180) : frames(195)] = self.old[frames(30) : frames(45)]
        new = np.concatenate([cut(self.old, 0, 30), cut(self.old, 45, 240)])
        self.placed(new, (37, None), (187, 172))

    def test_twenty_edits_by_chance(self):
        """Nothing is placed wrong, and nearly everything that is there is placed."""
        rng = np.random.default_rng(5)
        self.old = outline_of(900, seed=6)
        new, origin = self.old, np.arange(len(self.old))
        for k in range(20):
            length, at = frames(rng.uniform(1, 30)), int(rng.integers(0, len(new) - frames(30)))
            if k % 2:
                new, origin = np.delete(new, slice(at, at + length), 0), np.delete(origin, slice(at, at + length))
            else:
                own = outline_of(length / FRAMES_PER_S, seed=100 + k)[:length]
                new = np.concatenate([new[:at], own, new[at:]])
                origin = np.concatenate([origin[:at], np.full(len(own), -1), origin[at:]])
        truth = np.full(len(self.old), -1)
        truth[origin[origin >= 0]] = np.flatnonzero(origin >= 0)
        found = align(self.old, new)
        right = wrong = 0
        for k in range(0, len(self.old), 10):
            place = found.new_s((k + 0.5) / FRAMES_PER_S)
            if place is not None:
                near = truth[k] >= 0 and abs(place - (truth[k] + 0.5) / FRAMES_PER_S) <= FRAME_S
                right, wrong = right + near, wrong + (not near)
        there = (truth[::10] >= 0).sum()
        self.assertLess(wrong / there, 0.005)
        self.assertGreater(right / there, 0.97)

    def test_nothing_in_common(self):
        for other in (outline_of(200, seed=9), np.full((frames(60), BANDS), -13000, dtype=np.int16), self.old[:20]):
            with self.assertRaisesRegex(NotMeasurable, "no sound in common"):
                align(self.old, other)

    def test_half_of_it(self):
        found = self.placed(cut(self.old, 0, 120), (60, 60), (180, None))
        self.assertEqual([round(t) for t in found.removed[-1]], [120, 240])

    def test_a_stretch_is_placed_whole_torn_or_not_at_all(self):
        new = np.concatenate(
            [cut(self.old, 0, 100), outline_of(2, seed=7), cut(self.old, 100, 150), self.old[frames(170) :]]
        )
        found = align(self.old, new)
        for stretch, expected in (
            ((20, 30), (20, 30)),
            ((95, 105), (95, 107)),
            ((140, 160), (142, 152)),
            ((152, 168), None),
            ((149, 169), None),
        ):
            place = found.placed(*stretch)
            if expected is None:
                self.assertIsNone(place, stretch)
            else:
                np.testing.assert_allclose(place, expected, atol=0.1, err_msg=str(stretch))

    def test_as_json_and_back(self):
        found = align(self.old, cut(self.old, 20, 200))
        self.assertEqual(alignment_from_dict(alignment_dict(found)), found)
        with self.assertRaises(NotMeasurable):
            alignment_from_dict({"pieces": [{}]})


class OutlineTest(unittest.TestCase):
    def outline(self, signal, piece):
        found = Outline(RATE, signal.shape[1], len(signal) / RATE)
        for k in range(0, len(signal), piece):
            found.feed(np.ascontiguousarray(signal[k : k + piece].T, dtype=np.float32))
        return found.finish()

    def test_the_same_in_portions_of_any_size(self):
        signal = np.stack([noise(6, -20), talk(6, ((1.0, 4.0),))], axis=1)
        whole = self.outline(signal, len(signal))
        self.assertEqual(whole.shape, (300, BANDS))
        for piece in (RATE, 7001):
            np.testing.assert_allclose(self.outline(signal, piece), whole, atol=2)

    def test_a_tone_stands_in_its_band(self):
        t = np.arange(2 * RATE) / RATE
        tone = np.repeat(np.sin(2 * np.pi * 1000 * t)[:, None], 2, axis=1) * 0.1
        levels = self.outline(tone, RATE)[20:80].mean(axis=0)
        edges = 90.0 * (11000.0 / 90.0) ** (np.arange(BANDS + 1) / BANDS)
        self.assertEqual(int(np.argmax(levels)), int(np.searchsorted(edges, 1000)) - 1)

    def test_a_mix_of_another_sample_rate_lies_beside_the_former_one(self):
        """As a new mix that comes at 44.1 kHz after one at 48; resampled by SciPy."""
        sound = (talk(30, [(2, 9), (12, 26)]) + noise(30, -40)).astype(np.float32)
        outlines = []
        for rate, samples in ((RATE, sound), (44100, resample_poly(sound, 147, 160).astype(np.float32))):
            outline = Outline(rate, 1, 30.0)
            outline.feed(np.ascontiguousarray(samples[None, :]))
            outlines.append(outline.finish())
        found = align(*outlines)
        for at_s in (3.0, 14.0, 25.0):
            self.assertAlmostEqual(found.new_s(at_s), at_s, delta=FRAME_S)

    def test_sound_found_again_later(self):
        signal = np.stack([noise(30, -30) + talk(30, ((2.0, 9.0), (12.0, 26.0)))] * 2, axis=1)
        found = align(self.outline(signal, RATE), self.outline(signal[round(4.321 * RATE) :], RATE))
        self.assertAlmostEqual(found.new_s(20.0), 15.679, delta=0.01)

    def test_kept_with_the_features_and_read_without_it(self):
        folder = Path(self.enterContext(TemporaryDirectory()))
        bare = measured(noise(3, -20))
        kept = replace(bare, mix=replace(bare.mix, outline=outline_of(3)))
        for measurement, count in ((bare, 0), (kept, 150)):
            write_features(measurement, folder / "features.npz")
            self.assertEqual(len(read_features(folder / "features.npz").mix.outline), count)
