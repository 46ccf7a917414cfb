"""Files of a job read side by side.

The same figures as one after the other, everybody heard, and nobody goes on after a fault.
"""

import tempfile
import threading
import unittest
from pathlib import Path
from unittest import mock

import numpy as np

from mezzavoce_core.errors import BrokenOff
from mezzavoce_core.measure.meter import Meter, Wanted, _stretch, tick_edges
from mezzavoce_core.media.source import Sound, open_sound
from mezzavoce_core.reading import READ, MeterPass, Reader
from tests.signals import RATE, noise, stereo, write_wav

NAMES = ("mix.wav", "dialogue.wav", "music.wav", "effects.wav")


class ReaderTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.holder = tempfile.TemporaryDirectory()
        cls.folder = Path(cls.holder.name)
        cls.addClassCleanup(cls.holder.cleanup)
        for seed, name in enumerate(NAMES):
            # The last one goes on alone for a while.
            write_wav(cls.folder / name, stereo(noise(40 if name == "effects.wav" else 14.3, -25, seed=seed)))

    def orders(self):
        sources = [open_sound(Sound((self.folder / name,), name)) for name in NAMES]
        return [MeterPass(source, f"reading {source.name}", Wanted(bands=True)) for source in sources]

    def reader(self, threads, progress=lambda _share, _doing: None):
        orders = self.orders()
        return Reader(orders[0].source.info, threads, progress), orders

    def levels(self, threads):
        reader, orders = self.reader(threads)
        return reader.meter_all(orders)

    def test_figures_do_not_depend_on_the_number_of_threads(self):
        alone = self.levels(1)
        for threads in (2, 3, 8):
            for one, other in zip(alone, self.levels(threads), strict=True):
                for name in ("power", "sample_peak", "true_peak", "true_peak_at", "flat_run", "together", "bands"):
                    np.testing.assert_array_equal(
                        getattr(one, name), getattr(other, name), err_msg=f"{name}, {threads} threads"
                    )

    def test_every_file_is_named_by_the_thread_that_asked(self):
        for threads in (1, 2):
            heard = []
            reader, orders = self.reader(
                threads, lambda share, doing, heard=heard: heard.append((share, doing, threading.current_thread().name))
            )
            reader.meter_all(orders)
            shares = [share for share, _, _ in heard]
            self.assertEqual(shares, sorted(shares))
            self.assertAlmostEqual(shares[-1], READ)
            self.assertEqual({doing for _, doing, _ in heard}, {f"reading {name}" for name in NAMES})
            self.assertEqual({name for _, _, name in heard}, {threading.current_thread().name})

    def stopped_after(self, fault, progress=lambda _share, _doing: None):
        """How many seconds of the longest file were fed when ``fault`` came."""
        seen, feed = [0.0], Meter.feed

        def watched(meter, block, *more):
            feed(meter, block, *more)
            seen[0] = max(seen[0], meter.seconds)

        reader, orders = self.reader(2, progress)
        with mock.patch.object(Meter, "feed", watched), self.assertRaises(fault):
            reader.meter_all(orders)
        return seen[0]

    def test_a_fault_in_one_file_stops_the_others(self):
        calls = []

        def broken(*_args, **_more):
            calls.append(1)
            if len(calls) == 2:
                raise BrokenOff("“dialogue.wav” is cut off.")
            # Others wait until the fault is noticed.
            yield from (np.zeros((RATE * 12, 2), dtype=np.float32) for _ in range(10_000))

        with mock.patch("mezzavoce_core.reading.decode.blocks", broken):
            self.assertLess(self.stopped_after(BrokenOff), 100_000)

    def test_who_gives_up_is_not_kept_waiting(self):
        def endless(*_args, **_more):
            yield from (np.zeros((RATE * 12, 2), dtype=np.float32) for _ in range(10_000))

        def give_up(_share, _doing):
            raise KeyboardInterrupt

        with mock.patch("mezzavoce_core.reading.decode.blocks", endless):
            self.assertLess(self.stopped_after(KeyboardInterrupt, give_up), 100_000)


class StretchTest(unittest.TestCase):
    """Blocks that are taken as four stretches at once give what they give sample by sample."""

    def test_at_every_rate_and_number_of_channels(self):
        for rate, channels in ((8000, 1), (11025, 2), (22050, 3), (44100, 2), (48000, 5), (96000, 2)):
            signal = np.stack([noise(9.37, -20 - c, seed=c, rate=rate) for c in range(channels)], axis=1).astype(
                np.float32
            )
            found = [self.power(signal, rate, seconds) for seconds in (1, 8)]
            np.testing.assert_allclose(found[0], found[1], rtol=2e-6, err_msg=f"{rate} Hz")

    def power(self, signal, rate, seconds):
        meter = Meter(rate, signal.shape[1], Wanted(peaks=False))
        for begin in range(0, len(signal), seconds * rate):
            meter.feed(signal[begin : begin + seconds * rate])
        return meter.finish().power

    def test_ticks_of_stretches_are_alike_in_length(self):
        for rate in (11025, 22050, 44100, 48000):
            for first, count in ((0, 12 * rate), (3 * rate, 5 * rate + 77), (0, rate // 2), (rate // 3, 9 * rate)):
                ticks = _stretch(first, count, rate)
                lengths = np.diff(tick_edges(first, count, rate))
                if ticks:
                    four = lengths[: 4 * ticks].reshape(4, ticks)
                    self.assertTrue((four == four[0]).all(), f"{rate} Hz, {count} from {first}")
        self.assertEqual(_stretch(0, 12 * RATE, RATE), 300)
        self.assertEqual(_stretch(0, RATE, RATE), 0)
