"""Mistakes that show only when tables of the file are seen together."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from ramulus.design.goal import EVERYONE, Goal
from ramulus.errors import Problem

if TYPE_CHECKING:
    from ramulus.design.model import DesignModel


def problems_across(design: DesignModel) -> Iterator[tuple[Problem, str]]:
    """Yield what no table is at fault for alone, with the name that it hangs on."""
    yield from _limits_without_days(design)
    yield from _starts_outside(design)
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


def _limits_without_days(design: DesignModel) -> Iterator[tuple[Problem, str]]:
    without = [name for name, player in design.profiles.items() if not player.has_schedule]
    for name, source in design.sources.items():
        for key in ("limit_per_day", "limit_per_week"):
            if getattr(source, key) is not None and without:
                whom = f"for: {', '.join(without)}" if design.players else "as there are no players"
                found = f"it counts days, and there is no schedule {whom}"
                allowed = "hours_per_day for every player profile"
                yield Problem(f"sources.{name}.{key}", found, allowed, code="incomplete-pair"), "players"
