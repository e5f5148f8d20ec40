"""Goals judged on recorded play: by hand, beside simulated players, and where a log cannot tell."""

from __future__ import annotations

import json

import numpy as np
import pandas as pd
import pytest

import ramulus as rm
from conftest import make
from ramulus.recorded.goals_met import judged_on

DAY_ONE = pd.Timestamp("2026-01-05 18:00", tz="UTC")
OF_DAYS = (
    {"level": 2, "days": 5},
    {"level": 2, "days": 1, "quantile": 0.1},
    {"level": 2, "reached": 0.4, "by_day": 4},
    {"still_playing": 1, "by_day": 4},
    {"still_playing": 0.6, "by_day": 5},
    {"still_playing": 0.6, "level": 2},
    {"level": 2, "days": 5, "player": "everyone"},
)


def ten_players(days: int) -> pd.DataFrame:
    """Players 0 to 5 reach level 2 on days 1 to 6 and are seen to the log's end; 6 to 9 are not seen after day 5."""
    rows = []
    for player in range(10):
        seen = [1, player + 1, days] if player < 6 else [1, 5]
        for day in sorted(set(seen)):
            xp = 10 if player < 6 and day == player + 1 else 0
            rows.append((player, DAY_ONE + pd.Timedelta(days=day - 1, minutes=player), xp))
    return pd.DataFrame(rows, columns=["player", "time", "xp"]).assign(profile="steady")


def on_log(goals, table, tmp_path, **parts):
    design = make({"values": [10, 20, 30]}, max_level=4, sources={"s": {"level": 1, "xp": 5}}, encounter={"seconds": 30},
                  goals=[{"player": "steady", **goal} for goal in goals],
                  players={"steady": {"seconds_between": 10, "hours_per_day": 1}}, **parts)  # fmt: skip
    table.to_parquet(tmp_path / "log.parquet")
    return list(judged_on(design, rm.read_log(tmp_path / "log.parquet", design)))


def test_days_and_who_still_plays_are_what_is_counted_by_hand(tmp_path):
    """By Kaplan and Meier 9, 8, 7, 6 of 10 have not arrived after days 1 to 4, and 5/6 of the six after day 5."""
    found = on_log(OF_DAYS, ten_players(40), tmp_path)
    assert [one.measured.found for one in found] == pytest.approx([5, 1, 0.4, 1.0, 0.6, 0.6, 5])
    assert all(one.measured.low <= one.measured.found <= one.measured.high for one in found)
    # Of 10 the exact interval of 4 is 0.12 … 0.74.
    assert found[-2].measured[1:3] == pytest.approx((1 - 0.7376, 1 - 0.1216), abs=1e-4)
    assert {one.verdict for one in found} == {"open"}


@pytest.mark.parametrize(("days", "known"), [(27, 0), (29, 7)])
def test_nobody_knows_who_is_gone_in_a_short_log(tmp_path, days, known):
    found = on_log(OF_DAYS, ten_players(days), tmp_path)
    assert len(found) == 7 and sum(np.isfinite(one.measured.found) for one in found) == known
    assert all(one.verdict == "open" and one.measured.high == np.inf for one in found if np.isnan(one.measured.found))


def test_what_a_log_cannot_tell_is_left_out_or_open(tmp_path):
    goals = [{"wasted": 0.1}, {"level": 4, "hours": 1}, {"level": 2, "reached": 0.1, "by_hours": 5},
             {"longest_level_hours": 1}, {"level": 2, "ratio": 2, "compared_with": "steady"}]  # fmt: skip
    found = on_log(goals, ten_players(40), tmp_path)
    assert [one.goal.key for one in found] == ["hours", "reached", "longest_level_hours", "ratio"]
    assert all(one.verdict == "open" and one.measured.high == np.inf for one in found)
    assert [one.measured.found for one in found] == pytest.approx([np.nan, np.nan, 0, np.nan], nan_ok=True)
    few = ten_players(40).query("player < 4")
    assert on_log(OF_DAYS, few, tmp_path) == [], "nobody is judged alone"


GOALS = (
    {"level": 10, "hours": 1}, {"from_level": 5, "to_level": 15, "hours": 1, "quantile": 0.75},
    {"level": 15, "ratio": 1, "compared_with": "adept"}, {"longest_level_hours": 1, "from_level": 5, "to_level": 15},
    {"level": 12, "reached": 0.5, "by_hours": 2}, {"level": 12, "reached": 0.5, "by_day": 3}, {"level": 20, "days": 6},
    {"still_playing": 0.5, "by_day": 10}, {"still_playing": 0.5, "level": 12},
)  # fmt: skip


def canopy_with_goals():
    data = rm.demo_design().to_dict() | {"goals": [{"player": "steady", **goal} for goal in GOALS]}
    for player in data["players"].values():
        for key in ("arrives", "patience_hours_per_level", "patience_spread", "quit_chance_per_play_day"):
            player.pop(key, None)
        player["stays"] = [[1, 0.9], [7, 0.6], [30, 0.25]]
    return rm.Design.from_dict(data)


def test_a_log_says_of_each_goal_what_simulated_players_say(tmp_path, cli):
    design = canopy_with_goals()
    simulated = rm.simulate(design, {"steady": 2000, "adept": 2000}, hours=60).goals()
    log = tmp_path / "log.parquet"
    table = rm.sample_log(design, players={"steady": 300, "adept": 300}, days=60, seed=5)
    # All have left, or stand at the cap, before three weeks are over; but the game goes on.
    late = table.iloc[[0]].assign(player="late", profile="newcomer")
    late["time"] += pd.Timedelta(days=50)
    pd.concat([table, late]).to_parquet(log)
    judged = list(judged_on(design, rm.read_log(log, design)))
    assert [one.words for one in judged] == list(simulated["goal"])
    for one, right in zip(judged, simulated["found"], strict=True):
        low, high = one.measured.low, one.measured.high
        assert low * 0.98 <= right <= high * 1.02 and high < 2 * low, one
    rm.Design.save(design, tmp_path / "d.toml")
    ran = cli("check", tmp_path / "d.toml", "--goals", "--recorded", log)
    assert (
        ran.status == 1
        and "Goals, on this log: " in ran.out
        and str(judged[0]) in ran.out
        and "600 players, over 50.1 days" in ran.err
    )
    as_json = cli("check", tmp_path / "d.toml", "--goals", "--recorded", log, "--format", "json")
    assert [row["verdict"] for row in json.loads(as_json.out)["goals"]] == [one.verdict for one in judged]
    table.iloc[:50].to_csv(tmp_path / "one.csv")
    few = cli("check", tmp_path / "d.toml", "--goals", "--recorded", tmp_path / "one.csv")
    assert few.err.count("this log does not tell steady: ") == len(GOALS) and "Goals" not in few.out
    alone = cli("check", tmp_path / "d.toml", "--recorded", log)
    assert alone.status == 2 and "judges goals; add --goals" in alone.err
