"""What `tune` brings to the wish, by hand; and how sure it says that its numbers are, on fits that are made up."""

from __future__ import annotations

import math
from types import SimpleNamespace

import numpy as np
import pytest

import ramulus as rm
from conftest import make
from ramulus.comparing.statistic import Quantile, Statistic
from ramulus.goals import judge
from ramulus.simulation.resampling import RESAMPLES, widening
from ramulus.tuning.aims import BOTH, NOT_ABOVE, NOT_BELOW, aims_of, met_between
from ramulus.tuning.certainty import Certainty
from ramulus.tuning.goal_statistics import NEVER_HOURS, statistics_of
from ramulus.tuning.landscape import Fit
from ramulus.tuning.ranges import ranges_of
from test_goals import PLAIN as EVERY_DAY

# One award of 10 XP an hour, levels of 10, 20, 30 XP; here `slow` plays an hour a day, two days a week.
PLAIN = {
    **EVERY_DAY,
    "players": {
        **EVERY_DAY["players"],
        "slow": {**EVERY_DAY["players"]["slow"], "hours_per_day": 1, "days_per_week": 2},
    },
}


def aims(goal, hours=None, **parts):
    design = make({"values": [10, 20, 30]}, 4, goals=[goal], **{**PLAIN, **parts})
    result = rm.simulate(design, 20, hours, keep_players=True)
    return aims_of(design.goals[0], result)


TENTH = math.log(1.1)
BY_HAND = [
    # The goal; value, target and tolerance; on which side it is off.
    ({"player": "quick", "level": 3, "hours": 3.2}, math.log(3), math.log(3.2), TENTH, BOTH),
    ({"player": "slow", "level": 3, "hours": 3, "tolerance": 0.5}, math.log(6), math.log(3), math.log(1.5), BOTH),
    ({"player": "quick", "level": 3, "hours": 3.2, "tolerance": 0}, math.log(3), math.log(3.2), math.log(1.02), BOTH),
    ({"player": "slow", "from_level": 2, "to_level": 4, "hours": 5}, math.log(10), math.log(5), TENTH, BOTH),
    ({"player": "everyone", "level": 4, "hours": 7, "quantile": 0.9}, math.log(12), math.log(7), TENTH, BOTH),
    # After 6 h three days are over; the middle of day 4, and from the beginning of day 3 to the end of day 5.
    ({"player": "quick", "level": 4, "days": 4}, math.log(4), math.log(4.5), math.log(6 / 4.5), BOTH),
    ({"player": "slow", "level": 3, "compared_with": "quick", "ratio": 2.5}, math.log(2), math.log(2.5), TENTH, BOTH),
    ({"player": "everyone", "level": 4, "by_hours": 6.1, "reached": 0.5}, math.log(6), math.log(6.1), 0.05, NOT_ABOVE),
    ({"player": "everyone", "level": 4, "by_hours": 7, "reached": 0.8}, math.log(12), math.log(7), 0.05, NOT_ABOVE),
    ({"player": "quick", "level": 4, "by_day": 4, "reached": 0.5}, math.log(4), math.log(5), 0.05, NOT_ABOVE),
    ({"player": "everyone", "still_playing": 0.5, "by_day": 3}, 0.25, 0.5, 0.02, NOT_BELOW),
    ({"player": "everyone", "still_playing": 0.5, "by_day": 3, "tolerance": 0.2}, 0.25, 0.4, 0.1, NOT_BELOW),
    ({"player": "everyone", "still_playing": 0.5, "level": 3}, 1.0, 0.5, 0.02, NOT_BELOW),
    ({"player": "everyone", "still_playing": 0.5, "level": 4}, 0.25, 0.5, 0.02, NOT_BELOW),
    ({"player": "quick", "wasted": 0.05}, 0.0, 0.05, 0.005, NOT_ABOVE),
    ({"player": "quick", "wasted": 0.05, "tolerance": 0.5}, 0.0, 0.075, 0.025, NOT_ABOVE),
]  # fmt: skip


@pytest.mark.parametrize(("goal", "value", "target", "unit", "side"), BY_HAND, ids=[str(case[0]) for case in BY_HAND])
def test_each_kind_by_hand(goal, value, target, unit, side):
    (aim,) = aims(goal, hours=40.0)
    assert (aim.value, aim.target, aim.unit, aim.side) == pytest.approx((value, target, unit, side), abs=1e-9)
    assert aim.reached and aim.error == pytest.approx(0, abs=1e-12) and aim.limit == pytest.approx(target)
    off = (value - target) / unit
    off = max(off, 0) if side == NOT_ABOVE else min(off, 0) if side == NOT_BELOW else off
    assert aim.off == pytest.approx(off, abs=1e-9) and aim.miss == aim.off
    assert aim.slack == (side != BOTH and off == 0)
    assert aim.failed == (abs(off) > 1 if side == BOTH else off != 0)
    np.testing.assert_allclose(aim.again, np.full(RESAMPLES, off), atol=1e-9)


