"""The music was lowered in one channel of a pair only.

The balance of left and right moves away where the music falls and comes back where it returns. That is looked at from
the outside, all that is under the voice against what is around it, and near the edges alone, since a balance wanders by
itself in the time that a voice speaks.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property, partial
from itertools import pairwise

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from ...estimate import exact
from ...measure.balance import Passage
from ...measure.ducks import Duck, begin_s, end_s
from ...measure.meter import BLOCKS_PER_S, TICKS_PER_BLOCK, TICKS_PER_S
from ...media.layouts import channel_names
from ...units import Floats, power_to_db
from ..ducking import FALLS_S, RETURNS_S, known_ducks, usual_depth_db
from ..model import MUST, Finding, JudgingContext, Kind
from ..remedies.level_points import trapezoid
from ..remedies.prediction import predicted, share_of
from ..remedies.remedy_context import AFTER_S, AHEAD_S, new_duck
from ..remedy import Part, Remedies, Remedy, Side

_ASIDE, _LEAST_BLOCKS = 8, 6
_QUIET_POWER = 1e-8
_WINDOW = 30
_USUAL_SHARE, _PLAIN, _MORE, _PLAINLY_MORE = 90, 1.5, 2.0, 4.0
_LIKE_OTHERS, _NEARLY_LIKE_OTHERS = 0.75, 0.6
"""A balance that moves plainly more than it does by itself need not move as far as the others are deep: what it does by
itself hides some of that. Of three between the two shares in 18 hours of mixes of the evaluation's tuned half and its
music two were planted, one lay in a piece whose balance sways."""
_ALONE_DB = 5.0
"""Less is not taken for automation where the music is moved nowhere else; this and the next one are set on the tuned
half of the evaluation."""
_UNDER = 0.5
"""So much of what is found has to lie under a move for that to be its own."""
_BRIDGE_S = 2.5
"""Over pauses up to this one the music is often held down."""


@dataclass(frozen=True)
class Way:
    """What is compared, in blocks of 100 ms.

    Up to how far outside of a span, and how much at either end inside it (None: all of it).
    """

    outside: int
    inside: int | None = None


WAYS = (Way(40), Way(23, 15))


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each passage under which the balance of left and right moves.

    It has to move more than it does by itself in this music.

    Where it moves under none of some passages with short pauses between them, they are looked at as one.
    """
    limit = context.spec.limits.channel_gain_db
    changed = context.once(_change)
    if limit is None or changed is None or not context.passages:
        return
    ducks = [(begin_s(d), end_s(d), d) for d in context.ducks or ()]
    for passages in _close(context.passages):
        spans = [(p.in_s, p.out_s) for p in passages]
        least = _least_db(context, ducks, spans[0][0], spans[-1][1])
        asked = [max(_PLAIN * limit, db) for db in least]
        moved = [("this passage", *span, change) for span in spans if (change := changed(*span, *asked)) is not None]
        if not moved and len(spans) > 1 and (change := changed(spans[0][0], spans[-1][1], *asked)) is not None:
            moved = [(f"these {len(spans)} passages", spans[0][0], spans[-1][1], change)]
        yield from (
            _finding(context, *one, limit, max(2 * limit, least[0])) for one in moved if round(abs(one[3]), 1) > limit
        )


def _least_db(
    context: JudgingContext, ducks: Sequence[tuple[float, float, Duck]], in_s: float, out_s: float
) -> tuple[float, float]:
    """How far a balance has to move between two times, and how far where it plainly moves."""
    # Automation that was drawn on one side is about as deep there as it is elsewhere on both; there itself it is told
    # as half as deep.
    usual_db = usual_depth_db(context, [d for begin, end, d in ducks if begin < out_s and end > in_s])
    return (_ALONE_DB, _ALONE_DB) if usual_db is None else (_LIKE_OTHERS * usual_db, _NEARLY_LIKE_OTHERS * usual_db)


def _close(passages: Sequence[Passage]) -> list[list[Passage]]:
    """Passages with short pauses between them together."""
    groups = [[passages[0]]]
    for before, passage in pairwise(passages):
        if passage.in_s - before.out_s < _BRIDGE_S:
            groups[-1].append(passage)
        else:
            groups.append([passage])
    return groups


