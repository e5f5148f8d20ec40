"""Any formula, cost or stat of a design, worked through at one level: the working that the rules hand out."""

from __future__ import annotations

import re
from contextlib import suppress
from dataclasses import replace
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from ramulus.design import value_at
from ramulus.design.names import formula_places, stat_track
from ramulus.errors import RamulusError, UnknownNameError, refuse_other_than_design
from ramulus.formula import parse
from ramulus.rules.ability import MIDDLE, class_at
from ramulus.rules.pursuit import choice_working, pursuit_of
from ramulus.rules.tabulation import tabulated
from ramulus.rules.working import Working, of_formula
from ramulus.tables.explanation import Explanation

if TYPE_CHECKING:
    from ramulus.design import Design

_COST_PLACE = r"tracks\.(\w+)\.cost(?:\.(?:formula|next|values|file|points|level_from_xp|segments.*))?"


def explain(
    design: Design,
    place: str,
    level: int,
    *,
    player: str | None = None,
    ability: float = 0.5,
    source: str | None = None,
    skill_level: int | None = None,
) -> Explanation:
    """Work a formula, a track's cost, a stat or a player's choice through at one level, as on paper.

    Args:
        design: the design.
        place: a formula's place, such as ``tracks.warden.cost.formula``, ``encounter.seconds`` or
            ``multipliers.outgrown.factor``; or ``tracks.NAME.cost`` or ``stats.NAME``, however it is stated;
            or ``players.NAME.pursuit``: the chance that the player meets a source next.
        level: the player's level (for a cost the level being left, also where totals are stated).
        player: the player profile, where stats and traits matter (default: the first; for a stat, no upgrades).
        ability: where the player stands among its like, 0 … 1, where traits vary.
        source: the source, where one matters (default: the source whose formula it is, else the first).
        skill_level: the level of the source's skill (default: its start level).

    Raises:
        UnknownNameError: there is no formula at the place, or no such player or source.
        RamulusError: the level is outside the track, or the ability outside 0 … 1.
        DesignError: the formula fails at that level.

    Examples:
        >>> import ramulus as rm
        >>> rm.explain(rm.demo_design(), "tracks.warden.cost", level=7).value
        445.0
    """
    refuse_other_than_design(design)
    if (found := re.fullmatch(_COST_PLACE, place)) and found[1] in design.tracks:
        return _explain_cost(design, found[1], level)
    if (found := re.fullmatch(r"stats\.(\w+)(?:\.\w+)?", place)) and found[1] in design.stats:
        return _explain_stat(design, found[1], level, player)
    where = _Where(level, player or _player_of(design, place), class_at(ability), source, skill_level)
    if (found := re.fullmatch(r"players\.(\w+)\.pursuit", place)) and found[1] in design.players:
        return _explain_choice(design, place, where)
    return _explain_formula(design, place, where)


def _check_level(level: int, low: int, high: int, what: str) -> None:
    if not low <= level <= high:
        raise RamulusError(f"level {level} has no {what}; allowed: {low} … {high}")


def _explained(place: str, working: Working, value: float) -> Explanation:
    return Explanation(place, working.text, working.names, working.steps, value)


def _explain_cost(design: Design, track: str, level: int) -> Explanation:
    part, working = tabulated(design).tracks[track].curve.part_working(level)
    place = f"{part.place}.{part.way.key}" if part.way.names else part.place
    return _explained(place, working, working.value)


def _explain_stat(design: Design, name: str, level: int, player: str | None) -> Explanation:
    curve = tabulated(design).stats(player)[name]
    track = design.track(stat_track(design, design.stats[name]))
    _check_level(level, track.start_level, track.max_level, "stats")
    place = f"stats.{name}.{design.stats[name].way or 'base'}"
    return _explained(place, curve.working(level), float(curve.values[level - track.start_level]))


class _Where(NamedTuple):
    """At what a formula is worked through."""

    level: int
    player: str | None
    ability_class: int
    source: str | None
    skill_level: int | None


def _explain_choice(design: Design, place: str, where: _Where) -> Explanation:
    source = where.source or next(iter(design.sources), "")
    design.source(source)
    row = where.level - design.track().start_level
    _check_level(where.level, design.track().start_level, design.track().max_level - 1, "choice")
    profile = tabulated(design).profile(where.player, where.ability_class)
    columns = profile.tables.columns
    at, level = columns.at_skill(where.skill_level), float(columns.levels[row])
    pays = profile.pay[row, at] if pursuit_of(profile.player) else None
    working = choice_working(profile.player, columns.sources, source, profile.encounters.weight[row, at], pays, level)
    return _explained(place, working, working.value)


