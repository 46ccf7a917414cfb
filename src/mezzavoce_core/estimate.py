"""A figure with the interval that it lies in, and where it comes from."""

from dataclasses import dataclass

MEASURED = "measured"
"""Worked out from the sound itself, so that it is as exact as the formulas are."""
STEMS = "stems"
"""Worked out from stems that add up to the mix."""


@dataclass(frozen=True)
class Estimate:
    """A figure that lies between ``low`` and ``high`` nine times in ten, all in one unit."""

    value: float
    low: float
    high: float
    source: str = MEASURED

    @property
    def uncertainty(self) -> float:
        """Half of the interval."""
        return (self.high - self.low) / 2

    def beyond(self, limit: float) -> float:
        """The share of the interval (0 to 1) that lies on the same side of a limit as the value."""
        if not self.high > self.low:
            return 1.0
        outside = self.high - limit if self.value > limit else limit - self.low
        return min(1.0, max(0.0, outside / (self.high - self.low)))


def exact(value: float, source: str = MEASURED) -> Estimate:
    """A figure that needs no interval."""
    return Estimate(value, value, value, source)


def value_of(estimate: Estimate | None) -> float | None:
    """The figure alone."""
    return None if estimate is None else estimate.value
