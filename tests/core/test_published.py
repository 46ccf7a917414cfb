"""Every published signal, each in one of the forms in which programmes come.

All forms are run by ``python -m tests.published``.
"""

import tempfile
import unittest
from itertools import cycle
from pathlib import Path

from tests import published


class PublishedSignalsTest(unittest.TestCase):
    def test_every_signal_from_file_to_figure(self):
        forms = cycle([(rate, form) for form in published.FORMATS for rate in published.RATES])
        with tempfile.TemporaryDirectory() as holder:
            for signal in published.SIGNALS:
                rate, form = next(forms)
                while not published.fits(signal, form):
                    rate, form = next(forms)
                with self.subTest(signal=signal.name, rate=rate, form=form):
                    self.assertEqual(
                        published.misses(signal, published.read(published.write(signal, rate, form, Path(holder))))[0],
                        [],
                    )

    def test_a_miss_is_seen(self):
        signal = published.SIGNALS[0]
        self.assertEqual(
            len(
                published.misses(
                    signal, {published.LOUD: (-23.2,), published.MOMENT: (-23.0,), published.SHORT: (None,)}
                )[0]
            ),
            2,
        )
