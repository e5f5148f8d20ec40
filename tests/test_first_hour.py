"""A new user's first hour, each step from an empty folder; and the parts that it takes for granted."""

from __future__ import annotations

import importlib.util
import json
import math
import shlex
from fractions import Fraction
from pathlib import Path

import matplotlib as mpl
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import ramulus as rm
import ramulus.simulation.compiled  # Registers the rules with the compiler.
from conftest import compiled, make
from ramulus.errors import FormulaError
from ramulus.formula import parse
from ramulus.rules.rounding import ROUNDING_CODES, Rounder, round_amount
from ramulus.words.milestones import milestones
from ramulus.words.writers import duration

SCRIPT = Path(__file__).parent.parent / "benchmarks" / "first_hour.py"


def test_the_first_hour_from_an_empty_folder(cli, tmp_path, monkeypatch):
    spec = importlib.util.spec_from_file_location("first_hour", SCRIPT)
    first_hour = importlib.util.module_from_spec(spec)
    monkeypatch.setitem(__import__("sys").modules, "first_hour", first_hour)
    spec.loader.exec_module(first_hour)
    monkeypatch.chdir(tmp_path)
    for step in first_hour.STEPS:
        first_hour.write(step, tmp_path)
        ran = cli(*shlex.split(step.command))
        assert ran.status == step.status, (step, ran.err)
        assert step.says in " ".join((ran.out + ran.err).split()), (step, ran.out, ran.err)
        assert "Traceback" not in ran.err
    assert (tmp_path / "levels.csv").read_text().splitlines()[:2] == ["level,cost,shear", "1,50,10"]
    assert json.loads((tmp_path / "levels.json").read_text())["rows"][0]["level"] == 1
    assert (tmp_path / "starter.toml").read_text().startswith("#:schema ./ramulus.schema.json\n")


@pytest.mark.parametrize(
    ("text", "meant"),
    [
        ("=100*level", "100*level"),
        ("IF(level>10;5;3)", "5 if level>10 else 3"),
        ("=IF(level<5, 10, POWER(level, 2)*3)", "10 if level<5 else level ** 2*3"),
        ("level * 12%", "level * 0.12"),
        ("1,12", "1.12"),
        ("POWER(level+1, 1.5)", "(level+1) ** 1.5"),
        ("ROUNDUP(level/3, 0)", "ceil(level/3)"),
        ("LN(level)", "log(level)"),
        ("LOG(level)", "log10(level)"),
        ("IF(level>9, IF(level>20, 3, 2), 1)", "(3 if level>20 else 2) if level>9 else 1"),
        ("CEILING(level/3, 1)", "ceil(level/3)"),
        ("2 level²", "2 * level ** 2"),
        ("2(level + 1)", "2 * (level + 1)"),
        ("level ^ 2", "level ** 2"),
        ("level × 3", "level * 3"),
        ("level > 3 ? 5 : 7", "5 if level > 3 else 7"),
        ("10 if level = 3 else 4", "10 if level == 3 else 4"),
        ("level >= 3 && level <= 9", "level >= 3 and level <= 9"),
    ],
)
def test_habits_are_told_what_to_write(text, meant):
    with pytest.raises(FormulaError) as caught:
        parse(text)
    assert caught.value.nearest == meant
    parse(meant)


@pytest.mark.parametrize(
    "text", ["ROUNDUP(level, -1)", "CEILING(level, 10)", "ROUND(level, 2)", "LOG(level, 2)", "POWER(1, 2, 3)"]
)
def test_what_has_no_such_form_is_not_made_into_something_else(text):
    with pytest.raises(FormulaError) as caught:
        parse(text)
    assert "(" not in (caught.value.nearest or "")


@given(st.text(alphabet="level 12.,()*/^²%=<>&|?:ifIFPOWER;", max_size=60))
def test_what_is_suggested_is_always_a_formula(text):
    try:
        parse(text)
    except FormulaError as error:
        if error.nearest and any(mark in error.nearest for mark in "(*+-/% ="):
            parse(error.nearest)


# --- rounding to multiples -------------------------------------------------------------------------------------

rounded = compiled(lambda value, code, to: round_amount(value, code, to))


