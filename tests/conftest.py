"""What the tests share: small designs, and the command line in this process."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

import matplotlib as mpl
import pytest
from hypothesis import settings

import ramulus as rm
from attack.budget import Budget

mpl.use("Agg")

# What decides whether a change lands must not depend on luck; at home every run tries other examples, and so does
# `./dev fresh`.
settings.register_profile("ci", derandomize=True, deadline=None)
settings.register_profile("fresh", derandomize=False, deadline=None, print_blob=True)
if os.environ.get("CI"):
    settings.load_profile("ci")


def compiled(function: Callable[..., Any]) -> Any:
    """Compile a function that calls parts of kernels, as others than kernels may."""
    from numba import njit

    from ramulus.simulation.jitted import tell_numba_of_parts
    from ramulus.simulation.kernel_compiler import PartCompiler

    tell_numba_of_parts(PartCompiler)
    return njit(function)


def make(cost: Any = None, max_level: int = 6, track: dict[str, Any] | None = None, **parts: Any) -> rm.Design:
    """A design of one track, and of `skills`; other parts by name."""
    skills, file = parts.pop("skills", {}), parts.pop("file", None)
    one = {"max_level": max_level, "cost": cost or {"formula": "100 * level"}, **(track or {})}
    data = {"format": 1, "title": "Canopy", "tracks": {"warden": one, **skills}, **parts}
    return rm.Design.from_dict(data, file=file)


@dataclass
class Ran:
    status: int
    out: str
    err: str


@pytest.fixture
def cli(capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch):
    """Run the command line; what it printed and its exit status."""

    def run(*words: Any) -> Ran:
        from ramulus.__main__ import run as main

        monkeypatch.setattr(sys, "argv", ["ramulus", *map(str, words)])
        monkeypatch.setattr("ramulus.cli.terminal.finish", lambda: None)  # Whoever runs the tests may interrupt them.
        monkeypatch.setattr("ramulus.cli.terminal.end_stopped", lambda: sys.exit(130))
        capsys.readouterr()
        try:
            main()
            status = 0
        except SystemExit as stop:
            status = int(stop.code or 0)
        captured = capsys.readouterr()
        return Ran(status, captured.out, captured.err)

    return run


@pytest.fixture
def canopy(tmp_path):
    """The demo design as a file."""
    from ramulus.design import demo_text

    file = tmp_path / "canopy.toml"
    file.write_text(demo_text(), encoding="utf-8")
    return file


# --- attacks: a few cases usually, minutes of them with --attack 10m ---------------------------------------------


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--attack", default="", metavar="TIME", help="How long to attack for, such as 90s or 10m.")
    parser.addoption("--attack-seed", default="1", metavar="SEED", help="Where its cases come from.")


# What is left out of `./dev fast`: figures, pages, whole processes (exported code in all languages but Python, too), long
# statistics, searches.
SLOW = (
    "tests/attack", "test_agreement", "test_conform", "test_docs", "test_packaging", "test_recorded", "test_figures_and_examples", "test_first_hour", "test_guide",
    "test_bench", "test_web", "test_other_means", "test_page", "test_places", "test_surroundings", "test_tuning", "test_compare", "test_players",
    "test_working_together", "test_simulation", "test_standing_out", "test_properties",
)  # fmt: skip


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Mark whole files as slow."""
    for item in items:
        if any(name in str(item.path) for name in SLOW):
            item.add_marker(pytest.mark.slow)


@pytest.fixture
def budget(request: pytest.FixtureRequest) -> Iterator[Budget]:
    """The cases of an attack; what was tried is told at the end."""
    text = request.config.getoption("--attack")
    attacks = [item for item in request.session.items if item.get_closest_marker("attack")]
    minutes = float(text[:-1]) * {"s": 1 / 60, "m": 1.0, "h": 60.0}[text[-1]] if text else None
    share = None if minutes is None else 60 * minutes / len(attacks)
    mark = request.node.get_closest_marker("attack")
    made = Budget(request.node.name, *mark.args, share, request.config.getoption("--attack-seed"), **mark.kwargs)
    yield made
    request.node.user_properties.append(("attack", (made.name, made.done, made.seed)))


def pytest_terminal_summary(terminalreporter: Any, config: pytest.Config) -> None:
    """Tell how many cases each attack tried; one that failed did so in the case of that number."""
    if config.getoption("--attack"):
        for report in (one for reports in terminalreporter.stats.values() for one in reports):
            for name, value in getattr(report, "user_properties", []):
                if name == "attack" and report.when == "teardown":
                    terminalreporter.write_line("{}: {:,} cases, seed {}".format(*value))
