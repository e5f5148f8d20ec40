"""The page "from wish to numbers": its commands and its snippet, run as they stand."""

from __future__ import annotations

import re
import shlex
from pathlib import Path

import pytest

import ramulus as rm
from ramulus.design import demo_text

PAGE = (Path(__file__).parent.parent / "docs" / "from-wish-to-numbers.md").read_text(encoding="utf-8")
BLOCKS = re.findall(r"^```(\w*)\n(.*?)^```", PAGE, flags=re.MULTILINE | re.DOTALL)


@pytest.fixture(autouse=True)
def elsewhere(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)


def test_the_commands_do_what_the_page_says(cli, monkeypatch):
    lines = [line for kind, block in BLOCKS if not kind for line in block.strip().splitlines()]
    assert sum(line.startswith("ramulus ") for line in lines) >= 8
    missed = []
    for line in lines:
        words = shlex.split(line)
        if words[0] == "cd":
            monkeypatch.chdir(words[1])
            continue
        assert words[0] == "ramulus"
        ran = cli(*words[1:])
        assert ran.status == (1 if ran.out.count("\n  missed") else 0), (line, ran.out, ran.err)
        missed += [ran.out.count("\n  missed")] if "--goals" in words else []
    # What was missed at first is met once the numbers are written.
    assert missed == [1, 0]


def test_the_goals_on_the_page_are_those_of_the_demo():
    shown = next(block for kind, block in BLOCKS if kind == "toml")
    lines = [line.split("#")[0].strip() for line in shown.splitlines() if line.strip()]
    text = "\n".join(line.split("#")[0].strip() for line in demo_text().splitlines())
    assert "\n".join(lines[: lines.index("[[goals]]", 1)]) in text


def test_the_snippet_runs():
    rm.demo_design().save("canopy.toml")
    snippet = next(block for kind, block in BLOCKS if kind == "python")
    names: dict[str, object] = {}
    exec(snippet, names)
    assert rm.load_design("canopy_tuned.toml").constants["crown_gate"] < 3000
    assert len(names["paced"].track().cost.values) == 39
