"""Timecode. Source: SMPTE ST 12-1 (values from memory); checked besides against the package ``timecode``."""

import unittest
from fractions import Fraction

from hypothesis import given, settings
from hypothesis import strategies as st
from timecode import Timecode

from mezzavoce_core.errors import TimecodeError
from mezzavoce_core.timecode import Clock, FrameRate, format_timecode, nearest_rate, parse_rate, parse_timecode

R25 = FrameRate(Fraction(25))
DF = FrameRate(Fraction(30000, 1001), drop_frame=True)
NDF = FrameRate(Fraction(30000, 1001))
DF60 = FrameRate(Fraction(60000, 1001), drop_frame=True)


class DropFrameTest(unittest.TestCase):
    """SMPTE ST 12-1: labels 0 and 1 are left out at every minute not divisible by ten."""

    def test_one_hour(self):
        self.assertEqual(parse_timecode("01:00:00;00", DF), 107892)
        self.assertEqual(parse_timecode("10:00:00;00", DF), 1078920)

    def test_one_hour_of_non_drop_lasts_longer_than_an_hour(self):
        self.assertEqual(float(parse_timecode("01:00:00:00", NDF) / NDF.fps), 3603.6)

    def test_labels_around_a_minute(self):
        last = parse_timecode("00:00:59;29", DF)
        self.assertEqual(format_timecode(last + 1, DF), "00:01:00;02")
        last = parse_timecode("00:09:59;29", DF)
        self.assertEqual(format_timecode(last + 1, DF), "00:10:00;00")

    def test_four_labels_at_twice_the_rate(self):
        last = parse_timecode("00:00:59;59", DF60)
        self.assertEqual(format_timecode(last + 1, DF60), "00:01:00;04")

    def test_label_that_does_not_exist(self):
        with self.assertRaisesRegex(TimecodeError, "does not exist in drop-frame"):
            parse_timecode("00:01:00;01", DF)
        self.assertEqual(parse_timecode("00:10:00;01", DF), 17983)

    def test_day_wraps(self):
        self.assertEqual(DF.frames_per_day, 2589408)
        self.assertEqual(format_timecode(DF.frames_per_day, DF), "00:00:00;00")
        self.assertEqual(format_timecode(DF.frames_per_day - 1, DF), "23:59:59;29")

    @settings(max_examples=300)
    @given(st.integers(0, 2589407))
    def test_there_and_back(self, frame):
        self.assertEqual(parse_timecode(format_timecode(frame, DF), DF), frame)

    @settings(max_examples=60)
    @given(st.integers(0, 2589406))
    def test_against_an_open_library(self, frame):
        library = Timecode("29.97", frames=frame + 1, force_non_drop_frame=False)
        library.drop_frame = True
        self.assertEqual(format_timecode(frame, DF), str(library))


class RateTest(unittest.TestCase):
    def test_words_for_rates(self):
        self.assertEqual(parse_rate("29.97df"), DF)
        self.assertEqual(parse_rate("30000/1001"), NDF)
        self.assertEqual(parse_rate("23.976").fps, Fraction(24000, 1001))
        self.assertEqual(parse_rate(" 25 "), R25)
        self.assertEqual(str(NDF), "30000/1001")

    def test_rates_that_cannot_be(self):
        for text in ("0", "-25", "1000", "nan", "x", "25/0", ""):
            with self.assertRaises(TimecodeError, msg=text):
                parse_rate(text)
        with self.assertRaisesRegex(TimecodeError, "only at 29.97 and 59.94"):
            FrameRate(Fraction(25), drop_frame=True)

    def test_measured_rates_are_drawn_to_standard_ones(self):
        self.assertEqual(nearest_rate(Fraction(2997, 100)), Fraction(30000, 1001))
        self.assertEqual(nearest_rate(Fraction(25)), Fraction(25))
        self.assertEqual(nearest_rate(Fraction(12)), Fraction(12))

    def test_what_the_rate_says_of_itself(self):
        self.assertEqual((DF.nominal, DF.dropped_per_minute, DF.frames_per_ten_minutes), (30, 2, 17982))
        self.assertEqual((R25.nominal, R25.dropped_per_minute), (25, 0))


class BadTimecodeTest(unittest.TestCase):
    def test_each_says_what_is_wrong(self):
        cases = {
            "24:00:00:00": "hours run to 23",
            "00:60:00:00": "minutes and seconds to 59",
            "00:00:00:25": "from 0 to 24",
            "hello": "no timecode",
            "1:2:3:4": "no timecode",
        }
        for text, words in cases.items():
            with self.assertRaisesRegex(TimecodeError, words):
                parse_timecode(text, R25)


class ClockTest(unittest.TestCase):
    def test_in_holds_the_time_and_out_is_the_frame_after(self):
        clock = Clock.starting("10:00:00:00", R25)
        self.assertEqual(clock.timecode_in(1.0), "10:00:01:00")
        self.assertEqual(clock.timecode_in(1.039), "10:00:01:00")
        self.assertEqual(clock.timecode_out(1.0), "10:00:01:00")
        self.assertEqual(clock.timecode_out(1.001), "10:00:01:01")

    def test_floats_do_not_decide_between_two_frames(self):
        clock = Clock.starting("00:00:00:00", R25)
        for frame in range(2000):
            self.assertEqual(clock.frame_at(frame / 25), frame)
            self.assertEqual(clock.frame_after(frame / 25), frame)

    def test_ntsc_seconds(self):
        clock = Clock.starting("01:00:00;00", DF)
        self.assertEqual(clock.timecode_in(60.06), "01:01:00;02")
        self.assertEqual(clock.seconds_at("01:00:10;00"), 300 * 1001 / 30000)

    def test_over_midnight(self):
        clock = Clock.starting("23:59:59:00", R25)
        self.assertEqual(clock.timecode_in(1.0), "00:00:00:00")
        self.assertEqual(clock.seconds_at("00:00:00:00"), 1.0)

    def test_without_a_start_it_begins_at_zero(self):
        self.assertEqual(Clock.starting(None, R25).timecode_in(2.0), "00:00:02:00")
