"""Stereo of 24 bits out of the bytes of a file, four frames at a time.

Three bytes for a number are nothing that the compiler turns into vector code by itself: here it is told which byte goes
where.
"""

from collections.abc import Callable
from typing import Any

import numpy as np
from llvmlite import ir
from numba import types
from numba.extending import intrinsic
from numpy.typing import NDArray

FOUR_FRAMES = 4
_BYTES, _FRAME, _NUMBER, _HALF = 24, 6, 3, 16
_BYTE, _PLACE, _INDEX, _FLOAT = ir.IntType(8), ir.IntType(32), ir.IntType(64), ir.FloatType()
_EIGHT, _FOUR = ir.VectorType(_FLOAT, 8), ir.VectorType(_FLOAT, 4)


def _order(places: list[int]) -> Any:
    return ir.Constant(ir.VectorType(_PLACE, len(places)), places)


def _two_frames(builder: Any, frames: Any, at: int, first: int) -> Any:
    """Of sixteen bytes from ``at`` on the frames ``first`` and the next.

    Left, left, right, right as integers, each in the upper three of four bytes.
    """
    found = builder.load(
        builder.bitcast(builder.gep(frames, [ir.Constant(_INDEX, at)]), ir.VectorType(_BYTE, _HALF).as_pointer())
    )
    found.align = 1
    places = []
    for channel in range(2):
        for frame in (first, first + 1):
            # The lowest byte of each is zero, the first of the other operand.
            places += [_HALF, *(_FRAME * frame + _NUMBER * channel + k - at for k in range(_NUMBER))]
    return builder.shuffle_vector(found, ir.Constant(ir.VectorType(_BYTE, _HALF), [0] * _HALF), _order(places))


def _spread(builder: Any, frames: Any, rows: tuple[Any, Any], n: Any, scale: Any) -> None:
    """Four frames into both channels from sample ``n`` on."""
    integers = builder.shuffle_vector(
        _two_frames(builder, frames, 0, 0),
        _two_frames(builder, frames, _BYTES - _HALF, 2),
        _order(list(range(2 * _HALF))),
    )
    numbers = builder.fmul(builder.sitofp(builder.bitcast(integers, ir.VectorType(_PLACE, 8)), _EIGHT), scale)
    for row, places in zip(rows, ([0, 1, 4, 5], [2, 3, 6, 7]), strict=True):
        pointer = builder.bitcast(builder.gep(row, [n]), _FOUR.as_pointer())
        builder.store(builder.shuffle_vector(numbers, numbers, _order(places)), pointer).align = 4


def _code(context: Any, builder: Any, signature: Any, args: Any) -> Any:
    raw, left, right = (
        context.make_array(kind)(context, builder, arg).data
        for kind, arg in zip(signature.args[:3], args[:3], strict=True)
    )
    count, one = args[3:]
    alone = builder.insert_element(ir.Constant(_EIGHT, ir.Undefined), one, ir.Constant(_PLACE, 0))
    scale = builder.shuffle_vector(alone, alone, _order([0] * 8))
    before, loop, after = builder.block, builder.append_basic_block(), builder.append_basic_block()
    builder.cbranch(builder.icmp_signed("<", ir.Constant(_INDEX, 0), count), loop, after)
    builder.position_at_end(loop)
    n = builder.phi(_INDEX)
    _spread(builder, builder.gep(raw, [builder.mul(n, ir.Constant(_INDEX, _FRAME))]), (left, right), n, scale)
    further = builder.add(n, ir.Constant(_INDEX, FOUR_FRAMES))
    n.add_incoming(ir.Constant(_INDEX, 0), before)
    n.add_incoming(further, loop)
    builder.cbranch(builder.icmp_signed("<", further, count), loop, after)
    builder.position_at_end(after)
    return context.get_dummy_value()


def _typed(_context: Any, raw: Any, left: Any, right: Any, count: Any, scale: Any) -> tuple[Any, Callable[..., Any]]:
    return types.void(raw, left, right, count, scale), _code


_Spread = Callable[[NDArray[np.uint8], NDArray[np.float32], NDArray[np.float32], int, np.float32], None]
spread_in_fours: _Spread = intrinsic(_typed)  # type: ignore[assignment]
"""Bytes of ``count`` frames (a multiple of four) into left and right, times a scale. For compiled loops only; nothing
checks that there is room."""