def test_of_the_longest_level_each_one_is_an_aim():
    goal = {"player": "slow", "longest_level_hours": 5}
    assert [(aim.level, aim.value, aim.unit) for aim in aims(goal)] == [
        (level, pytest.approx(math.log(hours)), 0.05) for level, hours in ((1, 2), (2, 4), (3, 6))
    ]
    wider = aims({**goal, "tolerance": 0.25, "from_level": 2})
    assert [aim.level for aim in wider] == [2, 3] and wider[0].unit == pytest.approx(math.log(1.25))
    assert wider[1].target == pytest.approx(math.log(6.25)) and wider[1].slack


@pytest.mark.parametrize(
    ("goal", "hours", "expected"),
    [
        # At 4 h a third of level 3's 30 XP is there: two more awards.
        ({"player": "quick", "level": 4, "hours": 4}, 4, 6),
        # At 3 h level 2 of `slow` is begun and nothing of it there: 4 h and 6 h.
        ({"player": "slow", "level": 4, "hours": 4}, 3, 13),
        ({"player": "slow", "level": 4, "hours": 4}, 5, 5 + 2 + 6),
        ({"player": "everyone", "level": 4, "by_hours": 4, "reached": 0.5}, 4, 4 + 0.75 * 2 + 0.25 * 6),
        ({"player": "slow", "level": 4, "compared_with": "quick", "ratio": 2}, 4, (4 + 2 + 6) / 6),
        # Two days of seven, an hour each: 3.5 days an hour.
        ({"player": "slow", "level": 4, "days": 10}, 3, 13 * 3.5),
        ({"player": "slow", "level": 4, "by_day": 10, "reached": 0.5}, 3, 13 * 3.5),
        ({"player": "slow", "from_level": 2, "to_level": 4, "hours": 4}, 3, 13),
    ],
    ids=str,
)
def test_beyond_what_was_played_it_goes_on(goal, hours, expected):
    (aim,) = aims(goal, hours=float(hours))
    assert not aim.reached and math.isnan(aim.error) and aim.value == pytest.approx(math.log(expected))


def test_where_nothing_is_paid_it_never_ends_and_nothing_is_wasted():
    sources = {"blight": {"level": 1, "xp": "10 if level < 2 else 0", "seconds": 3600}}
    (aim,) = aims({"player": "quick", "level": 4, "hours": 4}, hours=3, sources=sources)
    assert not aim.reached and aim.value == pytest.approx(math.log(2 * NEVER_HOURS))
    nothing = {"blight": {"level": 1, "xp": 0, "seconds": 3600}}
    (aim,) = aims({"player": "quick", "wasted": 0.05}, hours=3, sources=nothing)
    assert aim.value == 0


def test_what_was_wasted_is_not_on_the_way():
    """15 XP an hour: 5 lost at level 1, then 15 of level 2's 20, a quarter of 80 minutes from the next, which takes two hours."""
    design = make(
        {"values": [10, 20, 30]}, 4, {"overflow": {"carry": 0}}, goals=[{"player": "quick", "level": 4, "hours": 9}],
        **{**PLAIN, "sources": {"blight": {"level": 1, "xp": 15, "seconds": 3600}}},
    )  # fmt: skip
    (aim,) = aims_of(design.goals[0], rm.simulate(design, 10, 2.5, keep_players=True))
    assert not aim.reached and aim.value == pytest.approx(math.log(2.5 + 1 / 3 + 2))


def test_parts_of_an_xp_count_on_the_rest_of_the_way():
    """Half an XP an hour, levels of 1, 2 and 3 XP: at 4 h two of them are in level 2, which is passed at 6 h, and 6 h more."""
    design = make(
        {"values": [1, 2, 3]}, 4, {"overflow": {"whole_xp": False}}, goals=[{"player": "quick", "level": 4, "hours": 9}],
        **{**PLAIN, "sources": {"blight": {"level": 1, "xp": 0.5, "seconds": 3600}}}, awards={"rounding": "none"},
    )  # fmt: skip
    (aim,) = aims_of(design.goals[0], rm.simulate(design, 10, 4, keep_players=True))
    assert not aim.reached and aim.value == pytest.approx(math.log(12))


