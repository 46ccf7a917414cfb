"""The median of all others, against its definition."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from mezzavoce_core.measure.sections import _medians_of_others


def by_definition(values, weights, k):
    rest = sorted((v, w) for j, (v, w) in enumerate(zip(values, weights, strict=True)) if j != k)
    half, seen = sum(w for _, w in rest) / 2, 0
    for value, weight in rest:
        seen += weight
        if seen >= half:
            return value
    raise AssertionError


class MediansTest(unittest.TestCase):
    @given(st.lists(st.tuples(st.integers(-300, 0), st.integers(1, 40)), min_size=2, max_size=12))
    def test_of_others(self, rows):
        values, weights = np.array([v / 10 for v, _ in rows]), np.array([w for _, w in rows])
        found = _medians_of_others(values, weights)
        self.assertEqual(
            found.tolist(), [by_definition(values.tolist(), weights.tolist(), k) for k in range(len(rows))]
        )
