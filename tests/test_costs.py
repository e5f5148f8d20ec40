"""Level costs: every way to state them, against numbers worked by hand."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

import ramulus as rm
from conftest import make
from ramulus.rules.level_from_xp import level_from_xp
from ramulus.rules.tabulation import tabulated


def costs_of(cost, max_level=6, **track):
    return tabulated(make(cost, max_level, track)).main.curve.costs.tolist()


@pytest.mark.parametrize(
    ("cost", "expected"),
    [
        # 60 + 24·(L−1)^1.55: 24·1, 24·2.9282, 24·5.4896, 24·8.5742 past 60, rounded down.
        ({"formula": "60 + 24 * (level - 1) ** 1.55"}, [60, 84, 130, 191, 265]),
        ({"formula": "100 * (level - 1) ** 2", "gives": "total"}, [100, 300, 500, 700, 900]),
        # 5, 6.75, 9.1125, 12.301875, 16.60753: rounded at the end …
        ({"first": 5, "next": "previous * 1.35"}, [5, 6, 9, 12, 16]),
        # … and at each step: 5, 6, ⌊8.1⌋, ⌊10.8⌋, ⌊13.5⌋.
        ({"first": 5, "next": "previous * 1.35", "round_each_step": True}, [5, 6, 8, 10, 13]),
        ({"first": 5, "next": "previous * 1.35", "rounding": "nearest"}, [5, 7, 9, 12, 17]),
        ({"first": 5, "next": "previous * 1.35", "rounding": "up"}, [5, 7, 10, 13, 17]),
        ({"first": 10, "next": "previous + level", "rounding": "none"}, [10, 12, 15, 19, 24]),
        # A clamp feeds on: 8 → 16 → 25 (not 32) → 15 (25 − 10) → 30 → 25.
        ({"first": 8, "next": "previous * 2 if level < 5 else previous - 10", "at_most": 25}, [8, 16, 25, 25, 15]),
        ({"formula": "level * 7", "at_least": 15, "at_most": 30}, [15, 15, 21, 28, 30]),
        ({"values": [1, 2, 3, 4, 5]}, [1, 2, 3, 4, 5]),
        ({"values": [7, 9], "beyond": "hold"}, [7, 9, 9, 9, 9]),
        ({"values": [0, 10, 30, 60], "gives": "total", "beyond": "hold"}, [10, 20, 30, 30, 30]),
        ({"values": [10, 30, 60, 100, 150], "gives": "total"}, [10, 20, 30, 40, 50]),
        ({"points": [[1, 10], [5, 160]]}, [10, 47, 85, 122, 160]),  # steps of 37.5
        ({"points": [[1, 10], [5, 160]], "between": "geometric"}, [10, 20, 40, 80, 160]),
        ({"points": [[1, 10], [4, 50]], "between": "step", "beyond": "hold"}, [10, 10, 10, 50, 50]),
        # PCHIP, slopes by hand: d = 15, 60 → harmonic mean 24 in the middle, ends 0 and 82.5; at 2: 19, at 4: 85.1.
        ({"points": [[1, 10], [3, 40], [5, 160]], "between": "smooth"}, [10, 19, 40, 85, 160]),
        ({"points": [[1, 0], [3, 50], [6, 350]], "gives": "total"}, [25, 25, 100, 100, 100]),
        ({"points": [[2, 50], [4, 150]], "gives": "total", "beyond": "hold"}, [50, 50, 50, 50, 50]),
        ({"level_from_xp": "1 + sqrt(xp / 100)"}, [100, 300, 500, 700, 900]),
        ({"level_from_xp": "xp // 7"}, [14, 7, 7, 7, 7]),
        (
            {"segments": [{"from_level": 1, "formula": "10 * level"}, {"from_level": 4, "next": "previous * 2"}]},
            [10, 20, 30, 60, 120],
        ),
        (
            {
                "segments": [
                    {"from_level": 1, "values": [5, 6]},
                    {"from_level": 3, "formula": "100 * level ** 2", "gives": "total"},
                ]
            },
            [5, 6, 700, 900, 1100],
        ),
    ],
)
def test_costs_worked_by_hand(cost, expected):
    assert costs_of(cost) == expected


def test_totals_are_rounded_where_totals_are_stated():
    # totals 3.6, 7.2, 10.8, 14.4, 18.0 → 3, 7, 10, 14, 18; rounding costs would give 3 each.
    assert costs_of({"formula": "3.6 * (level - 1)", "gives": "total"}) == [3, 4, 3, 4, 4]


def test_the_demo_by_hand():
    table = rm.level_table(rm.demo_design())
    hand = [int(60 + 24 * (n - 1) ** 1.55 + (3000 if n == 20 else 0)) for n in range(1, 40)]
    assert table["cost"].tolist()[:-1] == hand
    assert table["total"].tolist() == [0, *np.cumsum(hand).tolist()]
    assert table["growth"].iloc[1] == pytest.approx(84 / 60 - 1)
    assert np.isnan(table["growth"].iloc[0]) and np.isnan(table["cost"].iloc[-1])
    assert table["resilience"].tolist() == [80 + 12 * (n - 1) for n in range(1, 41)]
    np.testing.assert_allclose(table["shear"], [9 * 1.06 ** (n - 1) for n in range(1, 41)], rtol=1e-14)


@settings(max_examples=60, deadline=None)
@given(st.floats(0.3, 0.9), st.floats(0.01, 5), st.integers(0, 3))
def test_a_level_read_off_total_xp_round_trips(power, factor, start):
    text = f"{start} + {factor!r} * xp ** {power!r}"
    design = make({"level_from_xp": text}, start + 12, {"start_level": start})
    assume(start + factor < start + 1)  # Else the first level costs nothing, which is an error of its own.
    try:
        curve = tabulated(design).main.curve
    except rm.DesignError as error:
        assert "costs 0 XP" in str(error)  # Two levels may share a whole XP.
        return
    assert level_from_xp(text, curve.totals[1:], start, {}).tolist() == curve.levels[1:].tolist()
    assert (level_from_xp(text, curve.totals[1:] - 1, start, {}) == curve.levels[:-1]).all()


@pytest.mark.parametrize(
    ("cost", "words"),
    [
        ({"formula": "10 - 5 * level"}, ["tracks.warden.cost", "level 2 costs 0 XP", "above 0"]),
        ({"formula": "0.5 * level"}, ["level 1 costs 0 XP", "before rounding: 0.5"]),
        ({"formula": "1 / (level - 3)", "rounding": "none"}, ["division by zero", "level = 3", "cost.formula"]),
        ({"values": [1, 2]}, ["2 values for 5 levels: 3 missing", "hold"]),
        ({"points": [[1, 5], [1, 6]]}, ["points[1]", "rise in level"]),
        ({"points": [[2, 5], [9, 6]]}, ["level 1 is outside", "hold"]),
        ({"points": [[1, 0], [9, 6]], "between": "geometric"}, ["geometric", "above 0"]),
        ({"level_from_xp": "5 - xp"}, ["never reached"]),
        ({"level_from_xp": "1 + xp / 10 - (3 if 20 < xp < 25 else 0)"}, ["falls from"]),
        ({"segments": [{"from_level": 2, "formula": "5"}]}, ["starts at level 2", "1, the start level"]),
        ({"segments": [{"from_level": 1, "formula": "5"}, {"from_level": 1, "formula": "5"}]}, ["segments that rise"]),
        ({"segments": [{"from_level": 1, "next": "previous"}]}, ["without 'first'"]),
        ({"first": 1, "next": "previous * 1e200"}, ["next", "no finite number"]),
        ({"file": "nowhere.csv"}, ["nowhere.csv", "no such file"]),
        ({"totals": [1, 2], "gives": "total"}, ["no costs are stated by 'totals', 'gives'", "exactly one of formula"]),
        ({"value": [1]}, ["no costs are stated by 'value'", "did you mean 'values'"]),
    ],
)
def test_faulty_costs_are_one_clear_error(cost, words):
    with pytest.raises(rm.RamulusError) as caught:
        rm.level_table(make(cost))
    for word in words:
        assert word in str(caught.value)


def test_start_xp_must_not_pay_for_a_level():
    with pytest.raises(rm.DesignError, match="would pay for level 1"):
        rm.level_table(make(None, 6, {"start_xp": 100}))


@pytest.mark.parametrize(
    ("place", "level", "value", "last"),
    [
        ("tracks.warden.cost.formula", 7, 445, "floor(445.7853040698742)"),
        ("tracks.warden.cost", 20, 5362, None),
        ("tracks.grafting.cost", 4, 12, "floor(12.301875000000003)"),
        ("stats.resilience", 5, 128, None),
        ("encounter.success", 3, 0.76, None),
        ("multipliers.outgrown.factor", 12, 0.6, None),
        ("multipliers[0].factor", 12, 0.6, None),
        ("sources.crown_rot.xp", 30, 162, None),
    ],
)
def test_explain_gives_the_number_the_tables_have(place, level, value, last):
    source = {
        "encounter.success": "bark_borer",
        "multipliers.outgrown.factor": "bark_borer",
        "multipliers[0].factor": "bark_borer",
    }
    worked = rm.explain(rm.demo_design(), place, level, source=source.get(place))
    assert worked.value == pytest.approx(value, abs=1e-12)
    assert last is None or worked.steps[-1].put_in == last
    assert worked.table()["value"].iloc[-1] == worked.value


def test_explain_every_way():
    cases = [
        ({"level_from_xp": "1 + sqrt(xp / 100)"}, 3, 500),
        ({"points": [[1, 10], [5, 160]]}, 2, 47),
        ({"values": [5, 6, 7, 8, 9]}, 3, 7),
        ({"first": 8, "next": "previous * 2", "at_most": 25}, 4, 25),
        ({"formula": "3.6 * (level - 1)", "gives": "total"}, 4, 4),
        ({"segments": [{"from_level": 1, "formula": "10 * level"}, {"from_level": 4, "next": "previous * 2"}]}, 5, 120),
    ]
    for cost, level, value in cases:
        design = make(cost)
        assert rm.explain(design, "tracks.warden.cost", level).value == value, cost
    same = rm.explain(make({"first": 5, "next": "previous * 1"}), "tracks.warden.cost", 3)
    assert same.steps[0].put_in == "5 * 1"  # It comes to the first cost, and is not the first cost.
    parts = {
        "segments": [
            {"from_level": 1, "values": [5, 6]},
            {"from_level": 3, "formula": "100.5 * level ** 2", "gives": "total"},
        ]
    }
    worked = rm.explain(make(parts), "tracks.warden.cost", 5)
    # 100.5 · 36 = 3618 and 100.5 · 25 = 2512.5, each rounded down; both are shown, and what is between them.
    assert worked.value == worked.steps[-1].value == tabulated(make(parts)).main.curve.cost(5) == 3618 - 2512
    assert [step.value for step in worked.steps if step.expression.startswith("total(")][:2] == [2512, 3618]
    assert "where" not in str(worked) and str(worked).endswith("1106 XP")
    clamped = make({"formula": "100 * (level - 1) ** 2", "gives": "total", "at_most": 400})
    assert any(s.note.startswith("added up again") for s in rm.explain(clamped, "tracks.warden.cost", 5).steps)
    assert rm.explain(clamped, "tracks.warden.cost", 5).value == tabulated(clamped).main.curve.costs[4] == 400
    with pytest.raises(rm.UnknownNameError, match="did you mean 'tracks.warden.cost.formula'"):
        rm.explain(make(), "tracks.warden.cost.fromula", 2)
    with pytest.raises(rm.RamulusError, match=r"level 6 has no cost; allowed: 1 … 5"):
        rm.explain(make(), "tracks.warden.cost", 6)
    with pytest.raises(rm.UnknownNameError):
        rm.explain(make(), "tracks.warden.kost", 2)
    upgraded = rm.explain(rm.demo_design(), "stats.shear", 9, player="steady")
    assert upgraded.steps[-1].put_in == "14.344632670777582 + 2 * 4"


def test_an_explanation_names_whom_it_is_of_and_the_unit():
    text = str(rm.explain(rm.demo_design(), "encounter.seconds", 9))
    assert "for source aphid_cluster (--source), player newcomer (--player), level 9" in text and text.endswith(" s")
    own = str(rm.explain(rm.demo_design(), "multipliers.outgrown.factor", 9, source="bark_borer", player="adept"))
    assert "for source bark_borer (--source), player adept (--player), level 9" in own
    long = make(stats={"shear": {"formula": "0.1 + 0.2"}})
    assert str(rm.explain(long, "stats.shear", 2)).splitlines()[-1].strip() == "0.3"
