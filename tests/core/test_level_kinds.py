"""Findings of the loudness, peak and signal families: planted, found once, in place; nothing on clean material.

Limits are those of the delivery specs (see the presets); what counts as usual for clipping, drop-outs and phase is
common practice.
"""

import unittest

import numpy as np

from mezzavoce_core.judge.judging import judge
from mezzavoce_core.judge.spec import from_dict
from mezzavoce_core.measure.programme import Part, by_hand, whole
from tests.signals import RATE, measured, noise, sine, steps, stereo, talk

QUIET_SPEC = {"integrated_lufs": None, "clearance_lu": None}


def found(mix, programme=None, **limits):
    """Findings of a mix with everything open but the limits given."""
    measurement = measured(mix)
    spec = from_dict({"name": "t", "limits": QUIET_SPEC | {"true_peak_max_dbtp": None} | limits})
    return judge(measurement, spec, programme=programme or whole(measurement.duration_s)).findings


def kinds(findings):
    return [f.kind for f in findings]


def wide(seconds, level_db, seed=1):
    """Two channels with something in common and something of their own."""
    both = noise(seconds, level_db, seed=seed)
    return np.stack(
        [both + noise(seconds, level_db - 6, seed=seed + 50), both + noise(seconds, level_db - 6, seed=seed + 60)],
        axis=1,
    )


class LoudnessTest(unittest.TestCase):
    def test_range_too_wide(self):
        signal = stereo(steps([(-20, 20), (-40, 20)]))
        (finding,) = found(signal, range_max_lu=18, section_jump_lu=None)
        self.assertEqual((finding.kind, finding.severity), ("range-too-wide", "should"))
        self.assertAlmostEqual(finding.measured, 20.0, delta=0.5)
        self.assertAlmostEqual(finding.details["high_lufs"], -20.0, delta=0.5)
        self.assertEqual(found(signal, range_max_lu=21, section_jump_lu=None), ())

    def test_momentary_over_once_for_one_burst(self):
        signal = wide(20, -30)
        signal[8 * RATE : round(8.6 * RATE)] *= 8
        (finding,) = found(signal, momentary_max_lufs=-18)
        self.assertEqual((finding.kind, finding.severity, finding.remedy.action), ("momentary-over", "must", "lower"))
        self.assertLess(abs(finding.in_s - 7.8), 0.6)
        lowered = signal.copy()
        lowered[round(finding.in_s * RATE) : round(finding.out_s * RATE)] *= 10 ** (finding.remedy.amount_db / 20)
        self.assertEqual(found(lowered, momentary_max_lufs=-18), ())

    def test_short_term_explains_momentary(self):
        signal = wide(30, -30)
        signal[10 * RATE : 16 * RATE] *= 6
        (finding,) = found(signal, momentary_max_lufs=-20, short_term_max_lufs=-20)
        self.assertEqual((finding.kind, finding.also[0]), ("short-term-over", "momentary-over"))

    def test_a_section_that_was_not_levelled(self):
        for step_db in (6, -6):
            signal = wide(120, -26)
            signal[50 * RATE : 62 * RATE] *= 10 ** (step_db / 20)
            (finding,) = found(signal)
            self.assertEqual((finding.kind, finding.severity), ("section-jump", "note"))
            self.assertAlmostEqual(finding.measured, step_db, delta=0.5)
            self.assertAlmostEqual(finding.in_s, 50, delta=0.6)
            self.assertAlmostEqual(finding.out_s, 62, delta=0.6)
            self.assertEqual(finding.remedy.action, "lower" if step_db > 0 else "raise")

    def test_slow_swells_and_many_steps_are_no_jumps(self):
        swell = (
            wide(120, -26)
            * 10 ** (np.interp(np.arange(120 * RATE) / RATE, [0, 50, 65, 80, 120], [0, 0, 6, 0, 0]) / 20)[:, None]
        )
        self.assertEqual(found(swell), ())
        often = wide(120, -26) * np.repeat(np.tile([1.0, 2.0], 6), 10 * RATE)[:, None]
        self.assertEqual(found(often), ())

    def test_dialogue_far_from_the_programme(self):
        voice = talk(40, [(5, 12), (20, 27)], -30)
        music = noise(40, -24)
        measurement = measured(stereo(voice + music), [("dialogue", stereo(voice)), ("music", stereo(music))])
        spec = from_dict({"name": "t", "limits": QUIET_SPEC | {"loudness_to_dialogue_max_lu": 3}})
        self.assertIn("dialogue-off", kinds(judge(measurement, spec).findings))


class PeakTest(unittest.TestCase):
    def test_every_over_is_counted_and_the_highest_named(self):
        signal = wide(10, -30)
        for at, channel, level in ((2.0, 0, 0.95), (2.3, 1, 0.99), (7.0, 1, 0.93)):
            signal[round(at * RATE), channel] = level
        first, second = found(signal, true_peak_max_dbtp=-1)
        self.assertEqual((first.details["overs"], first.details["channel"], second.details["overs"]), (2, 1, 1))
        self.assertAlmostEqual(first.details["at_s"], 2.3, delta=1 / RATE)
        self.assertIn("channel R at 10:00:02:07, and 1 more over here", first.message)

    def test_clipped(self):
        signal = wide(20, -22)
        burst = slice(9 * RATE, round(9.5 * RATE))
        signal[burst] = np.clip(signal[burst] * 20, -0.9, 0.9)
        (finding,) = found(signal, section_jump_lu=None)
        self.assertEqual((finding.kind, finding.severity, finding.unit), ("clipped", "should", "samples"))
        self.assertGreaterEqual(finding.measured, 3)
        self.assertLess(abs(finding.in_s - 9), 0.05)

    def test_full_scale_without_clipping(self):
        """Slow and fast sines at 0 dBFS in 16 bits stand flat at the top for a few samples and are not clipped."""
        for hz in (20, 40, 997, 5000):
            signal = np.round(sine(0, 5, hz=hz) * 32767) / 32768
            self.assertEqual(found(stereo(signal)), (), hz)


