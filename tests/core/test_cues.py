"""Cues: where music starts and stops, how it enters and ends.

Sizes are common practice: no cut under 0.15 s, no entry of 20 dB in 0.1 s.
"""

import unittest
from dataclasses import replace

import numpy as np

from mezzavoce_core.judge.judging import judge
from mezzavoce_core.judge.model import NOTE, SHOULD
from mezzavoce_core.judge.spec import Limits, Spec
from mezzavoce_core.measure.cues import find_cues, in_the_clear, rise_db
from mezzavoce_core.measure.programme import Part, by_hand
from tests.signals import RATE, automated, chord, info, levels_of, measured, noise, stereo, talk

SPEC = Spec(
    "level not judged",
    Limits(integrated_lufs=None, section_jump_lu=None, true_peak_max_dbtp=None, clear_share_min=None),
)
SECONDS = 44


def cue(in_s, out_s, *, level=-26.0, fade_in=0.4, fade_out=1.0, hz=220.0, seconds=SECONDS):
    """A steady chord between two times, faded linearly in dB."""
    points = [(in_s, -90), (in_s + max(fade_in, 0.002), 0), (out_s - max(fade_out, 0.002), 0), (out_s, -90)]
    return automated(chord(seconds, level, hz=hz), [(in_s - 0.001, -200), *points, (out_s + 0.001, -200)])


def power_of(signal):
    return levels_of(stereo(signal), between_samples=False).power.sum(axis=1).astype(np.float64)


def programme(*music, voice=None, effects=None, room=-60.0):
    """A mix with a soft room, and each piece of music as a stem of its own."""
    voice = talk(SECONDS, [(20.0, 23.0)], -23) if voice is None else voice
    room = noise(SECONDS, room) if effects is None else effects
    stems = [("dialogue", stereo(voice)), *(("music", stereo(m)) for m in music), ("effects", stereo(room))]
    return measured(stereo(voice + sum(music) + room), stems)


def found(measurement, spec=SPEC, **more):
    return judge(measurement, spec, **more).findings


class CuesTest(unittest.TestCase):
    def test_in_out_level_and_fade(self):
        one, two = cue(2, 10, level=-26), cue(14, 30, level=-30, fade_out=0.1)
        cues = find_cues([("music", power_of(one + two))])
        self.assertEqual(len(cues), 2)
        for c, in_s, out_s in ((cues[0], 2, 10), (cues[1], 14, 30)):
            self.assertAlmostEqual(c.in_s, in_s, delta=0.3)
            self.assertAlmostEqual(c.out_s, out_s, delta=0.55)
        self.assertAlmostEqual(cues[0].level_lufs - cues[1].level_lufs, 4.0, delta=0.3)
        self.assertGreater(cues[0].fade_s, 0.2)
        self.assertLess(cues[1].fade_s, 0.1)

    def test_a_rest_is_part_of_a_cue_and_ducks_do_not_lower_it(self):
        music = automated(
            cue(2, 30), [(9, 0), (9.01, -200), (9.5, -200), (9.51, 0), (15, 0), (15.5, -12), (25, -12), (25.5, 0)]
        )
        gain = np.interp(np.arange(SECONDS * 100) / 100, [15, 15.5, 25, 25.5], [0, -12, -12, 0])
        (flat,) = find_cues([("music", power_of(cue(2, 30)))])
        stems = [("music", power_of(music))]
        (as_it_is,) = find_cues(stems)
        self.assertLess(as_it_is.level_lufs, flat.level_lufs - 0.5)
        (clear,) = in_the_clear([as_it_is], stems, gain)
        self.assertAlmostEqual(clear.level_lufs, flat.level_lufs, delta=0.2)
        self.assertEqual(replace(clear, level_lufs=as_it_is.level_lufs), as_it_is)

    def test_stems_of_one_piece_are_one_cue_and_two_pieces_two(self):
        strings, drums, other = power_of(cue(2, 20)), power_of(cue(3, 19, hz=300)), power_of(cue(19.5, 40))
        cues = find_cues([("strings", strings), ("drums", drums), ("other", other)])
        self.assertEqual([c.sources for c in cues], [("strings", "drums"), ("other",)])

    def test_silence_has_none(self):
        self.assertEqual(find_cues([("music", np.zeros(1000))]), ())
        self.assertEqual(find_cues([("music", np.zeros(0))]), ())

    def test_a_rise_is_measured_against_what_was_there(self):
        power = np.concatenate([np.full(300, 1e-5), np.full(300, 1e-3)])
        self.assertAlmostEqual(rise_db(power, 3.0), 20.0, delta=0.1)
        self.assertAlmostEqual(
            rise_db(np.concatenate([np.zeros(300), np.full(300, 1e-3)]), 3.0), -30.691 + 60, delta=0.1
        )


