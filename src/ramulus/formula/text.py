"""A formula's tree back to text, the way an author writes it."""

from __future__ import annotations

import ast
import copy


def text_of(node: ast.expr) -> str:
    """Return a node's text; a range inside a call stands without Python's doubled parentheses."""
    if any(isinstance(inside, ast.GeneratorExp) for inside in ast.walk(node)):
        node = _BareRanges().visit(copy.deepcopy(node))
    return ast.unparse(node)


class _BareRanges(ast.NodeTransformer):
    def visit_GeneratorExp(self, node: ast.GeneratorExp) -> ast.expr:
        loop = node.generators[0]
        text = f"{text_of(node.elt)} for {ast.unparse(loop.target)} in {text_of(loop.iter)}"
        return ast.Name(text, ast.Load())
