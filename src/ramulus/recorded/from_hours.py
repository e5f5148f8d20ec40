"""Numbers of a profile from hours alone, where a log tells neither what was met nor how long it took.

Players are played with other numbers, cut off as the log is, until their hours within levels are those of the log:
simulated minimum distance (McFadden, "A method of simulated moments", 1989), every play with the same draws.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.design.player import BEST
from ramulus.design.trait import VaryingTrait
from ramulus.formula.functions import Array
from ramulus.goals.measuring import Z
from ramulus.recorded.estimates import Ends
from ramulus.recorded.forecast import Forecast, Span
from ramulus.recorded.seen import Seen

if TYPE_CHECKING:
    from ramulus.design import Design

PLAYED = 600  # Simulated players.
QUANTILES = (0.1, 0.25, 0.5, 0.75, 0.9)
FEWEST = 20  # Players who finish a level, in the log and as simulated.
DRAWN = 200  # Times that players are drawn anew for the error of what is compared.
STEP = 0.2  # By how much a number is changed, up and down, to see what hangs on it: by little, chance would be seen.
GROUPS = 6  # Of levels side by side, which are looked at together: a single one is mostly chance.
LEAST, MOST = 0.2, 5.0  # Times what the design says.
BOUNDS = LEAST + STEP, MOST
NEVER = math.log(30 * 86_400)  # Stands for a level that no simulated player finishes: longer than all that are.
CLEAR = 0.35  # A number whose error beside the others is a larger share of it is not told apart.
CLEAR_OF_TRAIT = 0.5  # Who asks for one knows that it is told poorly.


class FromHours(NamedTuple):
    """What hours tell.

    Attributes:
        numbers: by key of the profile, each with its interval.
        not_told: why other numbers are not told, by key.
        at_bound: what stands at the end of where it was looked for; "" where nothing does.
    """

    numbers: dict[str, Ends]
    not_told: dict[str, str]
    at_bound: str = ""


class HoursFit:
    """A profile's players of a log, and how they are played with other numbers.

    Args:
        design: the design.
        profile: the profile.
        recorded: its players.
        span: what the log spans.
        track: the main track's place.
        seed: the seed of every draw.
        trait: the trait that varies, where its mean is looked for too; "" where it is not.

    Attributes:
        before: what is looked for, by key, as the design has it.
    """

    def __init__(
        self, design: Design, profile: str, recorded: Seen, span: Span, track: int, seed: int, trait: str = ""
    ) -> None:
        self._design, self._profile, self._recorded = design, profile, recorded
        self._span, self._track, self._seed = span, track, seed
        player = design.profile(profile)
        self.before = {"seconds_between": float(player.seconds_between), "spread": float(player.spread)}
        if player.pursuit != BEST and len(design.sources) > 1:
            self.before["pursuit"] = float(player.pursuit)
        self._ends: dict[str, tuple[float, float]] = {}
        if trait:
            of = player.traits[trait]
            assert isinstance(of, VaryingTrait)
            key = f"traits.{trait}.mean"
            self.before[key] = mean = float(of.mean)
            if mean > 0:
                lowest = LEAST if of.at_least is None else max(LEAST, float(of.at_least) / mean)
                self._ends[key] = lowest, MOST if of.at_most is None else min(MOST, float(of.at_most) / mean)
        why = "the design says 0 or less, from which a search by hours does not begin: as designed"
        self._not_begun = {key: why for key, value in self.before.items() if value <= 0}
        self.before = {key: value for key, value in self.before.items() if value > 0}

    def found(self) -> FromHours:
        """Return the numbers, and which of them hours do not tell apart from the others."""
        keys = list(self.before)
        if not keys:
            return FromHours({}, self._not_begun)
        logged = in_levels(self._recorded)
        start = self._played(keys, np.ones(len(keys)))
        used = (_finished(logged) >= FEWEST) & (_finished(in_levels(start)) >= FEWEST)
        if not used.any():
            return FromHours({}, self._not_begun | dict.fromkeys(keys, "too few players finish a level"))
        logs = in_levels(start)[:, used]
        # By simulated players: errors drawn from the log itself would weigh most what happens to lie close together.
        covariance = self._covariance(logs, logged[:, used])
        told, not_told = _told_apart(keys, self._slopes(keys, used, np.ones(len(keys))), covariance)
        not_told |= self._not_begun
        if not told:
            return FromHours({}, not_told)
        ends = self._searched(told, used, logged[:, used], np.sqrt(np.diag(covariance)))
        beyond = {key: one for key, one in zip(told, ends, strict=True) if not math.isfinite(one[0])}
        if any(key in self._ends and not (low > 1 or high < 1) for key, (_, low, high) in beyond.items()):
            return self._without_trait()
        if beyond:
            # The others were looked for beside a number that is not the log's.
            key = next(iter(beyond))
            least, most = self._ends.get(key, BOUNDS)
            where = f"{key} lies outside {least:.2g} to {most:.2g} times what the design says"
            return FromHours({}, not_told | dict.fromkeys(told, where), where)
        numbers = {key: _times(self.before[key], one) for key, one in zip(told, ends, strict=True)}
        return FromHours(numbers, not_told)

    def _without_trait(self) -> FromHours:
        """Return what hours tell where a trait that was asked for went as far as it can, and may yet be as designed."""
        (trait,) = self._ends
        del self.before[trait]
        self._ends = {}
        self._not_begun[trait] = "by hours it goes to its very end: as designed; log source, success and seconds"
        return self.found()

    def _covariance(self, simulated: Array, logged: Array) -> Array:
        """Return the covariance of what is compared, of a log's players and simulated ones together."""
        chance = np.random.default_rng([self._seed, 0xB007])
        drawn = [summary(simulated[chance.integers(len(simulated), size=len(simulated))]) for _ in range(DRAWN)]
        there, here = (np.isfinite(logs).any(axis=1).sum() for logs in (simulated, logged))
        least = 1e-12 * np.eye(len(drawn[0]))
        return np.asarray(np.cov(np.stack(drawn, axis=1)) * (1 + there / here) + least)

    def _played(self, keys: list[str], factors: Array) -> Seen:
        values = {f"players.{self._profile}.{key}": self.before[key] * f for key, f in zip(keys, factors, strict=True)}
        hours = float(self._recorded.end.max()) / 3600 + 1
        design = self._design.with_values({key: float(value) for key, value in values.items()})
        forecast = Forecast(design, self._profile, PLAYED, self._seed, self._span, self._track, hours)
        return forecast.cut_like(self._recorded)

    def _slopes(self, keys: list[str], used: Array, factors: Array) -> Array:
        columns = []
        for place, key in enumerate(keys):
            more, less = factors.copy(), factors.copy()
            low, high = self._ends.get(key, (LEAST, math.inf))
            more[place], less[place] = min(factors[place] + STEP, high), max(factors[place] - STEP, low)
            up, down = (summary(in_levels(self._played(keys, moved))[:, used]) for moved in (more, less))
            columns.append((up - down) / (more[place] - less[place]))
        return np.stack(columns, axis=1)

    def _searched(self, keys: list[str], used: Array, logged: Array, scale: Array) -> list[Ends]:
        from scipy.optimize import least_squares

        wanted = summary(logged)

        def apart(factors: Array) -> Array:
            return (summary(in_levels(self._played(keys, factors))[:, used]) - wanted) / scale

        def slopes_at(factors: Array) -> Array:
            return self._slopes(keys, used, factors) / scale[:, None]

        lowest, highest = np.transpose([self._ends.get(key, BOUNDS) for key in keys])
        best = least_squares(
            apart, np.ones(len(keys)), slopes_at, bounds=(lowest, highest), xtol=2e-3, ftol=1e-3, max_nfev=6
        )
        covariance = self._covariance(in_levels(self._played(keys, best.x))[:, used], logged)
        errors = _errors(best.jac, covariance / scale[:, None] / scale[None, :])
        ends = []
        for key, value, error in zip(keys, best.x.tolist(), errors.tolist(), strict=True):
            low, high = self._ends.get(key, BOUNDS)
            inside = low * 1.01 < value < high / 1.01
            far = math.exp(Z * error / value)  # By its logarithm: a number is above 0.
            ends.append((value if inside else math.nan, value / far, value * far))
        return ends


