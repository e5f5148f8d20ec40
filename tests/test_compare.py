"""Comparison: differences in pairs with intervals that hold, what changed, and how it is said and drawn."""

from __future__ import annotations

import json
import math
import re

import numpy as np
import pytest

import ramulus as rm
from conftest import make
from ramulus.comparing.changes import changes
from ramulus.comparing.paired import difference_of_medians, difference_of_quantiles
from ramulus.design import shipped_variants
from ramulus.words.compared import compared_at_a_glance


@pytest.fixture(scope="module")
def comparison():
    now = rm.demo_design()
    return rm.compare({"now": now, "eased": now.with_values({"constants.crown_gate": 0})}, players=300, seed=3)


def test_differences_are_of_the_medians_and_empty_for_the_first(comparison):
    table = comparison.pace()
    assert list(table.columns) == [
        "variant", "player", "level", "reached", "hours_p10", "hours_p50", "hours_p90",
        "difference", "difference_low", "difference_high",
    ]  # fmt: skip
    now, eased = (table[table["variant"] == name].reset_index(drop=True) for name in ("now", "eased"))
    assert now["difference"].isna().all()
    np.testing.assert_allclose(eased["difference"], eased["hours_p50"] - now["hours_p50"], atol=1e-12)
    assert (eased["difference_low"] <= eased["difference"]).all()
    before = eased["level"] <= 20
    assert (eased[before][["difference", "difference_low", "difference_high"]] == 0).all(axis=None)
    assert (eased[~before]["difference_high"] < 0).all()
    assert comparison.differences().equals(table[table["variant"] == "eased"].reset_index(drop=True))
    # Far narrower than two intervals side by side.
    apart = rm.simulate(rm.demo_design(), 300, seed=3).pace(interval=0.95).query("level == 30")
    paired = eased[eased["level"] == 30]
    width = (paired["difference_high"] - paired["difference_low"]).to_numpy()
    assert (width < 0.5 * (apart["hours_p50_high"] - apart["hours_p50_low"]).to_numpy()).all()


def test_what_parts_and_what_changes_most(comparison):
    within = comparison.within_levels().set_index("player")
    assert within["parts_at"].tolist() == [21, 21, 21] and within["level"].tolist() == [20, 20, 20]
    assert (within["after"] < 0.6 * within["before"]).all()
    found = comparison.findings()
    assert found[["change", "code"]].values.tolist() == [["goes", "cost-wall"], ["goes", "level-drives-away"]]
    goals = comparison.goals()
    assert goals.groupby("variant").size().to_dict() == {"now": 4, "eased": 4}
    income = comparison.income().groupby(["variant", "player"])["share"].sum()
    np.testing.assert_allclose(income, 1)
    assert comparison.totals()["wasted"].between(0, 1).all()


@pytest.fixture(scope="module")
def large_run():
    """Hours to some levels of many players, in two designs played with the same draws."""
    data = rm.demo_design().to_dict()
    data["tracks"]["warden"]["max_level"] = 14
    data["goals"] = []
    data["party"] = {"members": {"wren": {"player": "adept"}}}
    first = rm.Design.from_dict(data)
    second = first.with_values({"constants.steepness": 1.6, "players.newcomer.pursuit": 0.6})
    runs = [rm.simulate(one, {"newcomer": 300 * 700}, seed=5, keep_players=True) for one in (first, second)]
    return [run.arrivals("newcomer")[:, [5, 9, 13]] for run in runs]


@pytest.mark.parametrize("column", range(3))
def test_intervals_cover_the_true_difference(large_run, column):
    first, second = (times[:, column] for times in large_run)
    truth = np.median(second) - np.median(first)
    held, widths, apart = 0, [], []
    blocks = len(first) // 300
    for block in range(blocks):
        here = slice(300 * block, 300 * (block + 1))
        found = difference_of_medians(first[here], second[here])
        assert not found.conservative
        held += found.low <= truth <= found.high
        widths.append(found.high - found.low)
        apart.append(found.value - truth)
    assert 0.93 <= held / blocks <= 0.998
    assert np.mean(apart) == pytest.approx(0, abs=5 * np.std(apart) / blocks**0.5 + 0.05 * np.std(apart))


