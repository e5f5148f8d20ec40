"""Plant small mistakes and see whether the tests notice: ``python benchmarks/mutants.py goals --count 300``.

Mistakes are drawn from all that Cosmic Ray's operators and one of our own (a term left out) can make in a folder, without
those that no reader would call a mistake (annotations, messages). Each is planted in a child of a process that has all
tests at hand, and the tests that run its line are run until one fails, quick ones first. Where that is not enough (a
mistake outside of functions, or in what kernels are compiled from) it is planted in a copy of the repository. Every mistake
and what became of it is a line of JSON; what was not noticed is printed as a difference.

It needs `pip install -e '.[test,benchmark]'`. The first run looks which test runs which line: of the files that are about a
folder (`ABOUT`, or `--tests`), a few minutes; later ones of the same commit read it again.
"""

from __future__ import annotations

import argparse
import ast
import difflib
import gc
import inspect
import json
import os
import random
import re
import select
import shutil
import signal
import subprocess
import sys
import tempfile
import traceback
import zlib
from collections import Counter, defaultdict
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import asdict, dataclass
from itertools import accumulate
from pathlib import Path
from types import CodeType, FunctionType

import parso.python.tree
import pytest
from _pytest.runner import runtestprotocol
from cosmic_ray.ast import get_ast
from cosmic_ray.mutating import mutate_code
from cosmic_ray.operators.operator import Operator
from cosmic_ray.plugins import get_operator, operator_names

import ramulus as rm

ROOT = Path(__file__).resolve().parent.parent
sys.path[:] = [one for one in sys.path if Path(one or ".").resolve() != ROOT / "benchmarks"]  # Of its own `coverage`.
SHOWN = os.dup(1)  # Pytest keeps what is printed to itself.
# Who else runs a folder's lines (whole processes, figures, pages, documents) would notice by luck, and takes long.
ABOUT = {
    "rules": ("edges_of_rules", "ledger", "multipliers", "encounters", "costs", "cost_files", "arrivals", "tabulation", "properties",
              "workings", "sources_traced", "held_up", "places", "every_rule", "draws", "players", "surroundings", "results", "check"),
    "goals": ("goals", "goal_numbers", "goal_edges", "check", "results", "other_means", "places", "accepting"),
    "comparing": ("compare", "paired", "other_means", "results"),
    "tuning": ("tuning", "aims", "aim_edges", "goal_numbers", "goals", "paired"),
}  # fmt: skip
IN_KERNELS = ("overflow", "pay", "pursuit", "rounding", "xp_laws", "xp_units")
PLAYS = ("tests/test_agreement.py", "tests/test_simulation.py", "tests/test_players.py")
BUDGET = 200.0  # Seconds of tests, without a mistake and while lines are counted, that a mistake is tried on.
# Of the many replacements of an operator those that a person makes.
REPLACED = re.compile(
    r"Binary.*_(Add_Sub|Sub_Add|Mul_Div|Div_Mul|Div_FloorDiv|FloorDiv_Div|Mod_FloorDiv|Pow_Mul|BitAnd_BitOr|BitOr_BitAnd)$"
    r"|Comparison.*_(Lt_LtE|LtE_Lt|Gt_GtE|GtE_Gt|Lt_Gt|Gt_Lt|LtE_GtE|GtE_LtE|Eq_NotEq|NotEq_Eq|Is_IsNot|IsNot_Is)$"
    r"|Unary.*_(Delete_Not|Delete_USub|Delete_Invert)$"
    r"|core/(AddNot|Replace(True|False|And|Or|Break|Continue)With.*|NumberReplacer|ZeroIterationForLoop)$"
)


class LeaveOut(Operator):
    """Leave out one term of a sum, or one factor of a product."""

    def mutation_positions(self, node):
        if isinstance(node, parso.python.tree.PythonNode) and node.type in ("arith_expr", "term"):
            pairs = zip(node.children[1::2], node.children[2::2], strict=True)
            return [(sign.start_pos, term.end_pos) for sign, term in pairs]
        return []

    def mutate(self, node, index):
        del node.children[2 * index + 1 : 2 * index + 3]
        return node

    @classmethod
    def examples(cls):
        return ()


