"""Formulas in other languages: one walk over the tree, with a table of words a language.

What is written out is exact in doubles everywhere; the functions whose meaning differs from language to language
(`round`, `//`, `%`) are helpers that each template brings along.
"""

from __future__ import annotations

import ast
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import NamedTuple

_SYMBOLS: dict[type[ast.AST], str] = {
    ast.Add: "+", ast.Sub: "-", ast.Mult: "*", ast.Div: "/", ast.Lt: "<", ast.LtE: "<=", ast.Gt: ">", ast.GtE: ">=",
    ast.Eq: "==", ast.NotEq: "!=",
}  # fmt: skip
_HELPERS: dict[type[ast.operator], str] = {ast.FloorDiv: "floor_div", ast.Mod: "modulo"}
# How tightly what is written binds, loosest first.
CHOICE, OR, AND, NOT, COMPARED, SUM, PRODUCT, SIGN, ATOM = range(9)


class Words(NamedTuple):
    """What differs from language to language.

    Attributes:
        functions: the call that a function or helper is written as, by its name in formulas, `floor_div` or `modulo`.
        both, either, negation, unequal: the operators.
        choice: a value that depends on a condition, from `{test}`, `{yes}` and `{no}`.
        as_number: a condition as 1 or 0, from `{test}`.
        number: writes a number.
        pairs: whether `min` and `max` take two arguments only.
    """

    functions: Mapping[str, str]
    both: str
    either: str
    negation: str
    unequal: str
    choice: str
    as_number: str
    number: Callable[[float], str]
    pairs: bool = False


@dataclass(frozen=True)
class Written:
    """A piece of an expression: its text, how tightly it binds, and whether it is a condition."""

    text: str
    binds: int
    condition: bool = False


class Writer:
    """Writes trees in one language."""

    def __init__(self, words: Words, names: Mapping[str, str]) -> None:
        self._words, self._names = words, names

    def number_of(self, tree: ast.expr) -> str:
        """Return a formula as an expression that is a number."""
        return self._as_number(self._write(tree)).text

    def factor_of(self, tree: ast.expr) -> str:
        """Return a formula as an expression that can be multiplied as it stands."""
        return self._held(self._as_number(self._write(tree)), SIGN)

    def _write(self, node: ast.expr) -> Written:
        match node:
            case ast.Constant(value=value):
                return Written(self._words.number(float(value)), ATOM)  # type: ignore[arg-type]
            case ast.Name(id=name):
                return Written(self._names[name], ATOM)
            case ast.UnaryOp(op=ast.Not(), operand=operand):
                return Written(
                    self._words.negation + self._held(self._as_condition(self._write(operand)), ATOM), NOT, True
                )
            case ast.UnaryOp(op=operator, operand=operand):
                sign = "-" if isinstance(operator, ast.USub) else ""
                return Written(sign + self._held(self._as_number(self._write(operand)), ATOM), SIGN)
            case ast.BinOp():
                return self._arithmetic(node)
            case ast.Compare():
                return self._comparison(node)
            case ast.BoolOp():
                return self._logic(node)
            case ast.IfExp(test=test, body=body, orelse=otherwise):
                return self._choice(self._as_condition(self._write(test)), self._write(body), self._write(otherwise))
            case ast.Call(func=ast.Name(id=name), args=arguments):
                return self._call(name, [self.number_of(argument) for argument in arguments])
        raise TypeError(type(node).__name__)

    def _arithmetic(self, node: ast.BinOp) -> Written:
        left, right = (self._as_number(self._write(side)) for side in (node.left, node.right))
        if type(node.op) in _HELPERS:
            return self._call(_HELPERS[type(node.op)], [left.text, right.text])
        binds = SUM if isinstance(node.op, ast.Add | ast.Sub) else PRODUCT
        # The right side of the same kind keeps its parentheses: doubles are not associative.
        text = f"{self._held(left, binds)} {_SYMBOLS[type(node.op)]} {self._held(right, binds + 1)}"
        return Written(text, binds)

    def _comparison(self, node: ast.Compare) -> Written:
        sides = [self._held(self._as_number(self._write(side)), SUM) for side in (node.left, *node.comparators)]
        symbols = [_SYMBOLS[type(operator)].replace("!=", self._words.unequal) for operator in node.ops]
        parts = [f"{a} {symbol} {b}" for a, symbol, b in zip(sides, symbols, sides[1:], strict=False)]
        return Written(f" {self._words.both} ".join(parts), COMPARED if len(parts) == 1 else AND, True)

    def _logic(self, node: ast.BoolOp) -> Written:
        parts = [self._write(value) for value in node.values]
        is_and = isinstance(node.op, ast.And)
        if all(part.condition for part in parts):
            word, binds = (self._words.both, AND) if is_and else (self._words.either, OR)
            return Written(f" {word} ".join(self._held(part, binds + 1) for part in parts), binds, True)
        # Of numbers, `and` and `or` give one of their operands, as in Python.
        result = parts[-1]
        for part in reversed(parts[:-1]):
            yes, no = (result, part) if is_and else (part, result)
            result = self._choice(self._as_condition(part), yes, no)
        return result

    def _choice(self, test: Written, yes: Written, no: Written) -> Written:
        held = {
            "test": self._held(test, COMPARED),
            "yes": self._held(self._as_number(yes), OR),
            "no": self._as_number(no).text,
        }
        return Written(f"({self._words.choice.format(**held)})", ATOM)

    def _call(self, name: str, arguments: list[str]) -> Written:
        call = self._words.functions[name]
        if name in ("min", "max") and self._words.pairs:
            text = arguments[0]
            for argument in arguments[1:]:
                text = f"{call}({text}, {argument})"
            return Written(text, ATOM)
        return Written(f"{call}({', '.join(arguments)})", ATOM)

    def _as_number(self, part: Written) -> Written:
        return Written(f"({self._words.as_number.format(test=part.text)})", ATOM) if part.condition else part

    def _as_condition(self, part: Written) -> Written:
        if part.condition:
            return part
        return Written(f"{self._held(part, SUM)} {self._words.unequal} {self._words.number(0.0)}", COMPARED, True)

    @staticmethod
    def _held(part: Written, binds: int) -> str:
        return part.text if part.binds >= binds else f"({part.text})"


def names_in(tree: ast.expr) -> set[str]:
    """Return the names that a formula reads."""
    called = {id(node.func) for node in ast.walk(tree) if isinstance(node, ast.Call)}
    return {node.id for node in ast.walk(tree) if isinstance(node, ast.Name) and id(node) not in called}


def used_functions(trees: list[ast.expr]) -> set[str]:
    """Return the functions and helpers that some formulas need."""
    found = set()
    for tree in trees:
        for node in ast.walk(tree):
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name):
                found.add(node.func.id)
            if isinstance(node, ast.BinOp) and type(node.op) in _HELPERS:
                found.add(_HELPERS[type(node.op)])
    return found