def test_waste_is_as_sure_as_the_goal_says():
    parts = {
        "sources": {"blight": {"level": 1, "xp": {"low": 5, "high": 15}, "seconds": "600 * pace", "success": 0.7}},
        "encounter": {},
    }
    goal = {"player": "everyone", "wasted": 0.2}
    design = make({"values": [20, 25, 55]}, 4, {"overflow": {"carry": 0.0}}, goals=[goal], **{**PLAIN, **parts})
    result = rm.simulate(design, 400, 40, keep_players=True)
    (aim,), (judged,) = aims_of(design.goals[0], result), judge(result)
    half = (judged.measured.high - judged.measured.found) / 1.959964
    assert aim.value == pytest.approx(judged.measured.found)
    assert aim.found.again.std() == pytest.approx(half, rel=0.15)


def test_weight_and_must_count_in_the_search_and_not_in_what_is_off():
    goal = {"player": "quick", "level": 3, "hours": 6, "tolerance": 0.1}
    plain, heavy, must = (aims({**goal, **more})[0] for more in ({}, {"weight": 4}, {"must": True, "weight": 4}))
    assert plain.off == heavy.off == must.off < -7
    assert (plain.miss, heavy.miss, must.miss) == pytest.approx([plain.off * times for times in (1, 2, 60)])
    np.testing.assert_allclose(must.again, 60 * plain.again)


def test_chance_is_in_the_players_drawn_again_and_one_sided_goals_keep_clear_of_it():
    parts = {
        "encounter": {"variation": 0.5, "success": 0.7},
        "sources": {"blight": {"level": 1, "xp": 10, "seconds": "600 * pace"}},
    }
    (both,) = aims({"player": "quick", "level": 4, "hours": 1.4}, hours=40.0, **parts)
    moved = (both.found.again - both.found.smooth) * widening(20)
    np.testing.assert_allclose(both.again, (both.value - math.log(1.4) + moved) / both.unit)
    assert both.error == pytest.approx(both.found.again.std() * widening(20)) and both.error > 0.02
    (late,) = aims({"player": "quick", "level": 4, "by_hours": 1.4, "reached": 0.5}, hours=40.0, **parts)
    assert late.target == pytest.approx(late.limit - 2 * late.error) and late.limit == pytest.approx(math.log(1.4))
    assert (late.again >= 0).all() and (late.again > 0).mean() == pytest.approx(
        (late.found.again - late.found.smooth > (late.target - late.value) / widening(20)).mean()
    )
    (still,) = aims({"player": "quick", "still_playing": 0.99, "by_day": 1}, hours=40.0, **parts,
                    players={"quick": {**PLAIN["players"]["quick"], "stays": [[1, 0.6]]}})  # fmt: skip
    assert still.target == pytest.approx(0.99 + 2 * still.error) and (still.again <= 0).all() and still.failed


@pytest.mark.parametrize(
    ("goal", "share"),
    [
        ({"player": "everyone", "level": 4, "by_hours": 6.1, "reached": 0.9}, 0.75),
        ({"player": "everyone", "level": 4, "by_hours": 5.9, "reached": 0.9}, 0.0),
        # Three days are over after 6 h, and on day 4 the last level is reached.
        ({"player": "quick", "level": 4, "by_day": 4, "reached": 0.9}, 1.0),
        ({"player": "quick", "level": 4, "by_day": 3, "reached": 0.9}, 0.0),
    ],
    ids=str,
)
def test_a_share_by_then_is_a_share(goal, share):
    design = make({"values": [10, 20, 30]}, 4, goals=[goal], **PLAIN)
    (found,) = statistics_of(design.goals[0], rm.simulate(design, 20, 40, keep_players=True)).values()
    assert found.value == pytest.approx(share) and found.counted


def test_all_of_a_few_players_are_as_many_as_can_be_told():
    parts = {"encounter": {"variation": 0.5}}
    for share, rank in ((1.0, 20), (0.9, 18), (0.01, 1)):
        goal = {"player": "quick", "level": 4, "by_hours": 50, "reached": share}
        design = make({"values": [10, 20, 30]}, 4, goals=[goal], **{**PLAIN, **parts})
        result = rm.simulate(design, {"quick": 20}, 90, keep_players=True)
        (aim,) = aims_of(design.goals[0], result)
        assert aim.value == pytest.approx(math.log(np.sort(result.arrivals("quick")[:, 3])[rank - 1]))


