"""What goals find, worked again from every player's own times: order statistics, SciPy's distributions, plain sums."""

from __future__ import annotations

import math
import re

import numpy as np
import pytest
from scipy.stats import binom

import ramulus as rm
from conftest import make
from ramulus.goals import Measured, judge
from ramulus.goals.judging import Judged, limits, players_needed, verdict_of
from test_paired import exact_share

QUICK, SLOW = 60, 45
WEIGHT = {"quick": 0.75, "slow": 0.25}
PARTS = {
    "sources": {"blight": {"level": 1, "xp": {"low": 8, "high": 12}, "seconds": "600 * pace", "success": 0.6}},
    "encounter": {"variation": 0.4},
    "players": {
        "quick": {"share": 3, "traits": {"pace": 1}, "hours_per_day": 0.4, "patience_hours_per_level": 1.5},
        "slow": {"share": 1, "traits": {"pace": 2}, "hours_per_day": 0.5, "days_per_week": 3, "stays": [[9, 0.5]]},
    },
}
GOALS = {
    "one": {"player": "quick", "level": 4, "hours": 1.5},
    "late": {"player": "slow", "level": 4, "hours": 3, "quantile": 0.9},
    "all": {"player": "everyone", "level": 4, "hours": 2, "quantile": 0.7},
    "between": {"player": "slow", "from_level": 2, "to_level": 4, "hours": 2.5},
    "days": {"player": "quick", "level": 4, "days": 4},
    "ratio": {"player": "slow", "level": 3, "compared_with": "quick", "ratio": 2},
    "by hours": {"player": "everyone", "level": 4, "by_hours": 4.5, "reached": 0.5},
    "by day": {"player": "everyone", "level": 4, "by_day": 9, "reached": 0.5},
    "still by day": {"player": "everyone", "by_day": 9, "still_playing": 0.5},
    "still at level": {"player": "everyone", "level": 3, "still_playing": 0.5},
    "wasted": {"player": "everyone", "wasted": 0.2},
    "longest": {"player": "everyone", "longest_level_hours": 1.0, "quantile": 0.6},
}


@pytest.fixture(scope="module")
def result():
    design = make(
        {"values": [20, 25, 55]}, 4, {"overflow": {"carry": 0.0}}, goals=list(GOALS.values()), **PARTS
    )  # fmt: skip
    return rm.simulate(design, {"quick": QUICK, "slow": SLOW}, 12, seed=3)


@pytest.fixture(scope="module")
def measured(result):
    return {name: one.measured for name, one in zip(GOALS, judge(result), strict=True)}


def hours(result, player, level):
    return result.arrivals(player)[:, level - 1]


def one_quantile(numbers, share):
    """The number, and the order statistics that bracket it."""
    numbers, n = np.sort(numbers), len(numbers)
    ranks = binom.ppf(0.025, n, share), binom.ppf(0.975, n, share) + 1
    at = [numbers[int(rank) - 1] if 1 <= rank <= n else math.nan for rank in (math.ceil(n * share - 1e-9), *ranks)]
    return tuple(at)


def mixed(numbers, share):
    """The least number up to which so large a share of everyone has come."""
    both = sorted((number, WEIGHT[name] / len(own)) for name, own in numbers.items() for number in own)
    passed = 0.0
    for number, own in both:
        passed += own
        if passed >= share - 1e-9:
            return number
    return math.nan


def everyones_quantile(numbers, share):
    """Woodruff's: the quantiles at the ends of the share's own interval."""
    found = mixed(numbers, share)
    inside = {
        name: min(max((own <= found).mean(), 0.5 / len(own)), 1 - 0.5 / len(own)) for name, own in numbers.items()
    }
    error = 1.959964 * math.sqrt(
        sum(WEIGHT[name] ** 2 * p * (1 - p) / len(numbers[name]) for name, p in inside.items())
    )
    return found, mixed(numbers, share - error), mixed(numbers, share + error)


def everyones_share(counted):
    found, below, above = 0.0, 0.0, 0.0
    for name, own in counted.items():
        low, share, high = exact_share(int(own.sum()), len(own))
        found += WEIGHT[name] * share
        below += (WEIGHT[name] * (share - low)) ** 2
        above += (WEIGHT[name] * (high - share)) ** 2
    return found, found - math.sqrt(below), found + math.sqrt(above)


