"""Multipliers, windows and parties, each against hand arithmetic."""

from __future__ import annotations

import random

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import ramulus as rm
from conftest import make
from ramulus.rules.multipliers import links, product_of
from ramulus.rules.schedule import days_reached, schedules_of
from ramulus.rules.windows import timeline
from slow import SlowParty, party_design

SOURCE = {"borer": {"level": 11, "xp": 250, "seconds": 60, "tags": ["blight"]}}


def scaled(*rules, sources=None, **parts):
    return make({"formula": "1000"}, 30, sources=sources or SOURCE, multipliers=list(rules), **parts)


def factor_at(design, level, **options):
    table = rm.gain_table(design, **options).set_index("level")
    return table.loc[level, "factor"]


def test_the_scale_by_level_gap_at_every_gap():
    design = scaled({"name": "outgrown", "factor": "clip(1 - 0.08 * gap, 0.04, 1)"})
    table = rm.gain_table(design).set_index("level")
    by_hand = dict.fromkeys(range(-10, 1), 1.0)
    by_hand |= {
        1: 0.92,
        2: 0.84,
        3: 0.76,
        4: 0.68,
        5: 0.6,
        6: 0.52,
        7: 0.44,
        8: 0.36,
        9: 0.28,
        10: 0.2,
        11: 0.12,
        12: 0.04,
        13: 0.04,
        14: 0.04,
        15: 0.04,
    }
    for gap, factor in by_hand.items():
        assert table.loc[11 + gap, "factor"] == pytest.approx(factor), gap
        # 250 × factor is whole but for float64 at some gaps, where rounding down takes the float as it is.
        assert table.loc[11 + gap, "award"] == np.floor(250 * table.loc[11 + gap, "factor"])
    assert str(rm.trace_source(design, "borer", 1, level=14)[1][0]) == "base 250 × outgrown 0.76 = 190"


@pytest.mark.parametrize(
    ("level", "factor"), [(1, 5), (8, 5), (9, 2.5), (14, 2.5), (15, 1.4), (19, 1.4), (20, 1), (30, 1)]
)
def test_bands_exactly_at_their_borders(level, factor):
    bands = {"name": "catch-up", "against": "level / 20", "bands": [[0.4, 5.0], [0.7, 2.5], [0.95, 1.4]]}
    assert factor_at(scaled(bands), level) == factor


def test_the_three_ways_to_stack():
    def rules(*ways):
        factors = (1.5, 1.2, 0.5, 2.0)
        return scaled(
            *({"name": str(i), "factor": f, "stack": w} for i, (f, w) in enumerate(zip(factors, ways, strict=True)))
        )

    for ways, product in (
        (("multiply",) * 4, 1.8),
        (("add",) * 4, 1 + 0.5 + 0.2 - 0.5 + 1.0),
        (("best",) * 4, 2.0),
        (("multiply", "add", "add", "best"), 1.5 * 0.7 * 2.0),
        (("best", "multiply", "best", "multiply"), 1.5 * 1.2 * 2.0),
    ):
        assert factor_at(rules(*ways), 5) == pytest.approx(product), ways
    only_low = scaled(
        {"name": "a", "factor": 0.5, "stack": "best"}, {"name": "b", "factor": 9, "stack": "best", "from_level": 20}
    )
    assert factor_at(only_low, 5) == 0.5
    assert factor_at(only_low, 20) == 9
    with pytest.raises(rm.DesignError, match="add up to a factor of -0.2"):
        factor_at(scaled({"name": "a", "factor": 0.3, "stack": "add"}, {"name": "b", "factor": 0.5, "stack": "add"}), 5)


def test_where_a_rule_applies():
    sources = {**SOURCE, "errand": {"level": 5, "xp": 10, "seconds": 1}}
    players = {"newcomer": {}, "adept": {}}
    for where, cells in (
        ({"tags": ["blight"]}, {("newcomer", "borer"), ("adept", "borer")}),
        ({"sources": ["errand"], "players": ["adept"]}, {("adept", "errand")}),
        ({"tracks": ["warden"]}, {(p, s) for p in players for s in sources}),
        ({"from_level": 3, "to_level": 3}, {(p, s) for p in players for s in sources}),
    ):
        table = rm.gain_table(scaled({"name": "x", "factor": 2, **where}, sources=sources, players=players))
        hit = table[table["factor"] == 2]
        assert set(zip(hit["player"], hit["source"], strict=True)) == cells
        assert "from_level" not in where or hit["level"].unique().tolist() == [3]
    with pytest.raises(rm.DesignError, match="no tag is called 'blihgt'.*did you mean 'blight'"):
        scaled({"name": "x", "factor": 2, "tags": ["blihgt"]})


