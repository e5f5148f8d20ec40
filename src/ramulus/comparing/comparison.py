"""A comparison of designs: paired differences of pace, what changed in the file, findings and goals that come or go."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping
from concurrent.futures import Executor
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
import pandas as pd

from ramulus.comparing.changes import Change, changes
from ramulus.comparing.paired import Difference, difference_of_medians, same_up_to
from ramulus.errors import RamulusError, naming, refuse_unnamed
from ramulus.goals import horizon_for
from ramulus.results.result import SimulationResult
from ramulus.results.simulate import DEFAULT_HOURS, simulate
from ramulus.simulation.in_flight import Progress

if TYPE_CHECKING:
    from ramulus.design import Design

DIFFERENCE = ("difference", "difference_low", "difference_high")
PACE = ("variant", "player", "level", "reached", "hours_p10", "hours_p50", "hours_p90", *DIFFERENCE)


class Comparison:
    """The result of `compare`: the first design against each other one.

    Attributes:
        results: what was played, by variant, the first one first.

    Every player of a profile has the same draws in all variants, so differences are taken player by player; their
    intervals are of the pairs, and far narrower than two intervals side by side.

    Examples:
        >>> import ramulus as rm
        >>> design = rm.demo_design()
        >>> found = rm.compare({"now": design, "open": design.with_values({"crown_gate": 0})}, players=20)
        >>> found.differences().columns[:4].tolist()
        ['variant', 'player', 'level', 'reached']
    """

    def __init__(self, results: Mapping[str, SimulationResult]) -> None:
        self.results = dict(results)

    @property
    def variants(self) -> list[str]:
        """The names of the variants, the first one first."""
        return list(self.results)

    @property
    def first(self) -> SimulationResult:
        """What was played of the first design."""
        return next(iter(self.results.values()))

    def _others(self) -> Iterator[tuple[str, SimulationResult]]:
        yield from list(self.results.items())[1:]

    def pace(self) -> pd.DataFrame:
        """Return the pace of every variant, with the difference of its median from the first variant's.

        Returns:
            A row a variant, profile and level: `variant`, `player`, `level`, `reached`, `hours_p10`, `hours_p50`,
            `hours_p90`, and `difference` of `hours_p50` from the first variant, in hours, with its paired 95 %
            interval, `difference_low` and `difference_high`; empty for the first variant, for profiles and levels
            that it does not have, and where fewer than half get there.
        """
        tables = []
        for variant, result in self.results.items():
            table = result.pace()[list(PACE[1:7])]
            table.insert(0, "variant", variant)
            found = [self._found.get((variant, row.player, row.level)) for row in table.itertuples()]
            for index, name in enumerate(DIFFERENCE):
                table[name] = [math.nan if one is None else one[index] for one in found]
            tables.append(table)
        return pd.concat(tables, ignore_index=True)

    def differences(self) -> pd.DataFrame:
        """Return the rows of `pace` of all variants but the first."""
        table = self.pace()
        return table[table["variant"] != self.variants[0]].reset_index(drop=True)

    @cached_property
    def _found(self) -> dict[tuple[str, str, int], Difference]:
        found = {}
        for variant, result in self._others():
            for player in self._shared(result):
                levels = self._levels(self.first)
                both = [self._times(one, player) for one in (self.first, result)]
                there = {level: column for column, level in enumerate(self._levels(result))}
                alike = same_up_to(self.first, result, player)
                for column, level in enumerate(levels):
                    if level in there:
                        pair = both[0][:, column], both[1][:, there[level]]
                        found[variant, player, level] = difference_of_medians(*pair, cannot_differ=column <= alike)
        return found

    def _shared(self, result: SimulationResult) -> list[str]:
        """Return the profiles that a variant has in common with the first."""
        return [name for name in self.first.players if name in result.players]

    @staticmethod
    def _levels(result: SimulationResult) -> list[int]:
        track = result.design.track()
        return list(range(track.start_level, track.max_level + 1))

    @staticmethod
    def _times(result: SimulationResult, player: str) -> np.ndarray:
        return np.nan_to_num(result.arrivals(player), nan=np.inf)

    @property
    def conservative(self) -> bool:
        """Whether times of some profile stand on a lattice, so that intervals are wider than they need be."""
        return any(one.conservative for one in self._found.values())

    def changes(self) -> dict[str, list[Change]]:
        """Return what each other variant states differently from the first, key by key."""
        return {variant: changes(self.first.design, result.design) for variant, result in self._others()}

    def within_levels(self) -> pd.DataFrame:
        """Return the largest change within a level.

        Returns:
            A row a variant but the first and profile: `variant`, `player`, `parts_at`, the first level at which any
            player's hours differ, `level`, the level whose median hours change most, `before` and `after`. Not a
            number where nothing changes, or nothing is known.
        """
        rows = []
        stays = {name: self._stays(result) for name, result in self.results.items()}
        for variant, result in self._others():
            for player in self._shared(result):
                before, after = stays[self.variants[0]][player], stays[variant][player]
                apart = (after - before).abs()
                most = apart.idxmax() if apart.notna().any() and apart.max() > 0 else math.nan
                row = {"variant": variant, "player": player, "parts_at": self._parts_at(result, player), "level": most}
                known = not math.isnan(most)
                rows.append({**row, "before": before[most] if known else most, "after": after[most] if known else most})
        return pd.DataFrame(rows, columns=["variant", "player", "parts_at", "level", "before", "after"])

    @staticmethod
    def _stays(result: SimulationResult) -> dict[str, pd.Series]:
        table = result.time_in_level()
        return {str(name): rows.set_index("level")["hours_p50"] for name, rows in table.groupby("player")}

    def _parts_at(self, result: SimulationResult, player: str) -> float:
        first, second = self._times(self.first, player), self._times(result, player)
        shared = [level for level in self._levels(self.first) if level in self._levels(result)]
        places = [[self._levels(one).index(level) for level in shared] for one in (self.first, result)]
        apart = (first[:, places[0]] != second[:, places[1]]).any(axis=0)
        return float(shared[int(apart.argmax())]) if apart.any() else math.nan

    def findings(self) -> pd.DataFrame:
        """Return the findings of `check` that come or go.

        Returns:
            A row a variant but the first and finding: `variant`, `change` ("comes" or "goes"), `code`, `severity`,
            `place`, `level`, `reason`.
        """
        from ramulus.checks import check

        found = {name: {(f.code, f.place): f for f in check(result.design)} for name, result in self.results.items()}
        before, rows = found[self.variants[0]], []
        for variant, _ in self._others():
            after = found[variant]
            for change, mine, other in (("goes", before, after), ("comes", after, before)):
                gone = [finding for key, finding in mine.items() if key not in other]
                rows += [(variant, change, f.code, f.severity, f.place, f.level, f.reason) for f in gone]
        return pd.DataFrame(rows, columns=["variant", "change", "code", "severity", "place", "level", "reason"])

    def goals(self) -> pd.DataFrame:
        """Return the goals of the first design as each variant meets them: `variant`, then as in `result.goals`."""
        from ramulus.goals import goals_table

        wishes = {"goals": self.first.design.to_dict().get("goals", [])}
        tables = []
        for variant, result in self.results.items():
            try:
                table = goals_table(SimulationResult(result.design.with_values(wishes), result.played))
            except RamulusError:  # A variant that lacks a level or profile of a goal has no verdict on it.
                continue
            table.insert(0, "variant", variant)
            tables.append(table)
        return pd.concat(tables, ignore_index=True)

    def income(self) -> pd.DataFrame:
        """Return what all XP came from: `variant`, `player`, `source`, `share` of the profile's XP."""
        tables = []
        for variant, result in self.results.items():
            xp = result.income().groupby(["player", "source"], sort=False)["xp"].sum()
            share = xp / xp.groupby("player").transform("sum")
            table = share.rename("share").reset_index()
            table.insert(0, "variant", variant)
            tables.append(table)
        return pd.concat(tables, ignore_index=True)

    def totals(self) -> pd.DataFrame:
        """Return what a variant comes to for each profile.

        Returns:
            A row a variant and profile: `variant`, `player`, `wasted`, the share of all XP wasted, and
            `still_playing`, the share that had not quit before the cap (not a number where nobody can quit, or too
            many never got there).
        """
        rows = []
        for variant, result in self.results.items():
            pace = result.still_playing("level")
            for player, profile in result.played.profiles.items():
                earned = profile.totals.earned
                wasted = profile.totals.wasted / earned if earned else 0.0
                still = float(pace[pace["player"] == player]["still_playing"].iloc[-1])
                rows.append((variant, player, wasted, still))
        return pd.DataFrame(rows, columns=["variant", "player", "wasted", "still_playing"])

    def __repr__(self) -> str:
        return f"<Comparison of {', '.join(self.variants)}; seed {self.first.seed}>"

    def _repr_html_(self) -> str:
        return str(self.pace().to_html(index=False, float_format="{:.3g}".format))