def in_levels(seen: Seen) -> Array:
    """Return logs of players' seconds within each level, shape (n, L − 1); not a number where one is not finished."""
    within = np.diff(seen.arrival, axis=1)
    return np.log(np.where(within > 0, within, np.nan))


def _finished(logs: Array) -> NDArray[np.int64]:
    return np.asarray(np.isfinite(logs).sum(axis=0), dtype=np.int64)


def summary(logs: Array) -> Array:
    """Return quantiles of each level's logs, and how far apart players are over all of them."""
    finished = np.isfinite(logs)
    logs = logs[finished.any(axis=1)][:, finished.any(axis=0)]
    by_level = np.full((len(QUANTILES), len(finished[0])), NEVER)
    if not logs.size:
        return np.full(len(QUANTILES) * min(GROUPS, len(finished[0])) + 1, NEVER)
    by_level[:, finished.any(axis=0)] = np.nanquantile(logs, QUANTILES, axis=0)
    quantiles = np.stack(
        [part.mean(axis=1) for part in np.array_split(by_level, min(GROUPS, len(finished[0])), axis=1)]
    )
    own = np.nanmean(logs - np.nanmedian(logs, axis=0), axis=1)
    apart = math.log(max(float(np.nanstd(own)), 1e-6))
    return np.concatenate([quantiles.ravel(), [apart]])


def _errors(slopes: Array, covariance: Array) -> Array:
    """Return the standard errors of numbers by least squares of what is correlated."""
    inverse = np.linalg.pinv(slopes.T @ slopes)
    return np.asarray(np.sqrt(np.diag(inverse @ slopes.T @ covariance @ slopes @ inverse)))


def _told_apart(keys: list[str], slopes: Array, covariance: Array) -> tuple[list[str], dict[str, str]]:
    """Return which numbers hours tell beside the others, the last ones given up first; and why not the rest."""
    scale = np.sqrt(np.diag(covariance))
    weighted, middle = slopes / scale[:, None], covariance / scale[:, None] / scale[None, :]
    told = list(range(len(keys)))
    not_told = {}
    while told:
        errors = _errors(weighted[:, told], middle)
        vague = [
            place
            for place, error in zip(told, errors, strict=True)
            if not error <= (CLEAR_OF_TRAIT if keys[place].startswith("traits.") else CLEAR)
        ]
        if not vague:
            break
        not_told[keys[vague[-1]]] = (
            "hours do not tell it apart from the others: as designed; log source, success, seconds"
        )
        told.remove(vague[-1])
    return [keys[place] for place in told], not_told


def _times(value: float, ends: Ends) -> Ends:
    return value * ends[0], value * ends[1], value * ends[2]
