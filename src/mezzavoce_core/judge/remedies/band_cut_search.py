"""The compiled search for cuts by band: one decibel at a time where it gives most.

What is cut, and why, stands in ``band_cuts``.
"""

import numpy as np
from numpy.typing import NDArray

from ...measure.audibility import LIFT_DB, NOTHING, SPAN_DB
from ...runtime.compiled import njit
from ...units import Floats

DONE, IN_VAIN = 0, 1


@njit(cache=True, nogil=True)
def _factor(places: Floats, change: Floats, band: int) -> float:
    """The mean over a band of filters that stand at ``places`` and of what changes them."""
    total = 0.0
    for place in range(places.shape[1]):
        total += places[band, place] * change[band, place]
    return float(total / places.shape[1])


@njit(cache=True, nogil=True)
def _audible(energies: Floats, factors: Floats, weights: Floats) -> float:
    """Audibility with factors ``(bands,)`` on what is cut.

    ``energies`` ``(3, bands)``: voice in dB, what is cut, the rest.
    """
    heard = 0.0
    for band in range(len(factors)):
        under_db = 10.0 * np.log10(max(energies[2, band] + energies[1, band] * factors[band], NOTHING))
        heard += weights[band] * min(1.0, max(0.0, (energies[0, band] - under_db + LIFT_DB) / SPAN_DB))
    return heard


@njit(cache=True, nogil=True)
def _power(energies: Floats, factors: Floats, k_weights: Floats) -> float:
    """K-weighted power that goes."""
    power = 0.0
    for band in range(len(factors)):
        power += energies[1, band] * (1.0 - factors[band]) * k_weights[band]
    return power


@njit(cache=True, nogil=True)
def _may_deepen(depths: NDArray[np.int64], band: int, most: int, nearest: int, deepest: int) -> bool:
    """Whether a band's filter may become a decibel deeper.

    Not too many filters, none too deep, none too near another.
    """
    if depths[band] > 0:
        return bool(depths[band] < deepest)
    filters = 0
    for other in range(len(depths)):
        if depths[other] > 0:
            filters += 1
            if abs(other - band) < nearest:
                return False
    return filters < most


@njit(cache=True, nogil=True)
def deepen(
    energies: Floats,
    weights: NDArray[np.float64],
    changes: Floats,
    wanted: NDArray[np.float64],
    costs: NDArray[np.float64],
    rules: NDArray[np.int64],
    depths: NDArray[np.int64],
    room: Floats,
) -> int:
    """Deepen filters until enough is heard and enough power has gone: DONE, or IN_VAIN where nothing gains any more.

    ``energies`` ``(3, bands)`` as of ``_audible``; ``weights`` ``(2, bands)``: of audibility, of the K-weighting;
    ``changes`` ``(bands, depths, bands, places)``: what a filter of each depth changes when it becomes a decibel
    deeper; ``wanted``: audibility, power to go; ``costs``: that of a decibel, the background's power; ``rules``: most
    filters, nearest (bands), deepest (dB); ``depths`` ``(bands,)`` is found; ``room`` ``(2 + places, bands)`` is worked
    in.
    """
    bands = len(depths)
    now, tried, places = room[0], room[1], room[2:].T
    places[:] = 1.0
    now[:] = 1.0
    heard, gone = _audible(energies, now, weights[0]), 0.0
    while heard < wanted[0] or gone < wanted[1]:
        best, most, best_heard, best_gone = -1, 0.0, 0.0, 0.0
        for centre in range(bands):
            if not _may_deepen(depths, centre, rules[0], rules[1], rules[2]):
                continue
            for band in range(bands):
                tried[band] = _factor(places, changes[centre, depths[centre]], band)
            new_heard, new_gone = _audible(energies, tried, weights[0]), _power(energies, tried, weights[1])
            gained = (new_heard - heard) / ((new_gone - gone) / costs[1] + costs[0] * (1 + depths[centre]))
            if gained > most:
                best, most, best_heard, best_gone = centre, gained, new_heard, new_gone
        if best < 0:
            return IN_VAIN
        places *= changes[best, depths[best]]
        depths[best] += 1
        heard, gone = best_heard, best_gone
    return DONE
