"""Goals where play ends too early, where a run is small, and at the ends of what they are about."""

from __future__ import annotations

import math

import numpy as np
import pytest

import ramulus as rm
from conftest import make
from ramulus.goals import first_over, judge
from test_goal_numbers import GOALS, PARTS, QUICK, hours, one_quantile
from test_goals import PLAIN
from test_paired import exact_share

COSTS = {"values": [20, 25, 55]}


def judged(goal, counts, horizon=None, *, track=None, **parts):
    design = make(COSTS, 4, track, goals=[goal], **{**PARTS, **parts})
    result = rm.simulate(design, counts, horizon, seed=3)
    return result, judge(result)[0].measured


def test_the_cap_is_no_level_to_be_long():
    to_cap, all_levels = (
        judged({"player": "quick", "longest_level_hours": 1, **keys}, {"quick": 40})[1]
        for keys in ({"to_level": 4}, {})
    )
    assert to_cap == all_levels and math.isfinite(to_cap.high)


def test_from_level_to_level_of_who_is_not_there_yet():
    """What is known of them is that they were on the way until play ended; where the wish is not known, nothing is said."""
    goal = {"player": "quick", "from_level": 2, "to_level": 4, "hours": 1, "quantile": 0.8}
    whole = hours(judged(goal, {"quick": QUICK}, 40)[0], "quick", 4)
    end = float(np.sort(whole)[35])
    result, found = judged(goal, {"quick": QUICK}, end)
    bounds = np.nan_to_num(hours(result, "quick", 4), nan=end) - np.nan_to_num(hours(result, "quick", 2), nan=end)
    assert math.isnan(found.found) and found[1:3] == (pytest.approx(one_quantile(bounds, 0.8)[1]), math.inf)
    assert result.goals()[["found", "low", "high"]].isna().all(axis=None)


def test_a_level_that_the_end_of_play_cut_off_is_not_known():
    goal = {"player": "quick", "longest_level_hours": 1, "from_level": 3, "to_level": 3}
    ends = np.sort(hours(judged(goal, {"quick": QUICK}, 40)[0], "quick", 4))
    for there, known in ((35, False), (58, True)):
        result, found = judged(goal, {"quick": QUICK}, float(ends[there]))
        assert np.isfinite(hours(result, "quick", 4)).mean() > 0.5 and math.isfinite(found.found) == known


@pytest.mark.parametrize(("most", "level"), [(1.9, 1), (2, 2), (3.9, 2), (4, 3), (6, None)])
def test_the_first_level_that_takes_longer(most, level):
    """Slow ones take 2, 4 and 6 hours."""
    goal = {"player": "slow", "longest_level_hours": 9}
    result = rm.simulate(make({"values": [10, 20, 30]}, 4, goals=[goal], **PLAIN), 20)
    assert first_over(result.design.goals[0], result, most) == level


@pytest.mark.parametrize(("players", "quantile"), [(2, 0.5), (20, 0.1), (20, 0.95)])
def test_few_players_have_no_ratio(players, quantile):
    """There is no order statistic below the tenth of twenty that is sure to be, nor above their twentieth."""
    found = judged(GOALS["ratio"] | {"quantile": quantile}, {"quick": players, "slow": players}, 40)[1]
    assert found == pytest.approx((math.nan, 0, math.inf, None), nan_ok=True)


def test_who_may_still_quit_is_not_sure_to_stay():
    """A few have neither quit nor come to level 3 when play ends: they count in the found share, and not in its low end."""
    goal = {"player": "quick", "level": 3, "still_playing": 0.5}
    for end in np.arange(1.0, 4.0, 0.05):
        result, found = judged(goal, {"quick": QUICK}, float(end))
        quits = result.played.profiles["quick"].quits
        gone, open_ = (
            int(((quits.level < 2) & (quits.reason != 0 if left else quits.reason == 0)).sum()) for left in (1, 0)
        )
        if 0 < open_ <= QUICK / 10 and gone:
            break
    assert 0 < open_ <= QUICK / 10 and gone
    assert found[:3] == pytest.approx(
        ((QUICK - gone) / QUICK, exact_share(QUICK - gone - open_, QUICK)[0], exact_share(QUICK - gone, QUICK)[2])
    )
    lasting = {**PARTS["players"], "quick": {"traits": {"pace": 1}}}
    assert judged(goal, {"quick": QUICK}, 9, players=lasting)[1][:3] == pytest.approx(
        (1, exact_share(QUICK, QUICK)[0], 1)
    )


def test_days_of_the_calendar_are_known_of_those_who_come_late():
    """Who comes on day 6 and plays ten days is through with day 15."""
    late = {**PARTS["players"], "quick": {"traits": {"pace": 1}, "hours_per_day": 0.4, "arrives": [[5, 0], [6, 1]]}}
    for day, known in ((15, True), (16, False)):
        goal = {"player": "quick", "level": 2, "by_day": day, "reached": 0.5}
        assert math.isfinite(judged(goal, {"quick": 20}, 4.0, players=late)[1].found) == known


def test_no_less_than_nothing_is_wasted():
    goal = {"player": "quick", "wasted": 0.2}
    rarely = {"blight": {"level": 1, "xp": {"one_of": [[5, 0.97], [7, 0.03]]}, "seconds": 600}}
    result, found = judged(goal, {"quick": 3}, track={"overflow": {"carry": 0.0}}, sources=rarely)
    each = result.played.profiles["quick"].each
    error = 1.96 * np.std(each.wasted - found.found * each.earned) / each.earned.mean() / math.sqrt(3)
    assert 0 < found.found < error and found.low == 0


def test_play_goes_on_a_little_past_what_would_still_meet_a_wish():
    goal = {"player": "quick", "level": 4, "hours": 400, "tolerance": 0.2}
    assert 480 < judged(goal, {"quick": 2})[0].hours < 480.001
