"""Levels that stand out: a spike is told from a step, and both say why."""

from __future__ import annotations

import math

import numpy as np
import pytest

import ramulus as rm
from conftest import make

BLIGHT = {"level": 1, "xp": {"low": 8, "high": 12}, "seconds": 30}


def row_of(cost="100 + 2 * level", sources=None, levels=25, players=600, **parts):
    design = make(
        {"formula": cost}, levels, sources={"blight": BLIGHT, **(sources or {})},
        **{"encounter": {"variation": 0.4}, "players": {"p": {"hours_per_day": 0.1}}, **parts},
    )  # fmt: skip
    return rm.simulate(design, players).slowest().iloc[0]


def test_a_rule_that_ends_makes_a_step_and_no_spike():
    row = row_of(multipliers=[{"name": "rush", "factor": 4, "to_day": 3}])
    assert math.isnan(row["drags_level"]) and 11 <= row["step_level"] <= 14 and row["step_times"] > 2
    assert row["why"].startswith("rush ended on day 3: pay -")


@pytest.mark.parametrize(
    ("source", "why"),
    [
        ({"to_level": 9}, "borer closed after level 9: pay -"),
        ({"limit": 30}, "borer was used up (30 times): pay -"),
    ],
)
def test_a_source_that_closes_or_runs_out_is_named(source, why):
    borer = {"level": 1, "xp": {"low": 30, "high": 40}, "seconds": 30, "weight": 2, **source}
    row = row_of(sources={"borer": borer})
    assert math.isnan(row["drags_level"]) and row["step_times"] > 1.5 and row["why"].startswith(why)
    if "to_level" in source:
        assert row["step_level"] == 10


@pytest.mark.parametrize(
    ("parts", "why"),
    [
        ({"cost": "100 + 2 * level + 250 * (level == 12)"}, "it costs 3.0 times as much"),
        ({"encounter": {"variation": 0.4, "success": "0.2 if level == 12 else 0.9"}}, "success -78%"),
        ({"encounter": {"variation": 0.4}, "seconds": "90 if level == 12 else 30"}, "an encounter takes +20"),
        ({"multipliers": [{"name": "dry", "factor": "0.3 if level == 12 else 1"}]}, "pay -"),
    ],
)
def test_a_spike_says_what_makes_it(parts, why):
    seconds = parts.pop("seconds", 30)
    row = row_of(**parts, sources={"blight": {**BLIGHT, "seconds": seconds}})
    assert row["drags_level"] == 12 and row["times"] > 2 and math.isnan(row["step_level"])
    assert row["why"].startswith(why)


def test_a_lattice_and_growth_make_nothing():
    six_minutes = {"blight": {"level": 1, "xp": 10, "seconds": 360}}
    lattice = row_of("20 + (level == 8)", sources=six_minutes, encounter={}, players=60)
    growing = row_of("30 * 1.2 ** level", levels=20)
    for row in (lattice, growing):
        assert np.isnan([row["drags_level"], row["step_level"]]).all() and row["why"] == ""


def test_it_is_said(cli, tmp_path):
    design = make(
        {"formula": "100 + 2 * level"}, 25, sources={"blight": BLIGHT}, encounter={"variation": 0.4},
        players={"p": {"hours_per_day": 0.1}}, multipliers=[{"name": "rush", "factor": 4, "to_day": 3}],
    )  # fmt: skip
    design.save(tmp_path / "rush.toml")
    out = " ".join(cli("simulate", tmp_path / "rush.toml", "--players", 600).out.split())
    assert "on levels take 2." in out and "because rush ended on day 3: pay -" in out
