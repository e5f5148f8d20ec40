"""Checks of awards: overflow that is lost, levels that wait, XP that keeps coming at the cap."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from ramulus.checks.finding import Finding
from ramulus.errors import RamulusError
from ramulus.rules.pay import paid
from ramulus.rules.tabulation import tabulated

if TYPE_CHECKING:
    from ramulus.design import Design

NOTABLE_WASTE = 0.005
WASTE_PLAYERS = 200


@dataclass(frozen=True)
class _Largest:
    """The largest award over what it meets: its size, source, level and the cost there."""

    award: float
    source: str
    level: int
    cost: float


def check_awards(design: Design) -> Iterator[Finding]:
    """Yield what the main track's overflow rules cost the player, given its sources."""
    if not design.sources:
        return
    track = design.track()
    rules = track.overflow
    place = f"tracks.{design.main_track_name}.overflow"
    largest = _largest_against_cost(design)
    if largest is not None and (rules.carry < 1 or rules.carry_limit is not None) and largest.award > largest.cost:
        yield Finding(
            "award-beyond-level", "warning", f"{place}.carry",
            f"{largest.source!r} awards up to {largest.award:,.6g} XP at level {largest.level}, more than the "
            f"{largest.cost:,.6g} XP of that level, and carry = {rules.carry:g} throws overflow away",
            "carry = 1, or smaller awards at that level", largest.level,
        )  # fmt: skip
    if largest is not None and rules.level_ups_per_award == "one" and largest.award > largest.cost:
        yield Finding(
            "award-waits", "warning", f"{place}.level_ups_per_award",
            f"{largest.source!r} awards up to {largest.award:,.6g} XP at level {largest.level}, which costs "
            f"{largest.cost:,.6g} XP: with one level an award the rest waits and the bar shows full",
            'level_ups_per_award = "any", or smaller awards at that level', largest.level,
        )  # fmt: skip
    yield from _at_the_cap(design, place)
    yield from _expected_waste(design, place)


def _largest_against_cost(design: Design) -> _Largest | None:
    """Return the award that is largest against the cost of its level, multipliers counted; None if none is larger."""
    tabulation = tabulated(design)
    columns, costs = tabulation.columns, tabulation.main.curve.costs
    highest = columns.spread([law.highest for law in tabulation.laws])
    found = None
    for profile in map(tabulation.profile, design.profiles):
        product = profile.alone.product(tabulation.always_on)
        awards = np.where(columns.open, paid(design.awards, highest, product), 0.0)
        against = awards[:-1] / costs[:, None]
        level, column = (int(i) for i in np.unravel_index(int(against.argmax()), against.shape))
        if against[level, column] > (found.award / found.cost if found else 1):
            award, cost = float(awards[level, column]), float(costs[level])
            found = _Largest(award, columns.source_at(column), int(columns.levels[level]), cost)
    return found


def _at_the_cap(design: Design, place: str) -> Iterator[Finding]:
    track = design.track()
    tabulation = tabulated(design)
    laws = zip(design.sources.items(), tabulation.laws, strict=True)
    # That XP is worth nothing at the cap is what a cap is; to open a source for nothing else is not.
    paying = [name for (name, source), law in laws if source.from_level == track.max_level and law.mean[-1] > 0]
    if paying and track.overflow.at_cap == "discard":
        yield Finding(
            "xp-at-cap", "note", f"{place}.at_cap",
            f"opened at the cap only, level {track.max_level}: {', '.join(paying[:4])}; all the XP is discarded",
            'at_cap = "bank", something else to earn there, or an earlier from_level', track.max_level,
        )  # fmt: skip


def _expected_waste(design: Design, place: str) -> Iterator[Finding]:
    """What is lost at thresholds hangs on how awards and costs fall on each other, so players are played for it."""
    rules = design.track().overflow
    if rules.carry == 1 and rules.carry_limit is None:
        return
    from ramulus.results.simulate import SimulationStopped, simulate

    try:
        result = simulate(design, WASTE_PLAYERS, seed=0)
    except SimulationStopped:
        raise  # Who interrupted it wants no findings.
    except RamulusError:
        return  # What keeps the design from being played is found by other checks.
    waste, income = result.waste(), result.income()
    below = design.track().max_level - 1  # The award that reaches the cap may waste at the cap too.
    for player, rows in waste[waste["level"] < below].groupby("player", sort=False):
        wasted = float(rows["wasted"].sum())
        earned = float(income[(income["player"] == player) & (income["level"] < below)]["xp"].sum())
        if wasted > NOTABLE_WASTE * earned:
            yield Finding(
                "waste-expected", "warning", f"{place}.carry",
                f"about {wasted:,.0f} XP of {earned:,.0f} XP awarded are lost at thresholds "
                f"below level {below}, {wasted / earned:.1%} (the mean of {WASTE_PLAYERS} simulated players)",
                "carry = 1, or smaller awards against the costs", players=(player,),
            )  # fmt: skip
