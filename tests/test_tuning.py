"""From wish to numbers: what moves a goal, the numbers that meet the goals, and costs that give wished hours."""

from __future__ import annotations

import json
import math
import re
import tomllib
from functools import cache

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import ramulus as rm
from conftest import make
from ramulus.comparing.paired import difference
from ramulus.comparing.statistic import Quantile, Statistic
from ramulus.rules.sharing import share_tables
from ramulus.rules.tabulation import tabulated
from ramulus.tuning import pace_costs
from ramulus.tuning.cost_curve_fit import TimeWishes, carried_on, in_grains, smooth_costs
from ramulus.words.sensitivity import sensitivity_rows

# One XP a second, without chance: hours to a level are its total over 3,600.
EXACT = {
    "sources": {"blight": {"level": 1, "xp": 1, "seconds": "pace"}},
    "players": {"quick": {}, "slow": {"traits": {}, "seconds_between": 1}},
    "constants": {"dear": 400, "power": 1.3, "pace": 1, "extra": 0, "gate": 4},
}
COST = {
    "formula": "dear * level ** power + (extra if level == 2 else 0) + (900 if level == gate else 0)",
    "rounding": "up",
}


def exact(*goals, **changes):
    return make(COST, 7, goals=list(goals), **{**EXACT, **changes})


def hours(base=400.0, power=1.3, level=6, gate=4, seconds=1.0):
    return sum(base * n**power + (900 if n == gate else 0) for n in range(1, level)) * seconds / 3600


def test_sensitivity_is_the_closed_form_where_nothing_is_chance():
    design = exact(
        {"player": "quick", "level": 6, "hours": 2.0},
        {"player": "slow", "level": 4, "compared_with": "quick", "ratio": 3},
        {"player": "slow", "longest_level_hours": 1.0, "to_level": 3},
        {"player": "quick", "level": 6, "by_hours": 1.9, "reached": 0.5},
    )
    table = rm.sensitivity(design, players=15)
    rows = {(goal, row.name): row for goal, part in table.groupby("goal") for row in part.itertuples(index=False)}
    to_six, ratio, longest, reached = (dict.fromkeys(table.groupby("goal", sort=False).groups)).keys()
    total = hours()

    def slope(of):
        return math.log(of(1.03) / of(0.97)) / math.log(1.03 / 0.97)

    expected = {
        "dear": slope(lambda k: hours(base=400 * k)),
        "power": slope(lambda k: hours(power=1.3 * k)),
        "pace": 1.0,
        # Of a number that is 0, or a level, percent per step: up and down, in the middle.
        "extra": 100 * math.atanh(float(rows[to_six, "constants.extra"].unit.split()[-1]) / 3600 / total),
        "gate": 100 * (math.log(hours(gate=5)) - math.log(hours(gate=3))) / 2,
    }
    for name, change in expected.items():
        row = rows[to_six, f"constants.{name}"]
        assert row.found == pytest.approx(total, abs=0.002) and row.low <= row.change <= row.high
        assert row.change == pytest.approx(change, abs=4e-3 if abs(change) > 1e-6 else 1e-9), name
        assert row.high - row.low == pytest.approx(0, abs=1e-9)
    assert rows[to_six, "constants.gate"].step == "±1"
    assert rows[to_six, "constants.dear"].unit == "% per %"
    assert rows[ratio, "constants.dear"].change == pytest.approx(0, abs=1e-9)
    assert rows[longest, "constants.dear"].change == pytest.approx(1, abs=4e-3)
    assert "(longest: 3)" in longest
    assert rows[reached, "constants.dear"].unit == "points per 3%"
    # The value that alone meets the goal, where one does.
    needed = rows[to_six, "constants.dear"].needed
    assert hours(base=needed) == pytest.approx(2.0, abs=0.003)
    assert rows[to_six, "constants.pace"].needed == pytest.approx(2.0 / total, rel=1e-3)
    assert math.isnan(rows[ratio, "constants.dear"].needed)
    assert (table[table["goal"] == longest]["needed"] == table[table["goal"] == longest]["value"]).all()
    sizes = table.groupby("goal", sort=False)["change"].apply(lambda change: change.abs().is_monotonic_decreasing)
    assert sizes.all()


def test_a_goal_far_out_of_reach_is_said_to_be_so():
    design = exact({"player": "quick", "level": 7, "hours": 0.0001})
    table = rm.sensitivity(design, ["dear"], players=15)
    assert math.isnan(table["needed"][0])
    unreached = exact({"player": "quick", "level": 7, "hours": 900}).with_values({"constants.dear": 400_000})
    table = rm.sensitivity(unreached, ["dear"], players=15, hours=1)
    assert table["note"][0] == "too few get there as it stands" and math.isnan(table["change"][0])


