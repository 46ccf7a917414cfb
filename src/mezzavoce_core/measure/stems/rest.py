"""What the stems leave of the mix, and stems that hold one another.

Works on the coarse mono copies that stems are fitted with.
"""

from collections.abc import Iterator, Sequence
from concurrent.futures import Executor
from dataclasses import dataclass
from itertools import permutations

import numpy as np
from numpy.typing import NDArray

from ...signal.comparison import fit_gains, shifted
from ...signal.kernels import mean_squares, take_out
from ...signal.mono import Mono, ReadStretch
from ..meter import BLOCKS_PER_S
from .placing import STRETCH_S, Placed

_PIECE_S = 60.0
_EXPLAINED, _NOTHING_ELSE = 0.1, 1e-4


@dataclass(frozen=True)
class Rest:
    """Mean squares per 100 ms ``(blocks,)``, mono and without weighting.

    Of the ``mix``, and of what the stems together leave of it.
    """

    mix: NDArray[np.float32]
    left: NDArray[np.float32]

    def between(self, first: int, last: int) -> "Rest":
        """The blocks from ``first`` up to ``last`` alone."""
        return Rest(self.mix[first:last], self.left[first:last])


def find_rest(
    mix: ReadStretch,
    stems: Sequence[ReadStretch],
    placed: Sequence[Placed | None],
    rate_hz: int,
    duration_s: float,
    helpers: Executor | None = None,
) -> Rest:
    """Take every stem out of the mix where and as it lies there; ``helpers`` share the work."""
    heard = [(read, where) for read, where in zip(stems, placed, strict=True) if where is not None]

    def piece(begin: float) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        mixed = mix(begin, _PIECE_S)
        left = mixed.copy()
        for read, where in heard:
            take_out(
                left, shifted(read, begin, round(where.delay_s * rate_hz), rate_hz, len(left)), np.float32(where.gain)
            )
        return _blocks(mixed, rate_hz), _blocks(left, rate_hz)

    pieces = (map if helpers is None else helpers.map)(piece, np.arange(0.0, duration_s, _PIECE_S).tolist())
    whole, left = (np.concatenate(p) for p in zip(*pieces, strict=True))
    return Rest(whole, left)


def holders(
    mix: ReadStretch, stems: Sequence[ReadStretch], loud: Sequence[Sequence[float]], delays: Sequence[int], rate_hz: int
) -> Iterator[tuple[int, int]]:
    """Pairs of stems of which the first holds the second as well.

    Where the second is loud, the first alone is all of the mix.
    """
    for a, b in permutations([k for k, places in enumerate(loud) if places], 2):
        if all(_explains(mix, start, (stems[a], delays[a]), (stems[b], delays[b]), rate_hz) for start in loud[b]):
            yield a, b


def _explains(
    mix: ReadStretch, start: float, one: tuple[ReadStretch, int], other: tuple[ReadStretch, int], rate_hz: int
) -> bool:
    mixed = mix(start, STRETCH_S)
    holding, held = (shifted(read, start, delay, rate_hz, len(mixed)) for read, delay in (one, other))
    if not np.any(holding):
        return False
    gain = float(fit_gains(mixed, [holding])[0])
    left = float(np.mean((mixed - gain * holding) ** 2))
    beside = float(np.mean((gain * (holding - float(fit_gains(holding, [held])[0]) * held)) ** 2))
    # Sound of its own with a loud voice that leaked into it comes near the mix, too, but what it lacks is as loud as
    # its own.
    if beside > _NOTHING_ELSE * float(np.mean(mixed**2)) and left > _EXPLAINED * beside:
        return False
    return left < _EXPLAINED * float(np.mean(held**2))


def _blocks(part: Mono, rate_hz: int) -> NDArray[np.float32]:
    """Mean squares of each 100 ms, the last one shorter."""
    edges = np.round(np.arange(0, len(part), rate_hz / BLOCKS_PER_S)).astype(np.int64)
    edges = np.append(edges[edges < len(part)], len(part))
    means = np.empty(len(edges) - 1, dtype=np.float32)
    mean_squares(part, edges, means)
    return means
