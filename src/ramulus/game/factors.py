"""The multipliers as a game needs them: where each applies, and its factor as a number, bands, a tree or a table."""

from __future__ import annotations

import ast
from collections.abc import Set
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from ramulus.design.base import MOST_LEVEL
from ramulus.design.names import selects
from ramulus.errors import DesignError, Problem
from ramulus.formula import parse
from ramulus.formula.functions import Array
from ramulus.rules.evaluating import evaluate_at
from ramulus.rules.limits import open_levels
from ramulus.rules.multipliers import banded
from ramulus.rules.tabulation import tabulated

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.multiplier import Multiplier

EXACT_CALLS = ("floor", "ceil", "round", "sqrt", "abs", "min", "max", "clip")


@dataclass(frozen=True)
class RulePack:
    """One multiplier.

    Attributes:
        name: what it is called.
        stack: "multiply", "add" or "best".
        number: the factor, where it is a number.
        tree: the factor, or what the bands are read at, where it is a formula.
        bands: [up_to, factor] pairs; none for a factor.
        table: the factor by source and level, where the formula is not the same in every language.
        timed: whether the game says when it is on.
        players: the profiles it is for; none for all.
        low, high: the first and last level at which it applies, None for none.
        sources, skill_sources: the sources whose awards to the main track, or to a skill, it scales.
        skills: the skills whose awards it scales.
    """

    name: str
    stack: str
    number: float | None
    tree: ast.expr | None
    bands: tuple[tuple[float, float], ...]
    table: dict[str, tuple[float, ...]]
    timed: bool
    players: tuple[str, ...]
    low: int | None
    high: int | None
    sources: tuple[str, ...]
    skill_sources: tuple[str, ...]
    skills: tuple[str, ...]


def is_exact(tree: ast.expr) -> bool:
    """Return whether a formula gives the same double in every language: no powers, logarithms or sums over a range."""
    for node in ast.walk(tree):
        if isinstance(node, ast.Pow | ast.GeneratorExp):
            return False
        if isinstance(node, ast.Call) and getattr(node.func, "id", "") not in EXACT_CALLS:
            return False
    return True


def rules_of(design: Design, by_level: Set[str]) -> tuple[RulePack, ...]:
    """Return the multipliers in the order of the file.

    Args:
        design: the design.
        by_level: the stats that the main track's level alone tells.

    Raises:
        DesignError: a formula can neither be translated exactly nor be made a table.
    """
    return tuple(_rule(design, index, rule, by_level) for index, rule in enumerate(design.multipliers))


def _rule(design: Design, index: int, rule: Multiplier, by_level: Set[str]) -> RulePack:
    text = rule.against if rule.bands else rule.factor
    tree = parse(text).tree if isinstance(text, str) else None
    sources = tuple(name for name in design.sources if selects(design, rule, name, design.main_track_name))
    practised = [(name, skill) for name, source in design.sources.items() for skill in source.practised]
    scaled = [(name, skill) for name, skill in practised if selects(design, rule, name, skill)]
    skill_sources = tuple(dict.fromkeys(name for name, _ in scaled))
    table: dict[str, tuple[float, ...]] = {}
    own = {number for source in design.sources.values() for number in source.numbers}
    if tree is not None and (not is_exact(tree) or own & set(parse(str(text)).names)):
        table = _table(design, index, rule, str(text), sorted({*sources, *skill_sources}), by_level)
        tree = None
    return RulePack(
        name=rule.name,
        stack=rule.stack,
        number=float(rule.factor) if isinstance(rule.factor, int | float) else None,
        tree=tree,
        bands=tuple((float(up_to), float(factor)) for up_to, factor in rule.bands or []) if not table else (),
        table=table,
        timed=rule.timed,
        players=tuple(rule.players or ()),
        low=rule.from_level,
        high=rule.to_level,
        sources=sources,
        skill_sources=skill_sources,
        skills=tuple(dict.fromkeys(skill for _, skill in scaled)),
    )


def _table(
    design: Design, index: int, rule: Multiplier, text: str, sources: list[str], by_level: Set[str]
) -> dict[str, tuple[float, ...]]:
    """Return the factor of a rule by source, at each level of the main track."""
    place = f"multipliers[{index}].{'against' if rule.bands else 'factor'}"
    own = {number for name in sources for number in design.sources[name].numbers}
    only_levels = {"level", "source_level", "gap", *design.constants, *own, *by_level}
    if strange := [name for name in parse(text).names if name not in only_levels]:
        found = f"{text!r} reads {', '.join(strange)}, and is not the same in every language"
        allowed = "+ - * / // %, comparisons, floor, ceil, round, min, max, clip, abs, sqrt; or level and gap alone"
        raise DesignError([Problem(place, found, allowed, code="no-translation")])
    tables = tabulated(design)
    levels, stats = tables.main.curve.levels, {name: tables.stats()[name].values for name in by_level}
    table = {}
    for name in sources:
        source_level = met_levels(design, name)
        names: dict[str, Any] = {**design.constants, **stats, "level": levels, "source_level": source_level}
        names["gap"] = levels - source_level
        here = open_levels(design.sources[name]).hold(levels) & open_levels(rule).hold(levels)
        for number, value in design.sources[name].numbers.items():
            names[number] = evaluate_at(f"sources.{name}.{number}", value, {**design.constants, **names}, here)
        values = np.broadcast_to(evaluate_at(place, text, names, here), levels.shape)
        for_levels = banded(rule.bands, values) if rule.bands else values
        table[name] = tuple(np.where(here & np.isfinite(for_levels), for_levels, 1.0).tolist())
    return table


def met_levels(design: Design, source: str) -> Array:
    """Return the level at which a source meets a player of each level of the main track, shape (L,).

    Where it is closed and its formula gives no level, that is 0.
    """
    columns = tabulated(design).columns
    own = columns.source_level[:, columns.first_column[list(design.sources).index(source)]]
    return np.broadcast_to(np.where((own >= 0) & (own <= MOST_LEVEL), own, 0.0), columns.levels.shape)
