"""`levels.json`: the pack as plain data, with its schema, its tables as CSV, and the hash that names the design."""

from __future__ import annotations

import ast
import hashlib
import json
from typing import TYPE_CHECKING, Any

from ramulus.formula import parse
from ramulus.game.pack import AwayPack, Pack, StatPack, TrackPack
from ramulus.rules.xp_units import from_units

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.gate import Gate

FORMAT = 1
SCHEMA_FILE = "levels.schema.json"
COLUMNS = ("level", "cost", "total", "points")


def plain(value: float) -> float:
    """Return a number as an `int` where it is whole, and small enough to be exact in every language."""
    return int(value) if float(value).is_integer() and abs(value) < 2**53 else float(value)


def levels_of(design: Design, pack: Pack, version: str) -> dict[str, Any]:
    """Return what a game loads, as plain data; amounts of XP are in units, `scale` of which are one XP."""
    read = _read(design)
    said: dict[str, Any] = {
        "format": FORMAT,
        "main_track": pack.main,
        "tracks": {track.name: _track(design, pack, track) for track in pack.tracks},
        "stats": {stat.name: _stat(design, stat) for stat in pack.stats},
        "upgrades": {
            upgrade.name: {
                "stat": upgrade.stat, "how": "add" if upgrade.adds else "factor", "price": plain(upgrade.price),
                "effects": _numbers(upgrade.effects),
            }
            for upgrade in pack.upgrades
        },
        "sources": {name: _source(design, pack, name, read) for name in design.sources},
        "awards": {
            "rounding": pack.rounding, "rounding_to": plain(pack.to), "least_award": plain(pack.least),
            "failure_xp_share": plain(pack.xp_share),
        },
        **({"away_bonus": _away(design, pack.away)} if pack.away else {}),
        "party": {"share": "split" if pack.splits else "each", "hold_below_leader": pack.holds},
        "multipliers": [_multiplier(design, pack, index) for index in range(len(pack.rules))],
        "constants": {name: plain(value) for name, value in design.constants.items() if name in read},
        "traits": list(pack.traits),
    }  # fmt: skip
    about = {"$schema": f"./{SCHEMA_FILE}", "title": pack.title, "ramulus": version, "design": hash_of(said)}
    return {**about, **said}


def _read(design: Design) -> set[str]:
    """Return the names that the formulas of the pack read, those that are tables too."""
    texts: list[object] = [text for rule in design.multipliers for text in (rule.factor, rule.against)]
    texts += [
        text for source in design.sources.values() for text in (source.level, source.xp, *source.practised.values())
    ]
    if design.away_bonus is not None:
        texts += [design.away_bonus.per_day_away, design.away_bonus.at_most]
    texts += [stat.formula for stat in design.stats.values()]
    return {name for text in texts if isinstance(text, str) for name in parse(text).names}


def hash_of(said: dict[str, Any]) -> str:
    """Return the name of a design: what all that it says comes to, its title and who wrote it apart."""
    canonical = json.dumps(said, sort_keys=True, separators=(",", ":"), ensure_ascii=True)
    return hashlib.sha256(canonical.encode()).hexdigest()[:16]


def levels_csv(track: TrackPack, pack: Pack) -> str:
    """Return a track's table: level, cost and total in units, points granted by then, and its stats."""
    stats = pack.tables_of(track)
    rows = [",".join([*COLUMNS, *(stat.name for stat in stats)])]
    total = 0
    for place, granted in enumerate(track.granted):
        cost = track.costs[place] if place < len(track.costs) else None
        cells = [track.start_level + place, "" if cost is None else cost, total, plain(granted)]
        rows.append(",".join(str(cell) for cell in [*cells, *(plain(s.by_level[place]) for s in stats)]))
        total += cost or 0
    return "\n".join(rows) + "\n"


def _numbers(values: tuple[float, ...]) -> list[float]:
    return [plain(value) for value in values]


