"""Notes as files, each read back by a reader that is not ours."""

import contextlib
import csv
import io
import json
import subprocess
import unittest
import wave
from pathlib import Path
from tempfile import TemporaryDirectory

import jsonschema
import numpy as np
import opentimelineio as otio
import pypdf
import webvtt
from timecode import Timecode

from mezzavoce_core.command.cli import main
from mezzavoce_core.command.options import EXPORTS
from mezzavoce_core.exchange.sheets.data import schema
from mezzavoce_core.exchange.sheets.formats import FORMATS
from mezzavoce_core.exchange.sheets.picture import picture_from, picture_of
from mezzavoce_core.exchange.sheets.sheet import LevelPoint, Noted, Sheet
from mezzavoce_core.timecode import Clock, parse_rate

ROOT = Path(__file__).parents[2]
RATES = ("24000/1001", "24", "25", "30000/1001", "30000/1001df", "50", "60000/1001", "60000/1001df")


def note(label="A", in_s=10.0, out_s=14.5, **more):
    facts = {
        "kind": "duck-missing",
        "family": "ducking",
        "severity": "must",
        "title": "Music does not give way",
        "text": "The voice stands 2.9 LU over the background; 10 LU are wanted.",
        "role": "the music",
        "change": "Lower the music by 7.1 dB",
        "prediction": "10.0 LU here",
        "points": (LevelPoint(9.5, 0.0), LevelPoint(10.0, -7.1), LevelPoint(14.5, -7.1), LevelPoint(15.5, 0.0)),
        "figures": {"measured": 2.9, "limit": 10.0, "unit": "LU"},
    }
    return Noted(label=label, in_s=in_s, out_s=out_s, **facts | more)


def sheet(*notes, rate="25", start="10:00:00:00", duration_s=60.0):
    return Sheet(
        "Ebb mix 1.wav", Clock.starting(start, parse_rate(rate)), duration_s, 48000, notes, "EBU R 128", "test"
    )


def written(form, of):
    return b"".join(FORMATS[form].pieces(of))


NASTY = "=cmd() --> \"quoted\", 'single' – ±3 dB; <b>\n\nsecond line \u202e"


class TableTest(unittest.TestCase):
    def test_a_spreadsheet_reads_it_and_runs_nothing(self):
        (row,) = csv.DictReader(io.StringIO(written("csv", sheet(note(text=NASTY))).decode(), newline=""))
        self.assertEqual((row["mark"], row["in"], row["out"]), ("A", "10:00:10:00", "10:00:14:13"))
        self.assertTrue(row["note"].startswith("'=cmd()"))
        self.assertIn("second line", row["note"])

    def test_level_points(self):
        rows = list(csv.DictReader(io.StringIO(written("points", sheet(note())).decode(), newline="")))
        self.assertEqual([r["timecode"] for r in rows], ["10:00:09:12", "10:00:10:00", "10:00:14:12", "10:00:15:12"])
        self.assertEqual([float(r["gain_db"]) for r in rows], [0.0, -7.1, -7.1, 0.0])


class DataTest(unittest.TestCase):
    def test_it_keeps_to_its_schema(self):
        told = json.loads(written("json", sheet(note(), note("B", 20.0, 20.0, role=None, points=(), figures={}))))
        jsonschema.validate(told, schema())
        with self.assertRaises(jsonschema.ValidationError):
            jsonschema.validate(told | {"notes": [{}]}, schema())

    def test_the_schema_is_published(self):
        self.assertEqual(json.loads((ROOT / "docs" / "notes.schema.json").read_text()), schema())
        jsonschema.Draft202012Validator.check_schema(schema())


