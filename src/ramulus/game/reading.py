"""A pack read back: `levels.json` as a design with the same tables."""

from __future__ import annotations

import json
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np

from ramulus.design import Design, read_named
from ramulus.design.multiplier import SUCCESSES_TODAY, XP_THIS_WEEK, XP_TODAY
from ramulus.errors import DataError, DesignError
from ramulus.game.levels_json import FORMAT
from ramulus.rules.xp_units import from_units

MOST_BYTES = 100_000_000
_TIMES = ("from_day", "to_day", "weekdays", "first_minutes_of_day")
_OF_RULES = ("scales", "scales_skills_of", "factor_by_level")


def design_of(path: Path) -> Design:
    """Return a design with the tables of a `levels.json`: costs, points, stats, upgrades, sources and multipliers.

    What a game does not load (times, chances, players, goals) is not in it.

    Raises:
        DataError: the file cannot be read, or is none of this kind.
    """
    try:
        data = json.loads(read_named(path, MOST_BYTES).decode("utf-8-sig"))
    except (ValueError, RecursionError) as error:
        raise DataError(f"{path}: is no JSON ({error})") from None
    if not isinstance(data, dict) or data.get("format") != FORMAT or "tracks" not in data:
        raise DataError(
            f"{path}: is no levels.json of an export; allowed: a JSON table with format = {FORMAT} and tracks"
        )
    try:
        return Design.from_dict(_design(data))
    except (KeyError, TypeError, AttributeError, IndexError, ValueError) as error:
        raise DataError(f"{path}: is no levels.json of an export ({type(error).__name__}: {error})") from None
    except DesignError as error:
        raise DataError(f"{path}: {error}") from None


def _design(data: dict[str, Any]) -> dict[str, Any]:
    awards = data["awards"]
    return {
        "format": 1,
        "title": data["title"],
        "main_track": data["main_track"],
        **_if_any("constants", data["constants"]),
        "tracks": {name: _track(track) for name, track in data["tracks"].items()},
        **_if_any("stats", {name: _stat(data, name, stat) for name, stat in data["stats"].items()}),
        **_if_any("upgrades", {name: _upgrade(upgrade) for name, upgrade in data["upgrades"].items()}),
        **_if_any("sources", {name: _source(source) for name, source in data["sources"].items()}),
        "awards": {
            "rounding": awards["rounding"], "least_award": awards["least_award"],
            **({"rounding_to": awards["rounding_to"]} if awards["rounding_to"] != 1 else {}),
        },
        "encounter": {"failure": {"xp_share": awards["failure_xp_share"]}},
        **_if_any("away_bonus", _away(data)),
        **_if_any("players", _players(data)),
        **_if_any("gates", _gates(data)),
        **_if_any("multipliers", [_without(rule, _OF_RULES) for rule in data["multipliers"]]),
    }  # fmt: skip


def _gates(data: dict[str, Any]) -> list[dict[str, Any]]:
    return [{"track": name, **gate} for name, track in data["tracks"].items() for gate in track.get("gates", ())]


def _players(data: dict[str, Any]) -> dict[str, Any]:
    """Return profiles that stand for those the design had, where its multipliers or limits look at players or days."""
    rules, sources = data["multipliers"], data["sources"].values()
    names = sorted({name for rule in rules for name in rule.get("players", [])})
    by_day = any(rule.get(key) is not None for rule in rules for key in _TIMES)
    by_day |= any(rule.get("against") in (XP_TODAY, XP_THIS_WEEK, SUCCESSES_TODAY) for rule in rules)
    by_day |= "away_bonus" in data or any("from_day" in gate for gate in _gates(data))
    by_day |= any(source[key] is not None for source in sources for key in ("limit_per_day", "limit_per_week"))
    traits = {"traits": dict.fromkeys(data["traits"], 1)} if data["traits"] else {}
    profile = {**traits, **({"hours_per_day": 1} if by_day else {})}
    return dict.fromkeys(names or ["player"], profile) if names or profile else {}


def _if_any(key: str, value: Any) -> dict[str, Any]:
    return {key: value} if value else {}


def _without(table: dict[str, Any], keys: tuple[str, ...]) -> dict[str, Any]:
    return {key: value for key, value in table.items() if key not in keys and value is not None}


def _track(track: dict[str, Any]) -> dict[str, Any]:
    levels = track["levels"]
    costs = [from_units(level["cost"], track["scale"]) for level in levels[:-1]]
    return {
        **{key: track[key] for key in ("start_level", "max_level", "start_xp", "start_points", "may_drop_levels")},
        "points_per_level": _points([level["points"] for level in levels], track["start_level"]),
        "cost": {"values": costs, "rounding": "none"},
        "overflow": _without(track["overflow"], ()),
    }


def _points(granted: list[float], start_level: int) -> float | str:
    """Return the points of each level-up: a number, or a formula that changes where they do."""
    each = [round(after - before, 9) for before, after in pairwise(granted)]
    if not np.array_equal(np.cumsum(each), granted[1:]):
        each = [after - before for before, after in pairwise(granted)]
    if len(set(each)) == 1:
        return each[0]
    text, now = "", 0.0
    for level, points in enumerate(each, start_level + 1):
        if points != now:
            # Last first, so that the points themselves stand in the file and no sum of differences.
            text = f"{points!r} if level >= {level} else ({text})" if text else f"{points!r} if level >= {level} else 0"
            now = points
    return text


def _stat(data: dict[str, Any], name: str, stat: dict[str, Any]) -> dict[str, Any]:
    said = {key: stat[key] for key in ("track", "at_least", "at_most") if stat[key] is not None}
    if stat["rounding"] != "none":
        said |= {
            "rounding": stat["rounding"],
            **({"rounding_to": stat["rounding_to"]} if stat["rounding_to"] != 1 else {}),
        }
    if stat["formula"] is not None:
        return said | {"formula": stat["formula"], **({"base": stat["base"]} if "base" in stat else {})}
    return said | {"values": [level["stats"][name] for level in data["tracks"][stat["track"]]["levels"]]}


def _upgrade(upgrade: dict[str, Any]) -> dict[str, Any]:
    effects = upgrade["effects"]
    return {
        "stat": upgrade["stat"],
        upgrade["how"]: effects[1],
        "price": upgrade["price"],
        "max_rank": len(effects) - 1,
    }


def _source(source: dict[str, Any]) -> dict[str, Any]:
    said: dict[str, Any] = _without(source, ("level", "xp", "skill_xp", "skills", "numbers")) | source.get(
        "numbers", {}
    )
    said |= {key: _stated(source[key]) for key in ("level", "xp", "skill_xp") if key in source}
    if "skills" in source:
        said["skills"] = {skill: _stated(value) for skill, value in source["skills"].items()}
    return said


def _stated(value: Any) -> Any:
    """Return what a design says of a number: its formula, a law of XP, or the number itself."""
    return value.get("formula", _without(value, ("up_to",))) if isinstance(value, dict) else value


def _away(data: dict[str, Any]) -> dict[str, Any]:
    if "away_bonus" not in data:
        return {}
    bonus = data["away_bonus"]
    stated = {key: bonus[key].get("formula", bonus[key].get("value")) for key in ("per_day_away", "at_most")}
    return {**stated, "factor": bonus["factor"]}
