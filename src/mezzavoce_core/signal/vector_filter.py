"""Two channels through two filter sections, four stretches of them at once, in the columns of vector registers.

The compiler does not find this form by itself: a recursion cannot be taken several samples at a time. But left and
right do not wait for each other, and neither do stretches of a signal that lie apart, if each begins a little earlier
than it is wanted: by then the filters have forgotten that they knew nothing. So the columns hold left and right of the
first stretch, of the second, and so on.
"""

from collections.abc import Callable
from typing import Any

import numpy as np
from llvmlite import ir
from numba import types
from numba.extending import intrinsic
from numpy.typing import NDArray

STRETCHES = 4
COLUMNS = 2 * STRETCHES
LAST_IN, STATE, STATE_BEFORE, LAST_BETWEEN, SECOND_STATE, SECOND_BEFORE, SQUARES, PRODUCTS, ROWS = range(9)
"""Rows of the table ``(ROWS, COLUMNS)`` that is worked on: what is carried through the first section and through the
second one, and the sums."""
TABLE = ROWS, COLUMNS
_TERMS = 5
_DOUBLE, _INDEX, _PLACE = ir.DoubleType(), ir.IntType(64), ir.IntType(32)
_WIDE, _NARROW = ir.VectorType(_DOUBLE, COLUMNS), ir.VectorType(ir.FloatType(), COLUMNS)


def _order(columns: list[int]) -> Any:
    return ir.Constant(ir.VectorType(_PLACE, COLUMNS), columns)


def _everywhere(builder: Any, numbers: Any, k: int) -> Any:
    """Number ``k`` in every column."""
    one = builder.load(builder.gep(numbers, [ir.Constant(_INDEX, k)]))
    alone = builder.insert_element(ir.Constant(_WIDE, ir.Undefined), one, ir.Constant(_PLACE, 0))
    return builder.shuffle_vector(alone, alone, _order([0] * COLUMNS))


def _row(builder: Any, table: Any, number: int) -> Any:
    return builder.gep(builder.bitcast(table, _WIDE.as_pointer()), [ir.Constant(_INDEX, number)])


def _loaded(builder: Any, pointer: Any, align: int) -> Any:
    value = builder.load(pointer)
    value.align = align
    return value


def _turned(builder: Any, rows: list[Any]) -> list[Any]:
    """Rows as columns: halves, quarters and single numbers of two rows change places."""
    rows = list(rows)
    for apart in (4, 2, 1):
        first = _order([COLUMNS + k - apart if k & apart else k for k in range(COLUMNS)])
        second = _order([COLUMNS + k if k & apart else k + apart for k in range(COLUMNS)])
        for k in (k for k in range(COLUMNS) if not k & apart):
            a, b = rows[k], rows[k + apart]
            rows[k], rows[k + apart] = builder.shuffle_vector(a, b, first), builder.shuffle_vector(a, b, second)
    return rows


def _next_eight(builder: Any, sources: list[Any], n: Any) -> list[Any]:
    """The next eight samples of every column, each time one of all columns."""
    pointers = [builder.bitcast(builder.gep(source, [n]), _NARROW.as_pointer()) for source in sources]
    return _turned(builder, [_loaded(builder, pointer, 4) for pointer in pointers])


def _next_one(builder: Any, sources: list[Any], n: Any) -> list[Any]:
    found = ir.Constant(_NARROW, ir.Undefined)
    for column, source in enumerate(sources):
        found = builder.insert_element(found, builder.load(builder.gep(source, [n])), ir.Constant(_PLACE, column))
    return [found]