def test_a_skill_that_too_few_practise_goes_on_as_it_went():
    """A skill XP an hour: after 5 h level 2, which took 4; level 4 takes 4 + 12 + 8 in all, six times as much."""
    skills = {"craft": {"max_level": 4, "cost": {"values": [4, 12, 8]}}}
    sources = {"blight": {"level": 1, "xp": 1, "seconds": 3600, "skill": "craft", "skill_xp": 1}}
    goal = {"player": "p", "track": "craft", "level": 4, "hours": 9}
    design = make({"formula": "1000"}, 3, goals=[goal], skills=skills, sources=sources, encounter={}, players={"p": {}})
    for hours, times in ((5, 24 / 4), (17, 24 / 16), (2, 24)):
        (aim,) = aims_of(design.goals[0], rm.simulate(design, 10, hours, keep_players=True))
        assert not aim.reached and aim.value == pytest.approx(math.log(hours * times))


def test_between_what_days_and_shares_are_met():
    design = make({"values": [10, 20, 30]}, 4, **PLAIN, goals=[
        {"player": "quick", "level": 4, "days": 11}, {"player": "quick", "wasted": 0.1},
        {"player": "quick", "level": 4, "by_hours": 3, "reached": 0.8}, {"player": "quick", "longest_level_hours": 3},
        {"player": "quick", "level": 4, "days": 1},
    ])  # fmt: skip
    assert [met_between(goal) for goal in design.goals] == [
        pytest.approx((math.log(9), math.log(14))), (-math.inf, 0.1), (0.8, math.inf),
        (-math.inf, pytest.approx(math.log(3))), (-math.inf, pytest.approx(math.log(3))),
    ]  # fmt: skip


# --- how sure numbers are -------------------------------------------------------------------------------------


def fit_of(values, misses, slopes, noise, goals=None):
    """A fit whose goals' misses vary by some noise, shape (resamples, goals), about what they are."""
    slopes, known = np.array(slopes, dtype=float), Statistic(0.0, (Quantile({"a": np.ones(5)}, {"a": 1.0}, 0.5),))
    made = [
        SimpleNamespace(
            miss=miss,
            again=miss + noise[:, row],
            lead=miss,
            lead_again=miss + noise[:, row],
            side=BOTH,
            slack=False,
            counts=1.0,
            found=known if goals is None else goals[row],
        )
        for row, miss in enumerate(misses)
    ]
    return Fit(np.array(values, dtype=float), made, slopes, np.repeat(slopes[None], RESAMPLES, axis=0))


@pytest.fixture(scope="module")
def ranges():
    design = make({"formula": "dear * level"}, 4, constants={"dear": 10, "far": 4, "near": 2}, **PLAIN,
                  goals=[{"player": "quick", "level": 4, "hours": 6}])  # fmt: skip
    return ranges_of(design, {"dear": (1, 100), "far": (1, 16)}, [])


def normal(goals, seed=1):
    """Noise whose quantiles are those of a normal one, as exactly as there are resamples."""
    from scipy.stats import norm

    random = np.random.default_rng(seed)
    shares = (np.arange(RESAMPLES) + 0.5) / RESAMPLES
    return np.transpose([norm.ppf(random.permutation(shares)) for _ in range(goals)])


def test_one_number_by_one_goal(ranges):
    """A goal that moves by 40 tolerances a logarithm and is known to half of one: an 80th, 1.25 %."""
    certainty = Certainty(fit_of([10], [0.0], [[40.0]], 0.5 * normal(1)), ranges[:1])
    assert certainty.errors == pytest.approx([1 / 80], rel=0.01) and certainty.determined == [False]
    low, high = certainty.interval(0)
    assert (math.log(low / 10), math.log(high / 10)) == pytest.approx((-1.96 / 80, 1.96 / 80), rel=0.02)
    surer = Certainty(fit_of([10], [0.0], [[40.0]], 0.3 * normal(1)), ranges[:1])
    assert surer.determined == [True]
    # What moves no goal is not known, and of what is known to a tenth only nothing is said.
    nothing = Certainty(fit_of([10], [0.0], [[0.0]], normal(1)), ranges[:1])
    assert nothing.errors.tolist() == [math.inf] and np.isnan(nothing.interval(0)).all()
    loose = Certainty(fit_of([10], [0.0], [[4.0]], 0.5 * normal(1)), ranges[:1])
    assert loose.errors == pytest.approx([0.125], rel=0.01) and np.isnan(loose.interval(0)).all()


def test_an_interval_is_as_uneven_as_chance(ranges):
    """Exponential noise: its 2.5 and 97.5 percents lie 0.97 below and 2.69 above the mean of 1."""
    shares = (np.arange(RESAMPLES) + 0.5) / RESAMPLES
    noise = -np.log1p(-shares)[:, None] - 1
    certainty = Certainty(fit_of([10], [0.0], [[-100.0]], noise), ranges[:1])
    low, high = certainty.interval(0)
    error = certainty.errors[0]
    assert error == pytest.approx(np.subtract(*np.quantile(noise, [0.8413, 0.1587])) / 200, rel=1e-6)
    assert math.log(low / 10) == pytest.approx(-1.96 * error, rel=1e-3)
    assert math.log(high / 10) == pytest.approx(0.0269, rel=0.02)