class MusicKindsTest(unittest.TestCase):
    def only(self, kind, *music, **more):
        findings = found(programme(*music, **more))
        self.assertEqual([f.kind for f in findings], [kind], [f.message for f in findings])
        return findings[0]

    def test_faded_cues_are_clean(self):
        self.assertEqual(found(programme(cue(2, 12) + cue(26, 40))), ())

    def test_an_abrupt_entry(self):
        finding = self.only("music-abrupt-entry", cue(2, 12) + cue(26, 40, fade_in=0.0))
        self.assertEqual(finding.severity, NOTE)
        self.assertAlmostEqual(finding.in_s, 26.0, delta=0.05)
        self.assertGreater(finding.measured, 20)

    def test_no_entry_is_abrupt_over_a_voice_a_loud_room_or_at_the_start(self):
        self.assertEqual(found(programme(cue(2, 12), cue(20.5, 40, fade_in=0.0, level=-36))), ())
        self.assertEqual(found(programme(cue(26, 40, fade_in=0.0, level=-28), room=-40.0)), ())
        self.assertEqual(found(programme(cue(0.0, 12, fade_in=0.0))), ())

    def test_an_effect_that_comes_in_abruptly(self):
        waves = np.zeros(SECONDS * RATE)
        waves[30 * RATE : 36 * RATE] = noise(6, -26)
        finding = self.only("music-abrupt-entry", cue(2, 12), effects=waves + noise(SECONDS, -75))
        self.assertEqual(finding.role, "effects")

    def test_a_cut_end(self):
        finding = self.only("music-cut-off", cue(2, 12) + cue(26, 36, fade_out=0.0))
        self.assertEqual((finding.severity, finding.role), (SHOULD, "music"))
        self.assertLess(finding.measured, 0.1)
        self.assertAlmostEqual(finding.out_s, 36.0, delta=0.05)

    def test_a_beat_that_falls_into_a_fade_is_no_cut(self):
        """The fade takes 0.8 s; the beat is within 6 dB of the music before it and gone with the last of the fade."""
        times = np.arange(SECONDS * RATE) / RATE
        faded = cue(26, 36, fade_out=0.0) * np.clip((36 - times) / 0.8, 0, 1)
        beat = noise(SECONDS, -28) * np.exp(-np.maximum(times - 35.8, 0) / 0.03) * (times >= 35.8)
        (ends,) = find_cues([("music", power_of(faded + beat))])
        self.assertLess(ends.fade_s, 0.15)
        self.assertLess(ends.ending_lu, -8.0)
        self.assertNotIn("music-cut-off", {f.kind for f in found(programme(cue(2, 12), faded + beat))})

    def test_music_that_stops_and_comes_in_at_once_by_itself_is_neither_cut_off_nor_abrupt(self):
        """Strokes of a second with rests of 0.4 s.

        Once is no habit, twice leaves it open, and twelve times are this music's way.
        """
        times = np.arange(SECONDS * RATE) / RATE
        whole = chord(SECONDS, -26)
        for strokes, kept in ((1, SHOULD), (3, NOTE), (12, None)):
            begin = 36 - 1.4 * strokes
            struck = (times >= begin) & (times < 35.6) & ((times - begin) % 1.4 < 1.0)
            music = (
                whole * (struck | ((times >= 26) & (times < begin) & (strokes < 7))) if strokes < 12 else whole * struck
            )
            ends = find_cues([("music", power_of(music))])[0]
            with self.subTest(strokes=strokes):
                told = {f.kind: f for f in found(programme(music, voice=talk(SECONDS, [(3.0, 6.0)], -23)))}
                self.assertLess(ends.fade_s, 0.1)
                self.assertEqual(told["music-cut-off"].severity if "music-cut-off" in told else None, kept)
                self.assertEqual("music-abrupt-entry" in told, kept is not None)

    def test_a_cut_that_a_louder_sound_hides_and_one_at_the_very_end_are_none(self):
        roar = noise(SECONDS, -20)
        self.assertNotIn(
            "music-cut-off", {f.kind for f in found(programme(cue(26, 36, fade_out=0.0, level=-30), effects=roar))}
        )
        self.assertEqual(found(programme(cue(26, SECONDS, fade_out=0.0))), ())

    def test_the_fade_that_is_proposed_mends_it_and_leaves_the_other_cues_as_they_are(self):
        for faded in ({"fade_in": 0.0}, {"fade_out": 0.0}):
            music = cue(2, 12) + cue(26, 34, **faded) + cue(36, 40)
            (finding,) = found(programme(music))
            mended = automated(music, [(p.at_s, p.gain_db) for p in finding.remedy.points])
            with self.subTest(finding.kind):
                self.assertEqual(found(programme(mended)), ())
                for from_s, to_s in ((0, 14), (35, SECONDS)):
                    np.testing.assert_array_equal(
                        mended[from_s * RATE : to_s * RATE], music[from_s * RATE : to_s * RATE]
                    )

    def test_what_is_to_be_gone_is_back_once_it_is_over(self):
        both = self.only("music-overlap", cue(2, 14), cue(12, 18, hz=260))
        measurement = programme(cue(2, 40, level=-36))
        (over,) = found(measurement, programme=by_hand([Part(0.0, 36.0)], measurement.duration_s))
        (to_the_end,) = found(
            programme(cue(2, SECONDS, fade_out=0.0, level=-36)),
            programme=by_hand([Part(0.0, 36.0)], measurement.duration_s),
        )
        self.assertLessEqual(to_the_end.remedy.points[-1].at_s, SECONDS, "behind the file there is nothing to draw")
        for finding, gone_s in ((both, 14.0), (over, 40.0)):
            *_, last, back = finding.remedy.points
            self.assertEqual((finding.remedy.points[0].gain_db, back.gain_db), (0.0, 0.0))
            self.assertAlmostEqual(last.at_s, gone_s, delta=0.6)
            self.assertLess(last.gain_db, -30)

    def test_two_cues_at_once(self):
        finding = self.only("music-overlap", cue(2, 14), cue(12, 18, hz=260))
        self.assertAlmostEqual(finding.measured, 0.9, delta=0.5)
        self.assertEqual(finding.source, "music.wav")

    def test_a_crossfade_is_right(self):
        self.assertEqual(found(programme(cue(2, 14, fade_out=2.0), cue(12.5, 18, hz=260, fade_in=2.0))), ())

    def test_music_beyond_the_programme(self):
        measurement = programme(cue(2, 40, level=-36))
        findings = found(measurement, programme=by_hand([Part(0.0, 36.0)], measurement.duration_s))
        self.assertEqual([f.kind for f in findings], ["music-overrun"])
        self.assertAlmostEqual(findings[0].measured, 3.7, delta=0.5)
        self.assertEqual(found(measurement, programme=by_hand([Part(0.0, 41.0)], measurement.duration_s)), ())

    def test_music_beyond_the_picture(self):
        measurement = programme(cue(2, 40, level=-36))
        shorter = replace(measurement, file=info(SECONDS, has_picture=True, picture_s=34.0))
        self.assertEqual([f.kind for f in found(shorter)], ["music-overrun"])
        same = replace(measurement, file=info(SECONDS, has_picture=True, picture_s=SECONDS - 0.02))
        self.assertEqual(found(same), ())

    def test_a_cue_off_the_others(self):
        music = cue(1, 8) + cue(10, 18) + cue(25, 33, level=-19)
        finding = self.only("cue-level-jump", music)
        self.assertAlmostEqual(finding.measured, 7.0, delta=0.3)
        self.assertEqual((finding.remedy.action, finding.severity), ("lower", NOTE))
        self.assertAlmostEqual(finding.remedy.amount_db, -7.0, delta=0.3)

    def test_a_soft_piece_with_rests_of_its_own_is_one_cue(self):
        soft = [cue(a, b, level=-34, fade_in=0.1, fade_out=0.4) for a, b in ((26, 30), (31.1, 34.5), (35.6, 40))]
        finding = self.only("cue-level-jump", cue(0.5, 5) + cue(7, 12) + cue(14, 19) + sum(soft))
        self.assertAlmostEqual(finding.measured, 8.0, delta=0.3)
        self.assertAlmostEqual(finding.in_s, 26.0, delta=0.3)
        self.assertAlmostEqual(finding.out_s, 40.0, delta=0.3)
        self.assertEqual(finding.remedy.action, "raise")

    def test_a_cue_is_raised_only_as_far_as_words_stay_clear(self):
        soft, others = cue(25, 36, level=-35, hz=370.0), cue(1, 8) + cue(10, 18)
        for level, clear in ((-21, True), (-23, False)):
            voice = talk(SECONDS, [(28.0, 31.0)], level)
            (finding,) = found(programme(others + soft, voice=voice))
            self.assertEqual((finding.kind, finding.remedy.enough), ("cue-level-jump", clear))
            self.assertLess(finding.remedy.amount_db, finding.measured - 2.0)
            raised = automated(soft, [(p.at_s, p.gain_db) for p in finding.remedy.points])
            left = found(programme(others + raised, voice=voice))
            self.assertEqual([f.kind for f in left], [] if clear else ["duck-missing"])

    def test_two_pieces_of_which_one_rests_have_no_middle_but_three_cues_do(self):
        music = cue(1, 7) + cue(8.2, 15) + cue(25, 33, level=-19)
        self.assertAlmostEqual(self.only("cue-level-jump", music).in_s, 25.0, delta=0.2)

    def test_two_cues_have_no_middle(self):
        self.assertEqual(found(programme(cue(1, 8) + cue(25, 33, level=-19))), ())

    def test_cues_need_no_voice(self):
        music = cue(2, 12) + cue(26, 36, fade_out=0.0)
        alone = measured(stereo(music + noise(SECONDS, -60)), [("music", stereo(music))])
        self.assertEqual([f.kind for f in found(alone)], ["music-cut-off"])
