"""The multipliers as a game needs them: where each applies, and its factor as a number, bands, a tree or a table."""

from __future__ import annotations

import ast
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from ramulus.design.names import selects
from ramulus.errors import DesignError, Problem
from ramulus.formula import parse
from ramulus.rules.evaluating import evaluate_at
from ramulus.rules.limits import open_levels
from ramulus.rules.multipliers import banded

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
        sources, skill_sources: the sources whose awards to the main track, or to their skill, it scales.
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


def is_exact(tree: ast.expr) -> bool:
    """Return whether a formula gives the same double in every language: no powers, logarithms or sums over a range."""
    for node in ast.walk(tree):
        if isinstance(node, ast.Pow | ast.GeneratorExp):
            return False
        if isinstance(node, ast.Call) and getattr(node.func, "id", "") not in EXACT_CALLS:
            return False
    return True


def rules_of(design: Design) -> tuple[RulePack, ...]:
    """Return the multipliers in the order of the file.

    Raises:
        DesignError: a formula can neither be translated exactly nor be made a table.
    """
    return tuple(_rule(design, index, rule) for index, rule in enumerate(design.multipliers))


def _rule(design: Design, index: int, rule: Multiplier) -> RulePack:
    text = rule.against if rule.bands else rule.factor
    tree = parse(text).tree if isinstance(text, str) else None
    sources = tuple(name for name in design.sources if selects(design, rule, name, design.main_track_name))
    practise = ((name, source.skill) for name, source in design.sources.items() if source.skill)
    skill_sources = tuple(name for name, skill in practise if selects(design, rule, name, skill))
    table: dict[str, tuple[float, ...]] = {}
    own = {number for source in design.sources.values() for number in source.numbers}
    if tree is not None and (not is_exact(tree) or own & set(parse(str(text)).names)):
        table = _table(design, index, rule, str(text), sorted({*sources, *skill_sources}))
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
    )


def _table(
    design: Design, index: int, rule: Multiplier, text: str, sources: list[str]
) -> dict[str, tuple[float, ...]]:  # fmt: skip
    """Return the factor of a rule by source, at each level of the main track."""
    place = f"multipliers[{index}].{'against' if rule.bands else 'factor'}"
    own = {number for name in sources for number in design.sources[name].numbers}
    only_levels = {"level", "source_level", "gap", *design.constants, *own}
    if strange := [name for name in parse(text).names if name not in only_levels]:
        found = f"{text!r} reads {', '.join(strange)}, and is not the same in every language"
        allowed = "+ - * / // %, comparisons, floor, ceil, round, min, max, clip, abs, sqrt; or level and gap alone"
        raise DesignError([Problem(place, found, allowed, code="no-translation")])
    track = design.track()
    levels = np.arange(track.start_level, track.max_level + 1, dtype=np.float64)
    table = {}
    for name in sources:
        source_level = float(design.sources[name].level)
        names: dict[str, Any] = {**design.constants, "level": levels, "source_level": source_level}
        names["gap"] = levels - source_level
        here = open_levels(design.sources[name]).hold(levels) & open_levels(rule).hold(levels)
        for number, value in design.sources[name].numbers.items():
            names[number] = evaluate_at(f"sources.{name}.{number}", value, {**design.constants, **names}, here)
        values = np.broadcast_to(evaluate_at(place, text, names, here), levels.shape)
        for_levels = banded(rule.bands, values) if rule.bands else values
        table[name] = tuple(np.where(here & np.isfinite(for_levels), for_levels, 1.0).tolist())
    return table
