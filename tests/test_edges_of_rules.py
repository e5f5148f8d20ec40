"""Edges of the rules that hardly any design stands on: what is at the cap, at nothing, at the last of a list."""

from __future__ import annotations

import math
from fractions import Fraction

import numpy as np
import pytest

import ramulus as rm
from conftest import make
from ramulus.errors import RamulusError
from ramulus.formula import evaluate, parse
from ramulus.rules.coming import (
    come_on,
    hours_missed,
    most_play_days,
    own_days_reached,
    points_of,
    unfloored_days_reached,
)
from ramulus.rules.overflow import billionths, part_of
from ramulus.rules.programs import DEEPEST, power_of, program_of, run
from ramulus.rules.pursuit import choice_working, pay_by_hour
from ramulus.rules.quitting import quit_alike, quit_rules
from ramulus.rules.schedule import schedules_of
from ramulus.rules.tabulation import tabulated
from ramulus.rules.windows import meets, timeline
from ramulus.rules.xp_units import MOST_SUM, to_units, whole_where_whole

MEET = {"sources": {"blight": {"level": 1, "xp": 10, "seconds": 60}}, "encounter": {}, "players": {"p": {}}}


def test_losses_are_nothing_at_the_cap_and_their_formula_is_not_asked_there():
    """Who plays on at the cap for a skill keeps what is banked there; 4 - level is 0 at the cap."""
    skills = {"craft": {"max_level": 3, "cost": {"values": [40, 60]}}}
    sources = {"graft": {"level": 1, "xp": 10, "seconds": 60, "skill": "craft", "skill_xp": 1}}
    design = make(
        {"values": [10, 20, 30]}, 4, {"overflow": {"at_cap": "bank"}}, skills=skills, sources=sources, players={"p": {}},
        encounter={"success": 0.5, "failure": {"loss": "0.5 / (4 - level)"}},
    )  # fmt: skip
    result = rm.simulate(design, 30, until=["craft"], seed=2)
    lost = result.waste().set_index("level")["lost"]
    assert lost.loc[4] == 0 and (lost.loc[[2, 3]] > 0).all()


@pytest.mark.parametrize(
    ("keys", "level", "xp"),
    [({}, 1, 5), ({"start_level": 3}, 3, 0), ({"start_xp": 7}, 1, 7), ({"start_level": 2, "start_xp": 4}, 2, 4)],
)
def test_where_players_start(keys, level, xp):
    """The track's start XP is theirs who say nothing; who names a level stands at its beginning."""
    design = make({"values": [100, 200, 300]}, 4, {"start_xp": 5}, **{**MEET, "players": {"p": keys}})
    result = rm.simulate(design, 1, hours=50)
    there = result.arrivals("p")[0]
    # What an award leaves is carried on: reckon in totals.
    totals = np.cumsum([cost for n, cost in ((1, 100), (2, 200), (3, 300)) if n >= level]) - xp
    assert there[level - 1] == 0 and there[level:].tolist() == pytest.approx([math.ceil(t / 10) / 60 for t in totals])


def test_points_are_none_at_the_start_and_add_up():
    design = make({"values": [10, 20, 30]}, 4, {"points_per_level": "level", "start_points": 3}, **MEET)
    ledger = rm.Ledger(design)
    found = [ledger.points]
    for award in (10, 20, 30):
        ledger.award(award)
        found.append(ledger.points)
    assert found == [3, 5, 8, 12]


def test_a_multiplier_that_looks_at_a_trait_pays_the_able_more():
    """Ability 0.9 of a normal trait about 1 with sd 0.5, and 0.1, are 1.28 deviations from the middle."""
    trait = {"keen": {"mean": 1, "sd": 0.5}}
    design = make(
        {"values": [100, 100]}, 3, sources={"blight": {"level": 1, "xp": 100, "seconds": 60}}, encounter={},
        players={"p": {"traits": trait}}, multipliers=[{"name": "keenness", "factor": "keen"}],
    )  # fmt: skip
    paid = [rm.effort_table(design, ability=ability)["award"].iloc[0] for ability in (0.1, 0.5, 0.9)]
    assert paid == [math.floor(100 * (1 + 0.5 * z)) for z in (-1.2815516, 0, 1.2815516)]