@dataclass
class Mistake:
    """One mistake: where it is, what kind, and the text of the file with it."""

    file: str
    line: int
    kind: str
    code: str
    change: str


def spared(code: str) -> set[int]:
    """Return the lines where nothing is planted: imports, decorators, docstrings, messages, annotations of fields."""
    lines: set[int] = set()
    for node in ast.walk(ast.parse(code)):
        spared = []
        if isinstance(node, ast.Import | ast.ImportFrom | ast.Raise | ast.Assert | ast.JoinedStr) or (
            isinstance(node, ast.If) and "TYPE_CHECKING" in ast.unparse(node.test)
        ):
            spared = [node]
        elif isinstance(node, ast.FunctionDef | ast.ClassDef):
            spared = [*node.decorator_list]
            if isinstance(node, ast.FunctionDef):
                arguments = [*node.args.args, *node.args.kwonlyargs]
                spared += [one.annotation for one in arguments if one.annotation] + (
                    [node.returns] if node.returns else []
                )
        elif (isinstance(node, ast.AnnAssign) and node.value is None) or (
            isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant)
        ):
            spared = [node]
        for one in spared:
            lines.update(range(one.lineno, one.end_lineno + 1))
    return lines


def mistakes_in(file: Path) -> Iterator[tuple[Operator, str, int, int]]:
    """Yield every mistake that can be planted: operator, its name, the how many-th of a file, and its line."""
    code = file.read_text(encoding="utf-8")
    tree, out, lines = get_ast(code), spared(code), code.splitlines()
    nodes = list(_nodes(tree))
    operators = [(get_operator(name), name) for name in operator_names() if REPLACED.search(name)]
    for made, name in [*operators, (LeaveOut, "own/LeaveOut")]:
        operator = made()
        places = [place for node in nodes for place in operator.mutation_positions(node)]
        for occurrence, ((line, _), _) in enumerate(places):
            if line not in out and not ("TrueWithFalse" in name and "strict=True" in lines[line - 1]):
                yield operator, name, occurrence, line


def _nodes(node):
    yield node
    for child in getattr(node, "children", []):
        yield from _nodes(child)


def drawn(parts: list[str], count: int, seed: int) -> list[Mistake]:
    """Draw different mistakes of folders or files, as many in a file as its share of all."""
    found = []
    for part in parts:
        place = ROOT / "src/ramulus" / part
        for file in [place] if part.endswith(".py") else sorted(place.glob("*.py")):
            found += [(file, *one) for one in mistakes_in(file)]
    random.Random(seed).shuffle(found)
    mistakes: dict[str, Mistake] = {}
    for file, operator, name, occurrence, line in found:
        before = file.read_text(encoding="utf-8")
        after = mutate_code(before, operator, occurrence)
        if after is None or not _differs(before, after):
            continue
        change = "\n".join(list(difflib.unified_diff(before.splitlines(), after.splitlines(), lineterm="", n=0))[2:])
        where = str(file.relative_to(ROOT))
        mistakes.setdefault(f"{where} {change}", Mistake(where, line, name.split("/")[1], after, change))
        if len(mistakes) == count:
            break
    return list(mistakes.values())


def _differs(before: str, after: str) -> bool:
    """Return whether a change is one: `*` of a call is no product, and what is left out may be layout."""
    try:
        return ast.dump(ast.parse(after)) != ast.dump(ast.parse(before))
    except SyntaxError:
        return False


def copy_of_repository(to: Path) -> Path:
    """Copy what is under version control, as it stands."""
    for name in subprocess.check_output(["git", "ls-files", "-co", "--exclude-standard"], cwd=ROOT, text=True).split(
        "\n"
    ):
        if name and (ROOT / name).is_file():
            (to / name).parent.mkdir(parents=True, exist_ok=True)
            shutil.copy2(ROOT / name, to / name)
    # A mistake that no kernel contains shall not make it compile again.
    compiled = to / "src/ramulus/simulation/compiled.py"
    text = compiled.read_text(encoding="utf-8")
    compiled.write_text(text.replace("SOURCES = _fingerprint()", 'SOURCES = int(os.environ.get("MISTAKE", "0"))'
                                     ).replace("import zlib\n", "import os\nimport zlib\n"), encoding="utf-8")  # fmt: skip
    assert "MISTAKE" in compiled.read_text(encoding="utf-8")
    return to


