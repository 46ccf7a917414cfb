"""Tables and timelines that others wrote, read in whichever encoding, separator, order and rate they come."""

import csv
import io
import unittest

import opentimelineio as otio

from mezzavoce_core.errors import UsageError
from mezzavoce_core.exchange.incoming.answers import read_answers
from mezzavoce_core.exchange.incoming.notes import read_notes
from mezzavoce_core.exchange.incoming.table import MOST_ROWS
from mezzavoce_core.timecode import Clock, parse_rate
from tests.core.test_sheets import RATES, note, sheet, written

CLOCK = Clock.starting("10:00:00:00", parse_rate("25"))
ENCODINGS = ("utf-8", "utf-8-sig", "utf-16", "cp1252")


def table(*rows, separator=",", encoding="utf-8"):
    out = io.StringIO()
    csv.writer(out, delimiter=separator, lineterminator="\r\n").writerows(rows)
    return out.getvalue().encode(encoding)


class AnswersTest(unittest.TestCase):
    def test_our_table_filled_in(self):
        rows = list(
            csv.reader(io.StringIO(written("csv", sheet(note("A"), note("B", 20, 21), note("C", 30, 31))).decode()))
        )
        head = rows[0]
        for row, (answer, reason) in zip(
            rows[1:], (("Fixed", ""), ("cannot fix", "no müsic stem"), ("", "")), strict=True
        ):
            row[head.index("answer")], row[head.index("reason")] = answer, reason
        for encoding in ENCODINGS:
            for separator in ",;\t|":
                order = sorted(range(len(head)), key=lambda k: head[k])
                mixed = [[row[k] for k in order] for row in rows]
                found = read_answers(table(*mixed, separator=separator, encoding=encoding))
                self.assertEqual(
                    [(s.mark, s.what, s.reason) for s in found],
                    [("A", "fixed", ""), ("B", "cannot fix", "no müsic stem")],
                    (encoding, separator),
                )

    def test_a_guard_against_formulas_is_taken_off_again(self):
        said = read_answers(table(("mark", "answer", "reason"), ("a", "question", "'=why?")))
        self.assertEqual((said[0].mark, said[0].reason), ("A", "=why?"))

    def test_what_cannot_be_read_is_a_sentence(self):
        head = ("mark", "answer", "reason")
        for content, words in (
            (b"", "is empty"),
            (table(("mark", "in"), ("A", "10:00:00:00")), "no column “answer”; its first line holds: mark, in"),
            (table(head, ("A", "perhaps", "")), "Row 2: “perhaps” is no answer"),
            (table(head, ("A", "cannot fix", "")), "needs a few words"),
            (table(head, ("A", "", "")), "No row of this table has an answer"),
            (table(head, ("A", "fixed", ""), ("a", "question", "?")), "answered twice"),
            (b"\x89PNG\r\n\0\0", "no table in text form"),
            (b'mark,answer\r\nA,"' + b"x" * 200_000, "no table"),
            (table(head, *[("A", "", "")] * (MOST_ROWS + 1)), f"more than {MOST_ROWS} rows"),
            (b"mark,answer\n" * 1_000_000, "MB; a table may have 10"),
        ):
            with self.assertRaisesRegex(UsageError, words):
                read_answers(content)


class NotesTest(unittest.TestCase):
    def read(self, content, duration_s=60.0, clock=CLOCK):
        return read_notes(content, clock, duration_s)

    def test_a_table_with_other_names(self):
        content = table(
            ("Comment", "TC In", "Name", "Priority"),
            ("Cut the cough; it is\nheard twice", "10:00:05:12", "Cough", "must"),
            ("", "", "", ""),
            ("Only words", "10:00:59:24", "", "soon"),
            separator=";",
        )
        found = self.read(content).notes
        self.assertEqual(
            [(n.in_s, n.out_s, n.title, n.severity) for n in found],
            [(5.48, 5.48, "Cough", "must"), (59.96, 59.96, "Only words", None)],
        )

    def test_our_own_files_come_back_at_every_rate(self):
        for rate in RATES:
            of = sheet(note("A", 1.0, 2.5), note("B", 20, 21.0, title="Two"), rate=rate, start="23:59:50:00")
            for form in ("csv", "otio"):
                found = self.read(written(form, of), clock=of.clock).notes
                self.assertEqual(len(found), 2, (rate, form))
                for one, two in zip(found, of.in_order, strict=True):
                    self.assertEqual(of.clock.frame_at(one.in_s), of.clock.frame_at(two.in_s), (rate, form))
                    self.assertLess(abs(one.out_s - two.out_s), 2 / float(of.clock.rate.fps), (rate, form))

    def test_markers_of_clips_tracks_and_the_whole(self):
        def marker(name, at, rate=25.0):
            at = otio.opentime.RationalTime(at * rate, rate)
            return otio.schema.Marker(name, otio.opentime.TimeRange(at, otio.opentime.RationalTime(rate, rate)))

        def clip(source_s, length_s, *markers):
            span = otio.opentime.TimeRange(
                otio.opentime.RationalTime(source_s * 25, 25), otio.opentime.RationalTime(length_s * 25, 25)
            )
            return otio.schema.Clip(name="clip", source_range=span, markers=list(markers))

        track = otio.schema.Track(children=[clip(0, 10), clip(100, 10, marker("on a clip", 103))])
        track.markers.append(marker("on a track", 2))
        whole = otio.schema.Timeline(tracks=[track])
        whole.tracks.markers.append(marker("on the whole", 30))

        def told():
            return otio.adapters.write_to_string(whole, "otio_json").encode()

        self.assertEqual(
            {n.title: n.in_s for n in self.read(told()).notes},
            {"on a track": 2.0, "on a clip": 13.0, "on the whole": 30.0},
        )
        # The timeline begins a second before the mix.
        whole.global_start_time = otio.opentime.RationalTime((10 * 3600 - 1) * 25, 25)
        self.assertEqual(min(n.in_s for n in self.read(told()).notes), 1.0)
        self.assertEqual(self.read(told()).remark, "")

    def test_markers_of_another_rate_are_placed_by_seconds_and_told(self):
        of = sheet(note("A", 10, 12), rate="30", start="10:00:00:00")
        found = self.read(written("otio", of))
        self.assertEqual(found.notes[0].in_s, 10.0)
        self.assertIn("count at 30 frames/s, the mix at 25", found.remark)

    def test_what_cannot_be_in_this_mix(self):
        for content, words in (
            (table(("in", "note"), ("09:59:59:24", "before")), "1 of 1 lie outside of this mix"),
            (table(("in", "note"), ("10:01:00:00", "behind")), "outside of this mix"),
            (table(("in", "note"), ("10:00:00:25", "frame")), "Row 2: .*frame 25"),
            (table(("in", "out", "note"), ("10:00:05:00", "10:00:04:00", "x")), "ends before it begins"),
            (table(("in", "note"), ("10:00:05:00", "")), "no words"),
            (table(("in", "note")), "no note in this file"),
            (table(("note",), ("x",)), "no column “in”"),
            (b'{"OTIO_SCHEMA": "Clip.2"}', "no timeline"),
            (b'{"a": 1}', "no timeline"),
            (b"{broken", "no timeline"),
        ):
            with self.assertRaisesRegex(UsageError, words):
                self.read(content)
