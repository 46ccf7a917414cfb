"""Moves of the gain as they are drawn, and the ways in which they go wrong."""

from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

CLEARANCE_LU = 10.0
BARE, COMPRESSED = "bare start", "compressor"
"""Other shapes of a late fall and of pumping."""
_RAISED_FROM_DB = 11.0
"""Music that goes down by so much gets its uneven bed higher than the others, else lower."""


@dataclass(frozen=True)
class Trapezoid:
    """One move of the music's gain: its four times in seconds and how far down it goes.

    ``channels`` that it was drawn on.
    """

    fall_start_s: float
    fall_end_s: float
    return_start_s: float
    return_end_s: float
    depth_db: float
    channels: tuple[int, ...] = (0, 1)
    passage: int | None = None

    def edges(self):
        """When it falls and when it returns."""
        return (self.fall_start_s, self.fall_end_s), (self.return_start_s, self.return_end_s)

    def gain_db(self, times_s):
        corners = [self.fall_start_s, self.fall_end_s, self.return_start_s, self.return_end_s]
        return np.interp(times_s, corners, [0, -self.depth_db, -self.depth_db, 0])


@dataclass(frozen=True)
class Fault:
    """What was done wrong, and where it is heard."""

    kind: str
    in_s: float
    out_s: float


def plant(  # noqa: PLR0917
    kinds, dice, passages, speech, trapezoids, seconds, open_lu=None, before=(), rests=()
):
    """The automation with one thing of each kind done wrong, and the faults.

    Only where there is room for it and a voice needs the music lower.

    ``open_lu`` is by how much the voice of each passage stands over the music in the clear; ``before`` are the faults
    that are there already; nothing is moved in ``rests`` (seconds), where it could not be heard.
    """
    faults, order = list(before), list(dice.permutation(len(trapezoids)))
    for kind in (k for k in kinds if k in _PLANTS):
        for k in order:
            t = trapezoids[k]
            if (
                t is None
                or t.passage is None
                or any(f.in_s < t.return_end_s + 2 and t.fall_start_s - 2 < f.out_s for f in faults)
            ):
                continue
            under = [k for k, (a, b) in enumerate(passages) if a < t.return_start_s and t.fall_end_s < b]
            if open_lu is not None and not _needed(kind, min(open_lu[k] for k in under), t.depth_db):
                continue
            others = [o for j, o in enumerate(trapezoids) if o is not None and j != k]
            made = _PLANTS[kind](dice, t, passages, speech, others, seconds)
            if made is None:
                continue
            new, fault = made
            if any(a < edge[1] and edge[0] < b for a, b in rests for m in new for edge in m.edges()):
                continue
            trapezoids = [*trapezoids[:k], None, *trapezoids[k + 1 :], *new]
            faults.append(fault)
            break
    return sorted((t for t in trapezoids if t is not None), key=lambda t: t.fall_start_s), faults


def _needed(kind, open_lu, depth_db):
    """Whether the kind is a fault there.

    The music in the clear would cover the voice, and a plunge leaves far more than enough.
    """
    if kind == "duck-plunge":
        return CLEARANCE_LU + 8.5 - 21 < open_lu < CLEARANCE_LU - 0.5
    if kind == "duck-uneven" and depth_db >= _RAISED_FROM_DB:
        return CLEARANCE_LU - depth_db + 9 < open_lu < CLEARANCE_LU - 0.5
    if kind == "duck-shallow":
        return open_lu + 0.45 * depth_db < CLEARANCE_LU - 0.5
    return kind in ("duck-stray", "duck-one-sided") or open_lu < CLEARANCE_LU - 0.5


def _after(t, others, seconds):
    return min((o.fall_start_s for o in others if o.fall_start_s > t.fall_start_s), default=seconds)


def _before(t, others):
    return max((o.return_end_s for o in others if o.return_end_s < t.return_start_s), default=0.0)


def _late(dice, t, passages, speech, others, seconds):
    onset = passages[t.passage][0]
    end, fall = onset + float(dice.uniform(0.35, 0.9)), t.fall_end_s - t.fall_start_s
    made = replace(t, fall_start_s=end - fall, fall_end_s=end)
    over = 10 * np.log10(np.mean(10 ** (made.gain_db(onset + np.arange(0.005, 0.5, 0.01)) / 10))) + t.depth_db
    # Less than 3 dB over the bed in the first half second is no late fall yet.
    if over < 4.0:
        return None
    return [replace(t, fall_start_s=end - fall, fall_end_s=end)], Fault("duck-late", onset, end)


def _bare(dice, t, passages, speech, others, seconds):
    """The first seconds of a passage have the music up, the rest has it down."""
    onset, over = passages[t.passage]
    end = onset + float(dice.uniform(1.6, 2.6))
    if end > over - 2.5:
        return None
    return [replace(t, fall_start_s=end - (t.fall_end_s - t.fall_start_s), fall_end_s=end)], Fault(
        "duck-late", onset, end
    )


def _early(dice, t, passages, speech, others, seconds):
    onset, fall = passages[t.passage][0], t.fall_end_s - t.fall_start_s
    end = onset - float(dice.uniform(1.6, 3.0))
    if end - fall < _before(t, others) + 0.5:
        return None
    return [replace(t, fall_start_s=end - fall, fall_end_s=end)], Fault("duck-early", end, onset)


