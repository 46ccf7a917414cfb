"""What is programme: line-up, pips, slate and silence found and left out; ranges by hand; several parts as one.

How a delivery's head is made up (tone, slate, countdown, a pip two seconds before the programme) is common practice.
"""

import unittest

import numpy as np

from mezzavoce_core.errors import RangeError
from mezzavoce_core.exchange.document import document
from mezzavoce_core.exchange.series import series
from mezzavoce_core.judge.judging import judge
from mezzavoce_core.judge.spec import from_dict
from mezzavoce_core.measure.programme import Part, by_hand, find_programme, whole
from mezzavoce_core.pipeline import Ranges
from mezzavoce_core.timecode import Clock, FrameRate
from tests.signals import RATE, levels_of, measured, noise, sine, steps, stereo, talk

CLOCK = Clock.starting("10:00:00:00", FrameRate(25))
SPEC = from_dict({"name": "t", "limits": {"clearance_lu": None}})
HUSH = np.zeros(RATE)


def show(seconds=60):
    return noise(seconds, -26, seed=4) + talk(seconds, [(1, 8), (12, 20), (30, 45)], -22)


def pip():
    return sine(-18, 0.04)


def programme_of(*pieces):
    signal = np.concatenate(pieces)
    return find_programme(levels_of(stereo(signal), between_samples=False), CLOCK, len(signal) / RATE)


