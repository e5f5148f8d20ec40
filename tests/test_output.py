"""What is printed: widths, units, numbers, what does not fit, and what a message says."""

from __future__ import annotations

import io
import json
import math
import re

import numpy as np
import pandas as pd
import pytest

import ramulus as rm
from conftest import make
from ramulus.cli.options import value_of
from ramulus.cli.output import Printing
from ramulus.files import table_json, write_table
from ramulus.formula import number_text
from ramulus.rules.tabulation import tabulated
from ramulus.tables.compare_rules import totals_in_words
from ramulus.tables.cost_shape import cost_shape
from ramulus.tables.levels import shape_in_words
from ramulus.words.writers import Column, factor, number, percent, significant, xp


@pytest.mark.parametrize(
    ("write", "value", "text"),
    [
        (number(), 1234567, "1,234,567"),
        (number(2), 0.005, "0.01"),
        (number(2), math.nan, "–"),
        (xp, 640.0, "640"),
        (xp, 2.5, "2.50"),
        (xp, math.nan, "–"),
        (percent(), 0.1234, "12.3%"),
        (percent(0), 1.0, "100%"),
        (factor, 0.76, "×0.76"),
        (factor, math.nan, "–"),
        (significant, 3.14159, "3.142"),
        (significant, 80.0, "80"),
        (significant, 123456.7, "123,457"),
        (significant, "text", "text"),
    ],
)
def test_how_numbers_are_written(write, value, text):
    assert write(value) == text


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("1.4", 1.4),
        ("3", 3),
        ("true", True),
        ("[1, 2]", [1, 2]),
        ("fill", "fill"),
        ("'level * 2'", "level * 2"),
        ("level * 2", "level * 2"),
        ("{ low = 1, high = 2 }", {"low": 1, "high": 2}),
    ],
)
def test_values_on_the_command_line_read_as_in_a_file(text, value):
    assert value_of(text) == value


@pytest.mark.parametrize(
    ("value", "text"),
    [(3.0, "3"), (-0.5, "-0.5"), (0.1 + 0.2, "0.30000000000000004"), (1e300, "1e+300"), (2.0**52, str(2**52))],
)
def test_numbers_in_a_working_are_exact(value, text):
    assert number_text(value) == text
    assert float(text) == value


def test_what_does_not_fit_is_named_and_least_important(capsys):
    table = pd.DataFrame({name: [1234567.0] for name in "abcdefghijklm"} | {"player": ["steady"]})
    heads = {"player": Column("player"), "m": Column("the most\nimportant", number())}
    Printing("x").table(table, heads, "A title", "A foot")
    shown = capsys.readouterr().out.splitlines()
    assert shown[0] == "A title"
    assert shown[-1] == "A foot"
    assert "most" in shown[1]
    assert "1,234,567" in shown[3]
    assert "more columns with --format csv: " in shown[4]
    assert all(len(line) <= 100 for line in shown)
    hidden = shown[4].split(": ")[1].split(", ")
    assert "m" not in hidden
    assert "player" not in hidden
    assert len(hidden) >= 2


def test_json_is_one_object_with_null_for_nothing(tmp_path):
    table = pd.DataFrame({"level": [1, 2], "cost": [60.0, np.nan], "name": ["a", "ö"], "large": [2.5e300, np.inf]})
    data = json.loads(table_json(table, "levels"))
    assert data == {
        "command": "levels",
        "rows": [
            {"level": 1, "cost": 60, "name": "a", "large": 2.5e300},
            {"level": 2, "cost": None, "name": "ö", "large": None},
        ],
    }
    write_table(table, tmp_path / "t.json", "levels")
    assert json.loads((tmp_path / "t.json").read_text(encoding="utf-8")) == data
    assert (tmp_path / "t.json").stat().st_mode & 0o444


def test_messages_go_to_standard_error_and_can_be_silenced(capsys, tmp_path):
    table = pd.DataFrame({"level": [1]})
    Printing("levels", output=tmp_path / "a.csv").table(table, {}, "title", "foot")
    captured = capsys.readouterr()
    assert captured.out == ""
    assert captured.err.splitlines() == [f"wrote {tmp_path / 'a.csv'}", "foot"]
    Printing("levels", output=tmp_path / "b.csv", quiet=True).table(table, {}, "title", "foot")
    assert capsys.readouterr() == ("", "")


