"""Text to formula: Python's own parser, then a whitelist of what may stand in the tree."""

from __future__ import annotations

import ast
import warnings
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from typing import cast

from ramulus.errors import FormulaError, nearest_name
from ramulus.formula.functions import FUNCTIONS, RANGE_FUNCTIONS
from ramulus.formula.other_notations import meant

MAX_CHARACTERS = 2_000
MAX_DEPTH = 40
MAX_TREE_DEPTH = 120  # A chain such as a + b + c + … nests in the tree, though not on the page.

_OPERATORS = (ast.Add, ast.Sub, ast.Mult, ast.Div, ast.FloorDiv, ast.Mod, ast.Pow)
_COMPARISONS = (ast.Lt, ast.LtE, ast.Gt, ast.GtE, ast.Eq, ast.NotEq)
_SUMS = (ast.Add, ast.Sub)
_PRODUCTS = (ast.Mult, ast.Div, ast.FloorDiv, ast.Mod)


@dataclass(frozen=True)
class Formula:
    """A formula that has been read: its text, its tree and the names it needs.

    Attributes:
        text: as the author wrote it.
        tree: the whitelisted expression.
        names: the names it reads, without functions and range variables, in order of appearance.
    """

    text: str
    tree: ast.expr
    names: tuple[str, ...]

    def __str__(self) -> str:
        return self.text


@lru_cache(maxsize=4096)
def parse(text: str) -> Formula:
    """Read a formula.

    Args:
        text: an expression in the subset of Python's grammar that Ramulus takes.

    Returns:
        The formula, ready to evaluate.

    Raises:
        FormulaError: the text is too long or too deep, is no expression, or uses what is not allowed.

    Examples:
        >>> parse("first_cost + 24 * (level - 1) ** 1.5").names
        ('first_cost', 'level')
    """
    try:
        return _read(text)
    except FormulaError as error:
        found = None if error.code == "formula-too-large" else meant(text[:MAX_CHARACTERS], _is_formula)
        if found is None:
            raise
        raise FormulaError(error.found, allowed=error.allowed, nearest=found, code=error.code) from None


def _read(text: str) -> Formula:
    tree = _python_tree(text)
    _refuse_depth(tree)
    names: dict[str, None] = {}
    for name in _checked_names(tree, frozenset()):
        names.setdefault(name)
    return Formula(text.strip(), tree, tuple(names))


def _is_formula(text: str) -> bool:
    try:
        return bool(_read(text))
    except FormulaError:
        return False


def _python_tree(text: str) -> ast.expr:
    if len(text) > MAX_CHARACTERS:
        raise FormulaError(f"{len(text):,} characters long", allowed=f"at most {MAX_CHARACTERS:,}")
    if not text.strip():
        raise FormulaError("an empty formula", allowed="an expression such as 'level * 100'")
    for position, character in enumerate(text, 1):
        plain = character.isascii() and (character.isprintable() or character in "\t\n\r")
        if not plain or character == "#":
            raise FormulaError(f"the character {character!r} at position {position}", allowed="plain ASCII")
    try:
        # An author may break a long formula over lines.
        with warnings.catch_warnings():
            # Python warns of 0.if and the like on the terminal; whether it is a formula is said here.
            warnings.simplefilter("ignore")
            return ast.parse(" ".join(text.split()), mode="eval").body
    except SyntaxError as error:
        raise FormulaError(f"{_shorten(text)!r} is not an expression ({_reason(error)})") from None
    except (ValueError, MemoryError, RecursionError):
        raise FormulaError("nested too deeply to read", allowed=f"at most {MAX_DEPTH} levels") from None


def _reason(error: SyntaxError) -> str:
    return (error.msg or "invalid syntax").split(". Perhaps")[0]


def _shorten(text: str, width: int = 60) -> str:
    return text if len(text) <= width else text[: width - 1] + "…"


def _refuse_depth(tree: ast.expr) -> None:
    """Refuse a tree deeper than the limits, walking it without recursion."""
    pending: list[tuple[ast.AST, int, int]] = [(tree, 1, 1)]
    while pending:
        node, depth, tree_depth = pending.pop()
        if depth > MAX_DEPTH:
            raise FormulaError(f"nested more than {MAX_DEPTH} deep", allowed=f"at most {MAX_DEPTH} levels")
        if tree_depth > MAX_TREE_DEPTH:
            raise FormulaError("a chain of too many operations", allowed=f"at most {MAX_TREE_DEPTH} in one")
        for child in ast.iter_child_nodes(node):
            step = 0 if _continues_chain(node, child) else 1
            pending.append((child, depth + step, tree_depth + 1))


def _continues_chain(node: ast.AST, child: ast.AST) -> bool:
    if not (isinstance(node, ast.BinOp) and child is node.left and isinstance(child, ast.BinOp)):
        return False
    return any(isinstance(node.op, group) and isinstance(child.op, group) for group in (_SUMS, _PRODUCTS))


