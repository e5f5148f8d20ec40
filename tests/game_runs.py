"""Random designs and runs for code that games load, with what the ledger and the tables of the package say to each."""

from __future__ import annotations

import json
import random
import shutil
import subprocess
from pathlib import Path
from typing import Any

import numpy as np
import pytest

import ramulus as rm
from ramulus.design.multiplier import COUNTED
from ramulus.formula import parse
from ramulus.rules.counted import standing_at
from ramulus.rules.multipliers import Company
from ramulus.rules.pay import paid_xp
from ramulus.rules.rounding import ROUNDING_CODES, Rounder
from ramulus.rules.tabulation import tabulated
from ramulus.rules.xp_units import from_units, to_units, units_of

FACTORS = (
    "clip(1 - 0.08 * gap, 0.04, 1)", "1 + 0.1 * (level // 3)", "round(level / 3 + 0.25) / 2", "0.5 + (gap % 3) / 7",
    "2 if level < leader_level else 1", "max(0.2, 1 - skill_level / 20, level / 40)", "1.5 if 2 <= level < 6 else 0.75",
    "exp(-abs(gap) / 9)", "1 / party_size ** 0.5" , "sqrt(luck) + 0.1", "(level > 3 and gap > 0) * 0.5 + 0.7",
    "ceil(level * first_share) / 10", "1 + bark / 10", "bark ** 0.5 if gap > 1 else 1", "1.25", "abs(gap - 0.5) // 0.7 / 4", "0.9 + (not level > 5) * 0.2 or 1", "level and 0.8",
    "(source_level + 1) / (level + 2)", "1 + hide / 20", "hide ** 0.5 / 2", "max(0.5, shear / 15) + pull / 100", "1 + grip / 9",
)  # fmt: skip
OVERFLOW = {
    "carry": (1, 1, 0, 0.5, 0.29, 0.333333333), "threshold": ("reached", "exceeded"), "whole_xp": (True, False),
    "level_ups_per_award": ("any", "any", "one"), "at_cap": ("discard", "fill", "bank"), "carry_limit": (None, None, 0, 0.25, 700),
}  # fmt: skip


def _track(dice: random.Random, parts: bool) -> dict[str, Any]:
    levels, start = dice.randint(2, 12), dice.choice([0, 1, 1, 5])
    costs = [round(dice.uniform(1, 200), 1) if parts else dice.randint(1, 200) for _ in range(levels)]
    overflow = {key: value for key, some in OVERFLOW.items() if (value := dice.choice(some)) is not None}
    return {
        "start_level": start, "max_level": start + levels, "cost": {"values": costs, "rounding": "none"}, "overflow": overflow,
        "may_drop_levels": dice.random() < 0.5, "start_points": dice.choice([0, 3]), "start_xp": 0.5 if min(costs) > 0.5 and parts else 0,
        "points_per_level": dice.choice([0, 1, 0.1, "level * 0.3", "1 if level < 4 else 2"]),
    }  # fmt: skip


def _gates(dice: random.Random, tracks: dict[str, Any]) -> list[dict[str, Any]]:
    return [
        {"track": name, "at_level": level, "successes": {"seed_errand": 2}, "meanwhile": dice.choice(["keep", "fill"])}
        for name, track in tracks.items() if dice.random() < 0.4
        for level in range(track["start_level"], track["max_level"]) if dice.random() < 0.3
    ]  # fmt: skip


def _stats(dice: random.Random) -> dict[str, Any]:
    limits = {"at_least": 2.5, "rounding": dice.choice(["none", "down", "nearest", "up"])}
    return {
        "stats": {
            "shear": {"base": 9, "growth": 1.06, **(limits if dice.random() < 0.6 else {})},
            "windup": {"base": 1.4, "per_level": dice.choice([0, -0.2]), "at_most": 3},
            "pull": {"formula": dice.choice(["shear / windup + level", "round(shear) - base", "shear if level > 4 else 0"]),
                     "base": 2, "rounding": "nearest", "rounding_to": dice.choice([None, 5])},
            "grip": {"track": "grafting", "base": 1, "per_level": 0.5},
            "hide": {"base": 3, "per_level": 0.7},
        },
        "upgrades": {"keen_edge": {"stat": "shear", "add": 2}, "deft": {"stat": "windup", "factor": 0.93, "max_rank": 4}},
    }  # fmt: skip


