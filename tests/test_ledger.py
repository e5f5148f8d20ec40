"""Awards at the threshold: the rules of the ledger against an exact restatement of them, and its promises."""

from __future__ import annotations

import json
import math
from fractions import Fraction

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import ramulus as rm
import ramulus.simulation.compiled  # Registers the rules with the compiler.
from conftest import compiled, make
from ramulus.rules import overflow
from ramulus.rules.tabulation import tabulated
from ramulus.tables import awarded as tracing

COSTS = {"values": [10, 25, 7, 60, 100]}


@compiled
def book(rule, level, xp, units):
    return overflow.book_award(rule, level, xp, units)


@compiled
def lose(rule, level, xp, units):
    return overflow.book_loss(rule, level, xp, units)


def tracks() -> st.SearchStrategy[dict]:
    overflow = st.fixed_dictionaries(
        {
            "carry": st.sampled_from([1.0, 0.0, 0.5, 0.1, 0.3]),
            "threshold": st.sampled_from(["reached", "exceeded"]),
            "level_ups_per_award": st.sampled_from(["any", "one"]),
            "whole_xp": st.booleans(),
            "at_cap": st.sampled_from(["discard", "fill", "bank"]),
        },
        optional={"carry_limit": st.sampled_from([0.0, 0.5, 1.0])},
    )
    return st.fixed_dictionaries(
        {
            "overflow": overflow,
            "may_drop_levels": st.booleans(),
            "points_per_level": st.sampled_from([0, 1, "level // 2"]),
        },
    )


def amounts(whole: bool) -> st.SearchStrategy[float]:
    return st.integers(0, 400) if whole else st.integers(0, 4000).map(lambda n: n / 10)


class OnPaper:
    """Section by section what an award does, in exact fractions; written apart from the ledger."""

    def __init__(self, costs, rules, may_drop):
        self.costs, self.rules, self.may_drop = [Fraction(str(c)) for c in costs], rules, may_drop
        self.level, self.xp, self.wasted = 1, Fraction(0), Fraction(0)
        self.cap = len(costs) + 1

    def award(self, amount):
        rules = self.rules
        if self.level < self.cap:
            self.xp += Fraction(str(amount))
            ups = 0
            while self.level < self.cap and (rules["level_ups_per_award"] == "any" or ups < 1):
                cost = self.costs[self.level - 1]
                if not (self.xp > cost if rules["threshold"] == "exceeded" else self.xp >= cost):
                    break
                excess = self.xp - cost
                kept = excess * Fraction(str(rules["carry"]))
                if "carry_limit" in rules and self.level + 1 < self.cap:
                    kept = min(kept, Fraction(str(rules["carry_limit"])) * self.costs[self.level])
                kept = Fraction(math.floor(kept) if rules["whole_xp"] else Fraction(math.floor(kept * 10**6), 10**6))
                self.wasted += excess - kept
                self.xp, self.level, ups = kept, self.level + 1, ups + 1
        else:
            self.xp += Fraction(str(amount))
        if self.level == self.cap:
            room = {"discard": Fraction(0), "fill": self.costs[-1], "bank": self.xp}[rules["at_cap"]]
            self.wasted += max(self.xp - room, 0)
            self.xp = min(self.xp, room)

    def lose(self, amount):
        left = Fraction(str(amount))
        while True:
            taken = min(left, self.xp)
            self.xp, left = self.xp - taken, left - taken
            if not left or not self.may_drop or self.level == 1:
                return
            self.level -= 1
            self.xp = self.costs[self.level - 1]


