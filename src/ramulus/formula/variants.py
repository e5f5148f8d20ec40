"""The same formula with its operations in another order, as another programmer might have typed it.

On paper the order of a chain of sums or products does not matter; in floating point the last bit may differ, and
a rounding down then turns that bit into a whole XP.
"""

from __future__ import annotations

import ast
from collections.abc import Callable

from ramulus.formula.parser import Formula

_Chain = list[tuple[ast.operator, ast.expr]]


def reordered(formula: Formula) -> dict[str, Formula]:
    """Return the formula in other orders of its own operations, keyed by how it differs; only real changes."""
    orders = {
        "dividing first": _Reorder(_divide_first),
        "multiplying first": _Reorder(_multiply_first),
        "adding from the right": _Reorder(_from_the_right),
    }
    original = ast.unparse(formula.tree)
    variants = {}
    for name, order in orders.items():
        tree = order.visit(ast.parse(original, mode="eval").body)
        text = ast.unparse(ast.fix_missing_locations(tree))
        if text != original:
            variants[name] = Formula(text, tree, formula.names)
    return variants


class _Reorder(ast.NodeTransformer):
    def __init__(self, arrange: Callable[[_Chain], _Chain]) -> None:
        self.arrange = arrange

    def visit_BinOp(self, node: ast.BinOp) -> ast.expr:
        head, *rest = self.arrange(_chain_of(node))
        tree: ast.expr = self.visit(head[1])
        for operator, operand in rest:
            tree = ast.BinOp(tree, operator, self.visit(operand))
        return tree


def _chain_of(node: ast.expr) -> _Chain:
    """a * b / c as [(*, a), (*, b), (/, c)]; a + b - c as [(+, a), (+, b), (-, c)]; anything else stays whole."""
    for group, lead in (((ast.Mult, ast.Div), ast.Mult()), ((ast.Add, ast.Sub), ast.Add())):
        links: _Chain = []
        rest = node
        while isinstance(rest, ast.BinOp) and isinstance(rest.op, group):
            links.append((rest.op, rest.right))
            rest = rest.left
        if links:
            return [(lead, rest), *reversed(links)]
    assert isinstance(node, ast.BinOp)
    return [(ast.Pow(), node.left), (node.op, node.right)]


def _divide_first(chain: _Chain) -> _Chain:
    if not isinstance(chain[0][0], ast.Mult):
        return chain
    head, *rest = chain
    return [head, *sorted(rest, key=lambda link: isinstance(link[0], ast.Mult))]


def _multiply_first(chain: _Chain) -> _Chain:
    if not isinstance(chain[0][0], ast.Mult):
        return chain
    head, *rest = chain
    return [head, *sorted(rest, key=lambda link: isinstance(link[0], ast.Div))]


def _from_the_right(chain: _Chain) -> _Chain:
    if not isinstance(chain[0][0], ast.Add):
        return chain
    added = [link for link in chain if isinstance(link[0], ast.Add)]
    taken = [link for link in chain if isinstance(link[0], ast.Sub)]
    return [*reversed(added), *taken]