def test_quantiles_of_one_profile(result, measured):
    assert measured["one"][:3] == pytest.approx(one_quantile(hours(result, "quick", 4), 0.5))
    assert measured["late"][:3] == pytest.approx(one_quantile(hours(result, "slow", 4), 0.9))
    between = hours(result, "slow", 4) - hours(result, "slow", 2)
    assert measured["between"][:3] == pytest.approx(one_quantile(between, 0.5))
    days = np.floor(hours(result, "quick", 4) / 0.4) + 1
    assert measured["days"][:3] == one_quantile(days, 0.5)


def test_quantiles_of_everyone(result, measured):
    numbers = {name: hours(result, name, 4) for name in WEIGHT}
    assert measured["all"][:3] == pytest.approx(everyones_quantile(numbers, 0.7))


@pytest.mark.parametrize("share", [0.02, 0.1, 0.95])
def test_where_one_profile_lies_all_on_one_side(share):
    """A share of none or of all is as sure as half a player makes it."""
    goal = {"player": "everyone", "level": 4, "hours": 2, "quantile": share}
    design = make({"values": [20, 25, 55]}, 4, goals=[goal], **PARTS)
    result = rm.simulate(design, {"quick": QUICK, "slow": SLOW}, 40, seed=3)
    numbers = {name: hours(result, name, 4) for name in WEIGHT}
    assert any((own <= mixed(numbers, share)).mean() in (0, 1) for own in numbers.values())
    found, low, high = everyones_quantile(numbers, share)
    low = 0.0 if math.isnan(low) or low == min(map(min, numbers.values())) else low
    assert judge(result)[0].measured[:3] == pytest.approx((found, low, high), nan_ok=True)


def test_a_ratio_is_the_difference_of_two_logarithms(result, measured):
    (a, a_low, a_high), (b, b_low, b_high) = (
        map(math.log, one_quantile(hours(result, name, 3), 0.5)) for name in ("slow", "quick")
    )
    expected = a - b, a - b - math.hypot(a - a_low, b_high - b), a - b + math.hypot(a_high - a, b - b_low)
    assert measured["ratio"][:3] == pytest.approx(tuple(map(math.exp, expected)))


def test_shares_of_everyone(result, measured):
    there = {name: hours(result, name, 4) <= 4.5 for name in WEIGHT}
    assert 0 < there["slow"].mean() < there["quick"].mean() < 1
    assert measured["by hours"][:3] == pytest.approx(everyones_share(there))
    quits = {name: result.played.profiles[name].quits for name in WEIGHT}
    playing = {name: ~((one.reason > 0) & (one.day <= 9)) for name, one in quits.items()}
    assert all(0 < own.mean() < 1 for own in playing.values())
    assert measured["still by day"][:3] == pytest.approx(everyones_share(playing))
    # Who quit before the level; nobody was stopped by the horizon before it.
    still = {name: ~((one.reason > 0) & (one.level < 2)) for name, one in quits.items()}
    assert measured["still at level"][:3] == pytest.approx(everyones_share(still))


def test_wasted_is_a_ratio_of_two_means(result, measured):
    parts = {name: result.played.profiles[name] for name in WEIGHT}
    earned, wasted = (
        {name: getattr(one.each, what).astype(float) for name, one in parts.items()} for what in ("earned", "wasted")
    )
    both = [sum(WEIGHT[name] * one[name].mean() for name in WEIGHT) for one in (earned, wasted)]
    ratio = both[1] / both[0]
    variance = sum(
        WEIGHT[name] ** 2 * np.var(wasted[name] - ratio * earned[name]) / len(earned[name]) for name in WEIGHT
    )
    error = 1.959964 * math.sqrt(variance) / both[0]
    assert 0 < error < ratio < 1
    assert measured["wasted"][:3] == pytest.approx((ratio, ratio - error, ratio + error), rel=1e-6)


def test_nothing_earned_and_next_to_no_time():
    nothing = {**PARTS, "sources": {"blight": {"level": 1, "xp": 0, "seconds": 600}}}
    design = make({"values": [20]}, 2, goals=[{"player": "everyone", "wasted": 0.2}], **nothing)
    assert judge(rm.simulate(design, 3, 2))[0].measured == (0, 0, 0, None)
    # Levels in hundredths of a second have a ratio, levels in no time have none.
    sources = {"blight": {"level": 1, "xp": 10, "seconds": "0.01 * pace * slow"}}
    design = make(
        {"values": [20, 20]}, 3, goals=[GOALS["ratio"]], constants={"slow": 1}, **{**PARTS, "sources": sources}
    )
    still = design.with_values({"constants.slow": 0})
    found, none = (judge(rm.simulate(one, 30, 1))[0].measured for one in (design, still))
    assert found.found == pytest.approx(2, rel=0.3) and 1 < found.low < found.high < 4
    assert none == pytest.approx((math.nan, 0, math.inf, None), nan_ok=True) or math.isnan(none.found)


