"""Cuts by band, where level alone is the wrong tool.

Which few filters in the music bring the voice back with the least change.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ...measure.audibility import NOTHING, WEIGHTS, audibility, levels_db
from ...measure.balance import Balance, band_levels, loudest_under
from ...measure.loudness import mean_lufs
from ...measure.meter import TICKS_PER_BLOCK, TICKS_PER_S
from ...signal.bands import CENTRES_HZ
from ...signal.peaking import PeakingFilter, k_response, power_response
from ...units import Floats, db_to_power, lufs_to_power
from ..model import JudgingContext
from ..remedy import BandCuts, Part, Point, Prediction
from .prediction import around, integrated_of, ratio_over, with_gain

MOST_FILTERS, DEEPEST_DB, WIDTH_OCTAVES = 3, 12, 1.0
SHALLOWEST_DB = 2
_NEAREST = 3
"""Bands between two filters."""
_RAMP_S = 0.4
_BEYOND = 0.01
_DEPTH_COSTS = 0.01
_CENTRES = np.array(CENTRES_HZ, dtype=np.float64)
# The mean over a third of an octave, from three places in it.
_PLACES = _CENTRES[:, None] * 2.0 ** (np.array([-1, 0, 1]) / 9)


@dataclass(frozen=True)
class _Ground:
    """Bands (dB) of the voice and energy of what lies under it, role to be cut apart from the rest.

    K-weighted powers of voice and background.
    """

    voice_db: Floats
    cut: Floats
    rest: Floats
    voice: float
    background: float

    @property
    def energies(self) -> Floats:
        """The three of them ``(3, bands)``."""
        return np.stack([self.voice_db, self.cut, self.rest])

    def audible(self, factor: Floats) -> float:
        """Audibility with a factor ``(bands,)`` on what is cut."""
        return float(audibility(self.voice_db, levels_db(self.rest + self.cut * factor)))


def band_cuts(
    context: JudgingContext,
    in_s: float,
    out_s: float,
    blocks: NDArray[np.int64],
    *,
    audible: float,
    ratio: float | None = None,
) -> BandCuts | None:
    """Up to three filters that bring the audibility over some blocks to ``audible`` (and the gap to ``ratio``).

    None where they cannot.

    Each step deepens by 1 dB the filter that gives most for the loudness that it takes away.
    """
    balance = context.balance
    if balance is None:
        return None
    role = loudest_under(balance, blocks)
    ground = _ground(balance, blocks, role)
    if ground is None:
        return None
    from .band_cut_search import DONE, deepen  # noqa: PLC0415  (a compiled loop, for which not every process waits)

    depths = np.zeros(len(_CENTRES), dtype=np.int64)
    weights, changes = np.array([WEIGHTS, _weights()]), _one_deeper()
    wanted = np.array(
        [audible + _BEYOND, -np.inf if ratio is None else ground.background - ground.voice / db_to_power(ratio)]
    )
    costs, rules = np.array([_DEPTH_COSTS, ground.background]), np.array([MOST_FILTERS, _NEAREST, DEEPEST_DB])
    room = np.empty((2 + changes.shape[-1], len(_CENTRES)))
    if deepen(ground.energies, weights, changes, wanted, costs, rules, depths, room) != DONE:
        return None
    if not depths.any():
        return None
    depths = np.where(depths > 0, np.maximum(depths, SHALLOWEST_DB), 0)
    filters = tuple(PeakingFilter(float(_CENTRES[k]), WIDTH_OCTAVES, -float(depths[k])) for k in np.flatnonzero(depths))
    factor = _at_places(depths).mean(axis=1)
    times_s = (in_s - _RAMP_S, in_s, out_s, out_s + _RAMP_S)
    first, left = _left(balance, role, factor, times_s)
    return BandCuts(
        action="carve",
        part=Part(role),
        amount_db=min(b.gain_db for b in filters),
        points=tuple(Point(round(min(max(t, 0.0), context.duration_s), 3), 0.0) for t in times_s),
        bands=filters,
        then=Prediction(
            speech_to_background_lu=ratio_over(
                with_gain(balance.part(first, first + len(left)), role, left, bands=False),
                blocks - first // TICKS_PER_BLOCK,
            ),
            audibility=ground.audible(factor),
            integrated_lufs=integrated_of(context, getattr(balance, role), left, first),
        ),
    )


def _left(balance: Balance, role: str, factor: Floats, times_s: Sequence[float]) -> tuple[int, Floats]:
    """What a factor ``(bands,)`` on a role leaves of its power per tick, and from which tick on.

    The factor fades in and out at four times.
    """
    first, last = around(times_s[0], times_s[-1], len(balance.voice))
    part = balance.part(first, last)
    taken, whole = (part.under_bands[role] * (1 - factor)) @ _weights(), part.blocks[role]
    count = min(len(taken), len(whole))
    gone = np.zeros(last - first)
    gone[: count * TICKS_PER_BLOCK] = np.repeat(
        np.clip(taken[:count] / np.maximum(whole[:count], NOTHING), 0, 1), TICKS_PER_BLOCK
    )
    wet = np.interp((first + np.arange(last - first) + 0.5) / TICKS_PER_S, times_s, (0.0, 1.0, 1.0, 0.0))
    left: Floats = 1 - wet * gone
    return first, left


def _ground(balance: Balance, blocks: NDArray[np.int64], role: str) -> _Ground | None:
    levels = band_levels(balance, blocks)
    voice, background = (
        mean_lufs(balance.blocks[name][blocks]) if name in balance.blocks else None for name in ("voice", "background")
    )
    if levels is None or role not in balance.under_bands or voice is None or background is None:
        return None
    cut = balance.under_bands[role][blocks[blocks < len(balance.under_bands[role])]].mean(axis=0)
    rest = np.maximum(db_to_power(levels[1]) - cut, 0.0)
    return _Ground(levels[0], cut, rest, float(lufs_to_power(voice)), float(lufs_to_power(background)))


@lru_cache
def _weights() -> Floats:
    """What the K-weighting makes of each band."""
    weights: Floats = k_response(_CENTRES)
    return weights


@lru_cache
def _filters() -> Floats:
    """Factors of one filter in every band, ``(bands, depths, bands, places)``.

    From 0 dB down to the deepest, at the places of every band.
    """
    depths = np.arange(DEEPEST_DB + 1)
    return np.array(
        [
            [power_response([PeakingFilter(float(centre), WIDTH_OCTAVES, -float(d))], _PLACES) for d in depths]
            for centre in _CENTRES
        ]
    )


@lru_cache
def _one_deeper() -> Floats:
    """What a filter of each depth changes when it becomes a decibel deeper."""
    filters = _filters()
    changes: Floats = filters[:, 1:] / filters[:, :-1]
    return changes


def _at_places(depths: NDArray[np.int64]) -> Floats:
    """Factor of filters of some depths ``(bands,)`` at the places of every band."""
    places: Floats = np.prod(_filters()[np.arange(len(depths)), depths], axis=0)
    return places
