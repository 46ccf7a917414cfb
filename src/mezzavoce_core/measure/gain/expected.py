"""What music does where the same sound stands elsewhere is to be expected here, too.

What is beyond that tells of gain.

A chord, a drum or a swell moves bands in its own way, and where music repeats it does so again. Where the bands move
here as they do at the same place of another phrase, apart from what all of them have in common, so much of what they do
there is taken from what they do here. What is left is smaller, and a step of gain, which is common to all of them,
stands out the more.
"""

from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ...units import Floats
from .echoes import foreseen
from .likeness import Pairs
from .loops import BLOCK, KEPT

_CLIP, _FARTHEST = 4.0, 15.0
"""Of a change of a band so many times its spread count where it is told how alike two places are and how much comes,
and where it is expected."""
_CLASSES = (0.3, 0.8, 1.6, 3.0, np.inf)
"""Places of which about as much is known are learned together; under the first too little is known to say anything."""
_BELIEF_SHARE, _BELIEF, _MOST_SHARE = 0.5, 40.0, 1.2
_FEWEST, _LEARNED, _LEFT = 200, 300.0, (0.1, 1.3)


@dataclass(frozen=True)
class Repeats:
    """For each block of frames, how many frames later the same sound stands.

    ``(blocks, KEPT)``, 0 where it does not; ``first`` is the first frame.
    """

    lags: NDArray[np.int64]
    block: int = BLOCK
    first: int = 0

    def behind(self, frames: int) -> "Repeats":
        """The same from some frame on."""
        return replace(self, first=self.first + frames)


def repeats(pairs: Pairs, frames: int) -> Repeats:
    """Those that sound the most alike, from pairs of blocks in music of so many frames."""
    blocks = np.concatenate([pairs.one, pairs.other]) // BLOCK
    lags, spreads = np.concatenate([pairs.other - pairs.one, pairs.one - pairs.other]), np.tile(pairs.scale_db, 2)
    order = np.lexsort((spreads, blocks))
    blocks, lags = blocks[order], lags[order]
    rank = np.arange(len(blocks)) - np.searchsorted(blocks, blocks)
    best = rank < KEPT
    kept = np.zeros((frames // BLOCK + 1, KEPT), dtype=np.int64)
    kept[blocks[best], rank[best]] = lags[best]
    return Repeats(kept)


def beyond(changed: NDArray[np.float32], step: Floats, hop: int, calm: NDArray[np.bool_], same: Repeats) -> Floats:
    """Takes from changes what is to be expected, and says by which factor they spread less then, ``(places,)``.

    ``changed`` ``(places, bands)``, every ``hop`` frames, each with a spread of one, ``step`` ``(bands,)`` what they
    are for 1 dB; a place with a factor has its changes in units of it. ``calm`` ``(places,)`` says where no gain moves:
    only from there something is expected.
    """
    expected, known, room = np.zeros_like(changed), np.zeros(len(changed)), np.zeros(len(changed), dtype=np.float32)
    foreseen(
        changed,
        step.astype(np.float32),
        same.first,
        same.block,
        hop,
        same.lags,
        calm,
        np.float32(_CLIP),
        np.float32(_FARTHEST),
        room,
        expected,
        known,
    )
    left = np.ones(len(changed))
    for least, most in pairwise(_CLASSES):
        mine = (known > least) & (known <= most)
        learned = mine & calm
        if (count := learned.sum() * hop) < _FEWEST:
            continue
        rest = (
            changed[mine] - _share(*(np.clip(c[learned], -_CLIP, _CLIP) for c in (expected, changed))) * expected[mine]
        )
        spread = float(np.median(1.4826 * np.median(np.abs(rest[learned[mine]]), axis=0)))
        spread = float(np.clip((spread * count + _LEARNED) / (count + _LEARNED), *_LEFT))
        changed[mine], left[mine] = rest / np.float32(spread), spread
    return left


def _share(expected: Floats, changed: Floats) -> NDArray[np.float32]:
    """How much of what is expected comes, band by band; by belief half of it, until many places say otherwise."""
    share = ((expected * changed).sum(axis=0) + _BELIEF_SHARE * _BELIEF) / ((expected**2).sum(axis=0) + _BELIEF)
    found: NDArray[np.float32] = np.clip(share, 0.0, _MOST_SHARE).astype(np.float32)
    return found
