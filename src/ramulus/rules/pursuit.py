"""What players go after: how a source's pay against the best one changes the chance to meet it."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from ramulus.design.player import BEST
from ramulus.formula import Step, number_text
from ramulus.formula.functions import Array
from ramulus.rules.working import Working, of_number

if TYPE_CHECKING:
    from ramulus.design.player import Player
    from ramulus.rules.columns import Index
    from ramulus.rules.profile_tables import ProfileTables

ONLY_BEST = -1.0
ALIKE = 1 - 1e-9  # Pays this near the best one are equal.
NO_TIME = 1e300  # The pay of what takes no time.


def pursuit_of(player: Player) -> float:
    """Return the power of a profile's pursuit; `ONLY_BEST` where it meets nothing but the best."""
    return ONLY_BEST if player.pursuit == BEST else float(player.pursuit)


def pursued(weight: Any, pay: Any, best: Any, pursuit: float) -> Any:
    """Return a source's weight for players who go after what pays.

    Numbers or arrays alike; a kernel compiles it.

    Args:
        weight: the source's weight.
        pay: what it pays by the hour.
        best: the best pay of the sources that can be met, above 0.
        pursuit: the power, or `ONLY_BEST`.
    """
    if pursuit < 0.0:
        return weight * (pay >= best * ALIKE)
    return weight * (pay / best) ** pursuit


def pay_by_hour(xp: Array, seconds: Array) -> Array:
    """Return XP per hour, never below 0, and very much where something comes of no time."""
    earned = np.maximum(3600 * xp, 0.0)
    by_hour = np.divide(earned, seconds, out=np.where(earned > 0, NO_TIME, 0.0), where=seconds > 0)
    return np.asarray(np.minimum(by_hour, NO_TIME))


def chance_of(profile: ProfileTables, columns: Index) -> Array:
    """Return the chance of each source to be the next encounter while all have uses left, shape (L, S)."""
    return _chances(profile, profile.encounters.weight[:, columns], columns)


def lasting_chance(profile: ProfileTables, columns: Index) -> Array:
    """Return the chance of each source to be the next encounter once uses have run out, shape (L, S).

    Sources with a limit are left out wherever a lasting one is met: how long they last is a matter of playing.
    """
    weight = profile.encounters.weight[:, columns]
    lasting = weight * [not any(source.limits) for source in profile.tabulation.design.sources.values()]
    some = np.where(lasting.any(axis=1, keepdims=True), lasting, weight)
    return _chances(profile, some, columns)


def by_weight(profile: ProfileTables, columns: Index) -> Array:
    """Return what `chance_of` would be for players who go after nothing, shape (L, S)."""
    return _shares(profile.encounters.weight[:, columns])


def _chances(profile: ProfileTables, weight: Array, columns: Index) -> Array:
    pursuit = pursuit_of(profile.player)
    if pursuit:
        pay = profile.pay[:, columns]
        best = np.where(weight > 0, pay, 0.0).max(axis=1, keepdims=True)
        weight = np.where(best > 0, pursued(weight, pay, np.where(best > 0, best, 1.0), pursuit), weight)
    return _shares(weight)


def _shares(weight: Array) -> Array:
    total = weight.sum(axis=1, keepdims=True)
    return np.asarray(np.divide(weight, total, out=np.zeros_like(weight), where=total > 0))


def mix(profile: ProfileTables, columns: Index) -> tuple[Array, Array]:
    """Return mean XP and mean seconds of the next encounter, whichever lasting one it is, shape (L,) each."""
    chance, mean = lasting_chance(profile, columns), profile.mean_pay(profile.tabulation.always_on)
    return (chance * mean.xp[:, columns]).sum(axis=1), (chance * mean.seconds[:, columns]).sum(axis=1)


def choice_working(profile: ProfileTables, row: int, source: str, skill_level: int | None) -> Working:
    """Return how the chance to meet a source next came about, while all sources have uses left.

    Args:
        profile: the profile, at one ability.
        row: the level, from 0.
        source: the source's name.
        skill_level: the level of the sources' skills (default: their start levels).
    """
    columns = profile.tabulation.columns
    at, index = columns.at_skill(skill_level), columns.sources.index(source)
    pursuit, weights = pursuit_of(profile.player), profile.encounters.weight[row, at]
    there = [i for i in range(len(at)) if weights[i] > 0]
    said = f"of all sources open at level {columns.levels[row]:g}"
    working = of_number("weight", f"pursuit = {profile.player.pursuit!r}", float(weights[index]), note=f"of {source}")
    mine = {i: float(weights[i]) for i in there}
    if pursuit and there:
        pays = {i: float(profile.pay[row, at[i]]) for i in there}
        pay, best = pays.get(index, 0.0), max(pays.values())
        worth = (
            f" with {profile.player.skill_xp_worth:g} for each XP of a skill" if profile.player.skill_xp_worth else ""
        )
        working = working.then(
            Step("pay", number_text(pay), pay, f"XP per hour{worth}, failures and pauses counted"),
            Step("best pay", f"max({', '.join(map(number_text, pays.values()))})", best, said),
        )
        if best > 0:
            mine = {i: float(pursued(mine[i], pays[i], best, pursuit)) for i in there}
            working = working.then(_pursued_step(mine.get(index, 0.0), float(weights[index]), pay, best, pursuit))
    total, share = " + ".join(map(number_text, mine.values())), mine.get(index, 0.0)
    chance = share / sum(mine.values()) if mine else 0.0
    put_in = f"{number_text(share)} / ({total})" if mine else "0"
    return working.then(Step("chance", put_in, chance, f"over the sum {said}"))


def _pursued_step(value: float, weight: float, pay: float, best: float, pursuit: float) -> Step:
    texts = [number_text(number) for number in (weight, pay, best, pursuit)]
    if pursuit < 0:
        put_in = f"{texts[0]} if {texts[1]} >= {texts[2]} * {ALIKE!r} else 0"
        return Step("weight where the pay is the best", put_in, value)
    return Step("weight * (pay / best pay) ** pursuit", f"{texts[0]} * ({texts[1]} / {texts[2]}) ** {texts[3]}", value)
