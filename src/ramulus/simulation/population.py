"""All profiles together, weighted by their shares of the population."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ramulus.formula.functions import Array
from ramulus.simulation.samples import Sample

if TYPE_CHECKING:
    from ramulus.design import Design


def shares_of(design: Design, profiles: list[str]) -> Array:
    """Return the shares of some profiles, adding up to 1; equal ones where none has any."""
    shares = np.array([float(design.profile(name).share) for name in profiles])
    return shares / shares.sum() if shares.sum() > 0 else np.full(len(shares), 1 / len(shares))


def mixed_quantile(samples: list[tuple[Sample, int]], shares: Array, level: int, share: float) -> float:
    """Return the number by which a share of the weighted population has arrived at a level (an index).

    Args:
        samples: the numbers of each profile, and how many players it has.
        shares: the profiles' shares, adding up to 1.
        level: the level's place.
        share: the quantile.

    Returns:
        The number, or not a number where fewer have arrived.
    """
    values, weights = [], []
    for weight, (sample, players) in zip(shares, samples, strict=True):
        numbers, counts = sample.spread_at(level)
        values.append(numbers)
        weights.append(counts * (weight / players))
    numbers, arrived = np.concatenate(values), np.concatenate(weights)
    order = np.argsort(numbers, kind="stable")
    rank = int(np.searchsorted(np.cumsum(arrived[order]), share - 1e-9))
    return float(numbers[order][rank]) if rank < len(order) else float("nan")
