"""Any formula or cost of a design, worked through at one level."""

from __future__ import annotations

import re
from contextlib import suppress
from dataclasses import dataclass
from html import escape
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
import pandas as pd

from ramulus.design.names import formula_places, stat_track
from ramulus.design.places import value_at
from ramulus.errors import RamulusError, UnknownNameError
from ramulus.formula import Step, number_text, parse, work_through
from ramulus.rules.cost_ways import Span, stated
from ramulus.rules.costs import CostCurve, cost_curve
from ramulus.rules.grid import make_grid
from ramulus.rules.rounding import rounded
from ramulus.rules.stats import stat_table, upgrade_ranks

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.track import Cost, CostWay

_COST_PLACE = r"tracks\.(\w+)\.cost(?:\.(?:formula|next|values|file|points|level_from_xp|segments.*))?"
_ROUNDED = {
    "down": "rounded down",
    "up": "rounded up",
    "nearest": "rounded to nearest, halves away from zero",
}


@dataclass(frozen=True)
class Explanation:
    """A formula or cost worked through at one level.

    Attributes:
        place: where it stands in the design.
        formula: the text, or the way in words where it is no formula.
        names: the value of every name it used.
        steps: the working, innermost step first; clamps and rounding last.
        value: what it comes to.
    """

    place: str
    formula: str
    names: dict[str, float]
    steps: tuple[Step, ...]
    value: float

    @property
    def unit(self) -> str:
        """The unit of the value, where it is known, with a space in front."""
        is_cost = re.match(r"tracks\.\w+\.cost", self.place)
        return " XP" if is_cost or re.fullmatch(r"sources\.\w+\.(skill_)?xp", self.place) else ""

    def table(self) -> pd.DataFrame:
        """Return the steps: `step`, `expression`, `put_in`, `value`, `note`."""
        return pd.DataFrame(
            [(i, s.expression, s.put_in, s.value, s.note) for i, s in enumerate(self.steps, 1)],
            columns=["step", "expression", "put_in", "value", "note"],
        )

    def __str__(self) -> str:
        where = ", ".join(f"{name} = {number_text(value)}" for name, value in self.names.items())
        lines = [f"{self.place}", f"  {self.formula}", f"  where {where}" if where else "", ""]
        for step in self.steps:
            lines += [f"  {step.expression}", f"      {_line(step)}"]
        return "\n".join([*lines, "", f"  {number_text(self.value)}{self.unit}"])

    def _repr_html_(self) -> str:
        return f"<pre>{escape(str(self))}</pre>"


def _line(step: Step) -> str:
    """Return what a step comes to, in a line."""
    value = number_text(step.value)
    if step.note in ("true", "false"):
        return f"{step.put_in} is {step.note}: {value}"
    note = f"    ({step.note})" if step.note else ""
    return f"= {value}{note}" if step.put_in == value else f"= {step.put_in} = {value}{note}"


def explain(
    design: Design,
    place: str,
    level: int,
    *,
    player: str | None = None,
    source: str | None = None,
    skill_level: int | None = None,
) -> Explanation:
    """Work a formula or a track's cost through at one level, as on paper.

    Args:
        design: the design.
        place: a formula's place, such as ``tracks.warden.cost.formula``, ``encounter.seconds`` or
            ``multipliers.outgrown.factor``; or ``tracks.NAME.cost`` or ``stats.NAME``, however it is stated.
        level: the player's level (the level being left for a cost, being reached for a total).
        player: the player profile, where stats and traits matter (default: the first; for a stat, no upgrades).
        source: the source, where one matters (default: the source whose formula it is, else the first).
        skill_level: the level of the source's skill (default: its start level).

    Raises:
        UnknownNameError: there is no formula at the place, or no such player or source.
        RamulusError: the level is outside the track.
        DesignError: the formula fails at that level.
    """
    if (found := re.fullmatch(_COST_PLACE, place)) and found[1] in design.tracks:
        return _explain_cost(design, found[1], place, level)
    if (found := re.fullmatch(r"stats\.(\w+)(?:\.formula)?", place)) and found[1] in design.stats:
        return _explain_stat(design, found[1], place, level, player)
    return _explain_formula(design, place, level, player, source, skill_level)


def _check_level(level: int, low: int, high: int, what: str) -> None:
    if not low <= level <= high:
        raise RamulusError(f"level {level} has no {what}; allowed: {low} … {high}")


# --- costs -----------------------------------------------------------------------------------------------------