def test_the_longest_level_is_the_largest_and_its_ends_are_the_largest_ends(result, measured):
    levels = [
        everyones_quantile({name: hours(result, name, level + 1) - hours(result, name, level) for name in WEIGHT}, 0.6)
        for level in (1, 2, 3)
    ]
    assert measured["longest"][:3] == pytest.approx(tuple(max(ends) for ends in zip(*levels, strict=True)))
    assert measured["longest"].at == 3


def test_who_did_not_get_there_counts_as_later():
    """35 of 60 are there when play ends: a median with no upper end, and nothing of the slow tenth."""
    design = make({"values": [20, 25, 55]}, 4, goals=[GOALS["one"], {**GOALS["one"], "quantile": 0.9}], **PARTS)
    end = np.sort(hours(rm.simulate(design, {"quick": QUICK}, 30, seed=3), "quick", 4))[34] + 1e-6
    result = rm.simulate(design, {"quick": QUICK}, end, seed=3)
    assert np.isfinite(hours(result, "quick", 4)).sum() == 35 < binom.ppf(0.975, QUICK, 0.5) + 1
    median, late = (one.measured for one in judge(result))
    found, low, _ = one_quantile(np.nan_to_num(hours(result, "quick", 4), nan=math.inf), 0.5)
    assert median == (pytest.approx(found), pytest.approx(low), math.inf, None)
    # All that is known of it: it is later than the end of play.
    assert math.isnan(late.found) and late[1:3] == (pytest.approx(end), math.inf)


def test_of_everyone_too_few_get_there():
    """Two thirds are there when play ends: seven tenths come later, and not before the least that chance leaves."""
    design = make({"values": [20, 25, 55]}, 4, goals=[GOALS["all"]], **PARTS)
    counts = {"quick": QUICK, "slow": SLOW}
    all_of_it = {name: hours(rm.simulate(design, counts, 40, seed=3), name, 4) for name in WEIGHT}
    end = mixed(all_of_it, 0.66) + 1e-6
    result = rm.simulate(design, counts, end, seed=3)
    there = {name: np.nan_to_num(hours(result, name, 4), nan=math.inf) for name in WEIGHT}
    error = 1.959964 * math.sqrt(sum(
        WEIGHT[name] ** 2 * p * (1 - p) / len(own)
        for name, own in there.items() for p in [min(max(np.isfinite(own).mean(), 0.5 / len(own)), 1 - 0.5 / len(own))]
    ))  # fmt: skip
    (one,) = judge(result)
    assert math.isnan(one.measured.found) and one.measured[1:3] == (
        pytest.approx(mixed(there, 0.7 - error)),
        math.inf,
    )


def test_who_is_left_at_a_level_that_nobody_came_near_is_not_known():
    design = make({"values": [20, 25, 55]}, 4, goals=[GOALS["still at level"]], **PARTS)
    (one,) = judge(rm.simulate(design, {"quick": 30, "slow": 30}, 0.1, seed=3))
    assert one.verdict == "open" and math.isnan(one.measured.found)


@pytest.mark.parametrize(
    ("goal", "expected"),
    [
        ({"level": 4, "hours": 10}, (9, 11)),
        ({"level": 4, "hours": 10, "tolerance": 0.25}, (7.5, 12.5)),
        ({"level": 4, "days": 10}, (9, 11)),
        ({"level": 4, "days": 11}, (9, 13)),
        ({"level": 4, "days": 11, "tolerance": 0}, (11, 11)),
        ({"longest_level_hours": 4}, (-math.inf, 4)),
        ({"longest_level_hours": 4, "tolerance": 0.5}, (-math.inf, 6)),
        ({"level": 4, "by_hours": 3, "reached": 0.8}, (0.8, math.inf)),
        ({"level": 4, "by_hours": 3, "reached": 0.8, "tolerance": 0.25}, (0.6, math.inf)),
        ({"by_day": 3, "still_playing": 0.8}, (0.8, math.inf)),
        ({"wasted": 0.2}, (-math.inf, 0.2)),
        ({"level": 4, "compared_with": "slow", "ratio": 2}, (1.8, 2.2)),
    ],
    ids=str,
)
def test_between_what_a_goal_is_met(goal, expected):
    (one,) = make({"values": [20, 25, 55]}, 4, goals=[{"player": "quick", **goal}], **PARTS).goals
    assert limits(one) == pytest.approx(expected)