@settings(deadline=None)  # The first example compiles.
@given(
    st.floats(0, 1e12) | st.integers(0, 10**6).map(lambda n: n / 8) | st.integers(1, 500).map(lambda n: math.nextafter(10.0 * n, 0)),
    st.sampled_from(["down", "nearest", "up", "none"]),
    st.sampled_from([1, 2, 5, 10, 25, 1000]),
)  # fmt: skip
def test_rounding_to_a_multiple_is_exact(value, kind, to):
    exact, step = Fraction(value), Fraction(to)
    below = exact // step * step
    by_hand = {
        "none": exact,
        "down": below,
        "up": below if below == exact else below + step,
        "nearest": below if exact - below < step / 2 else below + step,
    }[kind]
    rounder = Rounder(kind, float(to))
    assert float(rounder(value)) == float(by_hand)
    code = ROUNDING_CODES[kind]
    assert round_amount(value, code, float(to)) == rounded(value, code, float(to)) == float(by_hand)
    for step_said in rounder.steps("cost", value):
        assert eval(step_said.put_in, {"floor": math.floor, "ceil": math.ceil, "round": lambda x: math.floor(x + 0.5)}) == step_said.value  # fmt: skip
    if kind in ("nearest", "none"):
        assert float(rounder(-value)) == -float(by_hand)


def test_multiples_feed_on_as_the_design_says():
    steps = {"first": 104, "next": "previous * 1.1", "rounding": "nearest", "rounding_to": 10}
    costs = rm.level_table(make({**steps, "round_each_step": True}))["cost"].dropna().tolist()
    by_hand = [100.0]
    for _ in range(4):
        by_hand.append(math.floor(by_hand[-1] * 1.1 / 10 + 0.5) * 10)
    assert costs == by_hand
    loose = rm.level_table(make(steps))["cost"].dropna().tolist()
    assert loose == [math.floor(104 * 1.1**n / 10 + 0.5) * 10 for n in range(5)]
    totals = make({"formula": "37 * (level - 1)", "gives": "total", "rounding": "up", "rounding_to": 5})
    assert rm.level_table(totals)["total"].tolist() == [0, 40, 75, 115, 150, 185]
    design = make(
        sources={"a": {"level": 1, "xp": 33, "seconds": 1, "skill": "craft", "skill_xp": 4}},
        skills={"craft": {"max_level": 3, "cost": {"formula": "50"}}},
        awards={"rounding": "up", "rounding_to": 5},
    )
    assert rm.gain_table(design)["award"].unique().tolist() == [35]
    assert rm.simulate(design, 10).income()["xp"].sum() % 35 == 0
    for part in ({"awards": {"rounding": "none", "rounding_to": 5}}, {"stats": {"s": {"base": 1, "rounding_to": 5}}}):
        with pytest.raises(rm.DesignError, match="rounding_to without rounding"):
            make(**part)


def test_lists_and_points_of_stats_hold():
    stats = {
        "a": {"values": [1, 2], "beyond": "hold"},
        "b": {"points": [[2, 5], [4, 9]], "beyond": "hold", "rounding": "down", "rounding_to": 5},
    }
    table = rm.level_table(make(stats=stats))
    assert table["a"].tolist() == [1, 2, 2, 2, 2, 2]
    assert table["b"].tolist() == [5, 5, 5, 5, 5, 5]
    assert rm.explain(make(stats=stats), "stats.a", 5).place == "stats.a.values"
    with pytest.raises(rm.DesignError, match='4 missing; allowed: 6 values, or beyond = "hold"'):
        rm.level_table(make(stats={"a": {"values": [1, 2]}}))
    with pytest.raises(rm.DesignError, match="'beyond' without 'values' or 'points'"):
        make(stats={"a": {"base": 2, "beyond": "hold"}})


# --- levels from XP, and what is shown -------------------------------------------------------------------------


@given(st.integers(0, 3000), st.sampled_from(["reached", "exceeded"]))
def test_the_level_of_some_xp_is_where_an_award_of_it_leads(xp, threshold):
    design = make({"formula": "50 * level"}, 9, {"overflow": {"threshold": threshold, "at_cap": "bank"}})
    found, ledger = rm.level_at(design, xp), rm.Ledger(design)
    ledger.award(xp)
    assert (found.level, found.left) == (ledger.level, ledger.xp)
    assert (found.cost is None) == (found.level == 9)
    assert f"level {found.level}" in str(found) and str(found.level) in found._repr_html_()
    for bad in (-1, math.nan, "9", True, math.inf):
        with pytest.raises(rm.AwardError):
            rm.level_at(design, bad)


@given(st.integers(0, 50), st.integers(1, 3000))
def test_milestones_are_few_and_end_at_the_cap(first, levels):
    shown = milestones(first, first + levels)
    assert shown == sorted(set(shown))
    assert shown[-1] == first + levels
    assert shown[0] == first + 1
    assert len(shown) <= 12


def test_times_read_well():
    assert [duration(h) for h in (0.02, 0.5, 1.99, 2, 12.34, 250)] == [
        "1.2 min",
        "30 min",
        "119 min",
        "2.0 h",
        "12.3 h",
        "250 h",
    ]