def tests_by_line(kept: Path, about: list[str]) -> tuple[dict[str, dict[int, list[str]]], dict[str, float]]:
    """Return which tests of some files run each line of each file, and how many seconds each test takes."""
    if not kept.exists():
        data, report = kept.with_suffix(".coverage"), kept.with_suffix(".xml")
        words = [
            "--cov=ramulus",
            "--cov-context=test",
            "--cov-report=",
            f"--junitxml={report}",
            "-p",
            "no:cacheprovider",
        ]
        # A test that fails here, where all is slower, is one that judges nothing.
        subprocess.run(
            [sys.executable, "-m", "pytest", "-n", "2", *words, *about],
            cwd=ROOT, env=_environment(ROOT) | {"COVERAGE_CORE": "ctrace", "COVERAGE_FILE": str(data)}, check=False,
        )  # fmt: skip
        kept.write_text(json.dumps(_read_coverage(data, report)))
    lines, seconds = json.loads(kept.read_text())
    return {file: {int(line): tests for line, tests in found.items()} for file, found in lines.items()}, seconds


def _read_coverage(data: Path, report: Path) -> tuple[dict[str, dict[int, list[str]]], dict[str, float]]:
    from xml.etree import ElementTree

    from coverage import CoverageData

    seconds: dict[str, float] = {}
    for case in ElementTree.parse(report).iter("testcase"):
        if case.find("failure") is not None or case.find("error") is not None:
            continue
        file = case.get("classname", "").replace(".", "/") + ".py"
        seconds[f"{file}::{case.get('name')}"] = float(case.get("time", 0))
    for test in list(seconds):
        seconds[test.split("::")[0]] = seconds.get(test.split("::")[0], 0.0) + seconds[test]
    covered = CoverageData(str(data))
    covered.read()
    lines = {}
    for file in covered.measured_files():
        found = covered.contexts_by_lineno(file)
        tests = {
            line: sorted({_whose(one) for one in names if _whose(one) in seconds}) for line, names in found.items()
        }
        lines[str(Path(file).relative_to(ROOT))] = tests
    return lines, seconds


def _whose(context: str) -> str:
    """Return a test, or its whole file where what ran was a fixture: others look at it, too."""
    test, _, phase = context.partition("|")
    return test.split("::")[0] if phase == "setup" else test


def _environment(copy: Path) -> dict[str, str]:
    return os.environ | {"PYTHONPATH": f"{copy / 'src'}", "PYTHONDONTWRITEBYTECODE": "1", "CI": "1"}


def tests_for(
    mistake: Mistake, lines: dict[str, dict[int, list[str]]], seconds: dict[str, float], budget: float
) -> list[str]:
    """Return the tests that run a mistake's line, quick ones of every file first."""
    at = lines.get(mistake.file, {})
    tests = at.get(mistake.line) or sorted({test for found in at.values() for test in found})
    # Where a fixture runs it, all tests of its file look at what comes of it.
    whole = {test for test in tests if "::" not in test}
    tests = {*tests, *(one for one in seconds if one.split("::")[0] in whole)} - whole
    by_file = defaultdict(list)
    for test in sorted(tests, key=lambda test: seconds.get(test, 1.0)):
        by_file[test.split("::")[0]].append(test)
    order = [test for turn in range(200) for found in by_file.values() for test in found[turn : turn + 1]]
    words = [word[:5] for word in Path(mistake.file).stem.split("_")]
    order.sort(key=lambda test: (not any(word in test for word in words), seconds.get(test, 1.0) > 1.5))
    spent = list(accumulate(seconds.get(test, 1.0) for test in order))
    return [test for test, so_far in zip(order, spent, strict=True) if so_far <= budget] or order[:1]


