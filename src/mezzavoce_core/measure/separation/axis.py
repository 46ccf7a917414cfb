"""The axis on which the dialogue of a mix stands, and the mix split into what lies on it and what lies off it."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...units import Floats, power_to_db
from .spatial import Spatial

_BANDS = slice(7, 20)
"""From 250 Hz to 4 kHz, where voices carry most."""
_COHERENT, _LOUD = 0.95, 1e-9
_STEP_DEG, _MIDDLE_DEG, _WIDEST_DEG = 2.0, 2.0, 40.0
_MONO_DB = -35.0
_CENTRE_SHARE = 0.5
_LEAST_POWER = 1e-13


@dataclass(frozen=True)
class OnOff:
    """Powers ``(ticks, 26)`` on the axis of the dialogue and off it.

    ``axis_deg`` is 0 in the middle and positive towards the left; ``mono``: nothing lies off it to speak of;
    ``in_centre``: the dialogue has a channel of its own.
    """

    on: NDArray[np.float32]
    off: NDArray[np.float32]
    axis_deg: float
    mono: bool
    in_centre: bool

    @property
    def total(self) -> NDArray[np.float32]:
        """Both together."""
        return self.on + self.off


def split(spatial: Spatial, spoken: NDArray[np.bool_], gaps: NDArray[np.bool_]) -> OnOff:
    """The mix on and off the axis of its dialogue; ``spoken`` and ``gaps`` say when somebody speaks and when nobody."""
    if spatial.centre is not None and _in_centre(spatial, spoken, gaps):
        on, axis_deg, in_centre = spatial.centre, 0.0, True
        aside = [spatial.mid, spatial.side, spatial.rest]
    else:
        axis_deg, in_centre = dialogue_axis(spatial, spoken, gaps), False
        on, off = _turned(spatial, axis_deg)
        aside = [off, spatial.centre, spatial.rest]
    first, *others = (power for power in aside if power is not None)
    off = sum(others, first)
    for power in (on, off):
        # In place: what is raised here is silence wherever it is read, and hours of it are worth no copy.
        np.maximum(power, np.float32(_LEAST_POWER), out=power)
    where = gaps if gaps.any() else np.ones(len(on), dtype=np.bool_)
    mono = float(power_to_db(off[where].sum())) - float(power_to_db(on[where].sum())) < _MONO_DB
    return OnOff(on, off, axis_deg, mono, in_centre)


def dialogue_axis(spatial: Spatial, spoken: NDArray[np.bool_], gaps: NDArray[np.bool_]) -> float:
    """Degrees from the middle at which more stands while somebody speaks than in gaps; 0 where nothing is told."""
    if not spoken.any() or not gaps.any():
        return 0.0
    edges = np.deg2rad(np.arange(-45 - _STEP_DEG / 2, 46 + _STEP_DEG / 2, _STEP_DEG))
    more = _angles(spatial, spoken, edges) - _angles(spatial, gaps, edges)
    best = int(np.argmax(more))
    found = float(np.rad2deg((edges[best] + edges[best + 1]) / 2))
    return 0.0 if abs(found) <= _MIDDLE_DEG or abs(found) > _WIDEST_DEG or more[best] <= 0 else found


def _angles(spatial: Spatial, when: NDArray[np.bool_], edges: Floats) -> Floats:
    """How often bands that stand at one place stand at each angle, for a tick."""
    mid, side, cross = (p[when][:, _BANDS].astype(np.float64) for p in (spatial.mid, spatial.side, spatial.cross))
    both = mid + side
    at_one_place = np.sqrt((mid - side) ** 2 + 4 * cross**2) > _COHERENT * np.maximum(both, _LOUD)
    angles = np.arctan2(2 * cross, mid - side) / 2
    counted: Floats = np.histogram(angles[at_one_place], edges)[0] / max(1, len(mid))
    return counted


def _turned(spatial: Spatial, axis_deg: float) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    if not axis_deg:
        return spatial.mid, spatial.side
    c, s = np.float32(np.cos(np.deg2rad(axis_deg))), np.float32(np.sin(np.deg2rad(axis_deg)))
    both = 2 * c * s * spatial.cross
    return c * c * spatial.mid + s * s * spatial.side + both, s * s * spatial.mid + c * c * spatial.side - both


def _in_centre(spatial: Spatial, spoken: NDArray[np.bool_], gaps: NDArray[np.bool_]) -> bool:
    """Whether what comes with speech comes in the centre channel for the most part."""
    assert spatial.centre is not None
    if not spoken.any():
        return True

    def more(power: NDArray[np.float32]) -> float:
        quiet = float(power[gaps].sum(axis=1).mean()) if gaps.any() else 0.0
        return max(0.0, float(power[spoken].sum(axis=1).mean()) - quiet)

    centre, front = more(spatial.centre), more(spatial.mid)
    return centre >= _CENTRE_SHARE * (centre + front)
