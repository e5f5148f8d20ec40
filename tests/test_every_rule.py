"""Every rule of encounters, alone and mixed, against the same design played by page and pencil (`plain.py`)."""

from __future__ import annotations

import os
import random
import tomllib
from typing import Any

import numpy as np
import pytest

import ramulus as rm
from plain import Member, Plain, plain_player
from ramulus.design.names import formula_places
from ramulus.simulation.parties import drawn_classes

DESIGNS, BATCHES = int(os.environ.get("RAMULUS_RANDOM_DESIGNS", "60")), 6
HOURS = 6.0


def some_design(seed: int, *, party: bool = False) -> rm.Design:
    """A valid design with a few of the rules that look around them."""
    draw = random.Random(seed)
    maybe = lambda chance=0.5: draw.random() < chance  # noqa: E731
    cap = draw.randint(4, 9)
    data: dict[str, Any] = {"format": 1, "title": f"design {seed}"}
    overflow = {
        "carry": draw.choice([1, 1, 0.5, 0]), "threshold": draw.choice(["reached", "exceeded"]),
        "level_ups_per_award": draw.choice(["any", "one"]), "at_cap": draw.choice(["discard", "fill", "bank"]),
        "whole_xp": maybe(0.8),
    }  # fmt: skip
    data["tracks"] = {
        "warden": {"max_level": cap, "cost": {"formula": f"{draw.choice([60, 400])} + 30 * level"}, "overflow": overflow,
                   "may_drop_levels": maybe(0.3), "points_per_level": 1},
        "grafting": {"max_level": 5, "cost": {"formula": "2 + level"}},
        "climbing": {"max_level": 4, "cost": {"formula": "3 * level"}, "overflow": {"carry": 0.5}},
    }  # fmt: skip
    data["stats"] = {
        "shear": {"base": 10, "growth": 1.05}, "insight": {"base": 5, "per_level": 2},
        "care": {"track": "grafting", "base": 1, "per_level": 0.2},
    }  # fmt: skip
    data["upgrades"] = {"lore": {"stat": "insight", "add": 3}}
    data["sources"] = _sources(draw, cap)
    data["encounter"] = {
        "seconds": "20 + bark * 10 / shear", "success": draw.choice([1, 0.8, "clip(0.9 + 0.02 * gap, 0.3, 1)"]),
        "variation": draw.choice([0, 0.3]),
        "failure": {"extra_seconds": 9, "xp_share": draw.choice([0, 0.3]), "loss": draw.choice([0, 0, 0.2])},
    }  # fmt: skip
    data["awards"] = {"rounding": draw.choice(["down", "nearest", "up"]), "least_award": draw.choice([0, 2])}
    data["multipliers"] = draw.sample(_rules(draw), draw.randint(0, 4))
    _more(draw, data, cap)
    for name, share in (("steady", 0.3), ("quick", 0.2)):
        data.setdefault("players", {})[name] = {
            "seconds_between": draw.randint(0, 20), "spread": share, "spends": ["lore"],
            "hours_per_day": draw.choice([0.4, 0.7, 1.3]), "days_per_week": draw.randint(2, 7),
            "traits": {"eye": draw.choice([0.8, {"mean": 0.8, "sd": 0.1, "at_least": 0.5}])},
            "pursuit": draw.choice([0, 0, 1.5, "best"]), "skill_xp_worth": draw.choice([0, 20]),
        }  # fmt: skip
    if not party and maybe(0.3):
        data["players"]["steady"] |= {"arrives": [[3, 0.5], [20, 1]]}
    if party:
        members = {name: {"player": who} for name, who in (("wren", "steady"), ("lark", "quick"), ("finch", "quick"))}
        members["wren"]["start_level"] = draw.randint(1, cap - 1)
        leader = draw.choice(["highest", "highest", "lark"])
        data["party"] = {"members": dict(list(members.items())[: draw.randint(2, 3)]), "leader": leader,
                         "share": draw.choice(["each", "split"]), "hold_below_leader": maybe()}  # fmt: skip
    return rm.Design.from_dict(data)


