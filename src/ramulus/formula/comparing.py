"""Which names a formula compares with which."""

from __future__ import annotations

import ast
from collections.abc import Collection

from ramulus.formula.parser import Formula


def compared_with(formula: Formula, names: Collection[str]) -> set[str]:
    """Return the names that stand on the other side of a comparison with any of some names.

    Examples:
        >>> from ramulus.formula import parse
        >>> compared_with(parse("cost + (gate_cost if level == gate else 0)"), {"level"})
        {'gate'}
    """
    found: set[str] = set()
    for node in ast.walk(formula.tree):
        if isinstance(node, ast.Compare):
            sides = [_names_in(side) for side in (node.left, *node.comparators)]
            for index, side in enumerate(sides):
                if side & set(names):
                    found |= set().union(*sides[:index], *sides[index + 1 :])
    return found - set(names)


def _names_in(tree: ast.expr) -> set[str]:
    return {node.id for node in ast.walk(tree) if isinstance(node, ast.Name)}
