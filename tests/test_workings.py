"""Workings: every line that `explain` and `award` print is a formula that gives the number beside it."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

import ramulus as rm
from conftest import make
from ramulus.design.names import formula_places
from ramulus.formula import evaluate, parse
from test_properties import cost_tables

LIMITS = st.fixed_dictionaries({}, optional={"at_least": st.integers(1, 60), "at_most": st.integers(61, 900)})


def holds(steps) -> None:
    for step in steps:
        assert float(evaluate(parse(step.put_in), {})) == step.value, step


@settings(max_examples=200, deadline=None)
@given(cost_tables(), LIMITS, st.integers(1, 12))
def test_each_line_of_a_cost_gives_its_value(cost, limits, level):
    design = make({**cost, **limits}, 13)
    try:
        table = rm.level_table(design)
    except rm.DesignError as error:
        assert "above 0" in str(error) or "is above" in str(error)
        return
    worked = rm.explain(design, "tracks.warden.cost", level)
    holds(worked.steps)
    assert worked.value == worked.steps[-1].value == table["cost"][level - 1]
    if cost.get("gives") == "total" or "level_from_xp" in cost:
        totals = [step.value for step in worked.steps if step.note.startswith("the total at level")]
        assert totals[-1] == pytest.approx(table["total"][level], rel=1e-12)
    said = [step.expression.split()[0] for step in worked.steps]
    changed = any(word in ("at_least", "at_most") for word in said)
    assert not changed or {"at_least", "at_most"} & {*cost, *limits}


SEGMENTS = [
    {"from_level": 1, "values": [30, 44.5, 71]},
    {"from_level": 4, "next": "previous * 1.3", "round_each_step": True},
    {"from_level": 7, "points": [[7, 90], [9, 400]], "between": "geometric"},
    {"from_level": 9, "formula": "7.7 * level ** 2", "gives": "total"},
]


@pytest.mark.parametrize("limits", [{}, {"at_most": 100}, {"at_least": 50}])
def test_each_line_of_a_segment_gives_its_value(limits):
    design = make({"segments": SEGMENTS, **limits}, 13)
    costs = rm.level_table(design)["cost"]
    for level in range(1, 13):
        worked = rm.explain(design, "tracks.warden.cost", level)
        holds(worked.steps)
        assert worked.value == worked.steps[-1].value == costs[level - 1]


@pytest.mark.parametrize(
    ("cost", "level", "lines"),
    [
        (
            {"first": 5, "next": "previous * 1.35", "round_each_step": True},
            3,
            ["6 * 1.35", "floor(8.100000000000001)"],
        ),
        ({"first": 20, "next": "previous * 2", "at_most": 50}, 3, ["40 * 2", "min(80, 50)", "floor(50)"]),
        ({"points": [[1, 10], [6, 60]], "at_most": 25}, 3, ["(60 - 10) / (6 - 1) * (3 - 1) + 10", "min(30, 25)", "floor(25)"]),
        ({"values": [10, 20, 30, 40, 50]}, 2, ["20", "floor(20)"]),
        ({"values": [10, 20], "beyond": "hold", "rounding": "none"}, 4, ["20"]),
        # Totals held on: 10 and 30 by points, then the last cost, 20, again and again.
        ({"points": [[1, 0], [2, 10], [3, 30]], "gives": "total", "beyond": "hold"}, 4,
         ["50", "floor(50)", "50", "70", "floor(70)", "70", "70 - 50"]),
    ],
)  # fmt: skip
def test_a_working_by_hand(cost, level, lines):
    assert [step.put_in for step in rm.explain(make(cost), "tracks.warden.cost", level).steps] == lines


def test_a_working_says_what_it_goes_by():
    held = rm.explain(make({"points": [[1, 0], [3, 30]], "gives": "total", "beyond": "hold"}), "tracks.warden.cost", 4)
    assert [step.note for step in held.steps if "last cost" in step.expression] == ["after 30", "after 45"]
    through = make({"points": [[1, 10], [4, 40], [6, 90]]})
    notes = [rm.explain(through, "tracks.warden.cost", level).steps[0].note for level in (3, 4)]
    assert notes[0] != "the point itself" == notes[1]


GROWTHS = st.one_of(
    st.fixed_dictionaries({"base": st.integers(1, 50), "per_level": st.floats(-3, 9)}),
    st.fixed_dictionaries({"base": st.floats(1, 50), "growth": st.floats(0.8, 1.3)}),
    st.fixed_dictionaries({"formula": st.just("other * 2 + level ** 1.5 + start_level")}),
    st.fixed_dictionaries({"values": st.lists(st.floats(0, 99), min_size=8, max_size=8)}),
    st.builds(
        lambda between, of: {"points": [[1, 3], [4, 9.5], [8, 11]], "between": between, "base": 7, **of},
        st.sampled_from(["straight", "smooth", "geometric", "step"]),
        st.sampled_from([{}, {"of": "base"}]),
    ),
    st.fixed_dictionaries({"base": st.floats(0, 9)}),
)


@settings(max_examples=150, deadline=None)
@example({"base": 1.0, "growth": 0.8}, {}, "none", 3)  # A square among powers.
@given(GROWTHS, LIMITS, st.sampled_from(["none", "down", "nearest", "up"]), st.integers(1, 8))
def test_each_line_of_a_stat_gives_its_value(growth, limits, rounding, level):
    design = make(
        None, 8, {"points_per_level": 2},
        stats={"other": {"base": 4, "per_level": 1}, "shear": {**growth, **limits, "rounding": rounding}},
        upgrades={"keen": {"stat": "shear", "add": 2.5}, "quick": {"stat": "shear", "factor": 1.1}},
        players={"steady": {"spends": ["keen", "quick"]}},
    )  # fmt: skip
    for player in (None, "steady"):
        worked = rm.explain(design, "stats.shear", level, player=player)
        holds(worked.steps)
        assert worked.steps[-1].value == worked.value == rm.level_table(design, player=player)["shear"][level - 1]
    if "values" in growth:
        assert worked.steps[0].expression == f"values[{level - 1}]"


@pytest.mark.parametrize("level", [1, 7, 12, 20, 31])
def test_each_line_of_the_demos_formulas_gives_its_value(level):
    design = rm.demo_design()
    for formula in formula_places(design):
        if "grafting" not in formula.place:
            holds(rm.explain(design, formula.place, level, player="steady").steps)


RULE = st.fixed_dictionaries(
    {"factor": st.sampled_from([0.5, 0.76, 1, 1.2, 1.5, 3]), "stack": st.sampled_from(["multiply", "add", "best"])}
)


@settings(max_examples=150, deadline=None)
@given(
    st.lists(RULE, max_size=5),
    st.sampled_from(["none", "down", "nearest", "up"]),
    st.sampled_from([0, 1, 40]),
    st.integers(0, 60),
)
def test_each_line_of_an_award_gives_its_value(rules, rounding, least, xp):
    named = [{"name": f"r{i}", **rule} for i, rule in enumerate(rules)]
    if sum(rule["factor"] - 1 for rule in rules if rule["stack"] == "add") <= -1:
        return
    design = make(
        {"formula": "1e6"}, sources={"a": {"level": 1, "xp": xp, "seconds": 1}}, multipliers=named,
        awards={"rounding": rounding, "least_award": least},
    )  # fmt: skip
    table, (chain,) = rm.trace_source(design, "a", 1)
    holds(chain.steps)
    assert chain.steps[-1].value == chain.award == table["amount"].iloc[0]
    gain = rm.gain_table(design).iloc[0]
    assert gain["award"] == pytest.approx(chain.award)
    assert np.prod([factor for _, factor in chain.links]) == pytest.approx(gain["factor"])
    assert str(chain).startswith(f"base {xp}")
    assert float(str(chain).split("= ")[-1].replace(",", "")) == chain.award


def test_an_award_says_how_its_rules_stack():
    rules = [("double", 2, "multiply"), ("a", 3, "best"), ("b", 1.5, "best"), ("c", 1.2, "add"), ("d", 1.3, "add")]
    design = make(
        {"formula": "1e6"}, sources={"a": {"level": 1, "xp": 100, "seconds": 1}},
        multipliers=[{"name": name, "factor": factor, "stack": stack} for name, factor, stack in rules],
    )  # fmt: skip
    (chain,) = rm.trace_source(design, "a", 1)[1]
    assert str(chain) == "base 100 × double 2 × best of (a, b) 3 × sum of (c, d) 1.5 = 900"
    low = design.with_values({"sources.a.xp": 3, "awards": {"least_award": 50}, "multipliers.double.factor": 0.1})
    (lifted,) = rm.trace_source(low, "a", 1)[1]
    assert str(lifted) == (
        "base 3 × double 0.1 × best of (a, b) 3 × sum of (c, d) 1.5 = 1.35 rounded down = 1 lifted to least_award = 50"
    )
