"""What `check` finds: each code provoked by a design that deserves it, and none where all is well."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

import ramulus as rm
from conftest import make
from ramulus.design import shipped_variants

A = {"a": {"level": 1, "xp": 10, "seconds": 10}}
DOCS = Path(__file__).parent.parent / "docs" / "findings.md"


def with_sources(*sources, **parts):
    named = {
        name: {"level": 1, "xp": 10, "seconds": 10, **source} for name, source in zip("abcdef", sources, strict=False)
    }
    return make({"formula": "100 * level"}, 20, sources=named, **parts)


def rule(**parts):
    return with_sources({}, multipliers=[{"name": "r", **parts}])


DESERVED = {
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
    "xp-at-cap": (lambda: with_sources({}), ["level 20", "discarded"]),
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
    "income-falls": (lambda: with_sources({"xp": "10 if level < 8 else 5"}), ["level 8", "50%"]),
    "award-rounds-to-zero": (lambda: rule(factor="0.05"), ["0.5 XP", "awards 0"]),
    "bands-out-of-order": (lambda: rule(against="gap", bands=[[5, 3], [2, 2]]), ["up to 2 stands after"]),
    "bands-gap": (lambda: rule(against="gap", bands=[[1, 3], [2, 0.5], [3, 2]]), ["up and down"]),
    "rule-never-applies": (lambda: rule(factor=2, from_level=25), ["no award"]),
    "rule-needs-schedule": (lambda: rule(factor=2, from_day=3), ["hours_per_day"]),
    "rule-without-effect": (lambda: rule(factor="max(1, -gap)"), ["is 1 at every level"]),
    "factor-reaches-zero": (lambda: rule(factor="clip(1 - 0.1 * gap, 0, 1)"), ["is 0 at level 11"]),
    "factor-explodes": (lambda: rule(factor="1.3 ** gap"), ["above the ceiling of 10"]),
    "stack-too-high": (
        lambda: with_sources({}, multipliers=[{"name": "x", "factor": 4}, {"name": "y", "factor": 4}]),
        ["stack to 16", "x 4, y 4"],
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
    assert rm.check(rm.Design.from_dict(_toml(shipped_variants()["canopy_eased.toml"]))) == []
    assert [finding.code for finding in rm.check(rm.demo_design())] == ["cost-wall"]


def _toml(text):
    import tomllib

    return tomllib.loads(text)


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


def test_every_code_in_the_source_is_documented_and_the_other_way_round():
    source = Path(rm.__file__).parent
    text = "\n".join(path.read_text(encoding="utf-8") for path in source.rglob("*.py"))
    documented = set(re.findall(r"^\| `([a-z-]+)`", DOCS.read_text(encoding="utf-8"), re.M))
    assert set(DESERVED) <= documented
    assert [code for code in documented if f'"{code}"' not in text] == []
    passed = set(re.findall(r'code="([a-z-]+)"', text))
    assert passed <= documented, passed - documented
