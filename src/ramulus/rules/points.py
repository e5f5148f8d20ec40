"""Points: what level-ups grant, and the ranks of upgrades that a player profile buys with them."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ramulus.design.base import MOST_XP
from ramulus.design.names import stat_track
from ramulus.errors import DesignError, Problem
from ramulus.formula.functions import Array
from ramulus.rules.evaluating import evaluate_at, fault

if TYPE_CHECKING:
    from ramulus.design import Design

MOST_PURCHASES = 100_000


def points_granted(design: Design, track: str) -> Array:
    """Compute the points granted from the start level up to each level of a track, shape (levels,)."""
    what = design.track(track)
    reached = np.arange(what.start_level + 1, what.max_level + 1, dtype=np.float64)
    place = f"tracks.{track}.points_per_level"
    names = {**design.constants, "level": reached}
    each = np.broadcast_to(evaluate_at(place, what.points_per_level, names), reached.shape)
    if (each < 0).any():
        raise fault(place, f"{each[each < 0][0]:g} points at level {reached[each < 0][0]:g}", "0 or more points")
    with np.errstate(over="ignore"):
        granted = np.concatenate([[0.0], np.cumsum(each)])
    if granted[-1] > MOST_XP:
        raise fault(place, f"{granted[-1]:.6g} points in all", f"at most {MOST_XP:,} points")
    return granted


def upgrade_ranks(design: Design, player: str, granted: Array) -> dict[str, Array]:
    """Compute the ranks of each upgrade that a profile holds at each level of the main track.

    A profile buys in the order of its `spends`, repeated, and saves for the next one when short; so what it buys
    depends on the points it has been granted alone. An upgrade at its last rank is passed over.

    Args:
        design: the design.
        player: the profile's name.
        granted: the points granted up to each level, shape (levels,).

    Returns:
        For each upgrade an array over the main track's levels, start to cap.

    Raises:
        DesignError: an upgrade changes a stat of another track than the main one.
    """
    _refuse_other_tracks(design)
    own = design.profile(player).start_points
    points = (design.track().start_points if own is None else own) + granted
    prices, bought = _shopping_list(design, design.profile(player).spends, float(points.max()))
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
    while spent <= points:
        before = len(bought)
        for name in spends:
            upgrade = design.upgrades[name]
            if upgrade.max_rank is None or ranks[name] < upgrade.max_rank:
                ranks[name] += 1
                spent += upgrade.price
                prices.append(upgrade.price)
                bought.append(name)
        if len(bought) > MOST_PURCHASES:
            found = f"{points:,.6g} points buy more than {MOST_PURCHASES:,} ranks"
            allowed = f"points and prices that buy at most {MOST_PURCHASES:,} ranks, or a max_rank"
            raise fault(f"upgrades.{spends[0]}.price", found, allowed, "design-too-large")
        if len(bought) == before:
            break
    return prices, bought


def _refuse_other_tracks(design: Design) -> None:
    main = design.main_track_name
    problems = [
        Problem(
            f"upgrades.{name}.stat",
            f"{upgrade.stat!r} follows another track than the main one",
            "a stat of the main track, whose points pay for it",
        )
        for name, upgrade in design.upgrades.items()
        if stat_track(design, design.stats[upgrade.stat]) != main
    ]
    if problems:
        raise DesignError(problems)