def _explain_cost(design: Design, track: str, place: str, level: int) -> Explanation:
    curve = cost_curve(design, track)
    cost = design.tracks[track].cost
    way, where, low, high = _way_at(cost, f"tracks.{track}.cost", level, curve)
    if way.way in ("formula", "next", "level_from_xp"):
        where = f"{where}.{way.way}"
    total = way.gives == "total" or way.way == "level_from_xp"
    _check_level(level, curve.start_level + total, curve.max_level - (not total), "total" if total else "cost")
    if way.way == "level_from_xp":
        return _explain_level_from_xp(design, way, where, level, curve)
    index = level - curve.start_level
    raw = _raw_value(design, track, way, level, low, high, curve)
    given = level == low and way.first is not None
    steps, names, text = _working_of_way(design, way, level, raw, curve, given)
    own = total and cost.segments is not None  # A segment's totals count from where its own curve does.
    value = float(rounded(raw, cost.rounding)) if own else float(curve.totals[index] if total else curve.costs[index])
    steps += _clamp_and_round(cost, raw, value, "total" if total else "cost", None if total else curve.exact[index])
    if total and not (own and level == low):
        paid = float(curve.costs[index - 1])
        put_in = f"{number_text(value)} - {number_text(value - paid)}"
        steps.append(Step(f"total({level}) - total({level - 1})", put_in, paid, f"the cost of level {level - 1}"))
    return Explanation(where, text, names, tuple(steps), value)


def _way_at(cost: Cost, place: str, level: int, curve: CostCurve) -> tuple[CostWay, str, int, int]:
    """Return the way that states a level, its place, and the span of levels it holds for."""
    if cost.segments is None:
        return cost, place, curve.start_level, curve.max_level
    starts = [segment.from_level for segment in cost.segments] + [curve.max_level]
    index = max(int(np.searchsorted(starts[:-1], level, side="right")) - 1, 0)
    return cost.segments[index], f"{place}.segments[{index}]", starts[index], starts[index + 1]


def _raw_value(design: Design, track: str, way: CostWay, level: int, low: int, high: int, curve: CostCurve) -> float:
    """Return what the way states for one level, before clamps and rounding."""
    index = level - curve.start_level
    if way.way == "next":
        if level == low and way.first is not None:
            return float(way.first)
        names = {**design.constants, "previous": float(curve.exact[index - 1]), "level": float(level)}
        return work_through(parse(way.next or ""), names)[-1].value
    folder = design.file.parent if design.file else Path()
    span = Span(f"tracks.{track}.cost", curve.start_level, low, high, design.constants, None, float, folder)
    what = stated(way, span)
    values = what.costs if what.costs is not None else what.totals
    assert values is not None
    return float(values[level - low])


def _working_of_way(
    design: Design, way: CostWay, level: int, raw: float, curve: CostCurve, given: bool
) -> tuple[list[Step], dict[str, float], str]:
    names: dict[str, float] = {"level": float(level)}
    text = way.formula or way.next
    if way.way == "next":
        index = level - curve.start_level
        if given:
            return [Step("first", number_text(raw), raw, "the first cost is given")], names, str(way.next)
        before = curve.exact if not way.round_each_step else curve.costs
        names["previous"] = float(before[index - 1])
    if text is not None:
        parsed = parse(text)
        scope = {**design.constants, **names}
        return work_through(parsed, scope), {name: float(scope[name]) for name in parsed.names}, text
    if way.way == "points":
        words = f"{way.between} between the points {_around(way.points or [], level)}"
        return [Step(f"points at level {level}", words, raw)], names, words
    words = f"the {way.gives} listed for level {level}" + (f" in {way.file}" if way.file else "")
    return [Step("the table", words, raw)], names, words


def _around(points: list[list[float]], level: int) -> str:
    before = [point for point in points if point[0] <= level][-1:]
    after = [point for point in points if point[0] > level][:1]
    return " and ".join(str(point) for point in before + after)


def _clamp_and_round(cost: Cost, raw: float, value: float, what: str, exact: float | None) -> list[Step]:
    steps = []
    if exact is not None and exact != raw:
        limit = "at_most" if exact < raw else "at_least"
        steps.append(Step(f"{limit} {number_text(exact)}", f"clamp of {number_text(raw)}", float(exact)))
    if cost.rounding != "none":
        before = raw if exact is None else float(exact)
        if rounded(before, cost.rounding) != value:
            steps.append(Step(what, "added up again from costs that at_least or at_most changed", value))
        else:
            note = _ROUNDED[cost.rounding] if before != value else "already whole"
            steps.append(Step(what, f"{number_text(before)} {note}", value))
    return steps


def _explain_level_from_xp(design: Design, way: CostWay, place: str, level: int, curve: CostCurve) -> Explanation:
    total = float(curve.totals[level - curve.start_level])
    parsed = parse(way.level_from_xp or "")
    names = {**design.constants, "xp": total}
    steps = work_through(parsed, names)
    steps.append(
        Step(f"level at {number_text(total)} XP", f"{number_text(steps[-1].value)} rounded down", float(level))
    )
    if total >= 1:
        less = work_through(parsed, {**design.constants, "xp": total - 1})[-1].value
        note = f"so {number_text(total)} is the smallest whole XP for level {level}"
        put_in = f"{number_text(less)} rounded down"
        steps.append(
            Step(f"level at {number_text(total - 1)} XP", put_in, max(np.floor(less), curve.start_level), note)
        )
    used = {name: float(names[name]) for name in parsed.names}
    return Explanation(place, str(way.level_from_xp), used, tuple(steps), total)


