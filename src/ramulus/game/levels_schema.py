"""The JSON Schema of `levels.json`, for whoever reads it in a game."""

from __future__ import annotations

from typing import Any

_NUMBER, _WHOLE, _TEXT, _YES = (
    {"type": "number"},
    {"type": "integer", "minimum": 0},
    {"type": "string"},
    {"type": "boolean"},
)
_HASH = {"type": "string", "pattern": "^[0-9a-f]{16}$"}
_NUMBERS = {"type": "array", "items": _NUMBER}
_NAMES = {"type": "array", "items": _TEXT}


def _or_none(schema: dict[str, Any]) -> dict[str, Any]:
    return {"anyOf": [schema, {"type": "null"}]}


def _table(properties: dict[str, Any], optional: tuple[str, ...] = (), *, more: bool = False) -> dict[str, Any]:
    required = [name for name in properties if name not in optional]
    return {"type": "object", "properties": properties, "required": required, "additionalProperties": more}


def _by_name(schema: dict[str, Any]) -> dict[str, Any]:
    return {"type": "object", "additionalProperties": schema}


def _said(description: str, schema: dict[str, Any]) -> dict[str, Any]:
    return {"description": description, **schema}


_OVERFLOW = _table({
    "carry": _said("The share of the XP past a threshold that is kept.", _NUMBER),
    "carry_limit": _said("The most that is kept, as a share of the next level's cost.", _or_none(_NUMBER)),
    "threshold": {"enum": ["reached", "exceeded"]},
    "level_ups_per_award": {"enum": ["any", "one"]},
    "whole_xp": _said("Whether what is kept is rounded down to whole XP.", _YES),
    "at_cap": {"enum": ["discard", "fill", "bank"]},
})  # fmt: skip
_LEVEL = _table({
    "level": _WHOLE,
    "cost": _said("Units from this level to the next; null at the cap.", _or_none(_WHOLE)),
    "total": _said("Units from nothing to this level.", _WHOLE),
    "points": _said("Points granted from the start level up to this one.", _NUMBER),
    "stats": _said("Without upgrades; what upgrades change is before limits and rounding.", _by_name(_NUMBER)),
})  # fmt: skip
_GATE = _table(
    {
        "at_level": _said("The level that nobody leaves while the gate is shut.", _WHOLE),
        "meanwhile": _said("What XP there does: it is kept, or fills the bar and no more.", {"enum": ["keep", "fill"]}),
        "successes": _by_name(_WHOLE), "levels": _by_name(_WHOLE), "from_day": _WHOLE,
    }, ("successes", "levels", "from_day"),
)  # fmt: skip
_TRACK = _table({
    "rules": _said("What a saved state carries to tell which rules it was made under.", _TEXT),
    "scale": _said("Units in one XP: all that is counted is counted in them.", {"type": "integer", "minimum": 1}),
    "start_level": _WHOLE, "max_level": _WHOLE, "start_xp": _NUMBER, "start_points": _NUMBER, "may_drop_levels": _YES,
    "overflow": _OVERFLOW, "levels": {"type": "array", "items": _LEVEL, "minItems": 2},
    "gates": _said("What opens them is the game's to know.", {"type": "array", "items": _GATE}),
}, ("gates",))  # fmt: skip
_BY_LEVEL = _table({"by_level": _NUMBERS, "formula": _TEXT})
_SKILL_XP: dict[str, Any] = {"anyOf": [_NUMBER, _TEXT, _BY_LEVEL]}
_SOURCE = _table(
    {
        "level": {"anyOf": [_WHOLE, _table({"by_level": {"type": "array", "items": _WHOLE}, "formula": _TEXT})]},
        "xp": {"anyOf": [
            _NUMBER, _BY_LEVEL, _table({"low": _NUMBER, "high": _NUMBER}),
            _table({"one_of": {"type": "array", "items": _NUMBERS}, "up_to": _NUMBERS}),
        ]},
        "from_level": _or_none(_WHOLE), "to_level": _or_none(_WHOLE), "limit": _or_none(_WHOLE),
        "limit_per_day": _or_none(_WHOLE), "limit_per_week": _or_none(_WHOLE), "tags": _NAMES,
        "skill": _TEXT, "skill_xp": _SKILL_XP, "skills": _by_name(_SKILL_XP),
        "numbers": _by_name({"anyOf": [_NUMBER, _TEXT]}),
    },
    ("skill", "skill_xp", "skills", "numbers"),
)  # fmt: skip
_IN_STORE = _table({"by_level": _NUMBERS, "formula": _TEXT, "value": _NUMBER}, ("formula", "value"))
_AWAY = _table({
    "per_day_away": _said("XP that a day away puts into the store.", _IN_STORE),
    "at_most": _said("XP that it is filled up to.", _IN_STORE),
    "factor": _said("What an award comes to while there is enough in the store.", _NUMBER),
    "whole_xp": _said("Whether what goes in and out is rounded down to whole XP.", _YES),
})  # fmt: skip


def levels_schema() -> dict[str, Any]:
    """Return the schema (JSON Schema, draft 2020-12)."""
    stat = _table(
        {"track": _TEXT, "formula": _or_none(_TEXT), "at_least": _or_none(_NUMBER), "at_most": _or_none(_NUMBER),
         "rounding": _TEXT, "rounding_to": _NUMBER, "upgrades": _NAMES, "base": _NUMBER}, ("base",),
    )  # fmt: skip
    upgrade = _table({
        "stat": _TEXT, "how": {"enum": ["add", "factor"]}, "price": _NUMBER,
        "effects": _said("What the ranks held add up or multiply to, from rank 0 on.", _NUMBERS),
    })  # fmt: skip
    multiplier = _table({"name": _TEXT, "stack": {"enum": ["multiply", "add", "best"]}, "scales": _NAMES,
                         "scales_skills_of": _NAMES}, more=True)  # fmt: skip
    whole = _table({
        "$schema": _TEXT, "title": _TEXT, "ramulus": _TEXT,
        "design": _said("The first 16 hex digits of SHA-256 over all below as canonical JSON.", _HASH),
        "format": {"const": 1}, "main_track": _TEXT, "tracks": _by_name(_TRACK), "stats": _by_name(stat),
        "upgrades": _by_name(upgrade), "sources": _by_name(_SOURCE),
        "awards": _table({
            "rounding": _TEXT, "rounding_to": _NUMBER, "least_award": _NUMBER, "failure_xp_share": _NUMBER,
        }),
        "away_bonus": _AWAY,
        "party": _table({"share": {"enum": ["each", "split"]}, "hold_below_leader": _YES}),
        "multipliers": {"type": "array", "items": multiplier}, "constants": _by_name(_NUMBER),
        "traits": _said("Names that formulas read and only the game knows.", _NAMES),
    }, ("away_bonus",))  # fmt: skip
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Levels, XP and awards of one design",
        **whole,
    }
