"""What is said of gates, rests and time away, against hand arithmetic."""

from __future__ import annotations

import pytest

import ramulus as rm
from conftest import make
from ramulus.words.held_up import held_up

# An encounter of 10 XP each 60 s, 100 XP a level, three levels: 20 encounters, 20 minutes of play.
SOURCE = {"level": 1, "xp": 10, "seconds": 60}
DAILY = {
    "all": {"hours_per_day": 0.25, "days_per_week": 7}
}  # 15 encounters a day; what ends on a border is the next's.


def played(**parts) -> rm.SimulationResult:
    return rm.simulate(make({"values": [100, 100]}, 3, sources={"blight": SOURCE}, **parts), 3)


@pytest.mark.parametrize(
    ("stat", "lacking"),
    # Five a pool of 50: rests after encounters 5, 10 and 15; the level-up of the tenth saves one where it fills. A pool that
    # is 60 at level 2 is not empty after the tenth, but after the eleventh and the seventeenth.
    [({}, [50, 50, 50]), ({"refill_on_level_up": True}, [50, 50]), ({"per_level": 10}, [50, 60, 60])],
)
def test_rests(stat, lacking):
    encounter = {"drain": {"sap": 10}, "rest": {"seconds": "60 + missing * 2"}}
    result = played(stats={"sap": {"base": 50, "pool": True, **stat}}, encounter=encounter, players={"all": {}})
    seconds = sum(60 + 2 * missing for missing in lacking)
    assert float(result.profile("all").totals.rested.sum()) * 3600 / 3 == pytest.approx(seconds)
    digits = 0 if seconds >= 600 else 1
    assert [line for _, line in held_up(result)] == [f"{seconds / 60:.{digits}f} min of rests a player"]
    assert result.pace()["hours_p50"].iloc[-1] * 3600 == pytest.approx(20 * 60 + seconds)


@pytest.mark.parametrize("meanwhile", ["keep", "fill"])
def test_hours_at_a_gate(meanwhile):
    gate = {"at_level": 1, "from_day": 3, "meanwhile": meanwhile}
    result = played(players=DAILY, gates=[gate])
    # The cost is there after ten minutes; the rest of two play days of 15 minutes each passes before the gate.
    table = result.pace().set_index("level")
    assert table["gate_hours_p50"][1] * 60 == pytest.approx(20) and table["hours_in_level_p50"][
        1
    ] * 60 == pytest.approx(10)
    assert [line for _, line in held_up(result)] == ["20 min a player at gates, most at level 1"]


def test_xp_of_time_away():
    # 4 XP a calendar day, days 1, 3, 5 … of a week by days_per_week = 3: two or three days between.
    player = {"all": {"hours_per_day": 0.1, "plays_on": ["mon", "thu"]}}
    bonus = {"per_day_away": 4, "at_most": 14, "factor": 2}
    result = played(players=player, away_bonus=bonus)
    # Five a day and the sixth on the border, so of the next day: after Monday's five three days away bring 12 XP, after
    # Thursday's six four days 14 and not 16, and so on. An award of 10 takes up to 10 of them.
    total, day, store, away, encounters = 0, 0, 0, 0, 0
    while total < 200:
        encounters += 1
        today = 60 * encounters // 360
        if today > day:
            store, day = max(store, min(store + 4 * (3 if today % 2 else 4), 14)), today
        more = min(10, store)
        store, away, total = store - more, away + more, total + 10 + more
    totals = result.profile("all").totals
    assert float(totals.away.sum()) / 3 == pytest.approx(away) and away > 20
    assert [line for _, line in held_up(result)] == [
        f"{away} XP a player gathered on days away ({away / total:.0%} of all)"
    ]
    assert result.pace()["encounters_p50"].iloc[-1] == encounters
