"""What a remedy would give: the same figures, computed again with gains on the stems."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ..measure.balance import Balance, local_ratio
from ..measure.loudness import integrated
from ..measure.meter import TICKS_PER_S
from ..units import Floats, db_to_power
from .model import Evidence, Point


def gain_curve(points: Sequence[Point], ticks: int) -> Floats:
    """Power factor per tick of level points, linear in dB between them, level outside."""
    if not points:
        return np.ones(ticks)
    times = (np.arange(ticks) + 0.5) / TICKS_PER_S
    curve: Floats = db_to_power(np.interp(times, [p.at_s for p in points], [p.gain_db for p in points]))
    return curve


def with_gain(balance: Balance, role: str, factor: Floats) -> Balance:
    """The balance with a power factor per tick on one role (``dialogue``, ``music``, ``effects``, or ``background`` as a whole)."""
    voice = balance.voice * factor if role == "dialogue" else balance.voice
    music = None if balance.music is None else balance.music * (factor if role == "music" else 1.0)
    effects = None if balance.effects is None else balance.effects * (factor if role == "effects" else 1.0)
    background = balance.background
    if background is not None and role != "dialogue":
        changed = getattr(balance, role)
        assert changed is not None
        background = np.maximum(background + changed * (factor - 1), 0.0)
    return Balance(voice, music, effects, background, balance.flags)


def ratio_over(balance: Balance, blocks: NDArray[np.int64]) -> float:
    """Lowest local ratio in LU over some blocks."""
    values = local_ratio(balance)[blocks]
    known = values[np.isfinite(values)]
    return float(known.min()) if len(known) else float("nan")


def integrated_with(evidence: Evidence, role: str, factor: Floats) -> float | None:
    """Integrated loudness of the mix with a power factor per tick on one role, roles taken as uncorrelated."""
    balance = evidence.balance
    assert balance is not None
    part = balance.voice if role == "dialogue" else getattr(balance, role)
    assert part is not None
    return integrated(np.maximum(evidence.power + part * (factor - 1), 0.0), evidence.breaks)
