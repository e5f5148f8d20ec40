"""What a log tells of each profile in turn: read once, and used for one number after the other."""

from __future__ import annotations

import math
from functools import cached_property
from importlib.util import find_spec
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from ramulus.design.player import BEST
from ramulus.design.trait import VaryingTrait
from ramulus.errors import RamulusError
from ramulus.goals.measuring import Z
from ramulus.recorded.estimates import (
    OF_HOURS,
    Estimate,
    estimate,
    pause_of,
    ratio_estimate,
    share_of,
    spread_of,
    times,
    variation_of,
)
from ramulus.recorded.forecast import GONE_AFTER, Span, span_of
from ramulus.recorded.from_hours import HoursFit
from ramulus.recorded.habits import PlayerHabits, habits_in, of_players
from ramulus.recorded.kinds import Kinds, kinds_of
from ramulus.recorded.pursuit_fit import Choices, counts_of, pursuit_of_players
from ramulus.recorded.rows import UNKNOWN
from ramulus.recorded.sample_files import hours_in
from ramulus.recorded.sampling import Habits, first_midnight, sampled
from ramulus.recorded.seen import Seen, seen_in
from ramulus.recorded.staying import chance_to_quit, stays_of
from ramulus.recorded.trait_ends import OFF, refined, trait_ends
from ramulus.recorded.trait_fit import TraitTables, likelihoods
from ramulus.rules.ability import CLASSES, ability_of, classes_of, quantile_of
from ramulus.rules.schedule import schedules_of

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.recorded.log import Log

NEEDS_SKLEARN = "needs scikit-learn, which the extra 'recorded' installs"
FORECAST = 400  # Simulated players that recorded ones are held against.


def with_estimates(design: Design, estimates: list[Estimate]) -> tuple[Design, str | None]:
    """Return a design with the numbers that the log says otherwise, and why it takes them not."""
    values: dict[str, Any] = {one.name: _rounded(one) for one in estimates if one.changes}
    points: dict[str, list[list[float]]] = {}
    for name in [name for name in values if ".stays." in name]:
        profile, day = name.split(".stays.")
        points.setdefault(profile, []).append([int(day), values.pop(name)])
    values |= {f"{profile}.stays": rows for profile, rows in points.items()}
    data = design.to_dict()
    for name, value in values.items():
        _put(data, name.split("."), value)
    try:
        return design.with_data(data), None
    except RamulusError as error:
        return design, f"its numbers make no design ({error})"


def _put(data: dict[str, Any], place: list[str], value: Any) -> None:
    for key in place[:-1]:
        data = data.setdefault(key, {})
    data[place[-1]] = value


def _rounded(one: Estimate) -> float | int:
    """Return a number with no more digits than its interval gives a meaning."""
    if one.name.endswith("days_per_week"):
        return max(min(round(one.after), 7), 1)
    error = max((one.high - one.low) / 4, 1e-6)
    digits = max(-math.floor(math.log10(error)), 0)
    value = round(one.after, digits)
    return int(value) if float(value).is_integer() else value