def test_small_amounts_and_numbers_that_cannot_fall_move_by_what_they_can():
    design = make(
        {"formula": "30 * level"}, 5, players={"quick": {}}, goals=[{"player": "quick", "level": 5, "hours": 1}],
        sources={"blight": {"level": 1, "xp": 1, "seconds": 10, "weight": 1}, "sap": {"level": 1, "xp": 3, "seconds": 10}},
    )  # fmt: skip
    places = ["sources.blight.xp", "blight.xp", "sources.blight.level", "tracks.warden.start_level"]
    table = rm.sensitivity(design, ["sources.blight.xp", "sources.blight.xp", *places[2:]], players=30).set_index(
        "name"
    )
    assert len(table) == 3
    # One XP more of two sources that pay 1 and 3: from 2 to 2.5 in the mean.
    assert table["change"]["sources.blight.xp"] < -10 and table["unit"]["sources.blight.xp"] == "% per 1"
    assert table["step"].tolist().count("+1") >= 1 and "moved to one side only" in table["note"].tolist()


def test_paired_intervals_of_mixed_quantiles_hold():
    """The difference of two paired runs of two profiles, over blocks of a large population."""
    draws, blocks, n = np.random.default_rng(3), 600, 300
    ability = np.tile((np.arange(n) % 15 - 7) / 30, blocks)
    first = {name: ability + draws.normal(mean, 0.3, blocks * n) for name, mean in (("a", 0.0), ("b", 0.4))}
    second = {name: 1.1 * own + draws.normal(0, 0.05, blocks * n) for name, own in first.items()}

    def statistic(run, where):
        samples = {name: own[where] for name, own in run.items()}
        return Statistic.of_quantiles(Quantile(samples, {"a": 0.3, "b": 0.7}, 0.6))

    everyone = slice(0, None)
    truth = statistic(second, everyone).value - statistic(first, everyone).value
    held = 0
    for block in range(blocks):
        one, two = (statistic(run, slice(block * n, (block + 1) * n)) for run in (first, second))
        found = difference(one, two)
        held += found.low <= truth <= found.high
    assert 0.93 <= held / blocks <= 0.995


# What is changed, and whether what encounters take and pay can be the same.
CHANGES = [
    ({"constants.steepness": 1.4}, {}, True),
    ({"constants.crown_gate": 0}, {}, True),
    ({"tracks.warden.cost": {"values": list(range(100, 139))}}, {}, True),
    ({"encounter.variation": 0.2}, {}, True),
    ({"sources.bark_borer.xp": 40}, {}, False),
    ({"players.steady.seconds_between": 30}, {}, False),
    ({"stats.shear.growth": 1.05}, {}, False),
    ({"constants.steepness": 1.4}, {"encounter.failure.loss": 0.1}, False),
    ({"tracks.warden.cost": {"formula": "1e9 * level"}}, {}, True),
    ({"tracks.warden.cost": {"formula": "100.5 * level", "rounding": "none"}}, {}, False),
    ({"constants.steepness": 1.4}, {"sources.bark_borer.xp": "34 * steepness"}, False),
]


@pytest.mark.parametrize(("change", "first", "shared"), CHANGES)
def test_tables_are_shared_where_nothing_behind_them_differs(change, first, shared):
    base = rm.demo_design().with_values(first)
    borrowing, own = base.with_values(change), base.with_values(change)
    share_tables(base, borrowing)
    assert (tabulated(borrowing).profiles is tabulated(base).profiles) == shared
    runs = [rm.simulate(design, {"steady": 40}, hours=8, seed=2).arrivals("steady") for design in (borrowing, own)]
    np.testing.assert_array_equal(*runs)


def small(**changes):
    """The demo up to level 16, so that a search plays it often."""
    data = rm.demo_design().to_dict()
    data["tracks"]["warden"]["max_level"] = 16
    data["constants"].update(gate_level=9, gate_cost=400)
    data["tracks"]["warden"]["cost"]["formula"] = (
        "first_cost + 24 * (level - 1) ** steepness + (gate_cost if level == gate_level else 0)"
    )
    del data["constants"]["crown_gate"], data["party"]
    data["goals"] = []
    return rm.Design.from_dict(data).with_values(changes)


@cache
def known_pace(text):
    """Median hours, known far better than a search knows them; played once for all who ask."""
    played = rm.simulate(rm.Design.from_dict(tomllib.loads(text)), 12_000, seed=77)
    return played.pace().set_index(["player", "level"])["hours_p50"]


def derived(design, wishes, tolerance=0.02):
    """The goals that a design meets."""
    pace = known_pace(design.to_toml())
    return [
        {"player": who, "level": level, "hours": float(pace[who, level]), "tolerance": tolerance}
        for who, level in wishes
    ]