def _sources(draw: random.Random, cap: int) -> dict[str, Any]:
    aphid_level = draw.choice([2, "clip(level - 1, 1, 6)", "level / 2 + 1"])
    sources: dict[str, Any] = {
        "aphid": {"level": aphid_level, "xp": draw.choice([20, {"low": 9, "high": 30}, "15 + 2 * source_level"]),
                  "bark": draw.choice([10, "8 + 2 * source_level"])},
        "borer": {"level": 4, "xp": {"one_of": [[20, 0.7], [90, 0.3]]}, "bark": 30, "tags": ["strong"]},
        "graft": {"level": 3, "xp": 12, "bark": 5, "skill": "grafting", "skill_xp": draw.choice([1, "1 + level // 3"])},
    }  # fmt: skip
    if draw.random() < 0.5:
        sources["rope"] = {
            "level": 2,
            "xp": 25,
            "bark": 8,
            "skills": {"climbing": 1, "grafting": "1 + skill_level // 2"},
        }
    for name in draw.sample(list(sources), 2):
        sources[name][draw.choice(["limit", "limit_per_day", "limit_per_week"])] = draw.randint(3, 12)
    sources["aphid"].pop("limit", None)
    sources["borer"] |= {"from_level": draw.randint(1, cap - 2)}
    return sources


def _rules(draw: random.Random) -> list[dict[str, Any]]:
    stack = draw.choice(["multiply", "add", "best"])
    counted = draw.choice(["xp_today", "xp_this_week", "successes_today", "successes"])
    ends = [0, 2] if counted.startswith("successes") else [100, 400]
    return [
        {"name": "outgrown", "factor": "clip(1 - 0.05 * gap, 0.1, 1.3)", "stack": stack},
        {"name": "insight", "factor": "1 + insight / 100", "stack": draw.choice(["multiply", "add"])},
        {"name": "barky", "factor": "1 + bark / 50", "sources": ["borer", "aphid"], "stack": stack},
        {"name": "cared", "factor": "care", "sources": ["graft"]},
        {"name": "tired", "against": counted, "bands": [[ends[0], draw.choice([3, 1.5])], [ends[1], 1], [10**6, 0.5]],
         "stack": stack, **draw.choice([{}, {"sources": ["aphid"]}, {"tracks": ["grafting"]}])},
        {"name": "first", "against": "successes_today", "bands": [[0, 2]], **draw.choice([{}, {"weekdays": ["mon"]}])},
        {"name": "again", "factor": 1.5, "from_day": 2, "to_day": 3, "every": draw.randint(3, 9)},
        {"name": "warm", "factor": 1.25, "first_minutes_of_day": 10},
        {"name": "led", "against": "level / leader_level", "bands": [[0.5, 2.5], [0.9, 1.4]]},
    ]  # fmt: skip


def _more(draw: random.Random, data: dict[str, Any], cap: int) -> None:
    gates = [
        {"at_level": draw.randint(1, cap - 1), "successes": {"graft": draw.randint(1, 4)}},
        {"at_level": draw.randint(1, cap - 1), "levels": {"grafting": draw.randint(2, 3)}, "meanwhile": "fill"},
        {"at_level": draw.randint(1, cap - 1), "from_day": draw.randint(2, 9), "successes": {"aphid": 2}},
        {"track": "grafting", "at_level": 2, "levels": {"warden": 3}},
    ]
    chosen = draw.sample(gates, draw.choice([0, 0, 1, 2, 3]))
    places = {(gate.get("track", "warden"), gate["at_level"]) for gate in chosen}
    if chosen and len(places) == len(chosen):
        data["gates"] = chosen
        if data["sources"]["graft"].get("limit"):
            del data["sources"]["graft"]["limit"]
    if draw.random() < 0.4:
        data["stats"]["sap"] = {"base": 30, "per_level": 4, "pool": True, "refill_on_level_up": draw.random() < 0.5}
        data["stats"]["breath"] = {"base": 25, "pool": True}
        data["encounter"] |= {
            "drain": {"sap": "3 + bark / 20", "breath": draw.choice([2, "1 + gap ** 2 / 10"])},
            "rest": {
                "seconds": draw.choice([60, "20 + 3 * missing", "max(10, missing) if missing > 20 else level ** 2"])
            },
        }
        data["encounter"]["failure"]["drain"] = {"breath": "4 * eye"}
    if draw.random() < 0.4:
        data["away_bonus"] = {
            "per_day_away": draw.choice([15, "cost / 7"]), "at_most": draw.choice(["cost", 60]),
            "factor": draw.choice([2, 1.5]),
        }  # fmt: skip


