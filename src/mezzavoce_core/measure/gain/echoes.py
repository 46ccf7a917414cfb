"""The compiled loops that hold what music does against what it does where it sounds the same."""

import numpy as np
from numpy.typing import NDArray

from ...runtime.compiled import njit
from ...units import Floats

MOST_ALIKE = 0.985
AROUND_BLOCKS = 2


@njit(cache=True, nogil=True, fastmath=True)
def foreseen(  # noqa: PLR0913, PLR0917  (compiled loops take arrays, no objects)
    changed: NDArray[np.float32],
    step: NDArray[np.float32],
    first: int,
    block: int,
    hop: int,
    lags: NDArray[np.int64],
    calm: NDArray[np.bool_],
    counted: np.float32,
    farthest: np.float32,
    common: NDArray[np.float32],
    expected: NDArray[np.float32],
    known: Floats,
) -> None:
    """What is to be expected at every place.

    From what is done at those that the ``lags`` ``(blocks, partners)`` of its block first_words to.

    ``changed`` and ``expected`` ``(places, bands)``; place k stands ``first + k * hop`` frames from where blocks of
    ``block`` frames begin, ``step`` ``(bands,)`` is what a change of 1 dB is. A partner counts by how its bands move
    like those here, apart from what all have in common: one of correlation r by r / (1 - r), which sums up to what is
    ``known``. There no band counts more than ``counted``, and none is expected to move further than ``farthest``.
    ``common`` ``(places,)`` is room to work in.
    """
    places, bands = changed.shape
    whole = np.float32(0)
    for b in range(bands):
        whole += step[b] * step[b]
    for k in range(places):
        common[k] = 0
        for b in range(bands):
            common[k] += changed[k, b] * step[b] / whole
    for k in range(places):
        for p in range(lags.shape[1]):
            lag = lags[min((first + k * hop) // block, len(lags) - 1), p]
            other = int(np.floor(k + lag / hop + 0.5))
            if lag == 0 or other < 0 or other >= places or not calm[other]:
                continue
            both, either = np.float32(0), np.float32(1e-6)
            for b in range(bands):
                here = min(max(changed[k, b] - common[k] * step[b], -counted), counted)
                there = min(max(changed[other, b] - common[other] * step[b], -counted), counted)
                both += here * there
                either += here * here + there * there
            if both <= 0:
                continue
            alike = min(np.sqrt(2 * both / either), MOST_ALIKE)
            knows = np.float32(alike / (1 - alike))
            known[k] += knows
            for b in range(bands):
                expected[k, b] += knows * min(max(changed[other, b], -farthest), farthest)
        for b in range(bands):
            expected[k, b] /= np.float32(1 + known[k])


@njit(cache=True, nogil=True, fastmath=True)
def lined_up(changed: NDArray[np.float32], block: int, lags: NDArray[np.int64], farthest: int) -> None:
    """Shift each of the ``lags`` ``(blocks, partners)`` by up to ``farthest``.

    To where what is done around the block is done there the most alike.

    ``changed`` ``(moments, bands)``, with ``block`` moments in a block; two blocks on either side are looked at, too. A
    lag of 0 is none.
    """
    count, bands = changed.shape
    for k in range(lags.shape[0]):
        first, last = max(0, (k - AROUND_BLOCKS) * block), min(count, (k + AROUND_BLOCKS + 1) * block)
        for p in range(lags.shape[1]):
            if lags[k, p] == 0:
                continue
            best, highest = 0, np.float32(-np.inf)
            for shift in range(-farthest, farthest + 1):
                by, total = lags[k, p] + shift, np.float32(0)
                for at in range(max(first, -by), min(last, count - by)):
                    for b in range(bands):
                        total += changed[at, b] * changed[at + by, b]
                if total > highest:
                    best, highest = shift, total
            lags[k, p] += best
