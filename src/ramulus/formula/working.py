"""The working of a formula at one point: innermost step first, as on paper."""

from __future__ import annotations

import ast
import copy
from collections.abc import Mapping
from dataclasses import dataclass
from typing import cast

import numpy as np

from ramulus.formula.evaluation import MAX_RANGE, _Evaluation, check_names
from ramulus.formula.parser import Formula
from ramulus.formula.text import text_of

SHOWN_TERMS = 4


@dataclass(frozen=True)
class Step:
    """One line of a working.

    Attributes:
        expression: the part of the formula, as written.
        put_in: the same with values in place of names and inner steps; a formula that gives `value`.
        value: what it gives.
        note: which way a rounding went, which branch was taken, the terms of a sum.
    """

    expression: str
    put_in: str
    value: float
    note: str = ""


def work_through(formula: Formula, names: Mapping[str, float]) -> list[Step]:
    """Return the steps of a formula at one point, innermost first; the last one gives the result.

    Args:
        formula: what to work through.
        names: a number for each name.

    Raises:
        FormulaError: a name is unknown or a step is not finite.
    """
    check_names(formula, names)
    scope = {name: float(names[name]) for name in formula.names}
    work = _Working(scope)
    value = work.reduce(formula.tree)
    if not work.steps:
        work.steps.append(Step(text_of(formula.tree), number_text(value), value))
    return work.steps


def number_text(value: float) -> str:
    """Write a number as exactly as float64 holds it, whole numbers without a point."""
    if value == int(value) and abs(value) < 2**53:
        return str(int(value))
    return repr(float(value))


class _Working:
    def __init__(self, names: Mapping[str, float]) -> None:
        self.names = names
        self.steps: list[Step] = []

    def reduce(self, node: ast.expr) -> float:
        """Work a node down to a number, writing a line for each operation."""
        match node:
            case ast.Constant(value=number):
                return float(cast(float, number))
            case ast.Name(id=name):
                return self.names[name]
            case ast.IfExp(test=test, body=body, orelse=otherwise):
                holds = self.reduce(test) != 0
                taken = body if holds else otherwise
                value = self.reduce(taken)
                words = "the condition holds" if holds else "the condition does not hold"
                self._write(node, text_of(_literal(value)), value, f"{words}: takes {text_of(taken)}")
                return value
            case ast.BoolOp():
                return self._logic(node)
            case ast.Compare():
                return self._comparison(node)
            case ast.UnaryOp(op=ast.USub(), operand=ast.Constant(value=number)):
                return -float(cast(float, number))
            case ast.UnaryOp(op=operator, operand=operand):
                return self._finish(node, ast.UnaryOp(operator, _literal(self.reduce(operand))))
            case ast.BinOp(left=left, op=operator, right=right):
                first = _literal(self.reduce(left))
                return self._finish(node, ast.BinOp(first, operator, _literal(self.reduce(right))))
            case ast.Call(args=[ast.GeneratorExp() as generator]):
                return self._over_range(node, generator)
            case _:
                call = cast(ast.Call, node)
                arguments: list[ast.expr] = [_literal(self.reduce(argument)) for argument in call.args]
                return self._finish(node, ast.Call(call.func, arguments, []))

    def _comparison(self, node: ast.Compare) -> float:
        """A chain stops at its first comparison that does not hold, as in Python."""
        values = [_literal(self.reduce(node.left))]
        for operator, comparator in zip(node.ops, node.comparators, strict=True):
            values.append(_literal(self.reduce(comparator)))
            if not _compute(ast.Compare(values[-2], [operator], [values[-1]]), {}):
                break
        return self._finish(node, ast.Compare(values[0], node.ops[: len(values) - 1], values[1:]))

    def _logic(self, node: ast.BoolOp) -> float:
        value = 0.0
        for operand in node.values:
            value = self.reduce(operand)
            if (value != 0) == isinstance(node.op, ast.Or):
                break
        self._write(node, text_of(_literal(value)), value, f"decided by {text_of(operand)}")
        return value

    def _over_range(self, node: ast.Call, generator: ast.GeneratorExp) -> float:
        loop = generator.generators[0]
        bounds = [int(self.reduce(end)) for end in cast(ast.Call, loop.iter).args]
        value = self._compute(node)
        variable = cast(ast.Name, loop.target).id
        items = range(bounds[0], bounds[1])[:MAX_RANGE]
        shown = list(items) if len(items) <= SHOWN_TERMS + 1 else [*items[:SHOWN_TERMS], items[-1]]
        terms = [
            f"{variable}={item}: {number_text(_compute(generator.elt, {**self.names, variable: float(item)}))}"
            for item in shown
        ]
        if len(items) > len(shown):
            terms.insert(SHOWN_TERMS, f"… {len(items) - len(shown)} more …")
        note = f"{len(items)} terms: " + ", ".join(terms) if terms else "no terms"
        self._write(node, text_of(_PutIn(self.names, variable, bounds).visit(copy.deepcopy(node))), value, note)
        return value

    def _finish(self, node: ast.expr, put_in: ast.expr) -> float:
        value = _compute(put_in, {})
        self._write(node, text_of(ast.fix_missing_locations(put_in)), value, _rounding_note(put_in, value))
        return value

    def _compute(self, node: ast.expr) -> float:
        return _compute(node, self.names)

    def _write(self, node: ast.expr, put_in: str, value: float, note: str) -> None:
        self.steps.append(Step(text_of(node), put_in, value, note))


