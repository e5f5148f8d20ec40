"""Formulas of a number that only play knows, as programs that a kernel runs.

All that a formula does with other names is tabulated by level beforehand; what is left is a list of steps over a stack
of numbers. Both branches of an `if` are worked out, and one is taken: nothing raises here.
"""

from __future__ import annotations

import ast
import math
from collections.abc import Mapping
from typing import Any, NamedTuple, cast

import numpy as np
from numpy.typing import NDArray

from ramulus.errors import DesignError, Problem
from ramulus.formula import evaluate, parse
from ramulus.formula.functions import Array
from ramulus.formula.parser import Formula

LEAF, UNKNOWN, SELECT, CLIP = 0, 1, 2, 3
_OF_TWO: dict[Any, int] = {
    ast.Add: 10, ast.Sub: 11, ast.Mult: 12, ast.Div: 13, ast.FloorDiv: 14, ast.Mod: 15, ast.Pow: 16, ast.Lt: 17,
    ast.LtE: 18, ast.Gt: 19, ast.GtE: 20, ast.Eq: 21, ast.NotEq: 22, ast.And: 23, ast.Or: 24, "min": 25, "max": 26,
}  # fmt: skip
_OF_ONE: dict[Any, int] = {
    ast.USub: 40, ast.Not: 41, "floor": 42, "ceil": 43, "round": 44, "sqrt": 45, "log": 46, "log2": 47, "log10": 48,
    "exp": 49, "abs": 50,
}  # fmt: skip
DEEPEST = 128  # Numbers on the stack: formulas are at most 40 deep, and a comparison of a chain holds two.


class Program(NamedTuple):
    """A formula of one unknown; L levels.

    Attributes:
        steps: what to do, and which leaf to put down, shape (steps, 2).
        leaves: what does not hang on the unknown, by level, shape (leaves, L); at least one.
    """

    steps: NDArray[np.int64]
    leaves: Array


def program_of(place: str, value: float | str, unknown: str, names: Mapping[str, Any], levels: Array) -> Program:
    """Return a number or formula as a program.

    Args:
        place: where it stands.
        value: the number or formula.
        unknown: the name that only play knows.
        names: all others: numbers, or arrays over the levels.
        levels: the levels, shape (L,).

    Raises:
        DesignError: a sum over a range reads the unknown, or a part of the formula has no finite value.
    """
    formula = parse(value) if isinstance(value, str) else parse(repr(float(value)))
    maker = _Maker(place, unknown, names, levels)
    maker.put(formula.tree)
    return Program(np.array(maker.steps, dtype=np.int64), np.stack(maker.leaves or [np.zeros(len(levels))]))


class _Maker:
    def __init__(self, place: str, unknown: str, names: Mapping[str, Any], levels: Array) -> None:
        self.place, self.unknown, self.names, self.levels = place, unknown, names, levels
        self.steps: list[tuple[int, int]] = []
        self.leaves: list[Array] = []

    def put(self, node: ast.expr) -> None:
        """Add the steps that leave a node's value on top of the stack."""
        if not any(isinstance(part, ast.Name) and part.id == self.unknown for part in ast.walk(node)):
            self._leaf(node)
            return
        match node:
            case ast.Name():
                self.steps.append((UNKNOWN, 0))
            case ast.UnaryOp(op=ast.UAdd(), operand=operand):
                self.put(operand)
            case ast.UnaryOp(op=sign, operand=operand):
                self._then(_OF_ONE[type(sign)], operand)
            case ast.BinOp(left=left, op=operator, right=right):
                self._then(_OF_TWO[type(operator)], left, right)
            case ast.Compare(left=left, ops=signs, comparators=others):
                for place, compared in enumerate(signs):
                    self._then(_OF_TWO[type(compared)], left if place == 0 else others[place - 1], others[place])
                self.steps += [(_OF_TWO[ast.Mult], 0)] * (len(signs) - 1)
            case ast.BoolOp(op=joined, values=values):
                self._then(_OF_TWO[type(joined)], *values)
            case ast.IfExp(test=test, body=body, orelse=otherwise):
                self._then(SELECT, test, body, otherwise)
            case _:
                self._call(cast(ast.Call, node))

    def _then(self, code: int, *operands: ast.expr) -> None:
        """Put down the operands, and join them: pair by pair where a code takes two of several."""
        for place, operand in enumerate(operands):
            self.put(operand)
            if code in (SELECT, CLIP):
                if place == 2:
                    self.steps.append((code, 0))
            elif place > 0 or len(operands) == 1:
                self.steps.append((code, 0))

    def _call(self, node: ast.Call) -> None:
        if isinstance(node.args[0], ast.GeneratorExp):
            found = f"{ast.unparse(node)!r} goes over a range that reads {self.unknown}"
            raise DesignError([Problem(self.place, found, f"{self.unknown} outside of sums", code="no-translation")])
        name = cast(ast.Name, node.func).id
        self._then(CLIP if name == "clip" else _OF_ONE.get(name) or _OF_TWO[name], *node.args)

    def _leaf(self, node: ast.expr) -> None:
        text = ast.unparse(node)
        used = tuple(dict.fromkeys(part.id for part in ast.walk(node) if isinstance(part, ast.Name)))
        formula = Formula(text, node, tuple(name for name in used if name in self.names))
        # In a branch that is not taken it may fail: what a program comes to is looked at when it is run.
        with np.errstate(all="ignore"):
            values = evaluate(formula, self.names, where=np.zeros(len(self.levels), dtype=np.bool_))
        self.steps.append((LEAF, len(self.leaves)))
        self.leaves.append(np.broadcast_to(values, self.levels.shape).astype(np.float64))