class SignalTest(unittest.TestCase):
    def test_dropout(self):
        signal = wide(20, -26)
        signal[10 * RATE : round(10.08 * RATE)] = 0
        (finding,) = found(signal)
        self.assertEqual((finding.kind, finding.severity), ("dropout", "must"))
        self.assertAlmostEqual(finding.measured, 0.08, delta=0.001)
        self.assertAlmostEqual(finding.in_s, 10.0, delta=0.001)
        self.assertIn("in every channel", finding.message)

    def test_dropout_of_one_channel(self):
        signal = wide(20, -26)
        signal[10 * RATE : round(10.1 * RATE), 1] = 0
        (finding,) = found(signal)
        self.assertIn("in channel R", finding.message)

    def test_a_faded_pause_is_no_dropout(self):
        gain = np.interp(np.arange(20 * RATE) / RATE, [9.8, 10.0, 10.3, 10.5], [1, 0, 0, 1])
        self.assertEqual(found(wide(20, -26) * gain[:, None]), ())

    def test_short_and_long_silence_are_none(self):
        signal = wide(20, -26)
        signal[10 * RATE : round(10.03 * RATE)] = 0
        signal[14 * RATE : 17 * RATE] = 0
        self.assertEqual(found(signal), ())

    def test_imbalance(self):
        signal = wide(60, -26)
        signal[20 * RATE : 40 * RATE, 0] *= 0.5
        (finding,) = found(signal, section_jump_lu=None)
        self.assertEqual((finding.kind, finding.severity), ("channel-imbalance", "note"))
        self.assertAlmostEqual(finding.measured, 6.0, delta=0.5)
        self.assertAlmostEqual(finding.in_s, 20, delta=2.5)
        self.assertIn("R stands", finding.message)

    def test_a_lost_channel(self):
        signal = wide(30, -26)
        signal[:, 0] = 0
        (finding,) = found(signal)
        self.assertEqual((finding.kind, finding.in_s), ("channel-imbalance", 0.0))

    def test_inverse_phase_takes_mono_loss_along(self):
        signal = wide(40, -26)
        signal[10 * RATE : 25 * RATE, 1] *= -1
        (finding,) = found(signal)
        self.assertEqual((finding.kind, finding.severity, finding.also), ("inverse-phase", "must", ("mono-loss",)))
        self.assertLess(finding.measured, -0.7)
        self.assertAlmostEqual(finding.in_s, 10, delta=0.8)
        self.assertAlmostEqual(finding.out_s, 25, delta=0.8)

    def test_mono_loss_alone(self):
        common, apart = noise(30, -26, seed=1), noise(30, -32, seed=2)
        signal = np.stack([common + apart, -common + apart], axis=1)
        (finding,) = found(signal)
        self.assertEqual((finding.kind, finding.severity), ("mono-loss", "should"))

    def test_a_wide_pad_was_not_turned_over(self):
        """Two pieces of real music come down to a correlation of -.7 to -.78 by themselves.

        What goes in mono is still told.
        """
        common, apart = noise(30, -26, seed=1), noise(30, -34.5, seed=2)
        (finding,) = found(np.stack([common + apart, -common + apart], axis=1))
        self.assertEqual((finding.kind, finding.severity), ("mono-loss", "should"))

    def test_surround_is_looked_at_pair_by_pair(self):
        front, back = wide(20, -26), wide(20, -30, seed=9)
        back[:, 1] *= -1
        signal = np.concatenate([front, noise(20, -30, seed=4)[:, None], np.zeros((20 * RATE, 1)), back], axis=1)
        (finding,) = found(signal)
        self.assertEqual((finding.kind, finding.details["channels"]), ("inverse-phase", [4, 5]))

    def test_duration(self):
        signal = wide(20, -26)
        (finding,) = found(signal, by_hand([Part(1, 19)], 20), duration_s=20)
        self.assertEqual((finding.kind, finding.severity, finding.measured), ("duration-off", "must", 18.0))
        self.assertEqual(found(signal, duration_s=20), ())
        self.assertEqual(found(signal, by_hand([Part(1, 19)], 20), duration_s=20, duration_tolerance_s=2), ())

    def test_clean_material_of_several_kinds(self):
        rng = np.random.default_rng(2)
        t = np.arange(60 * RATE) / RATE
        notes = sum(
            np.sin(2 * np.pi * hz * t + p) * np.exp(-((t * r) % 1) * 3)
            for hz, r, p in zip((110, 220, 331, 440), (1, 2, 1.5, 3), rng.uniform(0, 6, 4), strict=True)
        )
        panned = np.stack(
            [notes * 0.05 + noise(60, -50, seed=1), np.roll(notes, 300) * 0.045 + noise(60, -50, seed=2)], axis=1
        )
        spoken = stereo(talk(60, [(2, 9), (11, 25), (31, 50)], -24) + noise(60, -60))
        for signal in (panned, spoken, panned + spoken, wide(60, -24)):
            self.assertEqual(found(signal, true_peak_max_dbtp=-1), ())