@pytest.mark.parametrize(
    ("stat", "values"),
    [
        ({"base": 4}, [4, 4, 4, 4]),
        ({"base": 2, "growth": 3}, [2, 6, 18, 54]),
        ({"values": [7, 8], "beyond": "hold"}, [7, 8, 8, 8]),
    ],
    ids=str,
)
def test_stats_from_little(stat, values):
    design = make({"values": [10, 20, 30]}, 4, stats={"shear": stat})
    assert rm.level_table(design)["shear"].tolist() == values


def test_a_stat_that_upgrades_lift_past_all_numbers_says_where():
    design = make(
        {"values": [10, 20, 30]}, 4, {"points_per_level": 1}, stats={"shear": {"base": 1e300}},
        upgrades={"edge": {"stat": "shear", "factor": 1e5}}, **{**MEET, "players": {"p": {"spends": ["edge"]}}},
    )  # fmt: skip
    with pytest.raises(rm.DesignError, match="stats.shear: inf at level 3"):
        rm.level_table(design, player="p")


def test_totals_go_on_with_the_last_cost_and_a_single_one_cannot():
    two = make({"values": [10, 30], "gives": "total", "beyond": "hold"}, 6)
    assert rm.level_table(two)["total"].tolist() == [0, 10, 30, 50, 70, 90]
    one = make({"values": [10], "gives": "total", "beyond": "hold"}, 4)
    assert rm.level_table(one)["total"].tolist() == [0, 10, 20, 30]
    points = make({"points": [[2, 10], [3, 30]], "gives": "total", "beyond": "hold"}, 5)
    assert rm.level_table(points)["total"].tolist() == [0, 10, 30, 50, 70]


def test_a_total_read_off_xp_is_worked_through_at_its_own_level():
    design = make({"level_from_xp": "2 + xp / 10"}, 6, {"start_level": 2})
    for level, total in ((3, 10), (5, 30), (6, 40)):
        assert f"xp = {total}" in str(rm.explain(design, "tracks.warden.cost", level - 1))
        assert rm.level_table(design).set_index("level")["total"][level] == total


def test_what_is_too_much_to_count_is_refused():
    units = MOST_SUM // 10**6
    assert MOST_SUM == 2**62
    with pytest.raises(rm.RamulusError, match="large|most|exact"):
        rm.simulate(make({"values": [units * 10**6, units * 10**6]}, 3, **MEET), 1, hours=1)


def test_a_source_that_takes_no_time_and_pays_nothing_is_worth_nothing():
    sources = {"idle": {"level": 1, "xp": 0, "seconds": 0}, "blight": {"level": 1, "xp": 10, "seconds": 60}}
    design = make({"values": [100]}, 2, sources=sources, encounter={}, players={"p": {"pursuit": 1}})
    assert rm.effort_table(design).query("level == 1")["chance"].tolist() == [0, 1]


def test_a_file_that_lacks_levels_names_the_first_five(tmp_path):
    for lacking, said in ((range(3, 8), "3, 4, 5, 6, 7"), (range(3, 9), "3, 4, 5, 6, 7 …")):
        rows = [f"{level},{10 * level}" for level in range(1, 11) if level not in lacking]
        (tmp_path / "costs.csv").write_text("level,cost\n" + "\n".join(rows))
        with pytest.raises(rm.RamulusError) as caught:
            rm.level_table(make({"file": "costs.csv"}, 11, file=tmp_path / "design.toml"))
        assert said in str(caught.value) and (said + " …" not in str(caught.value))