@pytest.mark.parametrize(
    ("awards", "level", "award"),
    [
        ({}, 14, 189),
        ({"rounding": "nearest"}, 14, 190),
        ({"rounding": "up"}, 14, 190),
        ({"rounding": "none"}, 14, 189.75),
        ({"least_award": 200}, 14, 200),
    ],
)
def test_rounding_and_the_least_award(awards, level, award):
    design = scaled({"name": "outgrown", "factor": 0.759}, awards=awards)
    assert rm.gain_table(design).set_index("level").loc[level, "award"] == award


def test_a_factor_below_zero_is_an_error_with_its_level():
    with pytest.raises(rm.DesignError, match=r"multipliers\[0\].factor: 'x' is -0.1 at level 12"):
        factor_at(scaled({"name": "x", "factor": "1 - 1.1 * gap"}), 5)


# --- windows ---------------------------------------------------------------------------------------------------


def window(player, hours=200.0, number=0, calendar=None, **rule):
    parts = {"calendar": calendar} if calendar else {}
    design = scaled({"name": "w", "factor": 2, **rule}, players={"p": player}, **parts)
    when = timeline(design, design.players["p"], hours)
    return lambda seconds: 0 in when.rules_on(seconds, number)


def test_windows_at_their_first_and_last_minute():
    # 0.8 h a day, 4 days a week: days 1 2 3 4, 8 9 10 11, 15 … Day 15 is play day 8, day 18 play day 11.
    player = {"hours_per_day": 0.8, "plays_on": ["mon", "tue", "wed", "thu"]}
    on = window(player, from_day=15, to_day=21)
    day = 0.8 * 3600
    assert [on(8 * day - 60), on(8 * day - 1e-6), on(8 * day), on(8 * day + 60)] == [False, False, True, True]
    assert [on(12 * day - 60), on(12 * day - 1e-6), on(12 * day)] == [True, True, False]
    # From a day without play, the next played one counts.
    assert [window(player, from_day=5)(4 * day - 1), window(player, from_day=5)(4 * day)] == [False, True]
    assert [window(player, to_day=6)(4 * day - 1), window(player, to_day=6)(4 * day)] == [True, False]
    first = window(player, first_minutes_of_day=10)
    assert [first(0), first(599.999), first(600), first(3 * day - 0.001), first(3 * day), first(3 * day + 600)] == [
        True,
        True,
        False,
        False,
        True,
        False,
    ]
    assert window(player, hours=1, from_day=5)(1e12)  # One without an end has none, however short the run.
    both = window(player, first_minutes_of_day=10, from_day=2, to_day=2)
    assert [both(0), both(day), both(day + 599), both(day + 600), both(2 * day)] == [False, True, True, False, False]
    assert not window({}, from_day=1)(0)  # no schedule, no days


def test_a_rule_that_goes_on_and_off_too_often_says_so():
    design = scaled({"name": "w", "factor": 2, "first_minutes_of_day": 0.003}, players={"p": {"hours_per_day": 0.0001}})
    assert len(timeline(design, design.players["p"], 99).borders) == 2 * 990_002
    with pytest.raises(rm.DesignError, match=r"multipliers\[0\].first_minutes_of_day: .* 1,100,002 times within 110 h"):
        timeline(design, design.players["p"], 110)


WEEKDAYS = ["mon", "tue", "wed", "thu", "fri", "sat", "sun"]