def _step(builder: Any, factors: list[Any], carried: list[Any], samples: Any) -> list[Any]:
    """One sample further: the new rows. The arithmetic is that of ``weighting.section``."""

    def times(a: Any, b: Any) -> Any:
        return builder.fmul(a, b, flags=("contract",))

    def plus(a: Any, b: Any) -> Any:
        return builder.fadd(a, b, flags=("contract",))

    def minus(a: Any, b: Any) -> Any:
        return builder.fsub(a, b, flags=("contract",))

    def section(terms: list[Any], kept: list[Any], value: Any) -> tuple[Any, Any]:
        (b0, g1, g2, a1, a2), (last_in, state, before) = terms, kept
        return plus(times(b0, value), state), minus(
            minus(plus(times(g2, last_in), times(g1, value)), times(a2, before)), times(a1, state)
        )

    value = builder.fpext(samples, _WIDE)
    between, state = section(factors[:_TERMS], carried[LAST_IN : STATE_BEFORE + 1], value)
    out, second_state = section(factors[_TERMS:], carried[LAST_BETWEEN : SECOND_BEFORE + 1], between)
    other_side = builder.shuffle_vector(out, out, _order([column ^ 1 for column in range(COLUMNS)]))
    sums = [plus(carried[SQUARES], times(out, out)), plus(carried[PRODUCTS], times(out, other_side))]
    return [value, state, carried[STATE], between, second_state, carried[SECOND_STATE], *sums]


def _loop(
    builder: Any, begin: Any, end: Any, by: int, rows: list[Any], body: Callable[[Any, list[Any]], list[Any]]
) -> list[Any]:
    """``rows`` after a loop from ``begin`` to before ``end``, which may be run no time at all."""
    before, loop, after = builder.block, builder.append_basic_block(), builder.append_basic_block()
    builder.cbranch(builder.icmp_signed("<", begin, end), loop, after)
    builder.position_at_end(loop)
    n, carried = builder.phi(_INDEX), [builder.phi(_WIDE) for _ in rows]
    new, further = body(n, carried), builder.add(n, ir.Constant(_INDEX, by))
    for phi, first, later in zip([n, *carried], [begin, *rows], [further, *new], strict=True):
        phi.add_incoming(first, before)
        phi.add_incoming(later, loop)
    builder.cbranch(builder.icmp_signed("<", further, end), loop, after)
    builder.position_at_end(after)
    left = [builder.phi(_WIDE) for _ in rows]
    for phi, first, later in zip(left, rows, new, strict=True):
        phi.add_incoming(first, before)
        phi.add_incoming(later, loop)
    return left


def _code(context: Any, builder: Any, signature: Any, args: Any) -> Any:
    *arrays, count = args
    x, y, begins, factors, table = (
        a.data for a in map(lambda kind, arg: context.make_array(kind)(context, builder, arg), signature.args, arrays)
    )
    places = [builder.load(builder.gep(begins, [ir.Constant(_INDEX, k)])) for k in range(STRETCHES)]
    sources = [builder.gep(channel, [place]) for place in places for channel in (x, y)]
    terms = [_everywhere(builder, factors, k) for k in range(2 * _TERMS)]
    rows = [_loaded(builder, _row(builder, table, k), 8) for k in range(ROWS)]

    def steps(taken: Callable[[Any, list[Any], Any], list[Any]]) -> Callable[[Any, list[Any]], list[Any]]:
        def body(n: Any, carried: list[Any]) -> list[Any]:
            for samples in taken(builder, sources, n):
                carried = _step(builder, terms, carried, samples)
            return carried

        return body

    eights = builder.and_(count, ir.Constant(_INDEX, -COLUMNS))
    rows = _loop(builder, ir.Constant(_INDEX, 0), eights, COLUMNS, rows, steps(_next_eight))
    for k, row in enumerate(_loop(builder, eights, count, 1, rows, steps(_next_one))):
        builder.store(row, _row(builder, table, k)).align = 8
    return context.get_dummy_value()


def _typed(
    _context: Any, x: Any, y: Any, begins: Any, factors: Any, table: Any, count: Any
) -> tuple[Any, Callable[..., Any]]:
    return types.void(x, y, begins, factors, table, count), _code


_Run = Callable[
    [NDArray[np.float32], NDArray[np.float32], NDArray[np.int64], NDArray[np.float64], NDArray[np.float64], int], None
]
filter_stretches: _Run = intrinsic(_typed)  # type: ignore[assignment]
"""Run ``count`` samples of two channels from each of the places ``begins`` on through factors ``(2, 5)`` and the table
``(ROWS, COLUMNS)``, which is changed.  For compiled loops only; nothing checks that the samples are there. """
