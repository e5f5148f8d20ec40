"""What players go after: how a source's pay against the best one changes the chance to meet it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import numpy as np

from ramulus.design.player import BEST
from ramulus.formula import Step, number_text
from ramulus.formula.functions import Array
from ramulus.rules.working import Working, of_number

if TYPE_CHECKING:
    from ramulus.design.player import Player

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


def chances(weight: Array, pay: Array, pursuit: float) -> Array:
    """Return the chance of each source to be the next encounter, for players who go after what pays, shape (L, S).

    Args:
        weight: the weight of each source, shape (L, S).
        pay: what each pays by the hour, shape (L, S).
        pursuit: the power, or `ONLY_BEST`.
    """
    pay = np.where(weight > 0, pay, 0.0)  # What nobody meets may pay so much more that its power has no number.
    best = pay.max(axis=1, keepdims=True)
    return shares_of(np.where(best > 0, pursued(weight, pay, np.where(best > 0, best, 1.0), pursuit), weight))


def shares_of(weight: Array) -> Array:
    """Return weights as shares of their sum, row by row; nothing where there is none."""
    total = weight.sum(axis=1, keepdims=True)
    return np.asarray(np.divide(weight, total, out=np.zeros_like(weight), where=total > 0))


def choice_working(
    player: Player, sources: Sequence[str], source: str, weights: Array, pays: Array | None, level: float
) -> Working:
    """Return how the chance to meet a source next came about, while all sources have uses left.

    Args:
        player: the profile.
        sources: the names of all sources.
        source: the source's name.
        weights: the weight of each source at the level, shape (S,).
        pays: what each pays by the hour there, shape (S,); None where nobody goes after it.
        level: the level, which is said.
    """
    index, pursuit = sources.index(source), pursuit_of(player)
    mine = {i: float(weight) for i, weight in enumerate(weights) if weight > 0}
    said = f"of all sources open at level {level:g}"
    working = of_number("weight", f"pursuit = {player.pursuit!r}", float(weights[index]), note=f"of {source}")
    if pays is not None and mine:
        pay, best = float(pays[index]) if index in mine else 0.0, max(float(pays[i]) for i in mine)
        worth = f" with {player.skill_xp_worth:g} for each XP of a skill" if player.skill_xp_worth else ""
        listed = ", ".join(number_text(float(pays[i])) for i in mine)
        working = working.then(
            Step("pay", number_text(pay), pay, f"XP per hour{worth}, failures and pauses counted"),
            Step("best pay", f"max({listed})", best, said),
        )
        if best > 0:
            mine = {i: float(pursued(weight, float(pays[i]), best, pursuit)) for i, weight in mine.items()}
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
