"""What players came to, in numbers: arrivals, endings and totals by profile. Tables and words are made elsewhere."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, fields
from typing import NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.schedule import Schedule, days_reached
from ramulus.simulation.chunks import Chunk
from ramulus.simulation.quits import Quits
from ramulus.simulation.samples import BinnedSample, Sample, WholeSample
from ramulus.simulation.tally import END_REASONS, ENDLESS, HORIZON, RunningTotals, Tally, Totals
from ramulus.simulation.world import Stage


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

    def part(self, which: NDArray[np.bool_]) -> Arrivals:
        """Return those of some of the players, where every one's are kept."""
        whole = [getattr(self, field.name) for field in fields(Arrivals)]
        return Arrivals(*(WholeSample(sample.values[which]) for sample in whole if isinstance(sample, WholeSample)))


@dataclass(frozen=True, eq=False)
class Group:
    """How fast some players of one profile were.

    Attributes:
        profile: the profile's name.
        players: how many there were.
        arrivals: by track.
        cut_off: by track, players whose play was cut off, by the horizon or after too many encounters, before they
            had left a level or any below it; shape (levels,).
        quits: who would have quit, or None where nobody can; one item a player.
    """

    profile: str
    players: int
    arrivals: dict[str, Arrivals]
    cut_off: dict[str, NDArray[np.int64]]
    quits: Quits | None

    @property
    def main(self) -> Arrivals:
        """The arrivals on the main track."""
        return next(iter(self.arrivals.values()))


@dataclass(frozen=True, eq=False)
class Each:
    """What is kept of each player.

    Attributes:
        numbers: their numbers in the profile, shape (n,).
        ended: why each ended, shape (n,).
        earned, wasted: XP units of the main track awarded, and lost at thresholds and the cap, shape (n,).
    """

    numbers: NDArray[np.int64]
    ended: NDArray[np.int8]
    earned: NDArray[np.int64]
    wasted: NDArray[np.int64]

    @classmethod
    def room(cls, players: int) -> Each:
        """Return room for some players."""
        nothing = np.zeros((2, players), np.int64)
        return cls(np.arange(players), np.zeros(players, np.int8), nothing[0], nothing[1])

    def put(self, where: slice, tally: Tally) -> None:
        """Write down some of the players."""
        self.ended[where], self.earned[where], self.wasted[where] = tally.ended, tally.earned, tally.wasted

    def of(self, which: NDArray[np.bool_]) -> Each:
        """Return those of some of the players."""
        return Each(*(getattr(self, field.name)[which] for field in fields(Each)))


@dataclass(frozen=True, eq=False)
class PlayedProfile(Group):
    """What all players of one profile came to.

    Attributes:
        ended: players by reason of ending and level, shape (4, L).
        totals: sums over all of them.
        each: what is kept of each, or None where the run was too large to keep every player.
    """

    ended: NDArray[np.int64]
    totals: Totals
    each: Each | None

    def part(self, which: NDArray[np.bool_]) -> Group:
        """Return some of the players, of a run that keeps every one."""
        assert self.each is not None
        arrivals = {track: of_track.part(which) for track, of_track in self.arrivals.items()}
        cut = np.isin(self.each.ended[which], [HORIZON, ENDLESS])
        cut_off = {}
        for track, of_track in arrivals.items():
            assert isinstance(of_track.seconds, WholeSample)
            cut_off[track] = cut_off_before(of_track.seconds.values[cut])
        quits = None if self.quits is None else self.quits.of(which)
        return Group(self.profile, int(which.sum()), arrivals, cut_off, quits)


def cut_off_before(arrival: Array) -> NDArray[np.int64]:
    """Return how many of the players that were cut off had not left each level, shape (levels,)."""
    # Whoever has not reached the next level was cut off before the end of this one.
    return np.append(np.isnan(arrival[:, 1:]).sum(axis=0), len(arrival)).astype(np.int64)


@dataclass(frozen=True, eq=False)
class Played:
    """What a simulation came to.

    Attributes:
        profiles: by name, in the order of the design.
        hours: the horizon, played hours.
        seed: the seed.
        until: the tracks beside the main one whose caps end play.
    """

    profiles: Mapping[str, PlayedProfile]
    hours: float
    seed: int
    until: tuple[str, ...] = ()


class Keeper(Protocol):
    """Keeps what was counted of each player, as a whole or summed up."""

    def add(self, chunk: Chunk) -> None:
        """Take in one chunk's players."""

    def samples(self) -> tuple[Sample, ...]:
        """Return a sample for each field of `Arrivals`, over the levels of all tracks."""


class WholeKeeper:
    """Keeps every player's numbers."""

    def __init__(self, players: int, spans: _Spans, every: int) -> None:
        self._spans = spans
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
        values = _numbers_of(self._arrival[done], self._encounters[done], numbers, self._spans)
        return tuple(map(WholeSample, values))


