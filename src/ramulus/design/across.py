"""Mistakes that show only when tables of the file are seen together."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from ramulus.design.gate import Gate
from ramulus.design.goal import EVERYONE, Goal
from ramulus.design.multiplier import SUCCESSES
from ramulus.errors import Problem

if TYPE_CHECKING:
    from ramulus.design.model import DesignModel


def problems_across(design: DesignModel) -> Iterator[tuple[Problem, str]]:
    """Yield what no table is at fault for alone, with the name that it hangs on."""
    yield from _without_days(design)
    yield from _starts_outside(design)
    yield from _pools(design)
    for index, gate in enumerate(design.gates):
        yield from _gate_problems(design, index, gate)
    if EVERYONE in design.players:
        found = f"a profile called {EVERYONE!r} could not be told from all of them"
        yield Problem(f"players.{EVERYONE}", found, "any other name", code="reserved-name"), EVERYONE
    for index, goal in enumerate(design.goals):
        yield from ((problem, goal.player) for problem in _goal_problems(design, f"goals[{index}]", goal))


def _goal_problems(design: DesignModel, place: str, goal: Goal) -> Iterator[Problem]:
    track = design.tracks.get(goal.track or design.main_track_name)
    for key in ("level", "from_level", "to_level") if track else ():
        level = getattr(goal, key, None)
        assert track is not None
        if level is not None and not track.start_level <= level <= track.max_level:
            allowed = f"{track.start_level} … {track.max_level}"
            yield Problem(f"{place}.{key}", f"level {level} is outside the track", allowed)
    players = [goal.player] if goal.player != EVERYONE else list(design.players)
    someone = [design.players[name] for name in players if name in design.players]
    by_day = goal.key == "days" or getattr(goal, "by_day", None) is not None
    if by_day and any(not player.has_schedule for player in someone):
        found = f"it counts days, and {goal.player!r} has no schedule"
        yield Problem(place, found, "hours_per_day for the profile", code="incomplete-pair")
    if goal.key in ("wasted", "still_playing") and goal.track not in (None, design.main_track_name):
        yield Problem(f"{place}.track", f"{goal.key} of a skill", "the main track", code="invalid-value")


def _starts_outside(design: DesignModel) -> Iterator[tuple[Problem, str]]:
    track = design.tracks.get(design.main_track_name)
    members = design.party.members.items() if design.party else ()
    stated = [(f"players.{name}", player.start_level) for name, player in design.players.items()]
    stated += [(f"party.members.{name}", member.start_level) for name, member in members]
    for place, level in stated if track else ():
        assert track is not None
        if level is not None and not track.start_level <= level <= track.max_level:
            found, allowed = f"level {level} is outside the track", f"{track.start_level} … {track.max_level}"
            yield Problem(f"{place}.start_level", found, allowed), design.main_track_name


def _without_days(design: DesignModel) -> Iterator[tuple[Problem, str]]:
    """Yield what counts days where some profile has none."""
    for place, concerned in _counting_days(design):
        without = [name for name in concerned if not design.profiles[name].has_schedule]
        if without:
            whom = f"for: {', '.join(without)}" if design.players else "as there are no players"
            found = f"it counts days, and there is no schedule {whom}"
            allowed = "hours_per_day for every player profile"
            yield Problem(place, found, allowed, code="incomplete-pair"), "players"


def _counting_days(design: DesignModel) -> Iterator[tuple[str, list[str]]]:
    """Yield the place of everything that counts days, with the profiles that it counts them of."""
    everyone = list(design.profiles)
    for name, source in design.sources.items():
        keys = ("limit_per_day", "limit_per_week")
        yield from ((f"sources.{name}.{key}", everyone) for key in keys if getattr(source, key) is not None)
    for index, rule in enumerate(design.multipliers):
        if rule.counts is not None and rule.counts != SUCCESSES:
            concerned = [name for name in rule.players or everyone if name in design.profiles]
            yield f"multipliers[{index}].against", concerned
    for index, gate in enumerate(design.gates):
        if gate.from_day is not None:
            yield f"gates[{index}].from_day", everyone
    if design.away_bonus is not None:
        yield "away_bonus", everyone


def _pools(design: DesignModel) -> Iterator[tuple[Problem, str]]:
    encounter, main = design.encounter, design.main_track_name
    for name, stat in design.stats.items():
        if stat.pool and (stat.track or main) != main:
            found = f"{name!r} follows the track {stat.track!r}"
            yield Problem(f"stats.{name}.pool", found, "a pool of the main track"), name
    if encounter is not None and encounter.rest is None:
        for key, drains in (("drain", encounter.drain), ("failure.drain", encounter.failure.drain)):
            if drains:
                found = f"{', '.join(drains)} drained, and nothing says what follows when a pool is empty"
                yield Problem(f"encounter.{key}", found, "[encounter.rest] with seconds", code="incomplete-pair"), key


def _gate_problems(design: DesignModel, index: int, gate: Gate) -> Iterator[tuple[Problem, str]]:
    place, name = f"gates[{index}]", gate.track or design.main_track_name
    track = design.tracks.get(name)
    if track is not None and not track.start_level <= gate.at_level < track.max_level:
        found = f"level {gate.at_level} is none that {name!r} is left at"
        yield Problem(f"{place}.at_level", found, f"{track.start_level} … {track.max_level - 1}"), name
    others = [(other.track or design.main_track_name, other.at_level) for other in design.gates[:index]]
    if (name, gate.at_level) in others:
        found = f"gates[{others.index((name, gate.at_level))}] stands at level {gate.at_level} of {name!r} already"
        yield Problem(place, found, "one gate for it, that names all"), name
    for other, level in gate.levels.items():
        asked = design.tracks.get(other)
        if asked is not None and not asked.start_level <= level <= asked.max_level:
            allowed = f"{asked.start_level} … {asked.max_level}"
            yield Problem(f"{place}.levels.{other}", f"level {level} is outside the track", allowed), other
    for source, count in gate.successes.items():
        limit = design.sources[source].limit if source in design.sources else None
        if limit is not None and limit < count:
            found = f"{count} successes, and {source!r} has {limit}"
            yield Problem(f"{place}.successes.{source}", found, f"1 … {limit}, or a higher limit"), source
