"""The result of a simulation as tables: pace with its spread, what players lived on, waste, who got stuck."""

from __future__ import annotations

from html import escape
from pathlib import Path
from typing import TYPE_CHECKING, Literal

from ramulus.goals import goals_table
from ramulus.results.income import endings_table, income_table, waste_table
from ramulus.results.pace_tables import PaceTables
from ramulus.results.quitting import quits_table, still_by_day
from ramulus.results.result_file import read_result, write_result
from ramulus.results.skill_or_luck import skill_or_luck_rows
from ramulus.simulation.still_playing import still_by_level

if TYPE_CHECKING:
    import os

    import pandas as pd


class SimulationResult(PaceTables):
    """The result of `simulate`.

    Attributes:
        design: the design that was played.
        played: what was counted, in numbers.
        players, hours, seed: how many of each profile were played, for how long at most, from which seed.

    Quantiles count a player who has not reached a level as later than every one who has, so they are not a number
    where too few arrived.

    Examples:
        >>> import ramulus as rm
        >>> result = rm.simulate(rm.demo_design(), players=20)
        >>> result.pace().columns[:5].tolist()
        ['player', 'level', 'reached', 'hours_p10', 'hours_p50']
        >>> len(result.slowest())
        3
    """

    # --- what they lived on ------------------------------------------------------------------------------------

    def income(self) -> pd.DataFrame:
        """Return what main-track XP came from.

        Returns:
            A row a profile, level and source that was met: `encounters`, `successes` and `xp`, each a mean a
            player, and `share` of the XP of that level.
        """
        return income_table(self.played, self._levels(None), list(self.design.sources))

    def waste(self) -> pd.DataFrame:
        """Return the main-track XP that was wasted at thresholds and the cap, and lost by failing.

        Returns:
            A row a profile and level: `wasted` and `lost` in XP, means a player, `wasted_share` of the XP awarded at
            that level, `levels_lost` that losses took there, and `hours_regaining`, spent there below the highest level
            that the player had reached; means a player.
        """
        return waste_table(self.played, self._levels(None))

    def stuck(self) -> pd.DataFrame:
        """Return how players ended, other than at the cap.

        Returns:
            A row a profile, reason and level: `player`, `reason`, `level`, `players`, `share`. The reasons are "out
            of time", "no open source" and "too many encounters".
        """
        return endings_table(self.played, self._levels(None))

    def goals(self) -> pd.DataFrame:
        """Return whether the design's goals are met.

        Returns:
            A row a goal whose profiles were played: `goal` in words, `player`, `wish`, `found`, `low` and `high`, its
            95 % interval, `off`, how far off it is (a share of the wish; of wishes that are shares, the difference),
            `verdict`: "met" or "missed" where the interval lies on one side, else "open", and `players_needed`, about
            how many players of each profile would settle an open one. Hours and days in played hours and calendar
            days; empty where too few got there, or the horizon is too short to know.
        """
        return goals_table(self)

    def quits(self) -> pd.DataFrame:
        """Return who would have quit at which level, why, and after how long.

        Quitting is a mark: the player is played on, and every other table is of all players.

        Returns:
            A row a profile, level and reason: `player`, `level` (the highest reached by then), `reason` ("left by
            day" or "ran out of patience"), `players`, `share` of the profile's players, `hours_p50` and `days_p50`,
            the median of played hours and of the calendar day of those who quit there (no day without a schedule).
        """
        import pandas as pd

        levels = self._levels(None)
        tables = [quits_table(profile, levels) for profile in self.played.profiles.values()]
        some = [table for table in tables if len(table)]
        return pd.concat(some, ignore_index=True) if some else tables[0]

    def still_playing(self, by: Literal["day", "level"] = "day", *, interval: float = 0.95) -> pd.DataFrame:
        """Return the share of players who had not quit by the end of each day since they came, or before each level.

        Args:
            by: "day" or "level".
            interval: the confidence of the interval.

        Returns:
            A row a profile and day (from 1, as far as was played) or level: `player`, `day` or `level`,
            `still_playing`, `still_playing_low`, `still_playing_high`. By day, profiles that cannot quit or have no
            schedule are left out. By level, empty where more than a tenth neither quit nor got there.
        """
        import pandas as pd

        if by == "day":
            tables = [
                still_by_day(self.design, profile, self.hours, interval) for profile in self.played.profiles.values()
            ]
            some = [table for table in tables if len(table)]
            return pd.concat(some, ignore_index=True) if some else tables[0]
        levels, tables = self._levels(None), []
        for name, profile in self.played.profiles.items():
            share, low, high = still_by_level(profile, len(levels), interval)
            front = {"player": name, "level": levels}
            ends = {"still_playing": share, "still_playing_low": low, "still_playing_high": high}
            tables.append(pd.DataFrame({**front, **ends}))
        return pd.concat(tables, ignore_index=True)

    def skill_or_luck(self, level: int | None = None) -> pd.DataFrame:
        """Return what the differences between players of one kind come from: the variance of their log hours.

        Args:
            level: the main track's level (default: for each profile the last one that all its players reach).

        Returns:
            A row a profile: `player`, `level`, `log_hours_sd`, the standard deviation of log hours to it (0.1 is
            about 10 %), and the shares of it: `ability`, `speed` (the own factor of `spread`), `luck`, and `shared`,
            what own speed and the rest have to do with each other (0 but for sampling, except where rules go by the
            day), each with its standard error, such as `ability_error`. Empty where not all reached the level.

        Raises:
            RamulusError: the run was too large to keep every player, or the level is outside the track or its start.
        """
        import pandas as pd

        return pd.DataFrame(skill_or_luck_rows(self, level))

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