def compare(
    designs: Mapping[str, Design],
    players: int | Mapping[str, int] = 2000,
    hours: float | None = None,
    seed: int = 0,
    *,
    executor: Executor | None = None,
    progress: Callable[[Progress], object] | None = None,
) -> Comparison:
    """Play several designs with the same draws and compare each with the first.

    Args:
        designs: the designs by name, the first one first.
        players: how many players of each profile, or a number for each profile by name.
        hours: the horizon in played hours (default: 200, or longer where a design's goals ask for it).
        seed: the seed of every draw.
        executor: where chunks run (default: threads, one a processor).
        progress: is called with a `Progress` now and then, design by design.

    Raises:
        RamulusError: there are fewer than two designs, or too many players to keep each one's times.
        DesignError: a design is at fault.
        SimulationStopped: it was interrupted (Ctrl-C).

    Examples:
        >>> import ramulus as rm
        >>> now = rm.demo_design()
        >>> comparison = rm.compare({"now": now, "eased": now.with_values({"constants.crown_gate": 0})}, players=200)
        >>> [str(change) for change in comparison.changes()["eased"]]
        ['constants.crown_gate: 3000 → 0']
    """
    refuse_unnamed(designs, "designs", '{"now": design, "eased": another}')
    if len(designs) < 2:
        raise RamulusError(f"{len(designs)} design to compare; allowed: two or more")
    horizon = max(horizon_for(design, DEFAULT_HOURS) for design in designs.values()) if hours is None else hours
    results = {}
    for name, design in designs.items():
        some = players
        if isinstance(players, Mapping):
            some = {who: count for who, count in players.items() if who in design.profiles}
        with naming(name):
            results[name] = simulate(
                design, some, horizon, seed, executor=executor, progress=progress, keep_players=True
            )
    return Comparison(results)