def test_numbers_that_stand_at_a_bound_are_left_out(ranges):
    values = [[1, 4], [100, 16], [10, 1.0005], [10, 15.99], [10, 4]]
    bounds = [Certainty(fit_of(one, [0, 0], np.eye(2), normal(2)), ranges).at_bound for one in values]
    assert bounds == [["low", ""], ["high", "high"], ["", "low"], ["", "high"], ["", ""]]
    assert Certainty(fit_of([1, 4], [0, 0], np.eye(2), normal(2)), ranges).inside == [1]
    assert Certainty(fit_of([1, 4], [0, 0], 100 * np.eye(2), normal(2)), ranges).errors.tolist()[0] == math.inf


def test_two_numbers_that_goals_feel_together(ranges):
    """One goal feels their sum: neither is known, and the way that stays open leads from one to the other."""
    certainty = Certainty(fit_of([10, 4], [0.0], [[50.0, 50.0]], normal(1)), ranges)
    assert certainty.errors.tolist() == [math.inf, math.inf]
    way = certainty.open_way
    assert list(way) == [0, 1] and way[0] == pytest.approx(-way[1]) and abs(way[0]) == pytest.approx(0.5**0.5)
    # A second goal that feels the second alone tells both: errors add in squares.
    both = Certainty(fit_of([10, 4], [0.0, 0.0], [[50.0, 50.0], [0.0, 25.0]], normal(2)), ranges)
    assert both.errors == pytest.approx([math.hypot(1 / 50, 1 / 25), 1 / 25], rel=0.06)


@pytest.mark.parametrize(("value", "determined"), [(10.0, True), (4.0, True), (1.0, False)])
def test_a_number_about_nothing_is_pinned_down_to_a_percent_of_itself(value, determined):
    """From -2 to 18 a coordinate is 20: an error of 0.0019 of it is 0.038, which is 0.4, 1 and 1.9 percent (of a tenth)."""
    design = make({"formula": "10 + dear"}, 4, constants={"dear": 10}, **PLAIN,
                  goals=[{"player": "quick", "level": 4, "hours": 6}])  # fmt: skip
    wide = ranges_of(design, {"dear": (-2, 18)}, [])
    certainty = Certainty(fit_of([value], [0.0], [[1.0]], 0.0019 * normal(1)), wide)
    assert certainty.errors == pytest.approx([0.0019], rel=0.01) and certainty.determined == [determined]


def test_goals_that_do_not_fit_together_widen_what_is_said(ranges):
    """Two goals of one number, six tolerances apart where chance makes 0.5 and 0.25 is no miss: chi-squared 57.6."""
    apart = Certainty(fit_of([10], [3.0, -3.0], [[40.0], [40.0]], 0.5 * normal(2)), ranges[:1])
    fitting = Certainty(fit_of([10], [0.1, -0.1], [[40.0], [40.0]], 0.5 * normal(2)), ranges[:1])
    assert fitting._misfit == 1 and apart._misfit == pytest.approx(57.6**0.5, rel=0.05)
    assert apart.errors[0] == pytest.approx(apart._misfit * fitting.errors[0], rel=0.01)
    # Of three goals two degrees are free.
    three = Certainty(fit_of([10], [3.0, -3.0, 0.0], [[40.0]] * 3, 0.5 * normal(3)), ranges[:1])
    assert three._misfit == pytest.approx(28.8**0.5, rel=0.08)
    # What is felt a millionth as much as another is not felt.
    for least, known in ((1e-5, False), (1e-3, True)):
        flat = Certainty(fit_of([10, 4], [0.0, 0.0], [[50.0, 0.0], [0.0, least]], 1e-7 * normal(2)), ranges)
        assert (flat.errors[1] < math.inf) == known and flat.errors[0] < math.inf
    # Both are met, and known far better than they are wished for: nothing is missed.
    met = Certainty(fit_of([10], [0.15, -0.15], [[40.0], [40.0]], 0.01 * normal(2)), ranges[:1])
    assert met._misfit == 1 and met.errors[0] < 0.001
    # A goal that nobody gets to tells nothing, nor do fewer goals than numbers that one of them is.
    out = Certainty(fit_of([10], [3.0], [[40.0]], 0.5 * normal(1), goals=[None]), ranges[:1])
    assert out.errors.tolist() == [math.inf]