@pytest.mark.parametrize(
    ("low", "high", "verdict"),
    [(2, 3, "met"), (1, 4, "met"), (0.9, 3, "open"), (2, 4.1, "open"), (4.1, 5, "missed"), (0, 0.9, "missed"),
     (4, 5, "open"), (0, 1, "open"), (0, 5, "open")],
)  # fmt: skip
def test_a_verdict_is_of_the_whole_interval(low, high, verdict):
    assert verdict_of(Measured((low + high) / 2, low, high), 1, 4) == verdict


def test_players_that_would_tell():
    # 2 to the limit above with a half-width of 1 on that side: 1/4 of the players would just do, and no fewer are said.
    assert players_needed(Measured(3, 1, 4), (0, 5), 200) == 200
    assert players_needed(Measured(3, 2, 9), (1, 4), 200) == pytest.approx(200 * 6**2 * 1.1, abs=1)
    assert players_needed(Measured(3, 1, 4), (2, 9), 200) == pytest.approx(200 * 4 * 1.1, abs=1)
    for unknown in ((Measured(3, 1, math.inf), (0, 5)), (Measured(3, 1, 4), (-math.inf, math.inf)),
                    (Measured(3, 1, 4), (3 + 1e-9, 9))):  # fmt: skip
        assert math.isnan(players_needed(*unknown, 200))


def test_what_a_verdict_says(result):
    lines = dict(zip(GOALS, map(str, judge(result)), strict=True))
    rows = result.goals()
    for (name, goal), row in zip(GOALS.items(), rows.itertuples(), strict=True):
        text = lines[name]
        scale, digits = (100, 1) if row.goal.endswith(("XP wasted",)) or "%" in row.goal else (1, 2)
        digits = {"days": 0, "ratio": 3}.get(name, digits)
        numbers = [f"{scale * number:.{digits}f}" for number in (row.found, row.low, row.high)]
        assert f" ({numbers[1]}–{numbers[2]}), " in text and f" {numbers[0]}" in text, text
        wish = next(goal[key] for key in ("hours", "days", "ratio", "reached", "still_playing", "wasted",
                                          "longest_level_hours") if key in goal)  # fmt: skip
        off = f"{100 * (row.found - wish):+.1f} points" if scale == 100 else f"{row.found / wish - 1:+.1%}"
        assert f", {off}" in text
        assert ("players would tell" in text) == (row.players_needed > 0)
        assert row.wish == wish and row.off == pytest.approx(row.found - wish if scale == 100 else row.found / wish - 1)
    said = {name: re.sub(r":.*", "", text) for name, text in lines.items()}
    assert said == {
        "one": "level 4 in 1.5 h",
        "late": "level 4 in 3 h, p90",
        "all": "level 4 in 2 h, p70",
        "between": "level 2 to 4 in 2.5 h",
        "days": "level 4 on day 4",
        "ratio": "level 3 in 2 times the hours of quick",
        "by hours": "50% at level 4 by 4.5 h",
        "by day": "50% at level 4 by day 9",
        "still by day": "50% still playing after day 9",
        "still at level": "50% still playing at level 3",
        "wasted": "at most 20.00% of the XP wasted",
        "longest": "no level longer than 1 h, p60 (longest",
    }


def test_days_are_known_that_everybody_has_played_to_their_ends():
    """Ten days of 0.4 h are 4 h; three of seven days of 0.5 h for 4 h are eight play days, the ninth on day 19 or later."""
    goals = [{"player": player, "level": 2, "by_day": day, "reached": 0.5} for player, day in
             (("quick", 10), ("quick", 11), ("slow", 18), ("slow", 19))]  # fmt: skip
    design = make({"values": [20, 25, 55]}, 4, goals=goals, **PARTS).with_values({"players.slow.stays": [[3, 0.4]]})
    known = [math.isfinite(one.measured.found) for one in judge(rm.simulate(design, {"quick": 30, "slow": 30}, 4.0))]
    assert known == [True, False, True, False]


