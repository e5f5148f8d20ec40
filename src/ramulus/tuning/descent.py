"""The way down from near the best numbers: steps by slopes that each step mends, so that few runs are needed.

Steps are those of Levenberg and Marquardt (Marquardt, "An algorithm for least-squares estimation of nonlinear
parameters", 1963) within a radius; what a run finds mends the slopes along its step (Broyden, "A class of methods for
solving nonlinear simultaneous equations", 1965).
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from ramulus.tuning.aims import BOTH
from ramulus.tuning.landscape import NEAR_BY, WORTHLESS, Fit, Landscape, cost_of, leads_of, spread_of
from ramulus.tuning.one_sided import FLAT, counted, nearest_steps

if TYPE_CHECKING:
    from ramulus.formula.functions import Array

LONGEST = 0.3  # Of a coordinate at once: farther off nothing is straight.
MOST_STEPS, MOST_TURNS = 8, 4
HOMEWARD, PARTS = 0.1, (1.0, 0.7, 0.5, 0.25)  # Tolerances that a coordinate counts which is 1 from where it began.
SHORTER = 0.5  # Of a step that led up.
ALONG = (-2.0, -1.0, 1.0, 2.0)  # Standard errors.
UNEVEN = 0.25  # Of a tolerance: who is off by less is near enough.
DAMPED = np.concatenate([[0.0], np.geomspace(1e-7, 1e3, 31)])  # Of the square of the steepest slope.
SPARED = 0.01  # Of what a step could bring: what a shorter one may leave.


class Descent(Landscape):
    """Steps down to where no step leads nearer to the goals by what is worth a run."""

    def _to_the_bottom(self, values: Array) -> Fit:
        """Return the fit at the end of the way down, with the slopes where it is."""
        fit = self._sloped(values)
        for _ in range(MOST_TURNS):
            found = self._down(fit)
            if self._alike(found, fit):
                if (beyond := self._along_the_valley(found)) is None:
                    return found
                found = beyond
            fit = self._sloped(found.values)
        return fit

    def _homeward(self, values: Array, players: int) -> Array:
        """Return numbers that bring goals about as near, nearer to the design's own where goals hardly feel it."""
        x = self._coordinates(values)[self._free]
        home = self._coordinates(self._start)[self._free] - x
        aims = self.aims(values, players)
        if aims is None or not len(home) or np.abs(home).max() < NEAR_BY:
            return values
        slopes = self._slopes_at(
            values, x, players, lambda at: leads_of(self.aims(self._with(values, at), players) or aims)
        )
        slopes = np.concatenate([slopes, HOMEWARD * np.eye(len(home))])
        leads = np.concatenate([leads_of(aims), -HOMEWARD * home])
        sides = np.array([*(aim.side for aim in aims), *[BOTH] * len(home)])
        step = nearest_steps(leads[None], slopes[None], sides)[0]
        parts = (self._stepped(values, self._free, part * step) for part in PARTS)
        return next((one for one in parts if self._cost(one, players) < cost_of(aims) + WORTHLESS), values)

    def _along_the_valley(self, fit: Fit) -> Fit | None:
        """Return the nearest fit along the way that moves the goals least, where it is nearer; else None.

        Awards rounded to whole XP make the floor of a valley uneven, so that no slope tells where it is deepest.
        """
        inside = self._movable(fit.values)
        if len(inside) < 2 or max(abs(aim.off) for aim in fit.aims) < UNEVEN:
            return None
        slopes = fit.slopes[:, inside]
        flat = np.linalg.svd(slopes)[2][-1]
        length = float(spread_of(fit.steps(inside) @ flat))
        if not length < LONGEST:  # A way of which the goals say nothing leads nowhere.
            return None
        across = np.eye(len(inside)) - np.outer(flat, flat)
        found = fit
        for times in ALONG:
            step = times * length * flat
            aims = self.aims(self._stepped(fit.values, inside, step), self._players)
            if aims is None:
                continue
            back = across @ -np.linalg.pinv(slopes, rcond=FLAT) @ np.array([aim.miss for aim in aims])
            values = self._stepped(fit.values, inside, step + back)
            aims = self.aims(values, self._players)
            if aims is not None and cost_of(aims) < found.cost:
                found = replace(fit, values=values, aims=aims)
        return None if found is fit else found

    def _down(self, fit: Fit) -> Fit:
        """Return the fit at the end of some steps, with the slopes where it began; itself where none is worth it."""
        best, slopes, radius = fit, fit.moves.copy(), LONGEST
        sides = np.array([aim.side for aim in fit.aims])
        for _ in range(MOST_STEPS):
            inside = self._movable(best.values)
            leads = best.leads
            if not inside or (step := _step_within(leads, slopes[:, inside], sides, radius)) is None:
                break
            values = self._stepped(best.values, inside, step)
            taken = self._coordinates(values) - self._coordinates(best.values)
            aims = self.aims(values, self._players)
            if aims is None or not taken.any():
                radius = SHORTER * float(np.abs(step).max())
                continue
            found = replace(best, values=values, aims=aims)
            bent = leads_of(aims) - leads - slopes @ taken
            slopes += np.outer(bent, taken) / (taken @ taken)
            if found.cost < best.cost:
                best = found
            else:
                radius = SHORTER * float(np.abs(step).max())
        return best

    def expected(self, fit: Fit, values: Array) -> Array:
        """Return how far off goals are to be expected at other numbers, in tolerances, shape (aims,)."""
        sides, counts = (np.array([getattr(aim, name) for aim in fit.aims]) for name in ("side", "counts"))
        leads = fit.leads + fit.moves @ (self._coordinates(values) - self._coordinates(fit.values))
        return np.asarray(counted(leads, sides) / counts)

    def _alike(self, fit: Fit, other: Fit) -> bool:
        """Whether slopes are the same but for chance: numbers near to one another, and the same goals reached."""
        if [aim.reached for aim in fit.aims] != [aim.reached for aim in other.aims]:
            return False
        return bool((np.abs(self._coordinates(fit.values) - self._coordinates(other.values)) < NEAR_BY).all())

    def _stepped(self, values: Array, which: list[int], step: Array) -> Array:
        values = values.copy()
        for index, own in zip(which, step.tolist(), strict=True):
            one = self._ranges[index]
            values[index] = one.value_of(one.x_of(values[index]) + own)
        return values

    def _movable(self, values: Array) -> list[int]:
        return [i for i in self._free if self._ranges[i].low < values[i] < self._ranges[i].high]


def _step_within(leads: Array, slopes: Array, sides: Array, radius: float) -> Array | None:
    """Return the most damped step that brings about what any within a radius can; None where that is worth no run.

    What the goals hardly feel so stays where it is.
    """
    problems, numbers = len(DAMPED), slopes.shape[1]
    steepest = float(np.linalg.norm(slopes, 2))
    ridge = np.sqrt(DAMPED)[:, None, None] * steepest * np.eye(numbers)
    damped = np.concatenate([np.broadcast_to(slopes, (problems, *slopes.shape)), ridge], axis=1)
    still = np.concatenate([leads, np.zeros(numbers)])
    all_sides = np.concatenate([sides, np.zeros(numbers)])
    steps = nearest_steps(np.broadcast_to(still, (problems, len(still))), damped, all_sides)
    steps = steps[np.abs(steps).max(axis=1) <= radius]
    if not len(steps):
        return None
    left = (counted(leads + steps @ slopes.T, sides) ** 2).sum(axis=1)
    now, least = float((counted(leads, sides) ** 2).sum()), float(left.min())
    enough = least + max(SPARED * (now - least), WORTHLESS)
    return steps[np.flatnonzero(left <= enough)[-1]] if now - least > WORTHLESS else None