def test_who_starts_at_the_cap_stands_there():
    ledger = rm.Ledger(make({"values": [10, 20]}, 3), level=3)
    assert ledger.label == "Level 3 · cap" and ledger.award(5).wasted == 5


@pytest.mark.parametrize(("gives", "values"), [("cost", [10, 25]), ("total", [10, 35])])
def test_a_list_says_from_which_level_on_its_last_cost_repeats(gives, values):
    design = make({"values": values, "beyond": "hold", "gives": gives}, 6)
    assert rm.level_table(design)["cost"].tolist()[:5] == [10, 25, 25, 25, 25]
    said = {level: str(rm.explain(design, "tracks.warden.cost", level=level)) for level in range(1, 6)}
    assert [level for level, text in said.items() if "the list is over" in text] == [3, 4, 5]


def test_points_of_a_total_say_what_the_last_cost_is_added_to():
    design = make({"points": [[2, 10], [4, 60]], "gives": "total", "beyond": "hold"}, 6)
    text = str(rm.explain(design, "tracks.warden.cost", level=5))
    assert "total(5) + the last cost" in text and "after 85" in text


def test_pay_counts_what_a_failure_pays_the_skill():
    """60 encounters an hour: 0.75 of 10 and 0.25 of 2 XP; for the skill 0.75 of 4 and 0.25 of 0.8, worth 2 each."""
    sources = {"graft": {"level": 1, "xp": 10, "seconds": 60, "skill": "craft", "skill_xp": 4}}
    design = make(
        {"values": [90, 90]}, 3, skills={"craft": {"max_level": 3, "cost": {"values": [40, 60]}}}, sources=sources,
        encounter={"success": 0.75, "failure": {"xp_share": 0.2}}, awards={"rounding": "none"},
        players={"p": {"skill_xp_worth": 2, "pursuit": 1}},
    )  # fmt: skip
    assert tabulated(design).profile("p").pay[0, 0] == pytest.approx(60 * (7.5 + 0.5 + 2 * (3 + 0.2)))


def test_what_nobody_meets_is_not_the_best():
    sources = {name: {"level": 1, "xp": xp, "seconds": 60, "weight": weight}
               for name, xp, weight in (("ant", 10, 1), ("moth", 100, 0), ("worm", 5, 1))}  # fmt: skip
    design = make({"values": [90]}, 2, sources=sources, encounter={}, players={"p": {"pursuit": "best"}})
    profile = tabulated(design).profile("p")
    assert profile.chance(profile.tables.columns.first_column)[0].tolist() == [1, 0, 0]


def test_bonuses_may_take_all_of_an_award_and_no_more():
    rules = [{"name": "closed", "factor": 0, "stack": "add"}]
    design = make({"values": [90]}, 2, multipliers=rules, **MEET)
    assert rm.simulate(design, 5, hours=1).pace()["reached"].min() == 0
    with pytest.raises(rm.DesignError, match="add up to a factor of -1"):
        rm.gain_table(make({"values": [90]}, 2, multipliers=[*rules, {**rules[0], "name": "more"}], **MEET))


def test_points_below_nothing_are_none():
    with pytest.raises(rm.DesignError, match=r"-0.5 points at level 2"):
        rm.Ledger(make({"values": [90]}, 2, {"points_per_level": -0.5}))


def test_one_of_several_amounts_is_worth_its_mean():
    source = {"level": 1, "xp": {"one_of": [[10, 0.25], [30, 0.75]]}, "seconds": 60}
    design = make({"values": [90]}, 2, sources={"hollow": source}, encounter={}, players={"p": {}})
    assert rm.effort_table(design)["xp_per_hour"].tolist()[0] == pytest.approx(60 * 25)


def test_tables_hold_whole_numbers_where_all_are_whole():
    whole, parts = (rm.level_table(make({"values": some, "rounding": "none"}, 3)) for some in ([10, 20], [10.5, 20]))
    assert whole["total"].dtype.kind == "i" and parts["total"].dtype.kind == "f"


