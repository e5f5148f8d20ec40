"""What a simulation came to: pace with its spread, income, waste, and who got stuck."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from ramulus.design.design import lookup
from ramulus.errors import RamulusError
from ramulus.formula.functions import Array
from ramulus.rules.windows import calendar_day
from ramulus.simulation.chunks import CHUNK, Chunk
from ramulus.simulation.kernel import END_REASONS
from ramulus.simulation.samples import BinnedSample, Sample, WholeSample, quantile, quantile_interval
from ramulus.simulation.worlds import Stage, track_names

if TYPE_CHECKING:
    import os

    from ramulus.design import Design

HOUR = 3600.0


@dataclass(eq=False)
class ProfileResult:
    """What the players of one profile came to. K levels of all tracks, one track after the other.

    Attributes:
        profile: the profile's name.
        players: how many there were.
        seconds: played seconds at first reaching each level, over K.
        encounters: encounters by then, over K.
        in_level: seconds from each level to the next, over K (none at a cap).
        ended: players by reason of ending and level, shape (4, L).
        sums: by name: income in XP, met, won (L, S); waste, lost in XP (L,).
    """

    profile: str
    players: int
    seconds: Sample
    encounters: Sample
    in_level: Sample
    ended: NDArray[np.int64]
    sums: dict[str, Array]


class Gathering:
    """Folds chunks in as they come; the order does not matter to a bit."""

    def __init__(
        self, design: Design, stages: list[Stage], counts: list[int], hours: float, seed: int, keep: bool
    ) -> None:
        self._design, self._counts, self._hours, self._seed = design, counts, hours, seed
        self._keep = keep
        self.players_done = 0
        self._done: list[list[slice]] = [[] for _ in stages]
        self._profiles = [_Profile(stage, count, keep) for stage, count in zip(stages, counts, strict=True)]

    def add(self, chunk: Chunk) -> None:
        """Fold one chunk in."""
        self._profiles[chunk.profile_index].add(chunk)
        self.players_done += len(chunk.clock)

    def result(self) -> SimulationResult:
        """Return the result of the players folded in so far."""
        profiles = [profile.result() for profile in self._profiles if profile.done]
        return SimulationResult(self._design, profiles, self._hours, self._seed)


class _Profile:
    def __init__(self, stage: Stage, players: int, keep: bool) -> None:
        self.stage, self.keep = stage, keep
        counts = stage.rules.count + 1
        every = int(counts.sum())
        self.starts = np.concatenate([[0], np.cumsum(counts)[:-1]]).astype(np.int64)
        self.done: list[slice] = []
        self.ended = np.zeros((len(END_REASONS), int(counts[0])), np.int64)
        self.sums: dict[str, NDArray[np.object_]] = {}
        if keep:
            self.arrival = np.full((players, every), np.nan)
            self.encounters = np.zeros((players, every), np.int32)
        else:
            self.binned = [BinnedSample.empty(every) for _ in range(3)]

    def add(self, chunk: Chunk) -> None:
        players = len(chunk.clock)
        where = slice(chunk.chunk * CHUNK, chunk.chunk * CHUNK + players)
        self.done.append(where)
        np.add.at(self.ended, (chunk.ended, chunk.last[:, 0]), 1)
        for name, part in chunk.sums.items():
            # As Python's own integers: the XP of a large run passes 63 bits, and floats would add up in some order.
            whole = part.astype(object)
            self.sums[name] = self.sums[name] + whole if name in self.sums else whole
        if self.keep:
            self.arrival[where] = chunk.arrival
            self.encounters[where] = chunk.encounters
        else:
            for sample, values in zip(self.binned, _three(chunk.arrival, chunk.encounters, self.starts), strict=True):
                sample.add(values)

    def result(self) -> ProfileResult:
        players = sum(part.stop - part.start for part in self.done)
        if self.keep:
            rows = np.concatenate(
                [np.arange(part.start, part.stop) for part in sorted(self.done, key=lambda s: s.start)]
            )
            samples: list[Sample] = [
                WholeSample(v) for v in _three(self.arrival[rows], self.encounters[rows], self.starts)
            ]
        else:
            samples = list(self.binned)
        return ProfileResult(
            self.stage.profile, players, samples[0], samples[1], samples[2], self.ended, self._xp_sums()
        )

    def _xp_sums(self) -> dict[str, Array]:
        """Return the sums as floats, those of XP in XP."""
        scale = int(self.stage.rules.scale[0])
        counts = ("met", "won")
        return {k: (v if k in counts else v / scale).astype(np.float64) for k, v in self.sums.items()}


def _three(arrival: Array, encounters: NDArray[np.int32], starts: NDArray[np.int64]) -> tuple[Array, Array, Array]:
    """Return seconds, encounters and seconds in each level, not a number where a level was not reached."""
    counted = np.where(np.isfinite(arrival), encounters, np.nan)
    in_level = np.full_like(arrival, np.nan)
    in_level[:, :-1] = np.diff(arrival, axis=1)
    in_level[:, starts[1:] - 1] = np.nan  # From the cap of one track there is no way to the start of another.
    return arrival, counted, in_level


class SimulationResult:
    """The result of `simulate`.

    Attributes:
        design: the design that was played.
        hours: the horizon, played hours.
        seed: the seed.

    Quantiles count a player who has not reached a level as later than every one who has, so they are not a number
    where too few arrived.
    """

    def __init__(self, design: Design, profiles: list[ProfileResult], hours: float, seed: int) -> None:
        self.design, self.hours, self.seed = design, hours, seed
        self.profiles = {profile.profile: profile for profile in profiles}

    @property
    def players(self) -> dict[str, int]:
        """How many players of each profile were played."""
        return {name: profile.players for name, profile in self.profiles.items()}

    @property
    def keeps_players(self) -> bool:
        """Whether every player's times are kept; else quantiles are within 0.4 %."""
        return all(isinstance(profile.seconds, WholeSample) for profile in self.profiles.values())

    def profile(self, player: str | None = None) -> ProfileResult:
        """Return one profile's part of the result (default: the first).

        Raises:
            UnknownNameError: it was not played.
        """
        return lookup("player profile", self.profiles, player if player is not None else next(iter(self.profiles)))

    def _levels(self, track: str | None) -> tuple[Array, slice]:
        """Return the levels of a track, and where they stand among those of all tracks."""
        names = track_names(self.design)
        name = track or self.design.main_track_name
        self.design.track(name)
        sizes = [self.design.track(n).max_level - self.design.track(n).start_level + 1 for n in names]
        start = sum(sizes[: names.index(name)])
        what = self.design.track(name)
        return np.arange(what.start_level, what.max_level + 1), slice(start, start + sizes[names.index(name)])

    # --- pace --------------------------------------------------------------------------------------------------

    def pace(self, track: str | None = None, *, interval: float | None = None) -> pd.DataFrame:
        """Return how fast each profile reaches each level.

        Args:
            track: the track (default: the main one).
            interval: a confidence such as 0.95, to add an interval for each quantile of hours.

        Returns:
            A row a profile and level: `reached` is the share of players who got there; `hours_p10`, `hours_p50`,
            `hours_p90` played hours; `encounters_p50`; `days_p50` calendar days; `hours_in_level_p50` the median
            played hours from this level to the next, among those who reached this one. With `interval`, also
            `hours_p50_low`, `hours_p50_high` and so on.
        """
        levels, where = self._levels(track)
        tables = []
        for name, profile in self.profiles.items():
            hours = {q: quantile(profile.seconds, q / 100, profile.players)[where] / HOUR for q in (10, 50, 90)}
            reached = profile.seconds.reached()
            table = {
                "player": name,
                "level": levels,
                "reached": reached[where] / profile.players,
                **{f"hours_p{q}": value for q, value in hours.items()},
                "encounters_p50": quantile(profile.encounters, 0.5, profile.players)[where],
                "days_p50": self._days(name, hours[50]),
                "hours_in_level_p50": quantile(profile.in_level, 0.5, np.maximum(reached, 1))[where] / HOUR,
            }
            if interval is not None:
                table.update(self._intervals(profile, where, interval))
            tables.append(pd.DataFrame(table))
        return pd.concat(tables, ignore_index=True)

    def _intervals(self, profile: ProfileResult, where: slice, confidence: float) -> dict[str, Array]:
        found = {}
        for q in (10, 50, 90):
            ends = quantile_interval(profile.seconds, q / 100, profile.players, confidence)
            for end, values in zip(("low", "high"), ends, strict=True):
                found[f"hours_p{q}_{end}"] = values[where] / HOUR
        return found

    def _days(self, player: str, hours: Array) -> Array:
        from ramulus.design.player import Player

        return calendar_day(self.design.players.get(player, Player()), hours * HOUR)

    def population(self, track: str | None = None) -> pd.DataFrame:
        """Return the pace of all profiles together, weighted by their shares.

        Returns:
            A row a level: `level`, `reached` (share), `hours_p10`, `hours_p50`, `hours_p90`.
        """
        levels, where = self._levels(track)
        shares = self._shares()
        reached = sum(
            share * profile.seconds.reached()[where] / profile.players
            for share, profile in zip(shares, self.profiles.values(), strict=True)
        )
        rows = {"level": levels, "reached": reached}
        for q in (10, 50, 90):
            rows[f"hours_p{q}"] = np.array([self._mixed_quantile(where.start + i, q / 100) for i in range(len(levels))])
        return pd.DataFrame(rows)

    def _shares(self) -> Array:
        shares = np.array([float(p.share) if (p := self.design.players.get(n)) else 1.0 for n in self.profiles])
        return shares / shares.sum() if shares.sum() > 0 else np.full(len(shares), 1 / len(shares))

    def _mixed_quantile(self, level: int, share: float) -> float:
        """Return the hours by which a share of the weighted population has arrived at a level."""
        values, weights = [], []
        for weight, profile in zip(self._shares(), self.profiles.values(), strict=True):
            times, counts = profile.seconds.spread_at(level)
            values.append(times)
            weights.append(counts * (weight / profile.players))
        times, arrived = np.concatenate(values), np.concatenate(weights)
        order = np.argsort(times, kind="stable")
        rank = int(np.searchsorted(np.cumsum(arrived[order]), share - 1e-9))
        return float(times[order][rank]) / HOUR if rank < len(order) else float("nan")

    def reached(self, level: int, hours: float, track: str | None = None) -> pd.Series:
        """Return the share of each profile's players who reached a level within some played hours."""
        levels, where = self._levels(track)
        if not levels[0] <= level <= levels[-1]:
            raise RamulusError(f"level {level} is outside the track: {levels[0]} … {levels[-1]}")
        index = where.start + level - int(levels[0])
        return pd.Series(
            {name: p.seconds.below(index, hours * HOUR) / p.players for name, p in self.profiles.items()},
            name="reached",
        )

    def level_at(self, hours: float, track: str | None = None) -> pd.DataFrame:
        """Return the share of each profile's players at each level (the highest reached) after some played hours.

        Returns:
            A row a profile and level: `player`, `level`, `share`.
        """
        levels, where = self._levels(track)
        tables = []
        for name, profile in self.profiles.items():
            arrived = [profile.seconds.below(where.start + i, hours * HOUR) for i in range(len(levels))]
            share = (np.array(arrived) - np.array([*arrived[1:], 0])) / profile.players
            tables.append(pd.DataFrame({"player": name, "level": levels, "share": share}))
        return pd.concat(tables, ignore_index=True)

    def time_in_level(self, track: str | None = None) -> pd.DataFrame:
        """Return the played hours from each level to the next, among the players who reached it.

        Returns:
            A row a profile and level: `player`, `level`, `players`, `hours_p10`, `hours_p50`, `hours_p90`.
        """
        levels, where = self._levels(track)
        tables = []
        for name, profile in self.profiles.items():
            there = profile.seconds.reached()
            hours = {
                f"hours_p{q}": quantile(profile.in_level, q / 100, np.maximum(there, 1))[where] / HOUR
                for q in (10, 50, 90)
            }
            tables.append(pd.DataFrame({"player": name, "level": levels, "players": there[where], **hours}))
        return pd.concat(tables, ignore_index=True)

    def arrivals(self, player: str | None = None, track: str | None = None) -> Array:
        """Return the played hours at which each player first reached each level, shape (players, levels).

        Raises:
            RamulusError: the run was too large to keep every player.
        """
        sample = self.profile(player).seconds
        if not isinstance(sample, WholeSample):
            raise RamulusError("the run was too large to keep every player; simulate with keep_players=True")
        return sample.values[:, self._levels(track)[1]] / HOUR

    # --- what they lived on ------------------------------------------------------------------------------------

    def income(self) -> pd.DataFrame:
        """Return what main-track XP came from.

        Returns:
            A row a profile, level and source that was met: `encounters`, `successes` and `xp`, each a mean a
            player, and `share` of the XP of that level.
        """
        levels, _ = self._levels(None)
        sources = list(self.design.sources)
        tables = []
        for name, profile in self.profiles.items():
            level, source = np.nonzero(profile.sums["met"])
            xp = profile.sums["income"] / profile.players
            total = xp.sum(axis=1)[level]
            tables.append(pd.DataFrame({
                "player": name,
                "level": levels[level],
                "source": np.array(sources, dtype=object)[source],
                "encounters": profile.sums["met"][level, source] / profile.players,
                "successes": profile.sums["won"][level, source] / profile.players,
                "xp": xp[level, source],
                "share": np.divide(xp[level, source], total, out=np.zeros(len(level)), where=total > 0),
            }))  # fmt: skip
        return pd.concat(tables, ignore_index=True)

    def waste(self) -> pd.DataFrame:
        """Return the main-track XP that was wasted at thresholds and the cap, and lost by failing.

        Returns:
            A row a profile and level: `wasted` and `lost` in XP, means a player, and `wasted_share` of the XP
            awarded at that level.
        """
        levels, _ = self._levels(None)
        tables = []
        for name, profile in self.profiles.items():
            earned = profile.sums["income"].sum(axis=1) / profile.players
            wasted = profile.sums["waste"] / profile.players
            tables.append(pd.DataFrame({
                "player": name,
                "level": levels,
                "wasted": wasted,
                "wasted_share": np.divide(wasted, earned, out=np.zeros(len(levels)), where=earned > 0),
                "lost": profile.sums["lost"] / profile.players,
            }))  # fmt: skip
        return pd.concat(tables, ignore_index=True)

    def stuck(self) -> pd.DataFrame:
        """Return how players ended, other than at the cap.

        Returns:
            A row a profile, reason and level: `player`, `reason`, `level`, `players`, `share`. The reasons are "out
            of time", "no open source" and "too many encounters".
        """
        levels, _ = self._levels(None)
        rows: list[dict[str, Any]] = []
        for name, profile in self.profiles.items():
            for reason, level in zip(*np.nonzero(profile.ended), strict=True):
                count = int(profile.ended[reason, level])
                if reason:
                    rows.append({
                        "player": name, "reason": END_REASONS[reason], "level": int(levels[level]),
                        "players": count, "share": count / profile.players,
                    })  # fmt: skip
        return pd.DataFrame(rows, columns=["player", "reason", "level", "players", "share"])

    # --- keeping -----------------------------------------------------------------------------------------------

    def save(self, path: str | os.PathLike[str]) -> None:
        """Write the result to one .npz file, whole or not at all."""
        from ramulus.simulation.keeping import save_result

        save_result(self, Path(path))

    @staticmethod
    def load(path: str | os.PathLike[str]) -> SimulationResult:
        """Read a result that `save` wrote.

        Raises:
            DataError: the file is missing, or no saved result.
        """
        from ramulus.simulation.keeping import load_result

        return load_result(Path(path))

    def __repr__(self) -> str:
        who = ", ".join(f"{count:,} {name or 'players'}" for name, count in self.players.items())
        return f"<SimulationResult {self.design.title!r}: {who}; {self.hours:g} h, seed {self.seed}>"

    def _repr_html_(self) -> str:
        from html import escape

        return str(f"<p>{escape(repr(self))}</p>" + self.pace().to_html(index=False, float_format="{:.3g}".format))
