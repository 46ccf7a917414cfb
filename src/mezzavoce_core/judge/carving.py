"""Cuts by band: which few bells in the music bring the voice back with the least change, where level alone is the wrong tool."""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ..measure.audibility import audibility, levels_db
from ..measure.balance import Balance, band_levels, loudest_under
from ..measure.loudness import mean_lufs
from ..signal.bands import CENTRES_HZ
from ..signal.bells import Bell, k_response, power_response
from ..units import Floats, db_to_power, lufs_to_power, power_to_lufs
from .model import Evidence, Point, Remedy

MOST_BELLS, DEEPEST_DB, WIDTH_OCTAVES = 3, 12, 1.0
SHALLOWEST_DB = 2
_NEAREST = 3
"""Bands between two bells."""
_RAMP_S = 0.4
_BEYOND = 0.01
_DEPTH_COSTS = 0.01
_CENTRES = np.array(CENTRES_HZ, dtype=np.float64)
# The mean over a third of an octave, from three places in it.
_PLACES = _CENTRES[:, None] * 2.0 ** (np.array([-1, 0, 1]) / 9)


@dataclass(frozen=True)
class _Ground:
    """Bands (dB) of the voice and energy of what lies under it, role to be cut apart from the rest; K-weighted powers of voice and background."""

    voice_db: Floats
    cut: Floats
    rest: Floats
    voice: float
    background: float

    def audible(self, factors: Floats) -> Floats:
        """Audibility with factors ``(…, bands)`` on what is cut."""
        return audibility(self.voice_db, levels_db(self.rest + self.cut * factors))

    def taken(self, factors: Floats) -> Floats:
        """K-weighted power that goes."""
        taken: Floats = (self.cut * (1 - factors)) @ _weights()
        return taken

    def ratio(self, factor: Floats) -> float:
        """Voice over background in LU."""
        return float(power_to_lufs(self.voice) - power_to_lufs(max(self.background - float(self.taken(factor)), 1e-12)))


def carve(evidence: Evidence, in_s: float, out_s: float, blocks: NDArray[np.int64], *, audible: float, ratio: float | None = None) -> Remedy | None:
    """Up to three bells that bring the audibility over some blocks to ``audible`` (and the gap to ``ratio``); None where they cannot.

    Each step deepens by 1 dB the bell that gives most for the loudness that it takes away.
    """
    balance = evidence.balance
    if balance is None:
        return None
    role = loudest_under(balance, blocks)
    ground = _ground(balance, blocks, role)
    if ground is None:
        return None
    depths = np.zeros(len(_CENTRES), dtype=np.int64)

    def done(factor: Floats) -> bool:
        return bool(ground.audible(factor) >= audible + _BEYOND) and (ratio is None or ground.ratio(factor) >= ratio)

    factor: Floats = np.ones(len(_CENTRES))
    while not done(factor):
        tried = _may_deepen(depths)
        if not len(tried):
            return None
        deeper = (_at_places(depths) * _one_deeper()[tried, depths[tried]]).mean(axis=2)
        gained = _gained(ground, factor, deeper, depths[tried])
        best = int(np.argmax(gained))
        if gained[best] <= 0:
            return None
        depths[tried[best]] += 1
        factor = deeper[best]
    if not depths.any():
        return None
    depths = np.where(depths > 0, np.maximum(depths, SHALLOWEST_DB), 0)
    bells = tuple(Bell(float(_CENTRES[k]), WIDTH_OCTAVES, -float(depths[k])) for k in np.flatnonzero(depths))
    factor = _at_places(depths).mean(axis=1)
    times = (in_s - _RAMP_S, in_s, out_s, out_s + _RAMP_S)
    return Remedy(
        action="carve",
        role=role,
        amount_db=min(b.gain_db for b in bells),
        points=tuple(Point(round(min(max(t, 0.0), evidence.duration_s), 3), 0.0) for t in times),
        bands=bells,
        predicted_speech_to_background_lu=ground.ratio(factor),
        predicted_audibility=float(ground.audible(factor)),
        predicted_integrated_lufs=evidence.loudness.integrated_lufs,
    )


def _ground(balance: Balance, blocks: NDArray[np.int64], role: str) -> _Ground | None:
    levels = band_levels(balance, blocks)
    voice, background = (mean_lufs(balance.blocks[name][blocks]) if name in balance.blocks else None for name in ("voice", "background"))
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
def _bells() -> Floats:
    """Factors of one bell in every band, from 0 dB down to the deepest, at the places of every band: ``(bands, depths, bands, places)``."""
    depths = np.arange(DEEPEST_DB + 1)
    return np.array([[power_response([Bell(float(centre), WIDTH_OCTAVES, -float(d))], _PLACES) for d in depths] for centre in _CENTRES])


@lru_cache
def _one_deeper() -> Floats:
    """What a bell of each depth changes when it becomes a decibel deeper."""
    bells = _bells()
    changes: Floats = bells[:, 1:] / bells[:, :-1]
    return changes


def _at_places(depths: NDArray[np.int64]) -> Floats:
    """Factor of bells of some depths ``(bands,)`` at the places of every band."""
    places: Floats = np.prod(_bells()[np.arange(len(depths)), depths], axis=0)
    return places


def _may_deepen(depths: NDArray[np.int64]) -> NDArray[np.int64]:
    """Bands whose bell may become a decibel deeper: not too many bells, none too deep, none too near another."""
    chosen = np.flatnonzero(depths)
    near = np.abs(np.arange(len(depths))[:, None] - chosen).min(axis=1, initial=len(depths)) < _NEAREST
    fresh = ~near if len(chosen) < MOST_BELLS else np.zeros(len(depths), dtype=np.bool_)
    return np.flatnonzero(fresh | ((depths > 0) & (depths < DEEPEST_DB)))


def _gained(ground: _Ground, before: Floats, after: Floats, depth_db: NDArray[np.int64]) -> Floats:
    """Audibility won for what goes: the background's power, and the more the deeper the bell is already, since deep cuts are heard as such."""
    won = ground.audible(after) - ground.audible(before)
    taken = ground.taken(after) - ground.taken(before)
    gained: Floats = won / (taken / ground.background + _DEPTH_COSTS * (1 + depth_db))
    return gained