def test_rounding_a_negative_stat_is_worked_through_away_from_zero():
    design = make(stats={"chill": {"base": -8, "per_level": 1, "rounding": "nearest", "rounding_to": 5}})
    assert rm.level_table(design)["chill"].tolist()[:2] == [-10, -5]
    assert "-(8 - 8 % 5 + (5 if 8 % 5 >= 2.5 else 0)) = -10" in str(rm.explain(design, "stats.chill", level=1))


def test_where_a_level_falls_first_is_said():
    text = "1 + (xp / 10 if xp < 50 else (xp - 40) / 10 if xp < 90 else (xp - 85) / 10)"
    with pytest.raises(rm.DesignError, match=r"falls") as told:
        rm.level_table(make({"level_from_xp": text}, 5))
    assert "50" in str(told.value), told.value


def test_a_level_of_one_xp_costs_one_and_whole_totals_of_parts_are_whole():
    ledger = rm.Ledger(make({"values": [1, 1, 3]}, 4))
    assert [ledger.award(1).level for _ in range(3)] == [2, 3, 3]
    tenths = make({"values": [0.5, 1.5, 8]}, 4, {"cost": {"values": [0.5, 1.5, 8], "rounding": "none"}})
    assert rm.level_table(tenths)["total"].tolist() == [0, 0.5, 2, 10]
    assert rm.trace(tenths, [2, 3])["xp"].tolist() == [1, 2]  # Of 1.5 XP and 2.5 XP past a cost whole ones are kept.


def test_players_quit_alike_by_rules_that_say_the_same():
    stays, other, never = (
        make({"values": [90]}, 2, **{**MEET, "players": {"p": {"hours_per_day": 1, **quits}}})
        for quits in ({"stays": [[7, 0.5]]}, {"stays": [[7, 0.4]]}, {})
    )
    rules = {id(design): quit_rules(design, "p") for design in (stays, other, never)}
    again = quit_rules(stays, "p")
    assert quit_alike(rules[id(stays)], again) and quit_alike(None, rules[id(never)])
    assert not any(
        quit_alike(again, rules[id(design)]) or quit_alike(rules[id(design)], again) for design in (other, never)
    )


@pytest.mark.parametrize(("paid", "allowed"), [(0, True), (0.5, True), (1e12, True), (-0.1, False), (1e17, False)])
def test_skill_xp_may_be_nothing_or_a_part_and_no_less(paid, allowed):
    graft = {"level": 1, "xp": 10, "seconds": 60, "skill": "craft", "skill_xp": f"{paid} + 0 * level"}
    design = make(
        {"values": [90]}, 2, skills={"craft": {"max_level": 3, "cost": {"values": [40, 60]}}}, sources={"graft": graft},
        encounter={}, players={"p": {}},
    )  # fmt: skip
    assert allowed == (not any(finding.severity == "error" for finding in rm.check(design)))


OF_TWO = ["+", "-", "*", "/", "//", "%", "**", "<", "<=", ">", ">=", "==", "!=", "and", "or"]
OF_ONE = ["floor", "ceil", "round", "sqrt", "log", "log2", "log10", "exp", "abs"]
WITH_THE_MISSING = [
    *(f"missing {sign} {number}" for sign in OF_TWO for number in (-2, 0, 0.5, 3)),
    *(f"{number} {sign} missing" for sign in OF_TWO for number in (-2, 0, 0.5, 3)),
    *(f"{name}(missing)" for name in OF_ONE), "-missing", "+missing", "not missing", "clip(missing, 0.5, 2)",
    "min(missing, 3, 1)", "max(missing, 0, 1)", "0 < missing <= 2", "0 <= missing < 0.5 < 3",
    "missing - 1 if missing > 2 else 3 * missing",
]  # fmt: skip


