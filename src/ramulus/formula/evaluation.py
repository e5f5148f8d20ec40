"""Evaluate a formula over arrays: every level, player and source at once.

Arithmetic is float64 throughout. A branch that is not taken is computed where it does no harm and never raises:
each step knows the mask of elements that count (`active`), and only those must come out finite.
"""

from __future__ import annotations

import ast
from collections.abc import Mapping
from typing import Any, cast

import numpy as np
from numpy.typing import ArrayLike, DTypeLike, NDArray

from ramulus.errors import FormulaError, nearest_name
from ramulus.formula.functions import FUNCTIONS, Array, power
from ramulus.formula.parser import Formula
from ramulus.formula.text import text_of

MAX_ELEMENTS = 10_000_000
MAX_RANGE = 100_000
MAX_WORK = 400_000_000  # Elements over all steps of one evaluation: about a second or two.

Mask = NDArray[np.bool_] | None

_BINARY: dict[type[ast.operator], Any] = {
    ast.Add: np.add,
    ast.Sub: np.subtract,
    ast.Mult: np.multiply,
    ast.Div: np.divide,
    ast.FloorDiv: np.floor_divide,
    ast.Mod: np.mod,
    ast.Pow: power,
}
_COMPARE: dict[type[ast.cmpop], Any] = {
    ast.Lt: np.less,
    ast.LtE: np.less_equal,
    ast.Gt: np.greater,
    ast.GtE: np.greater_equal,
    ast.Eq: np.equal,
    ast.NotEq: np.not_equal,
}


def evaluate(
    formula: Formula,
    names: Mapping[str, ArrayLike],
    dtype: DTypeLike = np.float64,
    where: NDArray[np.bool_] | None = None,
) -> Array:
    """Evaluate a formula.

    Args:
        formula: what to evaluate.
        names: a number or an array for each name; the shapes must broadcast.
        dtype: the precision to compute in (float64 everywhere but in checks of other precisions).
        where: which elements count; the others need not be finite (default: all).

    Returns:
        The values, in the shape that the names the formula uses (and `where`) broadcast to.

    Raises:
        FormulaError: a name is unknown, a step is not finite, or a limit is passed.

    Examples:
        >>> from ramulus.formula import parse
        >>> evaluate(parse("sum(10 * i for i in range(1, level))"), {"level": [1, 2, 3, 4]})
        array([ 0., 10., 30., 60.])
    """
    check_names(formula, names)
    arrays = {name: np.asarray(names[name], dtype=dtype) for name in formula.names}
    _refuse_size(np.broadcast_shapes(*(array.shape for array in arrays.values())))
    with np.errstate(all="ignore"):
        return _Evaluation(arrays, np.dtype(dtype)).value(formula.tree, where)


def check_names(formula: Formula, names: Mapping[str, Any] | frozenset[str] | set[str]) -> None:
    """Raise a FormulaError for the first name of the formula that is not among `names`."""
    for name in formula.names:
        if name not in names:
            known = sorted(names)
            raise FormulaError(
                f"the name {name!r} in {formula.text!r} is not known here",
                allowed=", ".join(known) or "no names",
                nearest=nearest_name(name, known),
                code="unknown-name",
            )


def _refuse_size(shape: tuple[int, ...]) -> None:
    size = int(np.prod(shape, dtype=np.int64))
    if size > MAX_ELEMENTS:
        raise FormulaError(
            f"{size:,} values in one evaluation",
            allowed=f"at most {MAX_ELEMENTS:,}",
            code="formula-too-large",
        )


