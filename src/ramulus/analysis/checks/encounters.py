"""Checks of sources, encounters and upgrades: what never happens, what stops mattering, what punishes."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from typing import TYPE_CHECKING

import numpy as np

from ramulus.analysis.checks.finding import Finding
from ramulus.analysis.effort import Effort
from ramulus.formula import parse
from ramulus.rules.stats import upgrade_ranks
from ramulus.rules.tables import Tables, make_tables

if TYPE_CHECKING:
    from ramulus.design import Design

HOPELESS = 0.1
FALL = 0.1
SELDOM = 0.02


def check_encounters(design: Design) -> Iterator[Finding]:
    """Yield what is suspicious about sources and encounters, for every player profile."""
    yield from _upgrades(design)
    if not design.sources:
        return
    tables = make_tables(design)
    effort = Effort(tables)
    yield from _closed(tables)
    yield from _never_best(tables, effort)
    yield from _pinned_chances(tables)
    yield from _formalities(tables)
    yield from _hopeless(tables, effort)
    yield from _punishing_levels(tables, effort)
    yield from _rounded_away(tables, effort)


def _upgrades(design: Design) -> Iterator[Finding]:
    if not design.players:
        return
    bought = dict.fromkeys(design.upgrades, 0.0)
    for player in design.players:
        for name, ranks in upgrade_ranks(design, player).items():
            bought[name] = max(bought[name], float(ranks[-1]))
    for name, most in bought.items():
        if not most:
            wanted = any(name in player.spends for player in design.players.values())
            reason = "no profile has the points for it by the cap" if wanted else "it is in no profile's spends"
            yield Finding(
                "upgrade-unbought", "warning", f"upgrades.{name}", f"nobody buys it: {reason}",
                "put it into a profile's spends, lower its price, or raise points_per_level",
            )  # fmt: skip


def _closed(tables: Tables) -> Iterator[Finding]:
    grid = tables.grid
    playing = grid.levels[:-1]
    is_open = np.asarray((tables.encounter.weight[:, :-1] > 0).any(axis=0))
    nowhere = np.nonzero(~is_open.any(axis=1))[0]
    if len(nowhere):
        listed = ", ".join(f"{playing[i]:g}" for i in nowhere[:6]) + (" …" if len(nowhere) > 6 else "")
        yield Finding(
            "level-without-source", "error", "sources",
            f"no source is open at level {listed}: players are stuck there",
            "open a source there (from_level, to_level)", int(playing[nowhere[0]]),
        )  # fmt: skip
    for index, name in enumerate(grid.sources):
        if not is_open[:, grid.columns_of([index])].any():
            yield Finding(
                "source-never-open", "warning", f"sources.{name}",
                "it is open at no level that is played, or its weight is 0 wherever it is",
                "change from_level, to_level or its weight",
            )  # fmt: skip
    limited = [s for s in tables.design.sources.values() if s.limit is not None]
    if limited and len(limited) == len(tables.design.sources):
        yield Finding(
            "sources-run-out", "warning", "sources", "every source has a limit: players may run out of all of them",
            "leave one source without a limit",
        )  # fmt: skip


def _never_best(tables: Tables, effort: Effort) -> Iterator[Finding]:
    grid = tables.grid
    rate = np.where(grid.open, effort.xp / np.maximum(effort.seconds, 1e-9), -1.0)[:, :-1]
    best = grid.source_of[rate.argmax(axis=2)]
    for index, name in enumerate(grid.sources):
        source = tables.design.sources[name]
        if (
            source.skill is None
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


def _pinned_chances(tables: Tables) -> Iterator[Finding]:
    """A chance that stays at one end of its clip over all levels at which a source is open."""
    grid, design = tables.grid, tables.design
    for index, name in enumerate(grid.sources):
        text = design.sources[name].success
        text = text if text is not None else design.encounter.success if design.encounter else 1
        if not isinstance(text, str):
            continue
        column = int(grid.first_column[index])
        open_levels = grid.open[:, column]
        chances = tables.encounter.success[:, open_levels, column]
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


def _formalities(tables: Tables) -> Iterator[Finding]:
    """A source whose time has stopped falling long before it closes."""
    grid = tables.grid
    for index, name in enumerate(grid.sources):
        column = int(grid.first_column[index])
        levels = np.nonzero(grid.open[:-1, column])[0]
        if len(levels) < 6:
            continue
        seconds = tables.encounter.seconds[0, levels, column]
        shown = tables.encounter.shown
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


def _hopeless(tables: Tables, effort: Effort) -> Iterator[Finding]:
    grid = tables.grid
    chance = effort.chance(grid.first_column)
    for index, name in enumerate(grid.sources):
        column = int(grid.first_column[index])
        success = tables.encounter.success[:, :-1, column]
        hopeless = (success < HOPELESS) & grid.open[:-1, column] & (chance[:, :-1, index] > SELDOM)
        if hopeless.any():
            p, level = (int(i[0]) for i in np.nonzero(hopeless))
            who = f" for {grid.profiles[p]!r}" if grid.profiles[p] else ""
            ends = np.nonzero(~hopeless[p, level:])[0]
            until = f", until level {grid.levels[level + int(ends[0])]:g}" if len(ends) else ""
            yield Finding(
                "source-hopeless", "warning", f"sources.{name}",
                f"at level {grid.levels[level]:g}{who} it succeeds {success[p, level]:.1%} of the time and is "
                f"{chance[p, level, index]:.0%} of what is met{until}",
                "open it later with from_level, or lower its weight while it is too hard", int(grid.levels[level]),
            )  # fmt: skip


def _punishing_levels(tables: Tables, effort: Effort) -> Iterator[Finding]:
    """A level-up after which XP per hour falls by more than a few percent, for the mix of what is met."""
    grid = tables.grid
    xp, seconds = effort.mix(grid.first_column)
    rate = 3600 * xp / np.maximum(seconds, 1e-9)
    for p, profile in enumerate(grid.profiles):
        met = rate[p, :-1] > 0
        change = np.where(met[:-1] & met[1:], rate[p, 1:-1] / np.maximum(rate[p, :-2], 1e-12) - 1, 0.0)
        falls = np.nonzero(change < -FALL)[0]
        if len(falls):
            worst = int(falls[np.argmin(change[falls])])
            yield Finding(
                "income-falls", "warning", "encounter",
                f"{profile or 'players'}: reaching level {grid.levels[worst + 1]:g} lowers income by "
                f"{-change[worst]:.0%}, "
                f"from {rate[p, worst]:,.0f} to {rate[p, worst + 1]:,.0f} XP per hour ({len(falls)} such "
                "levels): levelling up feels "
                "like punishment",
                "open the next source earlier, or let the multipliers fall more gently", int(grid.levels[worst + 1]),
            )  # fmt: skip


def _rounded_away(tables: Tables, effort: Effort) -> Iterator[Finding]:
    grid = tables.grid
    base = tables.encounter.xp.fixed[:, grid.source_of][None]
    product = tables.product()
    gone = (effort.award == 0) & (base * product > 0) & grid.open
    for index, name in enumerate(grid.sources):
        lost = gone[0][:, grid.source_of == index].any(axis=1)
        if lost.any():
            level = int(np.nonzero(lost)[0][0])
            column = int(grid.first_column[index])
            exact = float(np.broadcast_to(base * product, grid.shape)[0, level, column])
            yield Finding(
                "award-rounds-to-zero", "warning", f"sources.{name}",
                f"at level {grid.levels[level]:g} it should award {exact:.3g} XP and awards 0 after rounding "
                f"({int(lost.sum())} such levels)",
                'awards.least_award = 1, awards.rounding = "up", or close it there', int(grid.levels[level]),
            )  # fmt: skip
