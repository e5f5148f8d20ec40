"""Where formulas stand in a design, which names each may use, and which other names must exist."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

from ramulus.design.cost_ways import Cost, CostWay, SegmentsCost

if TYPE_CHECKING:
    from ramulus.design.model import DesignModel
    from ramulus.design.multiplier import Multiplier
    from ramulus.design.source import Source
    from ramulus.design.stat import Stat

ENCOUNTER_NAMES = frozenset({"level", "source_level", "gap", "skill_level"})
REST_NAMES = frozenset({"level", "missing"})
AWAY_NAMES = frozenset({"level", "cost"})
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
        *_away_formulas(design),
        *_player_formulas(design),
    ):
        if isinstance(text, str):
            yield FormulaPlace(place, text, names | constants)
    for place, text in design.constant_formulas.items():
        yield FormulaPlace(place, text, constants)


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
        for skill, amount in source.practised.items():
            yield source.skill_xp_place(name, skill), amount, frozenset({"level", "source_level", "skill_level"})
        yield f"sources.{name}.level", source.level if isinstance(source.level, str) else None, frozenset({"level"})
        for number, value in source.numbers.items():
            yield f"sources.{name}.{number}", value, frozenset({"level", "source_level"})
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
    for place, drains in (("drain", design.encounter.drain), ("failure.drain", design.encounter.failure.drain)):
        for pool, amount in drains.items():
            yield f"encounter.{place}.{pool}", amount, shared | common_numbers(everyone)
    if design.encounter.rest is not None:
        main = {n for n, stat in design.stats.items() if stat_track(design, stat) == design.main_track_name}
        yield "encounter.rest.seconds", design.encounter.rest.seconds, common_traits(design) | main | REST_NAMES
    for name, value in design.encounter.show.items():
        # A shown column is left empty for a source that lacks a number of it.
        yield f"encounter.show.{name}", value, shared | {n for source in everyone for n in source.numbers}


def common_numbers(sources: Iterable[Source]) -> frozenset[str]:
    """Return the author's own numbers that every one of the sources has."""
    numbers = [frozenset(source.numbers) for source in sources]
    return frozenset.intersection(*numbers) if numbers else frozenset()


def _multiplier_formulas(design: DesignModel) -> _Found:
    names = MULTIPLIER_NAMES | frozenset(design.stats) | common_traits(design)
    for index, rule in enumerate(design.multipliers):
        numbers = common_numbers(source for _, source in sources_scaled(design, rule))
        yield f"multipliers[{index}].factor", rule.factor, names | numbers
        yield f"multipliers[{index}].against", None if rule.counts else rule.against, names | numbers


def _away_formulas(design: DesignModel) -> _Found:
    for key in ("per_day_away", "at_most") if design.away_bonus is not None else ():
        yield f"away_bonus.{key}", getattr(design.away_bonus, key), AWAY_NAMES


def sources_scaled(design: DesignModel, rule: Multiplier) -> Iterator[tuple[str, Source]]:
    """Yield the sources that a rule scales an award of, to the main track or to a skill, by name."""
    for name, source in design.sources.items():
        if any(selects(design, rule, name, track) for track in (design.main_track_name, *source.practised)):
            yield name, source


def selects(design: DesignModel, rule: Multiplier, name: str, track: str) -> bool:
    """Return whether a rule scales what a source awards to a track."""
    source = design.sources[name]
    return (
        rule.scales(track)
        and (rule.sources is None or name in rule.sources)
        and (rule.tags is None or bool(set(rule.tags) & set(source.tags)))
    )


def _player_formulas(design: DesignModel) -> _Found:
    for name, player in design.players.items():
        for trait, value in player.traits.items():
            yield f"players.{name}.traits.{trait}", value if isinstance(value, str) else None, frozenset({"level"})
        yield f"players.{name}.patience_hours_per_level", player.patience_hours_per_level, frozenset({"level"})
