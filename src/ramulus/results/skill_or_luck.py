"""Is it skill or luck: how much of the variance between players of one kind is ability, own speed, and chance.

Log hours are looked at against what is known of each player: its class of ability, and its own factor on time. What
either explains alone is its share (first-order indices, as in Sobol, "Sensitivity estimates for nonlinear
mathematical models", 1993); what both together leave is luck; and the rest they share. Hours are the own factor times
everything else, so in logs nothing is shared but where rules go by the day. Every share is freed of what chance alone
would explain (Wherry, "A new formula for predicting the shrinkage of the coefficient of multiple correlation", 1931).
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.errors import RamulusError
from ramulus.rules.ability import CLASSES, class_of, classes_of
from ramulus.simulation.draws import own_factors, player_keys
from ramulus.simulation.in_level import HOUR
from ramulus.simulation.samples import WholeSample

if TYPE_CHECKING:
    from ramulus.design.player import Player
    from ramulus.formula.functions import Array
    from ramulus.simulation.played import PlayedDesign

GROUPS = 20
DEGREE = 5  # Of own speed: straight without timed rules, bent a little with them.
LEAST_LEFT = 50


class Shares(NamedTuple):
    """Shares of the variance of log hours, adding up to 1."""

    ability: float
    speed: float
    luck: float
    shared: float


UNKNOWN = Shares(*[np.nan] * 4)


def skill_or_luck_rows(result: PlayedDesign, level: int | None = None) -> list[dict[str, Any]]:
    """Return the rows of `SimulationResult.skill_or_luck`.

    Raises:
        RamulusError: the run was too large to keep every player, or the level is outside the track or its start.
    """
    start, cap = result.design.track().start_level, result.design.track().max_level
    if level is not None and not start < level <= cap:
        raise RamulusError(f"level {level}; allowed: {start + 1} … {cap}")
    rows = []
    for name, profile in result.played.profiles.items():
        each, arrivals = profile.kept_each(), profile.main.seconds
        by_all = int((arrivals.reached() == profile.players).sum()) - 1
        at = by_all if level is None else level - start
        assert isinstance(arrivals, WholeSample)
        keys = player_keys(result.seed, name, each.numbers)
        row = skill_or_luck_row(result.design.profile(name), keys, each.numbers, arrivals.values[:, at] / HOUR)
        rows.append({"player": name, "level": start + at, **row})
    return rows


def skill_or_luck_row(
    player: Player, keys: NDArray[np.uint64], numbers: NDArray[np.int64], hours: Array
) -> dict[str, float]:
    """Return the columns of `SimulationResult.skill_or_luck` but the first two.

    Args:
        player: the profile.
        keys, numbers: of its players.
        hours: their played hours; all shares are empty where somebody has none above 0.
    """
    nothing = {"log_hours_sd": np.nan, **_with_errors(UNKNOWN, UNKNOWN)}
    if not (np.isfinite(hours).all() and (hours > 0).all()):
        return nothing
    log_hours, factor = np.log(hours), np.log(own_factors(keys, player.spread))
    classes = class_of(numbers) if classes_of(player) > 1 else np.zeros_like(numbers)
    # Groups of players next to each other hold every class alike.
    group = numbers // CLASSES % GROUPS
    shares, *left = shares_of_variance(log_hours, factor, classes, group)
    errors = _jackknifed(left) if len(np.unique(group)) == GROUPS else UNKNOWN
    return {"log_hours_sd": float(log_hours.std()), **_with_errors(shares, errors)}


def _with_errors(shares: Shares, errors: Shares) -> dict[str, float]:
    return {**shares._asdict(), **{f"{name}_error": error for name, error in errors._asdict().items()}}


def _jackknifed(left: list[Shares]) -> Shares:
    """Return standard errors from estimates that leave out a group each (Efron and Stein, 1981)."""
    values = np.array(left)
    return Shares(*np.sqrt(((values - values.mean(axis=0)) ** 2).mean(axis=0) * (len(left) - 1)).tolist())


def shares_of_variance(
    log_hours: Array, log_factor: Array, classes: NDArray[np.int64], group: NDArray[np.int64]
) -> list[Shares]:
    """Return where the variance of log hours comes from: of all players, then without each of the groups.

    Not a number where there is no variance, or too few players.

    Args:
        log_hours: log of played hours, one a player.
        log_factor: log of the players' own factors on time.
        classes: their classes of ability, all 0 where ability changes nothing.
        group: their groups, 0 … GROUPS − 1.
    """
    by_class = np.eye(CLASSES)[classes][:, np.unique(classes)]
    by_speed = np.ones((len(log_hours), 1))
    if np.ptp(log_factor) > 0:
        by_speed = np.vander((log_factor - log_factor.mean()) / log_factor.std(), DEGREE + 1)
    both = (by_class[:, :, None] * by_speed[:, None, :]).reshape(len(log_hours), -1)
    if len(log_hours) - both.shape[1] < LEAST_LEFT or log_hours.var() <= 1e-12:
        return [UNKNOWN] * (GROUPS + 1)
    centred = log_hours - log_hours.mean()
    explained = [_explained(centred, by, group) for by in (by_class, by_speed, both)]
    return [
        Shares(ability, speed, 1 - known, known - ability - speed)
        for ability, speed, known in zip(*explained, strict=True)
    ]


def _explained(values: Array, by: Array, group: NDArray[np.int64]) -> list[float]:
    """Return the share of the variance that a linear model explains beyond what chance would.

    Of all players, then without each of the groups: sums over the groups are taken once, and one subtracted each.
    """
    if by.shape[1] == 1:
        return [0.0] * (GROUPS + 1)
    parts = [(by[group == g], values[group == g]) for g in range(GROUPS)]
    sums = [(x.T @ x, x.T @ y, len(y), float(y.sum()), float(y @ y)) for x, y in parts]
    everyone = tuple(sum(part[k] for part in sums) for k in range(5))
    some = [tuple(all_of - mine for all_of, mine in zip(everyone, part, strict=True)) for part in sums]
    return [_beyond_chance(*one) for one in (everyone, *some)]


def _beyond_chance(products: Array, moments: Array, players: int, total: float, squares: float) -> float:
    """Return the adjusted share explained, from a model's normal equations."""
    fitted = float(moments @ np.linalg.lstsq(products, moments, rcond=1e-13)[0])
    left = (squares - fitted) / max(players - len(moments), 1)
    variance = (squares - total**2 / players) / max(players - 1, 1)
    return max(1 - left / variance, 0.0)
