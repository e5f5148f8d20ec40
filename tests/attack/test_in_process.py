"""Attacks in this process: whatever comes in, out comes an answer or one clear error, soon and in little memory."""

from __future__ import annotations

import json
import math
import tomllib
from pathlib import Path

import numpy as np
import pytest

import ramulus as rm
from attack import mutation
from attack.budget import Budget
from ramulus.design import demo_text, shipped_variants, starter_text
from ramulus.errors import FormulaError
from ramulus.files import write_table
from ramulus.files.cost_file import read_cost_table
from ramulus.formula import evaluate, parse, work_through

DESIGNS = [tomllib.loads(text) for text in (demo_text(), starter_text(), *shipped_variants().values())]
LEVELS = np.arange(1.0, 6.0)


# The commands, with how often each is tried: what plays costs a hundred times as much as what reads.
COMMANDS = [
    *[["levels"], ["gain"], ["effort"], ["award", "40", "5000", "1e6"], ["levels", "--format", "json"]] * 4,
    *[["explain", "tracks.warden.cost", "--level", "3"], ["award", "--source", "bark_borer", "--times", "20"]] * 4,
    ["check"], ["simulate", "--players", "2", "--hours", "1"], ["party", "--parties", "2", "--encounters", "20"],
]  # fmt: skip


@pytest.mark.attack(80)
def test_designs_with_something_wrong(budget: Budget, cli, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    Path("costs.csv").write_text("level,cost\n1,10\n2,20\n")
    for dice in budget:
        data = mutation.mutated(dice.choice(DESIGNS), dice)
        try:
            rm.Design.from_dict(data)
        except rm.DesignError as error:
            assert error.problems and all(problem.found and problem.code for problem in error.problems)
        Path("d.json").write_text(json.dumps(data))
        command, *words = dice.choice(COMMANDS)
        ran = cli(command, "d.json", *words)
        assert ran.status in (0, 1, 2), ran.err
        assert ran.status == 0 or "error" in ran.err.lower() + ran.out, (command, ran)
        shown = (ran.err + ran.out).replace("\n", "").replace("\t", "")
        assert shown.isprintable() or not any(ord(letter) < 32 or 127 <= ord(letter) < 160 for letter in shown), shown
        assert sorted(path.name for path in tmp_path.iterdir()) == ["costs.csv", "d.json"]


@pytest.mark.attack(250)
def test_formulas_are_what_python_makes_of_them(budget: Budget):
    for dice in budget:
        text, a = mutation.formula(dice), dice.choice([0.0, 1.5, -2.0, 100.0])
        try:
            parsed = parse(text)
        except FormulaError as error:
            assert any(word in str(error) for word in ("deep", "long")), (text, error)
            continue
        expected = [mutation.by_python(text, level, a) for level in LEVELS.tolist()]
        if all(map(math.isfinite, expected)):
            assert np.broadcast_to(evaluate(parsed, {"level": LEVELS, "a": a}), LEVELS.shape).tolist() == expected, text
            assert work_through(parsed, {"level": 3.0, "a": a})[-1].value == expected[2], text
        else:
            with pytest.raises(FormulaError):
                evaluate(parsed, {"level": LEVELS, "a": a})


@pytest.mark.attack(150)
def test_text_that_is_hardly_a_formula(budget: Budget):
    for dice in budget:
        holder = {"it": mutation.formula(dice, 3)}
        for _ in range(dice.randrange(1, 4)):
            mutation._text_mangled(None, holder, "it", dice)
        try:
            found = evaluate(parse(holder["it"]), {"level": LEVELS, "a": 1.5})
        except FormulaError as error:
            assert str(error)
        else:
            assert np.isfinite(found).all(), holder


@pytest.fixture(scope="module")
def whole(tmp_path_factory):
    """A whole file for each reader, and the reader."""
    folder = tmp_path_factory.mktemp("whole")
    table = rm.level_table(rm.demo_design())[["level", "cost", "total"]]
    for ending in ("csv", "json", "xlsx", "parquet"):
        write_table(table, folder / f"costs.{ending}", "levels")
    rm.simulate(rm.demo_design(), players=2, hours=1).save(folder / "result.npz")
    (folder / "design.toml").write_text(demo_text(), encoding="utf-8")
    rm.demo_design().save(folder / "design.json")
    ledger = rm.Ledger(rm.demo_design())
    ledger.award(5000)
    (folder / "ledger.txt").write_text(json.dumps(ledger.to_dict()))
    readers = {
        "costs": read_cost_table,
        "result": lambda path: rm.SimulationResult.load(path).pace(),
        "design": rm.load_design,
        "ledger": restored,
    }
    return [(path.name, path.read_bytes(), readers[path.stem]) for path in sorted(folder.iterdir())]


def restored(path: Path) -> rm.Ledger:
    try:
        saved = json.loads(path.read_bytes())
    except (ValueError, RecursionError):
        raise rm.SavedLedgerError("no JSON, which is the game's to notice") from None
    return rm.Ledger.from_dict(rm.demo_design(), saved)


@pytest.mark.attack(300)
def test_files_that_are_damaged(budget: Budget, whole, tmp_path):
    for dice in budget:
        name, data, read = dice.choice(whole)
        file = tmp_path / name
        file.write_bytes(mutation.damaged(data, dice))
        try:
            read(file)
        except rm.RamulusError as error:
            assert str(error) and "Error(" not in str(error)
