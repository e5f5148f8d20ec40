"""When players quit: by the calendar, after a play day, or out of patience with a level.

Quitting is a mark and not an end: nothing here changes what is played, so that hours are of the design and not of
who is left.
"""

from __future__ import annotations

from dataclasses import dataclass, fields
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.evaluating import evaluate_at, fault
from ramulus.rules.schedule import Micros, Schedule

if TYPE_CHECKING:
    from ramulus.design import Design

NEVER = 2**62


@dataclass(frozen=True, eq=False)
class QuitRules:
    """When players of one profile quit.

    Attributes:
        days: the own days of a retention table, from day 0 on; empty without one.
        stays: the shares still playing at their ends, from 1 on.
        chance: the chance to quit at the end of each play day.
        patience: the played seconds on each level after which a player gives up, infinite at the cap; shape (L,).
        patience_spread: sigma of a log-normal factor of the player's own on it.
    """

    days: Array
    stays: Array
    chance: float
    patience: Array
    patience_spread: float

    @property
    def by_day(self) -> bool:
        """Whether days have anything to do with it."""
        return bool(len(self.days)) or self.chance > 0

    def quit_after(
        self, draws: Array, schedule: Schedule, came: Micros | int = 1, missed: Micros | int = 0
    ) -> tuple[Micros, Micros]:
        """Return the played time and the own day at whose end players quit; `NEVER` where they do not.

        Args:
            draws: a draw in [0, 1) a player.
            schedule: when they play.
            came: the calendar days on which they come.
            missed: the play days before that.
        """
        with np.errstate(divide="ignore", invalid="ignore"):
            if not len(self.days):
                played = _whole(np.log1p(-draws) / np.log1p(-self.chance))
                last = np.maximum(np.minimum(played, NEVER // schedule.day) - 1, 0)
                days = np.where(played < NEVER, schedule.calendar_days(last + missed) - (came - 1), NEVER)
            else:
                days = self._own_days(draws)
                sure = np.where(days < NEVER // schedule.day, days, 0).astype(np.int64)
                until = schedule.play_days_until(sure + came - 1) - missed
                played = np.where(sure > 0, until, NEVER)
        known = played < NEVER // schedule.day
        return np.where(known, np.where(known, played, 0) * schedule.day, NEVER), np.where(known, days, NEVER)

    def _own_days(self, draws: Array) -> Micros:
        """Return the first own day by whose end so many have quit; the last chance per day goes on for ever."""
        share = np.log1p(-draws)
        stays, segments = np.log(self.stays), len(self.days) - 1
        fall = np.diff(stays) / np.diff(self.days)
        segment = np.minimum(np.searchsorted(-stays, -share, side="right") - 1, segments - 1)
        with np.errstate(divide="ignore", invalid="ignore"):
            steps = np.where(fall[segment] < 0, (share - stays[segment]) / fall[segment], np.inf)
        return _whole(steps, self.days[segment])


def _whole(steps: Array, first: Array | float = 0.0) -> Micros:
    """Return first + the next whole number above some steps; `NEVER` where that is out of sight."""
    # A share that stands in the table is still playing at the end of its day: floating point must not lose it.
    days = first + np.floor(np.where(np.isnan(steps), np.inf, steps) + 1e-9) + 1
    return np.where(days < 1e15, days, float(NEVER)).astype(np.int64)


def quit_rules(design: Design, profile: str) -> QuitRules | None:
    """Return when players of a profile quit; None where they never do.

    Raises:
        DesignError: a formula fails, or gives a patience that is not above 0.
    """
    player = design.profile(profile)
    if not player.can_quit:
        return None
    points = np.array([[0.0, 1.0], *(player.stays or [])]) if player.stays else np.zeros((0, 2))
    chance = float(player.quit_chance_per_play_day or 0)
    return QuitRules(points[:, 0], points[:, 1], chance, _patience(design, profile), float(player.patience_spread))


def quit_alike(one: QuitRules | None, two: QuitRules | None) -> bool:
    """Whether the same players quit at the same time by two rules, given the same play."""
    if one is None or two is None:
        return one is two
    return all(np.array_equal(getattr(one, field.name), getattr(two, field.name)) for field in fields(QuitRules))


def _patience(design: Design, profile: str) -> Array:
    track, stated = design.track(), design.profile(profile).patience_hours_per_level
    levels = np.arange(track.start_level, track.max_level + 1, dtype=np.float64)
    if stated is None:
        return np.full(len(levels), np.inf)
    place = f"players.{profile}.patience_hours_per_level"
    below_cap: NDArray[np.bool_] = levels < track.max_level
    hours = np.broadcast_to(evaluate_at(place, stated, {**design.constants, "level": levels}, below_cap), levels.shape)
    bad = ~(hours > 0) & below_cap
    if bad.any():
        raise fault(place, f"{hours[bad][0]:.6g} hours at level {levels[bad][0]:g}", "hours above 0")
    return np.where(below_cap, 3600 * hours, np.inf)