WISHES = [("steady", 5), ("steady", 16), ("newcomer", 9), ("adept", 12)]
# Numbers far off, by the values that are to be found again.
FAR_OFF = [
    ({"constants.first_cost": 150, "constants.steepness": 1.2}, {}),
    ({"constants.gate_cost": 90, "constants.steepness": 1.8}, {}),
    ({"constants.first_cost": 20, "constants.steepness": 2.2, "constants.gate_cost": 1500}, {}),
    ({"sources.bark_borer.toughness": 30, "constants.steepness": 1.3}, {}),
    (
        {"constants.first_cost": 200, "constants.steepness": 1.2, "players.steady.seconds_between": 60,
         "players.adept.seconds_between": 40},
        {"players.steady.pursuit": 0},
    ),
]  # fmt: skip


@pytest.mark.parametrize(("off", "first"), FAR_OFF)
def test_known_numbers_are_found_again(off, first):
    truth = small(**first)
    design = truth.with_values({**off, "goals": derived(truth, WISHES)})
    tuning = rm.tune(design, list(off), players=2000)
    assert (tuning.goals["verdict"] != "missed").all(), tuning.goals
    for row in tuning.values.itertuples():
        known = float(rm.design.value_at(truth, row.name))
        error = (row.high - row.low) / 2 / 1.96 / row.after
        assert row.before == off[row.name]
        if error <= 0.003:
            assert row.determined and row.after == pytest.approx(known, rel=0.01), row
        else:
            # Fewer digits may move it within what the goals feel.
            assert abs(row.after - known) <= 4 * error * known + 0.01 * known or math.isnan(error), row
    assert tuning.values["determined"].any()


def test_a_level_in_an_if_stays_whole_and_is_found():
    truth = small()
    wishes = [("steady", 8), ("steady", 9), ("steady", 10), ("steady", 11), ("steady", 12)]
    design = truth.with_values({"goals": derived(truth, wishes), "constants.gate_level": 12})
    tuning = rm.tune(design, {"gate_level": (2, 15)}, players=600)
    assert tuning.changed == {"constants.gate_level": 9} and isinstance(tuning.design.constants["gate_level"], int)
    whole = rm.tune(design, {"gate_cost": (100, 700)}, whole=["gate_cost"], players=200)
    assert float(whole.values["after"][0]).is_integer()


def test_conflicts_bounds_and_loose_numbers_are_named():
    to_five = {"player": "quick", "level": 5, "hours": 1.0, "tolerance": 0.05}
    to_six = {"player": "quick", "level": 6, "hours": 4.0, "tolerance": 0.05}
    torn = rm.tune(exact(to_five, to_six), ["dear"], players=15)
    assert torn.goals["verdict"].tolist() == ["missed", "missed"]
    said = r"quick, level 5 in 1 h stays off \(\d+\.\d tolerances\), and pulls against: quick, level 6 in 4 h"
    assert re.fullmatch(said, torn.notes[0])
    # In the middle, in logarithms: both equally far off.
    assert np.log1p(torn.goals["off"]).sum() == pytest.approx(0, abs=0.05)

    stopped = rm.tune(exact(to_five), {"dear": (700, 900)}, players=15)
    assert stopped.values["at_bound"].tolist() == ["low"] and stopped.values["after"].tolist() == [700]
    assert "dear stops at its bound 700; it would have to be lower for: quick, level 5 in 1 h" in stopped.notes
    assert stopped.goals["verdict"].tolist() == ["missed"]

    loose = rm.tune(exact(to_five), ["dear", "pace"], players=15)
    assert loose.goals["verdict"].tolist() == ["met"] and not loose.values["determined"].any()
    assert loose.notes[0].startswith("the goals do not pin down dear and pace: ")
    assert "dear up" in loose.notes[0] or "dear down" in loose.notes[0]

    slack = rm.tune(exact({"player": "quick", "longest_level_hours": 9}), ["dear"], players=15)
    assert slack.changed == {} and slack.goals["verdict"].tolist() == ["met"]
    assert slack.notes[-1] == "met with room, and so without a say: quick, no level longer than 9 h"
    assert repr(slack) == "<Tuning: nothing changed; 1 of 1 goals met>" and "<table" in slack._repr_html_()


ONE_OF_EACH = [
    {"player": "quick", "level": 6, "hours": 2.4},
    {"player": "quick", "from_level": 3, "to_level": 6, "hours": 2.0},
    {"player": "quick", "level": 6, "days": 7},
    {"player": "quick", "longest_level_hours": 0.85},
    {"player": "quick", "level": 6, "by_hours": 2.4, "reached": 0.9},
    {"player": "quick", "level": 6, "by_day": 7, "reached": 1.0},
    {"player": "everyone", "by_day": 9, "still_playing": 0.6},
    {"player": "quick", "level": 6, "still_playing": 0.6},
]