@settings(max_examples=300, deadline=None)
@given(tracks(), st.data())
def test_awards_and_losses_are_what_the_rules_say_on_paper(track, data):
    ledger = rm.Ledger(make(COSTS, 6, track))
    paper = OnPaper(COSTS["values"], track["overflow"], track["may_drop_levels"])
    whole = track["overflow"]["whole_xp"]
    for _ in range(data.draw(st.integers(1, 14))):
        amount = data.draw(amounts(whole))
        before = ledger.level
        if data.draw(st.booleans()) or data.draw(st.booleans()):
            outcome = ledger.award(amount)
            paper.award(amount)
            assert before <= ledger.level <= 6
            assert outcome.levels_gained == ledger.level - before
        else:
            ledger.lose(amount)
            paper.lose(amount)
            assert 1 <= ledger.level <= before
        assert (ledger.level, Fraction(str(ledger.xp)), Fraction(str(ledger.wasted))) == (
            paper.level,
            paper.xp,
            paper.wasted,
        )
        parts = [ledger.baseline, ledger.earned, -ledger.lost, -ledger.costs_paid, -ledger.xp, -ledger.wasted]
        assert sum(Fraction(str(part)) for part in parts) == 0
        again = rm.Ledger.from_dict(make(COSTS, 6, track), json.loads(json.dumps(ledger.to_dict())))
        assert again == ledger
        assert again.award(33).as_dict() | {"cost": 0} == rm.Ledger.from_dict(
            make(COSTS, 6, track), ledger.to_dict()
        ).award(33).as_dict() | {"cost": 0}


@settings(max_examples=100, deadline=None)
@given(tracks(), st.lists(st.integers(0, 300), min_size=1, max_size=30))
def test_the_compiled_rule_books_as_the_ledger_does(track, awards):
    design = make(COSTS, 6, track)
    scale = 1 if track["overflow"]["whole_xp"] else 10
    values = [amount / scale for amount in awards]
    ledger = rm.Ledger(design)
    by_ledger = pd.DataFrame([ledger.award(value).as_dict() for value in values])
    with pytest.MonkeyPatch.context() as patch:
        for compiled_from in (10**9, 1):
            patch.setattr(tracing, "COMPILED_FROM", compiled_from)
            table = rm.trace(design, values)
            for column in by_ledger:
                pd.testing.assert_series_equal(table[column], by_ledger[column], check_dtype=False, rtol=1e-15)


@settings(max_examples=200, deadline=None)
@given(tracks(), st.integers(0, 5), st.integers(0, 10**9), st.integers(0, 10**9))
def test_the_rule_is_the_same_compiled_and_interpreted(track, level, xp, units):
    rule = tabulated(make(COSTS, 6, track)).main.overflow
    compiled = rule._replace(costs=np.array(rule.costs, np.int64))
    assert book(compiled, level, xp, units) == overflow.book_award(rule, level, xp, units)
    assert lose(compiled, level, xp, units) == overflow.book_loss(rule, level, xp, units)


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.tuples(st.integers(0, 90), st.integers(0, 90)), max_size=12),
    st.sampled_from(["fill", "bank", "discard"]),
)
def test_splitting_an_award_changes_nothing_when_all_is_carried(pairs, at_cap):
    design = make(COSTS, 6, {"overflow": {"at_cap": at_cap}})
    together, apart = rm.Ledger(design), rm.Ledger(design)
    for a, b in pairs:
        together.award(a + b)
        apart.award(a)
        apart.award(b)
        assert together == apart


@pytest.mark.parametrize(
    ("overflow", "awards", "state"),
    [
        ({}, [9], (1, 9, 0, "Level 1 · 9 / 10")),
        ({}, [10], (2, 0, 0, "Level 2 · 0 / 25")),
        ({"threshold": "exceeded"}, [10], (1, 10, 0, "Level 1 · 10 / 10")),
        ({"threshold": "exceeded"}, [11], (2, 1, 0, "Level 2 · 1 / 25")),
        ({}, [45], (4, 3, 0, "Level 4 · 3 / 60")),  # 10 + 25 + 7 + 3
        ({"carry": 0}, [45], (2, 0, 35, "Level 2 · 0 / 25")),
        ({"carry": 0.5}, [45], (2, 17, 18, "Level 2 · 17 / 25")),  # half of 35, rounded down
        ({"carry_limit": 0.2}, [45], (2, 5, 30, "Level 2 · 5 / 25")),  # a fifth of the next 25
        ({"level_ups_per_award": "one"}, [45], (2, 35, 0, "Level 2 · 35 / 25 (10 waiting)")),
        ({"level_ups_per_award": "one"}, [45, 0], (3, 10, 0, "Level 3 · 10 / 7 (3 waiting)")),
        ({"at_cap": "discard"}, [210], (6, 0, 8, "Level 6 · cap")),
        ({"at_cap": "fill"}, [210, 40, 90], (6, 100, 38, "Level 6 · cap · 100 / 100")),
        ({"at_cap": "bank"}, [210, 1000], (6, 1008, 0, "Level 6 · cap · 1,008 banked")),
    ],
)
def test_thresholds_by_hand(overflow, awards, state):
    ledger = rm.Ledger(make(COSTS, 6, {"overflow": overflow}))
    for amount in awards:
        ledger.award(amount)
    assert (ledger.level, ledger.xp, ledger.wasted, ledger.label) == state
    cost = [*COSTS["values"], 100][ledger.level - 1]
    full = ledger.level == 6 and overflow.get("at_cap") == "discard"
    assert ledger.progress == (1 if full else min(ledger.xp / cost, 1))


