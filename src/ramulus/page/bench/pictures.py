"""What the bench's figures show, as plain data: the numbers of the very tables that `simulate` and `levels` print."""

from __future__ import annotations

from math import isfinite
from typing import TYPE_CHECKING, Any

import numpy as np

from ramulus.design.cost_ways import PointsCost, ValuesCost
from ramulus.design.goal import DaysGoal, HoursGoal
from ramulus.goals.kinds import words_of
from ramulus.page.bench.turnable import item_place
from ramulus.results.pace import QUANTILES, whole_days
from ramulus.rules.tabulation import tabulated
from ramulus.simulation.in_level import HOUR, InLevel
from ramulus.simulation.samples import WholeSample, quantile

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable

    from ramulus.design import Design
    from ramulus.formula.functions import Array
    from ramulus.results.result import SimulationResult

MOST_DAYS = 120
ALL_TABS = ("pace", "cost", "time", "income", "days")


def pictures(design: Design, result: SimulationResult | None, tabs: Iterable[str] = ALL_TABS) -> dict[str, Any]:
    """Return what some tabs show of a design; what nothing was played for is left out.

    Returns:
        By tab: `pace` and `time`, for each profile its columns of the pace table by level; `cost`, for each track its
        levels, costs and the points or values that can be dragged; `income`, for each profile the share of each
        source in a level's XP; `days`, for each profile how many have come and how many have reached each level by
        the end of each calendar day. `bands`: the multipliers that go by them. With `players`, how many of each
        profile were played, and `goals`, those that are marks in a figure.
    """
    found: dict[str, Any] = {}
    for tab in tabs:
        if tab == "cost":
            found[tab] = {name: _costs(design, name) for name in design.track_order}
        elif result is not None:
            found[tab] = _PLAYED[tab](result)
    found["bands"] = list(_bands(design))
    if result is not None:
        found["players"] = result.players
        found["goals"] = list(_goal_marks(design))
    return found


def _pace(result: SimulationResult) -> list[dict[str, Any]]:
    found = []
    for name, profile in result.played.profiles.items():
        main, count = profile.main, profile.players
        row = {"player": name, "level": _levels(result), "reached": _numbers(main.seconds.reached() / count)}
        for q in QUANTILES:
            row[f"hours_p{q}"] = _numbers(quantile(main.seconds, q / 100, count) / HOUR)
            row[f"days_p{q}"] = _numbers(whole_days(quantile(main.days, q / 100, count), np.rint))
        found.append(row)
    return found


def _time(result: SimulationResult) -> list[dict[str, Any]]:
    track, levels = result.design.main_track_name, _levels(result)
    return [
        {"player": name, "level": levels, "hours": _numbers(InLevel(profile.main, profile, track).hours(50))}
        for name, profile in result.played.profiles.items()
    ]


def _income(result: SimulationResult) -> list[dict[str, Any]]:
    levels, sources = _levels(result), list(result.design.sources)
    found = []
    for name, profile in result.played.profiles.items():
        income = profile.totals.income
        of_level = income.sum(axis=1, keepdims=True)
        share = np.divide(income, of_level, out=np.full(income.shape, np.nan), where=of_level > 0)
        shares = {source: _numbers(share[:, at]) for at, source in enumerate(sources) if income[:, at].any()}
        found.append({"player": name, "level": levels, "shares": shares})
    return found


def _days(result: SimulationResult) -> list[dict[str, Any]]:
    found = []
    for name, profile in result.played.profiles.items():
        calendar = profile.main.calendar
        if not isinstance(calendar, WholeSample) or not np.isfinite(calendar.values).any():
            continue
        last = int(np.nanmax(calendar.values))
        until = min(last, MOST_DAYS)
        days = np.arange(1, until + 1)
        arrived = [np.searchsorted(_known(column), days, side="right").tolist() for column in calendar.values.T]
        found.append({
            "player": name, "players": profile.players, "level": _levels(result), "days": until,
            "arrived": arrived, "cut": last > until,
        })  # fmt: skip
    return found


def _levels(result: SimulationResult) -> list[int]:
    track = result.design.track()
    return list(range(track.start_level, track.max_level + 1))


def _known(column: Array) -> Array:
    return np.sort(column[np.isfinite(column)])


_PLAYED: dict[str, Callable[[SimulationResult], list[dict[str, Any]]]] = {
    "pace": _pace, "time": _time, "income": _income, "days": _days,
}  # fmt: skip


def _costs(design: Design, track: str) -> dict[str, Any]:
    tables = tabulated(design).tracks[track]
    what, cost = tables.track, tables.track.cost
    costs = np.asarray(tables.curve.costs, float).tolist()
    found: dict[str, Any] = {
        "level": list(range(what.start_level, what.start_level + len(costs))), "cost": costs, "way": cost.key,
    }  # fmt: skip
    if isinstance(cost, PointsCost):
        found |= {"gives": cost.gives, "points": [list(map(float, point)) for point in cost.points]}
    elif isinstance(cost, ValuesCost):
        found |= {"gives": cost.gives, "values": list(map(float, cost.values))}
    return found


def _bands(design: Design) -> Iterable[dict[str, Any]]:
    """Yield the multipliers that go by bands, whose borders and factors can be dragged."""
    for index, rule in enumerate(design.multipliers):
        if rule.bands:
            place = f"{item_place('multipliers', index, {'name': rule.name})}.bands"
            bands = [list(map(float, band)) for band in rule.bands]
            yield {"name": rule.name, "place": place, "against": str(rule.against), "bands": bands}


def _goal_marks(design: Design) -> Iterable[dict[str, Any]]:
    """Yield the goals that stand in the figure of pace: a level of the main track by some hours, or on some day."""
    for index, goal in enumerate(design.goals):
        of_main = goal.track in (None, design.main_track_name)
        if isinstance(goal, HoursGoal | DaysGoal) and goal.level is not None and of_main:
            yield {
                "place": f"goals[{index}].{goal.key}", "kind": goal.key, "player": goal.player, "level": goal.level,
                "value": goal.wish, "quantile": float(goal.quantile), "tolerance": goal.allowance,
                "words": words_of(goal),
            }  # fmt: skip


def _numbers(values: Iterable[float]) -> list[float | None]:
    """Return numbers as JSON takes them: what is none is null, and six digits are enough to be drawn."""
    return [float(f"{value:.6g}") if isfinite(value) else None for value in values]