def _finding(
    context: JudgingContext, under: str, in_s: float, out_s: float, change: float, limit: float, plain_db: float
) -> Finding:
    names = channel_names(context.measurement.file.layout, context.measurement.file.channels)
    channel = 1 if change > 0 else 0
    lowered, other = names[channel], names[1 - channel]
    times_s = _times_s(context, in_s, out_s)
    return Finding(
        kind=KIND.name,
        family=KIND.family,
        severity=MUST,
        in_s=in_s,
        out_s=out_s,
        title="Music lowered on one side",
        message=(
            f"Under {under} the music goes down by {abs(change):.1f} dB in {lowered} against {other}; "
            f"more than {limit:g} dB pulls it to one side. Draw the automation on both channels."
        ),
        leans_on=times_s,
        mend=partial(_drawn_on_both, context, (in_s, out_s), times_s, (1 - channel, other), abs(change)),
        estimate=exact(abs(change)),
        limit=limit,
        unit="dB",
        role="music",
        certainty=0.9 if abs(change) > plain_db else 0.6,
        details={"channel": channel},
    )


def _times_s(context: JudgingContext, in_s: float, out_s: float) -> tuple[float, ...]:
    """The four times of the move on the one side: both together show it as half as deep.

    Where they do not, those that it would have elsewhere.
    """
    shared = [(min(out_s, end_s(d)) - max(in_s, begin_s(d)), d) for d in known_ducks(context)]
    overlap, duck = max(shared, key=lambda s: s[0], default=(0.0, None))
    if duck is not None and overlap > _UNDER * (out_s - in_s):
        corners = duck.fall_start_s, duck.fall_end_s, duck.return_start_s, duck.return_end_s
        ends = 0.0, 0.0, context.duration_s, context.duration_s
        times_s = _around(
            in_s, out_s, [end if corner is None else corner for corner, end in zip(corners, ends, strict=True)]
        )
        return tuple(round(min(max(t, 0.0), context.duration_s), 3) for t in times_s)
    elsewhere_s = new_duck(context, in_s, out_s).times_s
    assert elsewhere_s is not None
    return elsewhere_s


def _around(in_s: float, out_s: float, times_s: Sequence[float]) -> tuple[float, ...]:
    """The four times as they are found for half a move, which is less exact.

    Soft ramps, the fall before the first word and the return behind the last.
    """
    begin_s, down_s, up_s, end_s = times_s
    fall_s, return_s = max(down_s - begin_s, FALLS_S[0]), max(end_s - up_s, RETURNS_S[0])
    down_s = in_s - AHEAD_S if down_s > in_s else down_s
    up_s = out_s + AFTER_S if up_s < out_s else up_s
    return down_s - fall_s, down_s, up_s, up_s + return_s


def _drawn_on_both(
    context: JudgingContext,
    span_s: tuple[float, float],
    times_s: Sequence[float],
    stayed_up: tuple[int, str],
    down_db: float,
) -> Remedies:
    """The channel that stayed up (its place and name) goes down as far as the other one."""
    (in_s, out_s), (channel, name), down = span_s, stayed_up, -round(down_db, 1)
    shares = share_of(context, "music", channel)[round(in_s * TICKS_PER_S) : round(out_s * TICKS_PER_S)]
    side = Side(channel, name, float(np.median(shares)))
    points = trapezoid(times_s, down)
    passages = (context.passages or ())[context.touched(in_s, out_s)]
    return predicted(context, Remedy("lower", Part("music", side=side), down, points), passages), ()


class _Change:
    """By how many dB the balance moves under a span, where it is more than it moves by itself and at least so much.

    Less will do where it is plainly more.
    """

    def __init__(self, sides: Floats) -> None:
        self._sides = sides

    def __call__(self, in_s: float, out_s: float, least_db: float, least_if_plain_db: float) -> float | None:
        span = round(in_s * BLOCKS_PER_S), round(out_s * BLOCKS_PER_S)
        offs = [
            (k, off)
            for k, way in enumerate(WAYS)
            if (off := stands_off(self._sides, *span, way)) is not None and abs(off) >= least_if_plain_db
        ]
        more = ((off, _MORE if abs(off) >= least_db else _PLAINLY_MORE, k) for k, off in offs)
        return max((off for off, times, k in more if abs(off) >= times * self._usual_db[k]), key=abs, default=None)

    @cached_property
    def _usual_db(self) -> list[float]:
        """A balance that often moves by itself, passage or not, tells little; looked at only where one moves far."""
        return [float(np.percentile(np.abs(anywhere(self._sides, way)), _USUAL_SHARE)) for way in WAYS]