def _multipliers(dice: random.Random) -> list[dict[str, Any]]:
    rules = []
    for number in range(dice.randint(0, 7)):
        rule: dict[str, Any] = {"name": f"rule {number}", "stack": dice.choice(["multiply", "multiply", "add", "best"])}
        formula = dice.choice([text for text in FACTORS if "party_size **" not in text])
        if dice.random() < 0.2:
            word = dice.choice(["xp_today", "xp_this_week", "successes_today", "successes"])
            rule |= {"against": word, "bands": [[dice.choice([0, 2]), 3], [dice.choice([7, 40.5]), 1], [900, 0.25]]}
        elif dice.random() < 0.25:
            rule |= {"against": "level / leader_level", "bands": [[0.4, 5.0], [0.7, 2.5], [0.95, 1.4]]}
        else:
            rule["factor"] = dice.choice([1.5, 0.9, formula, formula, formula])
        if dice.random() < 0.3:
            rule |= {"from_day": 2, "to_day": 9}
        if dice.random() < 0.2:
            rule["from_level"], rule["to_level"] = 3, 8
        choice = dice.random()
        rule |= {"sources": ["aphid_cluster"]} if choice < 0.15 else {"tags": ["pest"]} if choice < 0.3 else {}
        if dice.random() < 0.15:
            rule["players"] = ["steady"]
        if dice.random() < 0.3:
            rule["tracks"] = [dice.choice(["warden", "grafting", "climbing"])]
        rules.append(rule)
    return rules


def _away(dice: random.Random) -> dict[str, Any]:
    """Return a store of time away, in two designs of five."""
    stored = {
        "per_day_away": dice.choice([20, "level * 7.3", "0.31 * cost"]),
        "at_most": dice.choice([90, "cost * 1.5"]),
    }
    return {"away_bonus": {**stored, "factor": dice.choice([2, 1.37])}} if dice.random() < 0.4 else {}


def _practised(dice: random.Random) -> dict[str, Any]:
    """Return a source of one skill, or in half of all designs of two."""
    xp = dice.choice([2, "1 + skill_level % 3", "level ** 1.1", "source_level + 0.5"])
    if dice.random() < 0.5:
        return {"skill": "grafting", "skill_xp": xp}
    return {
        "skills": {"grafting": xp, "climbing": dice.choice([1, "2 + skill_level // 2", "sqrt(level)", "level ** 0.7"])}
    }


def game_design(seed: int) -> rm.Design:
    """Return a design with everything that a game can load; no two seeds need the same of a language."""
    dice = random.Random(seed)
    parts = dice.random() < 0.3
    stats, tracks = _stats(dice), {"warden": _track(dice, parts), "grafting": _track(dice, False)}
    more = random.Random(f"more {seed}")
    tracks["climbing"] = _track(more, False)
    return rm.Design.from_dict({
        "format": 1, "title": f"Canopy {seed}", "constants": {"first_share": 0.7}, **stats,
        "tracks": tracks, "gates": _gates(random.Random(f"gates {seed}"), tracks), **_away(more),
        "sources": {
            "aphid_cluster": {"level": 1, "xp": {"low": 9, "high": 13}, "bark": 3, "tags": ["pest"]},
            "class": {"level": more.choice([4, "clip(level * first_share - 1, 2, 9)"]), "bark": "2 + level // 2", "xp": dice.choice([34, "10 + level * 2", "level ** 1.5 + source_level"]), "tags": ["pest", "tough"]},
            "seed_errand": {"level": 2, "bark": 0.5, "xp": {"one_of": [[100, 0.7], [150, 0.3]]}},
            "shoot_graft": {"level": 3, "bark": "source_level * 2", "xp": 20, **_practised(more)},
        },
        "encounter": {"seconds": 30, "failure": {"xp_share": dice.choice([0, 0.1, 0.37])}},
        "awards": {"rounding": dice.choice(["down", "nearest", "up"]), "rounding_to": dice.choice([None, None, 5]),
                   "least_award": dice.choice([0, 2])},
        "multipliers": _multipliers(dice),
        "players": {"steady": {"traits": {"luck": 0.8}, "hours_per_day": 1}, "adept": {"traits": {"luck": 1.3}, "hours_per_day": 2}},
        "party": {"members": {"wren": {"player": "steady"}, "lark": {"player": "adept"}}, "share": dice.choice(["each", "split"]),
                  "hold_below_leader": dice.random() < 0.5},
    })  # fmt: skip


# --- runs -------------------------------------------------------------------------------------------------------