class BinnedKeeper:
    """Keeps counts in bins, whose memory does not grow with the players."""

    def __init__(self, spans: _Spans, every: int) -> None:
        self._spans = spans
        self._binned = tuple(BinnedSample.empty(every) for _ in fields(Arrivals))

    def add(self, chunk: Chunk) -> None:
        """Take in one chunk's players."""
        tally = chunk.tally
        values = _numbers_of(tally.arrival, tally.encounters, chunk.numbers, self._spans)
        for sample, part in zip(self._binned, values, strict=True):
            sample.add(part)

    def samples(self) -> tuple[Sample, ...]:
        """Return the samples of everybody so far."""
        return self._binned


class _Spans(NamedTuple):
    """How the levels of all tracks, one after the other, are read.

    Attributes:
        starts: where each track starts.
        own_start: the level of the main track at which the profile's players start, from 0.
        schedules: the schedules that they have.
    """

    starts: NDArray[np.int64]
    own_start: int
    schedules: tuple[Schedule, ...]


def _numbers_of(
    arrival: Array, encounters: NDArray[np.int32], numbers: NDArray[np.int64], spans: _Spans
) -> tuple[Array, Array, Array, Array]:
    """Return an array for each field of `Arrivals`, not a number where a level was not reached."""
    counted = np.where(np.isfinite(arrival), encounters, np.nan)
    in_level = np.full_like(arrival, np.nan)
    in_level[:, :-1] = np.diff(arrival, axis=1)
    in_level[:, spans.starts[1:] - 1] = np.nan  # From the cap of one track there is no way to the start of another.
    in_level[:, : spans.own_start] = np.nan  # Nobody was ever in a level below its start.
    return arrival, counted, in_level, days_reached(arrival, numbers, spans.schedules)


class Gathering:
    """Folds the chunks of one profile in as they come; the order does not matter to a bit.

    Args:
        stage: what the profile is played with.
        players: how many are to be played.
        levels: how many levels each track has, by name, the main track first.
        keep: whether every player's numbers are kept.
    """

    def __init__(self, stage: Stage, players: int, levels: Mapping[str, int], *, keep: bool) -> None:
        self._profile, self._levels = stage.profile, levels
        sizes = np.array(list(levels.values()), dtype=np.int64)
        starts = np.concatenate([[0], np.cumsum(sizes)[:-1]]).astype(np.int64)
        every = int(sizes.sum())
        spans = _Spans(starts, stage.settings.start_level, stage.schedules)
        self._keeper: Keeper = WholeKeeper(players, spans, every) if keep else BinnedKeeper(spans, every)
        self._spans = {
            name: slice(s, s + n) for name, s, n in zip(levels, starts.tolist(), sizes.tolist(), strict=True)
        }
        self._totals = RunningTotals()
        self._done = np.zeros(players, np.bool_)
        self._each = Each.room(players) if keep else None
        # Twenty-one bytes a player, also of a run too large to keep every time.
        self._quits = Quits.room(players) if stage.quitting is not None else None
        self._ended = np.zeros((len(END_REASONS), int(sizes[0])), np.int64)
        self._cut_off = {name: np.zeros(size, np.int64) for name, size in levels.items()}
        self.players_done = 0

    def add(self, chunk: Chunk) -> None:
        """Fold one chunk in."""
        self._keeper.add(chunk)
        self._done[chunk.players] = True
        if self._quits is not None and chunk.quits is not None:
            self._quits.put(chunk.players, chunk.quits)
        self._totals.add(chunk.tally)
        np.add.at(self._ended, (chunk.tally.ended, chunk.tally.last_level), 1)
        self.players_done += len(chunk.tally.ended)
        if self._each is not None:
            self._each.put(chunk.players, chunk.tally)
        cut = chunk.tally.arrival[(chunk.tally.ended == HORIZON) | (chunk.tally.ended == ENDLESS)]
        for name, where in self._spans.items():
            self._cut_off[name] += cut_off_before(cut[:, where])

    def played(self, scale: int) -> PlayedProfile:
        """Return what the players folded in so far came to; `scale` is the units in one XP of the main track."""
        samples = self._keeper.samples()
        arrivals = {name: Arrivals(*(sample.over(where) for sample in samples)) for name, where in self._spans.items()}
        cut_off = {name: counts.copy() for name, counts in self._cut_off.items()}
        totals = self._totals.totals(scale)
        quits = None if self._quits is None else self._quits.of(self._done)
        each = None if self._each is None else self._each.of(self._done)
        return PlayedProfile(
            self._profile, self.players_done, arrivals, cut_off, quits, self._ended.copy(), totals, each
        )