@pytest.mark.parametrize(
    ("cost", "words"),
    [
        ({"formula": "100 * 1.1 ** level", "rounding": "none"}, ["about 10.0% a level throughout"]),
        ({"formula": "100 * level"}, ["early on", "towards the cap"]),
        ({"formula": "100 * 1.1 ** level * (3 if level == 9 else 1)"}, ["Jumps at level 9", "3.0 times"]),
        ({"formula": "500 - 20 * level"}, ["Falls at level 2, 3, 4, 5, 6…"]),
    ],
)
def test_the_shape_of_costs_in_words(cost, words):
    said = shape_in_words(make(cost, 20))
    for word in words:
        assert word in said


def test_a_jump_is_told_from_steep_growth():
    assert cost_shape(tabulated(make({"formula": "10 * 2 ** level"}, 20)).main.curve).jumps == ()
    assert cost_shape(tabulated(make({"formula": "10 * level ** 3"}, 20)).main.curve).jumps == ()
    (jump,) = cost_shape(tabulated(make({"formula": "100 + 900 * (level == 5)"}, 20)).main.curve).jumps
    assert (jump.level, jump.cost, jump.expected, jump.times) == (5, 1000, 100, 10)
    (last,) = cost_shape(tabulated(make({"formula": "100 + 900 * (level == 19)"}, 20)).main.curve).jumps
    assert last.level == 19
    assert shape_in_words(make({"values": [5, 6]}, 3)) == "Too few levels to speak of a shape."


def test_the_foot_of_a_trace():
    table = rm.trace(make({"values": [10, 25]}, 3, {"overflow": {"carry": 0}}), [15, 2])
    assert totals_in_words(table) == "2 awards of 17 XP in all: 1 level gained, 5 XP wasted (29.4%)."
    assert totals_in_words(table.iloc[:0]) == "0 awards of 0 XP in all: 0 levels gained, 0 XP wasted (0.0%)."


def test_an_explanation_reads_like_a_working_on_paper():
    text = str(rm.explain(rm.demo_design(), "tracks.warden.cost", 7))
    assert text.splitlines()[:3] == [
        "tracks.warden.cost.formula",
        "  first_cost + 24 * (level - 1) ** steepness + (crown_gate if level == 20 else 0)",
        "  where first_cost = 60, level = 7, steepness = 1.55, crown_gate = 3000",
    ]
    assert "      7 == 20 is false: 0" in text
    assert "      = floor(445.7853040698742) = 445    (rounded down)" in text
    assert text.endswith("  445 XP")
    assert "<table>" in rm.explain(rm.demo_design(), "tracks.warden.cost", 7)._repr_html_()


def test_bars_read_as_designers_write_them():
    ledger = rm.Ledger(rm.demo_design(), level=19)
    labels = [ledger.award(amount).label for amount in (1000, 1177, 5000)]
    assert labels == ["Level 19 · 1,000 / 2,177", "Level 20 · 0 / 5,362", "Level 20 · 5,000 / 5,362"]
    assert repr(ledger) == "<Ledger warden: Level 20 · 5,000 / 5,362, 19 points>"
    assert "progress" in ledger._repr_html_()
    outcome = ledger.award(400)
    assert repr(outcome) == "<AwardOutcome +400: Level 21 · 38 / 2,553, 1 levels, 0 wasted>"
    assert list(outcome.as_dict()) == [
        "amount",
        "level_before",
        "level",
        "levels_gained",
        "kept",
        "wasted",
        "xp",
        "cost",
        "progress",
        "points",
        "earned",
        "label",
    ]


def test_the_public_names_are_there_and_no_others_are_promised():
    assert {"Design", "Ledger", "simulate", "play_party", "explain", "check", "plots"} <= set(rm.__all__)
    for name in rm.__all__:
        assert getattr(rm, name).__doc__, name
    with pytest.raises(AttributeError, match="attribute nothing"):
        rm.nothing  # noqa: B018