class _PutIn(ast.NodeTransformer):
    """Put values in place of names, but for the variable of a range, whose ends are known."""

    def __init__(self, names: Mapping[str, float], variable: str, bounds: list[int]) -> None:
        self.names, self.bound, self.bounds = names, {variable}, bounds

    def visit_Name(self, node: ast.Name) -> ast.expr:
        return _literal(self.names[node.id]) if node.id in self.names and node.id not in self.bound else node

    def visit_GeneratorExp(self, node: ast.GeneratorExp) -> ast.expr:
        loop = node.generators[0]
        if self.bounds:
            cast(ast.Call, loop.iter).args = [_literal(float(end)) for end in self.bounds]
            self.bounds = []
        else:
            loop.iter = self.visit(loop.iter)
        self.bound = self.bound | {cast(ast.Name, loop.target).id}
        node.elt = self.visit(node.elt)
        return node

    def visit_Call(self, node: ast.Call) -> ast.expr:
        node.args = [self.visit(argument) for argument in node.args]
        return node


def _compute(node: ast.expr, names: Mapping[str, float]) -> float:
    arrays = {name: np.asarray(value, dtype=np.float64) for name, value in names.items()}
    with np.errstate(all="ignore"):
        return float(_Evaluation(arrays, np.dtype(np.float64)).value(node, None))


def _literal(value: float) -> ast.expr:
    """A number as a tree; a negative one as a minus sign, so that powers get their parentheses."""
    magnitude = abs(value)
    whole = magnitude == int(magnitude) and magnitude < 2**53
    constant = ast.Constant(int(magnitude) if whole else magnitude)
    return ast.UnaryOp(ast.USub(), constant) if value < 0 else constant


def _rounding_note(put_in: ast.expr, value: float) -> str:
    words = {
        "floor": "rounded down",
        "ceil": "rounded up",
        "round": "rounded to nearest, halves away from zero",
    }
    match put_in:
        case ast.Call(func=ast.Name(id=name), args=[argument]) if name in words:
            before = _compute(argument, {})
            return words[name] + (f" from {number_text(before)}" if before != value else ", already whole")
        case ast.BinOp(op=ast.FloorDiv(), left=left, right=right):
            exact = _compute(ast.BinOp(left, ast.Div(), right), {})
            return f"whole-number division: {number_text(exact)} rounded down" if exact != value else ""
        case ast.Compare() | ast.UnaryOp(op=ast.Not()):
            return "true" if value else "false"
    return ""