def test_a_level_drags_only_beyond_chance(cli, canopy):
    for players, levels in ((1, []), (8, []), (12, [20] * 3), (300, [20] * 3)):
        assert rm.simulate(rm.demo_design(), players, seed=3).slowest()["drags_level"].dropna().tolist() == levels
    said = " ".join(cli("simulate", canopy, "--players", 1).out.split())
    assert "no level is seen to stand out from its neighbours" in said
    alike = make({"formula": "400"}, 40, sources={"aphid": {"level": 1, "xp": 20, "seconds": 30}},
                 encounter={"variation": 0.5, "success": "0.8"}, players={"steady": {"spread": 0.3}})  # fmt: skip
    named = [rm.simulate(alike, 60, seed=seed).slowest()["times"].notna().any() for seed in range(100)]
    assert sum(named) <= 10  # One in twenty at most, and three of its standard errors.


def test_the_glance_says_what_the_tables_say(cli, canopy):
    shown = cli("simulate", canopy, "--players", 300, "--seed", 7)
    result = rm.simulate(rm.demo_design(), 300, seed=7)
    slowest = result.slowest().set_index("player")
    times = result.time_in_level().set_index(["player", "level"])["hours_p50"]
    for player, row in slowest.iterrows():
        stays = times[player]
        assert row["level"] == stays.idxmax()
        around = (stays[row["drags_level"] - 1] + stays[row["drags_level"] + 1]) / 2
        assert row["times"] == pytest.approx(stays[row["drags_level"]] / around)
        assert f"{row['times']:.1f} times what its neighbours suggest" in " ".join(shown.out.split())
    p50 = result.pace().query("player == 'adept' and level == 40")["hours_p50"].iloc[0]
    assert f"{p50:.1f} h (" in shown.out
    by_hours = json.loads(
        cli("simulate", canopy, "--players", 300, "--seed", 7, "--at-hours", 5, "--format", "json").out
    )
    for row in by_hours["rows"]:
        if row["level"] in (10, 20):
            assert row["reached"] == pytest.approx(result.reached(row["level"], 5)[row["player"]])
    assert cli("simulate", canopy, "--hours", 3, "--at-hours", 4).status == 2
    several = json.loads(cli("simulate", canopy, "--players", 30, "--format", "json").out)
    assert {"rows", "slowest", "stuck", "income"} <= set(several)


def test_many_profiles_and_odd_names_are_all_shown(cli, tmp_path):
    source = {"level": 1, "xp": 50, "seconds": 30}
    names = ["level", "player", "hours", "d", "e", "f"]
    make(sources={"a": source}, players={name: {"spread": 0.2} for name in names}).save(tmp_path / "many.toml")
    shown = cli("simulate", tmp_path / "many.toml", "--players", 20)
    assert shown.status == 0 and "more columns" not in shown.out
    heads = [line.split() for line in shown.out.splitlines() if line.startswith("       ") and "p50" not in line]
    assert [name for line in heads for name in line if name in names][:6] == names
    assert max(map(len, shown.out.splitlines())) <= 100


def test_every_track_goes_where_several_tables_find_room(cli, canopy, tmp_path):
    import openpyxl

    as_json = json.loads(cli("levels", canopy, "--all-tracks", "--format", "json").out)
    assert len(as_json["rows"]) == 40 and len(as_json["grafting"]) == 15
    assert cli("levels", canopy, "--all-tracks", "-o", tmp_path / "all.xlsx").status == 0
    assert openpyxl.load_workbook(tmp_path / "all.xlsx").sheetnames == ["warden", "grafting", "about"]
    as_csv = cli("levels", canopy, "--all-tracks", "--format", "csv").out.splitlines()
    assert len(as_csv) == 1 + 55 and as_csv[-1].startswith("grafting,15,")
    records = json.loads(cli("levels", canopy, "--format", "records").out)
    assert records == as_json["rows"]
    assert cli("levels", canopy, "--columns", "level,cst").status == 2
    growth = [row["growth"] for row in json.loads(cli("levels", canopy, "--format", "json").out)["rows"]]
    assert growth[1] == 0.4


def test_a_notebook_shows_every_figure_and_finding():
    from ramulus.plots.style import project_style

    before = mpl.is_interactive()
    try:
        with project_style():
            mpl.interactive(True)  # What the first figure of a notebook does.
        assert mpl.is_interactive()
    finally:
        mpl.interactive(before)
    assert (
        "<table" in rm.check(rm.demo_design())._repr_html_() and "cost-wall" in rm.check(rm.demo_design())._repr_html_()
    )
    assert rm.check(make())._repr_html_() == "<p>Nothing to say.</p>"
    assert np.array(rm.check(rm.demo_design()).table()["code"]).tolist() == ["cost-wall", "level-drives-away"]
