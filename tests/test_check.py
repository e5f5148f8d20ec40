"""What `check` finds: each code provoked by a design that deserves it, and none where all is well."""

from __future__ import annotations

import ast
import re
import tempfile
from pathlib import Path

import pytest

import ramulus as rm
from conftest import make

A = {"a": {"level": 1, "xp": 10, "seconds": 10}}
DOCS = Path(__file__).parent.parent / "docs" / "findings.md"


def with_sources(*sources, **parts):
    named = {
        name: {"level": 1, "xp": 10, "seconds": 10, **source} for name, source in zip("abcdef", sources, strict=False)
    }
    return make({"formula": "100 * level"}, 20, sources=named, **parts)


def rule(**parts):
    return with_sources({}, multipliers=[{"name": "r", **parts}])


SUMMED = Path(tempfile.mkdtemp()) / "costs.csv"
SUMMED.write_text("level,cost\n1,10\n2,20\n3,30\nTotal,60\n", encoding="utf-8")

DESERVED = {
    "cost-file-rows": (lambda: make({"file": "costs.csv"}, 4, file=SUMMED), ["row 5 ('total')"]),
    "accepted-gone": (
        lambda: make(accept=[{"code": "cost-wall", "place": "tracks.warden.cost", "why": "was one"}]),
        ["cost-wall at tracks.warden.cost", "no longer found"],
    ),
    "cost-wall": (
        lambda: make({"formula": "100 * 1.1 ** level * (3 if level == 9 else 1)"}, 20),
        ["level 9", "3.0 times"],
    ),
    "cost-falls": (lambda: make({"values": [10, 20, 15, 30, 40]}), ["level 3 costs 15 XP", "20 XP"]),
    "rounding-levels-costs": (lambda: make({"formula": "3 + level / 3"}, 9), ["levels 1 and 2", "3 XP"]),
    "cost-at-limit": (
        lambda: make({"first": 5, "next": "previous * 2", "at_most": 30}, 9),
        ["at_most = 30", "level 4"],
    ),
    "values-unused": (lambda: make({"values": [1, 2, 3, 4, 5, 6, 7]}), ["last 2"]),
    "values-held": (lambda: make({"values": [1, 2], "beyond": "hold"}), ["repeats 3 times"]),
    "total-beyond-exact": (lambda: make({"formula": "1e15 * level"}, 9), ["level 5"]),
    "cost-runaway": (lambda: make({"formula": "10 * 1.6 ** level"}, 40), ["last 3 of 39"]),
    # (0.1 + 0.2) × 100: 30.000000000000004; added from the right the same; 0.7 × 10 × 3 in another order …
    "rounding-edge": (lambda: make({"formula": "level * 0.7 / 0.1"}, 20), ["level 1"]),
    "constant-unused": (
        lambda: make({"formula": "stepp * level"}, constants={"stepp": 5, "step": 4}),
        ["step = 4", "'stepp'"],
    ),
    "award-beyond-level": (
        lambda: with_sources({"xp": 250}, track={"overflow": {"carry": 0.5}}),
        ["250", "level 1", "0.5"],
    ),
    "award-waits": (lambda: with_sources({"xp": 250}, track={"overflow": {"level_ups_per_award": "one"}}), ["250"]),
    "waste-expected": (
        lambda: with_sources({"xp": 30}, track={"overflow": {"carry": 0}}),
        ["are lost at thresholds", "%"],
    ),
    "xp-at-cap": (lambda: with_sources({}, {"from_level": 20}), ["level 20: b", "discarded"]),
    "cost-step": (
        lambda: make(
            {"segments": [{"from_level": 1, "formula": "100 + level"}, {"from_level": 9, "formula": "250 + level"}]}, 20
        ),
        ["level 9 costs 259 XP", "140% more than the 108 XP", "one segment ends"],
    ),
    "growth-odd": (lambda: make(stats={"grip": {"base": 5, "growth": 0.08}}), ["by 0.08: from 5 to 0.4", "1.08 grows"]),
    "stat-unread": (lambda: make(stats={"grip": {"base": 5, "growth": 1.08}}), ["only the levels table"]),
    "track-unfed": (
        lambda: with_sources(
            {},
            skills={"craft": {"max_level": 3, "cost": {"formula": "5"}}},
            stats={"knack": {"base": 1, "track": "craft"}},
        ),
        ["tracks.craft", "knack stays as it starts"],
    ),
    "limited-only": (
        lambda: with_sources({"to_level": 4}, {"from_level": 5, "to_level": 6, "limit": 3}, {"from_level": 7}),
        ["level 5–6", "(b)", "at most 30 XP", "cost 1,100 XP"],
    ),
    # 100 · (1 + … + 19) XP, 10 XP in 2 hours.
    "cap-far": (lambda: with_sources({"seconds": 7200}), ["at least 3,800 played hours", "level 19 alone takes 380 h"]),
    "lives-above": (
        lambda: with_sources({}, {"level": 15, "xp": 90}),
        ["level 1, 90%", "'b' of level 15", "9 such levels"],
    ),
    # At level 3: 0.5 · 10 XP against 0.5 · 0.2 · 300 XP.
    "level-loses": (
        lambda: with_sources({"success": 0.5}, encounter={"failure": {"loss": 0.02}}),
        ["level 6", "take 6.0 XP", "pay 5.0 XP"],
    ),
    "income-slides": (lambda: with_sources({"xp": "200 - 5 * level"}), ["level 1 to", "46% less"]),
    "skill-starved": (
        lambda: with_sources(
            {"xp": 50},
            {"xp": 5, "skill": "craft", "skill_xp": 1},
            players={"p": {"pursuit": 3}, "q": {"pursuit": 3, "skill_xp_worth": 50}},
            skills={"craft": {"max_level": 3, "cost": {"formula": "5"}}},
        ),
        ["players.p.pursuit", "hardly meets b", "0.1%", "50.0% by weight", "craft all but stands still"],
    ),
    "day-runs-out": (
        lambda: with_sources(
            {"to_level": 3}, {"from_level": 4, "limit_per_day": 5}, players={"p": {"hours_per_day": 1}}
        ),
        ["16 levels, from level 4", "(b)", "nothing to do"],
    ),
    # 1,900 encounters of 10 s take six days of an hour.
    "event-too-late": (
        lambda: with_sources({}, multipliers=[{"name": "r", "factor": 2, "from_day": 9, "to_day": 12}], **SCHEDULE),
        ["multipliers[0].from_day", "begins on day 9", "by day 6"],
    ),
    # Patience of twice what most levels take, and level 9 takes four times as long as its neighbours.
    "level-drives-away": (
        lambda: make(
            {"formula": "100 * (4 if level == 9 else 1)"},
            20,
            sources={"a": {"level": 1, "xp": 10, "seconds": 360}},
            players={"p": {"patience_hours_per_level": 2.5, "patience_spread": 0.5}},
        ),
        ["p: at level 9, ", "run out of patience", "at its neighbours 0%"],
    ),
    "rule-misses-days": (
        lambda: with_sources(
            {},
            multipliers=[{"name": "r", "factor": 2, "from_day": 6, "to_day": 7}],
            players={"p": {"hours_per_day": 1, "plays_on": ["mon", "fri"]}, "q": {"hours_per_day": 1}},
        ),
        ["no play day of: p"],
    ),
    "stat-unused": (lambda: with_sources({}, stats={"shear": {"base": 1}}, encounter={}), ["changes nothing"]),
    "trait-unused": (lambda: with_sources({}, encounter={}, players={"p": {"traits": {"grip": 1}}}), ["no formula"]),
    "number-unused": (lambda: with_sources({"form_level": 3}, encounter={}), ["from_level"]),
    "upgrade-unbought": (
        lambda: with_sources({}, stats={"s": {"base": 1}}, upgrades={"u": {"stat": "s", "add": 1}}, players={"p": {}}),
        ["in no profile's spends"],
    ),
    "level-without-source": (lambda: with_sources({"to_level": 5}), ["level 6"]),
    "source-never-open": (lambda: with_sources({}, {"weight": 0}), ["no level"]),
    "sources-run-out": (lambda: with_sources({"limit": 3}), ["limit"]),
    "source-never-best": (lambda: with_sources({}, {"seconds": 20}), ["50%"]),
    "chance-pinned": (
        lambda: with_sources({"level": 1, "success": "clip(1 + gap, 0, 0.9)", "from_level": 3}, {}),
        ["0.9 at every level"],
    ),
    "source-trivial": (lambda: with_sources({"seconds": "ceil(12 / level)", "to_level": 40}, {}), ["formality"]),
    "source-hopeless": (lambda: with_sources({"success": "clip(level / 100, 0, 1)"}, {}), ["1.0%", "level 1"]),
    "income-falls": (lambda: with_sources({"xp": "10 if level < 8 else 5"}), ["level 8", "50%", "stays down"]),
    "award-rounds-to-zero": (lambda: rule(factor="0.05"), ["0.5 XP", "awards 0"]),
    "bands-out-of-order": (lambda: rule(against="gap", bands=[[5, 3], [2, 2]]), ["up to 2 stands after"]),
    "band-out-of-reach": (
        lambda: with_sources(
            {"limit": 3},
            {},
            multipliers=[
                {"name": "m", "against": "successes", "bands": [[0, 2], [2, 1.5], [5, 1.2]], "sources": ["a"]}
            ],
        ),
        ["past 2 successes", "limits allow 2"],
    ),
    "gate-never-opens": (
        lambda: with_sources({}, {"from_level": 9}, gates=[{"at_level": 5, "successes": {"b": 1}}]),
        ["nobody passes level 5", "b opens at level 9"],
    ),
    "gate-key-closes": (
        lambda: with_sources({}, {"to_level": 3}, gates=[{"at_level": 5, "successes": {"b": 2}}]),
        ["b closes after level 3", "without 2 successes"],
    ),
    "refill-without-pool": (
        lambda: with_sources({}, stats={"sap": {"base": 9, "refill_on_level_up": True}}),
        ["sap is no pool"],
    ),
    "pool-undrained": (lambda: with_sources({}, stats={"sap": {"base": 9, "pool": True}}), ["always full"]),
    "pool-never-empties": (
        lambda: with_sources(
            {},
            stats={"sap": {"base": 9000, "pool": True, "refill_on_level_up": True}},
            encounter={"drain": {"sap": 1}, "rest": {"seconds": 9}},
        ),
        ["at most 2% of it", "hardly anybody rests"],
    ),
    "away-bonus-empty": (
        lambda: with_sources(
            {}, players={"p": {"hours_per_day": 1}}, away_bonus={"per_day_away": 0, "at_most": 9, "factor": 2}
        ),
        ["nothing is ever put into the store"],
    ),
    "bands-gap": (lambda: rule(against="gap", bands=[[1, 3], [2, 0.5], [3, 2]]), ["up and down"]),
    "rule-never-applies": (lambda: rule(factor=2, from_level=25), ["no award"]),
    "rule-needs-schedule": (lambda: rule(factor=2, from_day=3), ["hours_per_day"]),
    "rule-without-effect": (lambda: rule(factor="max(1, -gap)"), ["is 1 at every level"]),
    "factor-reaches-zero": (lambda: rule(factor="clip(1 - 0.1 * gap, 0, 1)"), ["is 0 at level 11"]),
    "factor-explodes": (lambda: rule(factor="1.3 ** gap"), ["above the ceiling of 10"]),
    "stack-too-high": (
        lambda: with_sources({}, multipliers=[{"name": "x", "factor": 4}, {"name": "y", "factor": 4}]),
        ["stack to 16", "(x 4, y 4)"],
    ),
    "stronger-pays-less": (
        lambda: with_sources({"level": 9, "xp": 12}, {}, multipliers=[{"name": "r", "factor": "1 / source_level"}]),
        ["weaker 'b'"],
    ),
    "member-overtakes": (
        lambda: with_sources(
            {"xp": 90},
            multipliers=[{"name": "up", "against": "level / leader_level", "bands": [[0.9, 60]]}],
            players={"p": {}},
            party={"members": {"wren": {"player": "p", "start_level": 5}, "lark": {"player": "p"}}},
        ),
        ["'lark' passes the leader 'wren'"],
    ),
    "cost-not-positive": (lambda: make({"formula": "level - 3"}), ["level 1 costs -2"]),
    "cap-never-reached": (lambda: make({"level_from_xp": "min(xp, 3)"}), ["level 4"]),
    "table-short": (lambda: make({"values": [1]}), ["4 missing"]),
    "level-from-xp-falls": (lambda: make({"level_from_xp": "1 + xp / 10 - (3 if 20 < xp < 25 else 0)"}), ["falls"]),
    "formula-not-finite": (lambda: make({"formula": "1 / (level - 2)"}), ["division by zero"]),
    "data-file": (lambda: make({"file": "nowhere.csv"}), ["nowhere.csv"]),
}


