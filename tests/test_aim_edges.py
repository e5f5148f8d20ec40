"""What `tune` brings to the wish where too few get there, and how sure numbers are between uneven bounds."""

from __future__ import annotations

import math

import numpy as np
import pytest

import ramulus as rm
from conftest import make
from ramulus.tuning.aims import aims_of
from ramulus.tuning.certainty import Certainty
from ramulus.tuning.ranges import ranges_of
from test_aims import PLAIN, aims, fit_of, normal


def test_a_share_that_may_be_missed_by_some_is_wished_for_so_much_less():
    goal = {"player": "quick", "level": 4, "by_hours": 50, "reached": 0.8, "tolerance": 0.25}
    design = make({"values": [10, 20, 30]}, 4, goals=[goal], **{**PLAIN, "encounter": {"variation": 0.5}})
    result = rm.simulate(design, {"quick": 20}, 90, keep_players=True)
    (aim,) = aims_of(design.goals[0], result)
    assert aim.value == pytest.approx(math.log(np.sort(result.arrivals("quick")[:, 3])[11]))  # Three in five.


def test_levels_that_nobody_finished_are_far_and_the_farther_the_later():
    """Slow ones take 2, 4 and 6 h; at 3 h nothing of level 2 is there."""
    found = aims({"player": "slow", "longest_level_hours": 5}, hours=3.0)
    assert [aim.reached for aim in found] == [True, False, False]
    assert [math.exp(aim.value) for aim in found] == pytest.approx([2, 3 + 4, 3 + 4 + 6])


@pytest.mark.parametrize(
    ("goal", "hours", "parts", "expected"),
    [
        # An hour, two and three an award: 1 + 2 · 2 + 3 · 3.
        ({"level": 4}, 0.5, {"sources": {"blight": {"level": 1, "xp": 10, "seconds": "3600 * level"}}}, 0.5 + 14),
        # Level 2 is reached at 1 h and half of it is there at 2 h; level 4 is of no concern.
        ({"level": 3}, 2, {}, 3),
        # Four in five pay 10, 20, 30 XP and a failure takes 10: a quarter, an eighth and a twelfth of what is won.
        (
            {"level": 4}, 0.5,
            {"sources": {"blight": {"level": 1, "xp": "10 * level", "seconds": 3600}},
             "encounter": {"success": 0.8, "failure": {"loss": "10 / (10 * level)"}}},
            0.5 + 1.25 * (4 / 3 + 8 / 7 + 12 / 11),
        ),
        # Of 13 in 25 failures take 12/13: past nine tenths, by what is left of the last.
        (
            {"level": 4}, 0.5, {"encounter": {"success": 0.52, "failure": {"loss": "10 / (10 * level)"}}},
            0.5 + 6 / 0.52 * math.exp((12 / 13 - 0.9) / 0.1) / 0.1,
        ),
    ],
)  # fmt: skip
def test_the_rest_of_the_way_by_hand(goal, hours, parts, expected):
    (aim,) = aims({"player": "quick", "hours": 4, **goal}, hours=hours, **parts)
    assert not aim.reached and math.exp(aim.value) == pytest.approx(expected)


def test_waste_hangs_on_what_each_player_earned():
    """Who earned more wasted more: an error that took no account of it would be twice as wide."""
    sources = {"blight": {"level": 1, "xp": 15, "seconds": "60 * pace"}}
    goal = {"player": "quick", "wasted": 0.2}
    design = make(
        {"formula": "20"}, 900, {"overflow": {"carry": 0.0}}, goals=[goal],
        sources=sources, encounter={"variation": 0.5}, players={"quick": {"traits": {"pace": 1}, "spread": 0.6}},
    )  # fmt: skip
    result = rm.simulate(design, 400, 2, keep_players=True)
    (aim,), each = aims_of(design.goals[0], result), result.played.profiles["quick"].each
    ratio = each.wasted.sum() / each.earned.sum()
    error = np.std(each.wasted - ratio * each.earned) / each.earned.mean() / 20
    assert aim.value == pytest.approx(ratio) and error < 0.5 * np.std(each.wasted) / each.earned.mean() / 20
    assert aim.found.again.std() == pytest.approx(error, rel=0.25)


@pytest.mark.parametrize(("value", "bound"), [(1000, "low"), (1005, ""), (1010, "high")])
def test_what_stands_at_a_bound_stands_there_by_the_way_between_the_bounds(value, bound):
    design = make({"formula": "dear * level"}, 4, constants={"dear": 1004}, **PLAIN,
                  goals=[{"player": "quick", "level": 4, "hours": 6}])  # fmt: skip
    narrow = ranges_of(design, {"dear": (1000, 1010)}, [])
    assert Certainty(fit_of([value], [0.0], [[1.0]], normal(1)), narrow).at_bound == [bound]


@pytest.mark.parametrize(("error", "determined"), [(0.00095, True), (0.00105, False)])
def test_nothing_between_uneven_bounds_is_known_by_a_tenth_of_the_way(error, determined):
    """From -3 to 4.5 a coordinate is 7.5, and a tenth of it stands for a number that is 0."""
    design = make({"formula": "10 + dear"}, 4, constants={"dear": 1}, **PLAIN,
                  goals=[{"player": "quick", "level": 4, "hours": 6}])  # fmt: skip
    uneven = ranges_of(design, {"dear": (-3, 4.5)}, [])
    assert Certainty(fit_of([0.0], [0.0], [[1.0]], error * normal(1)), uneven).determined == [determined]