def test_times_on_a_lattice_are_said_to_be_and_held_more_often():
    sources = {"blight": {"level": 1, "xp": 10, "seconds": 360, "success": 0.5}}
    one = make({"values": [60, 60]}, 3, sources=sources, encounter={})
    comparison = rm.compare({"a": one, "b": one.with_values({"sources.blight.xp": 9})}, players=400)
    row = comparison.differences().query("level == 3").iloc[0]
    # 12 successes at half a chance take 23.35 encounters in the middle; 14 take 27.34.
    assert row["difference"] == pytest.approx(0.4) and row["difference_low"] <= 0.4 <= row["difference_high"]
    assert comparison.conservative
    same = rm.compare({"a": one, "b": one}, players=20).differences()
    assert (same[["difference", "difference_low", "difference_high"]] == 0).all(axis=None)


def test_what_few_reach_is_unknown():
    slow, fast = np.array([1.0, np.inf, np.inf, np.inf]), np.array([1.0, 2.0, 3.0, 4.0])
    assert math.isnan(difference_of_medians(slow, fast).value)
    # Half get there and no more: a median, and no interval.
    half = np.concatenate([np.linspace(1, 2, 200), np.full(190, np.inf)])
    found = difference_of_medians(np.linspace(1, 3, 390), half)
    assert math.isfinite(found.value) and math.isnan(found.low)


def test_changes_are_named_key_by_key():
    now = rm.demo_design()
    data = now.to_dict()
    data["title"] = "other"
    del data["sources"]["seed_errand"]["limit"]
    data["multipliers"] = [{"name": "new one", "factor": 2}, *data["multipliers"]]
    data["players"]["adept"]["pursuit"] = "best"
    assert [str(change) for change in changes(now, rm.Design.from_dict(data))] == [
        "sources.seed_errand.limit is gone (was 6)",
        "players.adept.pursuit: 3 → 'best'",
        "multipliers.new one.name = 'new one' (new)",
        "multipliers.new one.factor = 2 (new)",
    ]
    longer = now.with_values({"constants.crown_gate": 1, "sources.seed_errand.tags": ["far"] * 30})
    gate, tags = map(str, changes(now, longer))
    assert (
        gate == "constants.crown_gate: 3000 → 1"
        and tags == "sources.seed_errand.tags = " + str(["far"] * 30)[:59] + "… (new)"
    )
    with pytest.raises(rm.RamulusError, match="two or more"):
        rm.compare({"now": now})


def test_profiles_and_levels_that_only_one_design_has():
    now = rm.demo_design().with_values({"goals": []})
    data = now.to_dict()
    data["players"]["late"] = data["players"].pop("steady")
    data["tracks"]["warden"]["max_level"] = 12
    other = rm.Design.from_dict(data)
    table = rm.compare({"now": now, "other": other}, players=20).differences()
    assert table.groupby("player")["difference"].count().to_dict() == {"adept": 12, "late": 0, "newcomer": 12}


LOSSY = {
    "sources": {
        "seed_errand": {"level": 1, "xp": 7, "seconds": 60, "weight": 2},
        "blight": {"level": 2, "xp": {"low": 5, "high": 9}, "seconds": 90},
    },
    "encounter": {},
    "players": {"quick": {"patience_hours_per_level": 0.2}, "slow": {"seconds_between": 30}},
    "goals": [{"player": "quick", "level": 3, "hours": 0.2}, {"player": "slow", "level": 5, "hours": 0.9}],
}


def test_each_variant_is_what_simulate_says_of_it():
    """Waste, income and goals are those of each design, in the order of variants, profiles and sources."""
    one = make({"values": [20, 40, 60, 80]}, 5, {"overflow": {"carry": 0.0}}, **LOSSY)
    none = one.with_values({"tracks.warden.overflow.carry": 1.0})
    shorter = rm.Design.from_dict({**one.to_dict(), "title": "shorter"}).with_values(
        {"tracks.warden.max_level": 4, "tracks.warden.cost.values": [20, 30, 60], "goals": []}
    )
    designs = {"now": one, "shorter": shorter, "none": none}
    comparison = rm.compare(designs, players=50, seed=4, hours=20)
    totals, income = comparison.totals(), comparison.income()
    assert list(totals.columns) == ["variant", "player", "wasted", "still_playing"]
    assert list(income.columns) == ["variant", "player", "source", "share"]
    assert income[["variant", "player", "source"]].values.tolist() == [
        [variant, player, source] for variant in designs for player in ("quick", "slow")
        for source in ("seed_errand", "blight")
    ]  # fmt: skip
    for variant, design in designs.items():
        result = rm.simulate(design, 50, 20, seed=4)
        for player in ("quick", "slow"):
            row, earned, wasted, still = (
                table[table["player"] == player]
                for table in (totals[totals["variant"] == variant], result.income(), result.waste(),
                              result.still_playing("level"))
            )  # fmt: skip
            assert row["wasted"].item() == pytest.approx(wasted["wasted"].sum() / earned["xp"].sum())
            assert row["still_playing"].item() == pytest.approx(still["still_playing"].iloc[-1], nan_ok=True)
            shares = income[(income["variant"] == variant) & (income["player"] == player)]["share"].to_numpy()
            by_source = earned.groupby("source", sort=False)["xp"].sum().to_numpy()
            np.testing.assert_allclose(shares, by_source / by_source.sum())
    # A goal on a level that a variant lacks is judged for the others only.
    goals = comparison.goals()
    assert goals["variant"].tolist() == ["now", "now", "none", "none"] and goals.columns[0] == "variant"
    assert goals["goal"].tolist() == ["level 3 in 0.2 h", "level 5 in 0.9 h"] * 2