class TimelineTest(unittest.TestCase):
    """OpenTimelineIO reads its own format; timecode is told by it and by the package ``timecode``."""

    def test_markers_at_every_rate(self):
        for rate in RATES:
            own = sheet(
                note(), note("B", 59.0, 60.0), rate=rate, start="01:00:00;00" if "df" in rate else "01:00:00:00"
            )
            found = otio.adapters.read_from_string(written("otio", own).decode(), "otio_json")
            (clip,) = found.find_clips()
            markers = list(clip.markers)
            self.assertEqual([m.name for m in markers], ["A Music does not give way", "B Music does not give way"])
            for marker, one in zip(markers, own.in_order, strict=True):
                at = marker.marked_range.start_time
                self.assertEqual(at.to_timecode(at.rate, "df" in rate), own.timecodes(one)[0], rate)
                end = marker.marked_range.end_time_exclusive()
                self.assertEqual(end.to_timecode(end.rate, "df" in rate), own.timecodes(one)[1], rate)
                self.assertEqual(marker.metadata["mezzavoce"]["text"], one.text)
            self.assertEqual(len(markers[0].metadata["mezzavoce"]["points"]), 4)

    def test_the_same_frames_as_another_library_counts(self):
        for rate, fps in (("25", "25"), ("30000/1001df", "29.97"), ("24000/1001", "23.976"), ("60000/1001df", "59.94")):
            start = "00:59:50;00" if "df" in rate else "00:59:50:00"
            own = sheet(note("A", 10.0, 11.0), rate=rate, start=start)
            found = otio.adapters.read_from_string(written("otio", own).decode(), "otio_json")
            marker = next(iter(found.find_clips())).markers[0]
            frames = round(marker.marked_range.start_time.value)
            other = Timecode(fps, start, force_non_drop_frame="df" not in rate)
            self.assertEqual(frames - other.frame_number, own.clock.frame_at(10.0), rate)


class EditListTest(unittest.TestCase):
    """Read by OpenTimelineIO's adapter for CMX 3600."""

    def test_an_event_a_note_with_its_words(self):
        for rate, start in (("25", "10:00:00:00"), ("30", "00:00:00:00"), ("24", "23:59:50:00")):
            own = sheet(note(text=NASTY), note("B", 14.0, 14.0), rate=rate, start=start)
            text = written("edl", own).decode("ascii")
            self.assertTrue(all(len(line) <= 100 for line in text.splitlines()))
            if start.startswith("23"):
                continue
            found = otio.adapters.read_from_string(text.replace("\r\n", "\n"), "cmx_3600", rate=float(rate))
            clips = [c for c in found.find_clips() if c.name]
            self.assertEqual([c.name[:1] for c in clips], ["A", "B"])
            comments = " ".join(str(c) for c in clips[0].metadata["cmx_3600"]["comments"])
            self.assertIn("NOTE A (must)", comments)
            self.assertIn("second line", comments)
            self.assertEqual(clips[0].source_range.start_time.to_timecode(), own.timecodes(own.in_order[0])[0])

    def test_notes_over_each_other_become_events_after_each_other(self):
        own = sheet(note("A", 0.0, 60.0), note("B", 10.0, 14.0), note("C", 10.0, 12.0), note("D", 59.99, 60.0))
        text = written("edl", own).decode().replace("\r\n", "\n")
        found = otio.adapters.read_from_string(text, "cmx_3600", rate=25)
        clips = [c for c in found.find_clips() if c.name]
        self.assertEqual([c.name[0] for c in clips], list("ACBD"))
        self.assertIn("10:00:00:00 TO 10:01:00:00", text)

    def test_drop_frame_is_said(self):
        text = written("edl", sheet(note(), rate="30000/1001df", start="10:00:00;00")).decode()
        self.assertIn("FCM: DROP FRAME\r\n", text)
        self.assertIn("10:00:09;29 10:00:14;15", text, "10 s are 299.7 frames")

    def test_across_midnight(self):
        text = written("edl", sheet(note("A", 15.0, 16.0), start="23:59:50:00")).decode()
        self.assertIn("00:00:05:00 00:00:06:00", text)


class CuesTest(unittest.TestCase):
    def test_by_another_reader(self):
        """FFmpeg reads both; webvtt-py, which writes them, as well."""
        own = sheet(note(text=NASTY), note("B", 20.0, 20.0))
        with TemporaryDirectory() as folder:
            for form in ("vtt", "srt"):
                path = Path(folder) / f"cues.{form}"
                path.write_bytes(written(form, own))
                told = subprocess.run(
                    ["ffprobe", "-v", "error", "-show_packets", "-of", "json", str(path)],
                    capture_output=True,
                    check=True,
                    text=True,
                )
                packets = json.loads(told.stdout)["packets"]
                self.assertEqual([float(p["pts_time"]) for p in packets], [10.0, 20.0], form)
                self.assertEqual([float(p["duration_time"]) for p in packets], [4.5, 1.5], form)
            captions = webvtt.read(Path(folder) / "cues.vtt")
        self.assertIn("A (must): Music does not give way", captions[0].text)
        self.assertIn("second line", captions[0].text)