def test_whole_and_fractional_xp_stay_exact():
    large = rm.Ledger(make({"values": [2**52, 2**52 - 1]}, 3))
    large.award(2**52 - 1)
    assert (large.level, large.xp, large.label) == (1, 2**52 - 1, f"Level 1 · {2**52 - 1:,} / {2**52:,}")
    large.award(1)
    assert (large.level, large.xp) == (2, 0)
    small = rm.Ledger(make({"values": [7, 100]}, 3, {"overflow": {"whole_xp": False}}))
    labels = [small.award(0.7).label for _ in range(10)]
    assert labels[-2:] == ["Level 1 · 6.3 / 7", "Level 2 · 0 / 100"]
    for _ in range(999):
        small.award(0.1)
    assert small.label == "Level 2 · 99.9 / 100"
    assert small.award(0.1).level == 3


@pytest.mark.parametrize("amount", [-1, -0.5, math.nan, math.inf, "ten", None, True, [1], 10**400 * -1])
def test_a_faulty_award_is_one_error_and_changes_nothing(amount):
    ledger = rm.Ledger(make(COSTS))
    ledger.award(12)
    before = ledger.to_dict()
    for call in (ledger.award, ledger.lose, ledger.grant_points, ledger.spend):
        with pytest.raises(rm.AwardError, match="0 or more"):
            call(amount)
    assert ledger.to_dict() == before


def test_points_are_granted_once_a_level_and_spent():
    ledger = rm.Ledger(make(COSTS, 6, {"points_per_level": "level", "start_points": 3, "may_drop_levels": True}))
    assert ledger.points == 3
    ledger.award(40)  # levels 2 and 3
    assert ledger.points == 3 + 2 + 3
    ledger.lose(31)
    assert (ledger.level, ledger.xp) == (1, 9)
    ledger.award(30)
    assert ledger.level == 3
    assert ledger.points == 8  # a level won back grants none again
    assert ledger.spend(5) == 3
    with pytest.raises(rm.AwardError, match="a payment of 5 points, and there are 3"):
        ledger.spend(5)
    assert ledger.grant_points(1.5) == 4.5


def test_listeners_hear_what_happened_in_order_and_nothing_at_the_start():
    design = make(COSTS, 6, {"may_drop_levels": True})
    heard: list[tuple] = []

    def first(_, event):
        heard.append(("first", *event))

    def second(_, event):
        heard.append(("second", *event))

    ledger = rm.Ledger(design, level=2, xp=20)
    for event in ("level_up", "reached_cap", "wasted", "lost_level"):
        ledger.subscribe(event, first)
    ledger.subscribe("level_up", second)
    assert heard == []
    ledger.award(4)
    assert heard == []
    ledger.award(10)
    assert heard == [
        ("first", "level_up", 3, 0),
        ("second", "level_up", 3, 0),
        ("first", "level_up", 4, 0),
        ("second", "level_up", 4, 0),
    ]
    heard.clear()
    ledger.unsubscribe("level_up", second)
    ledger.award(200)
    assert heard == [
        ("first", "level_up", 5, 0),
        ("first", "level_up", 6, 0),
        ("first", "reached_cap", 6, 0),
        ("first", "wasted", 6, 42),
    ]
    heard.clear()
    ledger.award(3)  # Who stands at the cap does not reach it again.
    assert heard == [("first", "wasted", 6, 3)]
    heard.clear()
    ledger.lose(120)
    assert heard == [("first", "lost_level", 5, 0), ("first", "lost_level", 4, 0)]
    with pytest.raises(rm.UnknownNameError, match="did you mean 'level_up'"):
        ledger.subscribe("levelup", first)
    with pytest.raises(rm.AwardError, match="does not listen"):
        ledger.unsubscribe("level_up", second)