def test_where_variants_part_and_what_changes_most_by_hand():
    """Costs of 10 XP an award of 10 XP in a minute: levels take as many minutes as they cost tens."""
    parts = {"sources": {"blight": {"level": 1, "xp": 10, "seconds": 60}}, "encounter": {}, "players": {"p": {}}}
    one = make({"values": [10, 20, 30, 40]}, 5, **parts)
    dear = one.with_values({"tracks.warden.cost.values": [10, 20, 50, 70]})
    late = make({"values": [20, 30, 50]}, 5, {"start_level": 2}, **parts)
    same = rm.Design.from_dict(one.to_dict())
    comparison = rm.compare({"one": one, "dear": dear, "late": late, "same": same}, players=20)
    rows = comparison.within_levels().set_index("variant")
    minutes = pytest.approx
    assert rows.loc["dear"].to_dict() == {
        "player": "p", "parts_at": 4, "level": 4, "before": minutes(4 / 60), "after": minutes(7 / 60),
    }  # fmt: skip
    # Who starts at level 2 is there at once; only level 4 takes longer.
    assert rows.loc["late", ["parts_at", "level"]].tolist() == [2, 4]
    assert rows.loc["same", ["parts_at", "level", "before", "after"]].isna().all()
    table = comparison.differences().set_index(["variant", "level"])["difference"] * 60
    assert table["dear"].tolist() == minutes([0, 0, 0, 2, 5])
    assert table["late"].tolist() == minutes([-1, -1, -1, 0])
    # Other start levels: whatever is equal so far need not be.
    ends = comparison.differences().query("variant == 'late' and level == 5")
    assert ends[["difference_low", "difference_high"]].notna().all(axis=None)
    ends = comparison.differences().query("variant == 'dear' and level == 3")
    assert (ends[["difference_low", "difference_high"]] == 0).all(axis=None)
    turned = rm.compare({"late": late, "one": one}, players=20).differences().set_index("level")["difference"] * 60
    assert turned.tolist() == minutes([math.nan, 1, 1, 1, 0], nan_ok=True)
    # Where nothing is awarded nothing is wasted.
    none = {name: one.with_values({"sources.blight.xp": 0}) for name in ("a", "b")}
    assert rm.compare(none, players=2, hours=1).totals()["wasted"].tolist() == [0, 0]


def test_the_command_says_what_changed(cli, canopy, tmp_path):
    eased = canopy.with_name("eased.toml")
    eased.write_text(shipped_variants()["canopy_eased.toml"], encoding="utf-8")
    ran = cli("compare", canopy, eased, "--players", 200)
    assert ran.status == 0
    for words in ("constants.crown_gate: 3000 → 0", "(same)", "level 20 takes", "finding goes: cost-wall", " ± "):
        assert words in ran.out, words
    data = json.loads(
        cli("compare", canopy, "--variant", "crown_gate=0, first_cost=80", "--players", 20, "--format", "json").out
    )
    assert list(data) == ["command", "about", "rows", "within_levels", "totals", "income", "findings", "goals"]
    assert {row["variant"] for row in data["rows"]} == {"canopy", "crown_gate=0, first_cost=80"}
    some = cli("compare", canopy, eased, "--players", 20, "--player", "adept", "--columns", "variant,level,difference")
    assert some.status == 0 and some.out.splitlines()[1].split() == ["difference"] and "goals:" not in some.out
    many = cli("compare", canopy, "--variant", "steepness=1.4:1.6:3", "--players", 20, "--player", "adept").out
    assert all(f"steepness={value}" in many for value in ("1.4", "1.5", "1.6"))
    # Two designs of one title, and of one name, are told apart by what is left of their places.
    twin = tmp_path / "other" / "canopy.toml"
    twin.parent.mkdir()
    twin.write_text(canopy.read_text(encoding="utf-8"), encoding="utf-8")
    assert "nothing differs" in cli("compare", canopy, twin, "--players", 10).out


