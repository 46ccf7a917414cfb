"""How far the voice of one passage stands over what lies under it, from the mix alone, and how sure that is.

Several ways are tried, which fail in different places; how far they agree tells how sure their answer is.
"""

from dataclasses import dataclass, replace
from statistics import median

import numpy as np
from numpy.typing import NDArray

from ...units import Floats, power_to_db
from ..meter import TICKS_PER_S
from . import doubt
from .axis import OnOff
from .detected import Heard
from .estimates import EFFECTS, NO_GAPS, NO_SIDE, OFF_AXIS, QUICK, PassageRatio
from .fit import ratio_from_both
from .holes import around, background_power
from .network import NetworkVoice
from .side import Gaps, gaps_around, on_per_off, over, ratio_from_side

_LEAST_TICKS = 20
_LOUDER_UNDER_SPEECH_LU = 2.0
_BELIEVED_HOLE_LU = 5.0
_NETWORK_OVER_LU = 1.6
"""So much music goes along with what the network takes for voice, on the whole."""
_APART_LU, _ALONG, _NETWORK_TELLS_LU = -4.0, 0.4, 15.0
_EFFECTS_APART_LU, _EFFECTS_FROM_LU = 2.5, 5.0
_BURST_OVER_USUAL_DB = 6.5
_NOTHING_LU = -40.0


@dataclass(frozen=True)
class Answers:
    """What each way says of one passage (LU); None where it has nothing to go by.

    ``side``: from what lies off the axis; ``both``: the network and the side fitted; ``network``: its voice as it
    stands in the mix; ``at_least``: what it would be if the background were as loud as in the gaps around and a little
    louder; ``hole``: from what is heard between the words. ``along``: how far the sides go along with the axis while
    somebody speaks, as a correlation.
    """

    first: int
    last: int
    ticks: NDArray[np.int64]
    gaps: Gaps
    on_per_off: Floats | None = None
    side: float | None = None
    both: float | None = None
    network: float | None = None
    at_least: float = _NOTHING_LU
    hole: float | None = None
    along: float = 0.0
    burst_over_usual_db: float = 0.0

    @property
    def from_network(self) -> float | None:
        """What the network says, less what it takes for voice too much, mended where it takes a shout for noise."""
        return None if self.network is None else max(self.network - _NETWORK_OVER_LU, self.at_least)


def answers(sound: OnOff, heard: Heard, voice: NetworkVoice | None, spans: list[tuple[float, float]]) -> list[Answers]:
    """What the ways say of each passage (in and out in seconds) with a fifth of a second of speech and more."""
    all_gaps = np.flatnonzero(heard.gaps)
    total = sound.on.sum(axis=1, dtype=np.float64) + sound.off.sum(axis=1, dtype=np.float64)
    found = []
    for in_s, out_s in spans:
        first, last = round(in_s * TICKS_PER_S), min(len(total), round(out_s * TICKS_PER_S))
        ticks = first + np.flatnonzero(heard.spoken[first:last])
        if len(ticks) < _LEAST_TICKS or not total[ticks].any():
            continue
        found.append(_answers(sound, voice, Answers(first, last, ticks, gaps_around(all_gaps, first, last)), total))
    return found


def _answers(sound: OnOff, voice: NetworkVoice | None, known: Answers, total: Floats) -> Answers:
    ticks, gaps, whole = known.ticks, known.gaps, float(total[known.ticks].sum())
    if gaps.enough:
        level = gaps.mean(total) * len(ticks)
        known = replace(known, at_least=over(whole - level, level) - _LOUDER_UNDER_SPEECH_LU)
        if not sound.mono:
            learned = on_per_off(sound, gaps)
            on, off = (x[ticks].sum(axis=0).astype(np.float64) for x in (sound.on, sound.off))
            known = replace(
                known, on_per_off=learned, side=ratio_from_side(on, off, learned), along=_along(sound, ticks)
            )
            if voice is not None:
                both = ratio_from_both(sound, voice, ticks, gaps, learned)
                burst = _burst_over_usual_db(sound, voice, ticks)
                known = replace(known, both=both, burst_over_usual_db=burst)
    if voice is not None:
        spoken = min(whole, float(voice.in_mix(ticks).sum()))
        known = replace(known, network=over(spoken, whole - spoken))
        if gaps.enough:
            part = around(known.first, known.last, len(total))
            moment = voice.along(sound.on, part).sum(axis=1)
            mean = float(moment[known.first - part.start : known.last - part.start].mean())
            under = background_power(moment, mean, total, part, gaps)
            if under is not None:
                known = replace(known, hole=over(max(0.0, whole / len(ticks) - under), under))
    return known