def _explain_formula(design: Design, place: str, where: _Where) -> Explanation:
    formulas = {formula.place: formula for formula in formula_places(design)}
    for index, rule in enumerate(design.multipliers):
        for key in ("factor", "against"):  # A rule may be asked for by its name too.
            if found := formulas.get(f"multipliers[{index}].{key}"):
                formulas.setdefault(f"multipliers.{rule.name}.{key}", found)
    if place not in formulas:
        raise _no_formula(design, place, list(formulas))
    text = formulas[place].text
    source, names = _source_and_names(design, place, text, where)
    names.update(_names_of_place(design, place, where))
    working = of_formula(text, names)
    return replace(_explained(place, working, working.value), of_whom=_of_whom(design, place, where, source))


def _source_and_names(design: Design, place: str, text: str, where: _Where) -> tuple[str | None, dict[str, float]]:
    """Return for which source a formula is worked through, and the names it sees there.

    By default that is the source whose formula it is, else the first that has a number for every name it reads.
    """
    asked = where.source or _source_of(design, place)
    lacking = ""
    candidates: list[str | None] = [asked] if asked or not design.sources else list(design.sources)
    for source in candidates:
        names = names_at(design, where.level, where.player, source, where.skill_level, where.ability_class)
        unknown = sorted(name for name in parse(text).names if np.isnan(names.get(name, 0.0)))
        if not unknown:
            return source, names
        lacking = lacking or f"{place} reads {', '.join(unknown)}, which source {source} has no number for"
    raise RamulusError(lacking + (f" at level {where.level}; --source names another" if design.sources else ""))


def _names_of_place(design: Design, place: str, where: _Where) -> dict[str, float]:
    """Return the names that only the formulas at a place see."""
    tabulation, row = tabulated(design), where.level - design.track().start_level
    if place.startswith("away_bonus."):
        _check_level(where.level, design.track().start_level, design.track().max_level - 1, "cost")
        return {"cost": float(tabulation.main.curve.costs[row])}
    if place == "encounter.rest.seconds":  # Of one who lacks all that its pools hold.
        sizes = tabulation.profile(where.player, where.ability_class).pools.size
        return {"missing": float(sizes[:, row].sum())}
    if found := re.fullmatch(r"sources\.\w+\.skills\.(\w+)", place):
        start = design.track(found[1]).start_level
        return {"skill_level": float(start if where.skill_level is None else where.skill_level)}
    return {}


def _of_whom(design: Design, place: str, where: _Where, source: str | None) -> str:
    """Return for whom and what a formula of encounters was worked through, with the option for another."""
    if not re.match(r"(encounter|sources|multipliers)\b", place) or not design.sources:
        return ""
    if re.fullmatch(r"encounter\.failure\.loss|sources\.\w+\.xp", place):
        return ""
    parts = [f"source {source or next(iter(design.sources))} (--source)"] if not place.startswith("sources") else []
    if design.players:
        parts.append(f"player {where.player or next(iter(design.players))} (--player)")
    return ", ".join([*parts, f"level {where.level}"])


def _no_formula(design: Design, place: str, known: list[str]) -> RamulusError:
    costs = [f"tracks.{name}.cost" for name in design.tracks]
    kind = "formula or cost"
    with suppress(UnknownNameError):
        if isinstance(value_at(design, place), int | float):
            kind = "formula (a plain number stands there)"
    return UnknownNameError(kind, place, [*costs, *known])


def _source_of(design: Design, place: str) -> str | None:
    found = re.match(r"sources\.(\w+)\.", place)
    return found[1] if found and found[1] in design.sources else None


def _player_of(design: Design, place: str) -> str | None:
    found = re.match(r"players\.(\w+)\.", place)
    return found[1] if found and found[1] in design.players else None


def names_at(
    design: Design,
    level: int,
    player: str | None = None,
    source: str | None = None,
    skill_level: int | None = None,
    ability_class: int = MIDDLE,
) -> dict[str, float]:
    """Return every name that a formula sees for one profile, level, source, skill level and ability.

    Raises:
        UnknownNameError: there is no such player or source.
        RamulusError: a level is outside its track.
    """
    track = design.track()
    _check_level(level, track.start_level, track.max_level, "encounters")
    if not design.sources:
        return {**{name: float(value) for name, value in design.constants.items()}, "level": float(level)}
    what = source or next(iter(design.sources))
    design.source(what)
    scene = tabulated(design).profile(player, ability_class).encounters.scene
    columns = scene.columns
    index = columns.sources.index(what)
    if skill_level is not None and columns.width[index] > 1:
        low = int(columns.skill_level[columns.first_column[index]])
        _check_level(skill_level, low, low + int(columns.width[index]) - 1, "columns of that skill")
    point = (level - track.start_level, int(columns.at_skill(skill_level)[index]))
    names = {name: float(np.broadcast_to(array, columns.shape)[point]) for name, array in scene.names.items()}
    return {**names, "leader_level": float(level), "party_size": 1.0}