SCHEDULE = {"players": {"p": {"hours_per_day": 1}}}
# What looks like a finding at first sight and is none, by the code that would cry wolf.
WELL = {
    # The errand closes after level 6, and the mix of lasting sources goes on as it was.
    "income-falls": lambda: with_sources({}, {"xp": 500, "limit": 2, "to_level": 6}),
    # A harder region opens at level 8: poor at first, better soon.
    "income-falls ": lambda: with_sources({"to_level": 7}, {"xp": "8 + 2 * (level - 8)", "from_level": 8}),
    "cost-wall": lambda: make({"values": [10, 100, 110, 120, 130, 140, 150]}, 8),
    "cost-step": lambda: make({"values": [10, 100, 110, 120, 130, 140, 150]}, 8),
    "xp-at-cap": lambda: with_sources({}),
    "stack-too-high": lambda: with_sources(
        {},
        multipliers=[
            {"name": "x", "factor": 4, "from_day": 1, "to_day": 3},
            {"name": "y", "factor": 4, "from_day": 4, "to_day": 6},
        ],
        **SCHEDULE,
    ),
    "growth-odd": lambda: make(stats={"grip": {"base": 5, "growth": 2.5}}),
    "cap-far": lambda: with_sources({"seconds": 1000}),
    "lives-above": lambda: with_sources({"level": 6}),
    # Most of the XP while the errand lasts, which is three times.
    "lives-above ": lambda: with_sources({}, {"level": 15, "xp": 900, "limit": 3}),
    "level-loses": lambda: with_sources({"success": 0.9}, encounter={"failure": {"loss": 0.01}}),
    "income-slides": lambda: with_sources({"xp": "200 - 3 * level"}),
    # Adepts who meet less of it, and still a good deal; a limit by the day beside a source without one.
    "skill-starved": lambda: with_sources(
        {"xp": 20},
        {"xp": 10, "skill": "craft", "skill_xp": 1},
        players={"p": {"pursuit": 1}},
        skills={"craft": {"max_level": 3, "cost": {"formula": "5"}}},
    ),
    "day-runs-out": lambda: with_sources({}, {"limit_per_day": 5}, **SCHEDULE),
    "event-too-late": lambda: with_sources({}, multipliers=[{"name": "r", "factor": 2, "from_day": 5}], **SCHEDULE),
    # Many quit, and no level has more to do with it than its neighbours.
    "level-drives-away": lambda: with_sources({}, players={"p": {"hours_per_day": 1, "quit_chance_per_play_day": 0.4}}),
    "rule-misses-days": lambda: with_sources(
        {}, multipliers=[{"name": "r", "factor": 2, "from_day": 6, "players": ["p"]}], **SCHEDULE
    ),
}


