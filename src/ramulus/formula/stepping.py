"""Formulas that feed on their own last value: one fast call a step.

A recurrence cannot be computed over all levels at once. The whitelisted tree is compiled to a Python function of
`previous` and `level`; `evaluate` over the finished values then confirms every step.
"""

from __future__ import annotations

import ast
import math
from collections.abc import Callable, Mapping
from typing import Any, cast

import numpy as np

from ramulus.errors import FormulaError
from ramulus.formula.evaluation import MAX_ELEMENTS, MAX_RANGE, evaluate
from ramulus.formula.functions import FUNCTIONS, PLAIN_POWERS, Array
from ramulus.formula.parser import Formula

Step = Callable[[float, float], float]


def run_steps(
    formula: Formula,
    first: float,
    levels: Array,
    constants: Mapping[str, float],
    settle: Callable[[float], float],
    number: Callable[[Any], Any] = float,
) -> tuple[Array, Array]:
    """Compute ``stated[i] = formula(previous=fed[i-1], level=levels[i])`` and ``fed[i] = settle(stated[i])``.

    Args:
        formula: a formula of `previous` and `level`.
        first: the stated value at the first level.
        levels: the levels, shape (n,), n >= 1.
        constants: the other names the formula may use.
        settle: what is done to each value before it feeds on (a clamp, a rounding).
        number: the number type to compute in.

    Returns:
        What the formula states and what feeds on, shape (n,) each.

    Raises:
        FormulaError: a step has no finite value, or a limit is passed.
    """
    stated, fed = np.empty(len(levels)), np.empty(len(levels))
    stated[0] = first
    fed[0] = previous = settle(first)
    step = _compiled(formula, constants, number)
    with np.errstate(all="ignore"):
        for index, level in enumerate(levels[1:].tolist(), 1):
            try:
                value = step(number(previous), number(level))
                finite = math.isfinite(value)
            except (ArithmeticError, TypeError, ValueError):
                finite = False
            if not finite:
                _explain_failure(formula, previous, level, constants)
            stated[index] = float(value)
            fed[index] = previous = settle(float(value))
    if number is float and len(levels) > 1:
        # One pass over all steps finds what a single number hides, such as an infinity that min() swallowed.
        evaluate(formula, {**constants, "previous": fed[:-1], "level": levels[1:]})
    return stated, fed


def _explain_failure(formula: Formula, previous: float, level: float, constants: Mapping[str, float]) -> None:
    evaluate(formula, {**constants, "previous": previous, "level": level})
    raise FormulaError(
        f"{formula.text!r} gives no finite number where previous = {previous:.12g}, level = {level:.12g}",
        code="formula-not-finite",
    )


def _compiled(formula: Formula, constants: Mapping[str, float], number: Callable[[Any], Any]) -> Step:
    tree = ast.Expression(
        ast.Lambda(
            args=ast.arguments(
                posonlyargs=[], args=[ast.arg("previous"), ast.arg("level")], kwonlyargs=[], kw_defaults=[],
                defaults=[],
            ),
            body=_Scalar().visit(_copy(formula.tree)),
        )
    )  # fmt: skip
    ast.fix_missing_locations(tree)
    scope: dict[str, Any] = {name: number(value) for name, value in constants.items()}
    scope.update(_scalar_functions(number))
    scope["__builtins__"] = {}
    return cast(Step, eval(compile(tree, "<formula>", "eval"), scope))


def _copy(tree: ast.expr) -> ast.expr:
    return ast.parse(ast.unparse(tree), mode="eval").body


class _Scalar(ast.NodeTransformer):
    """Rewrite a checked tree so that each number and function is the one `evaluate` uses."""

    def visit_Constant(self, node: ast.Constant) -> ast.expr:
        return ast.Call(ast.Name("_number", ast.Load()), [node], [])

    def visit_BinOp(self, node: ast.BinOp) -> ast.expr:
        self.generic_visit(node)
        if isinstance(node.op, ast.Pow):
            return ast.Call(ast.Name("_power", ast.Load()), [node.left, node.right], [])
        return node

    def visit_Call(self, node: ast.Call) -> ast.expr:
        self.generic_visit(node)
        function = cast(ast.Name, node.func)
        over_range = len(node.args) == 1 and isinstance(node.args[0], ast.GeneratorExp)
        function.id = f"_{function.id}" + ("_over" if over_range else "")
        return node


def _scalar_functions(number: Callable[[Any], Any]) -> dict[str, Any]:
    # These are kept scalar twins of functions.py: the array versions cost ten times as much for one number.
    spent = [0]

    def span(start: float, stop: float) -> Any:
        if start != int(start) or stop != int(stop) or stop - start > MAX_RANGE:
            raise ValueError("left to evaluate() to explain")
        spent[0] += max(int(stop) - int(start), 0)
        if spent[0] > MAX_ELEMENTS:
            found = f"more than {MAX_ELEMENTS:,} range items over all steps"
            raise FormulaError(found, code="formula-too-large")
        return (number(item) for item in range(int(start), int(stop)))

    def one(apply: Callable[..., Any]) -> Callable[..., Any]:
        return lambda *arguments: number(apply(*arguments))

    def add_up(items: Any) -> Any:
        total = number(0)
        for item in items:  # sum() compensates rounding from Python 3.12 on; a game's loop does not.
            total += item
        return total

    def raise_to(base: Any, exponent: Any) -> Any:
        plain = PLAIN_POWERS.get(float(exponent))
        result = number(plain(base) if plain is not None else np.power(base, exponent))
        whole = exponent >= 0 and base == int(base) and exponent == int(exponent) and abs(result) < 2**53
        return number(round(result)) if whole else result

    functions = {f"_{name}": one(function.apply) for name, function in FUNCTIONS.items()}
    functions.update(_min=min, _max=max, _min_over=min, _max_over=max, _sum_over=add_up, _range=span)
    functions.update(_power=raise_to, _number=number, _floor=one(math.floor), _ceil=one(math.ceil), _abs=abs)
    return functions