@pytest.mark.parametrize(
    ("words", "status", "said"),
    [
        ([], 2, "one design only"),
        (["--variant", "steepness"], 2, "NAME=VALUE"),
        (["--variant", "steepnes=1.4"], 2, "steepness"),
        (["--variant", "steepness=1.4:1.6:1"], 2, "LOW:HIGH:STEPS"),
        (["--variant", "steepness=1:2:20, crown_gate=0:9:20"], 2, "at most 50"),
        (["--variant", "crown_gate=0", "--variant", "crown_gate=0"], 2, "there twice"),
        (["--variant", "steepness=1:2:500"], 2, "2 … 50 steps"),
        (["--variant", "tracks.warden.max_level=0"], 1, "max_level"),
        (["--variant", "crown_gate=0", "--player", "stedy"], 2, "steady"),
    ],
)
def test_mistakes_on_the_command_line(cli, canopy, words, status, said):
    ran = cli("compare", canopy, "--players", 5, *words)
    assert ran.status == status and said in ran.err and "Traceback" not in ran.err


def test_a_sweep_is_a_pace_table_a_value():
    design = rm.demo_design().with_values({"goals": []})
    table = rm.sweep(design, {"steepness": [1.4, 1.55]}, players=30, seed=2)
    here = table[table["constants.steepness"] == 1.55].drop(columns="constants.steepness").reset_index(drop=True)
    assert here.equals(rm.simulate(design, 30, seed=2).pace())
    both = rm.sweep(design, {"steepness": [1.4, 1.6], "first_cost": [40, 60, 80]}, players={"adept": 10})
    assert list(both.columns[:3]) == ["constants.steepness", "constants.first_cost", "player"] and len(both) == 6 * 40
    assert len(rm.plots.sweep(table, player="adept").lines) == 2
    drawn = rm.plots.sweep(both, level=20)
    grid = both[both["level"] == 20].pivot(
        index="constants.first_cost", columns="constants.steepness", values="hours_p50"
    )
    np.testing.assert_allclose(drawn.images[0].get_array(), grid.to_numpy() * (60 if grid.max().max() < 1.5 else 1))
    assert len(drawn.texts) >= 6 and "first_cost" in drawn.get_ylabel()
    most = list(np.linspace(1.4, 1.6, 200))
    small = make({"formula": "10 * steep"}, 3, constants={"steep": 1}, sources={"a": {"level": 1, "xp": 9, "seconds": 9}},
                 players={"p": {}}, encounter={}, goals=[{"player": "p", "level": 3, "hours": 400}])  # fmt: skip
    assert rm.sweep(small, {"steep": most}, players=1, hours=1).index.tolist() == list(range(3 * 200))
    assert rm.sweep(small, {"steep": [1]}, players=1, seed=3).attrs == {
        "title": "Canopy",
        "players": {"p": 1},
        "seed": 3,
    }
    # 3,600 XP an hour and 540,000 a level: 150 and 300 hours. Without hours the goals say how long is played.
    assert rm.sweep(small, {"steep": [5.4e4]}, players=1)["reached"].tolist() == [1, 1, 1]
    assert rm.sweep(small, {"steep": [5.4e4]}, players=1, hours=50)["reached"].tolist() == [1, 0, 0]
    several = {"steepness": [1.5], "first_cost": [40], "crown_gate": [0]}
    for values, words in (
        ({}, "0 numbers to sweep"), (several, "3 numbers to sweep"), ({"steepness": []}, "0 values"),
        ({"steepnes": [1]}, "steepness"), ({"steepness": [*most, 2]}, "201 values to play; allowed: 1 … 200"),
    ):  # fmt: skip
        with pytest.raises(rm.RamulusError, match=words):
            rm.sweep(design, values)
    with pytest.raises(rm.RamulusError, match="level 99"):
        rm.plots.sweep(both, level=99)
    with pytest.raises(rm.RamulusError, match="no table of a sweep"):
        rm.plots.sweep(rm.simulate(design, 5).pace())


def test_the_figure(cli, canopy, tmp_path, comparison):
    axes = rm.plots.compare(comparison)
    assert len(axes) == 2 and "same draws" in axes[0].figure.get_supxlabel()
    assert len(axes[0].lines) == 6
    assert len(rm.plots.compare(comparison, player="adept")[0].lines) == 2
    file = tmp_path / "c.png"
    ran = cli("plot", canopy, "compare", "--variant", "steepness=1.4:1.6:3", "--players", 20, "-o", file)
    assert ran.status == 0 and file.stat().st_size > 10_000