@pytest.mark.parametrize("code", WELL)
def test_no_code_cries_wolf(code):
    assert code.strip() not in [finding.code for finding in rm.check(WELL[code]())]


@pytest.mark.parametrize("code", DESERVED)
def test_each_code_is_found_where_it_is_deserved(code):
    design, words = DESERVED[code]
    found = [finding for finding in rm.check(design()) if finding.code == code]
    assert found, [finding.code for finding in rm.check(design())]
    text = " ".join(f"{f.place} {f.reason} {f.way_out}" for f in found)
    for word in words:
        assert word in text
    assert all(finding.place or code == "data-file" for finding in found)


def test_the_waste_that_is_expected_is_the_waste_by_hand():
    found = [
        f for f in rm.check(with_sources({"xp": 30}, track={"overflow": {"carry": 0}})) if f.code == "waste-expected"
    ]
    # Costs 100 · L in awards of 30, for L = 1 … 18, each level starting from nothing.
    awarded = [-(-100 * n // 30) * 30 for n in range(1, 19)]
    lost = sum(awarded) - sum(100 * n for n in range(1, 19))
    assert f"about {lost:,} XP of {sum(awarded):,} XP awarded" in found[0].reason
    # Awards of 50 fall on each of these costs exactly: nothing is lost, and nothing is said.
    even = rm.check(with_sources({"xp": 50}, track={"overflow": {"carry": 0}}))
    assert not [f for f in even if f.code == "waste-expected"]
    half = rm.check(with_sources({"xp": 30}, track={"overflow": {"carry_limit": 0.001}}))
    assert [f for f in half if f.code == "waste-expected"]


def test_an_award_is_held_against_its_level_with_its_multipliers():
    small = {"xp": 60}
    rules = {"track": {"overflow": {"carry": 0.5}}}
    boosted = with_sources(small, multipliers=[{"name": "x", "factor": 3}], **rules)
    (found,) = [f for f in rm.check(boosted) if f.code == "award-beyond-level"]
    assert "180 XP at level 1" in found.reason
    assert not [f for f in rm.check(with_sources(small, **rules)) if f.code == "award-beyond-level"]


def test_a_formality_names_the_column_that_stopped():
    design = with_sources(
        {"seconds": "ceil(12 / level)", "tough": 12},
        {},
        encounter={"show": {"grip": "tough - tough + level", "cuts": "ceil(12 / level)"}},
    )
    bare = with_sources(
        {"seconds": "ceil(12 / level)"}, {"other": 1}, encounter={"show": {"grip": "other", "cuts": "ceil(12 / level)"}}
    )
    assert not [f for f in rm.check(design) if f.code == "source-trivial" and "sources.a" in f.place]
    (found,) = [f for f in rm.check(bare) if f.code == "source-trivial" and f.place == "sources.a"]
    assert "cuts stays at 1 for 8 levels" in found.reason


def test_all_is_well_where_all_is_well():
    assert rm.check(rm.demo_design().with_values({"constants.crown_gate": 0})) == []
    assert [finding.code for finding in rm.check(rm.demo_design())] == ["cost-wall", "level-drives-away"]


def test_rounding_edges_are_real_differences():
    design = make({"formula": "level * 0.7 / 0.1"}, 20)
    (edge,) = [f for f in rm.check(design) if f.code == "rounding-edge" and "dividing first" in f.reason][:1] or [None]
    # 3 × 0.7 / 0.1 is 20.999999999999996 and 3 / 0.1 × 0.7 is 21.
    assert edge is not None and edge.severity == "warning"
    level, here, there = re.search(r"level (\d+): (\d+) or (\d+)", edge.reason).groups()
    n = int(level)
    assert (int(here), int(there)) == (int(n * 0.7 / 0.1), int(n / 0.1 * 0.7))
    assert int(here) != int(there)
    assert not [f for f in rm.check(make({"formula": "100 * level + 50"})) if f.code == "rounding-edge"]
    halves = make(
        {"segments": [{"from_level": 1, "formula": "9"}, {"from_level": 4, "formula": "level * 0.7 / 0.1"}]}, 20
    )
    (edge,) = [f for f in rm.check(halves) if f.code == "rounding-edge" and "dividing first" in f.reason]
    assert edge.place == "tracks.warden.cost.segments[1].formula"
    totals = re.search(r"is ([\d,]+) here and ([\d,]+) there", edge.reason).groups()
    here, there = (int(total.replace(",", "")) for total in totals)
    costs = [(int(n * 0.7 / 0.1), int(n / 0.1 * 0.7)) for n in range(4, 20)]
    assert (here, there) == (27 + sum(a for a, _ in costs), 27 + sum(b for _, b in costs))
    squares = make({"level_from_xp": "1 + xp * 0.7 / 7"}, 60)
    assert [f for f in rm.check(squares) if f.code == "rounding-edge"]


BASE = {"format": 1, "title": "t", "tracks": {"a": {"max_level": 3, "cost": {"formula": "9"}}}}
S = {"level": 1, "xp": 5, "seconds": 10}


def data(**parts):
    return {**BASE, **parts}


def cost(**way):
    return data(tracks={"a": {"max_level": 3, "cost": way}})


# Mistakes that keep a design from being read or computed, each by the data that deserves it.
FAULTY = {
    "unknown-key": data(titel="x"),
    "missing-key": {"format": 1},
    "invalid-value": data(tracks={"a": {"max_level": [1], "cost": {"formula": "9"}}}),
    "invalid-name": data(constants={"a b": 1}),
    "hidden-name": data(constants={"floor": 1}),
    "name-clash": data(constants={"s": 1}, stats={"s": {"base": 1}}),
    "unknown-reference": data(main_track="b"),
    "incomplete-pair": data(sources={"a": {**S, "skill_xp": 1}}),
    "cost-way": cost(formula="9", values=[1]),
    "stat-way": data(stats={"s": {}}),
    "xp-range": data(sources={"a": {**S, "xp": {"low": 3, "high": 1}}}),
    "chances": data(sources={"a": {**S, "xp": {"one_of": [[1, 0.5]]}}}),
    "negative-factor": data(multipliers=[{"name": "m", "factor": -1}]),
    "formula-syntax": cost(formula="level +"),
    "caret-for-power": cost(formula="level ^ 2"),
    "unknown-name": cost(formula="levle"),
    "unknown-function": cost(formula="sqr(level)"),
    "formula-too-large": cost(formula="sum(i for i in range(0, 10 ** 6))"),
    "range-not-whole": cost(formula="sum(i for i in range(0.5, 3))"),
    "design-too-large": data(
        tracks={"a": {"max_level": 1000, "cost": {"formula": "9"}}, "b": {"max_level": 30_000, "cost": {"formula": "9"}}},
        sources={"a": {**S, "skill": "b", "skill_xp": 1}},
    ),
    "missing-part": data(sources={"a": {"level": 1, "xp": 5}}),
    "stat-cycle": data(stats={"a": {"formula": "b"}, "b": {"formula": "a"}}),
    "negative-time": data(sources={"a": {**S, "seconds": "-level"}}),
    "chance-outside": data(sources={"a": {**S, "success": "level"}}),
    "negative-weight": data(sources={"a": S}, encounter={"weight": "-level"}),
    "all-weights-zero": data(sources={"a": S}, encounter={"weight": 0}),
    "source-never-open": data(sources={"a": {**S, "from_level": 3, "to_level": 2}}),
    "trait-empty": data(players={"p": {"traits": {"grip": {"mean": 1, "sd": 0.1, "at_least": 3}}}}),
    "retention-rises": data(players={"p": {"hours_per_day": 1, "stays": [[1, 0.5], [2, 0.6]]}}),
    "file-outside": cost(file="../costs.csv"),
    "constant-circle": data(constants={"a": "b + 1", "b": "2 * a"}),
    "negative-drain": data(
        stats={"sap": {"base": 9, "pool": True}}, sources={"a": {**S, "seconds": 9}},
        encounter={"drain": {"sap": "-level"}, "rest": {"seconds": 9}},
    ),
    "pool-empty": data(
        stats={"sap": {"base": 2, "per_level": -1, "pool": True}}, sources={"a": {**S, "seconds": 9}},
        encounter={"drain": {"sap": 1}, "rest": {"seconds": 9}},
    ),
    "reserved-name": data(stats={"cost": {"base": 1}}),
    "two-skills": data(
        tracks={name: {"max_level": 3, "cost": {"formula": "9"}} for name in "abc"},
        stats={"x": {"track": "b", "base": 1}, "y": {"track": "c", "base": 1}},
        sources={"a": {**S, "seconds": "x + y"}},
    ),
}  # fmt: skip


@pytest.mark.parametrize("code", FAULTY)
def test_each_mistake_is_an_error_with_its_code(code):
    try:
        findings = rm.check(rm.Design.from_dict(FAULTY[code]))
    except rm.DesignError as error:
        found = [problem.code for problem in error.problems]
    else:
        found = [finding.code for finding in findings if finding.severity == "error"]
    assert code in found


@pytest.mark.parametrize(("code", "text"), [("unreadable-file", "\xff"), ("file-syntax", "a = ")])
def test_a_file_that_cannot_be_read_has_its_code(tmp_path, code, text):
    (tmp_path / "d.toml").write_bytes(text.encode("latin-1"))
    with pytest.raises(rm.DesignError) as caught:
        rm.load_design(tmp_path / "d.toml")
    assert [problem.code for problem in caught.value.problems] == [code]


RAISED_BY = {"fault", "Problem", "Finding", "FormulaError", "_mistake", "ordered", "_unreadable", "refuse", "_refuse"}


def codes_in_the_source():
    """Every kebab-case text that is handed to something that makes a problem or a finding, keyword or not."""
    for path in Path(rm.__file__).parent.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Call) and getattr(node.func, "id", getattr(node.func, "attr", "")) in RAISED_BY:
                for value in [*node.args, *(keyword.value for keyword in node.keywords)]:
                    if isinstance(value, ast.Constant) and re.fullmatch("[a-z]+(-[a-z0-9]+)+", str(value.value)):
                        yield value.value


def test_every_code_is_documented_and_provoked_and_no_others_are():
    documented = set(re.findall(r"^\| `([a-z-]+)`", DOCS.read_text(encoding="utf-8"), re.M))
    assert set(codes_in_the_source()) <= documented
    elsewhere = {
        "unreadable-file",
        "file-syntax",
        "file-circle",
        "stands-twice",
        "no-translation",
    }  # Of files, `export`.
    assert {*DESERVED, *FAULTY, *elsewhere} == documented
