"""What players came to, in numbers: arrivals, endings and totals by profile. Tables and words are made elsewhere."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, fields
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.schedule import Schedule, days_reached
from ramulus.simulation.chunks import Chunk
from ramulus.simulation.samples import BinnedSample, Sample, WholeSample
from ramulus.simulation.tally import END_REASONS, ENDLESS, HORIZON, RunningTotals, Totals


@dataclass(frozen=True, eq=False)
class Arrivals:
    """When and how players reached the levels of one track, over its levels from start to cap.

    Attributes:
        seconds: played seconds at first reaching each level.
        encounters: encounters by then.
        in_level: played seconds from each level to the next; nobody has one at the cap.
        days: the calendar day of first reaching each level; nobody has one without a schedule.
    """

    seconds: Sample
    encounters: Sample
    in_level: Sample
    days: Sample


@dataclass(frozen=True, eq=False)
class PlayedProfile:
    """What the players of one profile came to.

    Attributes:
        profile: the profile's name.
        players: how many there were.
        arrivals: by track.
        ended: players by reason of ending and level, shape (4, L).
        cut_off: by track, players whose play was cut off, by the horizon or after too many encounters, before they
            had left a level or any below it; shape (levels,).
        totals: sums over all of them.
    """

    profile: str
    players: int
    arrivals: dict[str, Arrivals]
    ended: NDArray[np.int64]
    cut_off: dict[str, NDArray[np.int64]]
    totals: Totals

    @property
    def main(self) -> Arrivals:
        """The arrivals on the main track."""
        return next(iter(self.arrivals.values()))


@dataclass(frozen=True, eq=False)
class Played:
    """What a simulation came to.

    Attributes:
        profiles: by name, in the order of the design.
        hours: the horizon, played hours.
        seed: the seed.
    """

    profiles: Mapping[str, PlayedProfile]
    hours: float
    seed: int


class Keeper(Protocol):
    """Keeps what was counted of each player, as a whole or summed up."""

    def add(self, chunk: Chunk) -> None:
        """Take in one chunk's players."""

    def samples(self) -> tuple[Sample, ...]:
        """Return a sample for each field of `Arrivals`, over the levels of all tracks."""


class WholeKeeper:
    """Keeps every player's numbers."""

    def __init__(self, players: int, starts: NDArray[np.int64], every: int, schedules: tuple[Schedule, ...]) -> None:
        self._starts, self._schedules = starts, schedules
        self._arrival = np.full((players, every), np.nan)
        self._encounters = np.zeros((players, every), np.int32)
        self._done = np.zeros(players, np.bool_)

    def add(self, chunk: Chunk) -> None:
        """Take in one chunk's players."""
        self._arrival[chunk.players] = chunk.tally.arrival
        self._encounters[chunk.players] = chunk.tally.encounters
        self._done[chunk.players] = True

    def samples(self) -> tuple[Sample, ...]:
        """Return the samples of the players that are done."""
        done = slice(None) if self._done.all() else self._done
        numbers = np.arange(len(self._done), dtype=np.int64)[done]
        values = _numbers_of(self._arrival[done], self._encounters[done], numbers, self._starts, self._schedules)
        return tuple(map(WholeSample, values))


class BinnedKeeper:
    """Keeps counts in bins, whose memory does not grow with the players."""

    def __init__(self, starts: NDArray[np.int64], every: int, schedules: tuple[Schedule, ...]) -> None:
        self._starts, self._schedules = starts, schedules
        self._binned = tuple(BinnedSample.empty(every) for _ in fields(Arrivals))

    def add(self, chunk: Chunk) -> None:
        """Take in one chunk's players."""
        tally = chunk.tally
        values = _numbers_of(tally.arrival, tally.encounters, chunk.numbers, self._starts, self._schedules)
        for sample, part in zip(self._binned, values, strict=True):
            sample.add(part)

    def samples(self) -> tuple[Sample, ...]:
        """Return the samples of everybody so far."""
        return self._binned


def _numbers_of(
    arrival: Array, encounters: NDArray[np.int32], numbers: NDArray[np.int64], starts: NDArray[np.int64],
    schedules: tuple[Schedule, ...],
) -> tuple[Array, Array, Array, Array]:  # fmt: skip
    """Return an array for each field of `Arrivals`, not a number where a level was not reached."""
    counted = np.where(np.isfinite(arrival), encounters, np.nan)
    in_level = np.full_like(arrival, np.nan)
    in_level[:, :-1] = np.diff(arrival, axis=1)
    in_level[:, starts[1:] - 1] = np.nan  # From the cap of one track there is no way to the start of another.
    return arrival, counted, in_level, days_reached(arrival, numbers, schedules)


class Gathering:
    """Folds the chunks of one profile in as they come; the order does not matter to a bit.

    Args:
        profile: the profile's name.
        players: how many are to be played.
        levels: how many levels each track has, by name, the main track first.
        schedules: the schedules that the profile's players have.
        keep: whether every player's numbers are kept.
    """

    def __init__(
        self, profile: str, players: int, levels: Mapping[str, int], schedules: tuple[Schedule, ...], *, keep: bool
    ) -> None:
        self._profile, self._levels = profile, levels
        sizes = np.array(list(levels.values()), dtype=np.int64)
        starts = np.concatenate([[0], np.cumsum(sizes)[:-1]]).astype(np.int64)
        every = int(sizes.sum())
        self._keeper: Keeper = (
            WholeKeeper(players, starts, every, schedules) if keep else BinnedKeeper(starts, every, schedules)
        )
        self._spans = {
            name: slice(s, s + n) for name, s, n in zip(levels, starts.tolist(), sizes.tolist(), strict=True)
        }
        self._totals = RunningTotals()
        self._ended = np.zeros((len(END_REASONS), int(sizes[0])), np.int64)
        self._cut_off = {name: np.zeros(size, np.int64) for name, size in levels.items()}
        self.players_done = 0

    def add(self, chunk: Chunk) -> None:
        """Fold one chunk in."""
        self._keeper.add(chunk)
        self._totals.add(chunk.tally)
        np.add.at(self._ended, (chunk.tally.ended, chunk.tally.last_level), 1)
        self.players_done += len(chunk.tally.ended)
        cut = chunk.tally.arrival[(chunk.tally.ended == HORIZON) | (chunk.tally.ended == ENDLESS)]
        for name, where in self._spans.items():
            # Whoever has not reached the next level was cut off before the end of this one.
            self._cut_off[name][:-1] += np.isnan(cut[:, where][:, 1:]).sum(axis=0)
            self._cut_off[name][-1] += len(cut)

    def played(self, scale: int) -> PlayedProfile:
        """Return what the players folded in so far came to; `scale` is the units in one XP of the main track."""
        samples = self._keeper.samples()
        arrivals = {name: Arrivals(*(sample.over(where) for sample in samples)) for name, where in self._spans.items()}
        cut_off = {name: counts.copy() for name, counts in self._cut_off.items()}
        totals = self._totals.totals(scale)
        return PlayedProfile(self._profile, self.players_done, arrivals, self._ended.copy(), cut_off, totals)