def _burst_over_usual_db(sound: OnOff, voice: NetworkVoice, ticks: NDArray[np.int64]) -> float:
    """How far what the network's voice leaves stands out for tenths of a second, in dB over what is usual."""
    tenths = len(ticks) // 10 * 10
    left = np.maximum(sound.on[ticks] - voice.power[ticks], 0.0).sum(axis=1) + sound.off[ticks].sum(axis=1)
    levels = power_to_db(np.maximum(left[:tenths].reshape(-1, 10).mean(axis=1), 1e-14))
    return float(np.percentile(levels, 97) - np.median(levels))


def _along(sound: OnOff, ticks: NDArray[np.int64]) -> float:
    on, off = (power_to_db(x[ticks].sum(axis=1)) for x in (sound.on, sound.off))
    if on.std() < 1e-9 or off.std() < 1e-9:
        return 0.0
    return float(np.corrcoef(on, off)[0, 1])


def dialogue_off_axis(found: list[Answers]) -> bool:
    """Whether the dialogue of a mix sounds on the sides as well, so that they tell nothing of the music.

    The sides then go along with the voice, or they say for most passages that the voice is softer than the network
    hears it. How far a voice stands over little music the network does not know.
    """
    apart = [
        a.side - min(a.from_network, _NETWORK_TELLS_LU)
        for a in found
        if a.side is not None and a.from_network is not None
    ]
    along = [a.along for a in found if a.side is not None]
    return bool((apart and median(apart) < _APART_LU) or (along and median(along) > _ALONG))


def decided(found: list[Answers], sound: OnOff, *, off_axis: bool) -> list[PassageRatio]:
    """The ratio of every passage of which anything is known."""
    ratios = [_decided(a, sound, off_axis=off_axis) for a in found]
    return [r for r in ratios if r is not None]


def _without_side(known: Answers, network: float, *, off_axis: bool) -> float:
    """From the network and from what is heard between the words.

    In an echoing room the network leaves out what lingers, so that the higher one is nearer; else the lower.
    """
    if known.hole is None:
        return network
    if off_axis:
        return known.hole if network > _BELIEVED_HOLE_LU and known.hole > network else network
    return min(network, known.hole)


def _decided(known: Answers, sound: OnOff, *, off_axis: bool) -> PassageRatio | None:
    conditions = [
        name for name, there in ((NO_SIDE, sound.mono), (OFF_AXIS, off_axis), (NO_GAPS, not known.gaps.enough)) if there
    ]
    network = known.from_network
    if conditions or known.side is None:
        if network is None:
            return None
        ratio = _without_side(known, network, off_axis=off_axis)
        why = doubt.Reasons(ratio)
        below, above = doubt.off_axis(why, hole=known.hole is not None) if off_axis else doubt.without_side(why)
    elif network is None or known.network is None or known.both is None:
        ratio = known.side
        conditions.append(QUICK)
        below, above = doubt.quickly(doubt.Reasons(ratio))
    else:
        ratio = median([known.side, known.both, known.network - _NETWORK_OVER_LU])
        apart, burst = known.side - network, known.burst_over_usual_db
        if ratio > _EFFECTS_FROM_LU and (apart > _EFFECTS_APART_LU or burst > _BURST_OVER_USUAL_DB):
            conditions.append(EFFECTS)
        below, above = doubt.plainly(doubt.Reasons(ratio, -apart, abs(known.side - known.both), burst))
    ratio = max(ratio, known.at_least - _LOUDER_UNDER_SPEECH_LU)
    return PassageRatio(
        known.first, known.last, known.ticks, ratio, ratio - below, ratio + above, tuple(conditions), known.on_per_off
    )
