"""A figure with the interval that it lies in, and where it comes from."""

from dataclasses import dataclass
from math import inf

MEASURED = "measured"
"""Worked out from the sound itself, so that it is as exact as the formulas are."""
STEMS = "stems"
"""Worked out from stems that add up to the mix."""
MIX = "mix"
"""Worked out from the mix alone, so that it is as sure as its interval is narrow."""
_OPEN, _SETTLED = 0.4, 0.85
_WHOLE = 0.5
"""From this uncertainty on, a tenth tells nothing."""


@dataclass(frozen=True)
class Estimate:
    """A figure that lies between ``low`` and ``high`` nine times in ten, all in one unit."""

    value: float
    low: float
    high: float
    source: str = MEASURED
    open_within: float = 0.0
    """So near to a limit it is left open whether the limit is met; infinite: as far as the interval reaches."""

    @property
    def uncertainty(self) -> float:
        """Half of the interval."""
        return (self.high - self.low) / 2

    @property
    def told(self) -> str:
        """The figure in words, with as many digits as are known."""
        return f"{self.value:.1f}" if digits_known(self.uncertainty) else f"about {self.value:.0f}"

    def beyond(self, limit: float) -> float:
        """How sure it is (0 to 1) that the truth lies on the same side of a limit as the value.

        The share of the interval that lies there; of a figure that is left open near a limit, that it is farther away.
        """
        if not self.open_within:
            return self._share_beyond(limit)
        reaches = self.high - self.value if self.value < limit else self.value - self.low
        near = self.open_within if self.open_within < inf else reaches
        return _OPEN if abs(self.value - limit) < near else max(_SETTLED, self._share_beyond(limit))

    def _share_beyond(self, limit: float) -> float:
        if not self.high > self.low:
            return 1.0
        outside = self.high - limit if self.value > limit else limit - self.low
        return min(1.0, max(0.0, outside / (self.high - self.low)))


def digits_known(uncertainty: float) -> int:
    """How many digits of a figure in LU, dB or per cent are known behind the point: one or none."""
    return 0 if uncertainty >= _WHOLE else 1


def exact(value: float, source: str = MEASURED) -> Estimate:
    """A figure that needs no interval."""
    return Estimate(value, value, value, source)


def value_of(estimate: Estimate | None) -> float | None:
    """The figure alone."""
    return None if estimate is None else estimate.value
