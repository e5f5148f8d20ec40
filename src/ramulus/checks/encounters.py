"""Checks of sources, encounters and upgrades: what never happens, what stops mattering, what punishes."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from typing import TYPE_CHECKING

import numpy as np

from ramulus.checks.finding import Finding
from ramulus.checks.overview import Overview, overview_of
from ramulus.formula import parse
from ramulus.rules.tabulation import tabulated

if TYPE_CHECKING:
    from ramulus.design import Design

HOPELESS = 0.1
SELDOM = 0.02


def check_encounters(design: Design) -> Iterator[Finding]:
    """Yield what is suspicious about sources and encounters, for every player profile."""
    yield from _upgrades(design)
    if not design.sources:
        return
    overview = design.derived(overview_of)
    yield from _never_best(overview)
    yield from _pinned_chances(overview)
    yield from _formalities(overview)
    yield from _hopeless(overview)
    yield from _rounded_away(overview)


def _upgrades(design: Design) -> Iterator[Finding]:
    if not design.players:
        return
    bought = dict.fromkeys(design.upgrades, 0.0)
    for player in design.players:
        for name, ranks in tabulated(design).ranks(player).items():
            bought[name] = max(bought[name], float(ranks[-1]))
    for name, most in bought.items():
        if not most:
            wanted = any(name in player.spends for player in design.players.values())
            reason = "no profile has the points for it by the cap" if wanted else "it is in no profile's spends"
            yield Finding(
                "upgrade-unbought", "warning", f"upgrades.{name}", f"nobody buys it: {reason}",
                "put it into a profile's spends, lower its price, or raise points_per_level",
            )  # fmt: skip


def _never_best(overview: Overview) -> Iterator[Finding]:
    grid = overview.columns
    rate = np.where(grid.open, overview.xp / np.maximum(overview.spent, 1e-9), -1.0)[:, :-1]
    best = grid.source_of[rate.argmax(axis=2)]
    for index, name in enumerate(grid.sources):
        source = overview.tabulation.design.sources[name]
        if (
            not source.practised
            and source.limit is None
            and not (best == index).any()
            and grid.open[:-1, grid.source_of == index].any()
        ):
            share = (rate[:, :, grid.source_of == index].max(axis=2) / np.maximum(rate.max(axis=2), 1e-12)).max()
            yield Finding(
                "source-never-best", "note", f"sources.{name}",
                f"at no level, for no profile, does it pay the most XP per hour (at its best {share:.0%} of "
                "the best source)",
                "raise its xp or lower its time where it should matter",
            )  # fmt: skip


def _pinned_chances(overview: Overview) -> Iterator[Finding]:
    """A chance that stays at one end of its clip over all levels at which a source is open."""
    grid, design = overview.columns, overview.tabulation.design
    for index, name in enumerate(grid.sources):
        text = design.sources[name].success
        text = text if text is not None else design.encounter.success if design.encounter else 1
        if not isinstance(text, str):
            continue
        column = int(grid.first_column[index])
        open_levels = grid.open[:, column]
        chances = overview.success[:, open_levels, column]
        if chances.size and open_levels.sum() > 2 and np.ptp(chances) == 0 and chances.flat[0] in _bounds(text):
            place = f"sources.{name}.success" if design.sources[name].success is not None else "encounter.success"
            yield Finding(
                "chance-pinned", "note", place,
                f"for {name!r} the chance of success is {chances.flat[0]:.4g} at every level at which it is open",
                "open it earlier or later, or widen the clip, if level should matter here",
            )  # fmt: skip


def _bounds(text: str) -> set[float]:
    """Return the plain numbers that a formula clips its result to."""
    tree = parse(text).tree
    if not (isinstance(tree, ast.Call) and isinstance(tree.func, ast.Name) and tree.func.id in ("clip", "min", "max")):
        return set()
    return {
        float(part.value)
        for part in tree.args
        if isinstance(part, ast.Constant) and isinstance(part.value, int | float)
    }


def _formalities(overview: Overview) -> Iterator[Finding]:
    """A source whose time has stopped falling long before it closes, as the first profile meets it."""
    profile = overview.tabulation.profile()
    grid = overview.columns
    for index, name in enumerate(grid.sources):
        column = int(grid.first_column[index])
        levels = np.nonzero(grid.open[:-1, column])[0]
        if len(levels) < 6:
            continue
        seconds = overview.seconds[0, levels, column]
        shown = {name: values[None] for name, values in profile.encounters.shown.items()}
        whole = {name: v[0, levels, column] for name, v in shown.items() if np.isfinite(v[0, levels, column]).all()}
        what, counted = next(iter(whole.items()), ("seconds", seconds))
        if np.ptp(seconds) == 0 or np.ptp(counted) == 0:
            continue
        stays = np.nonzero(counted != counted[-1])[0]
        first = levels[int(stays[-1]) + 1] if len(stays) else levels[0]
        left = int(levels[-1] - first) + 1
        if left >= max(5, len(levels) // 3):
            yield Finding(
                "source-trivial", "note", f"sources.{name}",
                f"from level {grid.levels[first]:g} on, growth changes nothing any more ({what} stays at "
                f"{counted[-1]:.4g} for {left} levels): it has become a formality",
                "close it there with to_level, or give it more to grow against", int(grid.levels[first]),
            )  # fmt: skip


def _hopeless(overview: Overview) -> Iterator[Finding]:
    grid = overview.columns
    for index, name in enumerate(grid.sources):
        column = int(grid.first_column[index])
        success = overview.success[:, :-1, column]
        hopeless = (success < HOPELESS) & grid.open[:-1, column] & (overview.chance[:, :-1, index] > SELDOM)
        if hopeless.any():
            p, level = (int(i[0]) for i in np.nonzero(hopeless))
            ends = np.nonzero(~hopeless[p, level:])[0]
            until = f", until level {grid.levels[level + int(ends[0])]:g}" if len(ends) else ""
            yield Finding(
                "source-hopeless", "warning", f"sources.{name}",
                f"at level {grid.levels[level]:g}{overview.whom(p)} it succeeds {success[p, level]:.1%} of the time "
                f"and is {overview.chance[p, level, index]:.0%} of what is met{until}",
                "open it later with from_level, or lower its weight while it is too hard", int(grid.levels[level]),
            )  # fmt: skip


def _rounded_away(overview: Overview) -> Iterator[Finding]:
    """An award that multipliers and rounding turn into nothing, as the first profile meets it."""
    grid, tabulation = overview.columns, overview.tabulation
    exact = tabulation.profile().mean_pay(tabulation.always_on).base * tabulation.profile().alone.product(
        tabulation.always_on
    )
    gone = (overview.award[0] == 0) & (exact > 0) & grid.open
    for index, name in enumerate(grid.sources):
        lost = gone[:, grid.source_of == index].any(axis=1)
        if lost.any():
            level = int(np.nonzero(lost)[0][0])
            should = float(exact[level, int(grid.first_column[index])])
            yield Finding(
                "award-rounds-to-zero", "warning", f"sources.{name}",
                f"at level {grid.levels[level]:g} it should award {should:.3g} XP and awards 0 after rounding "
                f"({int(lost.sum())} such levels)",
                'awards.least_award = 1, awards.rounding = "up", or close it there', int(grid.levels[level]),
            )  # fmt: skip
