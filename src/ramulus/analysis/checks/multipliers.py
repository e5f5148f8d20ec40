"""Checks of multipliers: bands, rules that never apply, factors that vanish, explode or turn sources round."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

import numpy as np

from ramulus.analysis.checks.finding import Finding
from ramulus.rules.tables import Tables, make_tables

if TYPE_CHECKING:
    from ramulus.design import Design

FACTOR_CEILING = 10.0


def check_multipliers(design: Design, ceiling: float = FACTOR_CEILING) -> Iterator[Finding]:
    """Yield what is suspicious about the multipliers."""
    yield from _bands(design)
    if not (design.sources and design.multipliers):
        return
    tables = make_tables(design)
    yield from _never_applies(tables)
    yield from _factors(tables, ceiling)
    yield from _stacks(tables, ceiling)
    yield from _turned_round(tables)


def _bands(design: Design) -> Iterator[Finding]:
    for index, rule in enumerate(design.multipliers):
        ends = [end for end, _ in rule.bands or []]
        factors = [factor for _, factor in rule.bands or []]
        place = f"multipliers[{index}].bands"
        for i in range(1, len(ends)):
            if ends[i] <= ends[i - 1]:
                yield Finding(
                    "bands-out-of-order", "warning", place,
                    f"{rule.name!r}: the band up to {ends[i]:g} stands after the one up to {ends[i - 1]:g} "
                    "and never applies",
                    "list the bands by rising ends",
                )  # fmt: skip
        steps = np.sign(np.diff([*factors, 1.0]))
        if len(set(steps[steps != 0].tolist())) > 1:
            listed = ", ".join(f"{factor:g} up to {end:g}" for end, factor in rule.bands or [])
            yield Finding(
                "bands-gap", "note", place,
                f"{rule.name!r} goes up and down: {listed}, then 1",
                "fine where it is meant; else a band is missing between, or the last one should end nearer to 1",
            )  # fmt: skip


def _never_applies(tables: Tables) -> Iterator[Finding]:
    design, grid = tables.design, tables.grid
    scheduled = any(player.has_schedule for player in design.players.values())
    for index, rule in enumerate(design.multipliers):
        place = f"multipliers[{index}]"
        reach = [np.where(grid.open, factors[index], np.nan) for factors in (tables.factors, tables.skill_factors)]
        if all(np.isnan(factor).all() for factor in reach):
            yield Finding(
                "rule-never-applies", "warning", place, f"{rule.name!r} reaches no award at any level",
                "check its tracks, sources, tags, players and levels",
            )  # fmt: skip
        elif rule.timed and not scheduled:
            yield Finding(
                "rule-needs-schedule", "warning", place,
                f"{rule.name!r} is timed, and no profile says hours_per_day: it is never on",
                "give the player profiles hours_per_day and days_per_week",
            )  # fmt: skip
        elif "leader_level" not in f"{rule.factor}{rule.against}" and all(_is_one(factor) for factor in reach):
            yield Finding(
                "rule-without-effect", "note", place, f"{rule.name!r} is 1 at every level and source",
                "check the formula with `explain`",
            )  # fmt: skip


def _is_one(factor: np.ndarray[tuple[int, ...], np.dtype[np.float64]]) -> bool:
    known = factor[~np.isnan(factor)]
    return bool((known == 1).all())


def _factors(tables: Tables, ceiling: float) -> Iterator[Finding]:
    grid = tables.grid
    for index, rule in enumerate(tables.design.multipliers):
        factor = np.where(grid.open, tables.factors[index], np.nan)
        for code, where, words in (
            ("factor-reaches-zero", factor == 0, "nothing is awarded there at all"),
            ("factor-explodes", factor > ceiling, f"above the ceiling of {ceiling:g}"),
        ):
            if where.any():
                p, level, column = (int(axis[0]) for axis in np.nonzero(where))
                yield Finding(
                    code, "warning", f"multipliers[{index}]",
                    f"{rule.name!r} is {factor[p, level, column]:.4g} at level {grid.levels[level]:g} with source "
                    f"{grid.sources[int(grid.source_of[column])]!r}: {words}",
                    "put it into clip(…, low, high)", int(grid.levels[level]),
                )  # fmt: skip


def _stacks(tables: Tables, ceiling: float) -> Iterator[Finding]:
    if len(tables.design.multipliers) < 2:
        return
    grid = tables.grid
    everything = np.where(grid.open, tables.product(range(len(tables.design.multipliers))), 0.0)
    if everything.max() > ceiling:
        p, level, column = (int(i) for i in np.unravel_index(int(everything.argmax()), everything.shape))
        on = [
            f"{rule.name} {factor[p, level, column]:.4g}"
            for rule, factor in zip(tables.design.multipliers, tables.factors, strict=True)
            if factor[p, level, column] > 1
        ]
        yield Finding(
            "stack-too-high", "warning", "multipliers",
            f"with every timed rule on, they stack to {everything.max():.4g} at level {grid.levels[level]:g} "
            f"({', '.join(on)}), above the ceiling of {ceiling:g}",
            'stack = "best" or "add" for some of them', int(grid.levels[level]),
        )  # fmt: skip


def _turned_round(tables: Tables) -> Iterator[Finding]:
    """A stronger source that a multiplier makes pay less than a weaker one, at one level."""
    grid = tables.grid
    columns = grid.first_column
    base = tables.encounter.xp.fixed[:, grid.source_of][:, columns]
    award = tables.mean_award(tables.product())[0][:, columns]
    strength = np.array([source.level for source in tables.design.sources.values()])
    found: dict[tuple[int, int], int] = {}
    for i in range(len(columns)):
        stronger = np.nonzero(strength > strength[i])[0]
        for j in stronger.tolist():
            both = grid.open[:, columns[i]] & grid.open[:, columns[j]]
            turned = both & (base[:, j] >= base[:, i]) & (award[:, j] < award[:, i] * 0.98)
            if turned.any():
                found[i, int(j)] = int(np.nonzero(turned)[0][0])
    for (weak, strong), level in list(found.items())[:5]:
        yield Finding(
            "stronger-pays-less", "warning", "multipliers",
            f"at level {grid.levels[level]:g}, {grid.sources[strong]!r} (level {strength[strong]}) awards "
            f"{award[level, strong]:.4g} XP and the weaker {grid.sources[weak]!r} (level {strength[weak]}) "
            f"{award[level, weak]:.4g}, though "
            f"their XP before multipliers is {base[level, strong]:.4g} and {base[level, weak]:.4g}",
            "let the factor fall with the player's lead only, not with the source's", int(grid.levels[level]),
        )  # fmt: skip