def run(steps: NDArray[np.int64], leaves: Array, level: int, unknown: float, stack: Array) -> float:
    """Return what a program comes to at a level, from 0; plain numbers only, so that a kernel compiles it.

    Args:
        steps, leaves: the program's.
        level: the level.
        unknown: the number that only play knows.
        stack: room for DEEPEST numbers.
    """
    top = -1
    for i in range(len(steps)):
        code = steps[i, 0]
        if code == LEAF:
            top += 1
            stack[top] = leaves[steps[i, 1], level]
        elif code == UNKNOWN:
            top += 1
            stack[top] = unknown
        elif code == SELECT:
            stack[top - 2] = stack[top - 1] if stack[top - 2] != 0.0 else stack[top]
            top -= 2
        elif code == CLIP:
            stack[top - 2] = min(max(stack[top - 2], stack[top - 1]), stack[top])
            top -= 2
        elif code >= 40:
            stack[top] = of_one(code, stack[top])
        else:
            stack[top - 1] = of_two(code, stack[top - 1], stack[top])
            top -= 1
    return stack[0]  # type: ignore[no-any-return]


def of_two(code: int, a: float, b: float) -> float:
    """Return what a step does to two numbers."""
    if code < 13:
        return a + b if code == 10 else a - b if code == 11 else a * b
    if code < 16:
        if b == 0.0:
            return math.nan
        whole = np.floor(a / b)
        return a / b if code == 13 else whole if code == 14 else a - b * whole
    if code == 16:
        return power_of(a, b)
    if code < 23:
        return 1.0 if holds(code, a, b) else 0.0
    if code < 25:
        return (b if a != 0.0 else a) if code == 23 else (a if a != 0.0 else b)
    return min(a, b) if code == 25 else max(a, b)


def holds(code: int, a: float, b: float) -> bool:
    """Return whether a comparison of two numbers holds."""
    if code < 20:
        return a < b if code == 17 else a <= b if code == 18 else a > b
    return a >= b if code == 20 else a == b if code == 21 else a != b


def power_of(a: float, b: float) -> float:
    """Return a power, as formulas have it: whole numbers to whole powers come out whole."""
    if (a < 0.0 and b != np.floor(b)) or (a == 0.0 and b < 0.0):
        return math.nan
    raised = a**b
    whole = a == np.floor(a) and b == np.floor(b) and b >= 0.0 and abs(raised) < 2.0**53
    return np.floor(raised + 0.5) if whole else raised  # type: ignore[no-any-return]


def of_one(code: int, a: float) -> float:
    """Return what a step does to one number."""
    if code < 42:
        return -a if code == 40 else 1.0 if a == 0.0 else 0.0
    if code < 45:
        if code == 44:
            return np.floor(a + 0.5) if a >= 0.0 else -np.floor(0.5 - a)  # type: ignore[no-any-return]
        return np.floor(a) if code == 42 else np.ceil(a)  # type: ignore[no-any-return]
    if code == 45:
        return math.sqrt(a) if a >= 0.0 else math.nan
    if code < 49:
        if a <= 0.0:
            return math.nan
        return math.log(a) if code == 46 else math.log2(a) if code == 47 else math.log10(a)
    return math.exp(a) if code == 49 else abs(a)