class GuideTest(unittest.TestCase):
    def setUp(self):
        self.path = Path(self.enterContext(TemporaryDirectory())) / "guide.wav"
        self.sheet = sheet(note(), note("B", 59.98, 60.0))
        self.path.write_bytes(written("wav", self.sheet))

    def test_sound_and_length(self):
        """Read by Python's own ``wave``: silence but for the tones."""
        import numpy as np

        with wave.open(str(self.path)) as file:
            self.assertEqual((file.getframerate(), file.getnchannels(), file.getnframes()), (48000, 1, 60 * 48000))
            samples = np.frombuffer(file.readframes(file.getnframes()), dtype="<i2")
        loud = np.flatnonzero(samples)
        self.assertAlmostEqual(loud[0] / 48000, 10.0, delta=0.001)
        self.assertEqual(np.count_nonzero(samples[: 48000 * 9]), 0)
        tone = samples[480000 + 960 : 480000 + 3840].astype(float) / 32768
        self.assertAlmostEqual(20 * np.log10(np.abs(tone).max()), -20.0, delta=0.1)

    def test_timecode_as_ffmpeg_reads_it(self):
        told = subprocess.run(
            ["ffprobe", "-v", "error", "-show_entries", "format_tags", "-of", "json", str(self.path)],
            capture_output=True,
            check=True,
            text=True,
        )
        tags = json.loads(told.stdout)["format"]["tags"]
        self.assertEqual(int(tags["time_reference"]), 10 * 3600 * 48000)
        self.assertEqual(tags["encoded_by"], "Mezzavoce")

    def test_cue_points_and_their_labels(self):
        chunks, raw = {}, self.path.read_bytes()
        at = 12
        self.assertEqual(int.from_bytes(raw[4:8], "little"), len(raw) - 8)
        while at < len(raw):
            name, size = raw[at : at + 4], int.from_bytes(raw[at + 4 : at + 8], "little")
            chunks[name] = raw[at + 8 : at + 8 + size]
            at += 8 + size + size % 2
        cues = chunks[b"cue "]
        self.assertEqual(int.from_bytes(cues[:4], "little"), 2)
        self.assertEqual(int.from_bytes(cues[24:28], "little"), 10 * 48000)
        self.assertIn(b"A Music does not give way\0", chunks[b"LIST"])


class PaperTest(unittest.TestCase):
    def test_read_by_another_library_and_the_same_twice(self):
        own = sheet(*(note(f"N{k}", 1.5 * k, 1.5 * k + 1, text=NASTY) for k in range(30)))
        pdf = written("pdf", own)
        read = pypdf.PdfReader(io.BytesIO(pdf))
        text = "\n".join(page.extract_text() for page in read.pages)
        self.assertGreater(len(read.pages), 2)
        self.assertEqual(read.metadata.title, "Notes on Ebb mix 1.wav")
        for words in ("N29", "10:00:43:12", "Lower the music by 7.1 dB", "second line", "-7.1 dB"):
            self.assertIn(words, text)
        self.assertEqual(written("pdf", own), pdf)

    def test_plain_text(self):
        text = written("text", sheet(note())).decode()
        self.assertIn("A  10:00:10:00 - 10:00:14:13  must: Music does not give way", text)
        self.assertIn("10:00:10:00  -7.1 dB", text)


class EmptyTest(unittest.TestCase):
    def test_without_a_note_every_file_is_whole(self):
        for form in FORMATS:
            # SubRip has no head.
            self.assertGreater(len(written(form, sheet())), -1 if form == "srt" else 0, form)
        self.assertEqual(set(FORMATS), set(EXPORTS))