@pytest.mark.parametrize("goal", ONE_OF_EACH)
@pytest.mark.parametrize("dear", [100, 2500])
def test_every_kind_of_goal_can_be_tuned_to(goal, dear):
    """From numbers on either side; also where nobody reaches the level within the horizon."""
    players = {"quick": {"hours_per_day": 0.4, "patience_hours_per_level": 0.9, "patience_spread": 0.3}}
    design = exact(goal, players=players, encounter={"variation": 0.5}).with_values({"constants.dear": dear})
    tuning = rm.tune(design, ["dear"], players=150)
    assert tuning.goals["verdict"].tolist() in (["met"], ["open"]), (tuning.values, tuning.goals, tuning.notes)


def test_goals_that_name_no_end_are_played_to_theirs():
    """Hours between late levels, beside which the way there is long; and a ratio beside an early wish."""
    late = exact({"player": "quick", "from_level": 6, "to_level": 7, "hours": 1.5, "tolerance": 0.02})
    longest = exact({"player": "quick", "from_level": 6, "longest_level_hours": 0.9})
    both = exact(
        {"player": "slow", "level": 7, "compared_with": "quick", "ratio": 1.5, "tolerance": 0.02},
        {"player": "quick", "level": 2, "hours": 0.2, "tolerance": 0.5},
    )
    # 6 ** 1.3 units at level 6, a second each.
    assert rm.tune(late, ["dear"], players=15).values["after"][0] == pytest.approx(1.5 * 3600 / 6**1.3, rel=0.01)
    tuned = rm.tune(longest, ["dear"], players=15).values["after"][0]
    assert 0.85 * 0.9 * 3600 / 6**1.3 <= tuned <= 0.9 * 3600 / 6**1.3
    assert rm.tune(both, ["pace"], players=15).values["after"][0] == pytest.approx(2, rel=0.02)


def test_bounds_without_a_design_are_an_error_and_a_jump_meets_nothing():
    design = exact({"player": "quick", "level": 6, "hours": 2}).with_values({"constants.extra": 1})
    with pytest.raises(rm.RamulusError, match="no numbers between these bounds"):
        rm.tune(design, {"extra": (-90_000, -80_000)}, players=15)
    # Above 100 the gate of 900 XP opens: 2.3 h is passed at a jump.
    jumps = make(
        {"formula": "1000 + (3000 if lever > 100 else 0)"}, 4, constants={"lever": 98}, players={"quick": {}},
        sources={"blight": {"level": 1, "xp": 1, "seconds": 1}},
        goals=[{"player": "quick", "level": 4, "hours": 1.6, "tolerance": 0.01}],
    )  # fmt: skip
    assert math.isnan(rm.sensitivity(jumps, ["lever"], players=15)["needed"][0])


def test_a_ratio_and_waste_can_be_tuned_to():
    ratio = exact({"player": "slow", "level": 6, "compared_with": "quick", "ratio": 1.5, "tolerance": 0.01})
    assert rm.tune(ratio, ["pace"], players=15).values["after"][0] == pytest.approx(2, rel=0.01)
    waste = make(
        {"formula": "30 * level"}, 7, track={"overflow": {"carry": 0}}, constants={"award": 29},
        sources={"blight": {"level": 1, "xp": "award", "seconds": 60}}, players={"quick": {}},
        goals=[{"player": "quick", "wasted": 0.05}],
    )  # fmt: skip
    tuning = rm.tune(waste, {"award": (1, 29)}, players=15)
    assert tuning.goals["verdict"].tolist() == ["met"]


REFUSED = [
    (["steepnes"], (), "did you mean 'steepness'"),
    (["sources.bark_borer.toughness", "bark_borer.toughness"], (), "bark_borer"),
    (["encounter.seconds"], (), "put a number of it under [constants]"),
    (["first_cost", "constants.first_cost"], (), "varied twice"),
    ({"steepness": (2, 1)}, (), "two numbers that rise"),
    ({"tracks.warden.max_level": (0, 40)}, (), "is not allowed in the design"),
    (["crown_gate"], ("steepness",), "to stay whole, but is not varied"),
    ([], (), "no numbers to vary"),
    (["goals[0].hours"], (), "is a wish"),
]


@pytest.mark.parametrize(("vary", "whole", "said"), REFUSED)
def test_what_cannot_be_varied_is_refused(vary, whole, said):
    with pytest.raises(rm.RamulusError, match=said.replace("[", r"\[").replace("]", r"\]")):
        rm.tune(rm.demo_design(), vary, whole)
    with pytest.raises(rm.RamulusError, match="is 0; allowed: bounds for it"):
        rm.tune(rm.demo_design().with_values({"constants.crown_gate": 0}), ["crown_gate"])
    with pytest.raises(rm.RamulusError, match="goals"):
        rm.sensitivity(exact())