def test_days_kept_in_bins_count_the_same_players():
    goals = [{"player": "everyone", "level": 4, "by_day": day, "reached": 0.5} for day in range(1, 40)]
    design = make({"values": [20, 25, 55]}, 4, goals=[*goals, GOALS["wasted"]], **PARTS)
    whole, binned = (rm.simulate(design, 60, 30, seed=3, keep_players=keep) for keep in (True, False))
    for one, other in zip(judge(whole)[:-1], judge(binned)[:-1], strict=True):
        assert one.measured == other.measured
    assert len({one.measured.found for one in judge(whole)}) > 15
    # Of what was wasted bins know the mean alone.
    assert judge(binned)[-1].measured[1:3] == (0, math.inf)


def test_a_day_beyond_all_that_was_played():
    goals = [{"player": "quick", "level": 4, "days": 3, "quantile": share} for share in (0.5, 0.9)]
    design = make({"values": [20, 25, 55]}, 4, goals=goals, **PARTS)
    median, late = judge(rm.simulate(design, {"quick": QUICK}, 2.0, seed=3))
    # After 2 h of 0.4 h a day five days are over; who is not there by then is there on day 6 or later.
    assert math.isnan(late.measured.found) and late.measured[1:3] == (6, math.inf)
    assert str(late) == "level 4 on day 3, p90: too few get there" and late.verdict == "missed"
    assert "not known: play longer" in str(Judged(design.goals[0], late.measured, "open", math.nan))
    assert math.isnan(median.measured.found)


@pytest.mark.parametrize(("wish", "text"), [(99, "99.50 h (98.00–101.00)"), (99.9, "99.50 h"), (100, "100 h (98–101)")])
def test_hours_have_digits_while_they_are_few(wish, text):
    design = make({"values": [20, 25, 55]}, 4, goals=[{"player": "quick", "level": 4, "hours": wish}], **PARTS)
    assert text in str(Judged(design.goals[0], Measured(99.5, 98, 101), "met", math.nan))


@pytest.mark.parametrize(
    ("goal", "words"),
    [
        ({"from_level": 2}, "no level from 2 on longer than 4 h"),
        ({"to_level": 3}, "no level up to 3 longer than 4 h"),
        ({"from_level": 2, "to_level": 3}, "no level of 2–3 longer than 4 h"),
    ],
)
def test_of_which_levels_the_longest_is_said(goal, words):
    design = make({"values": [20, 25, 55]}, 4, goals=[{"player": "quick", "longest_level_hours": 4, **goal}], **PARTS)
    (row,) = rm.simulate(design, 10, 12).goals().to_dict("records")
    assert row["goal"].startswith(words) and row["goal"].endswith("(longest: 3)")


@pytest.mark.parametrize(
    ("goal", "expected"),
    [
        ({"level": 4, "hours": 300}, 330),
        ({"level": 4, "by_hours": 300, "reached": 0.5}, 300),
        # So many days of 0.4 h, and one play day more; of days a tenth more, rounded up, and the one after.
        ({"level": 4, "by_day": 1000, "reached": 0.5}, 400.4),
        ({"by_day": 1000, "still_playing": 0.5}, 400.4),
        ({"level": 4, "days": 1001}, 0.4 * (1102 + 1 + 1)),
        # Three of seven days, of 0.5 h: 1,000 days hold 143 weeks less a day.
        ({"player": "slow", "level": 4, "by_day": 1001, "reached": 0.5}, 0.5 * (3 * 143 + 1)),
        ({"player": "everyone", "level": 4, "by_day": 1001, "reached": 0.5}, 0.4 * 1002),
    ],
    ids=str,
)
def test_how_long_is_played_for_a_goal(goal, expected):
    design = make({"values": [20, 25, 55]}, 4, goals=[{"player": "quick", **goal}], **PARTS)
    assert rm.simulate(design, 1).hours == pytest.approx(expected, rel=1e-6)


def test_days_are_whole_where_players_are_not_kept(result, measured):
    """A large run keeps times in bins of 0.1 %, which lie about a day; what is said is still a day."""
    binned = rm.simulate(result.design, {"quick": QUICK, "slow": SLOW}, 12, seed=3, keep_players=False)
    assert not binned.keeps_players
    days = next(one.measured for name, one in zip(GOALS, judge(binned), strict=True) if name == "days")
    assert days[:3] == measured["days"][:3] and all(float(end).is_integer() for end in days[:3])
