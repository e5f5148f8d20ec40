"""The shape of the code: small files, small functions, folders that are no heap, and no file that needs its own folder."""

from __future__ import annotations

import ast
from collections import Counter
from collections.abc import Iterator
from pathlib import Path

import grimp
import pytest

import ramulus as rm

SOURCE = Path(rm.__file__).parent
FILES = sorted(SOURCE.rglob("*.py"))


def functions() -> Iterator[tuple[str, int]]:
    """Every function with its lines, those of its docstring aside."""
    for file in FILES:
        for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
            if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
                said = ast.get_docstring(node, clean=False)
                words = node.body[0].end_lineno - node.body[0].lineno + 1 if said else 0
                yield f"{file.relative_to(SOURCE)}: {node.name}", node.end_lineno - node.lineno + 1 - words


def test_files_and_functions_are_small():
    lines = {str(file.relative_to(SOURCE)): len(file.read_text(encoding="utf-8").splitlines()) for file in FILES}
    assert {name: count for name, count in lines.items() if count > 300} == {}
    sizes = list(functions())
    assert [(name, size) for name, size in sizes if size > 60] == []
    assert sum(size < 20 for _, size in sizes) >= 0.9 * len(sizes)
    folders = Counter()
    for name, count in lines.items():
        folders[name.split("/")[0]] += count
    assert max(folders.values()) < sum(lines.values()) / 4


def test_no_file_imports_the_folder_that_it_is_part_of():
    """import-linter looks at circles between files beside each other, not at those with their own `__init__`."""
    graph = grimp.build_graph("ramulus", cache_dir=None)
    found = [
        (module, above)
        for module in graph.modules
        for above in graph.find_modules_directly_imported_by(module)
        if module.startswith(f"{above}.") and above != "ramulus"
    ]
    assert found == []


@pytest.mark.parametrize("name", rm.__all__)
def test_every_public_name_is_there_and_says_what_it_is(name):
    assert getattr(rm, name).__doc__
    assert name in dir(rm)