def _change(context: JudgingContext) -> _Change | None:
    sides = _sides_db(context)
    return None if sides is None else _Change(sides)


def _sides_db(context: JudgingContext) -> Floats | None:
    """Left over right in dB of all music per 100 ms, NaN where it is quiet; None for mono and without music."""
    stems = [s for s in context.measurement.stems if s.role == "music"]
    if not stems or context.measurement.file.channels < 2:
        return None
    power = np.sum([s.levels.power[:, :2].astype(np.float64) for s in stems], axis=0)
    whole = len(power) // TICKS_PER_BLOCK
    blocks = power[: whole * TICKS_PER_BLOCK].reshape(whole, TICKS_PER_BLOCK, 2).mean(axis=1)
    ratio = power_to_db(np.maximum(blocks[:, 0], 1e-15)) - power_to_db(np.maximum(blocks[:, 1], 1e-15))
    return np.where(blocks.max(axis=1) > _QUIET_POWER, ratio, np.nan)


def stands_off(sides: Floats, begin: int, end: int, way: Way) -> float | None:
    """By how many dB the balance from block ``begin`` up to ``end`` stands off from that before and after it.

    The smaller of both, 0 where they disagree; None where there is too little to compare.
    """
    inside = min(way.inside or end - begin, end - begin)
    parts = (sides[begin : begin + inside], sides[end - inside : end])
    around = (sides[max(0, begin - way.outside) : max(0, begin - _ASIDE)], sides[end + _ASIDE : end + way.outside])
    found = [off for part, beside in zip(parts, around, strict=True) if (off := _between(part, beside)) is not None]
    if len(found) < 2:
        return None
    return min(found, key=abs) if found[0] * found[1] > 0 else 0.0


def _between(inside: Floats, around: Floats) -> float | None:
    inside, around = inside[np.isfinite(inside)], around[np.isfinite(around)]
    if len(inside) < _LEAST_BLOCKS or len(around) < _LEAST_BLOCKS:
        return None
    return _median(inside) - _median(around)


def _median(values: Floats) -> float:
    """For a few numbers, several times as quick as NumPy's."""
    ordered = np.sort(values)
    return float(ordered[(len(ordered) - 1) // 2] + ordered[len(ordered) // 2]) / 2


def anywhere(sides: Floats, way: Way) -> Floats:
    """How far the balance of 3 s stands off from its surroundings, all over the programme."""
    begins = np.arange(0, len(sides), _WINDOW // 2)
    plain = (begins >= way.outside) & (begins + _WINDOW + way.outside <= len(sides))
    if plain.any():
        plain[plain] = np.isfinite(
            sliding_window_view(sides, _WINDOW + 2 * way.outside)[begins[plain] - way.outside]
        ).all(axis=1)
    # Where nothing is wanting, which is nearly everywhere, all at once.
    at, inside, aside = begins[plain], way.inside or _WINDOW, way.outside - _ASIDE
    one = _medians(sides, at, inside) - _medians(sides, at - way.outside, aside)
    other = _medians(sides, at + _WINDOW - inside, inside) - _medians(sides, at + _WINDOW + _ASIDE, aside)
    offs = np.where(one * other > 0, np.where(np.abs(one) <= np.abs(other), one, other), 0.0)
    found = [off for k in begins[~plain] if (off := stands_off(sides, int(k), int(k) + _WINDOW, way)) is not None]
    return np.concatenate([offs, found]) if len(offs) or found else np.zeros(1)


def _medians(values: Floats, begins: NDArray[np.int64], length: int) -> Floats:
    if not len(begins):
        return np.zeros(0)
    medians: Floats = np.median(sliding_window_view(values, length)[begins], axis=1)
    return medians


KIND = Kind("duck-one-sided", "ducking", "lowered on one side", find, wants_stems=True)
