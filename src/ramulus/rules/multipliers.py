"""Multipliers: where each rule applies, its factor there, and how the rules stack into one product."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.evaluating import evaluate_at, fault
from ramulus.rules.grid import Grid
from ramulus.rules.rounding import rounded

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.multiplier import Multiplier


MOST_AMOUNTS = 100_000


def rule_factors(
    grid: Grid, *, for_skill: bool = False, leader_level: Array | float | None = None, party_size: int = 1
) -> list[Array]:
    """Return the factor of each rule over the grid, not a number where the rule does not apply.

    Args:
        grid: the grid.
        for_skill: whether the award is to the skill that a source practises, not to the main track.
        leader_level: the level of a party's leader, broadcasting to the grid (default: the player's own).
        party_size: how many share an encounter.

    Returns:
        One array (P, L, C) a rule, in file order, as if every timed rule were on.

    Raises:
        DesignError: a factor is below 0 or not finite where it applies.
    """
    names: dict[str, Any] = dict(grid.names)
    names["leader_level"] = names["level"] if leader_level is None else leader_level
    names["party_size"] = np.float64(party_size)
    return [_factor(grid, index, rule, names, for_skill) for index, rule in enumerate(grid.design.multipliers)]


def _factor(grid: Grid, index: int, rule: Multiplier, names: Mapping[str, Array], for_skill: bool) -> Array:
    applies = _applies(grid, rule, for_skill)
    if not applies.any():
        return np.full(grid.shape, np.nan)
    place = f"multipliers[{index}]"
    where = applies & grid.open
    if rule.bands is not None:
        against = evaluate_at(f"{place}.against", rule.against or "", names, where)
        factor = _banded(rule.bands, against)
        place += ".bands"
    else:
        factor = evaluate_at(f"{place}.factor", rule.factor or 0, names, where)
        place += ".factor"
    factor = np.broadcast_to(factor, grid.shape)
    _refuse_negative(grid, place, rule, factor, where)
    return np.where(applies, np.where(np.isfinite(factor), factor, 1.0), np.nan)


def _refuse_negative(grid: Grid, place: str, rule: Multiplier, factor: Array, where: NDArray[np.bool_]) -> None:
    negative = (factor < 0) & where
    if negative.any():
        p, level, column = (int(axis[0]) for axis in np.nonzero(negative))
        source = grid.sources[int(grid.source_of[column])]
        found = (
            f"{rule.name!r} is {factor[p, level, column]:.6g} at level {grid.levels[level]:g} with source {source!r}"
        )
        raise fault(place, found, "a factor of 0 or more", "negative-factor")


def _applies(grid: Grid, rule: Multiplier, for_skill: bool) -> NDArray[np.bool_]:
    """Whether a rule applies, shape (P, L, C); hours aside."""
    design = grid.design
    by_profile = np.array([rule.players is None or name in rule.players for name in grid.profiles])
    low = -np.inf if rule.from_level is None else rule.from_level
    high = np.inf if rule.to_level is None else rule.to_level
    by_level = (grid.levels >= low) & (grid.levels <= high)
    by_source = np.array([_selects(design, rule, name, for_skill) for name in grid.sources])[grid.source_of]
    return np.asarray(by_profile[:, None, None] & by_level[None, :, None] & by_source[None, None, :])


def _selects(design: Design, rule: Multiplier, name: str, for_skill: bool) -> bool:
    source = design.sources[name]
    track = source.skill if for_skill else design.main_track_name
    return (
        (rule.tracks is None or track in rule.tracks)
        and (rule.sources is None or name in rule.sources)
        and (rule.tags is None or bool(set(rule.tags) & set(source.tags)))
    )


def _banded(bands: list[list[float]], against: Array) -> Array:
    """Return the factor of the first band whose end is not below the value; past the last: 1."""
    factor = np.ones(against.shape)
    for up_to, value in reversed(bands):
        factor = np.where(against <= up_to, value, factor)
    return factor


def stacked(design: Design, factors: list[Array], on: Iterable[int]) -> Array:
    """Return the product of the rules that are on, each group of "add" or "best" at its first rule's place.

    Args:
        design: the design.
        factors: the rules' factors, not a number where one does not apply.
        on: the indices of the rules that are on.

    Raises:
        DesignError: "add" rules add up to a factor below 0.
    """
    active = sorted(on)
    product = np.ones(factors[0].shape) if factors else np.ones(1)
    done: set[str] = set()
    for index in active:
        stack = design.multipliers[index].stack
        if stack == "multiply":
            product = product * np.where(np.isnan(factors[index]), 1.0, factors[index])
        elif stack not in done:
            done.add(stack)
            group = np.stack([factors[i] for i in active if design.multipliers[i].stack == stack])
            product = product * (_added(group, index) if stack == "add" else _best(group))
    return product


def _added(group: Array, first: int) -> Array:
    total = 1.0 + np.nansum(group - 1.0, axis=0)
    if (total < 0).any():
        found = f'the "add" rules add up to a factor of {total.min():.6g}'
        raise fault(f"multipliers[{first}].stack", found, "0 or more", "negative-factor")
    return np.asarray(total)


def _best(group: Array) -> Array:
    best = np.where(np.isnan(group), -np.inf, group).max(axis=0)
    return np.where(np.isneginf(best), 1.0, best)


def always_on(design: Design) -> tuple[int, ...]:
    """Return the indices of the rules that hold at any hour."""
    return tuple(index for index, rule in enumerate(design.multipliers) if not rule.timed)


def award_of(design: Design, xp: Array | float, product: Array | float) -> Array:
    """Return the award on success: the XP drawn times the product, rounded, and never below the least award."""
    award = rounded(xp * product, design.awards.rounding)
    return np.maximum(award, design.awards.least_award)


def whole_amounts(low: float, high: float) -> Array:
    """Return the whole numbers from low to high; of very many, ten thousand evenly spread."""
    if high - low <= MOST_AMOUNTS:
        return np.arange(low, high + 1)
    return np.floor(np.linspace(low, high, 10_001))
