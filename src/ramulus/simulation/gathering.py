"""Chunks of players folded into what a profile came to, as they come."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.coming import Points, calendar_days_reached, own_days_reached
from ramulus.rules.schedule import Schedule
from ramulus.simulation.chunks import Chunk
from ramulus.simulation.played import Each, PlayedProfile, arrivals_of, cut_off_before
from ramulus.simulation.quits import Quits
from ramulus.simulation.samples import BinnedSample, Sample, WholeSample
from ramulus.simulation.tally import END_REASONS, ENDLESS, HORIZON, RunningTotals
from ramulus.simulation.world import Stage


class Keeper(Protocol):
    """Keeps what was counted of each player, as a whole or summed up."""

    def add(self, chunk: Chunk) -> None:
        """Take in one chunk's players."""

    def samples(self) -> dict[str, Sample]:
        """Return a sample for each field of `Arrivals` that there is, over the levels of all tracks."""


class WholeKeeper:
    """Keeps every player's numbers."""

    def __init__(self, players: int, spans: _Spans, every: int) -> None:
        self._spans = spans
        self._arrival = np.full((players, every), np.nan)
        self._encounters = np.zeros((players, every), np.int32)
        self._held = np.zeros((players, every if spans.gates else 0))
        self._done = np.zeros(players, np.bool_)

    def add(self, chunk: Chunk) -> None:
        """Take in one chunk's players."""
        self._arrival[chunk.players] = chunk.tally.arrival
        self._encounters[chunk.players] = chunk.tally.encounters
        self._held[chunk.players] = chunk.tally.held
        self._done[chunk.players] = True

    def samples(self) -> dict[str, Sample]:
        """Return the samples of the players that are done."""
        done = slice(None) if self._done.all() else self._done
        numbers = np.arange(len(self._done), dtype=np.int64)[done]
        values = _numbers_of(self._arrival[done], self._encounters[done], self._held[done], numbers, self._spans)
        return {name: WholeSample(array) for name, array in values.items()}


class BinnedKeeper:
    """Keeps counts in bins, whose memory does not grow with the players."""

    def __init__(self, spans: _Spans, every: int) -> None:
        self._spans = spans
        nobody = np.zeros((0, every))
        names = _numbers_of(nobody, nobody.astype(np.int32), nobody, np.zeros(0, np.int64), spans)
        self._binned = {name: BinnedSample.empty(every) for name in names}

    def add(self, chunk: Chunk) -> None:
        """Take in one chunk's players."""
        tally = chunk.tally
        values = _numbers_of(tally.arrival, tally.encounters, tally.held, chunk.numbers, self._spans)
        for name, part in values.items():
            self._binned[name].add(part)

    def samples(self) -> dict[str, Sample]:
        """Return the samples of everybody so far."""
        return dict(self._binned)


class _Spans(NamedTuple):
    """How the levels of all tracks, one after the other, are read.

    Attributes:
        starts: where each track starts.
        own_start: the level of the main track at which the profile's players start, from 0.
        schedules: the schedules that they have.
        gates: whether there are gates, the time before which is not counted within a level.
        comes: the profile's table of arrivals.
    """

    starts: NDArray[np.int64]
    own_start: int
    schedules: tuple[Schedule, ...]
    gates: bool
    comes: Points


def _numbers_of(
    arrival: Array, encounters: NDArray[np.int32], held: Array, numbers: NDArray[np.int64], spans: _Spans
) -> dict[str, Array]:
    """Return an array for each field of `Arrivals` that there is, not a number where a level was not reached."""
    counted = np.where(np.isfinite(arrival), encounters, np.nan)
    in_level = np.full_like(arrival, np.nan)
    in_level[:, :-1] = np.diff(arrival, axis=1)
    if spans.gates:
        in_level -= held
    in_level[:, spans.starts[1:] - 1] = np.nan  # From the cap of one track there is no way to the start of another.
    in_level[:, : spans.own_start] = np.nan  # Nobody was ever in a level below its start.
    when = (arrival, numbers, spans.schedules, spans.comes)
    found = {"seconds": arrival, "encounters": counted, "in_level": in_level, "days": own_days_reached(*when)}
    if spans.comes:
        found["calendar"] = calendar_days_reached(*when)
    if spans.gates:
        found["at_gate"] = np.where(np.isnan(in_level), np.nan, held)
    return found


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
        gates = len(stage.world.gates.level) > 0
        spans = _Spans(starts, stage.settings.start_level, stage.schedules, gates, stage.comes)
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
        arrivals = {
            track: arrivals_of({name: sample.over(where) for name, sample in samples.items()})
            for track, where in self._spans.items()
        }
        cut_off = {name: counts.copy() for name, counts in self._cut_off.items()}
        totals = self._totals.totals(scale)
        quits = None if self._quits is None else self._quits.of(self._done)
        each = None if self._each is None else self._each.of(self._done)
        return PlayedProfile(
            self._profile, self.players_done, arrivals, cut_off, quits, self._ended.copy(), totals, each
        )
