"""Stats, upgrades and encounters, against a design worked by hand; and what faulty ones say."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import ramulus as rm
from conftest import make
from ramulus.rules import pay
from ramulus.rules.pay import MeanAward
from ramulus.rules.tabulation import tabulated
from ramulus.tables.effort import left_out


def stat_table(design, player=None):
    return {name: curve.values for name, curve in tabulated(design).stats(player).items()}


def upgrade_ranks(design, player):
    return tabulated(design).ranks(player)


# A warden whose shears do 10, and 2 more a rank; the first rank of quick hands is dear.
FIGHT = {
    "track": {"points_per_level": 1},
    "stats": {
        "shear": {"base": 10},
        "windup": {"base": 2},
        "reach": {"formula": "shear / 10 + level - start_level"},
        "resilience": {"base": 50, "per_level": 5, "at_most": 65},
        "vigour": {"base": 8, "growth": 1.5, "rounding": "nearest"},
        "sap": {"values": [5, 4, 3, 2, 1, 0]},
        "bloom": {"points": [[1, 1], [6, 2]], "base": 40, "of": "base"},
    },
    "upgrades": {"keen": {"stat": "shear", "add": 2}, "quick": {"stat": "windup", "factor": 0.5, "price": 2}},
    "sources": {
        "aphid": {"level": 1, "xp": 10, "toughness": 30, "to_level": 4},
        "borer": {
            "level": 3,
            "xp": {"low": 20, "high": 40},
            "toughness": "20 * source_level",
            "from_level": 2,
            "weight": 3,
        },
        "errand": {
            "level": 2,
            "xp": {"one_of": [[100, 0.25], [20, 0.75]]},
            "seconds": 60,
            "success": 0.5,
            "from_level": 3,
        },
    },
    "encounter": {
        "seconds": "ceil(toughness / shear) * windup",
        "success": "clip(0.9 + 0.1 * gap, 0, 1)",
        "failure": {"extra_seconds": 10, "xp_share": 0.5},
        "show": {"cuts": "ceil(toughness / shear)"},
    },
    "players": {"steady": {"spends": ["keen", "quick"], "seconds_between": 4}, "thrifty": {}},
}


def fight(**changes):
    return make(None, 6, **{**FIGHT, **changes})


def test_upgrades_bought_at_the_right_levels_saving_up_for_dear_ones():
    ranks = upgrade_ranks(fight(), "steady")
    # Points at levels 1…6: 0 1 2 3 4 5. keen at 1 point, quick at 3 (saved for from 1 to 3), keen again at 4 …
    assert ranks["keen"].tolist() == [0, 1, 1, 1, 2, 2]
    assert ranks["quick"].tolist() == [0, 0, 0, 1, 1, 1]
    assert upgrade_ranks(fight(), "thrifty")["keen"].tolist() == [0] * 6
    capped = fight(upgrades={"keen": {"stat": "shear", "add": 2, "max_rank": 1}, "quick": FIGHT["upgrades"]["quick"]})
    assert upgrade_ranks(capped, "steady")["keen"].tolist() == [0, 1, 1, 1, 1, 1]
    assert upgrade_ranks(capped, "steady")["quick"].tolist() == [0, 0, 0, 1, 1, 2]


def test_stats_by_hand():
    table = stat_table(fight(), "steady")
    assert table["shear"].tolist() == [10, 12, 12, 12, 14, 14]
    assert table["windup"].tolist() == [2, 2, 2, 1, 1, 1]
    assert table["reach"].tolist() == [1.0, 2.2, 3.2, 4.2, 5.4, 6.4]
    assert table["resilience"].tolist() == [50, 55, 60, 65, 65, 65]
    assert table["vigour"].tolist() == [8, 12, 18, 27, 41, 61]  # 40.5 and 60.75
    assert table["sap"].tolist() == [5, 4, 3, 2, 1, 0]
    assert table["bloom"].tolist() == [40, 48, 56, 64, 72, 80]
    assert stat_table(fight())["shear"].tolist() == [10] * 6


def test_a_factor_upgrade_nears_zero_and_never_reaches_it():
    design = make(
        {"formula": "10"},
        400,
        {"points_per_level": 2},
        stats={"windup": {"base": 1.4}},
        upgrades={"quick": {"stat": "windup", "factor": 0.93}},
        players={"a": {"spends": ["quick"]}},
    )
    windup = stat_table(design, "a")["windup"]
    assert (windup > 0).all() and (np.diff(windup) < 0).all()
    assert windup[1] == pytest.approx(1.4 * 0.93**2)


def test_the_cuts_needed_and_what_an_hour_brings_by_hand():
    table = rm.effort_table(fight(), "steady").set_index(["level", "source"])
    cuts = {level: table.loc[(level, "aphid"), "cuts"] for level in (1, 2, 3, 4)}
    assert cuts == {1: 3, 2: 3, 3: 3, 4: 3}  # 30 / 10, then 30 / 12 → 3
    assert [table.loc[(level, "borer"), "cuts"] for level in (2, 3, 4, 5)] == [5, 5, 5, 5]  # 60 / 12, 60 / 14
    assert np.isnan(table.loc[(3, "errand"), "cuts"])  # it has no toughness, so nothing to count
    assert table.loc[(2, "borer"), "seconds"] == 10
    assert table.loc[(4, "borer"), "seconds"] == 5  # windup is 1 by then
    assert table.loc[(2, "borer"), "success"] == pytest.approx(0.8)
    assert table.loc[(2, "borer"), "award"] == 30
    # Mean XP 0.8 × 30 + 0.2 × mean of ⌊x / 2⌋ for x = 20 … 40; mean time 10 + 0.2 × 10 + 4.
    failed = np.mean([x // 2 for x in range(20, 41)])
    assert table.loc[(2, "borer"), "xp_per_hour"] == pytest.approx(3600 * (0.8 * 30 + 0.2 * failed) / 16)
    assert table.loc[(3, "errand"), "xp_per_hour"] == pytest.approx(3600 * (0.5 * 40 + 0.5 * 20) / (60 + 5 + 4))
    # aphid 1 : borer 3 : errand 1 while all are open.
    assert table.loc[3, "chance"].tolist() == pytest.approx([0.2, 0.6, 0.2])
    assert table.loc[5, "chance"].tolist() == pytest.approx([0.75, 0.25])


def test_a_failure_is_not_lifted_to_the_least_award():
    # A success pays 1000 for its 100 XP, a failure at xp_share = 1 its 100 XP: 0.5 · 1000 + 0.5 · 100 in 3600 s.
    design = make(
        sources={"a": {"level": 1, "xp": 100, "seconds": 3600, "success": 0.5}},
        awards={"least_award": 1000},
        encounter={"failure": {"xp_share": 1.0}},
    )
    assert rm.effort_table(design)["xp_per_hour"].iloc[0] == pytest.approx(550)
    played = rm.simulate(design.with_values({"tracks.warden.max_level": 3}), 2000, seed=3).income()
    # 2,000 players, some encounters each; the deviation of one encounter's award is 450 XP.
    met = played["encounters"].sum() * 2000
    mean = played["xp"].sum() * 2000 / met
    assert mean == pytest.approx(550, abs=4.5 * 450 / np.sqrt(met))


def test_what_runs_out_is_said_and_left_out_of_the_mix():
    design = make(
        sources={
            "patch": {"level": 1, "xp": 10, "seconds": 36},
            "errand": {"level": 1, "xp": 900, "seconds": 36, "limit": 2},
        },
        multipliers=[{"name": "bloom", "factor": 2, "from_day": 3}],
    )
    tabulation = tabulated(design)
    mean_xp, seconds = tabulation.profile().mix(tabulation.columns.first_column)
    assert (mean_xp / seconds * 3600).tolist() == pytest.approx([1000] * 6)
    said = left_out(design)
    assert "bloom" in said[0] and "errand (2 times)" in said[1] and len(said) == 2
    assert left_out(make(sources={"a": {"level": 1, "xp": 1}})) == []
    only = make(sources={"errand": {"level": 1, "xp": 900, "seconds": 36, "limit": 2}})
    mean_xp, _ = tabulated(only).profile().mix(tabulated(only).columns.first_column)
    assert mean_xp.tolist() == pytest.approx([900] * 6)


@given(
    st.integers(0, 2000),
    st.integers(2, 3000),
    st.just(0.0) | st.floats(1e-9, 4),
    st.sampled_from(["down", "nearest", "up", "none"]),
    st.integers(0, 900),
    st.none() | st.just(0.0) | st.floats(1e-9, 1),
)
def test_the_mean_of_very_many_amounts_is_within_half_an_xp(low, width, factor, rounding, least, share):
    design = make(
        max_level=2,
        sources={"a": {"level": 1, "xp": {"low": low, "high": low + width}, "seconds": 1}},
        awards={"rounding": rounding, "least_award": least},
        multipliers=[{"name": "m", "factor": factor}],
    )
    pay = tabulated(design).profile().alone.mean_award(frozenset([0]))
    law, product = pay.laws[0], pay.product
    exact, near = pay._mean_of(law, product, share), pay._nearly_mean_of(law, product, share)
    assert np.abs(exact - near).max() <= 0.5 + 1e-6
    assert pay.nearly == frozenset()


def test_amounts_by_the_block_have_the_mean_of_one_by_one(monkeypatch):
    def awards(xp):
        design = make(
            sources={"a": {"level": 1, "xp": xp, "seconds": 1}},
            multipliers=[{"name": "m", "factor": "0.3 + 0.1 * level"}],
        )
        return rm.gain_table(design)["award"].to_numpy()

    for xp, amounts in (
        ({"low": 7, "high": 63}, [(x, 1 / 57) for x in range(7, 64)]),
        ({"one_of": [[3 * n, 0.05] for n in range(20)]}, [(3 * n, 0.05) for n in range(20)]),
    ):
        by_hand = [sum(chance * np.floor(x * (0.3 + 0.1 * level)) for x, chance in amounts) for level in range(1, 7)]
        for block in (1, 6, 20, 1_000_000):
            monkeypatch.setattr(pay, "ROUNDED_AT_ONCE", block)
            np.testing.assert_allclose(awards(xp), by_hand, rtol=1e-12)


def test_a_wide_range_over_many_levels_says_how_near_it_is():
    design = make(max_level=2000, sources={"a": {"level": 1, "xp": {"low": 0, "high": 200_000}, "seconds": 1}})
    assert rm.gain_table(design)["award"].iloc[0] == pytest.approx(99_999.5)
    assert left_out(design) == ["Mean awards are within half an XP where XP has very many values: a."]
    tables = tabulated(design)
    split = MeanAward(design, tables.columns, tables.laws, np.ones(tables.columns.shape), parts=4)
    assert split.success[0, 0] == pytest.approx(100_000 / 4, abs=1)


def test_everything_in_one_pass_agrees_with_one_formula_at_a_time():
    design = rm.demo_design()
    tabulation = tabulated(design)
    columns = tabulation.columns
    for player, level, source, skill in (
        ("newcomer", 1, "aphid_cluster", None),
        ("adept", 12, "shoot_graft", 9),
        ("steady", 31, "crown_rot", None),
    ):
        names = {"player": player, "source": source, "skill_level": skill}
        encounters = tabulation.profile(player).encounters
        column = int(columns.first_column[columns.sources.index(source)]) + (skill or 1) - 1
        place = "sources.shoot_graft.seconds" if source == "shoot_graft" else "encounter.seconds"
        assert encounters.seconds[level - 1, column] == rm.explain(design, place, level, **names).value
        assert encounters.success[level - 1, column] == rm.explain(design, "encounter.success", level, **names).value


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"encounter": {"seconds": "5 - 2 * level"}}, ["encounter.seconds", "a time of -1", "level 3"]),
        (
            {"encounter": {"seconds": 5, "success": "0.5 + 0.2 * level"}},
            ["encounter.success", "1.1", "level 3", "clip"],
        ),
        ({"encounter": {"seconds": 5, "weight": "2 - level"}}, ["encounter.weight", "-1", "level 3"]),
        ({"encounter": {"seconds": 5, "weight": "0 if level == 2 else 1"}}, ["all their weights are 0", "level 2"]),
        ({"encounter": {"seconds": "10 / (level - 4)"}}, ["division by zero", "level = 4"]),
        (
            {"sources": {"a": {"level": 1, "xp": 1, "seconds": 1, "from_level": 5, "to_level": 2}}},
            ["from_level 5 is past to_level 2"],
        ),
        ({"sources": {"a": {"level": 1, "xp": {"low": 9, "high": 3}, "seconds": 1}}}, ["low 9 is above high 3"]),
        ({"sources": {"a": {"level": 1, "xp": {"one_of": [[1, 0.5], [2, 0.4]]}, "seconds": 1}}}, ["add up to 0.9"]),
        ({"sources": {"a": {"level": 1, "xp": "3 - level", "seconds": 1}}}, ["sources.a.xp", "-1 XP at level 4"]),
        (
            {"sources": {"a": {"level": 1, "xp": 1}}, "encounter": None},
            ["encounter.seconds", "missing", "smallest example"],
        ),
        ({"sources": {}}, ["sources", "missing"]),
        ({"stats": {"a": {"formula": "b + 1"}, "b": {"formula": "a"}}}, ["circle", "a", "b"]),
        ({"stats": {"a": {"values": [1, 2]}}}, ["4 missing"]),
        ({"stats": {"a": {"base": 1, "per_level": 1, "growth": 2}}}, ["per_level and growth together"]),
        ({"upgrades": {"k": {"stat": "shear"}}}, ["neither 'add' nor 'factor'"]),
    ],
)
def test_faulty_encounters_name_the_place_and_the_level(changes, words):
    parts = {key: value for key, value in changes.items() if value is not None}
    base = {
        "sources": {"a": {"level": 1, "xp": 1}},
        "encounter": {"seconds": 5},
        "stats": {"shear": {"base": 1}},
        **parts,
    }
    if changes.get("encounter", 1) is None:
        del base["encounter"]
    with pytest.raises(rm.RamulusError) as caught:
        rm.effort_table(make(None, 6, **base))
    for word in words:
        assert word in str(caught.value)


def test_a_formula_may_fail_where_its_source_is_closed():
    design = make(
        sources={
            "a": {"level": 1, "xp": 1, "seconds": "sqrt(level - 3)", "from_level": 3},
            "b": {"level": 1, "xp": 1, "seconds": 1},
        }
    )
    assert rm.effort_table(design).query("source == 'a'")["seconds"].tolist() == [0, 1, 2**0.5, 3**0.5]


def test_a_source_depends_on_one_skill():
    two = {
        "tracks": {
            "w": {"max_level": 3, "cost": {"formula": "9"}},
            "x": {"max_level": 3, "cost": {"formula": "9"}},
            "y": {"max_level": 3, "cost": {"formula": "9"}},
        },
        "stats": {"sx": {"track": "x", "base": 5, "per_level": -1}, "sy": {"track": "y", "base": 1}},
    }
    source = {"level": 1, "xp": 1, "skill": "x", "skill_xp": 1}
    design = rm.Design.from_dict({"format": 1, "title": "t", **two, "sources": {"a": {**source, "seconds": "sx"}}})
    assert rm.effort_table(design)["seconds"].tolist() == [5, 5, 5]
    assert rm.effort_table(design, skill_level=3)["seconds"].tolist() == [3, 3, 3]
    with pytest.raises(rm.DesignError, match="two skills, x and y"):
        rm.effort_table(
            rm.Design.from_dict({"format": 1, "title": "t", **two, "sources": {"a": {**source, "seconds": "sx + sy"}}})
        )


def test_what_nobody_meets_is_judged_nowhere():
    """A rule that fails, or a key that is passed over, where no encounter ever reads it."""
    source = {"level": 1, "xp": 10, "seconds": 10}
    # Above level 3 the two "add" rules would come to less than nothing, where the source is closed.
    closed = make(
        sources={"young": {**source, "to_level": 3}, "old": {**source, "from_level": 4, "tags": ["plain"]}},
        multipliers=[
            {"name": "a", "factor": "max(0, 1.4 - 0.3 * level)", "stack": "add", "sources": ["young"]},
            {"name": "b", "factor": 0.9, "stack": "add", "sources": ["young"]},
        ],
    )
    factors = rm.gain_table(closed).set_index(["source", "level"])["factor"]
    assert factors["young"].tolist() == pytest.approx([1, 0.7, 0.4])
    assert factors["old"].tolist() == [1, 1, 1]
    with pytest.raises(rm.DesignError, match="add up to a factor of -0.1"):
        rm.gain_table(closed.with_values({"sources.young.to_level": 6}))
    # Nobody stands above whoever is furthest on, so 1 / (leader_level - level + 1) is never asked there.
    party = make(
        sources={"a": source},
        players={"p": {}},
        multipliers=[{"name": "m", "factor": "1 / (leader_level - level + 1)"}],
        party={"members": {"wren": {"player": "p", "start_level": 3}, "lark": {"player": "p"}}},
    )
    assert rm.play_party(party, 5, parties=3).levels()["level_p50"].iloc[1] == 1
    # Every source has its own time, so the encounter's is read by none of them.
    own = make(sources={"a": {**source, "bark": 3}, "b": source}, encounter={"seconds": "bark * 2"})
    assert rm.effort_table(own)["seconds"].unique().tolist() == [10]
    with pytest.raises(rm.DesignError, match="barck"):
        make(sources={"a": source}, encounter={"seconds": "barck * 2"})


def test_a_variation_too_small_to_be_one_is_refused():
    for variation in (1e-300, 0.0009):
        with pytest.raises(rm.DesignError, match=r"encounter.variation: .* varies nothing; allowed: 0 for exact times"):
            make(encounter={"variation": variation})
    assert make(encounter={"variation": 0.001}).encounters.variation == 0.001


def test_more_ranks_than_anybody_counts_are_an_error():
    design = make(
        stats={"s": {"base": 1}},
        upgrades={"u": {"stat": "s", "add": 1, "price": 0.0001}},
        players={"p": {"spends": ["u"]}},
        track={"start_points": 20},
    )
    with pytest.raises(rm.DesignError, match="upgrades.u.price: .*more than 100,000 ranks"):
        tabulated(design).ranks("p")


@pytest.mark.parametrize("table_of", [rm.effort_table, rm.gain_table])
def test_where_a_source_is_closed_no_number_stands_for_it(table_of):
    design = rm.demo_design()
    every, opened = table_of(design, "newcomer", only_open=False), table_of(design, "newcomer")
    closed = every.merge(opened[["level", "source"]], how="left", indicator=True).query("_merge == 'left_only'")
    numbers = closed.drop(columns=["player", "level", "source", "_merge"])
    assert len(closed) and numbers.isna().all(axis=None)
    kept = every.merge(opened[["level", "source"]])
    assert kept.equals(opened.reset_index(drop=True))


def test_what_runs_out_is_named_where_income_leaves_it_out():
    sources = {
        "blight": {"level": 1, "xp": "100 - 2 * level", "seconds": 30},
        "errand": {"level": 1, "xp": 500, "seconds": 60, "limit": 5},
    }
    design = make(None, 20, sources=sources, players={"p": {}})
    (finding,) = [finding for finding in rm.check(design) if finding.code == "income-slides"]
    assert finding.reason.endswith("(not counted, as it runs out: errand)")
    assert "without what runs out: errand" in rm.plots.income(design).figure.get_supxlabel()


def test_how_rules_stack_is_said_beside_their_product(cli, tmp_path):
    rules = [("a", 1.5, "add"), ("b", 0.7, "multiply"), ("c", 2, "add"), ("d", 1.1, "best")]
    design = make(
        sources={"blight": {"level": 1, "xp": 10, "seconds": 1}},
        multipliers=[{"name": name, "factor": factor, "stack": stack} for name, factor, stack in rules],
    )  # fmt: skip
    design.save(tmp_path / "stacked.toml")
    out = " ".join(cli("gain", tmp_path / "stacked.toml").out.split())
    said = "How rules stack: a, c add up to one factor, 1 + the sum of (factor − 1); b multiply; of d only the largest"
    assert said in out
    design.with_values({f"multipliers[{i}].stack": "multiply" for i in range(4)}).save(tmp_path / "plain.toml")
    plain = cli("gain", tmp_path / "plain.toml")
    assert plain.status == 0 and "How rules stack" not in plain.out
