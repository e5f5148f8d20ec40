"""Players who come over weeks: when they come, and what the calendar and their own days make of it."""

from __future__ import annotations

import numpy as np
import pytest

import ramulus as rm
from conftest import make
from ramulus.rules.coming import come_on


@pytest.mark.parametrize("players", [40, 999])
@pytest.mark.parametrize("points", [((1, 0.4), (28, 1.0)), ((7, 0.5), (30, 1.0)), ((3, 1.0),), ((5, 0.0), (6, 1.0))])
def test_they_come_as_is_stated(points, players):
    days, shares = zip((0, 0.0), *points, strict=True)
    come = come_on(points, np.arange(players))
    for day in range(1, days[-1] + 1):
        assert (come <= day).mean() == pytest.approx(np.interp(day, days, shares), abs=2.5 / players + 0.005), day


def played(**season) -> rm.SimulationResult:
    """An hour every day, an encounter of 10 XP each 350 s, 50 XP a level."""
    player = {"hours_per_day": 1, "days_per_week": 7, "arrives": [[2, 0.5], [4, 1]]}
    festival = {"name": "festival", "factor": 2, **season}
    source = {"level": 1, "xp": 10, "seconds": 350}
    return rm.simulate(
        make({"values": [50] * 11}, 12, sources={"blight": source}, players={"all": player}, multipliers=[festival]), 40
    )


def test_an_event_meets_each_where_it_then_stands():
    result = played(from_day=4, to_day=4)
    arrivals = result.profile("all").arrivals["warden"]
    come = come_on(((2, 0.5), (4, 1.0)), np.arange(40))
    assert set(come) == {1, 2, 3, 4}
    ends = 350 * np.arange(1, 80)
    for number, day in enumerate(come.tolist()):
        own = 1 + ends // 3600
        xp = np.cumsum(np.where(own + day - 1 == 4, 20, 10))
        first = np.searchsorted(xp, 50 * np.arange(1, 12))
        np.testing.assert_allclose(arrivals.seconds.values[number][1:], ends[first])
        np.testing.assert_array_equal(arrivals.days.values[number][1:], own[first])
        np.testing.assert_array_equal(arrivals.calendar.values[number][1:], own[first] + day - 1)


def test_the_tables_say_both_days(cli, canopy):
    table = played(weekdays=["sat"]).pace()
    assert (table["calendar_day_p50"] - table["days_p50"]).between(0, 3).all()
    said = cli("simulate", canopy, "--players", 60, "--player", "newcomer").out
    assert "come until day 28; half are at level 40 by calendar day" in said and "of their own" in said