class Trial:
    """A plugin of pytest's: plants one mistake after the other in a child, and runs tests there until one fails."""

    def __init__(self, mistakes: list[Mistake], lines: dict, seconds: dict, output: str, budget: float) -> None:
        self.mistakes, self.lines, self.seconds, self.output, self.budget = mistakes, lines, seconds, output, budget
        self.counted: Counter[str] = Counter()
        self.noticing: Counter[str] = Counter()

    def pytest_runtestloop(self, session: pytest.Session) -> bool:
        """Take the place of pytest's own loop."""
        rm.simulate(rm.demo_design(), 2)  # So that children find the kernels loaded.
        items = {item.nodeid: item for item in session.items}
        with tempfile.TemporaryDirectory() as folder:
            copy = copy_of_repository(Path(folder))
            for number, mistake in enumerate(self.mistakes):
                # Who noticed something before is asked first.
                tests = sorted(
                    tests_for(mistake, self.lines, self.seconds, self.budget), key=lambda test: -self.noticing[test]
                )
                noticed = (
                    in_a_child(mistake, self._items(tests, items), 4 * self.budget) if not _outside(mistake) else ""
                )
                if not noticed and (_outside(mistake) or Path(mistake.file).stem in IN_KERNELS):
                    noticed = in_a_copy(mistake, copy, [*tests, *_plays(mistake)])
                self._tell(number, mistake, noticed)
        return True

    @staticmethod
    def _items(tests: list[str], items: dict[str, pytest.Item]) -> list[pytest.Item]:
        chosen = []
        for test in tests:
            chosen += (
                [items[test]] if test in items else [one for name, one in items.items() if name.split("::")[0] == test]
            )
        return chosen

    def _tell(self, number: int, mistake: Mistake, noticed: str) -> None:
        self.counted["noticed" if noticed else "missed"] += 1
        self.noticing[noticed] += 1
        if self.output:
            with Path(self.output).open("a", encoding="utf-8") as file:
                one = asdict(mistake) | {"noticed": noticed}
                del one["code"]
                file.write(json.dumps(one) + "\n")
        if not noticed:
            text = f"\n{number}: {mistake.file}:{mistake.line} {mistake.kind}\n{mistake.change}\n"
            os.write(SHOWN, text.encode())


def _codes(code: CodeType) -> Iterator[CodeType]:
    yield code
    for one in code.co_consts:
        if isinstance(one, CodeType):
            yield from _codes(one)


def _changed(mistake: Mistake) -> list[tuple[CodeType, CodeType]]:
    """Return the pieces of code that a mistake changes, before and after."""
    name = str(ROOT / mistake.file)
    texts = Path(name).read_text(encoding="utf-8"), mistake.code
    before, after = (list(_codes(compile(text, name, "exec", dont_inherit=True))) for text in texts)
    if len(before) != len(after):  # Some piece is no more: what there is cannot be given its code.
        return []
    return [(old, new) for old, new in zip(before, after, strict=True) if old != new]


def _outside(mistake: Mistake) -> bool:
    """Return whether a mistake stands outside of functions, so that who has imported its file has what it was."""
    changed = _changed(mistake)
    return not changed or not changed[-1][0].co_flags & inspect.CO_OPTIMIZED


def plant(mistake: Mistake) -> None:
    """Give functions that are there the code with the mistake."""
    changed = {(old.co_qualname, old.co_firstlineno): new for old, new in _changed(mistake)}
    name = str(ROOT / mistake.file)
    for one in gc.get_objects():
        if type(one) is FunctionType and one.__code__.co_filename == name:
            new = changed.get((one.__code__.co_qualname, one.__code__.co_firstlineno))
            if new is not None:
                one.__code__ = new


def in_a_child(mistake: Mistake, items: list[pytest.Item], most_seconds: float) -> str:
    """Plant a mistake in a child and run tests; return the one that noticed, "time", or an empty text."""
    read, write = os.pipe()
    child = os.fork()
    if child == 0:
        os.setsid()
        try:
            plant(mistake)
            for item, following in zip(items, [*items[1:], None], strict=True):
                if any(report.failed for report in runtestprotocol(item, log=False, nextitem=following)):
                    os.write(write, item.nodeid.encode())
                    break
        except BaseException:
            os.write(write, f"failed: {traceback.format_exc()}".encode())
        finally:
            os._exit(0)
    os.close(write)
    ready, _, _ = select.select([read], [], [], most_seconds)
    said = os.read(read, 10_000).decode() if ready else "time"
    os.close(read)
    if not ready:
        os.killpg(child, signal.SIGKILL)
    _, status = os.waitpid(child, 0)
    with suppress(ProcessLookupError):
        os.killpg(child, signal.SIGKILL)  # What it began and left.
    if ready and os.WIFSIGNALED(status):  # It died of the mistake.
        return f"signal {os.WTERMSIG(status)}"
    if said.startswith("failed: "):
        raise RuntimeError(said)
    return said


