"""Stats by level, with the upgrades that a player profile has bought by then."""

from __future__ import annotations

from collections.abc import Mapping
from graphlib import CycleError, TopologicalSorter
from typing import TYPE_CHECKING

import numpy as np

from ramulus.design.names import stat_track
from ramulus.errors import DesignError, Problem
from ramulus.formula import parse
from ramulus.formula.functions import Array, power
from ramulus.rules.curves import through_points
from ramulus.rules.evaluating import evaluate_at, fault
from ramulus.rules.rounding import rounded

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.stat import Stat, Upgrade

MOST_PURCHASES = 100_000


def stat_table(design: Design, player: str | None = None) -> dict[str, Array]:
    """Return every stat over the levels of its track.

    Args:
        design: the design.
        player: the profile whose upgrades count (default: no upgrades).

    Returns:
        For each stat an array over its track's levels, start to cap.

    Raises:
        DesignError: a stat's formula fails, stats depend on each other in a circle, or values are missing.
    """
    ranks = upgrade_ranks(design, player) if player is not None else {}
    values: dict[str, Array] = {}
    for name in _in_order(design):
        stat = design.stats[name]
        track = design.track(stat_track(design, stat))
        levels = np.arange(track.start_level, track.max_level + 1, dtype=np.float64)
        with np.errstate(over="ignore", invalid="ignore"):  # What is not finite becomes an error of ours below.
            grown = np.broadcast_to(_grown(design, name, stat, levels, values), levels.shape)
            upgraded = _upgraded(design, name, grown, ranks)
        values[name] = _finite(name, _settled(stat, upgraded), levels)
    return {name: values[name] for name in design.stats}


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


def _grown(design: Design, name: str, stat: Stat, levels: Array, others: Mapping[str, Array]) -> Array:
    steps = levels - levels[0]
    base = np.float64(0 if stat.base is None else stat.base)
    match stat.way:
        case "per_level":
            return np.asarray(base + np.float64(stat.per_level or 0) * steps)
        case "growth":
            return base * power(np.float64(stat.growth or 0), steps)
        case "formula":
            names = {**design.constants, **others, "level": levels, "start_level": levels[0], "base": base}
            return evaluate_at(f"stats.{name}.formula", stat.formula or "", names)
        case "values":
            return _listed(name, stat.values or [], len(levels))
        case "points":
            curve = through_points(f"stats.{name}.points", stat.points or [], stat.between, levels, "error")
            return curve * base if stat.of == "base" else curve
    return np.full(len(levels), base)


def _listed(name: str, values: list[float], wanted: int) -> Array:
    if len(values) < wanted:
        found = f"{len(values)} values for {wanted} levels: {wanted - len(values)} missing"
        raise fault(f"stats.{name}.values", found, f"{wanted} values", "table-short")
    return np.array(values[:wanted], dtype=np.float64)


def _upgraded(design: Design, name: str, values: Array, ranks: Mapping[str, Array]) -> Array:
    for key, upgrade in design.upgrades.items():
        if upgrade.stat == name and key in ranks:
            if upgrade.add is not None:
                values = values + upgrade.add * ranks[key]
            else:
                values = values * power(np.float64(upgrade.factor or 1), ranks[key])
    return values


def _finite(name: str, values: Array, levels: Array) -> Array:
    if not np.isfinite(values).all():
        at = int(np.nonzero(~np.isfinite(values))[0][0])
        raise fault(f"stats.{name}", f"{values[at]} at level {levels[at]:g}", "a finite value", "formula-not-finite")
    return values


def _settled(stat: Stat, values: Array) -> Array:
    low = -np.inf if stat.at_least is None else stat.at_least
    high = np.inf if stat.at_most is None else stat.at_most
    return rounded(np.clip(values, low, high), stat.rounding)


def upgrade_ranks(design: Design, player: str) -> dict[str, Array]:
    """Return the ranks of each upgrade that a profile holds at each level of the main track.

    A profile buys in the order of its `spends`, repeated, and saves for the next one when short; so what it buys
    depends on the points it has been granted alone. An upgrade at its last rank is passed over.

    Returns:
        For each upgrade an array over the main track's levels, start to cap.

    Raises:
        DesignError: an upgrade changes a stat of another track than the main one.
    """
    _refuse_other_tracks(design)
    track = design.main_track_name
    points = design.track(track).start_points + points_granted(design, track)
    prices, bought = _shopping_list(design, design.player(player).spends, float(points.max()))
    # The tolerance lets prices such as 0.1 add up to the points granted for them.
    count = np.searchsorted(np.cumsum(prices) * (1 - 1e-12), points, side="right")
    return {
        name: np.concatenate([[0], np.cumsum([item == name for item in bought])]).astype(np.float64)[count]
        for name in design.upgrades
    }


def _shopping_list(design: Design, spends: list[str], points: float) -> tuple[list[float], list[str]]:
    """Return what is bought one after the other until the points run out: prices and names."""
    ranks = dict.fromkeys(spends, 0)
    prices: list[float] = []
    bought: list[str] = []
    spent = 0.0
    while spent <= points and len(bought) < MOST_PURCHASES:
        before = len(bought)
        for name in spends:
            upgrade = design.upgrades[name]
            if upgrade.max_rank is None or ranks[name] < upgrade.max_rank:
                ranks[name] += 1
                spent += upgrade.price
                prices.append(upgrade.price)
                bought.append(name)
        if len(bought) == before:
            break
    return prices, bought


def _refuse_other_tracks(design: Design) -> None:
    problems = [
        Problem(f"upgrades.{name}.stat", f"{upgrade.stat!r} follows another track than the main one",
                "a stat of the main track, whose points pay for it")
        for name, upgrade in design.upgrades.items()
        if _track_of_upgrade(design, upgrade) != design.main_track_name
    ]  # fmt: skip
    if problems:
        raise DesignError(problems)


def _track_of_upgrade(design: Design, upgrade: Upgrade) -> str:
    return stat_track(design, design.stats[upgrade.stat])


def points_granted(design: Design, track: str) -> Array:
    """Return the points granted from the start level up to each level of a track, shape (levels,)."""
    what = design.track(track)
    reached = np.arange(what.start_level + 1, what.max_level + 1, dtype=np.float64)
    place = f"tracks.{track}.points_per_level"
    names = {**design.constants, "level": reached}
    each = np.broadcast_to(evaluate_at(place, what.points_per_level, names), reached.shape)
    if (each < 0).any():
        raise fault(place, f"{each[each < 0][0]:g} points at level {reached[each < 0][0]:g}", "0 or more points")
    return np.concatenate([[0.0], np.cumsum(each)])
