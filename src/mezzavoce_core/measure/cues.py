"""Where music starts and stops, how it enters and ends, and how loud each cue is in the clear.

A cue is music between silences. Of several music stems, those that run together for the most part are one cue (one
piece in several stems); those that meet only at a join are two.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from ..signal.spans import join, runs
from ..units import ABSENT_BELOW_LUFS, Floats, db_to_power, lufs_to_power, power_to_db, power_to_lufs
from .loudness import block_mean, integrated, mean_lufs, moving_mean
from .meter import TICKS_PER_S

_UNDER_LOUD_LU = 45.0
_REST_S, _SHORTEST_S = 1.0, 0.5
_SMOOTH_TICKS, _HOLD_TICKS = 5, 3
_LAST_S = 0.15
_ENDING_S, _AT_LEVEL_DB, _GONE_DB = 3.0, 6.0, 30.0
_TOGETHER = 0.5
_OPENING_S = 0.2
_AT_ONCE_S, _APART_S = 0.15, 0.3
_ITS_WAY = 5
NOTHING_LUFS = -60.0
"""What is softer than this counts as silence where a rise is measured."""


@dataclass(frozen=True)
class Cue:
    """A stretch of music in seconds; ``level_lufs`` is its loudness with what a mixer did to its gain undone.

    ``opening_lufs`` is the level of its first 0.2 s, ``fade_s`` how long its end takes from 6 dB to 30 dB under its
    last seconds, ``ending_lu`` how its last 0.15 s stand against them: a beat that falls late into a fade is soon over,
    but softer than the music before. ``own_stops`` and ``own_entries`` tell how often the music itself stops or comes
    in as quickly inside the cue, by so much within 0.15 s.
    """

    in_s: float
    out_s: float
    level_lufs: float
    opening_lufs: float
    fade_s: float
    ending_lu: float = 0.0
    sources: tuple[str, ...] = ()
    own_stops: int = 0
    own_entries: int = 0

    @property
    def source(self) -> str | None:
        """The stem that plays it alone; None where several do."""
        return self.sources[0] if len(self.sources) == 1 else None

    @property
    def length_s(self) -> float:
        """How long it lasts."""
        return self.out_s - self.in_s


@dataclass(frozen=True)
class Meeting:
    """Two cues that sound at once across a join: from when to when both stand at their level."""

    in_s: float
    out_s: float
    ends: Cue
    begins: Cue


def find_cues(stems: Sequence[tuple[str, Floats]]) -> tuple[Cue, ...]:
    """The cues in the weighted powers per tick of music stems (name and power), with their level as it is."""
    spans = [(name, a, b) for name, power in stems for a, b in _sounding(power)]
    powers = dict(stems)
    found = [_cue(_together(powers, names), a, b, names) for names, a, b in _grouped(spans)]
    return tuple(sorted(found, key=lambda c: c.in_s))


def in_the_clear(cues: Sequence[Cue], stems: Sequence[tuple[str, Floats]], gain_db: Floats) -> tuple[Cue, ...]:
    """The cues of these stems with their level as it would be without ``gain_db``.

    That is what was done to their gain, per tick.
    """
    powers, found = dict(stems), []
    for cue in cues:
        begin, end = round(cue.in_s * TICKS_PER_S), round(cue.out_s * TICKS_PER_S)
        moved = gain_db[begin:end]
        found.append(
            replace(cue, level_lufs=_level_lufs(_together(powers, cue.sources)[begin:end] / db_to_power(moved)))
            if moved.any()
            else cue
        )
    return tuple(found)


def sounding(power: Floats) -> tuple[tuple[float, float], ...]:
    """From when to when something sounds in a weighted power per tick, in seconds."""
    return tuple((a / TICKS_PER_S, b / TICKS_PER_S) for a, b in _sounding(power))


def made_by_hand(own_times: int) -> float:
    """How sure it is that somebody made an end or an entry, 0 to 1.

    The music does as much by itself so many times; from five on that is its way.
    """
    return 0.0 if own_times >= _ITS_WAY else round(1 / (1 + own_times), 2)


def meetings(cues: Sequence[Cue], stems: Sequence[tuple[str, Floats]]) -> tuple[Meeting, ...]:
    """Where one cue is still at its level (within 6 dB) while the next one is already."""
    powers, found = dict(stems), []
    for k, first in enumerate(cues):
        for second in cues[k + 1 :]:
            if second.in_s >= first.out_s or second.out_s <= first.out_s or set(first.sources) & set(second.sources):
                continue
            begin, end = round(second.in_s * TICKS_PER_S), round(first.out_s * TICKS_PER_S)
            both = np.flatnonzero(_at_level(powers, first, begin, end) & _at_level(powers, second, begin, end))
            if len(both):
                found.append(
                    Meeting(
                        (begin + int(both[0])) / TICKS_PER_S, (begin + int(both[-1]) + 1) / TICKS_PER_S, first, second
                    )
                )
    return tuple(found)


def rise_db(power: Floats, at_s: float) -> float:
    """By how much a sound (power per tick) rises within 0.1 s of a time, against the 0.3 s before it.

    Silence counts as -60 LUFS.
    """
    at = round(at_s * TICKS_PER_S)
    before = mean_lufs(power[max(0, at - 32) : max(0, at - 2)])
    after = _moved_means(power[at : at + 13], _SMOOTH_TICKS)
    if not len(after):
        return 0.0
    return float(power_to_lufs(after.max())) - max(NOTHING_LUFS, before if before is not None else NOTHING_LUFS)


def _sounding(power: Floats) -> list[tuple[int, int]]:
    """Ticks from and to between which something sounds; rests shorter than a second are part of it."""
    heard = block_mean(power)
    heard = heard[heard > lufs_to_power(ABSENT_BELOW_LUFS)]
    if not len(heard):
        return []
    gate = max(
        float(np.percentile(heard, 95)) * float(db_to_power(-_UNDER_LOUD_LU)), float(lufs_to_power(ABSENT_BELOW_LUFS))
    )
    spans = join(runs(_held(power) > gate), round(_REST_S * TICKS_PER_S))
    return [s for s in spans if s[1] - s[0] >= _SHORTEST_S * TICKS_PER_S]


def _grouped(spans: Sequence[tuple[str, int, int]]) -> list[tuple[tuple[str, ...], int, int]]:
    """Spans of several stems; those that share most of the shorter one are one."""
    groups: list[tuple[tuple[str, ...], int, int]] = []
    for name, a, b in sorted(spans, key=lambda s: s[1]):
        for k, (names, begin, end) in enumerate(groups):
            shared = min(b, end) - max(a, begin)
            if name not in names and shared > _TOGETHER * min(b - a, end - begin):
                groups[k] = ((*names, name), min(a, begin), max(b, end))
                break
        else:
            groups.append(((name,), a, b))
    return groups


def _together(powers: Mapping[str, Floats], names: Sequence[str]) -> Floats:
    if len(names) == 1:
        return powers[names[0]]
    together: Floats = np.sum([powers[n] for n in names], axis=0)
    return together


def _level_lufs(power: Floats) -> float:
    level = integrated(power)
    level = level if level is not None else mean_lufs(power)
    return ABSENT_BELOW_LUFS if level is None else level


def _cue(power: Floats, begin: int, end: int, names: tuple[str, ...]) -> Cue:
    part = power[begin:end]
    opening = mean_lufs(part[: round(_OPENING_S * TICKS_PER_S)])
    return Cue(
        in_s=begin / TICKS_PER_S,
        out_s=end / TICKS_PER_S,
        level_lufs=_level_lufs(part),
        opening_lufs=ABSENT_BELOW_LUFS if opening is None else opening,
        fade_s=_fade_s(power, begin, end),
        ending_lu=_ending_lu(power, begin, end),
        sources=names,
        own_stops=_stops(part),
        own_entries=_stops(part[::-1]),
    )


def _fade_s(power: Floats, begin: int, end: int) -> float:
    """Seconds from the last tick within 6 dB of the last seconds' level to the first that lies 30 dB under it."""
    first = max(begin, end - round(_ENDING_S * TICKS_PER_S))
    level = float(power[first:end].mean())
    ending = _held(power[first : end + 1])
    loud = np.flatnonzero(ending >= level * db_to_power(-_AT_LEVEL_DB))
    if not len(loud):
        return _ENDING_S
    gone = np.flatnonzero(ending[loud[-1] :] < level * db_to_power(-_GONE_DB))
    last = int(gone[0]) if len(gone) else len(ending) - int(loud[-1])
    # Holding over a few ticks reaches ahead by as much.
    return max(0, last - _HOLD_TICKS + 1) / TICKS_PER_S