@pytest.mark.parametrize("text", WITH_THE_MISSING)
def test_a_program_comes_to_what_its_formula_does(text):
    """What a rest takes by what is missing: worked out by a kernel step by step, and by whoever reads the file."""
    program = program_of("encounter.rest.seconds", text, "missing", {}, np.zeros(1))
    for missing in (-3.5, -2.0, -1.0, -0.5, -0.25, 0.0, 0.5, 0.75, 1.0, 2.0, 2.5, 3.0, 7.0, 1e3):
        try:
            expected = float(evaluate(parse(text), {"missing": missing}))
        except RamulusError:
            expected = None
        with np.errstate(all="ignore"):
            try:
                found = run(program.steps, program.leaves, 0, missing, np.zeros(DEEPEST))
            except (OverflowError, ZeroDivisionError):  # Python raises where a kernel has no number.
                found = math.nan
        if expected is None:
            assert not math.isfinite(found), missing
        else:
            assert found == pytest.approx(expected, rel=1e-15, abs=0), missing


def test_who_is_alone_is_a_company_of_one():
    design = make({"values": [90]}, 2, multipliers=[{"name": "together", "factor": "1.5 / party_size"}], **MEET)
    assert rm.gain_table(design)["factor"].tolist()[0] == 1.5


def test_costs_that_63_bits_cannot_count_are_refused_and_those_before_are_not():
    assert rm.Ledger(make({"formula": "5e17 + 0 * level"}, 9)).cost == 5 * 10**17
    with pytest.raises(rm.DesignError, match=r"at most 2\*\*62 XP to award"):
        rm.Ledger(make({"formula": "6e17 + 0 * level"}, 9))


def test_who_comes_later_counts_its_own_days():
    """Half an hour on each day of the week; it comes on day 7, after six play days that it missed."""
    player = {"hours_per_day": 0.5, "stays": [[4, 0.5]], "arrives": [[7, 1]]}
    design = make({"values": [90]}, 2, **{**MEET, "players": {"p": player}})
    rules, (schedule, *_) = quit_rules(design, "p"), schedules_of(design, design.profile("p"))
    played, day = rules.quit_after(np.array([1 - 0.5 ** (2.5 / 4)]), schedule, came=7, missed=6)
    assert (played.tolist(), day.tolist()) == ([3 * schedule.day], [3])
    assert hours_missed(design, design.profile("p")) == 3.5  # Up to the end of the day on which it comes.


def test_xp_that_time_away_pays_may_be_any_part():
    whole = {"overflow": {"whole_xp": False}}
    away = {"away_bonus": {"per_day_away": 5, "at_most": 9, "factor": 1.5}}
    meet = {**MEET, "players": {"p": {"hours_per_day": 1}}}
    scales = [tabulated(make({"values": [90]}, 2, whole, **meet, **more)).main.scale for more in ({}, away)]
    assert scales == [1, 10**6]


@pytest.mark.parametrize(
    ("tracks", "allowed"), [(None, False), (["climbing"], False), (["grafting"], True), (["warden", "grafting"], True)]
)
@pytest.mark.parametrize("reads", [{"factor": "1 + grip / 9"}, {"against": "grip", "bands": [[3, 2]]}])
def test_a_multiplier_of_one_skill_does_not_read_a_stat_of_another(tracks, allowed, reads):
    """Practising grafting and climbing, a player has no one level of grafting at an award to climbing."""
    cost = {"max_level": 5, "cost": {"formula": "10"}}
    data = {
        "format": 1, "title": "Two skills", "tracks": {"warden": cost, "grafting": cost, "climbing": cost},
        "stats": {"grip": {"track": "grafting", "base": 1, "per_level": 1}},
        "sources": {"shoot_graft": {"level": 1, "xp": 20, "skills": {"grafting": 1, "climbing": 1}}},
        "encounter": {"seconds": 30}, "players": {"steady": {}},
        "multipliers": [{"name": "feast", "factor": 2}, {"name": "firm grip", **reads, **({"tracks": tracks} if tracks else {})}],
    }  # fmt: skip
    found = [one for one in rm.check(rm.Design.from_dict(data)) if one.severity == "error"]
    assert [(one.code, one.place) for one in found] == (
        [] if allowed else [("two-skills", f"multipliers[1].{next(iter(reads))}")]
    )
    assert allowed or "'grip', a stat of 'grafting'" in found[0].reason


