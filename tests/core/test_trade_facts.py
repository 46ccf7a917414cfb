"""Facts of the trade as cases.

Each is common practice with no published source, but for the last two, whose sources stand beside them.
"""

import unittest
from dataclasses import replace
from functools import cache

import numpy as np

from mezzavoce_core.judge.judging import judge
from mezzavoce_core.judge.spec import Limits, Spec, preset
from tests.core.test_ducking_kinds import BED, RELAXED, SECONDS, SPANS, duck, found, points, programme, usual_music
from tests.signals import chord, noise, talk, three_stems


def kinds(findings):
    return {f.kind for f in findings}


class DuckingFactsTest(unittest.TestCase):
    PAUSED = (SPANS[0], (22.0, 23.9), (24.5, 26.0), (26.6, 28.0), *SPANS[2:])

    def keyed(self, release_s, hold_s):
        """Music that a gate lets up in every pause longer than its hold.

        In so many seconds, and it takes it down again in 50 ms.
        """
        gate = [(21.4, 0), (21.9, -BED)]
        for up, down in ((23.9, 24.5), (26.0, 26.6)):
            if down - up > hold_s:
                top = -BED + BED * min(1.0, (down - 0.05 - up - hold_s) / release_s)
                gate += [
                    (up + hold_s, -BED),
                    (min(up + hold_s + release_s, down - 0.06), top),
                    (down - 0.05, top),
                    (down, -BED),
                ]
        return points(d1=[*gate, (28.3, -BED), (29.0, 0)])

    def test_a_release_of_60_ms_pumps_between_words(self):
        self.assertIn("duck-pumping", kinds(found(programme(self.keyed(0.06, 0.0), spans=self.PAUSED))))

    def test_a_hold_of_1_2_to_1_5_s_does_not(self):
        for hold in (1.2, 1.5):
            self.assertEqual(found(programme(self.keyed(0.06, hold), spans=self.PAUSED)), ())

    def test_over_18_db_is_a_plunge_and_8_db_with_a_lower_bed_is_none(self):
        self.assertIn("duck-plunge", kinds(found(programme(points(d1=duck(1, depth=21.0))))))
        lower = usual_music() * 10 ** (-6 / 20)
        gentle = points(**{f"d{k}": duck(k, depth=8.0) for k in range(4)})
        self.assertEqual(found(programme(gentle, music=lower)), ())

    def test_a_fall_that_ends_after_the_first_word_is_late(self):
        self.assertIn("duck-late", kinds(found(programme(points(d1=duck(1, fall=(0.2, 0.7)))))))

    def test_a_voice_moved_by_two_seconds_leaves_its_duck_behind(self):
        """The duck stays where the voice was.

        It is down before anyone speaks, and up again while somebody still does.
        """
        moved = (SPANS[0], (24.0, 30.0), *SPANS[2:])
        self.assertTrue(
            kinds(found(programme(points(), spans=moved))) & {"duck-early", "masked-speech", "duck-missing"}
        )


@cache
def music_db(ratio_lu):
    """The level at which a chord lies so far under the voice, in LU."""
    passages = judge(three_stems(talk(SECONDS, SPANS, -23), chord(SECONDS, -30)), RELAXED).context.passages
    return -30 + min(p.speech_to_music_lu for p in passages) - ratio_lu


def too_near(ratio_lu, spec=RELAXED):
    """Whether music so far under the voice is found to be too near."""
    result = judge(three_stems(talk(SECONDS, SPANS, -23), chord(SECONDS, music_db(ratio_lu))), spec)
    return bool(kinds(result.findings) & {"duck-missing", "masked-speech"})


class LevelFactsTest(unittest.TestCase):
    def test_at_equal_peak_level_music_15_to_20_db_under_is_clear(self):
        voice, music = talk(SECONDS, SPANS, -23), usual_music()
        music = music * np.abs(voice).max() / np.abs(music).max()
        for under in (15, 20):
            result = judge(three_stems(voice, music * 10 ** (-under / 20)), RELAXED)
            self.assertEqual(kinds(result.findings) & {"masked-speech", "duck-missing"}, set())

    def test_music_at_minus_26_under_a_voice_at_minus_18_is_too_near(self):
        self.assertTrue(too_near(8.0))
        self.assertFalse(too_near(10.5))

    def test_wcag_asks_for_20_db(self):
        """WCAG 2, success criterion 1.4.7: background 20 dB under speech, from memory."""
        accessible = preset("Accessible audio")
        self.assertTrue(too_near(19.0, accessible))
        self.assertFalse(too_near(20.5, accessible))

    def test_preferred_differences_of_torcoli_2019_as_limits(self):
        """Torcoli et al.

        2019 (J. Audio Eng. Soc. 67(12)): the two preferred differences, 10 and 15 LU, from memory; each as a clearance
        of its own.
        """
        for clearance in (10.0, 15.0):
            spec = Spec("clearance", replace(RELAXED.limits, clearance_lu=clearance))
            self.assertTrue(too_near(clearance - 1.0, spec))
            self.assertFalse(too_near(clearance + 0.5, spec))


class RoomFactTest(unittest.TestCase):
    def test_a_room_at_minus_50_is_no_speech(self):
        """A noise far under a trigger of -35 dBFS must neither be speech nor call for a duck."""
        voice = talk(SECONDS, SPANS, -23) + noise(SECONDS, -50)
        speech = judge(three_stems(voice, chord(SECONDS, -60)), Spec("x", Limits(integrated_lufs=None))).context.speech
        self.assertEqual([(round(s.in_s), round(s.out_s)) for s in speech], [(round(a), round(b)) for a, b in SPANS])
