"""The page on the design file names every key that there is, with its default, and examples that parse."""

from __future__ import annotations

import re
import tomllib
from pathlib import Path

import pytest

from ramulus.design import away, calendar, cost_ways, encounter, gate, goal, multiplier, player, source, stat, track
from ramulus.design.model import DesignModel

PAGE = (Path(__file__).parent.parent / "docs" / "design-file.md").read_text(encoding="utf-8")
SECTIONS = {
    "At the top": DesignModel,
    "`[tracks.NAME]`": track.Track,
    "`[tracks.NAME.overflow]`": track.Overflow,
    "`[stats.NAME]`": stat.Stat,
    "`[upgrades.NAME]`": stat.Upgrade,
    "`[sources.NAME]`": source.Source,
    "`[encounter]`": encounter.Encounter,
    "`[encounter.failure]`": encounter.Failure,
    "`[encounter.rest]`": encounter.Rest,
    "`[awards]`": encounter.Awards,
    "`[[multipliers]]`": multiplier.Multiplier,
    "`[away_bonus]`": away.AwayBonus,
    "`[[gates]]`": gate.Gate,
    "`[calendar]`": calendar.Calendar,
    "`[players.NAME]`": player.Player,
    "`[party]`": player.Party,
    "`[party.members.NAME]`": player.Member,
}


def rows(section: str) -> list[list[str]]:
    body = PAGE.split(f"### {section}\n")[1].split("\n#")[0]
    return [re.split(r"(?<!\\)\|", line)[1:-1] for line in body.splitlines() if re.match(r"\| .*`\w+` ", line)]


def judge(key: str, default: str, example: str, field) -> None:
    assert list(tomllib.loads(example.strip().strip("`"))) == [key], example
    said = default.strip().strip("`")
    if field.is_required():
        assert said == "required"
    elif said != "–":
        assert tomllib.loads(f"x = {said}")["x"] == field.default
    else:
        assert field.default in (None, [], {}) or hasattr(type(field.default), "model_fields")


@pytest.mark.parametrize("section", SECTIONS)
def test_every_key_is_on_the_page(section):
    fields, found = SECTIONS[section].model_fields, rows(section)
    assert [row[0].strip(" `") for row in found] == list(fields)
    for row in found:
        judge(row[0].strip(" `"), row[3], row[4], fields[row[0].strip(" `")])


def test_every_key_of_every_kind_of_goal_is_on_the_page():
    found = {row[0].strip(" `"): row for row in rows("`[[goals]]`")}
    fields = [(key, field) for kind in goal.Goal.kinds.values() for key, field in kind.model_fields.items()]
    assert set(found) == {key for key, _ in fields}
    for key, field in fields:
        if field.is_required() == (found[key][3].strip() == "required"):
            judge(key, found[key][3], found[key][4], field)


def test_every_way_to_state_costs_is_on_the_page():
    found = {(row[0].strip(), row[1].strip(" `")): row for row in rows("`[tracks.NAME.cost]`")}
    shared = list(cost_ways.Cost.model_fields)
    wanted = [(kind, key) for kind in cost_ways.Cost.kinds.values() for key in kind.model_fields if key not in shared]
    names = list(dict.fromkeys(name for name, _ in found))
    ways = dict(zip(cost_ways.Cost.kinds.values(), names, strict=False))
    assert set(found) == {(ways[kind], key) for kind, key in wanted} | {("all", key) for key in shared}
    for (name, key), row in found.items():
        kind = next((kind for kind, way in ways.items() if way == name), cost_ways.FormulaCost)
        judge(key, row[4], row[5], kind.model_fields[key])
