"""Promises that hold for any design: found by trying many, not by choosing a few."""

from __future__ import annotations

import copy

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import ramulus as rm
from attack.mutation import at, places
from conftest import make
from ramulus.rules.tabulation import tabulated

DEMO = rm.demo_design().to_dict()
NUMBERS = [place for place in places(DEMO) if type(at(DEMO, place)) in (int, float)]


@settings(max_examples=60, deadline=None)
@given(st.sampled_from(NUMBERS), st.sampled_from([0.5, 0.9, 1.1, 2, 3]))
def test_a_scaled_number_plays_or_says_what_is_wrong(place, factor):
    data = copy.deepcopy(DEMO)
    value = at(data, place)
    at(data, place[:-1])[place[-1]] = type(value)(value * factor)
    try:
        result = rm.simulate(rm.Design.from_dict(data), players=20, hours=5, seed=1)
    except rm.RamulusError:
        return
    pace = result.pace()
    assert ((pace["reached"] >= 0) & (pace["reached"] <= 1)).all()
    for _, rows in pace.groupby("player"):
        assert (np.diff(rows["hours_p50"].dropna()) >= 0).all()
        assert (np.diff(rows["reached"]) <= 0).all()


# --- costs -----------------------------------------------------------------------------------------------------


def cost_tables() -> st.SearchStrategy[dict]:
    rounding = st.sampled_from(["down", "nearest", "up", "none"])
    positive = st.integers(1, 500)
    rising = st.lists(st.integers(1, 400), min_size=12, max_size=12)
    return st.one_of(
        st.fixed_dictionaries(
            {
                "formula": st.builds("{} + {} * level ** {}".format, positive, st.floats(0.1, 9), st.floats(0, 2)),
                "rounding": rounding,
            }
        ),
        st.fixed_dictionaries(
            {
                "formula": st.builds("{} * (level - 1) ** {}".format, positive, st.floats(1, 2)),
                "gives": st.just("total"),
                "rounding": rounding,
            }
        ),
        st.fixed_dictionaries(
            {
                "first": positive,
                "next": st.builds("previous * {} + {}".format, st.floats(1, 1.5), positive),
                "round_each_step": st.booleans(),
                "rounding": rounding,
                "at_most": st.integers(500, 5000),
            }
        ),
        st.fixed_dictionaries({"values": rising, "rounding": rounding}),
        st.fixed_dictionaries({"values": rising.map(lambda v: np.cumsum(v).tolist()), "gives": st.just("total")}),
        st.fixed_dictionaries(
            {
                "points": st.lists(positive, min_size=4, max_size=4).map(
                    lambda v: [[1, v[0]], [4, v[1]], [9, v[2]], [12, v[3]]]
                ),
                "between": st.sampled_from(["straight", "smooth", "geometric", "step"]),
                "rounding": rounding,
            }
        ),
        st.builds(lambda a: {"level_from_xp": f"1 + sqrt(xp / {a})"}, positive),
    )


@settings(max_examples=200, deadline=None)
@given(cost_tables(), st.integers(1, 12))
def test_explain_and_the_table_give_the_same_number_however_costs_are_stated(cost, level):
    design = make(cost, 13)
    try:
        curve = tabulated(design).main.curve
    except rm.DesignError as error:
        assert "above 0" in str(error)
        return
    assert curve.totals.tolist() == [0, *np.cumsum(curve.costs).tolist()]
    assert (curve.costs > 0).all()
    table = rm.level_table(design)
    np.testing.assert_array_equal(table["total"], curve.totals)
    worked = rm.explain(design, "tracks.warden.cost", level)
    assert worked.value == worked.steps[-1].value == curve.costs[level - 1]


@settings(max_examples=60, deadline=None)
@given(st.lists(st.floats(0.5, 1e6), min_size=3, max_size=20))
def test_rounding_moves_each_cost_by_less_than_one(values):
    exact = np.array(values)
    for rounding, low, high in (("down", -1, 0), ("up", 0, 1), ("nearest", -0.5, 0.5), ("none", 0, 0)):
        try:
            curve = tabulated(make({"values": values, "rounding": rounding}, len(values) + 1)).main.curve
        except rm.DesignError:
            assert (exact < 1).any()
            continue
        moved = curve.costs - exact
        assert (moved >= low).all()
        assert (moved <= high).all()


# --- parties ---------------------------------------------------------------------------------------------------


@settings(max_examples=25, deadline=None)
@given(
    st.lists(st.integers(1, 15), min_size=2, max_size=4),
    st.sampled_from([1.5, 4, 20]),
    st.sampled_from(["each", "split"]),
    st.sampled_from([{}, {"carry": 0.5}, {"carry": 0}, {"level_ups_per_award": "one"}]),
    st.integers(0, 99),
)
def test_nobody_who_is_held_passes_the_leader_by_a_boost(starts, boost, share, overflow, seed):
    design = make(
        {"formula": "40 + 30 * level"},
        30,
        {"overflow": overflow},
        sources={"a": {"level": 5, "xp": {"low": 30, "high": 200}, "seconds": 30}},
        players={"p": {}},
        encounter={"success": 0.8, "failure": {"xp_share": 0.2}},
        multipliers=[{"name": "catch-up", "factor": f"{boost} if level < leader_level else 1"}],
        party={
            "members": {f"m{i}": {"player": "p", "start_level": level} for i, level in enumerate(starts)},
            "share": share,
            "hold_below_leader": True,
        },
    )
    run = rm.play_party(design, 40, parties=5, seed=seed)
    assert run.overtakings() == []
    log = run.played.log
    assert (log.cut >= 0).all()
    assert (log.cut <= log.boost).all()  # Never below what the award would be without the leader's level.
    assert (np.diff(run.played.levels, axis=1) >= 0).all()
    for party in range(5):
        table = run.awards(party)
        assert len(table) == (log.played[party] + 1) * len(starts)
        assert table["award"].sum() * run.played.scale == log.award[party].sum()


@pytest.mark.parametrize("variation", [0, 0.3])
def test_a_party_of_one_is_a_player_alone(variation):
    parts = {
        "sources": {"a": {"level": 1, "xp": {"low": 3, "high": 20}, "seconds": 36, "success": 0.8}},
        "players": {"p": {"seconds_between": 4, "spread": 0.2}},
        "encounter": {"variation": variation, "failure": {"loss": 0.1, "xp_share": 0.2, "extra_seconds": 9}},
    }
    design = make({"values": [20, 30, 50]}, 4, party={"members": {"wren": {"player": "p"}}}, **parts)
    alone = rm.simulate(design, players=20, seed=3).profile().main
    run = rm.play_party(design, 60, parties=20, seed=3)
    for party in range(20):
        table = run.awards(party)
        for level in (2, 3, 4):
            first = table[table["level"] >= level].iloc[0]
            assert first["encounter"] == alone.encounters.values[party, level - 1]
            assert first["hours"] == pytest.approx(alone.seconds.values[party, level - 1] / 3600)