class HeadAndTailTest(unittest.TestCase):
    def check(self, found, in_s, out_s, *why):
        self.assertAlmostEqual(found.in_s, in_s, delta=0.041)
        self.assertAlmostEqual(found.out_s, out_s, delta=0.041)
        self.assertEqual(tuple(o.why for o in found.left_out), why)

    def test_tone_gap_programme_silence(self):
        self.check(programme_of(sine(-18, 10), HUSH, HUSH, show(), HUSH, HUSH), 12, 72, "line-up tone", "silence")

    def test_tone_of_other_frequencies(self):
        for hz in (400, 997, 440):
            self.check(programme_of(sine(-20, 5, hz=hz), HUSH, show()), 6, 66, "line-up tone")

    def test_the_pip_two_seconds_before(self):
        found = programme_of(HUSH, HUSH, pip(), HUSH, HUSH[: round(0.96 * RATE)], show())
        self.check(found, 4, 64, "silence", "pips")

    def test_tone_slate_countdown(self):
        count = [piece for _ in range(5) for piece in (pip(), HUSH[: round(0.96 * RATE)])]
        head = [sine(-18, 10), HUSH, talk(6, [(0.5, 5.5)], -22), HUSH, *count, HUSH]
        self.check(
            programme_of(*head, show()),
            sum(len(p) for p in head) / RATE,
            sum(len(p) for p in head) / RATE + 60,
            "line-up tone",
            "slate",
            "pips",
        )

    def test_tone_and_slate_without_pips(self):
        self.check(
            programme_of(sine(-18, 10), HUSH, talk(6, [(0.2, 5.8)], -22), HUSH, HUSH, show()),
            18.2 - 0.2 + 1,
            79,
            "line-up tone",
            "slate",
        )

    def test_pip_and_tone_at_the_tail(self):
        found = programme_of(show(), HUSH, HUSH, pip(), HUSH)
        self.assertAlmostEqual(found.out_s, 60, delta=0.041)
        self.check(programme_of(show(), HUSH, HUSH, sine(-18, 5)), 0, 60, "silence", "line-up tone")

    def test_nothing_but_programme(self):
        for pieces in ([show()], [HUSH[: RATE // 2], show()], [talk(20, [(0, 3), (8, 20)], -22), show()]):
            found = programme_of(*pieces)
            self.assertEqual((found.in_s, found.left_out), (0.0, ()))

    def test_all_tone_is_measured_whole(self):
        """The published test signals are tones with silence; none of their samples may be left out."""
        for signal in (
            sine(-23, 20),
            steps([(-36, 10), (-23, 60), (-36, 10)]),
            np.concatenate([HUSH, sine(-23, 3), HUSH]),
        ):
            self.assertEqual(programme_of(signal).left_out, ())

    def test_tone_without_a_gap_is_programme(self):
        """A steady note at the beginning of a piece is music, as long as nothing separates it."""
        self.assertEqual(programme_of(sine(-18, 5), show()).left_out, ())


class ByHandTest(unittest.TestCase):
    def test_what_is_left_over_is_said(self):
        found = by_hand([Part(10, 20), Part(30, 40)], 50)
        self.assertEqual([(o.in_s, o.out_s) for o in found.left_out], [(0, 10), (20, 30), (40, 50)])
        self.assertEqual((found.in_s, found.out_s, found.duration_s), (10, 40, 20))

    def test_refusals(self):
        for parts, words in (
            ([Part(5, 5)], "ends where it begins"),
            ([Part(5, 60)], "lies outside"),
            ([Part(1, 9), Part(8, 12)], "overlap"),
            ([Part(9, 2)], "ends where"),
        ):
            with self.assertRaisesRegex(RangeError, words):
                by_hand(parts, 50)

    def test_timecodes(self):
        measurement = measured(stereo(show(30)))
        found = Ranges(timecodes=(("10:00:05:00", "10:00:25:00"),)).on(measurement)
        self.assertEqual((found.in_s, found.out_s), (5.0, 25.0))
        self.assertIsNone(Ranges().on(measurement))
        self.assertEqual(Ranges(whole=True).on(measurement).out_s, 30.0)
        with self.assertRaises(RangeError):
            Ranges(timecodes=(("09:59:00:00", "10:00:25:00"),)).on(measurement)


class MeasuredInRangeTest(unittest.TestCase):
    def test_figures_are_those_of_the_programme_alone(self):
        inner = show()
        alone = judge(measured(stereo(inner)), SPEC, programme=whole(60)).context
        around = judge(measured(stereo(np.concatenate([sine(-6, 5), HUSH, inner, HUSH, HUSH]))), SPEC).context
        self.assertEqual(around.programme.in_s, 6.0)
        self.assertAlmostEqual(around.loudness.integrated_lufs, alone.loudness.integrated_lufs, places=3)
        self.assertAlmostEqual(around.loudness.range_lu, alone.loudness.range_lu, places=3)
        self.assertAlmostEqual(around.true_peak_dbtp.max(), alone.true_peak_dbtp.max(), places=3)

    def test_times_count_from_the_first_sample_of_the_file(self):
        inner = show()
        inner[20 * RATE] = 0.99
        result = document(judge(measured(stereo(np.concatenate([sine(-18, 5), HUSH, inner]))), SPEC))
        over = next(f for f in result["findings"] if f["kind"] == "true-peak-over")
        self.assertAlmostEqual(over["in_s"], 26.0, delta=0.02)
        self.assertEqual(over["in_timecode"], "10:00:26:00")
        self.assertAlmostEqual(result["loudness"]["true_peak_max_at_s"], 26.0, delta=1e-4)
        self.assertEqual(result["true_peak_overs"][0]["at_timecode"], "10:00:26:00")
        self.assertEqual(result["range"]["in_s"], 6.0)
        self.assertEqual([o["why"] for o in result["range"]["left_out"]], ["line-up tone"])
        curves = series(judge(measured(stereo(np.concatenate([sine(-18, 5), HUSH, inner]))), SPEC))
        self.assertEqual(curves["time_s"][0], 6.0)

    def test_a_peak_outside_the_programme_is_not_counted(self):
        result = judge(measured(stereo(np.concatenate([sine(0, 5), HUSH, show()]))), SPEC)
        self.assertLess(result.context.true_peak_dbtp.max(), -1)

    def test_parts_are_measured_as_one_and_each_by_itself(self):
        """As one: the gate's blocks of both parts together, none reaching over the break."""
        loud, soft = noise(30, -20, seed=1), noise(30, -30, seed=2)
        signal = np.concatenate([loud, noise(20, -3, seed=3), soft])
        parts = by_hand([Part(0, 30), Part(50, 80)], 80)
        result = document(judge(measured(stereo(signal)), SPEC, programme=parts))
        single = judge(measured(stereo(loud)), SPEC, programme=whole(30)).context.loudness
        self.assertAlmostEqual(result["range"]["parts"][0]["integrated_lufs"], single.integrated_lufs, places=2)
        self.assertAlmostEqual(result["loudness"]["integrated_lufs"], single.integrated_lufs - 2.6, delta=0.1)
        self.assertLess(result["loudness"]["momentary_max_lufs"], single.integrated_lufs + 2)
        self.assertEqual(result["range"]["left_out"], [{"in_s": 30, "out_s": 50, "why": "set by hand"}])

    def test_corrections_keep_the_time_of_the_file(self):
        from mezzavoce_core.measure.speech import SPEECH, Correction

        inner = show()
        mix = np.concatenate([sine(-18, 5), HUSH, inner])
        voice = np.concatenate([np.zeros(6 * RATE), talk(60, [(1, 8), (12, 20), (30, 45)], -22)])
        measurement = measured(stereo(mix), [("dialogue", stereo(voice))])
        result = document(judge(measurement, SPEC, [Correction(SPEECH, 30.0, 32.0)]))
        self.assertIn((30.0, 32.0), [(s["in_s"], s["out_s"]) for s in result["speech"]])
        self.assertAlmostEqual(result["speech"][0]["in_s"], 7.0, delta=0.06)