# --- stats -----------------------------------------------------------------------------------------------------


def _explain_stat(design: Design, name: str, place: str, level: int, player: str | None) -> Explanation:
    stat = design.stats[name]
    track = design.track(stat_track(design, stat))
    _check_level(level, track.start_level, track.max_level, "stats")
    index = level - track.start_level
    values = {key: float(array[index]) for key, array in stat_table(design, player).items() if len(array) > index}
    forms = {
        "per_level": "base + per_level * (level - start_level)",
        "growth": "base * growth ** (level - start_level)",
    }
    text = stat.formula or forms.get(stat.way, "")
    scope: dict[str, float] = {**design.constants, **values, "level": level, "start_level": track.start_level}
    for key in ("base", "per_level", "growth"):
        if getattr(stat, key) is not None:
            scope[key] = getattr(stat, key)
    parsed = parse(text) if text else None
    steps = (
        work_through(parsed, scope) if parsed else [Step(name, stat.way or "base", _unupgraded(design, name, index))]
    )
    steps += _upgrade_steps(design, name, index, player, steps[-1].value)
    if steps[-1].value != values[name]:
        steps.append(Step(name, f"{number_text(steps[-1].value)} clamped and rounded ({stat.rounding})", values[name]))
    used = {key: float(scope[key]) for key in (parsed.names if parsed else ())}
    return Explanation(place, text or stat.way or "base", used, tuple(steps), values[name])


def _unupgraded(design: Design, name: str, index: int) -> float:
    return float(stat_table(design)[name][index])


def _upgrade_steps(design: Design, name: str, index: int, player: str | None, value: float) -> list[Step]:
    if player is None:
        return []
    steps = []
    for key, ranks in upgrade_ranks(design, player).items():
        upgrade = design.upgrades[key]
        if upgrade.stat != name or not ranks[index]:
            continue
        rank = number_text(float(ranks[index]))
        effect = f"+ {upgrade.add} * {rank}" if upgrade.add is not None else f"* {upgrade.factor} ** {rank}"
        after = (
            value + upgrade.add * ranks[index]
            if upgrade.add is not None
            else value * (upgrade.factor or 1) ** ranks[index]
        )
        steps.append(Step(f"{key}, rank {rank}", f"{number_text(value)} {effect}", float(after)))
        value = float(after)
    return steps


# --- everything else -------------------------------------------------------------------------------------------


def _explain_formula(
    design: Design, place: str, level: int, player: str | None, source: str | None, skill_level: int | None
) -> Explanation:
    formulas = {formula.place: formula for formula in formula_places(design)}
    for index, rule in enumerate(design.multipliers):
        for key in ("factor", "against"):  # A rule may be asked for by its name too.
            if found := formulas.get(f"multipliers[{index}].{key}"):
                formulas.setdefault(f"multipliers.{rule.name}.{key}", found)
    if place not in formulas:
        raise _no_formula(design, place, list(formulas))
    formula = formulas[place]
    names = names_at(design, level, player, source or _source_of(design, place), skill_level)
    parsed = parse(formula.text)
    steps = work_through(parsed, {name: names[name] for name in parsed.names if name in names})
    used = {name: names[name] for name in parsed.names}
    return Explanation(place, formula.text, used, tuple(steps), steps[-1].value)


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


def names_at(
    design: Design,
    level: int,
    player: str | None = None,
    source: str | None = None,
    skill_level: int | None = None,
) -> dict[str, float]:
    """Return every name that a formula sees for one profile, level, source and skill level.

    Raises:
        UnknownNameError: there is no such player or source.
        RamulusError: a level is outside its track.
    """
    track = design.track()
    _check_level(level, track.start_level, track.max_level, "encounters")
    if not design.sources:
        return {**{name: float(value) for name, value in design.constants.items()}, "level": float(level)}
    who = player or next(iter(design.players), "")
    if who:
        design.player(who)
    what = source or next(iter(design.sources))
    design.source(what)
    grid = make_grid(design, [who])
    index = grid.sources.index(what)
    column = int(grid.first_column[index])
    if skill_level is not None and grid.width[index] > 1:
        low = int(grid.skill_level[column])
        _check_level(skill_level, low, low + int(grid.width[index]) - 1, "columns of that skill")
        column += skill_level - low
    point = (0, level - track.start_level, column)
    names = {name: _at(array, grid.shape, point) for name, array in grid.names.items()}
    return {**names, "leader_level": float(level), "party_size": 1.0}


def _at(array: Any, shape: tuple[int, int, int], point: tuple[int, int, int]) -> float:
    return float(np.broadcast_to(array, shape)[point])