class CommandTest(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(TemporaryDirectory()))

    def export(self, content, form="csv"):
        (self.folder / "r.json").write_text(content)
        err = io.StringIO()
        with contextlib.redirect_stderr(err), contextlib.redirect_stdout(io.StringIO()):
            code = main(["export", str(self.folder / "r.json"), "--as", form, "--out", str(self.folder / "out")])
        return code, err.getvalue()

    def result(self, **more):
        file = {"name": "a.wav", "duration_s": 40.0, "sample_rate_hz": 48000, "frame_rate": None, "drop_frame": False}
        found = {
            "kind": "duck-missing",
            "family": "ducking",
            "severity": "must",
            "title": "T",
            "message": "M.",
            "in_s": 1.0,
            "out_s": 2.0,
            "source": None,
            "measured": 1.0,
            "limit": 10.0,
            "unit": "LU",
            "remedy": None,
            "alternatives": [],
        }
        whole = {"schema": "mezzavoce.measurement/1", "made_by": "t", "spec": {"name": "S"}, "findings": [found]}
        return json.dumps(whole | {"file": file | {"start_timecode": None}} | more)

    def test_every_format(self):
        for form in EXPORTS:
            self.assertEqual(self.export(self.result(), form), (0, ""))
            self.assertGreater((self.folder / "out").stat().st_size, 10, form)
            (self.folder / "out").unlink()

    def test_what_is_no_result_is_said_and_nothing_is_written(self):
        for content, words in (
            ("{", "is no JSON"),
            ("[]", "is no result"),
            ("{}", "is no result"),
            (self.result(findings=[{}]), "not whole"),
            (self.result(file=None), "not whole"),
        ):
            code, err = self.export(content)
            self.assertEqual(code, 2, content[:20])
            self.assertIn(words, err)
            self.assertFalse((self.folder / "out").exists())
        self.assertEqual(self.export("{}", "docx")[0], 2)


CURVES = {"speech_lufs": np.r_[np.full(100, np.nan), np.full(200, -23.0)], "background_lufs": np.full(300, -27.5)}
BANDS = [{"centre_hz": 125 * 2 ** (k / 3), "speech_db": -30.0 - k, "background_db": -40.0} for k in range(18)]
FINDING = {"family": "ducking", "in_s": 10.0, "out_s": 16.0}
PASSAGES = [{"in_s": 9.0, "out_s": 17.0, "bands": BANDS}, {"in_s": 0.0, "out_s": 10.5, "bands": None}]


class PictureTest(unittest.TestCase):
    def test_levels_and_bands_of_the_passage_on_paper(self):
        picture = picture_of(FINDING, PASSAGES, CURVES)
        self.assertEqual((picture.start_s, picture.hop_s, len(picture.voice)), (8.0, 0.1, 101))
        self.assertEqual((picture.voice[0], picture.voice[30], picture.under[0]), (None, -23.0, -27.5))
        self.assertEqual((len(picture.bands), picture.bands[0]), (18, (125.0, -30.0, -40.0)))
        self.assertEqual(picture_from(json.loads(json.dumps(picture.as_dict()))), picture)
        with_picture = written("pdf", sheet(note(picture=picture)))
        drawn = pypdf.PdfReader(io.BytesIO(with_picture)).pages[0]
        self.assertIn("by bands, 125 Hz", drawn.extract_text())
        lines = drawn.get_contents().get_data().count(b" l S")
        plain = pypdf.PdfReader(io.BytesIO(written("pdf", sheet(note())))).pages[0].get_contents().get_data()
        self.assertGreater(lines, plain.count(b" l S") + 100)
        self.assertEqual(written("pdf", sheet(note(picture=picture))), with_picture)

    def test_a_long_passage_has_as_many_points_as_paper_shows(self):
        picture = picture_of(FINDING | {"out_s": 500.0}, [], {k: np.tile(v, 20) for k, v in CURVES.items()})
        self.assertLessEqual(len(picture.voice), 160)

    def test_without_anything_to_draw(self):
        self.assertIsNone(picture_of(FINDING | {"family": "loudness"}, PASSAGES, CURVES))
        self.assertIsNone(picture_of(FINDING, None))
        self.assertEqual(picture_of(FINDING, PASSAGES).voice, ())
        self.assertIsNone(picture_from(None))
