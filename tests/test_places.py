"""Places in a design: reading, changing, and the names that formulas see there."""

from __future__ import annotations

import pytest

import ramulus as rm
from conftest import make
from ramulus.design import value_at
from ramulus.design.names import formula_places
from ramulus.design.places import split_place
from ramulus.rules.ability import quantile_of
from ramulus.rules.tabulation import tabulated
from ramulus.tables.explain import names_at


@pytest.mark.parametrize(
    ("place", "parts"),
    [
        ("constants.steepness", ["constants", "steepness"]),
        ("multipliers[1].factor", ["multipliers", "1", "factor"]),
        ("multipliers.blossom week.factor", ["multipliers", "blossom week", "factor"]),
        ("goals[0].hours", ["goals", "0", "hours"]),
    ],
)
def test_places_split(place, parts):
    assert split_place(place) == parts


@pytest.mark.parametrize(
    ("place", "value"),
    [
        ("constants.first_cost", 60),
        ("tracks.warden.overflow.carry", 1.0),
        ("tracks.warden.overflow.threshold", "reached"),
        ("multipliers[1].factor", 1.5),
        ("multipliers.blossom week.from_day", 15),
        ("sources.aphid_cluster.xp.low", 9),
        ("players.adept.traits.accuracy.mean", 0.9),
        ("encounter.failure.extra_seconds", 40),
    ],
)
def test_values_at_places_and_back(place, value):
    design = rm.demo_design()
    assert value_at(design, place) == value
    assert design.with_values({place: value}) == design


@pytest.mark.parametrize(
    "place", ["constants.nothing", "nothing", "multipliers[9].factor", "tracks.warden.cost.formula.x", ""]
)
def test_places_that_do_not_exist(place):
    with pytest.raises(rm.UnknownNameError):
        value_at(rm.demo_design(), place or "?")
    with pytest.raises(rm.UnknownNameError):
        rm.demo_design().with_values({place: 1})


def test_every_formula_of_the_demo_can_be_explained_where_it_stands():
    design = rm.demo_design()
    explained = 0
    for formula in formula_places(design):
        level = 20 if "crown_rot" not in formula.place else 32
        worked = rm.explain(design, formula.place, 5 if "grafting" in formula.place else level)
        assert worked.formula == formula.text
        assert set(worked.names) <= formula.names
        explained += 1
    assert explained >= 10


def test_the_names_a_formula_sees():
    names = names_at(rm.demo_design(), 12, "adept", "shoot_graft", 7)
    assert names["level"] == 12
    assert names["source_level"] == 5
    assert names["gap"] == 7
    assert names["skill_level"] == 7
    assert names["accuracy"] == pytest.approx(quantile_of(rm.demo_design().players["adept"].traits["accuracy"], 0.5))
    assert names["first_cost"] == 60
    assert names["leader_level"] == 12
    assert names["party_size"] == 1
    with pytest.raises(rm.RamulusError, match="1 … 40"):
        names_at(rm.demo_design(), 41)
    with pytest.raises(rm.RamulusError, match="1 … 15"):
        names_at(rm.demo_design(), 3, source="shoot_graft", skill_level=16)
    bare = names_at(make(constants={"step": 5}), 3)
    assert bare == {"step": 5, "level": 3}


def test_the_grid_has_a_column_a_skill_level_only_where_a_skill_matters():
    grid = tabulated(rm.demo_design()).columns
    widths = dict(zip(grid.sources, grid.width.tolist(), strict=True))
    assert widths.pop("shoot_graft") == 15
    assert set(widths.values()) == {1}
    assert grid.shape == (40, 7 + 15)
    first = int(grid.first_column[grid.sources.index("shoot_graft")])
    assert grid.skill_level[first : first + 15].tolist() == list(range(1, 16))
    assert grid.open[:, first].sum() == 14
    assert grid.open[2:16, first].all()
