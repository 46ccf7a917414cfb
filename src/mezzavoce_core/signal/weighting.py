"""The compiled loop of K-weighting: what two filter sections in a row leave of two channels, as energy in ticks."""

import numpy as np
from numpy.typing import NDArray

from ..runtime.compiled import njit
from .vector_filter import COLUMNS, PRODUCTS, SQUARES, STRETCHES, filter_stretches

# A filter that rings out into silence ends in numbers so small that the processor takes many times as long for each;
# far below anything heard (-600 dB) its state is set to nothing. Within a tick no state falls from there to such
# numbers.
_NOTHING = 1e-30


@njit(cache=True, nogil=True)
def _kept(value: float) -> float:
    """A state, or nothing where it is next to nothing."""
    return value if abs(value) > _NOTHING else 0.0


@njit(cache=True, nogil=True, fastmath={"contract"}, inline="always")
def section(factors: NDArray[np.float64], state: NDArray[np.float64], value: float) -> float:
    """One sample through a biquad: ``factors`` b0 g1 g2 a1 a2, where g = b - a b0; ``state`` last input, s, s before.

    Transposed direct form II with the second state put into the first, so that one multiplication and addition leads
    from state to state.
    """
    out: float = factors[0] * value + state[1]
    following = ((factors[2] * state[0] + factors[1] * value) - factors[4] * state[2]) - factors[3] * state[1]
    state[0], state[1], state[2] = value, following, state[1]
    return out


@njit(cache=True, nogil=True)
def _one_by_one(
    x: NDArray[np.float32],
    y: NDArray[np.float32],
    factors: NDArray[np.float64],
    state: NDArray[np.float64],
    edges: NDArray[np.int64],
    out: NDArray[np.float32],
) -> None:
    """The ticks between edges, sample by sample."""
    for tick in range(len(edges) - 1):
        left = right = both = 0.0
        for n in range(edges[tick], edges[tick + 1]):
            a = section(factors[1], state[0, 1], section(factors[0], state[0, 0], np.float64(x[n])))
            b = section(factors[1], state[1, 1], section(factors[0], state[1, 0], np.float64(y[n])))
            left += a * a
            right += b * b
            both += a * b
        count = max(1, edges[tick + 1] - edges[tick])
        out[tick, 0], out[tick, 1], out[tick, 2] = left / count, right / count, both / count
        for channel in range(2):
            for k in range(2):
                for row in range(3):
                    state[channel, k, row] = _kept(state[channel, k, row])


@njit(cache=True, nogil=True)
def _to_table(state: NDArray[np.float64], table: NDArray[np.float64]) -> None:
    """States ``(channels, sections, 3)`` into the columns of the first stretch."""
    for channel in range(2):
        for row in range(SQUARES):
            table[row, channel] = state[channel, row // 3, row % 3]


@njit(cache=True, nogil=True)
def _from_table(table: NDArray[np.float64], state: NDArray[np.float64]) -> None:
    """States out of the columns of the last stretch."""
    for channel in range(2):
        for row in range(SQUARES):
            state[channel, row // 3, row % 3] = table[row, COLUMNS - 2 + channel]


@njit(cache=True, nogil=True)
def _in_stretches(  # noqa: PLR0913, PLR0917  (as below)
    x: NDArray[np.float32],
    y: NDArray[np.float32],
    factors: NDArray[np.float64],
    state: NDArray[np.float64],
    edges: NDArray[np.int64],
    ticks: int,
    ahead: int,
    out: NDArray[np.float32],
    table: NDArray[np.float64],
    begins: NDArray[np.int64],
) -> None:
    """Four stretches of so many ticks at once, whose ticks have to be as long as those of the first one."""
    for row in range(len(table)):
        for column in range(COLUMNS):
            table[row, column] = 0.0
    # All but the first one begin earlier, from rest.
    for k in range(STRETCHES):
        begins[k] = max(0, edges[k * ticks] - ahead)
    filter_stretches(x, y, begins, factors, table, ahead)
    _to_table(state, table)
    for tick in range(ticks):
        count = edges[tick + 1] - edges[tick]
        for k in range(STRETCHES):
            begins[k] = edges[k * ticks + tick]
        for column in range(COLUMNS):
            table[SQUARES, column] = table[PRODUCTS, column] = 0.0
        filter_stretches(x, y, begins, factors, table, count)
        for k in range(STRETCHES):
            row = out[k * ticks + tick]
            row[0], row[1], row[2] = (
                table[SQUARES, 2 * k] / count,
                table[SQUARES, 2 * k + 1] / count,
                table[PRODUCTS, 2 * k] / count,
            )
        for number in range(SQUARES):
            for column in range(COLUMNS):
                table[number, column] = _kept(table[number, column])
    _from_table(table, state)


@njit(cache=True, nogil=True)
def filter_energy_pair(  # noqa: PLR0913, PLR0917  (compiled loops take arrays, no objects)
    x: NDArray[np.float32],
    y: NDArray[np.float32],
    factors: NDArray[np.float64],
    state: NDArray[np.float64],
    edges: NDArray[np.int64],
    ticks: int,
    ahead: int,
    out: NDArray[np.float32],
    table: NDArray[np.float64],
    begins: NDArray[np.int64],
) -> None:
    """Two biquads in a row over two channels.

    ``out`` ``(ticks, 3)`` gets both mean squares and the mean of the product between ``edges``.

    ``factors`` ``(2, 5)`` and ``state`` ``(2 channels, 2 sections, 3)``, which is carried, as of ``section``. The first
    four times ``ticks`` ticks are taken as four stretches at once (0: none), the later three of which begin ``ahead``
    samples earlier; tick by tick all four must be of the same length. ``table`` ``(ROWS, COLUMNS)`` and ``begins``
    ``(STRETCHES,)`` are room to work in.
    """
    if ticks:
        _in_stretches(x, y, factors, state, edges, ticks, ahead, out, table, begins)
    done = STRETCHES * ticks
    _one_by_one(x, y, factors, state, edges[done:], out[done:])
