"""How fast players were, as tables: when they reach levels, how long they stay, where it drags."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

import numpy as np

from ramulus.errors import RamulusError
from ramulus.formula.functions import Array
from ramulus.results.pace import QUANTILES, pace_columns, pace_intervals, whole_days
from ramulus.results.standing_out import standing_out
from ramulus.rules.ability import THIRDS, classes_of, third_of
from ramulus.simulation.in_level import HOUR, MOST_CUT_OFF, InLevel
from ramulus.simulation.played import Arrivals, Group, PlayedDesign, PlayedProfile
from ramulus.simulation.population import mixed_quantile, shares_of
from ramulus.simulation.samples import WholeSample, quantile
from ramulus.simulation.still_playing import still_by_level

if TYPE_CHECKING:
    import pandas as pd


class PaceTables(PlayedDesign):
    """The part of a result that tells how fast players were."""

    @property
    def can_quit(self) -> bool:
        """Whether players of any profile that was played can quit."""
        return any(profile.quits is not None for profile in self.played.profiles.values())

    @property
    def come_later(self) -> bool:
        """Whether players of any profile that was played come on other days than day 1."""
        return any(self.design.profile(name).arrives for name in self.played.profiles)

    def varies(self, player: str) -> bool:
        """Whether players of a profile differ in ability."""
        return classes_of(self.design.profile(player)) > 1

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

    def pace(
        self, track: str | None = None, *, interval: float | None = None, by_ability: bool = False
    ) -> pd.DataFrame:
        """Return how fast each profile reaches each level.

        Args:
            track: the track (default: the main one).
            interval: a confidence such as 0.95, to add an interval for each number.
            by_ability: whether each profile whose players differ in ability is split into thirds.

        Returns:
            A row a profile and level: `reached` is the share of players who got there; `hours_p10`, `hours_p50`,
            `hours_p90` played hours; `encounters_p50`; `days_p50` days since they came; `hours_in_level_p50` the median
            played hours from this level to the next, of those who reached this one (whoever has not finished it
            counts as longer; empty where fewer than half finished, or where the horizon cut off more than a tenth of
            the players before its end). With gates `gate_hours_p50`, the hours before the level's gate, which are
            not within the level; where players come on several days, `calendar_day_p50`. On the main track of a
            design whose players can quit also `still_playing`, the share that had not quit before the level. With
            `by_ability`, `third` after the player. With `interval`, also `reached_low`, `reached_high`,
            `hours_p50_low` and so on.

        Raises:
            RamulusError: the run was too large to split it by ability.
        """
        import pandas as pd

        name, tables = track or self.design.main_track_name, []
        for profile, _ in self._by_profile(track):
            for third, group in self._thirds(profile) if by_ability else ((None, profile),):
                arrivals = group.arrivals[name]
                stays = InLevel(arrivals, group, name)
                table = {"player": profile.profile, **({"third": third} if third else {}), "level": self._levels(track)}
                table.update(pace_columns(arrivals, group, stays))
                if self.come_later:
                    days = whole_days(quantile(arrivals.calendar, 0.5, group.players), np.rint)
                    table["calendar_day_p50"] = days
                if interval is not None:
                    table.update(pace_intervals(arrivals, group, stays, interval))
                if name == self.design.main_track_name and self.can_quit:
                    still = still_by_level(group, len(self._levels(track)), interval or 0.95)
                    ends = ("", "_low", "_high") if interval is not None else ("",)
                    table.update({f"still_playing{end}": part for end, part in zip(ends, still, strict=False)})
                tables.append(pd.DataFrame(table))
        return pd.concat(tables, ignore_index=True)

    def _thirds(self, profile: PlayedProfile) -> Iterator[tuple[str, Group]]:
        """Yield the players of a profile by ability, slow ones first; all of them where they are alike."""
        if not self.varies(profile.profile):
            yield "all alike", profile
            return
        third = third_of(profile.kept_each().numbers)
        for index, name in enumerate(THIRDS):
            if (third == index).any():
                yield name, profile.part(third == index)

    def days(self, track: str | None = None) -> pd.DataFrame:
        """Return on which days players first reach each level; day 1 is the first, or that on which a player comes.

        Returns:
            A row a profile and level: `player`, `level`, `reached`, `days_p10`, `days_p50`, `days_p90`; days are empty
            for a profile without a schedule.
        """
        import pandas as pd

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
        import pandas as pd

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
        import pandas as pd

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
        import pandas as pd

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
            A row a profile and level: `player`, `level`, `players`, `hours_p10`, `hours_p50`, `hours_p90`; with gates
            also `gate_hours_p50`, which are not within the level.
        """
        import pandas as pd

        tables = []
        for profile, arrivals in self._by_profile(track):
            there, stays = arrivals.seconds.reached(), InLevel(arrivals, profile, track or self.design.main_track_name)
            hours = {f"hours_p{q}": stays.hours(q) for q in QUANTILES}
            if arrivals.at_gate is not None:
                hours["gate_hours_p50"] = stays.hours_at_gate(50)
            front = {"player": profile.profile, "level": self._levels(track), "players": there}
            tables.append(pd.DataFrame({**front, **hours}))
        return pd.concat(tables, ignore_index=True)

    def slowest(self, track: str | None = None) -> pd.DataFrame:
        """Return which level takes each profile longest, and which stands out from its neighbours.

        Returns:
            A row a profile: `player`; `level` and `hours`, the longest median of hours within a level; `drags_level`
            and `drags_hours`, a level that takes longer than both its neighbours beyond chance and beyond an encounter,
            and `times`, what that is over their mean; `step_level`, from which on levels take `step_times` as long,
            beyond how they grow around it; and `why`, in words, of the one that drags, else of the step. Not a number
            where hours are not known, and where no level stands out.
        """
        import pandas as pd

        name = track or self.design.main_track_name
        rows = [
            {"player": profile.profile, **standing_out(self.design, profile, arrivals, name)}
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
        profile = self.profile(player)
        profile.kept_each()
        sample = profile.arrivals[self.design.main_track_name if track is None else track].seconds
        assert isinstance(sample, WholeSample)
        return sample.values / HOUR