def test_a_listener_that_raises_leaves_the_ledger_whole():
    ledger, twin = rm.Ledger(make(COSTS)), rm.Ledger(make(COSTS))
    heard = []

    def broken(*_):
        raise RuntimeError("mine")

    ledger.subscribe("level_up", broken)
    ledger.subscribe("level_up", lambda _, event: heard.append(event.level))
    with pytest.raises(RuntimeError, match="mine"):
        ledger.award(15)
    with pytest.raises(ExceptionGroup):
        ledger.award(30)
    twin.award(15)
    twin.award(30)
    assert heard == [2, 3, 4]
    assert ledger == twin


def test_a_save_of_another_design_or_a_damaged_one_says_so():
    ledger = rm.Ledger(make(COSTS))
    ledger.award(30)
    saved = ledger.to_dict()
    for other in (make({"values": [10, 25, 7, 60, 101]}), make(COSTS, 6, {"overflow": {"carry": 0.5}})):
        with pytest.raises(rm.SavedLedgerError, match="another design"):
            rm.Ledger.from_dict(other, saved)
    # 30 XP of costs 10, 25 …: level 2 with 20 XP. Ten more would have paid for level 2 long ago.
    more = {"xp": saved["xp"] + 10, "earned": saved["earned"] + 10}
    assert rm.Ledger.from_dict(make(COSTS), {**saved, "xp": saved["xp"] + 1, "earned": saved["earned"] + 1}).xp == 21
    for broken in (
        more,
        {"level": 99},
        {
            "level": 0,
            "xp": 0,
            "earned": 102,
        },  # It balances only where a level below the first has all costs but the last.
        {"xp": -1},
        {"xp": 1000},
        {"earned": "many"},
        {"track": "nobody"},
        {"format": 9},
    ):
        with pytest.raises(rm.SavedLedgerError):
            rm.Ledger.from_dict(make(COSTS), {**saved, **broken})
    with pytest.raises(rm.SavedLedgerError):
        rm.Ledger.from_dict(make(COSTS), {})


JUNK = st.sampled_from([None, -1, 0, 1e300, math.nan, math.inf, "x", [], {}, 10**5000, True, 3.7, 2**70, 3])


@given(st.dictionaries(st.sampled_from(sorted(rm.Ledger(make(COSTS)).to_dict())), JUNK, min_size=1, max_size=3))
def test_whatever_stands_in_a_save_is_a_ledger_or_a_clear_error(changes):
    ledger = rm.Ledger(make(COSTS))
    ledger.award(30)
    try:
        again = rm.Ledger.from_dict(make(COSTS), {**ledger.to_dict(), **changes})
    except rm.SavedLedgerError as error:
        assert len(str(error)) < 400
        return
    # What is taken is a state that awards can lead to.
    assert again.level == again.max_level or again.xp < again.cost
    assert again.award(5).earned == again.earned


def test_no_award_can_climb_for_ever():
    for cost in ({"formula": "0 * level"}, {"formula": "1e-9", "rounding": "none"}, {"values": [0, 0, 0, 0, 0]}):
        try:
            ledger = rm.Ledger(make(cost))
        except rm.DesignError:
            continue
        assert ledger.award(10**15).level == 6


def test_starting_elsewhere():
    ledger = rm.Ledger(make(COSTS), level=3, xp=6)
    assert (ledger.level, ledger.xp, ledger.earned) == (3, 6, 0)
    for level, xp in ((7, 0), (0, 0), (3, 7)):
        with pytest.raises(rm.AwardError):
            rm.Ledger(make(COSTS), level=level, xp=xp)