def test_errors_cross_process_borders():
    import pickle

    for error in (
        rm.DesignError([rm.Problem("a.b", "wrong", "right", "b", "code")], "file.toml"),
        rm.UnknownNameError("track", "wardn", ["warden"]),
    ):
        again = pickle.loads(pickle.dumps(error))
        assert str(again) == str(error)
        assert type(again) is type(error)


@pytest.mark.parametrize(("forced", "refused"), [(True, False), (True, True), (False, False)])
def test_what_matters_has_weight_on_a_terminal_and_nowhere_else(cli, canopy, monkeypatch, forced, refused):
    for name, wanted in (("FORCE_COLOR", forced), ("NO_COLOR", refused)):
        monkeypatch.setenv(name, "1") if wanted else monkeypatch.delenv(name, raising=False)
    monkeypatch.setenv("TERM", "xterm-256color")
    checked = cli("check", canopy, "--goals", "--players", 90).out
    played = cli("simulate", canopy, "--players", 90).out
    levels = cli("levels", canopy).out
    if not forced or refused:
        assert "\x1b" not in checked + played + levels
    else:
        assert "\x1b[1;38;5;130mwarning\x1b[0m cost-wall" in checked and "\x1b[1;31mmissed\x1b[0m" in checked
        assert re.search(r"\x1b\[1mslowest: level \d+, \d+ min\x1b\[0m", played)
        wall = [line for line in levels.splitlines() if "5,362" in line]
        assert "\x1b[1m" in wall[0] and "\x1b[1m" not in levels.splitlines()[5]


def test_long_words_go_on_below_where_they_began(cli, canopy):
    lines = cli("simulate", canopy, "--players", 90).out.splitlines()
    first = next(i for i, line in enumerate(lines) if "slowest" in line)
    last = next(i for i, line in enumerate(lines) if "Everyone" in line)
    begins = lines[first].index("slowest")
    assert all(
        len(line) <= 100 and (line[:begins].strip() == "" or line[begins - 1] == " ") for line in lines[first:last]
    )


def test_tables_say_what_they_were_made_from(cli, canopy, tmp_path):
    """In JSON always, in workbooks and Parquet too, in CSV where it is asked for; what is played says by which seed."""
    design = rm.load_design(canopy)
    words = ["simulate", canopy, "--players", "20", "--seed", "3", "--hours", "9", "--quiet", "--set", "crown_gate=0"]
    about = json.loads(cli(*words, "--format", "json").out)["about"]
    units = about.pop("units")
    assert {name: units[name] for name in ("hours_p50", "xp", "level", "reached")} == {
        "hours_p50": "h", "xp": "XP", "level": "level", "reached": "share",
    }  # fmt: skip
    tried = design.with_values({"crown_gate": 0})
    whole = {
        "title": "Canopy Wardens",
        "design": tried.digest,
        "version": rm.__version__,
        "seed": 3,
        "players": 20,
        "hours": 9,
    }
    assert about == whole and len(tried.digest) == 16 and tried.digest != design.digest
    assert rm.Design.from_dict(tried.to_dict()).digest == tried.digest
    assert json.loads(cli("levels", canopy, "--format", "json").out)["about"] == {
        "title": "Canopy Wardens", "design": design.digest, "version": rm.__version__,
        "units": {"level": "level", "cost": "XP", "total": "XP", "growth": "share"},
    }  # fmt: skip
    # A name has the unit that it has in this very table, and what a design names has none.
    units = {
        words[0]: json.loads(cli(words[0], canopy, *words[1:], "--format", "json", "--quiet").out)["about"]["units"]
        for words in (
            ("compare", "--variant", "steepness=1.4", "--players", "20"), ("sensitivity", "--vary", "crown_gate", "--players", "15"),
            ("award", "40"), ("effort",),
        )
    }  # fmt: skip
    assert (
        units["compare"]["wasted"] == "share" and units["award"]["wasted"] == "XP" and units["award"]["step"] == "count"
    )
    assert "step" not in units["sensitivity"] and not {"cuts", "falls"} & units["effort"].keys()
    odd = make(stats={"seconds": {"base": 3}, "share": {"base": 1}})
    odd.save(tmp_path / "stats.toml")
    assert json.loads(cli("levels", tmp_path / "stats.toml", "--format", "json").out)["about"]["units"].keys() == {
        "level", "cost", "total", "growth",
    }  # fmt: skip
    # What is not played is not said to be played by a seed.
    assert "seed" not in json.loads(cli("check", canopy, "--format", "json").out)["about"]
    assert (
        json.loads(cli("check", canopy, "--goals", "--players", 20, "--seed", 4, "--format", "json").out)["about"][
            "seed"
        ]
        == 4
    )
    # The hash is of the whole: of costs that stand in another file, too.
    (tmp_path / "costs.csv").write_text("level,cost\n1,10\n2,20\n")
    (tmp_path / "far.toml").write_text(
        'format = 1\ntitle = "Far"\n[tracks.warden]\nmax_level = 3\ncost.file = "costs.csv"\n'
    )
    first = rm.load_design(tmp_path / "far.toml").digest
    assert first == rm.load_design(tmp_path / "far.toml").digest
    (tmp_path / "costs.csv").write_text("level,cost\n1,10\n2,21\n")
    assert rm.load_design(tmp_path / "far.toml").digest != first
    # Several designs are named each.
    design.with_values({"title": "Other"}).save(tmp_path / "other.toml")
    both = json.loads(
        cli("compare", canopy, tmp_path / "other.toml", "--players", "20", "--format", "json", "--quiet").out
    )["about"]
    assert both["title"] == ["Canopy Wardens", "Other"] and both["design"][0] == design.digest != both["design"][1]
    csv = cli(*words, "--format", "csv").out
    with_about = cli(*words, "--format", "csv", "--about").out
    assert with_about.endswith(csv) and with_about.startswith(f"# title: Canopy Wardens\n# design: {tried.digest}\n")
    assert pd.read_csv(io.StringIO(with_about), comment="#").equals(pd.read_csv(io.StringIO(csv)))
    assert json.loads(cli("levels", canopy, "--format", "records").out)[0]["level"] == 1


