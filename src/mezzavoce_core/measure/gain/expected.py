"""What music does by itself where the same sound stands elsewhere is to be expected here, too: what is beyond that tells of gain.

A chord, a drum or a swell moves all bands together, as a gain does. Where music repeats it does so again, and where it then stands no
gain moves, so that its change there can be taken from the change here. What is left is smaller, and a step of gain stands out the more.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ...signal.spectrum import FRAMES_PER_S
from ...units import Floats
from .changes import Changes, Scale, at_rest, moving, spread_of
from .likeness import Pairs
from .loops import BLOCK, KEPT

_LIKE, LIKE_OF_INSTANTS, _HALF_AT_DB = {1: 0.7, 3: 0.85, 10: 0.78, 40: 0.58}, 0.7, 0.45
"""The correlation of changes at two places that are the same but for a level, by the frames compared; half of it where their spread
as a pair is so many dB. Measured on the unducked mixes of the tuned half of the evaluation."""
MOST = 6.0
"""A change counts up to so many units."""
_CLASSES = (0.3, 0.8, 1.6, 3.0, np.inf)
"""Places of which about as much is known are learned together; under the first too little is known to say anything."""
_BELIEF_SHARE, _BELIEF, _MOST_SHARE = 0.5, 40.0, 1.2
_FEWEST, _LEARNED, _SPREADS = 200, 300.0, (0.4, 1.3)


@dataclass(frozen=True)
class Partners:
    """For each block of 0.2 s those that sound alike, the best first, ``(blocks, KEPT)``: how many frames later each stands, and how like it is.

    The latter is the spread of pairs in dB, infinite where there is no such partner.
    """

    lag: NDArray[np.int64]
    spread_db: Floats


def partners(pairs: Pairs, frames: int) -> Partners:
    """From pairs of blocks in music of so many frames."""
    blocks = np.concatenate([pairs.one, pairs.other]) // BLOCK
    lags, spreads = np.concatenate([pairs.other - pairs.one, pairs.one - pairs.other]), np.tile(pairs.scale_db, 2)
    order = np.lexsort((spreads, blocks))
    blocks, lags, spreads = blocks[order], lags[order], spreads[order]
    rank = np.arange(len(blocks)) - np.searchsorted(blocks, blocks)
    best = rank < KEPT
    lag, spread = np.zeros((frames // BLOCK + 1, KEPT), dtype=np.int64), np.full((frames // BLOCK + 1, KEPT), np.inf)
    lag[blocks[best], rank[best]], spread[blocks[best], rank[best]] = lags[best], spreads[best]
    return Partners(lag, spread)


def beyond_expected(found: Changes, alike: Partners, spans: Sequence[tuple[float, float]]) -> Changes:
    """The same changes without what is to be expected of the music; a gain may move around speech (``spans``, seconds)."""
    moves = moving(len(found.use), spans, FRAMES_PER_S)
    scales = []
    for scale in found.scales:
        at = np.arange(len(scale.moved)) * scale.hop
        scales.append(beyond(scale, alike, BLOCK, at_rest(moves, at, scale.width), _LIKE[scale.width]))
    return replace(found, scales=tuple(scales))


def beyond(scale: Scale, alike: Partners, block: int, still: NDArray[np.bool_], like: float) -> Scale:
    """One scale without what is to be expected. ``still`` ``(places,)`` says where no gain moves; blocks and lags are in the frames of the scale.

    A place keeps the change that is its own where it has no partner in a calm place.
    """
    there = scale.step > 0
    foreseen, known = _foreseen(scale, alike, block, still & there, like)
    moved, step = scale.moved.copy(), scale.step.copy()
    for least, most in pairwise(_CLASSES):
        mine = there & (known > least) & (known <= most)
        learned = mine & still
        share = _share(foreseen[learned], np.clip(scale.moved[learned], -MOST, MOST))
        rest = scale.moved - share * foreseen
        spread = _spread(rest[learned], scale.hop)
        moved[mine], step[mine] = rest[mine] / spread, scale.step[mine] / spread
    return replace(scale, moved=moved, step=step)


def _foreseen(scale: Scale, alike: Partners, block: int, still: NDArray[np.bool_], like: float) -> tuple[Floats, Floats]:
    """The change that partners let expect at each place, and how much they know together (what one of correlation r knows is r / (1 - r))."""
    count = len(scale.moved)
    at = np.arange(count) * scale.hop
    blocks = np.minimum(at // block, len(alike.lag) - 1)
    total, known = np.zeros(count), np.zeros(count)
    for rank in range(alike.lag.shape[1]):
        place = np.round((at + alike.lag[blocks, rank]) / scale.hop).astype(np.int64)
        inside = np.clip(place, 0, count - 1)
        alikeness = like / (1 + alike.spread_db[blocks, rank] / _HALF_AT_DB)
        knows = np.where((place == inside) & still[inside], alikeness / (1 - alikeness), 0.0)
        total += knows * np.clip(scale.moved[inside], -MOST, MOST)
        known += knows
    return total / (1 + known), known


def _share(foreseen: Floats, moved: Floats) -> float:
    """How much of what is foreseen comes; by belief half of it, until many places say otherwise."""
    share = (float(foreseen @ moved) + _BELIEF_SHARE * _BELIEF) / (float(foreseen @ foreseen) + _BELIEF)
    return float(np.clip(share, 0.0, _MOST_SHARE))


def _spread(rest: Floats, hop: int) -> float:
    """How far changes spread that were not foreseen, in units of what is usual; by belief as far as all others."""
    if len(rest) * hop < _FEWEST:
        return 1.0
    learned = len(rest) * hop / (len(rest) * hop + _LEARNED)
    return float(np.clip(learned * spread_of(rest) + 1 - learned, *_SPREADS))