def _ending_lu(power: Floats, begin: int, end: int) -> float:
    level, last = (float(power[max(begin, end - round(s * TICKS_PER_S)) : end].mean()) for s in (_ENDING_S, _LAST_S))
    return float(power_to_db(max(last, 1e-15))) - float(power_to_db(max(level, 1e-15)))


def _stops(power: Floats) -> int:
    """How often a sound falls at once, its end left out.

    From within 6 dB of its last seconds' level to 30 dB under it.
    """
    inside = _held(power)[: max(0, len(power) - round(_APART_S * TICKS_PER_S))]
    ticks, ahead = round(_ENDING_S * TICKS_PER_S), round(_AT_ONCE_S * TICKS_PER_S)
    if len(inside) <= ahead:
        return 0
    level = moving_mean(np.pad(inside, (ticks - 1, 0), mode="edge"), ticks)[ticks - 1 :]
    soon = inside.copy()
    for k in range(1, ahead):
        np.minimum(soon[:-k], inside[k:], out=soon[:-k])
    falls = (inside >= level * db_to_power(-_AT_LEVEL_DB)) & (soon < level * db_to_power(-_GONE_DB))
    return len(join(runs(falls), round(_APART_S * TICKS_PER_S)))


def _held(power: Floats) -> Floats:
    """The highest of a few ticks, so that a wave's own zeros are no silence."""
    held = np.array(power, dtype=np.float64)
    for k in range(1, _HOLD_TICKS // 2 + 1):
        np.maximum(held[k:], power[:-k], out=held[k:])
        np.maximum(held[:-k], power[k:], out=held[:-k])
    return held


def _moved_means(power: Floats, ticks: int) -> Floats:
    if len(power) < ticks:
        return np.zeros(0)
    means: Floats = sliding_window_view(power, ticks).mean(axis=1)
    return means


def _at_level(powers: dict[str, Floats], cue: Cue, begin: int, end: int) -> NDArray[np.bool_]:
    """Ticks at which a cue is within 6 dB of its level, looked at over half a second."""
    power = _together(powers, cue.sources)
    wide = np.convolve(power, np.full(TICKS_PER_S // 2, 2 / TICKS_PER_S), mode="same")[begin:end]
    near: NDArray[np.bool_] = (
        power_to_db(np.maximum(wide, 1e-15)) > power_to_db(float(lufs_to_power(cue.level_lufs))) - _AT_LEVEL_DB
    )
    return near
