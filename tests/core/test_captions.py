"""Captions: read from WebVTT (W3C) and SubRip in any encoding, and held against the voice."""

import tempfile
import unittest
from pathlib import Path

import numpy as np

from mezzavoce_core.errors import CaptionError
from mezzavoce_core.exchange.captions import parse_captions, read_captions
from mezzavoce_core.judge.judging import judge
from mezzavoce_core.judge.model import NOTE, SHOULD
from mezzavoce_core.judge.spec import Limits, Spec
from mezzavoce_core.measure.captions import Caption, on_programme
from mezzavoce_core.measure.programme import Part, by_hand
from tests.signals import measured, noise, stereo, talk

SPEC = Spec("level not judged", Limits(integrated_lufs=None, section_jump_lu=None))
SPANS = ((4.0, 7.0), (10.0, 13.0), (16.0, 19.0), (22.0, 25.0))
WEBVTT = (
    "WEBVTT\n\nNOTE by hand\n\n1\n00:04.000 --> 00:07.000 line:90%\nThe <b>lamp</b>\nis "
    "lit.\n\n00:00:10.000 --> 00:00:13.250\n[door]\n"
)
SUBRIP = (
    "1\r\n00:00:04,000 --> 00:00:07,000\r\nDie Lampe für Öre, sagt er.\r\n\r\n"
    "2\r\n00:00:10,000 --> 00:00:13,250\r\nSie müssen früher hören, bevor der Nebel über die Brücke fällt.\r\n"
)


def programme():
    voice = talk(30, SPANS, -23)
    return measured(stereo(voice + noise(30, -55)), [("dialogue", stereo(voice)), ("effects", stereo(noise(30, -55)))])


def captions(*spans, shift=0.0, text="Words."):
    return tuple(Caption(a + shift, b + shift, text) for a, b in spans)


UNEVEN = ((1.0, 3.4), (5.0, 9.0), (10.1, 11.3), (14.0, 19.5), (21.6, 23.0), (26.0, 28.5))


class ReadTest(unittest.TestCase):
    def test_webvtt(self):
        first, second = parse_captions(WEBVTT.encode(), "c.vtt")
        self.assertEqual((first.in_s, first.out_s, first.text), (4.0, 7.0, "The lamp\nis lit."))
        self.assertEqual((second.out_s, second.is_speech), (13.25, False))

    def test_subrip_in_every_encoding(self):
        for encoding in ("utf-8", "utf-8-sig", "utf-16", "cp1252"):
            with self.subTest(encoding):
                self.assertEqual(
                    parse_captions(SUBRIP.encode(encoding), "c.srt")[0].text, "Die Lampe für Öre, sagt er."
                )

    def test_what_stands_for_words(self):
        for text, words in (
            ("[door slams]", False),
            ("♪ la la ♪", False),
            ("(wind)", False),
            ("[Keeper] It hums.", True),
            ("Hello", True),
            (" ", False),
        ):
            with self.subTest(text):
                self.assertEqual(Caption(0, 1, text).is_speech, words)

    def test_each_error_says_what_to_do(self):
        for content, words in (
            (b"", "neither|no captions"),
            (b"hello there", "neither WebVTT nor SubRip"),
            (b"WEBVTT\n\n", "holds no captions"),
            (bytes(range(256)) * 9, ""),
        ):
            with self.subTest(content[:12]), self.assertRaisesRegex(CaptionError, words):
                parse_captions(content, "c.srt")
        with self.assertRaisesRegex(CaptionError, "There is no caption file"):
            read_captions(Path(tempfile.gettempdir()) / "none.vtt")

    def test_turned_round_and_overlapping_ones(self):
        text = (
            "WEBVTT\n\n00:05.000 --> 00:04.000\nback\n\n00:06.000 --> 00:09.000\none\n\n00:05.000 --> 00:08.000\ntwo\n"
        )
        self.assertEqual([c.text for c in parse_captions(text.encode(), "c.vtt")], ["two", "one"])


class AgainstTheVoiceTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.measurement = programme()

    def found(self, given, **more):
        return [f for f in judge(self.measurement, SPEC, captions=given, **more).findings if "caption" in f.kind]

    def test_captions_that_fit_say_nothing(self):
        self.assertEqual(self.found(captions(*((a - 0.3, b + 0.4) for a, b in SPANS))), [])

    def test_one_over_silence(self):
        (finding,) = self.found(captions(*SPANS, (27.0, 29.0), text="Who is there?"))
        self.assertEqual((finding.kind, finding.severity, finding.in_s), ("caption-unheard", SHOULD, 27.0))
        self.assertIn("Who is there?", finding.message)

    def test_a_sound_in_brackets_needs_no_voice(self):
        self.assertEqual(self.found((*captions(*SPANS), *captions((27.0, 29.0), text="[filter]"))), [])

    def test_speech_without_one(self):
        (finding,) = self.found(captions(*SPANS[:1], *SPANS[2:]))
        self.assertEqual((finding.kind, finding.severity), ("speech-uncaptioned", NOTE))
        self.assertAlmostEqual(finding.in_s, 10.0, delta=0.1)
        self.assertAlmostEqual(finding.measured, 3.0, delta=0.1)

    def test_those_of_another_programme_are_one_finding(self):
        (finding,) = self.found(captions((0.5, 3.0), (7.8, 9.2), (13.8, 15.2), (19.8, 21.2), (26.0, 29.0)))
        self.assertEqual((finding.kind, finding.title), ("caption-unheard", "Captions do not fit the speech"))

    def test_a_few_that_lie_beyond_the_programme_are_one_finding(self):
        for given in (captions((600.0, 605.0)), captions((600.0, 605.0), (700.0, 705.0))):
            (finding,) = (f for f in self.found(given) if f.kind == "caption-unheard")
            self.assertIn("No caption lies in the programme", finding.message)

    def test_counted_from_the_programme_the_file_or_the_timecode(self):
        part = by_hand([Part(2.0, 30.0)], 30.0)
        for shift in (0.0, -2.0, 36000.0):
            with self.subTest(shift):
                self.assertEqual(self.found(captions(*SPANS, shift=shift), programme=part), [])

    def test_none_given_none_found(self):
        self.assertEqual(self.found(()), [])


class WholeFileTest(unittest.TestCase):
    """Captions that lie beside all words, or belong to another programme that talks as much."""

    def setUp(self):
        self.dice = np.random.default_rng(7)

    def talking(self, seconds=600, pause=2.0):
        """In and out of utterances, and the flags of their ticks."""
        spans, at = [], 1.0
        while at < seconds - 8:
            spans.append((at, at + self.dice.uniform(1, 5)))
            at = spans[-1][1] + 0.3 * pause + self.dice.exponential(pause)
        flags = np.zeros(seconds * 100, dtype=np.bool_)
        for a, b in spans:
            flags[round(a * 100) : round(b * 100)] = True
        return spans, flags

    def as_made(self, spans, shift=0.0):
        """Captions as people make them: a little before the words, and left standing."""
        return captions(
            *((a - self.dice.uniform(0, 0.3), b + self.dice.uniform(0, 0.5)) for a, b in spans), shift=shift
        )

    def test_in_step_they_belong_and_stay(self):
        for _ in range(20):
            spans, flags = self.talking()
            told = on_programme(self.as_made(spans), flags, [0.0])
            self.assertTrue(told.belong)
            self.assertEqual(told.late_s, 0.0)
            self.assertGreater(told.agreement, 0.9)

    def test_early_or_late_as_a_whole(self):
        for shift in (-9.0, -1.2, 1.2, 3.0):
            with self.subTest(shift):
                spans, flags = self.talking()
                told = on_programme(self.as_made(spans, shift), flags, [0.0])
                self.assertAlmostEqual(told.late_s, shift, delta=0.3)
                self.assertEqual(told.fit, 1.0)
                self.assertAlmostEqual(told.all[5].in_s, spans[5][0], delta=0.4)

    def test_of_another_programme_that_talks_as_much(self):
        told = [on_programme(self.as_made(self.talking()[0]), self.talking()[1], [0.0]) for _ in range(20)]
        self.assertGreater(min(t.fit for t in told), 0.5)
        self.assertGreaterEqual(sum(not t.belong for t in told), 17)
        self.assertEqual([t.late_s for t in told], [0.0] * 20)

    def test_where_hardly_anybody_pauses_it_cannot_be_told(self):
        spans, flags = self.talking(pause=0.2)
        self.assertIsNone(on_programme(self.as_made(spans), flags, [0.0]).agreement)

    def test_out_of_step_is_one_finding_that_says_how_to_move_them(self):
        voice = talk(30, UNEVEN, -23)
        measurement = measured(
            stereo(voice + noise(30, -55)), [("dialogue", stereo(voice)), ("effects", stereo(noise(30, -55)))]
        )
        (finding,) = [
            f for f in judge(measurement, SPEC, captions=captions(*UNEVEN, shift=1.5)).findings if "caption" in f.kind
        ]
        self.assertEqual(
            (finding.kind, finding.title, finding.severity, finding.unit),
            ("caption-unheard", "Captions out of step", SHOULD, "s"),
        )
        self.assertAlmostEqual(finding.measured, 1.5, delta=0.2)
        self.assertIn("1.5 s after their words", finding.message)
        self.assertIn("Move them 1.5 s earlier", finding.message)
