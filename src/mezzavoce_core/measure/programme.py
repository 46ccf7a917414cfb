"""What of a file is programme.

Line-up tone, pips, slate and silence at head and tail are recognised and proposed as outside.

All of it is told from levels alone. A tone keeps its power from tick to tick as no voice or music does; a pip is a tone
of a few frames between silences. What such material looks like at the head of a delivery is common practice.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ..errors import RangeError
from ..signal.spans import join, runs
from ..timecode import Clock
from ..units import Floats, power_to_db
from .gaps import QUIET
from .meter import TICKS_PER_S, Levels

_SILENCE, _TONE, _PIP, _OTHER = "silence", "tone", "pip", "other"
WHY = {_SILENCE: "silence", _TONE: "line-up tone", _PIP: "pips", _OTHER: "slate"}
_LEAST_SILENCE_S = 1.0
_LEAST_GAP_S = 0.2
_LEAST_TONE_S = 0.5
_LONGEST_PIP_S = 0.25
_LONGEST_SLATE_S = 30.0
_STEADY_DB = 0.15
_LINE_UP_FROM = 0.003
"""Amplitude (-50 dBFS) under which nothing is a line-up tone."""


@dataclass(frozen=True)
class Part:
    """A stretch of a file in seconds from its first sample."""

    in_s: float
    out_s: float


@dataclass(frozen=True)
class Outside(Part):
    """A stretch that is no programme, and why."""

    why: str


@dataclass(frozen=True)
class Programme:
    """The parts that are programme, in order, and what was left out; ``by_hand`` where a person said so."""

    parts: tuple[Part, ...]
    left_out: tuple[Outside, ...] = ()
    by_hand: bool = False

    @property
    def in_s(self) -> float:
        """Where it begins."""
        return self.parts[0].in_s

    @property
    def out_s(self) -> float:
        """Where it ends."""
        return self.parts[-1].out_s

    @property
    def duration_s(self) -> float:
        """Length of all parts together."""
        return sum(p.out_s - p.in_s for p in self.parts)


def whole(duration_s: float) -> Programme:
    """Every sample is programme."""
    return Programme((Part(0.0, duration_s),))


def by_hand(parts: Sequence[Part], duration_s: float) -> Programme:
    """Parts as a person set them. Raises RangeError where one is empty, overlaps the next or lies outside."""
    ordered = sorted(parts, key=lambda p: p.in_s)
    for k, part in enumerate(ordered, 1):
        if part.out_s - part.in_s < 1 / TICKS_PER_S:
            raise RangeError(f"Range {k} ends where it begins or before; its out has to come after its in.")
        if part.in_s < 0 or part.out_s > duration_s + 1 / TICKS_PER_S:
            raise RangeError(
                f"Range {k} lies outside the file, which lasts {duration_s:.2f} s. Move its in and out inside."
            )
    for before, after in pairwise(ordered):
        if after.in_s < before.out_s:
            raise RangeError("Two ranges overlap; move the out of the one before the in of the next.")
    kept = [replace(p, out_s=min(p.out_s, duration_s)) for p in ordered]
    edges = [0.0, *(t for p in kept for t in (p.in_s, p.out_s)), duration_s]
    left_out = tuple(
        Outside(a, b, "set by hand") for a, b in zip(edges[::2], edges[1::2], strict=True) if b - a >= 1 / TICKS_PER_S
    )
    return Programme(tuple(kept), left_out, by_hand=True)


def find_programme(levels: Levels, clock: Clock, duration_s: float) -> Programme:
    """The programme between head and tail material, on frame boundaries; the whole file where nothing else is sure."""
    segments = _segments(levels)
    head, tail = _head(segments), _head([s[::-1] for s in segments[::-1]], at_tail=True)
    if not segments or head + tail >= len(segments):
        return whole(duration_s)
    inside = segments[head : len(segments) - tail]
    begin, end = inside[0][0] / TICKS_PER_S, min(inside[-1][2] / TICKS_PER_S, duration_s)
    in_s = clock.frame_start(begin) if head else 0.0
    out_s = min(clock.frame_end(end), duration_s) if tail else duration_s
    left = [*_outside(segments[:head], in_s, 0.0), *_outside(segments[len(segments) - tail :], duration_s, out_s)]
    return Programme((Part(in_s, out_s),), tuple(left))


Segment = tuple[int, str, int]
"""First tick, what it is, tick behind the last."""


def _segments(levels: Levels) -> list[Segment]:
    """The file as a row of silence, tone, pips and everything else."""
    ticks = len(levels.power)
    peak = levels.sample_peak[:ticks].max(axis=1, initial=0.0)
    silent = peak < QUIET
    steady = _steady(levels.power.sum(axis=1, dtype=np.float64)) & (peak >= _LINE_UP_FROM)
    found: list[Segment] = []
    for first, last in runs(silent):
        if last - first >= _LEAST_GAP_S * TICKS_PER_S:
            found.append((first, _SILENCE, last))
    edges = [0, *(t for s in found for t in (s[0], s[2])), ticks]
    for first, last in zip(edges[::2], edges[1::2], strict=True):
        if last > first:
            found += _sounding(steady[first:last], first)
    return sorted(found)


def _sounding(steady: NDArray[np.bool_], first: int) -> list[Segment]:
    """A stretch between silences: pip, tone (with what little its onset blurs), or other.

    A tone may stand before or after other sound.
    """
    length = len(steady)
    if length <= _LONGEST_PIP_S * TICKS_PER_S:
        return [(first, _PIP if steady.mean() >= 0.4 else _OTHER, first + length)]
    tones = [(a, b) for a, b in join(runs(steady), 2) if b - a >= _LEAST_TONE_S * TICKS_PER_S]
    if sum(b - a for a, b in tones) >= 0.9 * length:
        return [(first, _TONE, first + length)]
    return [(first, _OTHER, first + length)]


def _steady(power: Floats) -> NDArray[np.bool_]:
    """Ticks whose power stays within 0.15 dB of a neighbour's on either side."""
    level = np.maximum(power_to_db(power), -200.0)
    close: NDArray[np.bool_] = np.abs(np.diff(level, prepend=level[:1] + 99.0 if len(level) else 0.0)) < _STEADY_DB
    either: NDArray[np.bool_] = close | np.append(close[1:], False)
    return either