def test_a_traces_columns_do_not_hang_on_its_length():
    design = rm.demo_design()
    awards = np.random.default_rng(3).integers(0, 40, tracing.COMPILED_FROM + 1)
    large, small = rm.trace(design, awards), rm.trace(design, awards[:500].tolist())
    pd.testing.assert_frame_equal(large[:500], small, check_dtype=False)
    assert (large.dtypes == rm.trace(design, awards[:-2]).dtypes).all()
    assert large["xp"].dtype == small["xp"].dtype == np.int64
    with pytest.raises(rm.AwardError, match="award 3"):
        rm.trace(design, [1, 2, -3])
    place = tracing.COMPILED_FROM - 1
    with pytest.raises(rm.AwardError, match=f"award {place + 1}:"):
        rm.trace(design, np.where(np.arange(len(awards)) == place, np.nan, awards))


def test_a_trace_of_any_size_is_exact():
    design = make({"values": [10, 20, 30, 40]}, 5, {"overflow": {"at_cap": "bank"}})
    for amount, times in ((10**9, 20_001), (10**13, 20_001), (10**30, 3)):
        last = rm.trace(design, [amount] * times).iloc[-1]
        assert (last["level"], last["earned"], last["xp"]) == (5, amount * times, amount * times - 100)


def test_the_same_awards_under_other_rules():
    table = rm.compare_rules(make(COSTS), [45, 20], {"carry=0": {"carry": 0}, "drop": {"may_drop_levels": True}})
    assert table["level (now)"].tolist() == [4, 4]
    assert table["level (carry=0)"].tolist() == [2, 2]
    assert table["wasted (carry=0)"].tolist() == [35, 0]
    assert table["xp (drop)"].tolist() == [3, 23]


def test_units_leave_room_for_every_total():
    parts = {"awards": {"rounding": "none"}}
    for top, units in ((100, 10**6), (10**12, 10**3), (10**14, 10), (2**53, 1)):
        assert tabulated(make({"values": [top]}, 2, **parts)).main.scale == units


@pytest.mark.parametrize(
    ("track", "more", "units"),
    [
        ({}, {}, 1),
        ({"start_xp": 2.5}, {}, 10),
        ({"cost": {"values": [10, 20.25], "rounding": "none"}}, {}, 100),
        ({}, {"awards": {"least_award": 0.125}}, 1000),
        ({}, {"awards": {"rounding": "none"}}, 10**6),
        ({"overflow": {"carry": 0.5}}, {}, 1),
        ({"overflow": {"whole_xp": False}}, {"sources": {"a": {"level": 1, "xp": 3, "seconds": 1}}}, 1),
        ({"overflow": {"whole_xp": False, "carry": 0.5}}, {"sources": {"a": {"level": 1, "xp": 3, "seconds": 1}}}, 10**6),
        ({}, {"players": {"p": {"start_xp": 0.5}}}, 10),
    ],
)  # fmt: skip
def test_the_unit_is_the_coarsest_that_writes_every_amount(track, more, units):
    design = make({"values": [10, 20]}, 3, track, **more)
    assert tabulated(design).main.scale == units
    ledger = rm.Ledger(design)
    if units < 10**6:
        state = ledger.to_dict()
        with pytest.raises(rm.AwardError, match="counts in"):
            ledger.award(1 / (2 * units))
        assert ledger.to_dict() == state


def test_a_share_is_the_decimal_that_is_written():
    for excess in range(200):
        for carry in (0.29, 0.57, 0.07, 0.999999999, 1 / 3):
            ledger = rm.Ledger(make({"values": [100, 1000]}, 3, {"overflow": {"carry": carry}}))
            ledger.award(100 + excess)
            assert ledger.xp == math.floor(excess * Fraction(round(Fraction(str(carry)) * 10**9), 10**9))
    limited = rm.Ledger(make({"values": [10, 100, 100]}, 4, {"overflow": {"carry_limit": 0.29}}))
    limited.award(99)
    assert (limited.level, limited.xp) == (2, 29)
