"""Kinds of players that a log does not tell apart by name, by their pauses: a mixture of log-normal distributions."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from ramulus.formula.functions import Array
from ramulus.recorded.estimates import Ends, share_of, spread_ends, t_quantile

FEWEST = 20  # Players among whom kinds are looked for.
FEWEST_OF_A_KIND = 5
MOST_KINDS = 6
APART = 3.0  # Spreads between neighbours: what lies nearer looks like one kind, and may be one.


class Kind(NamedTuple):
    """Players whose pauses are alike.

    Attributes:
        players: about how many they are.
        share: their share of the players, with its 95 % interval.
        seconds_between: the median of their own mean pauses, seconds, with its interval.
        spread: the standard deviation of the logs, with its interval.
    """

    players: int
    share: Ends
    seconds_between: Ends
    spread: Ends


class Kinds(NamedTuple):
    """The kinds that were found.

    Attributes:
        kinds: by rising pause.
        blurred: how many kinds the pauses would split into whose neighbours are too near to be told apart; 0: none.
    """

    kinds: tuple[Kind, ...]
    blurred: int


def kinds_of(pause: Array) -> Kinds:
    """Return the kinds of players by their own mean pauses, seconds, shape (n,); none where they are too few.

    Their number is that of the least Bayesian information criterion (Schwarz, 1978), of those numbers whose
    neighbouring kinds lie three spreads apart.
    """
    from sklearn.mixture import GaussianMixture
    from threadpoolctl import threadpool_limits

    logs = np.log(pause[np.isfinite(pause) & (pause > 0)])[:, None]
    if len(logs) < FEWEST:
        return Kinds((), 0)
    most = min(MOST_KINDS, len(logs) // FEWEST_OF_A_KIND)
    with threadpool_limits(1):  # Threads that wait for each other take longer than so little work.
        fitted = [GaussianMixture(count, n_init=3, random_state=0).fit(logs) for count in range(1, most + 1)]
    best = min(fitted, key=lambda mixture: mixture.bic(logs))
    apart = min((one for one in fitted if _are_apart(one, logs)), key=lambda mixture: mixture.bic(logs))
    count = best.n_components if best.n_components > apart.n_components else 0
    order = np.argsort(apart.means_[:, 0])
    of_each = (apart.weights_[order], apart.means_[order, 0], apart.covariances_[order, 0, 0])
    parts = zip(*(numbers.tolist() for numbers in of_each), strict=True)
    return Kinds(tuple(_kind(weight, middle, variance, len(logs)) for weight, middle, variance in parts), count)


def _are_apart(mixture: object, logs: Array) -> bool:
    means = mixture.means_[:, 0]  # type: ignore[attr-defined]
    spreads = np.sqrt(mixture.covariances_[:, 0, 0])  # type: ignore[attr-defined]
    order = np.argsort(means)
    means, spreads = means[order], spreads[order]
    players = len(logs) * mixture.weights_  # type: ignore[attr-defined]
    far = np.diff(means) >= APART * np.maximum(spreads[1:], spreads[:-1])
    return bool(far.all() and players.min() >= FEWEST_OF_A_KIND - 0.5)


def _kind(weight: float, middle: float, variance: float, players: int) -> Kind:
    count = round(weight * players)
    spread = math.sqrt(variance * count / (count - 1))
    error = t_quantile(count) * spread / math.sqrt(count)
    pause = (math.exp(middle), math.exp(middle - error), math.exp(middle + error))
    return Kind(count, share_of(count, players), pause, spread_ends(spread, count))