def _plays(mistake: Mistake) -> tuple[str, ...]:
    return PLAYS if Path(mistake.file).stem in IN_KERNELS else ()


def in_a_copy(mistake: Mistake, copy: Path, tests: list[str]) -> str:
    """Plant a mistake in a file of a copy and run tests; return the one that noticed, "time", or an empty text."""
    file = copy / mistake.file
    before = file.read_text(encoding="utf-8")
    file.write_text(mistake.code, encoding="utf-8")
    number = str(abs(hash(mistake.change)) % 2**31) if _plays(mistake) else "0"
    environment = _environment(copy) | {"MISTAKE": number, "NUMBA_CACHE_DIR": str(copy / "cache")}
    words = ["-x", "-q", "-p", "no:cacheprovider", "-p", "no:xdist", "--tb=no", *tests]
    try:
        ran = subprocess.run([sys.executable, "-m", "pytest", *words], cwd=copy, env=environment, timeout=600,
                             capture_output=True, text=True)  # fmt: skip
    except subprocess.TimeoutExpired:
        return "time"
    finally:
        file.write_text(before, encoding="utf-8")
    failed = re.findall(r"^(?:FAILED|ERROR) (\S+)", ran.stdout, re.M)
    return "" if ran.returncode == 0 else failed[0] if failed else f"status {ran.returncode}"


def main() -> None:
    """Draw, plant, try, and say what came of it."""
    parser = argparse.ArgumentParser(description=__doc__.split("\n")[0])
    parser.add_argument("parts", nargs="+", help="folders or files, such as rules, or tuning/aims.py")
    parser.add_argument("--count", type=int, default=300)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--from", dest="first", type=int, default=0, help="leave out the first so many")
    parser.add_argument("-o", "--output", default="", help="a line of JSON a mistake")
    parser.add_argument("--tests", default="", help="names of files of tests, with commas (default: those about it)")
    parser.add_argument(
        "--again", default="", help="try what an earlier output says was not noticed, four times as long"
    )
    parser.add_argument(
        "--budget",
        type=float,
        default=BUDGET,
        help="seconds of tests that a mistake is tried on (default: %(default)s)",
    )
    asked = parser.parse_args()
    commit = subprocess.check_output(["git", "rev-parse", "--short", "HEAD"], cwd=ROOT, text=True).strip()
    names = (
        asked.tests.split(",")
        if asked.tests
        else sorted({n for part in asked.parts for n in ABOUT[part.split("/")[0]]})
    )
    about, kept = (
        [f"tests/test_{name}.py" for name in names],
        f"tests-by-line-{commit}-{zlib.crc32(repr(names).encode())}",
    )
    lines, seconds = tests_by_line(Path(tempfile.gettempdir()) / f"{kept}.json", about)
    mistakes = drawn(asked.parts, asked.count, asked.seed)[asked.first :]
    if asked.again:
        missed = [json.loads(line) for line in Path(asked.again).read_text().splitlines()]
        missed = {(one["file"], one["change"]) for one in missed if not one["noticed"]}
        mistakes = [one for one in drawn(asked.parts, 10**9, asked.seed) if (one.file, one.change) in missed]
    trial = Trial(mistakes, lines, seconds, asked.output, asked.budget * (4 if asked.again else 1))
    os.chdir(ROOT)
    os.environ.update(CI="1")
    pytest.main(["-q", "-p", "no:cacheprovider", "-p", "no:xdist", "-p", "no:cov", *about], plugins=[trial])
    print(f"\n{' '.join(asked.parts)}: {dict(trial.counted)}")


if __name__ == "__main__":
    main()