def test_a_workbook_is_laid_out_and_a_parquet_file_knows_where_it_comes_from(cli, canopy, tmp_path):
    openpyxl, parquet = pytest.importorskip("openpyxl"), pytest.importorskip("pyarrow.parquet")
    book, table = tmp_path / "pace.xlsx", tmp_path / "pace.parquet"
    for path in (book, table):
        assert cli("simulate", canopy, "--players", "20", "--quiet", "-o", path).status == 0
    sheets = openpyxl.load_workbook(book)
    first = sheets.worksheets[0]
    assert first.title == "simulate" and first.freeze_panes == "A2" and first.auto_filter.ref == "A1:K121"
    heads = {cell.value: cell.column_letter for cell in first[1]}
    assert (
        first[f"{heads['hours_p50']}3"].number_format == "0.000"
        and first[f"{heads['level']}3"].number_format == "#,##0"
    )
    assert first.column_dimensions[heads["calendar_day_p50"]].width > first.column_dimensions[heads["level"]].width
    told = {row[0].value: row[1].value for row in sheets["about"].iter_rows(min_row=2)}
    kept = json.loads(parquet.read_schema(table).metadata[b"ramulus"])
    assert told["design"] == kept["design"] == rm.load_design(canopy).digest and told["seed"] == "0"
    assert kept["units"]["hours_p50"] == "h" and set(kept["units"]) < set(pd.read_parquet(table).columns)


def test_a_track_called_as_a_key_loses_nothing(cli, tmp_path):
    openpyxl = pytest.importorskip("openpyxl")
    costs = {"max_level": 4, "cost": {"values": [1, 2, 3]}}
    design = make(skills={"about": costs, "rows": {**costs, "max_level": 3}})
    design.save(tmp_path / "odd.toml")
    told = json.loads(cli("levels", tmp_path / "odd.toml", "--all-tracks", "--format", "json").out)
    assert told["about"]["title"] == "Canopy" and len(told["about (table)"]) == 4 and len(told["rows (table)"]) == 3
    assert cli("levels", tmp_path / "odd.toml", "--all-tracks", "-o", tmp_path / "odd.xlsx").status == 0
    sheets = openpyxl.load_workbook(tmp_path / "odd.xlsx")
    assert (
        sheets.sheetnames == ["warden", "about", "rows", "about this file"] and sheets["about"]["A1"].value == "level"
    )
