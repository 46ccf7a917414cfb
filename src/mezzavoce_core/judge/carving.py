"""Cuts by band: which few bells in the music bring the voice back with the least change, where level alone is the wrong tool."""

from collections.abc import Mapping
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

MOST_BELLS, DEEPEST_DB, WIDTH_OCTAVES = 3, 12.0, 1.0
SHALLOWEST_DB = 2.0
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
    depths: dict[int, float] = {}

    def done(factor: Floats) -> bool:
        return bool(ground.audible(factor) >= audible + _BEYOND) and (ratio is None or ground.ratio(factor) >= ratio)

    factor: Floats = np.ones(len(_CENTRES))
    while not done(factor):
        tried = [(k, f) for k in range(len(_CENTRES)) if (f := _deeper(depths, k)) is not None]
        if not tried:
            return None
        gained = _gained(ground, factor, np.stack([f for _, f in tried]), np.array([depths.get(k, 0.0) for k, _ in tried]))
        best = int(np.argmax(gained))
        if gained[best] <= 0:
            return None
        chosen, factor = tried[best]
        depths[chosen] = depths.get(chosen, 0.0) + 1.0
    if not depths:
        return None
    depths = {k: max(SHALLOWEST_DB, d) for k, d in sorted(depths.items())}
    bells = tuple(Bell(float(_CENTRES[k]), WIDTH_OCTAVES, -d) for k, d in depths.items())
    factor = _factor(depths)
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


@lru_cache(maxsize=512)
def _places(k: int, depth_db: float) -> Floats:
    """Factor of one bell at the places of every band."""
    places: Floats = power_response([Bell(float(_CENTRES[k]), WIDTH_OCTAVES, -depth_db)], _PLACES)
    return places


def _factor(depths: Mapping[int, float]) -> Floats:
    factor: Floats = np.prod([_places(k, d) for k, d in depths.items()], axis=0).mean(axis=1)
    return factor


def _deeper(depths: dict[int, float], k: int) -> Floats | None:
    """The factor with one bell a decibel deeper; None where it may not be: too many, too deep, or too near another."""
    if k not in depths and (len(depths) >= MOST_BELLS or any(abs(k - other) < 3 for other in depths)):
        return None
    if depths.get(k, 0.0) >= DEEPEST_DB:
        return None
    wanted = depths | {k: depths.get(k, 0.0) + 1.0}
    return _factor(wanted)


def _gained(ground: _Ground, before: Floats, after: Floats, depth_db: Floats) -> Floats:
    """Audibility won for what goes: the background's power, and the more the deeper the bell is already, since deep cuts are heard as such."""
    won = ground.audible(after) - ground.audible(before)
    taken = ground.taken(after) - ground.taken(before)
    gained: Floats = won / (taken / ground.background + _DEPTH_COSTS * (1 + depth_db))
    return gained
