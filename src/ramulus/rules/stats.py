"""Stats by level, in stages: grown, upgraded by what a player profile has bought, settled within limits."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from graphlib import CycleError, TopologicalSorter
from typing import TYPE_CHECKING

import numpy as np

from ramulus.design.names import stat_track
from ramulus.formula import Step, number_text, parse
from ramulus.formula.functions import Array, power
from ramulus.rules.curves import through_points
from ramulus.rules.evaluating import evaluate_at, fault
from ramulus.rules.limits import Limits
from ramulus.rules.rounding import Rounder
from ramulus.rules.working import Working, of_formula, of_number

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.stat import Stat, Upgrade

_FORMS = {
    "per_level": "base + per_level * (level - start_level)",
    "growth": "base * growth ** (level - start_level)",
}


@dataclass(frozen=True, eq=False)
class Bought:
    """What one upgrade does to a stat: its ranks by level, and the stat after it."""

    name: str
    upgrade: Upgrade
    ranks: Array
    before: Array
    after: Array

    def steps(self, index: int) -> list[Step]:
        """Return the working at a level: a line where any rank is held."""
        if not self.ranks[index]:
            return []
        rank = number_text(float(self.ranks[index]))
        add, factor = self.upgrade.add, self.upgrade.factor
        effect = f"+ {number_text(add)} * {rank}" if add is not None else f"* {number_text(factor or 1)} ** {rank}"
        put_in = f"{number_text(float(self.before[index]))} {effect}"
        return [Step(f"{self.name}, rank {rank}", put_in, float(self.after[index]))]


@dataclass(frozen=True, eq=False)
class StatCurve:
    """One stat over the levels of its track, and how it came about.

    Attributes:
        name: the stat's name.
        levels: the levels of its track, start to cap, shape (n,).
        grown: the value by growth alone, shape (n,).
        bought: the upgrades that change it, in the order of the file.
        values: the value after upgrades, limits and rounding, shape (n,).
    """

    name: str
    levels: Array
    grown: Array
    bought: tuple[Bought, ...]
    values: Array
    limits: Limits
    rounder: Rounder
    _working: Callable[[int], Working]

    def working(self, level: int) -> Working:
        """Return how the value at a level came about, stage by stage."""
        index = level - int(self.levels[0])
        lines = [step for bought in self.bought for step in bought.steps(index)]
        upgraded = float(self.bought[-1].after[index] if self.bought else self.grown[index])
        lines += self.limits.steps(upgraded)
        lines += self.rounder.steps(self.name, self.limits.clip_one(upgraded))
        return self._working(index).then(*lines)


def stat_curves(design: Design, ranks: Mapping[str, Array]) -> dict[str, StatCurve]:
    """Compute every stat over the levels of its track.

    Args:
        design: the design.
        ranks: the ranks of upgrades held by level; none for a player without upgrades.

    Raises:
        DesignError: a stat's formula fails, stats depend on each other in a circle, or values are missing.
    """
    curves: dict[str, StatCurve] = {}
    for name in _in_order(design):
        curves[name] = _curve(design, name, ranks, {key: curve.values for key, curve in curves.items()})
    return {name: curves[name] for name in design.stats}


def _in_order(design: Design) -> list[str]:
    """Return the stats so that each comes after those it uses."""
    graph = {name: _used_stats(design, stat) for name, stat in design.stats.items()}
    try:
        return list(TopologicalSorter(graph).static_order())
    except CycleError as error:
        circle = " → ".join(reversed(error.args[1]))
        place = f"stats.{error.args[1][0]}.formula"
        raise fault(place, f"stats that depend on each other in a circle: {circle}", code="stat-cycle") from None


def _used_stats(design: Design, stat: Stat) -> list[str]:
    names = parse(stat.formula).names if stat.formula else ()
    return [name for name in names if name in design.stats]


def _curve(design: Design, name: str, ranks: Mapping[str, Array], others: Mapping[str, Array]) -> StatCurve:
    stat = design.stats[name]
    track = design.track(stat_track(design, stat))
    levels = np.arange(track.start_level, track.max_level + 1, dtype=np.float64)
    limits = Limits.of(stat.at_least, stat.at_most)
    with np.errstate(over="ignore", invalid="ignore"):  # What is not finite becomes an error of ours below.
        grown, working = _grown(design, name, levels, others)
        grown = np.broadcast_to(grown, levels.shape)
        bought = _upgraded(design, name, grown, ranks)
        values = Rounder.of(stat)(limits.clip(bought[-1].after if bought else grown))
    if not np.isfinite(values).all():
        at = int(np.nonzero(~np.isfinite(values))[0][0])
        raise fault(f"stats.{name}", f"{values[at]} at level {levels[at]:g}", "a finite value", "formula-not-finite")
    return StatCurve(name, levels, grown, bought, values, limits, Rounder.of(stat), working)


def _grown(
    design: Design, name: str, levels: Array, others: Mapping[str, Array]
) -> tuple[Array, Callable[[int], Working]]:
    """Return a stat by growth alone, and how its value at a place in the levels came about."""
    stat = design.stats[name]
    if text := stat.formula or _FORMS.get(stat.way):
        return _by_formula(design, name, text, levels, others)
    if stat.values is not None:
        return _listed(stat, name, levels)
    if stat.points is not None:
        return _through_points(stat, name, levels)
    return np.full(len(levels), float(stat.base or 0)), lambda i: of_number("base", "base", float(stat.base or 0))


def _by_formula(
    design: Design, name: str, text: str, levels: Array, others: Mapping[str, Array]
) -> tuple[Array, Callable[[int], Working]]:
    stat = design.stats[name]
    own = {key: float(value) for key in ("base", "per_level", "growth") if (value := getattr(stat, key)) is not None}
    fixed = {**design.constants, **own, "start_level": float(levels[0])}
    values = evaluate_at(f"stats.{name}.formula", text, {**fixed, **others, "level": levels})

    def working(index: int) -> Working:
        there = {key: float(array[index]) for key, array in others.items() if len(array) > index}
        return of_formula(text, {**fixed, **there, "level": float(levels[index])})

    return values, working


def _through_points(stat: Stat, name: str, levels: Array) -> tuple[Array, Callable[[int], Working]]:
    curve = through_points(f"stats.{name}.points", stat.points or [], stat.between, levels, stat.beyond)
    if stat.of != "base":
        return curve.values, lambda i: curve.working(levels[i])
    base = float(stat.base or 0)
    values = curve.values * base

    def working(index: int) -> Working:
        put_in = f"{number_text(float(curve.values[index]))} * {number_text(base)}"
        return curve.working(levels[index]).then(Step("points * base", put_in, float(values[index])))

    return values, working


def _listed(stat: Stat, name: str, levels: Array) -> tuple[Array, Callable[[int], Working]]:
    given, wanted = stat.values or [], len(levels)
    if len(given) < wanted and (stat.beyond != "hold" or not given):
        found = f"{len(given)} values for {wanted} levels: {wanted - len(given)} missing"
        raise fault(f"stats.{name}.values", found, f'{wanted} values, or beyond = "hold"', "table-short")
    values = np.array([*given[:wanted], *given[-1:] * (wanted - len(given))], dtype=np.float64)
    words = f"the value listed for level {levels[0]:g}, {levels[0] + 1:g}, …"

    def working(index: int) -> Working:
        held = index >= len(given)
        note = "the list is over: its last value holds" if held else f"for level {levels[index]:g}"
        return of_number(f"values[{min(index, len(given) - 1)}]", words, float(values[index]), note=note)

    return values, working


def _upgraded(design: Design, name: str, values: Array, ranks: Mapping[str, Array]) -> tuple[Bought, ...]:
    found = []
    for key, upgrade in design.upgrades.items():
        if upgrade.stat == name and key in ranks:
            held = ranks[key]
            effect = upgrade.factor or 1
            after = values + upgrade.add * held if upgrade.add is not None else values * power(np.float64(effect), held)
            found.append(Bought(key, upgrade, held, values, after))
            values = after
    return tuple(found)
