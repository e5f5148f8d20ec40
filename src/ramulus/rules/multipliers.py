"""Multipliers: where each rule applies, its factor there, and how the rules stack into one product."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from ramulus.design.names import selects, stat_track
from ramulus.design.trait import VaryingTrait
from ramulus.formula import parse
from ramulus.formula.functions import Array
from ramulus.rules.counted import factor_of, rule_of
from ramulus.rules.evaluating import evaluate_at, fault
from ramulus.rules.limits import open_levels

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.multiplier import Multiplier
    from ramulus.design.player import Player
    from ramulus.rules.encounter_tables import Scene


@dataclass(frozen=True, eq=False)
class Company:
    """Who shares an encounter with the player.

    Attributes:
        leader_level: the level of the party's leader, broadcasting to (L, C); None for the player's own level.
        size: how many share the encounter.
        shares: where a member may share an encounter, broadcasting to (L, C); None where the source is open.
    """

    leader_level: float | None = None
    size: int = 1
    shares: NDArray[np.bool_] | None = None


ALONE = Company()
ANYWHERE = np.bool_(True)


def rule_factors(scene: Scene, *, for_skill: bool = False, company: Company = ALONE) -> list[Array]:
    """Return the factor of each rule over a scene, not a number where the rule does not apply.

    Args:
        scene: the profile, levels and columns.
        for_skill: whether the awards are to the skills practised, over whose columns the scene is, not to the main
            track.
        company: who shares the encounter.

    Returns:
        One array (L, C) a rule, in file order, as if every timed rule were on.

    Raises:
        DesignError: a factor is below 0 or not finite where it applies.
    """
    names: dict[str, Any] = dict(scene.names)
    names["leader_level"] = names["level"] if company.leader_level is None else np.float64(company.leader_level)
    names["party_size"] = np.float64(company.size)
    judged = scene.columns.open if company.shares is None else company.shares
    rules = enumerate(scene.design.multipliers)
    return [_factor(scene, index, rule, names, _applies(scene, rule, for_skill), judged) for index, rule in rules]


def _factor(
    scene: Scene, index: int, rule: Multiplier, names: Mapping[str, Array], applies: NDArray[np.bool_],
    judged: NDArray[np.bool_],
) -> Array:  # fmt: skip
    shape = scene.columns.shape
    if not applies.any():
        return np.full(shape, np.nan)
    place = f"multipliers[{index}]"
    where = applies & judged
    if rule.counts is not None:
        factor = np.ones(())  # Which band it stands in is not known here.
    elif rule.bands is not None:
        against = evaluate_at(f"{place}.against", rule.against or "", names, where)
        factor, place = banded(rule.bands, against), f"{place}.bands"
    else:
        factor, place = evaluate_at(f"{place}.factor", rule.factor or 0, names, where), f"{place}.factor"
    factor = np.broadcast_to(factor, shape)
    _refuse_negative(scene, place, rule, factor, where)
    return np.where(applies, np.where(np.isfinite(factor), factor, 1.0), np.nan)


def _refuse_negative(scene: Scene, place: str, rule: Multiplier, factor: Array, where: NDArray[np.bool_]) -> None:
    negative = (factor < 0) & where
    if negative.any():
        level, column = (int(axis[0]) for axis in np.nonzero(negative))
        there = f"level {scene.columns.levels[level]:g} with source {scene.columns.source_at(column)!r}"
        found = f"{rule.name!r} is {factor[level, column]:.6g} at {there}"
        raise fault(place, found, "a factor of 0 or more", "negative-factor")


def _applies(scene: Scene, rule: Multiplier, for_skill: bool) -> NDArray[np.bool_]:
    """Whether a rule applies, shape (L, C); hours aside."""
    columns = scene.columns
    mine = rule.players is None or scene.profile in rule.players
    by_level = open_levels(rule).hold(columns.levels)
    tracks = columns.skill_track if for_skill else (scene.design.main_track_name,) * len(columns.sources)
    selected = [selects(scene.design, rule, *award) for award in zip(columns.sources, tracks, strict=True)]
    by_source = np.array(selected, dtype=np.bool_)
    return np.asarray(mine & by_level[:, None] & by_source[columns.source_of][None, :])


def banded(bands: list[list[float]], against: Array) -> Array:
    """Return the factor of the first band whose end is not below the value; past the last: 1."""
    factor = np.ones(against.shape)
    for up_to, value in reversed(bands):
        factor = np.where(against <= up_to, value, factor)
    return factor


@dataclass(frozen=True, eq=False)
class Link:
    """One factor of a product: a rule of its own, or the rules that "add" or "best" takes together.

    Attributes:
        stack: how the rules stack.
        rules: their indices.
        factor: what they come to; 1 where none applies.
    """

    stack: str
    rules: tuple[int, ...]
    factor: Array


def links(
    design: Design, factors: list[Array], on: Iterable[int], met: NDArray[np.bool_] | np.bool_ = ANYWHERE
) -> list[Link]:
    """Return the factors of the rules that are on, in file order; each group stands at its first rule's place.

    Args:
        design: the design.
        factors: the rules' factors, not a number where one does not apply.
        on: the rules that are on.
        met: where an award may be made, broadcasting to the factors.

    Raises:
        DesignError: "add" rules add up to a factor below 0.
    """
    active = {rule_of(design, number): factor_of(design, factors, number) for number in on}
    found: list[Link] = []
    for index in sorted(active):
        stack, factor = design.multipliers[index].stack, active[index]
        if stack == "multiply":
            found.append(Link(stack, (index,), np.where(np.isnan(factor), 1.0, factor)))
        elif stack not in [link.stack for link in found]:
            group = tuple(i for i in sorted(active) if design.multipliers[i].stack == stack)
            together = np.stack([active[i] for i in group])
            found.append(Link(stack, group, _added(together, index, met) if stack == "add" else _best(together)))
    return found


def product_of(chain: list[Link], shape: tuple[int, ...]) -> Array:
    """Return what the links come to, in the given shape."""
    product = np.ones(shape)
    for link in chain:
        product = product * link.factor
    return product


def _added(group: Array, first: int, met: NDArray[np.bool_] | np.bool_) -> Array:
    total = np.where(met, 1.0 + np.nansum(group - 1.0, axis=0), 1.0)
    if (total < 0).any():
        found = f'the "add" rules add up to a factor of {total.min():.6g}'
        raise fault(f"multipliers[{first}].stack", found, "0 or more", "negative-factor")
    return np.asarray(total)


def _best(group: Array) -> Array:
    best = np.where(np.isnan(group), -np.inf, group).max(axis=0)
    return np.where(np.isneginf(best), 1.0, best)


def always_on(design: Design) -> frozenset[int]:
    """Return the indices of the rules that hold at any hour, whatever was done."""
    rules = enumerate(design.multipliers)
    return frozenset(index for index, rule in rules if not rule.timed and rule.counts is None)


def hold_at_any_hour(design: Design) -> frozenset[int]:
    """Return `always_on` with the rules that look at what was done and hold at any hour, in whatever band."""
    return frozenset(index for index, rule in enumerate(design.multipliers) if not rule.timed)


def reads_leader(rule: Multiplier) -> bool:
    """Whether a rule's formula reads `leader_level`."""
    return _reads(rule, "leader_level")


def reads_size(rule: Multiplier) -> bool:
    """Whether a rule's formula reads `party_size`."""
    return _reads(rule, "party_size")


def reads_skill(design: Design, rule: Multiplier) -> bool:
    """Whether a rule's formula reads a skill's level, or a stat that follows it."""
    of_skills = [n for n, stat in design.stats.items() if stat_track(design, stat) != design.main_track_name]
    return any(_reads(rule, name) for name in ("skill_level", *of_skills))


def _reads(rule: Multiplier, name: str) -> bool:
    texts = (rule.factor, rule.against)
    return any(isinstance(text, str) and name in parse(text).names for text in texts)


def looks_at_ability(design: Design, player: Player) -> bool:
    """Return whether a multiplier reads a trait in which the profile's players differ."""
    varying = {name for name, trait in player.traits.items() if isinstance(trait, VaryingTrait)}
    texts = [text for rule in design.multipliers for text in (rule.factor, rule.against) if isinstance(text, str)]
    return any(varying & set(parse(text).names) for text in texts)
