"""The result of a simulation as tables: pace with its spread, what players lived on, waste, who got stuck."""

from __future__ import annotations

from collections.abc import Iterator
from html import escape
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
import pandas as pd

from ramulus.analysis.pace import (
    HOUR,
    MOST_CUT_OFF,
    QUANTILES,
    InLevel,
    pace_columns,
    pace_intervals,
    slowest_level,
    whole_days,
)
from ramulus.analysis.population import mixed_quantile, shares_of
from ramulus.analysis.result_file import read_result, write_result
from ramulus.design.model import lookup
from ramulus.errors import RamulusError
from ramulus.formula.functions import Array
from ramulus.simulation.played import Arrivals, Played, PlayedProfile
from ramulus.simulation.samples import WholeSample, quantile
from ramulus.simulation.tally import CAP, END_REASONS

if TYPE_CHECKING:
    import os

    from ramulus.design import Design


class SimulationResult:
    """The result of `simulate`.

    Attributes:
        design: the design that was played.
        played: what was counted, in numbers.

    Quantiles count a player who has not reached a level as later than every one who has, so they are not a number
    where too few arrived.
    """

    def __init__(self, design: Design, played: Played) -> None:
        self.design, self.played = design, played

    @property
    def hours(self) -> float:
        """The horizon, played hours."""
        return self.played.hours

    @property
    def seed(self) -> int:
        """The seed."""
        return self.played.seed

    @property
    def players(self) -> dict[str, int]:
        """How many players of each profile were played."""
        return {name: profile.players for name, profile in self.played.profiles.items()}

    @property
    def keeps_players(self) -> bool:
        """Whether every player's times are kept; else quantiles are within 0.4 %."""
        return all(isinstance(profile.main.seconds, WholeSample) for profile in self.played.profiles.values())

    def profile(self, player: str | None = None) -> PlayedProfile:
        """Return one profile's part of the result in numbers (default: the first).

        Raises:
            UnknownNameError: it was not played.
        """
        profiles = self.played.profiles
        return lookup("player profile", profiles, player if player is not None else next(iter(profiles)))

    def _levels(self, track: str | None) -> Array:
        what = self.design.track(track)
        return np.arange(what.start_level, what.max_level + 1)

    def _by_profile(self, track: str | None) -> Iterator[tuple[PlayedProfile, Arrivals]]:
        name = track or self.design.main_track_name
        self.design.track(name)
        for profile in self.played.profiles.values():
            yield profile, profile.arrivals[name]

    def _refuse_beyond(self, hours: float) -> None:
        """Nobody knows what players do later than they were played."""
        if not 0 <= hours <= self.hours:
            allowed = f"0 … {self.hours:g} h, as far as was played; simulate(hours=…) plays longer"
            raise RamulusError(f"{hours:g} h; allowed: {allowed}")

    # --- pace --------------------------------------------------------------------------------------------------

    def pace(self, track: str | None = None, *, interval: float | None = None) -> pd.DataFrame:
        """Return how fast each profile reaches each level.

        Args:
            track: the track (default: the main one).
            interval: a confidence such as 0.95, to add an interval for each number.

        Returns:
            A row a profile and level: `reached` is the share of players who got there; `hours_p10`, `hours_p50`,
            `hours_p90` played hours; `encounters_p50`; `days_p50` calendar days; `hours_in_level_p50` the median
            played hours from this level to the next, of those who reached this one (whoever has not finished it
            counts as longer; empty where fewer than half finished, or where the horizon cut off more than a tenth of
            the players before its end). With `interval`, also `reached_low`, `reached_high`, `hours_p50_low` and so
            on.
        """
        name, tables = track or self.design.main_track_name, []
        for profile, arrivals in self._by_profile(track):
            stays = InLevel(arrivals, profile, name)
            table = {"player": profile.profile, "level": self._levels(track)}
            table.update(pace_columns(arrivals, profile, stays))
            if interval is not None:
                table.update(pace_intervals(arrivals, profile, stays, interval))
            tables.append(pd.DataFrame(table))
        return pd.concat(tables, ignore_index=True)

    def days(self, track: str | None = None) -> pd.DataFrame:
        """Return on which calendar days players first reach each level; day 1 is the first.

        Returns:
            A row a profile and level: `player`, `level`, `reached`, `days_p10`, `days_p50`, `days_p90`; days are empty
            for a profile without a schedule.
        """
        tables = []
        for profile, arrivals in self._by_profile(track):
            front = {"player": profile.profile, "level": self._levels(track)}
            reached = arrivals.seconds.reached() / profile.players
            days = {q: whole_days(quantile(arrivals.days, q / 100, profile.players), np.rint) for q in QUANTILES}
            tables.append(pd.DataFrame({**front, "reached": reached, **{f"days_p{q}": days[q] for q in QUANTILES}}))
        return pd.concat(tables, ignore_index=True)

    def population(self, track: str | None = None) -> pd.DataFrame:
        """Return the pace of all profiles together, weighted by their shares.

        Returns:
            A row a level: `level`, `reached` (share), `hours_p10`, `hours_p50`, `hours_p90`.
        """
        levels, shares = self._levels(track), shares_of(self.design, list(self.played.profiles))
        samples = [(arrivals.seconds, profile.players) for profile, arrivals in self._by_profile(track)]
        reached = sum(
            share * seconds.reached() / players for share, (seconds, players) in zip(shares, samples, strict=True)
        )
        rows = {"level": levels, "reached": reached}
        for q in QUANTILES:
            seconds_at = [mixed_quantile(samples, shares, i, q / 100) for i in range(len(levels))]
            rows[f"hours_p{q}"] = np.array(seconds_at) / HOUR
        return pd.DataFrame(rows)

    def reached(self, level: int, hours: float, track: str | None = None) -> pd.Series:
        """Return the share of each profile's players who reached a level within some played hours.

        Raises:
            RamulusError: the hours lie beyond the horizon, or the level outside the track.
        """
        self._refuse_beyond(hours)
        levels = self._levels(track)
        if not levels[0] <= level <= levels[-1]:
            raise RamulusError(f"level {level} is outside the track: {levels[0]} … {levels[-1]}")
        index = level - int(levels[0])
        shares = {p.profile: a.seconds.below(index, hours * HOUR) / p.players for p, a in self._by_profile(track)}
        return pd.Series(shares, name="reached")

    def level_at(self, hours: float, track: str | None = None) -> pd.DataFrame:
        """Return the share of each profile's players at each level (the highest reached) after some played hours.

        Returns:
            A row a profile and level: `player`, `level`, `share`.

        Raises:
            RamulusError: the hours lie beyond the horizon.
        """
        self._refuse_beyond(hours)
        levels = self._levels(track)
        tables = []
        for profile, arrivals in self._by_profile(track):
            arrived = [arrivals.seconds.below(i, hours * HOUR) for i in range(len(levels))]
            share = (np.array(arrived) - np.array([*arrived[1:], 0])) / profile.players
            tables.append(pd.DataFrame({"player": profile.profile, "level": levels, "share": share}))
        return pd.concat(tables, ignore_index=True)

    def time_in_level(self, track: str | None = None) -> pd.DataFrame:
        """Return the played hours from each level to the next, of the players who reached it.

        Whoever has not finished a level counts as longer than all who did. Hours are empty where fewer than half
        finished, or where the horizon cut off more than a tenth of the profile's players before the end of the level.

        Returns:
            A row a profile and level: `player`, `level`, `players`, `hours_p10`, `hours_p50`, `hours_p90`.
        """
        tables = []
        for profile, arrivals in self._by_profile(track):
            there, stays = arrivals.seconds.reached(), InLevel(arrivals, profile, track or self.design.main_track_name)
            hours = {f"hours_p{q}": stays.hours(q) for q in QUANTILES}
            front = {"player": profile.profile, "level": self._levels(track), "players": there}
            tables.append(pd.DataFrame({**front, **hours}))
        return pd.concat(tables, ignore_index=True)

    def slowest(self, track: str | None = None) -> pd.DataFrame:
        """Return which level takes each profile longest, and which takes longest against its neighbours.

        Returns:
            A row a profile: `player`; `level` and `hours`, the longest median of hours within a level; `drags_level`
            and `drags_hours`, and `times`, what that is over the mean of the levels on both sides. Not a number where
            hours are not known.
        """
        name, levels = track or self.design.main_track_name, self._levels(track)
        rows = [
            {"player": profile.profile, **slowest_level(levels, InLevel(arrivals, profile, name).hours(50))}
            for profile, arrivals in self._by_profile(track)
        ]
        return pd.DataFrame(rows)

    def cut_off_from(self, track: str | None = None) -> dict[str, int]:
        """Return the first level, by profile, within which hours are not known because the run ended too soon.

        Profiles that have no such level below the cap are left out.
        """
        name, levels = track or self.design.main_track_name, self._levels(track)
        found = {}
        for profile, _ in self._by_profile(track):
            cut = np.nonzero(profile.cut_off[name][:-1] > MOST_CUT_OFF * profile.players)[0]
            if len(cut):
                found[profile.profile] = int(levels[cut[0]])
        return found

    def arrivals(self, player: str | None = None, track: str | None = None) -> Array:
        """Return the played hours at which each player first reached each level, shape (players, levels).

        Raises:
            RamulusError: the run was too large to keep every player.
        """
        sample = self.profile(player).arrivals[self.design.main_track_name if track is None else track].seconds
        if not isinstance(sample, WholeSample):
            raise RamulusError("the run was too large to keep every player; simulate with keep_players=True")
        return sample.values / HOUR

    # --- what they lived on ------------------------------------------------------------------------------------

    def income(self) -> pd.DataFrame:
        """Return what main-track XP came from.

        Returns:
            A row a profile, level and source that was met: `encounters`, `successes` and `xp`, each a mean a
            player, and `share` of the XP of that level.
        """
        levels, sources = self._levels(None), np.array(list(self.design.sources), dtype=object)
        tables = []
        for name, profile in self.played.profiles.items():
            totals, count = profile.totals, profile.players
            level, source = np.nonzero(totals.met)
            xp, of_level = totals.income[level, source], totals.income.sum(axis=1)[level]
            tables.append(pd.DataFrame({
                "player": name,
                "level": levels[level],
                "source": sources[source],
                "encounters": totals.met[level, source] / count,
                "successes": totals.won[level, source] / count,
                "xp": xp / count,
                "share": np.divide(xp, of_level, out=np.zeros(len(level)), where=of_level > 0),
            }))  # fmt: skip
        return pd.concat(tables, ignore_index=True)

    def waste(self) -> pd.DataFrame:
        """Return the main-track XP that was wasted at thresholds and the cap, and lost by failing.

        Returns:
            A row a profile and level: `wasted` and `lost` in XP, means a player, and `wasted_share` of the XP
            awarded at that level.
        """
        levels = self._levels(None)
        tables = []
        for name, profile in self.played.profiles.items():
            earned, wasted = profile.totals.income.sum(axis=1), profile.totals.waste
            tables.append(pd.DataFrame({
                "player": name,
                "level": levels,
                "wasted": wasted / profile.players,
                "wasted_share": np.divide(wasted, earned, out=np.zeros(len(levels)), where=earned > 0),
                "lost": profile.totals.lost / profile.players,
            }))  # fmt: skip
        return pd.concat(tables, ignore_index=True)

    def stuck(self) -> pd.DataFrame:
        """Return how players ended, other than at the cap.

        Returns:
            A row a profile, reason and level: `player`, `reason`, `level`, `players`, `share`. The reasons are "out
            of time", "no open source" and "too many encounters".
        """
        levels = self._levels(None)
        rows: list[tuple[Any, ...]] = []
        for name, profile in self.played.profiles.items():
            for reason, level in np.argwhere(profile.ended).tolist():
                if reason != CAP:
                    count = int(profile.ended[reason, level])
                    rows.append((name, END_REASONS[reason], int(levels[level]), count, count / profile.players))
        return pd.DataFrame(rows, columns=["player", "reason", "level", "players", "share"])

    # --- keeping -----------------------------------------------------------------------------------------------

    def save(self, path: str | os.PathLike[str]) -> None:
        """Write the result to one .npz file, whole or not at all."""
        write_result(self.design, self.played, Path(path))

    @classmethod
    def load(cls, path: str | os.PathLike[str]) -> SimulationResult:
        """Read a result that `save` wrote.

        Raises:
            DataError: the file is missing, or no saved result.
        """
        return cls(*read_result(Path(path)))

    def __repr__(self) -> str:
        who = ", ".join(f"{count:,} {name}" for name, count in self.players.items())
        return f"<SimulationResult {self.design.title!r}: {who}; {self.hours:g} h, seed {self.seed}>"

    def _repr_html_(self) -> str:
        return str(f"<p>{escape(repr(self))}</p>" + self.pace().to_html(index=False, float_format="{:.3g}".format))
