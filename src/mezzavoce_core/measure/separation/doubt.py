"""How far below and above an estimate the truth may lie: the interval that holds it nine times in ten.

The factors were fitted on mixes of which the truth is known (quantile regression, one factor a reason), on speech as it
was detected; ``docs/evaluation.md`` tells how often they hold on others.
"""

from dataclasses import dataclass

_LOW_RATIO_LU, _USUAL_BURST_DB = 5.0, 4.0


@dataclass(frozen=True)
class Reasons:
    """Why an estimate of a ratio may be off, in LU and dB.

    ``network_over_side``: by how much the network takes the voice for louder than the sides say (negative: softer);
    ``ways_apart``: how far the side alone and the fit of both lie apart; ``burst_db``: how far what is neither voice
    nor music stands out for moments.
    """

    ratio_lu: float
    network_over_side: float = 0.0
    ways_apart: float = 0.0
    burst_db: float = 0.0


def plainly(why: Reasons) -> tuple[float, float]:
    """Below and above (LU) where the sides tell the music."""
    low_ratio = max(_LOW_RATIO_LU - why.ratio_lu, 0.0)
    burst = max(why.burst_db - _USUAL_BURST_DB, 0.0)
    below = 0.8 + 0.2 * low_ratio + 0.8 * max(-why.network_over_side, 0.0) + 1.0 * burst
    above = 0.8 + 0.1 * low_ratio + 0.65 * why.ways_apart + 2.4 * max(why.network_over_side, 0.0) + 0.5 * burst
    return below, above


def without_side(why: Reasons) -> tuple[float, float]:
    """Where nothing lies on the sides: the higher the ratio, the more of the music goes along with the network."""
    ratio = max(why.ratio_lu, 0.0)
    return 0.8 + 0.45 * ratio, 2.5 + 0.05 * ratio


def off_axis(why: Reasons, *, hole: bool) -> tuple[float, float]:
    """Where the dialogue sounds on the sides, too: what lingers of it counts as background unless holes tell."""
    return 1.0 + 0.25 * max(why.ratio_lu, 0.0), 4.0 if hole else 16.0


def quickly(why: Reasons) -> tuple[float, float]:
    """After the first look alone, with the sides to go by."""
    half = 2.5 + 0.2 * max(_LOW_RATIO_LU - why.ratio_lu, 0.0)
    return half, half