class _Evaluation:
    """One pass over the tree. `names` maps each name to an array; ranges add an axis at the end."""

    def __init__(self, names: Mapping[str, Array], dtype: np.dtype[Any], work: list[int] | None = None) -> None:
        self.names, self.dtype = names, dtype
        self.work = [0] if work is None else work

    def value(self, node: ast.expr, active: Mask) -> Array:
        """Return the value of a node; only `active` elements need to be finite."""
        match node:
            case ast.Constant(value=number):
                return np.asarray(number, dtype=self.dtype)
            case ast.Name(id=name):
                return self.names[name]
            case ast.UnaryOp(op=operator, operand=operand):
                return self._unary(operator, self.value(operand, active))
            case ast.BinOp(left=left, op=operator, right=right):
                a, b = self.value(left, active), self.value(right, active)
                return self._finite(node, _BINARY[type(operator)](a, b), active, (a, b))
            case ast.Compare():
                return self._comparison(node, active)
            case ast.BoolOp():
                return self._logic(node, active)
            case ast.IfExp(test=test, body=body, orelse=otherwise):
                chosen = self.value(test, active) != 0
                first = self.value(body, _both(active, chosen))
                return np.where(chosen, first, self.value(otherwise, _both(active, ~chosen)))
            case ast.Call(args=[ast.GeneratorExp() as generator]):
                return self._over_range(node, generator, active)
            case _:
                return self._call(cast(ast.Call, node), active)

    def _unary(self, operator: ast.unaryop, value: Array) -> Array:
        if isinstance(operator, ast.Not):
            return np.asarray((value == 0).astype(self.dtype))
        return -value if isinstance(operator, ast.USub) else value

    def _comparison(self, node: ast.Compare, active: Mask) -> Array:
        left = self.value(node.left, active)
        holds: NDArray[np.bool_] = np.asarray(True)
        for operator, comparator in zip(node.ops, node.comparators, strict=True):
            right = self.value(comparator, _both(active, holds))
            holds = holds & _COMPARE[type(operator)](left, right)
            left = right
        return holds.astype(self.dtype)

    def _logic(self, node: ast.BoolOp, active: Mask) -> Array:
        """`and` and `or` give one of their operands, and stop early, as in Python."""
        result = self.value(node.values[0], active)
        for operand in node.values[1:]:
            goes_on = (result != 0) if isinstance(node.op, ast.And) else (result == 0)
            result = np.where(goes_on, self.value(operand, _both(active, goes_on)), result)
        return result

    def _call(self, node: ast.Call, active: Mask) -> Array:
        arguments = tuple(self.value(argument, active) for argument in node.args)
        function = FUNCTIONS[cast(ast.Name, node.func).id]
        return self._finite(node, function.apply(*arguments), active, arguments)

    def _finite(self, node: ast.expr, value: Array, active: Mask, operands: tuple[Array, ...]) -> Array:
        self.work[0] += int(np.size(value))
        if self.work[0] > MAX_WORK:
            raise FormulaError("too much work for one formula", code="formula-too-large")
        finite = np.isfinite(value)
        if finite.all():
            return value
        if active is not None:
            finite = finite | ~active
            if finite.all():
                return value
        raise self._not_finite(node, finite, operands)

    def _not_finite(self, node: ast.expr, finite: Any, operands: tuple[Array, ...]) -> FormulaError:
        shape = np.broadcast_shapes((1,), np.shape(finite), *(array.shape for array in self.names.values()))
        where = tuple(int(axis[0]) for axis in np.nonzero(~np.broadcast_to(finite, shape)))
        put_in = [float(np.broadcast_to(operand, shape)[where]) for operand in operands]
        values = ", ".join(
            f"{name} = {float(np.broadcast_to(array, shape)[where]):.12g}" for name, array in self.names.items()
        )
        found = f"{text_of(node)!r} gives no finite number ({_why(node, put_in)})"
        return FormulaError(found + (f" where {values}" if values else ""), code="formula-not-finite")

    def _over_range(self, node: ast.Call, generator: ast.GeneratorExp, active: Mask) -> Array:
        name = cast(ast.Name, node.func).id
        loop = generator.generators[0]
        bounds = cast(ast.Call, loop.iter).args
        start, stop = np.broadcast_arrays(self._whole(bounds[0], active), self._whole(bounds[1], active))
        if active is not None:
            start, stop = np.where(active, start, 0), np.where(active, stop, 0)
        count = np.maximum(stop - start, 0)
        self._check_counts(node, name, count, active)
        variable = cast(ast.Name, loop.target).id
        body_is_shared = self._is_shared(generator.elt, variable)
        if body_is_shared and count.any():
            filled = np.atleast_1d(count > 0)
            lows, highs = np.unique(np.atleast_1d(start)[filled]), np.unique(np.atleast_1d(stop)[filled])
            if len(lows) == 1:
                return self._running(name, generator.elt, variable, np.arange(lows[0], highs[-1]), count)
            if len(highs) == 1:
                return self._running(name, generator.elt, variable, np.arange(lows[0], highs[0])[::-1], count)
        return self._item_by_item(name, generator.elt, variable, start, count)

    def _whole(self, node: ast.expr, active: Mask) -> Array:
        value = self.value(node, active)
        uneven = value != np.trunc(value)
        if active is not None:
            uneven = uneven & active
        if uneven.any():
            found = f"the range's end {text_of(node)!r} is {float(np.atleast_1d(value)[np.atleast_1d(uneven)][0]):.12g}"
            raise FormulaError(found, allowed="whole numbers (wrap it in floor() or ceil())", code="range-not-whole")
        # Ranges are counted in float64 even when the rest is not: float32 has no whole numbers past 2**24.
        return np.where(np.isfinite(value), value, 0).astype(np.float64)

    def _check_counts(self, node: ast.Call, name: str, count: Array, active: Mask) -> None:
        if count.size and count.max() > MAX_RANGE:
            found = f"a range of {int(count.max()):,} items in {text_of(node)!r}"
            raise FormulaError(found, allowed=f"at most {MAX_RANGE:,}", code="formula-too-large")
        empty = (count == 0) if active is None else (count == 0) & active
        if name != "sum" and empty.any():
            raise FormulaError(f"{name}() over an empty range in {text_of(node)!r}", code="formula-not-finite")

    def _is_shared(self, body: ast.expr, variable: str) -> bool:
        """Whether the body gives the same items for every element, so that one pass serves all."""
        used = {child.id for child in ast.walk(body) if isinstance(child, ast.Name)} - {variable}
        return all(self.names[name].size == 1 for name in used if name in self.names)

    def _running(self, name: str, body: ast.expr, variable: str, items: Array, count: Array) -> Array:
        """Running totals over the items; each element reads off the one at its own count."""
        scalars = {key: array.reshape(()) for key, array in self.names.items() if array.size == 1}
        inner = _Evaluation({**scalars, variable: items.astype(self.dtype)}, self.dtype, self.work)
        terms = np.broadcast_to(inner.value(body, None), items.shape)
        index = count.astype(np.int64)
        if name == "sum":
            return np.concatenate([np.zeros(1, self.dtype), np.cumsum(terms)])[index]
        running = {"min": np.minimum, "max": np.maximum}[name].accumulate(terms)
        return running[np.maximum(index - 1, 0)]

    def _item_by_item(self, name: str, body: ast.expr, variable: str, start: Array, count: Array) -> Array:
        """Every element has items of its own: one more axis holds them."""
        width = int(count.max()) if count.size else 0
        arrays = {key: array for key, array in self.names.items() if key != variable}
        shape = np.broadcast_shapes(start.shape, count.shape, *(array.shape for array in arrays.values()))
        _refuse_size((*shape, max(width, 1)))
        if width == 0:
            return np.zeros(shape, self.dtype)
        grown = {key: _with_last_axis(array, len(shape)) for key, array in arrays.items()}
        steps = np.arange(width)
        items = _with_last_axis(start, len(shape)) + steps
        inside = np.broadcast_to(steps < _with_last_axis(count, len(shape)), (*shape, width))
        inner = _Evaluation({**grown, variable: items.astype(self.dtype)}, self.dtype, self.work)
        terms = np.broadcast_to(inner.value(body, inside), inside.shape)
        if name == "sum":
            # cumsum adds one after the other, as a loop would; sum() would pair terms up.
            return np.cumsum(np.where(inside, terms, 0), axis=-1)[..., -1]
        if name == "min":
            return np.asarray(np.min(np.where(inside, terms, np.inf), axis=-1))
        return np.asarray(np.max(np.where(inside, terms, -np.inf), axis=-1))


def _both(active: Mask, condition: NDArray[np.bool_]) -> NDArray[np.bool_]:
    return condition if active is None else active & condition


def _with_last_axis(array: Array, dimensions: int) -> Array:
    return array.reshape((1,) * (dimensions - array.ndim) + array.shape + (1,))


def _why(node: ast.expr, put_in: list[float]) -> str:
    """Say in words why a step has no finite value, from its operands."""
    match node:
        case ast.BinOp(op=ast.Div() | ast.FloorDiv() | ast.Mod()) if put_in[1] == 0:
            return "division by zero"
        case ast.BinOp(op=ast.Pow()) if put_in[0] < 0:
            return "a negative number to a fractional power"
        case ast.BinOp(op=ast.Pow()) if put_in[0] == 0:
            return "zero to a negative power"
        case ast.Call(func=ast.Name(id="sqrt" | "log" | "log2" | "log10" as name)) if put_in[0] <= 0:
            return f"{name} of {put_in[0]:.12g}"
        case ast.Call(func=ast.Name(id="clip")):
            return f"clip from {put_in[1]:.12g} to {put_in[2]:.12g}: the low end is above the high end"
    return "larger than float64 holds"