class ProfileFits:
    """What is read of a log once, and used for one profile after the other."""

    def __init__(self, design: Design, log: Log, seed: int, *, traits: bool = False) -> None:
        self.design, self.log, self.seed, self.traits = design, log, seed, traits
        if log.reading.rows == 0:
            for _ in log.batches():  # What it spans is known at its end.
                pass
        self.span: Span = span_of(log.reading.first, log.reading.last, log.longest_pause, log.settings.timezone)
        self.habits: PlayerHabits = habits_in(design, log.batches(), self.span)
        self.not_told: dict[str, str] = {}
        self.why_not: str | None = None  # Why the design cannot have made the log, as far as is seen here.
        self._classes: NDArray[np.int64] | None = None

    @property
    def _times_are_told(self) -> bool:
        return "seconds" in self.log.columns

    def of_profile(self, profile: str) -> list[Estimate]:
        """Return what the log tells of one profile."""
        place, player = list(self.design.profiles).index(profile), self.design.profile(profile)
        mine, at = self.habits.of(self.habits.profiles == place), f"players.{profile}"
        self._classes = None
        calendar = self._schedule(profile, place, mine) + self._staying(profile, place, mine)
        found: list[Estimate] = []
        if self._times_are_told:
            self._are_of_one_kind(profile, mine)
            found.append(
                estimate(f"{at}.seconds_between", float(player.seconds_between), pause_of(mine), "time, seconds")
            )
            found.append(estimate(f"{at}.spread", float(player.spread), spread_of(mine), "time, seconds"))
            found += self._trait(profile, place, mine)
        else:
            found += self._from_hours(profile, place, calendar)
        if not any(one.name.endswith(".pursuit") for one in found) and (drawn := self._pursuit(profile, place, found)):
            found += drawn
            self.not_told.pop(f"{at}.pursuit", None)
        return found + calendar

    def _are_of_one_kind(self, profile: str, mine: PlayerHabits) -> None:
        """Refuse a profile under whose name there are several kinds of players: no numbers of one are theirs."""
        if find_spec("sklearn") is None:
            self.not_told[f"kinds of players called {profile}"] = NEEDS_SKLEARN
            return
        kinds = kinds_of(mine.pause).kinds
        if len(kinds) > 1:
            each = " and ".join(f"{one.share[0]:.0%} about {one.seconds_between[0]:.2g} s" for one in kinds)
            self.why_not = (
                f"players of {len(kinds)} kinds are called {profile}, by their seconds_between: {each}; "
                "name a profile for each, or none to have them told apart"
            )

    def _from_hours(self, profile: str, place: int, calendar: list[Estimate]) -> list[Estimate]:
        """Return what hours in levels tell, where nothing is known of how long an encounter took.

        Simulated players play as many hours a day, and stay as long, as the log says: they are cut off as its are.
        """
        player, at = self.design.profile(profile), f"players.{profile}"
        design = with_estimates(self.design, calendar)[0]
        varying = [name for name, trait in player.traits.items() if isinstance(trait, VaryingTrait)]
        asked = varying[0] if self.traits and len(varying) == 1 else ""
        search = HoursFit(design, profile, self._seen(place), self.span, 0, self.seed, asked)
        told = search.found()
        self.not_told |= {f"{at}.{key}": why for key, why in told.not_told.items()}
        if told.at_bound:
            self.why_not = f"this design cannot have made this log: {profile}, {told.at_bound}"
        why = "hours in levels tell little of it: as designed, unless asked for; log source, success and seconds"
        why = "several traits vary together" if self.traits and not asked else why
        self.not_told |= {f"{at}.traits.{name}": why for name in varying if name != asked}
        return [estimate(f"{at}.{key}", search.before[key], ends, OF_HOURS) for key, ends in told.numbers.items()]

    def _own(self, mine: PlayerHabits) -> dict[str, Any]:
        """Return the players' own factors on time, by their sorted keys: how their pauses stand to the middle one."""
        middle = pause_of(mine)[0]
        return {"keys": mine.keys, "factors": mine.pause / middle if math.isfinite(middle) else np.ones(len(mine.keys))}

    def _trait(self, profile: str, place: int, mine: PlayerHabits) -> list[Estimate]:
        varying = [
            name for name, trait in self.design.profile(profile).traits.items() if isinstance(trait, VaryingTrait)
        ]
        if len(varying) != 1:
            for name in varying:
                self.not_told[f"players.{profile}.traits.{name}"] = "several traits vary together"
            return []
        name = varying[0]
        trait = self.design.profile(profile).traits[name]
        assert isinstance(trait, VaryingTrait)
        tables = TraitTables(self.design, profile, name)
        at = f"players.{profile}.traits.{name}"
        if not tables.tells or "source" not in self.log.columns:
            self.not_told[at] = "needs columns source, success and seconds, and encounters that hang on it"
            return []
        variation = variation_of(mine)[0]
        variation = variation if math.isfinite(variation) else float(self.design.encounters.variation)
        pause = pause_of(mine)
        slower = np.exp(OFF * math.log(pause[2] / pause[1]) / 2 / Z) if math.isfinite(pause[0]) else np.ones(1)
        logs, keys = likelihoods(
            self.design, self.log.batches(), place, tables, self._own(mine), variation, self.log.longest_pause, slower
        )
        mean, sd = trait_ends(tables.values, logs)
        fine, finer = refined(tables.values, logs[len(logs) // 2])
        best = fine[np.argmax(finer, axis=1)]
        told = all(math.isfinite(ends[0]) for ends in (mean, sd))  # Found together: one says nothing without the other.
        fitted = trait.model_copy(update={"mean": mean[0], "sd": sd[0]}) if told else trait
        of_classes = np.array([quantile_of(fitted, ability_of(one)) for one in range(CLASSES)])
        nearest = np.abs(best[:, None] - of_classes[None, :]).argmin(axis=1)
        order = np.argsort(keys)
        self._classes = of_players(mine.keys, keys[order], nearest[order])
        columns = "source, success, seconds"
        return [
            estimate(f"{at}.mean", float(trait.mean), mean, columns),
            estimate(f"{at}.sd", float(trait.sd), sd, columns),
        ]

    def _pursuit(self, profile: str, place: int, so_far: list[Estimate]) -> list[Estimate]:
        """Return how strongly pay draws players: what a source pays hangs on pause and traits, as they are fitted."""
        player = self.design.profile(profile)
        if player.pursuit == BEST or "source" not in self.log.columns:
            return []
        classes = classes_of(player)
        if classes > 1 and self._classes is None:
            self.not_told[f"players.{profile}.pursuit"] = "needs the trait that varies, as what pays hangs on it"
            return []
        choices = Choices(with_estimates(self.design, so_far)[0], profile, classes)
        counts, keys = counts_of(self.design, self.log.batches(), place, self.log.longest_pause)
        order = np.argsort(keys)
        mine = np.zeros(len(keys), np.int64) if self._classes is None else self._classes
        found = pursuit_of_players(choices, counts[order], mine)
        return [estimate(f"players.{profile}.pursuit", float(player.pursuit), found, "source")]

    def _schedule(self, profile: str, place: int, mine: PlayerHabits) -> list[Estimate]:
        player, at = self.design.profile(profile), f"players.{profile}"
        if not player.has_schedule or player.hours_per_day is None:
            self.not_told[f"{at}.hours_per_day"] = "the profile has no schedule; give it one to have it fitted"
            return []
        foreseen = self._foreseen(profile)
        hours = times(
            ratio_estimate(mine.day_seconds, mine.days), float(player.hours_per_day),
            ratio_estimate(foreseen.day_seconds, foreseen.days),
        )  # fmt: skip
        found = [estimate(f"{at}.hours_per_day", float(player.hours_per_day), hours, "time")]
        if player.plays_on is None:
            days = ratio_estimate(mine.week_days, mine.weeks)
            found.append(estimate(f"{at}.days_per_week", float(player.days_per_week or 7), days, "time"))
        return found

    def _foreseen(self, profile: str) -> PlayerHabits:
        """Return the habits of simulated players, as a log would tell them."""
        days = min(self.span.days, 60)
        hours = hours_in(self.design, profile, days, Habits())
        some = sampled(self.design, profile, np.arange(FORECAST, dtype=np.int64), self.seed + 9, hours, Habits())
        starts_on = schedules_of(self.design, self.design.profile(profile))[0].starts_on
        span = self.span._replace(begins=first_midnight(starts_on))
        return habits_in(self.design, [part.batch for part in some], span)

    def _staying(self, profile: str, place: int, mine: PlayerHabits) -> list[Estimate]:
        player, at = self.design.profile(profile), f"players.{profile}"
        if player.patience_hours_per_level is not None:
            self.not_told[f"{at}.stays"] = "who left by day and who ran out of patience are not told apart"
            return []
        seen = self._seen(place)
        long = self.span.ends - self.span.begins >= 2 * GONE_AFTER
        why = "nobody short of the cap is gone two weeks before its end" if long else "needs more than four weeks"
        if player.quit_chance_per_play_day is not None:
            ends = chance_to_quit(seen, mine, self.span)
            name = f"{at}.quit_chance_per_play_day"
            if not math.isfinite(ends[0]):
                self.not_told[name] = why
                return []
            return [estimate(name, float(player.quit_chance_per_play_day), ends, "time")]
        points = [int(day) for day, _ in player.stays or []] or [1, 7, 30]
        found = stays_of(seen, self.span, points)
        before = {int(day): float(share) for day, share in player.stays or []}
        if not found:
            self.not_told[f"{at}.stays"] = why
        return [estimate(f"{at}.stays.{day}", before.get(day, math.nan), ends, "time") for day, ends in found.items()]

    @cached_property
    def _everybody(self) -> Seen:
        return seen_in(self.design, self.log.batches(), 0, self.log.longest_pause)

    def _seen(self, place: int) -> Seen:
        return self._everybody.of(self._everybody.profiles == place)

    def kinds(self) -> Kinds | None:
        """Return the kinds of players of whom the log says no profile, by their pauses; None where it says all."""
        unnamed = self.habits.profiles == UNKNOWN
        if not unnamed.any():
            return None
        if not self._times_are_told:
            self.not_told["kinds of players"] = "needs the column seconds, how long each encounter took"
            return Kinds((), 0)
        if find_spec("sklearn") is None:
            self.not_told["kinds of players"] = NEEDS_SKLEARN
            return Kinds((), 0)
        found = kinds_of(self.habits.of(unnamed).pause)
        if not found.kinds:
            self.not_told["kinds of players"] = "there are too few without a profile to look for kinds among them"
        return found

    def of_all(self, named: list[str]) -> list[Estimate]:
        """Return what the log tells of all profiles together."""
        found = []
        if self._times_are_told and "source" in self.log.columns:
            ends = variation_of(self.habits)
            found.append(
                estimate("encounter.variation", float(self.design.encounters.variation), ends, "source, seconds")
            )
        counts = {name: int((self.habits.profiles == place).sum()) for place, name in enumerate(self.design.profiles)}
        everyone = sum(counts.values())
        total = sum(float(self.design.profile(name).share) for name in named)
        if len(named) > 1 and total > 0:
            for name in named:
                share = float(self.design.profile(name).share) / total
                found.append(estimate(f"players.{name}.share", share, share_of(counts[name], everyone), "profile"))
        return found