def plays(player, number, starts_on, calendar):
    """Whether a player plays on a calendar day, from the rules: spread evenly, shifted by a day for each next player."""
    weekday = (calendar - 1 + WEEKDAYS.index(starts_on)) % 7
    if "plays_on" in player:
        return WEEKDAYS[weekday] in player["plays_on"]
    count = player.get("days_per_week", 7)
    since_day_one = (calendar - 1) % 7
    return since_day_one in {(7 * k // count + number % 7) % 7 for k in range(count)}


PLAYERS = st.fixed_dictionaries(
    {"hours_per_day": st.sampled_from([0.1, 0.7, 0.8, 1.2, 2.5, 24])},
    optional={"days_per_week": st.integers(1, 7)},
) | st.fixed_dictionaries(
    {"hours_per_day": st.just(1.13), "plays_on": st.lists(st.sampled_from(WEEKDAYS), min_size=1, unique=True)}
)


@settings(deadline=None)
@given(PLAYERS, st.integers(0, 300), st.sampled_from(WEEKDAYS), st.integers(0, 700))
def test_calendar_days_are_exact_at_the_borders(player, number, starts_on, play_day):
    design = scaled(players={"p": player}, calendar={"starts_on": starts_on})
    schedules = schedules_of(design, design.players["p"])
    # The play_day-th day of play, by walking through the calendar.
    day, left = 0, play_day
    while left >= 0:
        day += 1
        left -= plays(player, number, starts_on, day)
    border = round(player["hours_per_day"] * 3600 * 1e6) * play_day / 1e6
    seconds = np.array([[border, border + 60, border + player["hours_per_day"] * 3600 - 1]])
    assert days_reached(seconds, np.array([number]), schedules).tolist() == [[day] * 3]
    schedule = schedules[number % len(schedules)]
    assert schedule.first_play_day(day) == play_day
    assert schedule.weekdays(np.array([day])).tolist() == [(day - 1 + WEEKDAYS.index(starts_on)) % 7]


@settings(deadline=None)
@given(
    PLAYERS, st.sampled_from([0, 14, 15, 47, 104]), st.sampled_from(WEEKDAYS),
    st.fixed_dictionaries({}, optional={
        "weekdays": st.lists(st.sampled_from(WEEKDAYS), min_size=1, unique=True),
        "from_day": st.integers(1, 30), "first_minutes_of_day": st.sampled_from([5, 30]),
    }),
    st.integers(0, 30),
)  # fmt: skip
def test_windows_against_a_calendar_on_paper(player, number, starts_on, rule, length):
    if "from_day" in rule:
        rule["to_day"] = rule["from_day"] + length
    on = window(player, 2000, number, {"starts_on": starts_on}, **rule, **({} if rule else {"to_day": 9}))
    played, day_seconds, day = 0.0, player["hours_per_day"] * 3600, 0
    while day < 45:
        day += 1
        if not plays(player, number, starts_on, day):
            continue
        weekday = WEEKDAYS[(day - 1 + WEEKDAYS.index(starts_on)) % 7]
        within = rule.get("from_day", 1) <= day <= rule.get("to_day", 9 if not rule else 10**9)
        within &= weekday in rule.get("weekdays", WEEKDAYS)
        for minute in (0.5, 4.5, 5.5, 29.5, 40):
            if minute * 60 < day_seconds:
                early = minute < rule.get("first_minutes_of_day", 1e9)
                assert on(played + minute * 60) == (within and early), (day, minute)
        played += day_seconds


def test_players_of_a_kind_share_no_weekday():
    design = scaled(players={"p": {"hours_per_day": 1, "days_per_week": 3}})
    first = days_reached(np.zeros((105, 1)), np.arange(105), schedules_of(design, design.players["p"]))[:, 0]
    # So 0 2 4, then 1 3 5, 2 4 6, 3 5 0, 4 6 1, 5 0 2 and 6 1 3.
    assert first[::15].tolist() == [1, 2, 3, 1, 2, 1, 2]
    for player in ({"days_per_week": 3, "plays_on": ["mon"]}, {"plays_on": ["mon"]}, {"hours_per_day": 1, "plays_on": []},
                   {"hours_per_day": 1, "plays_on": ["mon", "mon"]}, {"hours_per_day": 1, "plays_on": ["monday"]}):  # fmt: skip
        with pytest.raises(rm.DesignError, match="players.p"):
            make(players={"p": player})


def test_an_award_belongs_to_the_second_at_which_its_encounter_ends():
    # Encounters end at 60 s, 120 s …; the first 2 minutes of the day pay double, so the award at 120 s is single.
    design = make(
        {"formula": "100"},
        3,
        sources={"a": {"level": 1, "xp": 10, "seconds": 60}},
        players={"p": {"hours_per_day": 1}},
        multipliers=[{"name": "early", "factor": 2, "first_minutes_of_day": 2}],
    )
    result = rm.simulate(design, players=1)
    assert result.profile().main.encounters.values[0].tolist() == [0, 9, 19]  # 20 + 8 × 10 = 100, then 10 × 10
    assert rm.gain_table(design, during=["early"])["award"].tolist() == [20, 20, 20]
    with pytest.raises(rm.UnknownNameError, match="did you mean 'early'"):
        rm.gain_table(design, during=["earli"])


# --- parties ---------------------------------------------------------------------------------------------------


def party_of_four(**party):
    """Levels 8, 6, 3 and 2 of a track where each level costs 100; every encounter awards 60 before catch-up."""
    starts = {"wren": 8, "lark": 6, "finch": 3, "tit": 2}
    return make(
        {"formula": "100"},
        20,
        sources={"a": {"level": 1, "xp": 60, "seconds": 36}},
        players={"p": {}},
        multipliers=[
            {"name": "catch-up", "against": "level / leader_level", "bands": [[0.3, 9], [0.5, 4], [0.9, 1.5]]}
        ],
        party={"members": {name: {"player": "p", "start_level": level} for name, level in starts.items()}, **party},
    )


def states(run, encounter):
    rows = run.awards().query(f"encounter == {encounter}").set_index("member").loc[["wren", "lark", "finch", "tit"]]
    return list(zip(rows["level"], rows["xp"], strict=True))


def test_a_party_of_four_by_hand():
    run = rm.play_party(party_of_four(), 3)
    assert states(run, 0) == [(8, 0), (6, 0), (3, 0), (2, 0)]
    # 1: leader 8; lark 0.75 → 90; finch 0.375 → 240; tit 0.25 → 540.
    assert states(run, 1) == [(8, 60), (6, 90), (5, 40), (7, 40)]
    # 2: lark 90 more; finch 5/8 = 0.625 → 90; tit 7/8 → 90.
    assert states(run, 2) == [(9, 20), (7, 80), (6, 30), (8, 30)]
    # 3: leader 9: lark 7/9 → 90; finch 6/9 → 90; tit 8/9 = 0.89 → 90.
    assert states(run, 3) == [(9, 80), (8, 70), (7, 20), (9, 20)]
    assert run.awards()["hours"].max() == pytest.approx(3 * 36 / 3600)
    assert run.overtakings() == []


def test_held_below_the_leader_by_hand():
    strong = party_of_four().with_values({"multipliers.catch-up.bands": [[0.3, 12], [0.5, 11], [0.9, 10]]})
    free = rm.play_party(strong, 1)
    # lark 6 + 600 → level 12; finch 3 + 660 → 9 and 60; tit 2 + 720 → 9 and 20; all past the leader at 8 and 60.
    assert states(free, 1) == [(8, 60), (12, 0), (9, 60), (9, 20)]
    assert {name for name, *_ in free.overtakings()} == {"lark", "finch", "tit"}
    held = rm.play_party(strong.with_values({"party.hold_below_leader": True}), 3)
    assert states(held, 1) == [(8, 60)] * 4
    assert held.awards().query("encounter == 1 and member == 'finch'")["cut"].tolist() == [660 - 560]
    assert states(held, 2) == [(9, 20)] * 4  # nobody is boosted any more, all get 60
    assert states(held, 3) == [(9, 80)] * 4
    assert held.overtakings() == []
    # Split in four: 15 each, boosted 150, 165 and 180; tit may have 180 and lark is not yet in the way.
    split = rm.play_party(strong.with_values({"party.hold_below_leader": True, "party.share": "split"}), 3)
    assert states(split, 1) == [(8, 15), (7, 50), (4, 65), (3, 80)]
    assert states(split, 2) == [(8, 30), (8, 30), (6, 30), (5, 45)]  # lark 7/8 → 150, cut to 80; 4/8 and 3/8 → 165
    assert states(split, 3) == [(8, 45), (8, 45), (7, 80), (6, 95)]  # 6/8 and 5/8 → 150
    assert held.caught_up()["even_after"].tolist() == [1] * held.parties


def test_splitting_and_a_named_leader():
    split = rm.play_party(party_of_four(share="split"), 1)
    assert states(split, 1) == [(8, 15), (6, 22), (3, 60), (3, 35)]  # 15, ⌊22.5⌋, 60, 135
    # Two more: 15 each, lark × 1.5 = 22; finch 3/8 → 60, then 4/8 = 0.5 → 60; tit 3/8 → 60, then 3/8 → 60.
    split = rm.play_party(party_of_four(share="split"), 3)
    assert states(split, 2) == [(8, 30), (6, 44), (4, 20), (3, 95)]
    assert states(split, 3) == [(8, 45), (6, 66), (4, 80), (4, 55)]
    led = rm.play_party(party_of_four(leader="finch"), 1)
    assert states(led, 1) == [(8, 60), (6, 60), (3, 60), (2, 90)]  # 2 / 3 = 0.67 → 1.5


def test_parties_repeat_and_average_by_their_chances():
    design = party_of_four().with_values({"sources.a.success": 0.5})
    one, again = (rm.play_party(design, 12, parties=300, seed=5) for _ in range(2))
    assert one.levels().equals(again.levels()) and one.awards(7).equals(again.awards(7))
    wren = one.played.log.award[:, 1:, 0] / one.played.scale
    assert wren.mean() == pytest.approx(30, abs=4.5 * 30 / np.sqrt(wren.size))
    levels = one.levels()
    assert (levels["level_p10"] <= levels["level_p90"]).all()
    with pytest.raises(rm.DesignError, match="party: missing"):
        rm.play_party(make())
    with pytest.raises(rm.RamulusError, match="at most 10,000,000 awards"):
        rm.play_party(design, 100_000, parties=1000)


MEMBERS = {"wren": ("quick", 9), "lark": ("slow", 1), "finch": ("quick", 4)}


@pytest.mark.parametrize("leader", ["highest", "lark"])
@pytest.mark.parametrize("share", ["each", "split"])
@pytest.mark.parametrize("hold", [True, False])
def test_parties_against_slow_ones(leader, share, hold):
    design = party_design(MEMBERS, leader=leader, share=share, hold_below_leader=hold)
    run = rm.play_party(design, 60, parties=3000, seed=8)
    levels, hours = run.played.levels, run.played.hours
    slow = [SlowParty(design, random.Random(number)) for number in range(250)]
    for encounter in range(1, 61):
        for party in slow:
            party.encounter()
        if encounter not in (5, 25, 60):
            continue
        by_hand = np.array([[party.ledgers[name].level for name in MEMBERS] for party in slow])
        played = levels[:, encounter]
        error = np.sqrt(played.var(axis=0) / len(played) + by_hand.var(axis=0) / len(by_hand))
        assert (np.abs(played.mean(axis=0) - by_hand.mean(axis=0)) <= 4.5 * error + 1e-9).all(), encounter
        spent = np.array([party.hours for party in slow])
        error = np.sqrt(hours[:, encounter].var() / len(hours) + spent.var() / len(spent))
        assert hours[:, encounter].mean() == pytest.approx(spent.mean(), abs=4.5 * error)
        # The median by its place in the other sample: how many lie below it is a binomial count.
        pairs = [(played[:, m], by_hand[:, m]) for m in range(3)] + [(hours[:, encounter], spent)]
        for ours, theirs in pairs:
            for side in ("left", "right"):
                p, by = (np.searchsorted(np.sort(s), np.median(ours), side) / len(s) for s in (ours, theirs))
                error = np.sqrt(p * (1 - p) * (1 / len(slow) + 1 / len(played)))
                assert by == pytest.approx(p, abs=4.5 * error + 1e-9), encounter
    skills = np.mean([[party.skills[name].level for name in MEMBERS] for party in slow])
    assert skills > 2


def test_products_stack_in_file_order_whatever_is_on():
    design = rm.demo_design()
    factors = [np.array([0.5]), np.array([1.5]), np.array([np.nan])]
    assert product_of(links(design, factors, [0]), (1,)) == 0.5
    assert product_of(links(design, factors, [0, 1, 2]), (1,)) == 0.75