@pytest.mark.parametrize(("days", "first_week"), [(1, [0]), (2, [0, 3]), (3, [0, 2, 4]), (4, [0, 1, 3, 5]), (5, [0, 1, 2, 4, 5]),
                                                  (6, [0, 1, 2, 3, 4, 5])])  # fmt: skip
def test_days_a_week_are_spread_over_all_of_it(days, first_week):
    design = make(**{**MEET, "players": {"p": {"hours_per_day": 1, "days_per_week": days}}})
    schedules = schedules_of(design, design.profile("p"))
    assert list(schedules[0].days) == first_week and len({one.days for one in schedules}) == 7


def test_who_comes_on_a_day_before_play_days_has_the_most_of_them():
    """By the end of its second day who comes on a Saturday has played on both days of a weekend; who comes later, on one."""
    design = make(**{**MEET, "players": {"p": {"hours_per_day": 1, "plays_on": ["sun", "mon"]}}})
    (schedule,) = schedules_of(design, design.profile("p"))
    assert most_play_days(2, schedule, points_of([[14, 1.0]])) == 2 and most_play_days(2, schedule, ()) == 1


def test_own_days_of_runs_in_bins_are_those_of_others_with_a_part():
    design = make(
        **{**MEET, "players": {"p": {"hours_per_day": 1, "days_per_week": 3, "arrives": [[1, 0.2], [9, 1.0]]}}}
    )
    player, numbers = design.profile("p"), np.arange(40)
    schedules, points = schedules_of(design, player), points_of(player.arrives)
    seconds = np.linspace(60, 50 * 3600, 40)[:, None] + np.array([[0.0, 1800.0]])
    parts = unfloored_days_reached(seconds, numbers, schedules, points, own=True)
    whole = own_days_reached(seconds, numbers, schedules, points)
    assert ((parts >= whole) & (parts < whole + 7)).all() and (parts[:, 1] > parts[:, 0]).all()
    assert come_on(points, np.array([0])).tolist() == [5], "the first of all comes when half of them are there"


def test_an_event_that_comes_back_lasts_as_long_as_at_first():
    bonus = {"name": "b", "factor": 2, "from_day": 3, "to_day": 4, "every": 7}
    design = make(**{**MEET, "players": {"p": {"hours_per_day": 1}}}, multipliers=[bonus])
    (schedule,) = schedules_of(design, design.profile("p"))
    found = timeline(design, design.profile("p"), 15.5)
    on = [day for day in range(1, 16) if found.rules_on((day - 0.5) * 3600)]
    assert on == [3, 4, 10, 11] and meets(design.multipliers[0], schedule)


def test_days_on_which_nobody_plays_are_no_days_of_a_rule():
    bonus = {"name": "b", "factor": 2, "from_day": 3, "to_day": 4}
    design = make(**{**MEET, "players": {"p": {"hours_per_day": 1, "plays_on": ["sun"]}}}, multipliers=[bonus])
    found = timeline(design, design.profile("p"), 5)
    assert not any(found.states[state] for state in found.state) and not found.rules_on(3000)


@pytest.mark.parametrize("units", [7, 10**9, 3 * 10**9 + 1, 2**61])
@pytest.mark.parametrize("share", [0.29, 1.0, 1.75, 1e-9])
def test_a_part_is_exact_however_much_it_is_of(units, share):
    assert part_of(units, billionths(share)) == math.floor(Fraction(repr(share)) * units)


def test_who_is_as_able_as_can_be_is_looked_at_and_nobody_abler():
    assert len(rm.effort_table(make(**MEET), ability=1.0)) == 6
    with pytest.raises(rm.RamulusError, match="0 … 1"):
        rm.effort_table(make(**MEET), ability=1.01)