def _track(design: Design, pack: Pack, track: TrackPack) -> dict[str, Any]:
    overflow = design.track(track.name).overflow.model_dump(mode="json")
    levels, total = [], 0
    for place, granted in enumerate(track.granted):
        cost = track.costs[place] if place < len(track.costs) else None
        levels.append({
            "level": track.start_level + place, "cost": cost, "total": total, "points": plain(granted),
            "stats": {stat.name: plain(stat.by_level[place]) for stat in pack.tables_of(track)},
        })  # fmt: skip
        total += cost or 0
    mine = [gate for gate in design.gates if (gate.track or pack.main) == track.name]
    gates = [_gate(gate) for gate in sorted(mine, key=lambda gate: gate.at_level)]
    return {
        "rules": track.rules, "scale": track.scale, "start_level": track.start_level, "max_level": track.max_level,
        "start_xp": from_units(track.start_units, track.scale), "start_points": plain(track.start_points),
        "may_drop_levels": track.may_drop, "overflow": overflow, "levels": levels,
        **({"gates": gates} if gates else {}),
    }  # fmt: skip


def _gate(gate: Gate) -> dict[str, Any]:
    waits = gate.model_dump(mode="json", exclude={"track", "at_level", "meanwhile"}, exclude_defaults=True)
    return {"at_level": gate.at_level, "meanwhile": gate.meanwhile, **waits}


def _stat(design: Design, stat: StatPack) -> dict[str, Any]:
    said = {
        "track": stat.track, "formula": None if stat.tree is None else design.stats[stat.name].formula,
        "at_least": stat.low, "at_most": stat.high, "rounding": stat.rounding, "rounding_to": plain(stat.to),
        "upgrades": [upgrade.name for upgrade in stat.upgrades],
    }  # fmt: skip
    return said | ({"base": stat.fixed["base"]} if "base" in stat.fixed else {})


def _source(design: Design, pack: Pack, name: str, read: set[str]) -> dict[str, Any]:
    source = design.sources[name]
    packed = next(one for one in pack.sources if one.name == name)
    xp: Any = plain(packed.low[0])
    if len(packed.low) > 1:
        xp = {"by_level": _numbers(packed.low), "formula": source.xp}
    elif not packed.width:
        xp = {**source.xp.model_dump(mode="json"), "up_to": _numbers(packed.up_to)}  # type: ignore[union-attr]
    elif packed.width > 1:
        xp = {"low": plain(packed.low[0]), "high": plain(packed.low[0] + packed.width - 1)}
    keys = ("from_level", "to_level", "limit", "limit_per_day", "limit_per_week")
    level = {"by_level": list(packed.levels), "formula": source.level} if len(packed.levels) > 1 else packed.levels[0]
    said = {"level": level, "xp": xp, **{key: getattr(source, key) for key in keys}, "tags": source.tags}
    if own := {number: value for number, value in source.numbers.items() if number in read}:
        said["numbers"] = own
    practised = {
        one.skill: _skill_xp(source.practised[one.skill], one.xp) for one in pack.practice if one.source == name
    }
    if source.skill is not None:
        return said | {"skill": source.skill, "skill_xp": practised[source.skill]}
    return said | ({"skills": practised} if practised else {})


def _away(design: Design, packed: AwayPack) -> dict[str, Any]:
    bonus = design.away_bonus
    assert bonus is not None
    each = (("per_day_away", bonus.per_day_away, packed.per_day), ("at_most", bonus.at_most, packed.at_most))
    said: dict[str, Any] = {
        key: {
            "by_level": _numbers(values),
            **({"formula": stated} if isinstance(stated, str) else {"value": plain(stated)}),
        }
        for key, stated, values in each
    }
    return {**said, "factor": plain(bonus.factor), "whole_xp": packed.whole}


def _skill_xp(text: Any, packed: Any) -> Any:
    if isinstance(packed, ast.expr):
        return text
    return {"by_level": _numbers(packed), "formula": text} if isinstance(packed, tuple) else plain(packed)


def _multiplier(design: Design, pack: Pack, index: int) -> dict[str, Any]:
    rule, packed = design.multipliers[index], pack.rules[index]
    said = {key: value for key, value in rule.model_dump(mode="json").items() if value is not None}
    if packed.table:
        said["factor_by_level"] = {source: _numbers(values) for source, values in packed.table.items()}
    return {**said, "scales": sorted(packed.sources), "scales_skills_of": sorted(packed.skill_sources)}
