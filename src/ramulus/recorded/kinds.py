"""Kinds of players that a log does not tell apart by name, by their pauses: a mixture of log-normal distributions."""

from __future__ import annotations

import math
import warnings
from typing import Any, NamedTuple

import numpy as np

from ramulus.formula.functions import Array
from ramulus.recorded.estimates import Ends, share_of, spread_ends, t_quantile

FEWEST = 20  # Players among whom kinds are looked for.
FEWEST_OF_A_KIND = 5
MOST_KINDS = 6
GAINED, MOST_STEPS = 1e-6, 500  # Of the mean log likelihood, in a step.
DRAWN = 100  # Times that players are drawn anew for the errors of kinds that lie side by side.
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
    from threadpoolctl import threadpool_limits

    logs = np.log(pause[np.isfinite(pause) & (pause > 0)])[:, None]
    if len(logs) < FEWEST:
        return Kinds((), 0)
    most = min(MOST_KINDS, len(logs) // FEWEST_OF_A_KIND)
    with threadpool_limits(1):  # Threads that wait for each other take longer than so little work.
        return _found(logs, most)


def _found(logs: Array, most: int) -> Kinds:
    from sklearn.mixture import GaussianMixture

    fitted = [GaussianMixture(count, n_init=3, random_state=0).fit(logs) for count in range(1, most + 1)]
    best = min(fitted, key=lambda mixture: mixture.bic(logs))
    apart = min((one for one in fitted if _are_apart(_numbers(one), len(logs))), key=lambda mixture: mixture.bic(logs))
    count = best.n_components if best.n_components > apart.n_components else 0
    apart = _to_the_end(apart, logs)
    told = _numbers(apart)
    wider = np.maximum(_errors_again(apart, logs) / _errors(told, len(logs)), 1.0)
    return Kinds(tuple(_kind(one, more, len(logs)) for one, more in zip(told, wider, strict=True)), count)


def _to_the_end(mixture: Any, logs: Array) -> Any:
    """Return a mixture fitted on from where another one is, for as long as it gains anything.

    What is fitted stops by itself where a step gains little; of kinds that overlap it is short of the end then, and so
    is what players drawn anew are fitted by.
    """
    from sklearn.mixture import GaussianMixture

    start = {"weights_init": mixture.weights_, "means_init": mixture.means_, "precisions_init": mixture.precisions_}
    return GaussianMixture(mixture.n_components, tol=GAINED, max_iter=MOST_STEPS, **start).fit(logs)


def _numbers(mixture: Any) -> Array:
    """Return share, mean and standard deviation of each part by rising mean, shape (parts, 3)."""
    parts = np.stack([mixture.weights_, mixture.means_[:, 0], np.sqrt(mixture.covariances_[:, 0, 0])], axis=1)
    return np.asarray(parts[np.argsort(parts[:, 1])])


def _errors(told: Array, players: int) -> Array:
    """Return the standard errors of `_numbers` if it were known who is of which part."""
    share, spread = told[:, 0], told[:, 2]
    count = share * players
    one = np.sqrt(np.maximum(share * (1 - share), 1e-12) / players)
    return np.stack([one, spread / np.sqrt(count), spread / np.sqrt(2 * count)], axis=1)


def _errors_again(mixture: Any, logs: Array) -> Array:
    """Return the standard errors of `_numbers` among players drawn anew, who may be of either of two parts."""
    from sklearn.exceptions import ConvergenceWarning

    if mixture.n_components == 1:
        return np.zeros((1, 3))
    chance, again = np.random.default_rng(0), []
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", ConvergenceWarning)
        for _ in range(DRAWN):
            some = logs[chance.integers(len(logs), size=len(logs))]
            again.append(_numbers(_to_the_end(mixture, some)))
    return np.asarray(np.std(again, axis=0))


def _are_apart(told: Array, players: int) -> bool:
    share, middle, spread = told.T
    far = np.diff(middle) >= APART * np.maximum(spread[1:], spread[:-1])
    return bool(far.all() and players * share.min() >= FEWEST_OF_A_KIND - 0.5)


def _kind(told: Array, wider: Array, players: int) -> Kind:
    """Return a kind by its share, mean and spread, with intervals so much wider than if it were known who is of it."""
    (weight, middle, spread), (of_share, of_middle, of_spread) = told.tolist(), wider.tolist()
    count = round(weight * players)
    error = of_middle * t_quantile(count) * spread / math.sqrt(count)
    pause = (math.exp(middle), math.exp(middle - error), math.exp(middle + error))
    share = _wider(share_of(count, players), of_share, most=1.0)
    spread_here = _wider(spread_ends(spread * math.sqrt(count / (count - 1)), count), of_spread)
    return Kind(count, share, pause, spread_here)


def _wider(ends: Ends, times: float, most: float = math.inf) -> Ends:
    value, low, high = ends
    return value, max(value - times * (value - low), 0.0), min(value + times * (high - value), most)