def test_what_takes_less_than_a_second_pays_by_the_hour_too():
    found = pay_by_hour(np.array([1.0, 1.0, 0.0, -1.0, 1.0]), np.array([0.5, 1.0, 0.5, 1.0, 0.0]))
    assert found[:4].tolist() == [7200.0, 3600.0, 0.0, 0.0] and found[4] > 1e9


def test_units_are_the_nearest_and_halves_go_up():
    assert to_units(np.array([0.49, 0.5, 1.7, 2.0]), 1).tolist() == [0, 1, 2, 2]
    assert whole_where_whole(np.array([2.0**53])).dtype == np.float64, "beyond it whole numbers are not told apart"
    ledger = rm.Ledger(
        make({"values": [10, 20, 30]}, 4, {"overflow": {"carry": 0.5, "whole_xp": False}, "start_xp": 0.5})
    )
    assert ledger.award(13).level == 2 and ledger.xp == 1.75, "half of 13.5 − 10"


@pytest.mark.parametrize(
    ("a", "b", "power"),
    [(0.0, -0.5, math.nan), (0.0, -2.0, math.nan), (-8.0, 0.5, math.nan), (-2.0, 3.0, -8.0), (0.0, 0.0, 1.0)],
)
def test_a_power_of_nothing(a, b, power):
    assert power_of(a, b) == pytest.approx(power, nan_ok=True)


def test_a_rest_may_take_no_time_and_a_failure_no_less_than_nothing():
    encounter = {"drain": {"hearts": 1}, "rest": {"seconds": "0 * missing"}}
    design = make(**{**MEET, "encounter": encounter}, stats={"hearts": {"base": 5, "pool": True}})
    assert rm.simulate(design, 2).pace()["reached"].eq(1).all()
    with pytest.raises(rm.DesignError, match=r"a share of -0\.5 at level 1"):
        rm.simulate(make(**{**MEET, "encounter": {"success": 0.5, "failure": {"loss": "level - 1.5"}}}), 2)


def test_a_range_too_wide_to_round_each_is_worth_its_middle():
    sources = {"blight": {"level": 1, "xp": {"low": 0, "high": 60_000_000}, "seconds": 60}}
    gain = rm.gain_table(make({"values": [10**9] * 5}, 6, **{**MEET, "sources": sources}))
    assert gain["award"].to_numpy() == pytest.approx(30_000_000, abs=0.5) and gain["base"].eq(30_000_000).all()


def test_nothing_is_chosen_where_nothing_is_open():
    working = choice_working(make(**MEET).profile("p"), ["a", "b"], "a", np.zeros(2), None, 1)
    assert working.value == 0.0


def test_what_is_not_carried_needs_no_parts():
    """Where XP is not whole, whatever is carried or lost may be any part; what is only added up may not."""
    for overflow, scale in (({"carry": 0}, 1), ({"carry": 0.5}, 10**6), ({"carry_limit": 3}, 10**6)):
        design = make({"values": [10, 20, 30]}, 4, {"overflow": {"whole_xp": False, **overflow}}, **MEET)
        assert tabulated(design).track("warden").scale == scale, overflow


@pytest.mark.parametrize(("meanwhile", "xp", "wasted"), [("keep", 40, 0), ("fill", 20, 20)])
def test_xp_waits_at_a_gate_or_fills_the_bar(meanwhile, xp, wasted):
    gate = {"at_level": 2, "successes": {"blight": 3}, "meanwhile": meanwhile}
    design = make({"values": [10, 20, 30]}, 4, gates=[gate], **MEET)
    ledger = rm.Ledger(design)
    found = ledger.award(50)
    assert (found.level, found.xp, found.wasted, ledger.xp) == (2, xp, wasted, xp)
    assert rm.Ledger.from_dict(design, ledger.to_dict()) == ledger, "more than the bar is kept there"