def _missing(dice, t, passages, speech, others, seconds):
    return [], Fault("duck-missing", t.fall_end_s, t.return_start_s)


def _shallow(dice, t, passages, speech, others, seconds):
    depth = t.depth_db * float(dice.uniform(0.25, 0.45))
    return (
        ([replace(t, depth_db=depth)], Fault("duck-shallow", t.fall_end_s, t.return_start_s))
        if t.depth_db - depth > 5
        else None
    )


def _plunge(dice, t, passages, speech, others, seconds):
    return [replace(t, depth_db=float(dice.uniform(21, 26)))], Fault("duck-plunge", t.fall_end_s, t.return_start_s)


def _pumping(dice, t, passages, speech, others, seconds):
    inside = [(a, b) for a, b in speech if t.fall_end_s < a and b < t.return_start_s]
    pauses = [(x[1], y[0]) for x, y in pairwise(inside) if 0.45 <= y[0] - x[1] < 0.95]
    if not pauses:
        return None
    up, rise = float(dice.uniform(4, 8)), float(dice.uniform(0.04, 0.12))
    moves = [Trapezoid(a + 0.03, a + 0.03 + rise, b - 0.03 - rise, b - 0.03, -min(up, t.depth_db)) for a, b in pauses]
    return [t, *moves], Fault("duck-pumping", pauses[0][0], pauses[-1][1])


def _compressed(dice, t, passages, speech, others, seconds):
    """As a compressor pumps: the music comes up slowly through each short pause and goes down quickly at the word."""
    inside = [(a, b) for a, b in speech if t.fall_end_s < a and b < t.return_start_s]
    pauses = [(x[1], y[0]) for x, y in pairwise(inside) if 0.4 <= y[0] - x[1] < 0.9]
    if not pauses:
        return None
    up, down = min(float(dice.uniform(4, 8)), t.depth_db), float(dice.uniform(0.01, 0.06))
    moves = [Trapezoid(a, b - 0.01, b, b + down, -up) for a, b in pauses]
    return [t, *moves], Fault("duck-pumping", pauses[0][0], pauses[-1][1])


def _abrupt(dice, t, passages, speech, others, seconds):
    length = float(dice.uniform(0.005, 0.025))
    if dice.integers(2):
        return [replace(t, return_end_s=t.return_start_s + length)], Fault(
            "duck-abrupt", t.return_start_s, t.return_start_s + 0.03
        )
    return [replace(t, fall_start_s=t.fall_end_s - length)], Fault("duck-abrupt", t.fall_end_s - 0.03, t.fall_end_s)


def _slow_ramp(dice, t, passages, speech, others, seconds):
    length = float(dice.uniform(1.9, 2.5))
    if dice.integers(2):
        end = t.return_start_s + length
        slow_back = [replace(t, return_end_s=end)], Fault("duck-slow-ramp", t.return_start_s, end)
        return slow_back if end < _after(t, others, seconds) - 0.3 else None
    start = t.fall_end_s - length
    if start < _before(t, others) + 0.3:
        return None
    return [replace(t, fall_start_s=start)], Fault("duck-slow-ramp", start, t.fall_end_s)


def _slow_return(dice, t, passages, speech, others, seconds):
    late = _last_word(t, passages) + float(dice.uniform(3.2, 4.5))
    back = t.return_end_s - t.return_start_s
    if late + back > _after(t, others, seconds) - 0.5:
        return None
    return [replace(t, return_start_s=late, return_end_s=late + back)], Fault(
        "duck-slow-return", t.return_start_s, late + back
    )


def _last_word(t, passages):
    """Where the last passage under a trapezoid ends."""
    return max(b for a, b in passages if a < t.return_start_s)


def _stray(dice, t, passages, speech, others, seconds):
    after = _after(t, others, seconds)
    if after - t.return_end_s < 4.0:
        return None
    start = t.return_end_s + 1.0
    hold = float(dice.uniform(0.6, max(0.7, min(2.0, after - start - 2.2))))
    dip = Trapezoid(start, start + 0.3, start + 0.3 + hold, start + 0.8 + hold, max(8.0, t.depth_db))
    return [t, dip], Fault("duck-stray", start, dip.return_end_s)


def _uneven(dice, t, passages, speech, others, seconds):
    # Not so deep that it would be a plunge, nor so high that it would be too shallow.
    way = 1 if t.depth_db < _RAISED_FROM_DB else -1
    return [replace(t, depth_db=t.depth_db + way * float(dice.uniform(5, 6)))], Fault(
        "duck-uneven", t.fall_end_s, t.return_start_s
    )


def _one_sided(dice, t, passages, speech, others, seconds):
    return [replace(t, channels=(int(dice.integers(2)),))], Fault("duck-one-sided", t.fall_start_s, t.return_end_s)


_PLANTS = {
    "duck-late": _late,
    "duck-early": _early,
    "duck-missing": _missing,
    "duck-shallow": _shallow,
    "duck-plunge": _plunge,
    "duck-pumping": _pumping,
    "duck-abrupt": _abrupt,
    "duck-slow-ramp": _slow_ramp,
    "duck-slow-return": _slow_return,
    "duck-stray": _stray,
    "duck-uneven": _uneven,
    "duck-one-sided": _one_sided,
    BARE: _bare,
    COMPRESSED: _compressed,
}
