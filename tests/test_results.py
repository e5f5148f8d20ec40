"""What a result says adds up, and agrees with the tables that effort and gain print."""

from __future__ import annotations

import numpy as np
import pytest

import ramulus as rm
from conftest import make
from ramulus.rules.tabulation import tabulated

PLAYERS = 3000


@pytest.fixture(scope="module")
def result():
    # No time windows, so that one table of awards holds at every hour; whole horizon short, so that some are stuck.
    return rm.simulate(without_windows(), players=PLAYERS, hours=12, seed=21)


def without_windows() -> rm.Design:
    data = rm.demo_design().to_dict()
    data["multipliers"] = [rule for rule in data["multipliers"] if rule["name"] != "blossom week"]
    return rm.Design.from_dict(data)


def test_earned_is_costs_paid_and_xp_and_wasted(result):
    curve = tabulated(result.design).main.curve
    for profile in result.played.profiles.values():
        name = profile.profile
        income, waste = result.income(), result.waste()
        earned = income[income["player"] == name]["xp"].sum() * profile.players
        wasted = waste[waste["player"] == name]["wasted"].sum() * profile.players
        arrivals = np.isfinite(profile.main.seconds.values[:, : len(curve.levels)]).sum(axis=1)
        paid = curve.totals[arrivals - 1].sum()
        left = earned - wasted - paid
        # What is left is progress inside the last level of each player.
        room = np.append(curve.costs, curve.costs[-1])[arrivals - 1].sum()
        assert -1e-6 <= left <= room


def test_successes_and_awards_agree_with_the_effort_table(result):
    effort = rm.effort_table(result.design).set_index(["player", "level", "source"])
    compared = 0
    for row in result.income().itertuples():
        met = row.encounters * PLAYERS
        if met < 300 or row.source == "shoot_graft":
            continue
        said = effort.loc[(row.player, row.level, row.source)]
        p = said["success"]
        assert row.successes / row.encounters == pytest.approx(p, abs=4.5 * np.sqrt(p * (1 - p) / met)), row
        failed = row.encounters - row.successes
        # XP drawn lies within the source's range, so its deviation is at most half of that.
        half_range = {"aphid_cluster": 2, "canker_bloom": 7, "hollow_heart": 25}.get(row.source, 0) + 0.5
        mean = (row.xp - failed * 0.1 * said["award"]) / max(row.successes, 1e-9)
        assert mean == pytest.approx(
            said["award"], abs=4.5 * half_range / np.sqrt(met) + failed / row.successes + 0.01
        ), row
        compared += 1
    assert compared > 100


def test_what_is_met_agrees_with_the_chances(result):
    effort = rm.effort_table(result.design)
    income = result.income()
    checked = 0
    for (_, level), rows in income.groupby(["player", "level"]):
        player = rows["player"].iloc[0]
        # Where neither limits nor skill levels change what is met.
        if level < 15:
            continue
        met = rows.set_index("source")["encounters"] * PLAYERS
        said = effort[(effort["player"] == player) & (effort["level"] == level)].set_index("source")["chance"]
        if met.sum() < 500 or "shoot_graft" in said.index or level <= 16:
            continue
        for source, chance in said.items():
            share = met.get(source, 0) / met.sum()
            assert share == pytest.approx(chance, abs=4.5 * np.sqrt(chance * (1 - chance) / met.sum()) + 1e-9)
            checked += 1
    assert checked > 30


def test_shares_of_levels_and_of_endings_add_up(result):
    at_end = result.level_at(12)
    assert at_end.groupby("player")["share"].sum().tolist() == pytest.approx([1, 1, 1])
    stuck = result.stuck()
    pace = result.pace()
    for name in result.players:
        out_of_time = stuck.query("player == @name")["share"].sum()
        reached = pace.query("player == @name and level == 40")["reached"].iloc[0]
        assert out_of_time + reached == pytest.approx(1)
        for hours in (0.0, 1.5, 12.0):
            shares = result.level_at(hours).query("player == @name").set_index("level")["share"]
            above = shares.loc[11:].sum()
            assert above == pytest.approx(result.reached(11, hours)[name])
    with pytest.raises(rm.RamulusError, match="outside the track"):
        result.reached(99, 1)


