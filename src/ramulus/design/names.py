"""Where formulas stand in a design, which names each may use, and which other names must exist."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

from ramulus.design.cost_ways import Cost, CostWay, SegmentsCost
from ramulus.design.goal import EVERYONE
from ramulus.errors import FormulaError, Problem, nearest_name
from ramulus.formula.evaluation import check_names
from ramulus.formula.parser import parse

if TYPE_CHECKING:
    from ramulus.design.model import DesignModel
    from ramulus.design.source import Source
    from ramulus.design.stat import Stat

ENCOUNTER_NAMES = frozenset({"level", "source_level", "gap", "skill_level"})
MULTIPLIER_NAMES = ENCOUNTER_NAMES | {"leader_level", "party_size"}


@dataclass(frozen=True)
class FormulaPlace:
    """A formula of the design: where it stands, its text, and the names it may use."""

    place: str
    text: str
    names: frozenset[str]


def formula_places(design: DesignModel) -> Iterator[FormulaPlace]:
    """Yield every formula of a design, in the order of the file."""
    constants = frozenset(design.constants)
    for place, text, names in (
        *_track_formulas(design),
        *_stat_formulas(design),
        *_source_formulas(design),
        *_encounter_formulas(design),
        *_multiplier_formulas(design),
        *_player_formulas(design),
    ):
        if isinstance(text, str):
            yield FormulaPlace(place, text, names | constants)


_Found = Iterator[tuple[str, float | str | None, frozenset[str]]]


def _track_formulas(design: DesignModel) -> _Found:
    for name, track in design.tracks.items():
        yield f"tracks.{name}.points_per_level", track.points_per_level, frozenset({"level"})
        for place, way in cost_ways(f"tracks.{name}.cost", track.cost):
            if way.names:
                yield f"{place}.{way.key}", getattr(way, way.key), way.names


def cost_ways(place: str, cost: Cost) -> Iterator[tuple[str, CostWay]]:
    """Yield each way in which costs are stated, with its place: the table itself, or its segments."""
    if not isinstance(cost, SegmentsCost):
        yield place, cost
        return
    for index, segment in enumerate(cost.segments):
        yield f"{place}.segments[{index}]", segment


def stat_track(design: DesignModel, stat: Stat) -> str:
    """Return the name of the track whose level a stat follows."""
    return stat.track or design.main_track_name


def stat_names(design: DesignModel, stat: Stat) -> frozenset[str]:
    """Return the names that a stat's formula may use, constants aside."""
    track = stat_track(design, stat)
    others = {name for name, other in design.stats.items() if stat_track(design, other) == track}
    base = {"base"} if stat.base is not None else set()
    return frozenset({"level", "start_level"} | base | others)


def _stat_formulas(design: DesignModel) -> _Found:
    for name, stat in design.stats.items():
        yield f"stats.{name}.formula", stat.formula, stat_names(design, stat)


def _source_formulas(design: DesignModel) -> _Found:
    for name, source in design.sources.items():
        xp = source.xp if isinstance(source.xp, str) else None
        yield f"sources.{name}.xp", xp, frozenset({"level", "source_level"})
        yield f"sources.{name}.skill_xp", source.skill_xp, frozenset({"level", "source_level", "skill_level"})
        for number, value in source.numbers.items():
            yield f"sources.{name}.{number}", value, frozenset({"source_level"})
        names = encounter_names(design) | frozenset(source.numbers)
        yield f"sources.{name}.seconds", source.seconds, names
        yield f"sources.{name}.success", source.success, names


def encounter_names(design: DesignModel) -> frozenset[str]:
    """Return the names every encounter formula may use; a source's own numbers come on top."""
    return ENCOUNTER_NAMES | frozenset(design.stats) | common_traits(design)


def common_traits(design: DesignModel) -> frozenset[str]:
    """Return the traits that every player profile has."""
    traits = [frozenset(player.traits) for player in design.players.values()]
    return frozenset.intersection(*traits) if traits else frozenset()


def _encounter_formulas(design: DesignModel) -> _Found:
    if design.encounter is None:
        return
    shared, everyone = encounter_names(design), list(design.sources.values())
    for key in ("seconds", "success", "weight"):
        users = [source for source in everyone if getattr(source, key) is None or key == "weight"]
        # One that every source passes over is read by nobody, and may stay as it is.
        numbers = common_numbers(users) if users else {n for source in everyone for n in source.numbers}
        yield f"encounter.{key}", getattr(design.encounter, key), shared | numbers
    yield "encounter.failure.loss", design.encounter.failure.loss, frozenset({"level"})
    for name, value in design.encounter.show.items():
        # A shown column is left empty for a source that lacks a number of it.
        yield f"encounter.show.{name}", value, shared | {n for source in everyone for n in source.numbers}


def common_numbers(sources: Iterable[Source]) -> frozenset[str]:
    """Return the author's own numbers that every one of the sources has."""
    numbers = [frozenset(source.numbers) for source in sources]
    return frozenset.intersection(*numbers) if numbers else frozenset()


def _multiplier_formulas(design: DesignModel) -> _Found:
    names = MULTIPLIER_NAMES | common_traits(design)
    for index, rule in enumerate(design.multipliers):
        yield f"multipliers[{index}].factor", rule.factor, names
        yield f"multipliers[{index}].against", rule.against, names


def _player_formulas(design: DesignModel) -> _Found:
    for name, player in design.players.items():
        for trait, value in player.traits.items():
            yield f"players.{name}.traits.{trait}", value if isinstance(value, str) else None, frozenset({"level"})
        yield f"players.{name}.patience_hours_per_level", player.patience_hours_per_level, frozenset({"level"})


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
    lacking = [key for key, source in design.sources.items() if name not in source.numbers]
    if formula.place.startswith("encounter.") and 0 < len(lacking) < len(design.sources):
        found = f"the name {name!r} is no number of: {', '.join(lacking)}"
        return Problem(formula.place, found, f"give each source a {name!r}", code="unknown-name")
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