def runs(design: rm.Design, seed: int, steps: int, encounters: bool = True) -> list[tuple[dict[str, Any], list[Any]]]:
    """Return requests with the states that are right, some runs of fresh characters on each track."""
    dice, found = random.Random(seed), []
    for track in design.tracks:
        for _ in range(max(steps // 40, 1)):
            found.append(_run(design, track, dice, len(found), min(steps, 40), encounters))
    return found


def _run(design: rm.Design, track: str, dice: random.Random, number: int, steps: int, encounters: bool) -> Any:
    ledger = rm.Ledger(design, track)
    scale, costs = ledger.tables.scale, list(ledger.tables.overflow.costs)
    do: list[dict[str, Any]] = []
    states = [_state(ledger)]
    for _ in range(steps):
        near = dice.choice(costs) + dice.choice([-1, 0, 0, 1])
        large = [2 ** dice.randint(24, 42)] if dice.random() < 0.1 else []
        units = dice.choice(
            [0, 1, near, near, dice.randint(0, 60), dice.randint(0, 3 * max(costs)), sum(costs) // 2, *large]
        )
        roll, award = dice.random(), None
        practised = track == design.main_track_name or any(track in s.practised for s in design.sources.values())
        if encounters and practised and design.sources and roll < 0.4:
            step, award = _encounter(design, track, ledger.level, dice)
            do.append(step)
            ledger.award(from_units(award, scale))
        elif roll < 0.75:
            do.append({"award": units})
            ledger.award(from_units(units, scale))
        elif roll < 0.93:
            do.append({"lose": units})
            ledger.lose(from_units(units, scale))
        elif ledger.shut_gates and roll < 0.97:
            do.append({"open_gate": dice.choice(ledger.shut_gates)})
            ledger.open_gate(do[-1]["open_gate"])
        else:
            do.append({"reload": 1})
            ledger = rm.Ledger.from_dict(design, ledger.to_dict())
        states.append(_state(ledger) | ({} if award is None else {"award": award}))
    return {"id": number, "track": track, "do": do}, states


def _state(ledger: rm.Ledger) -> dict[str, Any]:
    units = {name: getattr(ledger.account, name) for name in ("xp", "wasted")}
    return {"level": ledger.level, "points": float(ledger.points), **units}


def _encounter(design: rm.Design, track: str, level: int, dice: random.Random) -> tuple[dict[str, Any], int]:
    """Return an encounter, and the units that it awards by the package's own tables."""
    tables, main = tabulated(design), design.track()
    for_skill = track != design.main_track_name
    names = [name for name, source in design.sources.items() if not for_skill or track in source.practised]
    name, won = dice.choice(names), dice.random() < 0.7
    if for_skill:
        level = dice.randint(main.start_level, main.max_level)
    leader, size = dice.randint(main.start_level or 1, main.max_level), dice.randint(1, 4)
    profile, on = (
        dice.choice(list(design.players)),
        [r.name for r in design.multipliers if r.timed and dice.random() < 0.5],
    )
    columns, profiles = tables.columns, tables.profile(profile)
    place = list(design.sources).index(name)
    column = int(columns.first_column[place]) + dice.randrange(int(columns.width[place]))
    awarding = profiles.awarding(Company(leader, size, shares=np.ones((1, 1), dtype=np.bool_)))
    done = {word: dice.choice([0, 1, 2, 3, 7, 8, 40, 40.5, 41, 900, 901]) for word in COUNTED}
    active = frozenset(i for i, rule in enumerate(design.multipliers) if rule.name in on or not rule.timed)
    active = standing_at(design, active, done)
    index = level - main.start_level
    drawn = dice.choice([0, 1, 9, 34, 150, dice.randint(0, 10_000)])
    step = {
        "encounter": name, "xp": drawn, "success": int(won), "level": level, "skill_level": int(columns.skill_level[column]),
        "leader_level": leader, "party_size": size, "player": profile, "luck": design.players[profile].traits["luck"], "on": on,
        **done,
    }  # fmt: skip
    share = float(design.encounters.failure.xp_share)
    scene, at = profiles.encounters.scene, column
    if for_skill:
        practice, scene = tables.practice, profiles.encounters.practice
        its = list(zip(practice.sources, practice.skill_track, strict=True)).index((name, track))
        at = int(practice.first_column[its]) + dice.randrange(int(practice.width[its]))
        step["skill_level"] = int(practice.skill_level[at])
    step |= {stat: _at(scene, stat, index, at) for stat in ("shear", "windup", "pull", "grip")}
    asked = {"encounter", "xp", "success", "level", *_told(design, for_skill)}
    step = {key: value for key, value in step.items() if key in asked}
    if for_skill:
        exact = profiles.encounters.skill_xp[index, at] * awarding.skill_product(active)[index, at]
        xp = Rounder.of(design.awards)(exact * (1.0 if won else share))
        return step, int(to_units(xp, tables.track(track).scale))
    product = float(awarding.product(active)[index, column])
    split = size if design.party and design.party.share == "split" else 1
    rounder = Rounder.of(design.awards)
    xp = paid_xp(
        drawn / split, product, won, share, ROUNDING_CODES[rounder.kind], rounder.to, float(design.awards.least_award)
    )
    return step, units_of(xp, tables.main.scale)


def _at(scene: Any, stat: str, index: int, column: int) -> float:
    value = float(np.broadcast_to(scene.names[stat], scene.columns.shape)[index, column])
    return value if np.isfinite(value) else 0.0


def _told(design: rm.Design, for_skill: bool) -> set[str]:
    """Return what code for an award has to be told: what formulas read, and what conditions look at."""
    main = design.main_track_name
    pairs = [
        (source, track) for source in design.sources.values() for track in (source.practised if for_skill else [main])
    ]
    names = {id(source): name for name, source in design.sources.items()}
    rules = [
        rule
        for rule in design.multipliers
        if any(
            (rule.tracks is None or track in rule.tracks)
            and (rule.sources is None or names[id(source)] in rule.sources)
            and (rule.tags is None or set(rule.tags) & set(source.tags))
            for source, track in pairs
        )
    ]
    texts = [text for rule in rules for text in (rule.factor, rule.against)]
    if not for_skill:
        told = {"party_size"} if design.party and design.party.share == "split" else set()
    else:
        told, texts = set(), texts + [xp for source, _ in pairs for xp in source.practised.values()]
    told |= {name for text in texts if isinstance(text, str) for name in parse(text).names}
    return (
        told
        | ({"on"} if any(r.timed for r in rules) else set())
        | ({"player"} if any(r.players for r in rules) else set())
    )


# --- languages --------------------------------------------------------------------------------------------------

CPP = "g++ -std=c++17 -Wall -Wextra -Werror -ffp-contract=off {flags} harness.cpp -o harness"
BUILDS = {
    "python": ((), "python3 harness.py"), "javascript": ((), "node harness.mjs"), "lua": ((), "lua5.4 harness.lua"),
    "cpp": ((CPP.format(flags="-O1 -fsanitize=undefined,address"),), "./harness"),
    "csharp": (("mcs -warn:4 -warnaserror Harness.cs Leveling.cs -out:Harness.exe",), "mono Harness.exe"),
}  # fmt: skip


def missing(language: str) -> str:
    """Return a program that a language needs and this machine lacks; "" where all are there."""
    builds, run = BUILDS[language]
    return next(
        (line.split()[0] for line in (*builds, run) if not line.startswith("./") and not shutil.which(line.split()[0])),
        "",
    )


LANGUAGES = pytest.mark.parametrize(
    "language",
    [
        pytest.param(
            one,
            marks=[
                pytest.mark.skipif(bool(missing(one)), reason=f"no {missing(one)}"),
                *([] if one == "python" else [pytest.mark.slow]),
            ],
        )
        for one in BUILDS
    ],
)


def build(folder: Path, language: str) -> list[str]:
    """Build an exported folder's harness; return the command that runs it."""
    builds, run = BUILDS[language]
    for line in builds:
        done = subprocess.run(line.split(), cwd=folder, capture_output=True, text=True, check=False)
        assert done.returncode == 0, done.stdout + done.stderr
    return run.split()


def answers(folder: Path, command: list[str], requests: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Ask a harness, and return its answers."""
    asked = "".join(json.dumps(request, separators=(",", ":"), ensure_ascii=False) + "\n" for request in requests)
    done = subprocess.run(command, cwd=folder, input=asked, capture_output=True, encoding="utf-8", check=False)
    assert done.returncode == 0, done.stderr[-2000:]
    return [json.loads(line) for line in done.stdout.splitlines()]


def differences(design: rm.Design, folder: Path, language: str, seed: int, steps: int) -> int:
    """Hold a language against the package over some runs; return how many states were the same."""
    return compared(design, folder, language, runs(design, seed, steps))


def compared(design: rm.Design, folder: Path, language: str, asked: list[tuple[dict[str, Any], list[Any]]]) -> int:
    """Hold a language against what is right for some runs; return how many states were the same.

    Raises:
        AssertionError: it is at some step in another state, or awards something else.
    """
    command, same = build(folder, language), 0
    for (request, right), answer in zip(asked, answers(folder, command, [r for r, _ in asked]), strict=True):
        assert answer["id"] == request["id"]
        for number, (state, found) in enumerate(zip(right, answer["states"], strict=True)):
            until = request["do"][max(number - 3, 0) : number]
            assert state == found, (language, design.title, request["track"], until, state, found)
            same += 1
    return same