def _head(segments: Sequence[Sequence[object]], *, at_tail: bool = False) -> int:
    """How many segments at the beginning are no programme.

    At the tail the row comes reversed, and there is no slate.
    """
    kinds = [str(s[1]) for s in segments]
    lengths = [abs(int(s[2]) - int(s[0])) / TICKS_PER_S for s in segments]  # type: ignore[call-overload]
    if _OTHER not in kinds:
        return 0
    first = kinds.index(_OTHER)
    lined_up = _TONE in kinds[:first] or _PIP in kinds[:first]
    if not at_tail:
        slate = _slate(kinds, lengths, first)
        if slate is not None:
            return slate
    if not first or kinds[first - 1] != _SILENCE:
        return 0
    return first if lined_up or lengths[0] >= _LEAST_SILENCE_S else 0


def _slate(kinds: Sequence[str], lengths: Sequence[float], first: int) -> int | None:
    """Sound before the last pip, or between tone and silence, is a slate when far more programme follows."""
    others = [k for k, kind in enumerate(kinds) if kind == _OTHER]
    pips = [
        k
        for k, kind in enumerate(kinds)
        if kind == _PIP and sum(lengths[j] for j in others if j < k) <= _LONGEST_SLATE_S
    ]
    if pips and pips[-1] > first and any(j > pips[-1] for j in others):
        behind = min(j for j in others if j > pips[-1])
        return behind if kinds[behind - 1] == _SILENCE else None
    if _TONE in kinds[:first] and len(others) > 1 and lengths[first] <= _LONGEST_SLATE_S:
        then = others[1]
        longer = sum(lengths[j] for j in others[1:]) >= 4 * lengths[first]
        if longer and kinds[then - 1] == _SILENCE and sum(lengths[first + 1 : then]) >= _LEAST_SILENCE_S:
            return then
    return None


def _outside(segments: Sequence[Segment], end_s: float, begin_s: float) -> list[Outside]:
    """What is left out, neighbours of one reason joined; silence between line-up material belongs to it."""
    if not segments:
        return []
    joined: list[Outside] = []
    for k, (first, kind, last) in enumerate(segments):
        why = WHY[kind]
        in_s = begin_s if k == 0 else first / TICKS_PER_S
        out_s = end_s if k == len(segments) - 1 else last / TICKS_PER_S
        if joined and (joined[-1].why == why or kind == _SILENCE):
            joined[-1] = replace(joined[-1], out_s=out_s)
        else:
            joined.append(Outside(in_s, out_s, why))
    return joined