def _checked_names(node: ast.expr, bound: frozenset[str]) -> Iterator[str]:
    """Yield the free names of a node, refusing whatever is not in the language."""
    match node:
        case ast.Constant():
            _check_number(node)
        case ast.Name(id=name):
            if name in FUNCTIONS or name in ("sum", "range"):
                raise FormulaError(f"{name!r} is a function; it needs its parentheses")
            if name not in bound:
                yield name
        case ast.UnaryOp(op=ast.USub() | ast.UAdd() | ast.Not(), operand=operand):
            yield from _checked_names(operand, bound)
        case ast.BinOp(left=left, op=operator, right=right):
            _check_operator(operator)
            for side in (left, right):
                yield from _checked_names(side, bound)
        case ast.Compare(left=left, ops=operators, comparators=rest):
            if not all(isinstance(operator, _COMPARISONS) for operator in operators):
                raise _not_allowed(node, "comparisons < <= > >= == !=")
            for side in (left, *rest):
                yield from _checked_names(side, bound)
        case ast.BoolOp(values=values):
            for value in values:
                yield from _checked_names(value, bound)
        case ast.IfExp(test=test, body=body, orelse=otherwise):
            for part in (test, body, otherwise):
                yield from _checked_names(part, bound)
        case ast.Call():
            yield from _checked_call(node, bound)
        case _:
            raise _not_allowed(node, "numbers, names, operators, 'a if c else b' and calls of functions")


def _check_number(node: ast.Constant) -> None:
    if isinstance(node.value, bool) or not isinstance(node.value, int | float):
        raise _not_allowed(node, "numbers (1 for true, 0 for false)")
    try:
        finite = abs(float(node.value)) < float("inf")
    except OverflowError:
        finite = False
    if not finite:
        raise FormulaError("a number too large for float64", allowed="numbers up to about 1.8e308")


def _check_operator(operator: ast.operator) -> None:
    if isinstance(operator, ast.BitXor):
        raise FormulaError("'^' is not a power here", allowed="'**' for powers", nearest="**", code="caret-for-power")
    if not isinstance(operator, _OPERATORS):
        raise FormulaError(f"the operator {type(operator).__name__}", allowed="+ - * / // % **")


def _checked_call(node: ast.Call, bound: frozenset[str]) -> Iterator[str]:
    name = node.func.id if isinstance(node.func, ast.Name) else None
    if name is None or node.keywords or any(isinstance(argument, ast.Starred) for argument in node.args):
        raise _not_allowed(node, "calls such as 'min(a, b)', with no dots, keywords or stars")
    if len(node.args) == 1 and isinstance(node.args[0], ast.GeneratorExp) and name in RANGE_FUNCTIONS:
        yield from _checked_range(node.args[0], bound)
        return
    if name not in FUNCTIONS:
        if name in ("sum", "range"):
            raise _not_allowed(node, "'sum(EXPRESSION for NAME in range(A, B))'")
        known = (*FUNCTIONS, "sum")
        raise FormulaError(
            f"no function is called {name!r}",
            allowed=", ".join(known),
            nearest=nearest_name(name, known),
            code="unknown-function",
        )
    _check_arity(name, len(node.args))
    for argument in node.args:
        yield from _checked_names(argument, bound)


def _check_arity(name: str, given: int) -> None:
    function = FUNCTIONS[name]
    if given < function.least or (function.most is not None and given > function.most):
        wanted = f"{function.least}" if function.most else f"{function.least} or more"
        raise FormulaError(f"{name}() is given {given} arguments", allowed=wanted)


def _checked_range(generator: ast.GeneratorExp, bound: frozenset[str]) -> Iterator[str]:
    form = "'… for NAME in range(A, B)'"
    loop = generator.generators[0]
    if len(generator.generators) != 1 or loop.ifs or loop.is_async or not isinstance(loop.target, ast.Name):
        raise _not_allowed(generator, form)
    call = loop.iter
    is_range = isinstance(call, ast.Call) and isinstance(call.func, ast.Name) and call.func.id == "range"
    if not is_range or len(cast(ast.Call, call).args) != 2 or cast(ast.Call, call).keywords:
        raise _not_allowed(generator, form)
    variable = loop.target.id
    if variable in FUNCTIONS or variable in ("sum", "range"):
        raise FormulaError(f"{variable!r} is a function and cannot be a range's name")
    for end in cast(ast.Call, call).args:
        yield from _checked_names(end, bound)
    yield from _checked_names(generator.elt, bound | {variable})


def _not_allowed(node: ast.AST, allowed: str) -> FormulaError:
    try:
        text = _shorten(ast.unparse(node))
    except RecursionError:
        text = type(node).__name__
    return FormulaError(f"{text!r} is not part of the formula language", allowed=allowed)
