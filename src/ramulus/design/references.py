"""Names in a design that must exist, and that must mean one thing."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import TYPE_CHECKING

from ramulus.design.goal import EVERYONE
from ramulus.design.names import FormulaPlace, formula_places, sources_scaled
from ramulus.errors import FormulaError, Problem, nearest_name
from ramulus.formula.evaluation import check_names
from ramulus.formula.parser import parse

if TYPE_CHECKING:
    from ramulus.design.model import DesignModel
    from ramulus.design.source import Source


def name_problems(design: DesignModel) -> Iterator[tuple[Problem, str]]:
    """Yield each name that does not exist, with the name itself."""
    for formula in formula_places(design):
        parsed = parse(formula.text)
        for name in parsed.names:
            if name not in formula.names:
                yield _unknown_in_formula(design, formula, name), name
    yield from _unknown_references(design)
    yield from _clashes(design)
    yield from _hidden_columns(design)


def _unknown_in_formula(design: DesignModel, formula: FormulaPlace, name: str) -> Problem:
    concerned = _sources_concerned(design, formula.place)
    lacking = [key for key, source in concerned.items() if name not in source.numbers]
    if len(lacking) > 0 and any(name in source.numbers for source in design.sources.values()):
        found = f"the name {name!r} is no number of: {', '.join(lacking)}"
        others = ", or name the others in its sources" if formula.place.startswith("multipliers") else ""
        return Problem(formula.place, found, f"give each of these sources a {name!r}{others}", code="unknown-name")
    without = [key for key, player in design.players.items() if name not in player.traits]
    if 0 < len(without) < len(design.players):
        found = f"the trait {name!r} is missing for: {', '.join(without)}"
        return Problem(formula.place, found, f"give each player profile a {name!r}", code="unknown-name")
    try:
        check_names(parse(formula.text), formula.names | (set(parse(formula.text).names) - {name}))
    except FormulaError as error:
        known = sorted(formula.names)
        return Problem(formula.place, error.found, ", ".join(known), nearest_name(name, known), "unknown-name")
    raise AssertionError("the name was unknown a moment ago")


def _sources_concerned(design: DesignModel, place: str) -> dict[str, Source]:
    """Return the sources whose own numbers a formula may read."""
    if found := re.match(r"multipliers\[(\d+)\]", place):
        return dict(sources_scaled(design, design.multipliers[int(found[1])]))
    return design.sources if place.startswith("encounter.") else {}


def _unknown_references(design: DesignModel) -> Iterator[tuple[Problem, str]]:
    for place, name, kind, known in _references(design):
        if name is not None and name not in known:
            listed = ", ".join(known) or f"no {kind} is defined"
            found = f"no {kind} is called {name!r}"
            yield Problem(place, found, listed, nearest_name(name, known), "unknown-reference"), name


def _references(design: DesignModel) -> Iterator[tuple[str, str | None, str, list[str]]]:
    tracks, sources, players = list(design.tracks), list(design.sources), list(design.players)
    yield "main_track", design.main_track, "track", tracks
    for name, stat in design.stats.items():
        yield f"stats.{name}.track", stat.track, "track", tracks
    for name, upgrade in design.upgrades.items():
        yield f"upgrades.{name}.stat", upgrade.stat, "stat", list(design.stats)
    skills = [track for track in tracks if track != design.main_track_name]
    for name, source in design.sources.items():
        yield f"sources.{name}.skill", source.skill, "skill track", skills
        for skill in source.skills:
            yield f"sources.{name}.skills.{skill}", skill, "skill track", skills
    for place, name in _pools_named(design):
        yield place, name, "pool", [stat for stat, one in design.stats.items() if one.pool]
    for index, gate in enumerate(design.gates):
        yield f"gates[{index}].track", gate.track, "track", tracks
        for name in gate.successes:
            yield f"gates[{index}].successes.{name}", name, "source", sources
        for name in gate.levels:
            yield f"gates[{index}].levels.{name}", name, "track", tracks
    for index, rule in enumerate(design.multipliers):
        kinds = (
            ("tracks", "track", tracks),
            ("sources", "source", sources),
            ("players", "player profile", players),
        )
        for key, kind, known in kinds:
            for item, name in enumerate(getattr(rule, key) or []):
                yield f"multipliers[{index}].{key}[{item}]", name, kind, known
        tags = sorted({tag for source in design.sources.values() for tag in source.tags})
        for item, name in enumerate(rule.tags or []):
            yield f"multipliers[{index}].tags[{item}]", name, "tag", tags
    for name, player in design.players.items():
        for item, upgrade_name in enumerate(player.spends):
            yield f"players.{name}.spends[{item}]", upgrade_name, "upgrade", list(design.upgrades)
    for name, member in design.party.members.items() if design.party else ():
        yield f"party.members.{name}.player", member.player, "player profile", players
    for index, goal in enumerate(design.goals):
        yield f"goals[{index}].player", goal.player, "player profile", [*players, EVERYONE]
        yield f"goals[{index}].track", goal.track, "track", tracks
        yield f"goals[{index}].compared_with", getattr(goal, "compared_with", None), "player profile", players


def _pools_named(design: DesignModel) -> Iterator[tuple[str, str]]:
    if design.encounter is not None:
        yield from ((f"encounter.drain.{name}", name) for name in design.encounter.drain)
        yield from ((f"encounter.failure.drain.{name}", name) for name in design.encounter.failure.drain)


def _clashes(design: DesignModel) -> Iterator[tuple[Problem, str]]:
    """One name must mean one thing in a formula."""
    taken = dict.fromkeys(design.constants, "a constant")
    for name in design.stats:
        if name in taken:
            yield (
                Problem(f"stats.{name}", f"{name!r} is also {taken[name]}", "another name", code="name-clash"),
                name,
            )
        taken[name] = "a stat"
    for name, reads in (("cost", design.away_bonus), ("missing", design.encounter and design.encounter.rest)):
        if reads and name in taken:
            where = "away_bonus" if name == "cost" else "encounter.rest"
            found = f"{name!r} is {taken[name]} here and a name of its own in {where}"
            yield Problem(f"{'constants' if taken[name] == 'a constant' else 'stats'}.{name}", found, "another name",
                          code="name-clash"), name  # fmt: skip
    own = [(f"players.{key}.traits.{name}", name) for key, player in design.players.items() for name in player.traits]
    own += [(f"sources.{key}.{name}", name) for key, source in design.sources.items() for name in source.numbers]
    for place, name in own:
        if name in taken:
            whose = "a player's trait" if place.startswith("players.") else "a source's own number"
            allowed = f"another name for one of them, such as {place.split('.')[1]}_{name}"
            found = f"{name!r} is {whose} here and {taken[name]} elsewhere: a formula could not tell them apart"
            yield Problem(place, found, allowed, code="name-clash"), name


# What the columns of a table are called, which a column of the author's must not hide.
LEVEL_COLUMNS = ("level", "cost", "total", "growth")
GAIN_COLUMNS = ("player", "level", "source", "base", "factor", "award")
EFFORT_COLUMNS = ("player", "level", "source", "chance", "seconds", "success", "award", "xp_per_hour")


def _hidden_columns(design: DesignModel) -> Iterator[tuple[Problem, str]]:
    """Each name that the author gives a column of a table must be that column's alone."""
    shown = design.encounter.show if design.encounter else {}
    rules = [(f"multipliers[{index}].name", rule.name) for index, rule in enumerate(design.multipliers)]
    for places, table, taken in (
        ([(f"stats.{name}", name) for name in design.stats], "levels", LEVEL_COLUMNS),
        ([(f"encounter.show.{name}", name) for name in shown], "effort", EFFORT_COLUMNS),
        (rules, "gain", GAIN_COLUMNS),
    ):
        seen: set[str] = set()
        for place, name in places:
            if name in taken:
                found = f"{name!r} is already a column of the {table} table"
                allowed = f"any other name (that table has {', '.join(taken)})"
                yield Problem(place, found, allowed, code="reserved-name"), name
            if name in seen:
                found = f"{name!r} is already the name of another multiplier"
                yield Problem(place, found, "a name of its own", code="reserved-name"), name
            seen.add(name)
    if design.party is not None and "highest" in design.party.members:
        found = "a member called 'highest' could not be told from leader = \"highest\""
        yield Problem("party.members.highest", found, "any other name", code="reserved-name"), "highest"