# --- costs from hours ------------------------------------------------------------------------------------------

PACED = {
    "the demo": (lambda: rm.demo_design(), {2: 0.1, 10: 2.5, 40: 45}),
    "a skill that makes faster": (
        lambda: make(
            {"formula": "50 * level"}, 20, skills={"grafting": {"max_level": 9, "cost": {"formula": "4 * level"}}},
            sources={"shoot": {"level": 1, "xp": 12, "seconds": "60 - 5 * skill_level", "skill": "grafting",
                               "skill_xp": 1}},
            encounter={"variation": 0.4}, players={"steady": {"spread": 0.2}},
        ),
        {4: 0.3, 12: 2, 20: 6},
    ),
    "windows": (
        lambda: make(
            {"formula": "50 * level"}, 20, sources={"blight": {"level": 1, "xp": {"low": 8, "high": 14}, "seconds": 40}},
            encounter={"variation": 0.4},
            players={"steady": {"spread": 0.1, "hours_per_day": 1, "days_per_week": 5}},
            multipliers=[{"name": "weekend", "factor": 2, "weekdays": ["sat", "sun"]},
                         {"name": "first", "factor": 1.5, "first_minutes_of_day": 10}],
        ),
        {3: 0.25, 10: 2.2, 20: 9},
    ),
    "limits": (
        lambda: make(
            {"formula": "50 * level", "rounding_to": 5}, 20, sources={
                "blight": {"level": 1, "xp": 10, "seconds": 50},
                "errand": {"level": 1, "xp": 80, "seconds": 60, "limit_per_day": 3},
            },
            encounter={"variation": 0.4, "success": 0.8}, players={"steady": {"spread": 0.1, "hours_per_day": 1}},
        ),
        {5: 0.8, 20: 12},
    ),
    "play days of the week": (
        lambda: make(
            {"first": 20, "next": "previous * 1.2"}, 20, track={"start_xp": 12}, sources={
                "blight": {"level": 1, "xp": 10, "seconds": 50},
                "errand": {"level": 1, "xp": 300, "seconds": 60, "limit_per_week": 2},
            },
            encounter={"variation": 0.4}, players={"steady": {"hours_per_day": 1, "plays_on": ["wed", "sat"]}},
        ),
        {6: 1.0, 14: 6},
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", PACED)
def test_costs_give_the_hours_that_are_wished(name):
    make_design, wishes = PACED[name]
    paced = pace_costs(make_design(), "steady", wishes)
    # Where an encounter more or less is more than what a wish allows, it is said, and half of one is as near as costs get.
    lumps = [note for note in paced.notes if "one encounter more or less" in note]
    assert paced.wishes["holds"].sum() == len(wishes) - len(lumps), paced.wishes
    assert [note for note in paced.notes if note not in lumps] == []
    costs, grain = paced.costs["after"].to_numpy(), paced.design.track().cost.rounding_to or 1
    assert (np.diff(costs) > 0).all() and not (costs % grain).any() and len(costs) == paced.design.track().max_level - 1
    # With draws that nothing was fitted to.
    pace = rm.simulate(paced.design, {"steady": 6000}, seed=4711).pace().set_index("level")
    for level, wish in wishes.items():
        encounter = pace["hours_p50"][level] / pace["encounters_p50"][level]
        assert abs(pace["hours_p50"][level] - wish) <= max(0.01 * wish, encounter / 2), level


def test_costs_far_too_dear_are_brought_down():
    dear = PACED["limits"][0]().with_values({"tracks.warden.cost.formula": "90000 * level"})
    paced = pace_costs(dear, "steady", {5: 0.8, 20: 12})
    assert paced.wishes["holds"].all(), paced.wishes


def test_a_wish_that_would_need_falling_costs_is_named():
    design = PACED["limits"][0]()
    with pytest.warns(
        UserWarning, match=r"level \d+ in 3.* h does not hold: .*; it would need costs that fall"
    ) as said:
        paced = rm.costs_for(design, "steady", {8: 3, 12: 3.1})
    assert len(said) == 2
    assert (np.diff(rm.level_table(paced)["cost"].dropna()) > 0).all()
    for wishes, said in (
        ({}, "no wish"),
        ({1: 2}, r"allowed: 2 … 20"),
        ({3: 2, 5: 1}, "hours that rise"),
        ({3: -1}, "above 0"),
    ):
        with pytest.raises(rm.RamulusError, match=said):
            rm.costs_for(design, "steady", wishes)


@given(
    st.integers(4, 60).flatmap(lambda n: st.tuples(st.just(n), st.sets(st.integers(1, n), min_size=1, max_size=4))),
    st.floats(0.02, 2.0), st.floats(-0.02, 0.03),
)  # fmt: skip
def test_smooth_costs_keep_wishes_that_rise_fast_enough(size, first, growth):
    count, levels = size
    rates = 500 * np.exp(growth * np.arange(count))
    # Hours that some rising costs give, so that there is a solution.
    costs = 40 * np.arange(1, count + 1) ** 1.4 + 10
    times = first * np.cumsum(costs / rates)
    wished = sorted({*levels, count})
    wishes = TimeWishes(tuple(wished), tuple(float(times[level - 1]) for level in wished))
    found = smooth_costs(np.full(count, 100.0), rates, wishes, 1e-3, 1e-3)
    np.testing.assert_allclose(np.cumsum(found / rates)[np.array(wished) - 1], wishes.hours, rtol=5e-3)
    whole = in_grains(carried_on(found, count + 5, 1.0), 1.0, 1.0)
    assert (np.diff(whole) >= 1).all() and len(whole) == count + 5 and (whole == np.rint(whole)).all()


# --- the command line ------------------------------------------------------------------------------------------


@pytest.fixture
def demo_file(tmp_path):
    path = tmp_path / "canopy.toml"
    rm.demo_design().save(path)
    assert "# what the gate to the crown" in path.read_text()
    return path


def test_tune_writes_only_the_numbers(cli, demo_file):
    before = demo_file.read_text()
    ran = cli("tune", demo_file, "--vary", "crown_gate", "--players", 300, "--format", "json")
    found = json.loads(ran.out)
    assert ran.status == 0 and list(found["rows"][0]) == [
        "name", "before", "after", "low", "high", "determined", "at_bound",
    ]  # fmt: skip
    assert {"goals", "notes"} <= set(found) and demo_file.read_text() == before
    ran = cli("tune", demo_file, "--vary", "crown_gate=1000:3500", "--players", 300, "--write")
    assert ran.status == 0 and "wrote" in ran.err and "constants.crown_gate" in ran.out
    changed = [
        pair for pair in zip(before.splitlines(), demo_file.read_text().splitlines(), strict=True) if pair[0] != pair[1]
    ]
    ((old, new),) = changed
    assert old.replace("3000", new[13:17]) == new and old.startswith("crown_gate = 3000") and new[13] in "12"
    assert cli("check", demo_file, "--goals", "--players", 1000).status == 0


def test_tune_writes_costs_as_values(cli, demo_file):
    ran = cli("tune", demo_file, "--costs", "steady", "5=0.4", "12=2", "--write", "--quiet")
    assert ran.status == 0 and "level" in ran.out and not ran.err
    design = rm.load_design(demo_file)
    assert len(design.track().cost.values) == 39 and "# what the gate" in demo_file.read_text()
    found = json.loads(cli("tune", demo_file, "--costs", "steady", "5=0.4", "--format", "json").out)
    assert list(found["rows"][0]) == ["level", "wish", "found", "low", "high", "off", "holds"]
    assert [row["level"] for row in found["costs"]] == list(range(1, 40))


@pytest.mark.parametrize(
    ("words", "said"),
    [
        ((), "--vary NAME for numbers"),
        (("--vary", "steepness", "--costs", "steady"), "--vary NAME for numbers"),
        (("--vary", "steepness=1"), "write NAME=LOW:HIGH"),
        (("--vary", "steepness=a:b"), "write NAME=LOW:HIGH"),
        (("--vary", "steepness", "3=1"), "goes with --costs"),
        (("--costs", "steady"), "no wish"),
        (("--costs", "steady", "3"), "write LEVEL=HOURS"),
        (("--costs", "steady", "3=1", "3=2"), "there twice"),
        (("--costs", "steady", "3=1", "--whole", "steepness"), "goes with --vary"),
        (("--costs", "stedy", "3=1"), "did you mean 'steady'"),
        (("--vary", "steepness", "--set", "crown_gate=1", "--write"), "--set would write"),
        (("--vary", "steepnes"), "did you mean 'steepness'"),
    ],
)
def test_what_tune_cannot_do_is_refused(cli, demo_file, words, said):
    before = demo_file.read_text()
    ran = cli("tune", demo_file, *words)
    assert ran.status == 2 and said in ran.err and demo_file.read_text() == before


def test_a_file_that_changed_meanwhile_is_left_alone(cli, demo_file, monkeypatch):
    from ramulus.tuning import tuning

    found = tuning.judge

    def edits(result):
        demo_file.write_text(demo_file.read_text() + "# later\n")
        return found(result)

    monkeypatch.setattr(tuning, "judge", edits)
    ran = cli("tune", demo_file, "--vary", "crown_gate", "--players", 100, "--write")
    assert ran.status == 1 and "changed while numbers were sought" in ran.err
    assert "crown_gate = 3000" in demo_file.read_text() and demo_file.read_text().endswith("# later\n")


@pytest.mark.parametrize("words", [("--vary", "crown_gate", "--players", 100), ("--costs", "steady", "5=0.4")])
def test_an_interrupt_gives_the_best_so_far_and_writes_nothing(cli, demo_file, monkeypatch, words):
    from ramulus.tuning.trials import Trials

    play, before, runs = Trials.play, demo_file.read_text(), []

    def interrupted(self, *given, **more):
        runs.append(1)
        if len(runs) > 4:
            raise rm.SimulationStopped(None, 0, 0)
        return play(self, *given, **more)

    monkeypatch.setattr(Trials, "play", interrupted)
    ran = cli("tune", demo_file, *words, "--write")
    assert ran.status == 130 and "interrupted: the best" in ran.out and demo_file.read_text() == before


def test_sensitivity_on_the_command_line(cli, demo_file, tmp_path):
    ran = cli("sensitivity", demo_file, "--players", 60, "--vary", "steepness", "--vary", "crown_gate")
    assert ran.status == 0 and ran.out.count("steady: level 10 in 1.5 h") == 1 and "meets it" in ran.out
    rows = json.loads(cli("sensitivity", demo_file, "--players", 60, "--vary", "steepness", "--format", "json").out)[
        "rows"
    ]
    assert list(rows[0]) == [
        "name", "value", "player", "goal", "found", "change", "low", "high", "unit", "step", "needed", "note",
    ]  # fmt: skip
    assert cli("sensitivity", demo_file, "--vary", "steepnes").status == 2
    figure = tmp_path / "sensitivity.png"
    assert cli("plot", demo_file, "sensitivity", "--players", 60, "--vary", "steepness", "-o", figure).status == 0
    assert figure.stat().st_size > 10_000


def test_waste_and_patience_are_seen_to_move_what_they_move():
    """A mean's interval is of the mean alone, and who quits may hang on a constant that no play reads."""
    design = make(
        {"formula": "c + 10 * level"}, 10, {"overflow": {"carry": 0.5}}, constants={"c": 60, "lim": 0.055},
        encounter={"seconds": 30, "variation": 0.5}, sources={"blight": {"level": 1, "xp": {"low": 10, "high": 20}}},
        players={"p": {"spread": 0.3, "patience_hours_per_level": "lim"}},
        goals=[{"player": "p", "wasted": 0.1}, {"player": "p", "level": 5, "still_playing": 0.5}],
    )  # fmt: skip
    carry = "tracks.warden.overflow.carry"
    table = rm.sensitivity(design, ["c", "lim", carry], players=400)
    rows = {(row.name, row.goal[:2]): row for row in table.itertuples(index=False)}
    moved = rows[carry, "at"]
    up, down = (rm.simulate(design.with_values({carry: 0.5 * at}), 30_000).goals()["found"][0] for at in (1.03, 0.97))
    assert moved.low < 100 * (up - down) / 2 < moved.high < 0 and "not seen" not in moved.note
    assert rows["constants.lim", "50"].low > 0 and rows["constants.lim", "50"].note == ""
    assert rows["constants.lim", "at"].note == "does not move it"


LOSSES = {
    "constants": {"g": 1.2}, "players": {"p": {"spread": 0.1}},
    "sources": {"blight": {"level": 1, "xp": 10, "seconds": 30}},
    "encounter": {"success": 0.7, "failure": {"loss": 0.02}},
}  # fmt: skip


def losing(**far):
    """Two goals that pull apart, where failures take a fiftieth of a level: late levels may take more than is won."""
    near = {"player": "p", "level": 8, "hours": 2}
    return make(
        {"formula": "50 * g ** (level - 1)"},
        20,
        goals=[near, {"player": "p", "level": 20, "hours": 10, **far}],
        **LOSSES,
    )


def test_a_level_that_losses_put_out_of_reach_is_no_answer():
    tuning = rm.tune(losing(), ["g"], players=300)
    # 1.25 would have nobody come there: too few is what it was before, and not what it ends with.
    assert math.isnan(tuning.goals["found_before"][1]) and tuning.goals["found"][1] < 20
    assert not tuning.worse and not any("out of reach" in note for note in tuning.notes)


def test_goals_weigh_and_one_that_must_be_met_is_not_traded():
    weighed = [rm.tune(losing(weight=weight), ["g"], players=300).goals["found"][1] for weight in (0.1, 1)]
    assert weighed[0] > weighed[1] > 10
    must = rm.tune(losing(must=True), ["g"], players=300)
    assert (
        must.goals["verdict"][1] == "met"
        and not must.must_missed
        and must.goals["found"][1] == pytest.approx(10, rel=0.1)
    )


def test_where_nobody_gets_nothing_is_pinned_down():
    design = losing(must=True).with_values({"goals[1].hours": 0.01})
    tuning = rm.tune(design, {"g": (1.3, 1.6)}, players=60)
    assert tuning.must_missed and not tuning.values["determined"].any() and tuning.values["low"].isna().all()
    assert any("out of reach (too few get there)" in note for note in tuning.notes)


def test_what_is_worse_is_said_first_and_not_written_unasked(cli, tmp_path):
    near = [{"player": "p", "level": 8, "hours": 0.82, "tolerance": 0.03}, {"player": "p", "level": 7, "hours": 0.63}]
    near[1]["tolerance"] = 0.03
    far = {"player": "p", "level": 20, "hours": 10, "must": True}
    design = rm.Design.from_dict({**losing().to_dict(), "goals": [*near, far]})
    file = tmp_path / "losing.toml"
    design.save(file)
    before = file.read_text()
    tuning = rm.tune(design, {"g": (1.1, 1.24)}, players=200)
    assert tuning.goals["verdict_before"].tolist() == ["met", "met", "missed"], tuning.goals
    assert tuning.notes[0] == tuning.worse[0] and tuning.worse[0].startswith("worse than before: ")
    words = ("tune", file, "--vary", "g=1.1:1.24", "--players", 200, "--write")
    refused = cli(*words)
    assert refused.status == 1 and "nothing is written (--force" in refused.err and file.read_text() == before
    assert cli(*words, "--force").status == 0 and file.read_text() != before


def test_a_goal_that_must_be_met_and_is_not_exits_1(cli, tmp_path):
    losing(must=True).with_values({"goals[1].hours": 0.01}).save(tmp_path / "losing.toml")
    ran = cli("tune", tmp_path / "losing.toml", "--vary", "g=1.1:1.2", "--players", 60)
    assert ran.status == 1 and "a goal that must be met is missed" in " ".join(ran.out.split())


def test_a_curved_valley_is_gone_down():
    """Costs that grow by a power: far levels hang on the base so much that straight steps lead nowhere."""
    design = make(
        {"formula": "first * g ** (level - 1)"}, 60, constants={"g": 1.2, "first": 80}, players={"p": {"spread": 0.1}},
        sources={"blight": {"level": 1, "xp": "10 + 2 * level", "seconds": 30}},
        encounter={"success": 0.75, "failure": {"loss": 0.01}},
        goals=[{"player": "p", "level": 60, "hours": 120}, {"player": "p", "level": 10, "hours": 2}],
    )  # fmt: skip
    tuning = rm.tune(design, ["g", "first"], players=150)
    assert (tuning.goals["verdict"] != "missed").all(), (tuning.values, tuning.goals)


def test_a_wish_for_a_day_and_constants_that_nothing_reads_any_more(cli, demo_file):
    ran = cli("tune", demo_file, "--costs", "steady", "10=2.5", "40=25d", "--write", "--drop-unread")
    assert ran.status == 0
    design = rm.load_design(demo_file)
    assert not design.constants and "constant-unused" not in [finding.code for finding in rm.check(design)]
    assert rm.simulate(design, {"steady": 3000}, seed=8).pace()["days_p50"].iloc[-1] in (24, 25)
    for words, said in (
        (["25=45x"], "LEVEL=DAYd"), (["25=0d"], "1 or later"), (["5=1", "5=9d"], "there twice"),
    ):  # fmt: skip
        ran = cli("tune", demo_file, "--costs", "steady", *words)
        assert ran.status in (1, 2) and said in ran.err
    with pytest.raises(rm.RamulusError, match="no schedule"):
        rm.costs_for(exact({"player": "quick", "level": 5, "hours": 1}), "quick", days={3: 4})


def test_shares_are_percents_and_nobody_is_too_few(cli, demo_file):
    ran = cli("tune", demo_file, "--vary", "crown_gate=1000:3500", "--players", 200)
    (line,) = [line for line in ran.out.splitlines() if "still playing after" in line and "%  " in line]
    assert re.search(r"\d+\.\d%\s+\d+\.\d%", line)


@pytest.mark.parametrize(
    ("value", "low", "high", "said"),
    [
        (-0.16, -0.29, 0.01, "-0.16 ± 0.17"),
        (1.94, 1.41, 2.1, "+1.94 ± 0.53"),
        (0.0, 0.0, 0.0, "+0.00 ± 0.00"),
        (1.0, 0.5, math.nan, "+1.00 ± ?"),
        (math.nan, math.nan, math.nan, "–"),
        (1.0, math.nan, 1.5, "+1.00 ± ?"),
    ],
)
def test_a_change_is_said_with_the_farther_end_of_its_interval(value, low, high, said):
    table = pd.DataFrame([{"player": "p", "goal": "g", "name": "n", "value": 1, "change": value, "low": low, "high": high, "unit": "", "needed": 1, "note": ""}])  # fmt: skip
    assert sensitivity_rows(table)["change"].tolist() == [said]
