"""Two channels through two filter sections at once, in the four lanes of one vector register.

The compiler does not find this form by itself: a recursion cannot be taken several samples at a time. But left and right do not
wait for each other, and the second section only waits for what the first one gave a little earlier. So the lanes hold left and
right in the first section and, some samples behind, left and right in the second one; so many that a value has the time that it
needs to come out of one lane and through another.
"""

from collections.abc import Callable
from itertools import starmap
from typing import Any

import numpy as np
from llvmlite import ir
from numba import types
from numba.extending import intrinsic
from numpy.typing import NDArray

BEHIND = 3
"""Samples by which the second section runs behind the first."""
COEFFICIENTS, OUTS = 0, 5
LAST_IN = OUTS + BEHIND
STATE, STATE_BEFORE, SQUARES, PRODUCTS, ROWS = range(LAST_IN + 1, LAST_IN + 6)
"""Rows of the table ``(ROWS, 4)`` that is worked on: b0 g1 g2 a1 a2; what is carried from step to step (of outputs the last one first); the sums."""
_LANES = 4
_DOUBLE, _INDEX = ir.DoubleType(), ir.IntType(64)
_VECTOR, _PAIR = ir.VectorType(_DOUBLE, _LANES), ir.VectorType(_DOUBLE, 2)
_PLACE = ir.IntType(32)


class _Table:
    """The rows of the table as vectors."""

    def __init__(self, builder: Any, data: Any) -> None:
        self._builder = builder
        self._rows = builder.bitcast(data, _VECTOR.as_pointer())

    def _row(self, number: int) -> Any:
        return self._builder.gep(self._rows, [ir.Constant(_INDEX, number)])

    def load(self, number: int) -> Any:
        row = self._builder.load(self._row(number))
        row.align = 8
        return row

    def store(self, number: int, value: Any) -> None:
        self._builder.store(value, self._row(number)).align = 8


def _order(lanes: list[int]) -> Any:
    return ir.Constant(ir.VectorType(_PLACE, len(lanes)), lanes)


def _entering(builder: Any, sources: tuple[Any, Any], n: Any, waited: Any) -> Any:
    """The next sample of either channel for the first section, and for the second what the first one gave and has waited long enough."""
    fresh = ir.Constant(ir.VectorType(ir.FloatType(), 2), ir.Undefined)
    for lane, source in enumerate(sources):
        fresh = builder.insert_element(fresh, builder.load(builder.gep(source, [n])), ir.Constant(_PLACE, lane))
    wide = builder.shuffle_vector(builder.fpext(fresh, _PAIR), ir.Constant(_PAIR, ir.Undefined), _order([0, 1, 0, 1]))
    return builder.shuffle_vector(wide, waited, _order([0, 1, 4, 5]))


def _step(builder: Any, factors: list[Any], carried: list[Any], sources: tuple[Any, Any], n: Any) -> list[Any]:
    """One sample further: the new rows from ``OUTS`` to ``PRODUCTS``. The arithmetic is that of ``kernels.section``."""
    b0, g1, g2, a1, a2 = factors
    outs, (last_in, state, state_before, squares, products) = carried[:BEHIND], carried[BEHIND:]

    def times(a: Any, b: Any) -> Any:
        return builder.fmul(a, b, flags=("contract",))

    def plus(a: Any, b: Any) -> Any:
        return builder.fadd(a, b, flags=("contract",))

    def minus(a: Any, b: Any) -> Any:
        return builder.fsub(a, b, flags=("contract",))

    entering = _entering(builder, sources, n, outs[-1])
    out = plus(times(b0, entering), state)
    following = minus(minus(plus(times(g2, last_in), times(g1, entering)), times(a2, state_before)), times(a1, state))
    other_side = builder.shuffle_vector(out, out, _order([1, 0, 3, 2]))
    return [out, *outs[:-1], entering, following, state, plus(squares, times(out, out)), plus(products, times(out, other_side))]


def _code(context: Any, builder: Any, signature: Any, args: Any) -> Any:
    arrays = list(starmap(lambda kind, arg: context.make_array(kind)(context, builder, arg), zip(signature.args, args, strict=True)))
    sources, table, count = (arrays[0].data, arrays[1].data), _Table(builder, arrays[2].data), arrays[0].nitems
    factors = [table.load(k) for k in range(COEFFICIENTS, OUTS)]
    begin = [table.load(k) for k in range(OUTS, ROWS)]
    before, loop, after = builder.block, builder.append_basic_block("step"), builder.append_basic_block("done")
    zero = ir.Constant(count.type, 0)
    builder.cbranch(builder.icmp_signed(">", count, zero), loop, after)

    builder.position_at_end(loop)
    n, carried = builder.phi(count.type), [builder.phi(_VECTOR) for _ in begin]
    new = _step(builder, factors, carried, sources, n)
    further = builder.add(n, ir.Constant(count.type, 1))
    for phi, first, later in zip([n, *carried], [zero, *begin], [further, *new], strict=True):
        phi.add_incoming(first, before)
        phi.add_incoming(later, loop)
    builder.cbranch(builder.icmp_signed("<", further, count), loop, after)

    builder.position_at_end(after)
    end = [builder.phi(_VECTOR) for _ in begin]
    for phi, first, later in zip(end, begin, new, strict=True):
        phi.add_incoming(first, before)
        phi.add_incoming(later, loop)
    for k, phi in enumerate(end, OUTS):
        table.store(k, phi)
    return context.get_dummy_value()


def _typed(_context: Any, left: Any, right: Any, table: Any) -> tuple[Any, Callable[..., Any]]:
    return types.void(left, right, table), _code


filter_in_lanes: Callable[[NDArray[np.float32], NDArray[np.float32], NDArray[np.float64]], None] = intrinsic(_typed)  # type: ignore[assignment]
"""Run all samples of two channels of equal length ``(samples,)`` through the table ``(ROWS, 4)``, which is changed. For compiled loops only."""