def test_what_stands_after_a_plus_or_minus_reaches_both_ends_of_the_interval():
    design = rm.demo_design()
    comparison = rm.compare({"now": design, "eased": design.with_values({"constants.crown_gate": 0})}, 60, seed=3)
    cells = compared_at_a_glance(comparison, comparison.pace())[0]
    rows = comparison.differences().set_index(["player", "level"])
    seen = 0
    for player in ("newcomer", "steady", "adept"):
        for level, cell in zip(cells.iloc[:, 0], cells[player], strict=True):
            if found := re.search(r" h \(([-+][\d.]+) ± ([\d.]+)\)", cell):
                value, reach = map(float, found.groups())
                row = rows.loc[(player, level)]
                assert value - reach - 0.011 <= row.difference_low <= row.difference_high <= value + reach + 0.011
                seen += abs((row.difference_high + row.difference_low) / 2 - row.difference) > 0.011
    assert seen  # Some interval is so far from even that half of it would promise too much.


@pytest.mark.parametrize(("players", "known"), [(1, False), (5, False), (6, True)])
def test_a_few_pairs_have_a_difference_and_no_interval(players, known):
    design = rm.demo_design()
    comparison = rm.compare({"now": design, "dear": design.with_values({"constants.first_cost": 90})}, players, hours=3)
    rows = comparison.differences().query("level == 5")
    assert rows["difference"].notna().all() and (rows["difference"] > 0).all()
    assert (rows[["difference_low", "difference_high"]].notna().all(axis=None)) == known
    cells = "".join(compared_at_a_glance(comparison, comparison.pace())[0].astype(str).sum())
    assert ("± ?" in cells) != known and "nan" not in cells


def made_up(players, random, change):
    """Hours of players by ability and luck, and the same with a change."""
    hours = np.exp((np.arange(players) % 15 - 7) / 75 + random.normal(0, 0.15, players)) * 10
    return hours, change(hours, random)


CHANGES = {
    "all alike": lambda hours, _: hours * 1.01,
    "all, and chance": lambda hours, random: hours * 1.05 * np.exp(random.normal(0, 0.02, len(hours))),
    "half": lambda hours, random: np.where(random.random(len(hours)) < 0.5, hours * 1.1, hours),
    "one in 30": lambda hours, random: np.where(random.random(len(hours)) < 0.03, hours * 1.5, hours),
    "one in 500": lambda hours, random: np.where(random.random(len(hours)) < 0.002, hours * 1.5, hours),
}


@pytest.mark.parametrize("change", CHANGES)
@pytest.mark.parametrize(("players", "share"), [(50, 0.5), (300, 0.5), (300, 0.9), (2000, 0.1)])
def test_intervals_hold_whoever_a_change_moves(change, players, share):
    random, blocks = np.random.default_rng(5), 250
    truth = np.subtract(*(np.quantile(one, share) for one in made_up(1_500_000, random, CHANGES[change])[::-1]))
    found = [difference_of_quantiles(*made_up(players, random, CHANGES[change]), share) for _ in range(blocks)]
    held = np.mean([not (one.low > truth or one.high < truth) for one in found])
    assert held >= 0.95 - 3 * math.sqrt(0.05 * 0.95 / blocks)
    # No width is for what cannot differ, and not for what nobody was seen to differ in.
    assert all(one.low < one.high for one in found)


def test_an_interval_has_no_width_only_where_nothing_can_differ():
    sources = {
        "blight": {"level": 1, "xp": {"low": 5, "high": 15}, "seconds": 30},
        "crown": {"level": 1, "xp": 15, "seconds": 30, "weight": 1e-5, "from_level": 3},
    }
    one = make({"values": [100] * 5}, 6, sources=sources, encounter={"variation": 0.5}, players={"p": {}})
    other = one.with_values({"sources.crown.xp": 90})
    rows = rm.compare({"a": one, "b": other}, players=300).differences().set_index("level")
    width = rows["difference_high"] - rows["difference_low"]
    assert (rows["difference"] == 0).all()  # Hardly anybody ever meets the crown.
    assert (width.loc[:3] == 0).all() and (width.loc[4:] > 0).all()
    goals = [{"player": "p", "level": 6, "by_hours": 0.45, "reached": 0.5}, {"player": "p", "level": 3, "hours": 0.2}]
    table = rm.sensitivity(rm.Design.from_dict({**one.to_dict(), "goals": goals}), ["sources.crown.xp"], players=60)
    assert (table["change"] == 0).all()
    assert (table["high"] - table["low"]).gt(0).tolist() == table["goal"].str.startswith("50%").tolist()
    assert set(table["note"]) == {"not seen to move it", "does not move it"}