def alike(design: rm.Design, profile: str, seed: int) -> None:
    """Three players, by the kernel and by page and pencil."""
    played = rm.simulate(design, {profile: 3}, hours=HOURS, seed=seed).profile(profile)
    for number in range(3):
        member = plain_player(design, profile, number, seed, HOURS)
        for track, arrived in member.arrived.items():
            here = played.arrivals[track]
            reached = np.isfinite(here.seconds.values[number])
            seconds, encounters = zip(*arrived, strict=True)
            assert here.encounters.values[number][reached].tolist() == list(encounters), (design.title, number, track)
            np.testing.assert_allclose(here.seconds.values[number][reached], seconds, rtol=1e-11)
            gone = np.diff(seconds) - [member.held.get((track, level), 0.0) for level in range(len(seconds) - 1)]
            start = member.arrived[track].count((0.0, 0)) - 1
            got = here.in_level.values[number][start : len(seconds) - 1]
            np.testing.assert_allclose(got, gone[start:], rtol=1e-9, atol=1e-6)


@pytest.mark.parametrize("batch", range(BATCHES))
def test_a_player_alone_plays_as_the_rules_say(batch):
    for seed in range(batch, DESIGNS, BATCHES):
        alike(some_design(seed), random.Random(seed).choice(["steady", "quick"]), seed)


@pytest.mark.parametrize("batch", range(BATCHES))
def test_a_party_plays_as_the_rules_say(batch):
    for seed in range(1000 + batch, 1000 + DESIGNS // 2, BATCHES):
        party_alike(some_design(seed, party=True), seed, encounters=150)


def party_alike(design: rm.Design, seed: int, encounters: int) -> None:
    """Two parties, by the kernel and by page and pencil."""
    played = rm.play_party(design, encounters, parties=2, seed=seed).played
    members = design.party.members
    profiles = [member.player for member in members.values()]
    for party in range(2):
        who = []
        for place, (name, member) in enumerate(members.items()):
            alike_ones, before = profiles.count(member.player), profiles[:place].count(member.player)
            ability = int(drawn_classes(seed, member.player, name, 2)[party])
            who.append(Member(name, member.player, party * alike_ones + before, ability, party % 7))
        plain = Plain(design, who, seed, 10_000.0, design.party).play(encounters)
        assert int(played.log.played[party]) == plain.encounter, design.title
        for step, state in enumerate(plain.log):
            here = list(zip(played.log.level[party, step].tolist(), played.log.xp[party, step].tolist(), strict=True))
            assert here == list(state.values()), (design.title, party, step)
        np.testing.assert_allclose(played.log.clock[party, : len(plain.clocks)], plain.clocks, rtol=1e-10)


@pytest.mark.parametrize("seed", range(2000, 2008))
def test_every_table_holds_for_every_rule(seed, tmp_path):
    """Tables, findings and workings of mixed designs: finite, the same from a file, and alike however they are kept."""
    design = some_design(seed, party=seed % 2 == 0)
    assert rm.Design.from_dict(tomllib.loads(design.to_toml())) == design
    rm.check(design)
    assert np.isfinite(rm.level_table(design)["cost"][:-1]).all()
    assert np.isfinite(rm.gain_table(design).select_dtypes("number")).any(axis=None)
    for formula in formula_places(design):
        assert np.isfinite(rm.explain(design, formula.place, 3).value), formula.place
    kept = rm.simulate(design, 60, hours=HOURS, seed=1)
    binned = rm.simulate(design, 60, hours=HOURS, seed=1, keep_players=False)
    kept.save(tmp_path / "play.npz")
    assert rm.SimulationResult.load(tmp_path / "play.npz").pace().equals(kept.pace())
    np.testing.assert_allclose(kept.pace()["hours_p50"], binned.pace()["hours_p50"], rtol=5e-3)
