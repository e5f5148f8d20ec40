"""How strongly players go after what pays, from which sources they met."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.recorded.following import follow
from ramulus.recorded.rows import Batch
from ramulus.rules.tabulation import tabulated

if TYPE_CHECKING:
    from ramulus.design import Design

MOST = 20.0


class Choices:
    """What a profile's players may meet: sources that nothing uses up, and that no skill level changes.

    Attributes:
        weight, pay: by class of ability, level and source, shape (A, L, S); weight is 0 where a source is no choice.
    """

    def __init__(self, design: Design, profile: str, classes: int) -> None:
        tables = tabulated(design)
        lasting = np.array([not any(source.limits) for source in design.sources.values()])
        single = np.array([len(tables.columns.of([place])) == 1 for place in range(len(design.sources))])
        first = [int(tables.columns.of([place])[0]) for place in range(len(design.sources))]
        ones = [tables.profile(profile, ability) for ability in range(classes)]
        self.weight = np.stack([one.encounters.weight[:, first] * (lasting & single) for one in ones])
        self.pay = np.stack([one.pay[:, first] for one in ones])


def counts_of(
    design: Design, batches: Iterable[Batch], profile: int, longest_pause: float
) -> tuple[Array, NDArray[np.uint64]]:
    """Return how often each player of a profile met each source at each level, shape (n, L, S), and their keys."""
    levels, sources = design.track().max_level - design.track().start_level + 1, len(design.sources)
    parts, keys = [], []
    for batch in batches:
        mine = batch.profiles == profile
        if not mine.any():
            continue
        rows, owner = batch.rows, batch.owner
        at = batch.encounters
        at = at[mine[owner[at]]]
        level = follow(design, batch, longest_pause).before[at].astype(np.int64)
        place = (owner[at] * levels + level) * sources + rows.source[at]
        counts = np.bincount(place, minlength=batch.players * levels * sources).reshape(-1, levels, sources)
        parts.append(counts[mine].astype(np.float64))
        keys.append(batch.keys[mine])
    return np.concatenate(parts), np.concatenate(keys)


def pursuit_of_players(choices: Choices, counts: Array, classes: NDArray[np.int64]) -> tuple[float, float, float]:
    """Return the power with which pay draws players, by a conditional logit, with an interval clustered by player.

    McFadden, "Conditional logit analysis of qualitative choice behavior", 1974; whole players are what varies.

    Args:
        choices: what may be met.
        counts: how often each player met each source at each level, shape (n, L, S).
        classes: each player's class of ability, shape (n,).
    """
    from scipy.optimize import minimize_scalar

    there = (choices.weight > 0) & (choices.pay > 0)
    with np.errstate(divide="ignore"):
        base, pay = np.where(there, np.log(choices.weight), -np.inf), np.where(there, np.log(choices.pay), 0.0)
    several = there.sum(axis=2, keepdims=True) >= 2
    use = counts * (there & several)[classes]
    total = use.sum(axis=2)

    def parts(power: float) -> tuple[Array, Array]:
        """Return each player's log likelihood and its slope."""
        logits = base + power * pay
        with np.errstate(invalid="ignore"):
            shifted = logits - np.where(several, logits.max(axis=2, keepdims=True), 0.0)
        weights = np.where(there & several, np.exp(shifted), 0.0)
        sums = np.maximum(weights.sum(axis=2), 1e-300)
        chosen = np.where(there & several, shifted, 0.0)
        mean_pay = (weights * pay).sum(axis=2) / sums
        likelihood = (use * chosen[classes]).sum(axis=(1, 2)) - (total * np.log(sums)[classes]).sum(axis=1)
        slope = (use * pay[classes]).sum(axis=(1, 2)) - (total * mean_pay[classes]).sum(axis=1)
        return likelihood, slope

    if total.sum() < 100 or len(counts) < 5:
        return math.nan, math.nan, math.nan
    found = float(minimize_scalar(lambda power: -parts(power)[0].sum(), bounds=(0.0, MOST), method="bounded").x)
    step = 1e-3
    curve = (parts(found + step)[1].sum() - parts(found - step)[1].sum()) / (2 * step)
    scores = parts(found)[1]
    scores = scores - scores.mean()
    error = math.sqrt(float((scores**2).sum()) * len(scores) / (len(scores) - 1)) / abs(float(curve))
    return found, max(found - 1.96 * error, 0.0), found + 1.96 * error