def test_time_in_level_is_between_arrivals(result):
    table = result.time_in_level()
    arrivals = result.arrivals("adept")
    for level in (2, 10, 20):
        spent = arrivals[:, level] - arrivals[:, level - 1]
        spent = np.sort(spent[np.isfinite(arrivals[:, level - 1])])
        row = table.query("player == 'adept' and level == @level").iloc[0]
        rank = int(np.ceil(0.5 * len(spent))) - 1
        assert row["hours_p50"] == pytest.approx(spent[rank])
        assert row["players"] == np.isfinite(arrivals[:, level - 1]).sum()
    assert np.isnan(table.query("player == 'adept' and level == 40")["hours_p50"].iloc[0])


def test_population_lies_between_its_kinds(result):
    mixed = result.population().set_index("level")
    pace = result.pace()
    for level in (5, 15, 20):
        kinds = pace[pace["level"] == level]["hours_p50"]
        assert kinds.min() <= mixed.loc[level, "hours_p50"] <= kinds.max()
    assert (np.diff(mixed["reached"]) <= 1e-12).all()


def test_skill_tracks_have_a_pace_of_their_own(result):
    pace = result.pace("grafting")
    assert pace["level"].max() == 15
    assert pace.query("level == 1")["hours_p50"].tolist() == [0, 0, 0]
    assert pace.query("level == 2")["reached"].min() > 0.5
    with pytest.raises(rm.UnknownNameError, match="did you mean 'grafting'"):
        result.pace("graftin")
    with pytest.raises(rm.UnknownNameError, match="did you mean 'steady'"):
        result.arrivals("steadi")


def test_a_limit_is_kept_and_skills_change_what_follows():
    design = make(
        {"formula": "1000"},
        3,
        sources={
            "errand": {"level": 1, "xp": 100, "seconds": 10, "limit": 3, "success": 0.5},
            "rest": {"level": 1, "xp": 1, "seconds": 10},
        },
    )
    income = rm.simulate(design, players=500, seed=4).income()
    errands = income.query("source == 'errand'")
    assert errands["successes"].sum() == pytest.approx(3)
    assert errands["encounters"].sum() == pytest.approx(6, abs=4 * np.sqrt(6 / 500))


def test_losses_are_told_and_dropping_levels_keeps_first_arrivals():
    design = make(
        {"values": [20, 30, 50]},
        4,
        {"may_drop_levels": True},
        sources={"a": {"level": 1, "xp": 13, "seconds": 36}},
        encounter={"success": 0.7, "failure": {"loss": 0.6}},
    )
    result = rm.simulate(design, players=400, hours=5, seed=4)
    assert result.waste()["lost"].sum() > 0
    for row in result.arrivals():
        known = row[np.isfinite(row)]
        assert (np.diff(known) >= 0).all()


def test_timed_multipliers_speed_up_their_days_only():
    design = rm.demo_design()
    plain = rm.simulate(without_windows(), {"newcomer": 400}, 200, seed=9).arrivals("newcomer")
    timed = rm.simulate(design, {"newcomer": 400}, 200, seed=9).arrivals("newcomer")
    # Day 15 is play day 8 of 0.8 h: until then nothing differs, to the bit.
    before = (plain < 8 * 0.8) & (timed < 8 * 0.8)
    assert before.any()
    np.testing.assert_array_equal(plain[before], timed[before])
    assert (timed[:, -1] <= plain[:, -1] + 1e-9).mean() > 0.95


def test_more_players_narrow_the_interval():
    design = rm.demo_design()
    widths = []
    for players in (100, 1600):
        row = rm.simulate(design, {"steady": players}, seed=2).pace(interval=0.95).query("level == 20").iloc[0]
        assert row["hours_p50_low"] <= row["hours_p50"] <= row["hours_p50_high"]
        widths.append(row["hours_p50_high"] - row["hours_p50_low"])
    # Sixteen times the players: a quarter of the width, give or take.
    assert widths[1] < 0.5 * widths[0]
