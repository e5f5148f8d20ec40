"""Ability: where a player stands among its like, in 15 classes, and what its traits are there."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from ramulus.design.trait import VaryingTrait
from ramulus.errors import DesignError, Problem, RamulusError
from ramulus.formula.functions import Array
from ramulus.rules.evaluating import evaluate_at

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.player import Player

CLASSES = 15
MIDDLE = CLASSES // 2  # Ability 0.5, which tables without chance show.
THIRDS = ("slow third", "middle third", "able third")


def ability_of(ability_class: int) -> float:
    """Return the quantile at which a class takes its traits."""
    return (ability_class + 0.5) / CLASSES


def class_of(number: Any) -> Any:
    """Return the class of a player of a profile, or of several players, by their numbers."""
    return number % CLASSES


def class_at(ability: float) -> int:
    """Return the class that an ability between 0 and 1 falls in.

    Raises:
        RamulusError: it is outside 0 … 1.
    """
    if not 0 <= ability <= 1:
        raise RamulusError(f"ability {ability!r}; allowed: 0 … 1, such as 0.9 (1: the ablest fifteenth)")
    return min(int(ability * CLASSES), CLASSES - 1)


def third_of(number: Any) -> Any:
    """Return which of `THIRDS` a player of a profile is in, or several players, by their numbers."""
    return class_of(number) * len(THIRDS) // CLASSES


def classes_of(player: Player) -> int:
    """Return how many classes of a profile differ: all, or one where no trait varies."""
    varies = any(isinstance(trait, VaryingTrait) and trait.sd > 0 for trait in player.traits.values())
    return CLASSES if varies else 1


def in_words(player: Player, ability: float) -> str:
    """Return words for the ability that a table shows, where players of the profile differ in it; else nothing."""
    return f", ability {ability_of(class_at(ability)):.2g}" if classes_of(player) > 1 else ""


def traits_of(design: Design, profile: str, levels: Array, ability_class: int) -> dict[str, Array]:
    """Return the traits of a profile's players of one class: numbers, or over levels, shape (L, 1).

    Raises:
        DesignError: formulas fail, each a problem.
    """
    problems: list[Problem] = []
    found: dict[str, Array] = {}
    for name, trait in design.profile(profile).traits.items():
        if isinstance(trait, VaryingTrait):
            found[name] = np.asarray(quantile_of(trait, ability_of(ability_class)))
            continue
        try:
            names = {**design.constants, "level": levels[:, None]}
            found[name] = evaluate_at(f"players.{profile}.traits.{name}", trait, names)
        except DesignError as error:
            problems += error.problems
    if problems:
        raise DesignError(problems)
    return found


def quantile_of(trait: VaryingTrait, ability: float) -> float:
    """Return a varying trait at an ability: that quantile of its normal, cut off at its ends.

    It is computed in logs from the nearer tail, so that ends far out lose no digits.
    """
    share = ability if trait.better == "high" else 1 - ability
    if not trait.sd:
        return float(trait.mean)
    from scipy.special import log_ndtr, ndtri_exp

    least = -np.inf if trait.at_least is None else trait.at_least
    most = np.inf if trait.at_most is None else trait.at_most
    low, high = (least - trait.mean) / trait.sd, (most - trait.mean) / trait.sd
    sign = 1.0
    if low > 0:  # The upper tail is the lower one in a mirror.
        low, high, share, sign = -high, -low, 1 - share, -1.0
    below = np.logaddexp(log_ndtr(low) + np.log1p(-share), log_ndtr(high) + np.log(share))
    value = float(trait.mean + trait.sd * sign * ndtri_exp(below))
    return float(np.clip(value, least, most))
