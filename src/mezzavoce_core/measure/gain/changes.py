"""How likely a change of gain is at every moment.

It is read from how the spectrum changes from one stretch of time to the next, on four scales of time.

A step of gain moves all bands alike, and what both channels have in common as much as what sets them apart; music
hardly ever does. How it moves them by itself is learned, scale by scale, where speech neither begins nor ends. A note
that begins or ends moves some bands far and leaves the others: what is looked for is where most of them agree, not
their mean.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ...signal.spectrum import FRAMES_PER_S, bands
from ...units import Floats, db_to_power, power_to_db
from .expected import Repeats, beyond
from .loops import agreed
from .parts import Part, used
from .rests import LEAST_BANDS, Heard

SCALES = ((1, 1, 1), (3, 1, 3), (10, 2, 10), (40, 4, 20))
"""Frames of 20 ms on either side that are compared, the step from one comparison to the next, and how many frames are
heard as one: by their power, since the level of a short frame dips wherever partials beat, which says nothing. Longer
than 0.4 s a ramp would be seen where it is loud alone."""
DEGREES = 6.0
"""Of Student's distribution, after which music moves all bands together; half of the evaluation's pieces lie between 4
and 18."""
_MOST_DB, _LN_MOST = 30.0, 600.0
"""Moves of the gain are less deep; and the logarithm of a product that can still be told."""
_BAND_DEGREES = 1.5
"""The same for each band by itself: what stands far from the others hardly counts."""
_USUAL_SHARE, _USUAL_AT = 0.8, 1.44
_CLIP = 4.0
_PIECE_FRAMES, _AT_ONCE = 20000, 300000
_SHRINK, _LEAST = 0.8, 1e-3
"""What bands have in common is learned from few places that lie close together: most of it is left where it is. Of .01
to 1 this tells most of gain where nothing was learned (unducked mixes of the tuned half of the evaluation, on all
scales)."""
_FEW = 5.0
"""What is usual is seen too small where it is learned from few stretches that do not overlap: with n of them 1 + 5 / n
times as much is taken. In the same mixes 1.04 times as much would still be true on the longest scale (half of them have
98 or more), 1.11 without; 1.02 and 1.03 on the next (448)."""
_FAR, _NEAR, _NEAR_WIDTHS, _NEAR_BELIEF, _CALMEST = 5.0, 200, 10, 8.0, 0.25
"""How far music moves near a place is learned from so many frames, or widths of a scale, on either side, each change
counted up to so many times what is usual; it is the usual itself by belief until more stretches than that say
otherwise. In calm places of the evaluation's tuned half every stretch is 0.02 to 0.03 nats likelier by it on the scales
up to 0.2 s, and 0.01 on the longest; by half or twice the reach about as much. Calmer than a quarter is one place of
thousands there: a tone that a machine holds does not tell when it will end."""
_LEAST_SPREAD = 1e-6
_LEAST_UNIT_DB = 0.05
_LEAST_POWER = 1e-13
"""Running sums of a whole programme may leave nothing at all, or less, where it is silent."""
_BEFORE_IN_S, _AFTER_IN_S, _BEFORE_OUT_S, _AFTER_OUT_S = 1.0, 0.3, 0.1, 1.3
FEWEST = 500
"""Frames of 20 ms from which it is learned what is usual."""


@dataclass(frozen=True)
class Scale:
    """Changes from ``width`` frames to the next ones, every ``hop`` frames.

    Place k compares the frames from k * hop on with those before.

    ``moved`` (places,) is by how much most bands move together, in units of what this music usually does where they
    agree as well as they do there; ``step`` (places,) is 1 dB in these units, 0 for places that tell nothing. So many
    frames as ``whole`` says are heard as one.
    """

    width: int
    hop: int
    moved: Floats
    step: Floats
    whole: int = 1

    @cached_property
    def rises(self) -> tuple[Floats, Floats]:
        """What a rise of r dB at a place changes in the likelihood there, but for a power.

        A factor of 1 + r (r a - b): a and b, each ``(places,)``.
        """
        usual = DEGREES + self.moved**2
        return self.step**2 / usual, 2.0 * self.step * self.moved / usual

    @cached_property
    def factors_at_once(self) -> int:
        """The product of so many of these factors can be told."""
        most = max(float(((_MOST_DB * self.step) ** 2).max(initial=0.0)), float((self.moved**2).max(initial=0.0)))
        return max(1, int(_LN_MOST / np.log(2.0 + 4.0 * most / DEGREES)))


@dataclass(frozen=True)
class Places:
    """Where changes are looked for, every ``hop`` frames.

    ``use`` (places,) says where something can be told at all, ``calm`` where no gain moves, too.

    So many frames as ``whole`` says are heard as one.
    """

    width: int
    hop: int
    use: NDArray[np.bool_]
    calm: NDArray[np.bool_]
    whole: int = 1


@dataclass(frozen=True)
class Changes:
    """All scales of the music of a programme, and where it is heard."""

    scales: tuple[Scale, ...]
    heard: Heard


def changes(levels: Floats, heard: Heard, spans: Sequence[tuple[float, float]], repeats: Repeats) -> Changes:
    """From levels ``(frames, columns)`` in dB, and spans of speech (seconds), around which a gain may move."""
    each = bands(levels)
    in_parts = [replace(part, used=used(each[part.first : part.last])) for part in heard.parts]
    held, rests, moves = levels[heard.held()], heard.rests(), moving(len(levels), spans, FRAMES_PER_S)
    found = []
    for width, hop, as_one in SCALES:
        at = np.arange(0, len(levels), hop)
        before, after = np.maximum(at - width, 0), np.minimum(at + width, len(levels))
        use = (after - before == 2 * width) & ~heard.quiet[at] & (rests[after] == rests[before])
        found.append(
            compare_parts(held, in_parts, Places(width, hop, use, use & at_rest(moves, at, width), as_one), repeats)
        )
    return Changes(tuple(found), heard)


def compare_parts(levels: Floats, in_parts: Sequence[Part], places: Places, repeats: Repeats) -> Scale:
    """One scale of levels ``(frames, bands)`` in dB, with what is usual learned in each part."""
    width, hop = places.width, places.hop
    moved, step = np.zeros((2, len(places.use)))
    for part in in_parts:
        first, last, aside = -(-part.first // hop), -(-part.last // hop), -(-width // hop)
        begin, end = max(0, first - aside), min(len(places.use), last + aside)
        mine = np.zeros(end - begin, dtype=np.bool_)
        mine[first - begin : last - begin] = True
        there = Places(width, hop, places.use[begin:end] & mine, places.calm[begin:end] & mine, places.whole)
        if there.use.any() and len(part.used) >= LEAST_BANDS:
            own = _compare(levels[begin * hop : end * hop], part.used, there, repeats.behind(begin * hop))
            moved[first:last], step[first:last] = own.moved[mine], own.step[mine]
    return Scale(width, hop, moved, step, places.whole)


def _compare(levels: Floats, used: NDArray[np.int64], places: Places, repeats: Repeats) -> Scale:
    """One scale of a part; where it is hardly ever calm, it is learned everywhere what is usual."""
    learned = places.calm if places.calm.sum() * places.hop >= FEWEST else places.use
    at = np.arange(0, len(levels), places.hop)
    changed, spread = np.zeros((len(at), len(used)), dtype=np.float32), np.ones(len(used))
    # A few bands at once, since hours of music would fill the memory many times over.
    together = max(1, _AT_ONCE // len(levels))
    for some in (slice(k, k + together) for k in range(0, len(used), together)):
        own = compared(levels[:, used[some]], places.width, at, places.whole)
        usual = own[learned]
        middle = np.median(usual, axis=0)
        spread[some] = 1.4826 * np.median(np.abs(usual - middle), axis=0) + 1e-3
        changed[:, some] = (own - middle) / spread[some]
    left = beyond(changed, 1 / spread, places.hop, places.calm, repeats)
    scale = _scale(changed, spread, places, learned)
    stirred = unrest(scale.moved, places)
    return replace(scale, moved=scale.moved / stirred, step=scale.step / (left * stirred))


def compared(levels: Floats, width: int, at: NDArray[np.int64], whole: int = 1) -> Floats:
    """The mean of so many frames from each place on, less that of the ones before it.

    So many as are one ``whole`` have the level of their mean power.

    For levels ``(frames, ...)`` in dB it is ``(places, ...)``.
    """
    if whole > 1:
        frames, sums = np.arange(len(levels)), np.zeros((len(levels) + 1, *levels.shape[1:]))
        np.cumsum(db_to_power(levels), axis=0, out=sums[1:])
        ends = np.minimum(frames + whole, len(levels))
        together = (ends - frames).reshape(-1, *[1] * (levels.ndim - 1))
        levels = power_to_db(np.maximum(sums[ends] - sums[:-1], _LEAST_POWER) / together)
    apart = np.zeros((len(at), *levels.shape[1:]))
    for k in range(0, width, whole):
        apart += levels[np.minimum(at + k, len(levels) - 1)] - levels[np.maximum(at - k - whole, 0)]
    return apart * (whole / width)


def _scale(changed: Floats, spread: Floats, places: Places, learned: NDArray[np.bool_]) -> Scale:
    """One scale, from changes ``(places, bands)`` in units of ``spread`` (dB).

    ``learned`` says at which places it is learned what is usual.
    """
    both = _products(changed, np.flatnonzero(learned))
    values, axes = np.linalg.eigh((1 - _SHRINK) * both + np.diag(_SHRINK * np.diag(both) + _LEAST))
    # Bands without what they have in common with their neighbours.
    apart = (axes / np.sqrt(values)) @ axes.T
    for some in _pieces(np.arange(len(changed))):
        changed[some] = changed[some] @ apart
    own = 1.4826 * np.median(np.abs(changed[learned]), axis=0) + _LEAST_SPREAD
    changed /= own.astype(np.float32)
    moved, sharp = np.empty(len(changed)), np.empty(len(changed))
    agreed(changed, (apart @ (1 / spread)) / own, _BAND_DEGREES, moved, sharp)
    unit_db = 1 / np.sqrt(sharp)
    stretches = max(1.0, learned.sum() * places.hop / places.width)
    unit_db = np.maximum(
        unit_db * spread_of(moved[learned] / unit_db[learned]) * (1 + _FEW / stretches), _LEAST_UNIT_DB
    )
    return Scale(places.width, places.hop, moved / unit_db, np.where(places.use, 1 / unit_db, 0.0))


def unrest(moved: Floats, places: Places) -> Floats:
    """How far music moves around each place by itself, ``(places,)``, in units of how far it does everywhere.

    A storm hides what a held chord shows.

    From what is ``moved`` ``(places,)`` at calm places; what a change at the place itself reaches is left out. Where
    few are near it is about 1.
    """
    if places.calm.sum() * places.hop < FEWEST:
        return np.ones(len(moved))
    far = np.minimum(np.abs(moved), _FAR)
    usual = far[places.calm].mean() + _LEAST_SPREAD
    sums = np.stack([np.cumsum(np.where(places.calm, far, 0.0)), np.cumsum(places.calm)])
    around, own = max(_NEAR, _NEAR_WIDTHS * places.width) // places.hop, 2 * places.width // places.hop
    total, count = (_within(sums, around) - _within(sums, own)) * (places.hop / places.width)
    found: Floats = np.maximum((total / usual + _NEAR_BELIEF) / (count + _NEAR_BELIEF), _CALMEST)
    return found


def _within(sums: Floats, reach: int) -> Floats:
    """What lies at most so many places from each one, from running sums ``(figures, places)``."""
    places = np.arange(sums.shape[1])
    ahead = np.pad(sums, ((0, 0), (1, 0)))
    within: Floats = ahead[:, np.minimum(places + reach + 1, len(places))] - ahead[:, np.maximum(places - reach, 0)]
    return within


def moving(frames: int, spans: Sequence[tuple[float, float]], per_s: int) -> NDArray[np.int64]:
    """Running count of the frames in which a gain may move: around the beginning and the end of speech."""
    count = np.zeros(frames + 1, dtype=np.int64)
    for a, b in spans:
        for begin, end in ((a - _BEFORE_IN_S, a + _AFTER_IN_S), (b - _BEFORE_OUT_S, b + _AFTER_OUT_S)):
            count[max(0, round(begin * per_s)) + 1 : max(0, round(end * per_s)) + 1] = 1
    return np.cumsum(count)


def at_rest(moves: NDArray[np.int64], at: NDArray[np.int64], width: int) -> NDArray[np.bool_]:
    """Whether no gain moves at some frames, as a scale of a ``width`` sees them.

    ``moves`` is the running count of ``moving``.
    """
    near = max(1, width // 2)
    still: NDArray[np.bool_] = moves[np.minimum(at + near, len(moves) - 1)] == moves[np.maximum(at - near, 0)]
    return still


def spread_of(changed: Floats) -> float:
    """How far changes of music spread by themselves, those far out left aside."""
    return float(np.quantile(np.abs(changed), _USUAL_SHARE)) / _USUAL_AT


def _pieces(places: NDArray[np.int64]) -> Iterator[NDArray[np.int64]]:
    for first in range(0, len(places), _PIECE_FRAMES):
        yield places[first : first + _PIECE_FRAMES]


def _products(values: Floats, places: NDArray[np.int64]) -> Floats:
    """Mean products of all bands with each other; single events do not rule them."""
    total = np.zeros((values.shape[1], values.shape[1]))
    for some in _pieces(places):
        clipped = np.clip(values[some], -_CLIP, _CLIP).astype(np.float64)
        total += clipped.T @ clipped
    mean: Floats = total / max(1, len(places))
    return mean
