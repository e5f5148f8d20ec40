"""What is kept of each player: when it reached its levels, how long it was seen, and how its encounters went."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, fields, replace
from datetime import datetime, timedelta
from typing import TYPE_CHECKING
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.recorded.following import Followed, arrivals, calendar_of, ends, first_rows, follow, sittings
from ramulus.recorded.rows import Batch, Ints
from ramulus.recorded.sampling import DAY

if TYPE_CHECKING:
    from ramulus.design import Design

LEAST_SECONDS = 0.05  # A time that a game rounds to nothing is still some time.


@dataclass(frozen=True, eq=False)
class Seen:
    """Players of one kind, n of them, on one track of L levels.

    Attributes:
        keys: what tells them apart, shape (n,).
        profiles: the place of each one's profile, or UNKNOWN, shape (n,).
        arrival: played seconds at first reaching each level; not a number where it did not; shape (n, L).
        arrived_at: the time of that, seconds since 1970, likewise.
        sat_down: how many sittings had begun by then, likewise.
        end, sittings: played seconds at the last award, and all sittings, shape (n,).
        step: mean seconds from one award to the next within sittings, or 0 where there are none, shape (n,).
        first, last: the times of the first and the last award, shape (n,).
        midway: whose log starts midway, shape (n,).
        weekdays: on which weekdays each was seen, Monday first, shape (n, 7).
        effects: how its encounters went beside those of the forecast, or None where that was not asked.
    """

    keys: NDArray[np.uint64]
    profiles: NDArray[np.int16]
    arrival: Array
    arrived_at: Array
    sat_down: Array
    end: Array
    sittings: Array
    step: Array
    first: Array
    last: Array
    midway: NDArray[np.bool_]
    weekdays: NDArray[np.bool_]
    effects: Effects | None = None

    def __len__(self) -> int:
        return len(self.keys)

    def of(self, which: NDArray[np.bool_] | Ints) -> Seen:
        """Return some of the players."""
        parts = {f.name: getattr(self, f.name)[which] for f in fields(self) if f.name != "effects"}
        return Seen(**parts, effects=None if self.effects is None else self.effects.of(which))

    @property
    def last_level(self) -> Ints:
        """The last level that each reached, from 0; −1 where nothing is known of it."""
        return np.asarray(np.isfinite(self.arrival).sum(axis=1) - 1).astype(np.int64)

    def with_first_encounters(self) -> Seen:
        """Return them with clocks that do not begin at a sitting's first award, but at its first encounter.

        That takes as long as the player's others do in the mean, with the pause.
        """
        arrival = self.arrival + self.sat_down * self.step[:, None]
        return replace(self, arrival=arrival, end=self.end + self.sittings * self.step)

    @staticmethod
    def joined(parts: list[Seen]) -> Seen:
        """Return players of several parts, in the order of their keys, whatever the order of the parts."""
        names = [f.name for f in fields(Seen) if f.name != "effects"]
        columns = {name: np.concatenate([getattr(part, name) for part in parts]) for name in names}
        effects = None if parts[0].effects is None else Effects.joined([part.effects for part in parts if part.effects])
        order = np.argsort(columns["keys"], kind="stable")
        return Seen(**columns, effects=effects).of(order)


@dataclass(frozen=True, eq=False)
class Cells:
    """What encounters of a forecast are like at each level and source; L levels, S sources.

    Attributes:
        seconds: the mean of the logs of their seconds, shape (L, S).
        success: the share of successes, shape (L, S).
        known: whether there were enough of them, shape (L, S).
        of_successes: whether seconds are those of successes alone, as failures may take longer.
    """

    seconds: Array
    success: Array
    known: NDArray[np.bool_]
    of_successes: bool


@dataclass(frozen=True, eq=False)
class Effects:
    """How the encounters of n players went, beside those of a forecast at the same level and source.

    Attributes:
        met: how many at each source, shape (n, S).
        seconds: the sum of log seconds beyond the forecast's mean, shape (n, S).
        success: the sum of successes beyond the forecast's share, shape (n, S).
        timed: how many have a time, shape (n, S).
        pause, pauses: seconds between encounters within a sitting, and how many there are, shape (n,).
    """

    met: Array
    seconds: Array
    success: Array
    timed: Array
    pause: Array
    pauses: Array

    def of(self, which: NDArray[np.bool_] | Ints) -> Effects:
        """Return those of some of the players."""
        return Effects(*(getattr(self, f.name)[which] for f in fields(self)))

    def without(self, sources: list[int]) -> Effects:
        """Return them as if nothing had been met at some sources."""
        stays = np.ones(self.met.shape[1])
        stays[sources] = 0.0
        by_source = (self.met * stays, self.seconds * stays, self.success * stays, self.timed * stays)
        return Effects(*by_source, self.pause, self.pauses)

    @staticmethod
    def joined(parts: list[Effects]) -> Effects:
        """Return those of several parts."""
        return Effects(*(np.concatenate([getattr(part, f.name) for part in parts]) for f in fields(Effects)))


ENOUGH = 20  # Encounters of a cell.
THURSDAY = 3  # On which 1970 began.


def _weekdays(batch: Batch, zone: ZoneInfo) -> NDArray[np.bool_]:
    # A zone's clock is put forward or back by an hour, at night: one offset is close enough to tell days by.
    offset = datetime.fromtimestamp(float(batch.rows.time[0]), zone).utcoffset() or timedelta()
    weekday = (np.floor((batch.rows.time + offset.total_seconds()) / DAY).astype(np.int64) + THURSDAY) % 7
    return np.bincount(batch.owner * 7 + weekday, minlength=7 * batch.players).reshape(-1, 7) > 0


def seen_in(
    design: Design, batches: Iterable[Batch], track: int, longest_pause: float, cells: dict[int, Cells] | None = None,
    *, timezone: str = "UTC",
) -> Seen:  # fmt: skip
    """Return what is kept of the players of some batches, at least one.

    Args:
        design: the design.
        batches: their rows.
        track: the track's place.
        longest_pause: seconds.
        cells: what encounters of each profile's forecast are like, by the profile's place; None: not looked at.
        timezone: of weekdays.
    """
    name = design.track_order[track]
    levels = design.track(name).max_level - design.track(name).start_level + 1
    parts, zone = [], ZoneInfo(timezone)
    for batch in batches:
        followed = follow(design, batch, longest_pause)
        effects = None if cells is None else _effects(design, batch, followed, cells)
        first, last = calendar_of(batch)
        rows = first_rows(batch, followed, track, levels)
        sat_down, end = sittings(batch, longest_pause), ends(batch, followed)
        last_row = batch.starts[1:] - 1
        steps = np.diff(batch.starts) - sat_down[last_row]
        parts.append(
            Seen(
                batch.keys, batch.profiles, arrivals(rows, followed.clock, 0.0), arrivals(rows, batch.rows.time, first),
                arrivals(rows, sat_down, 0.0), end, sat_down[last_row], end / np.maximum(steps, 1), first, last,
                followed.midway, _weekdays(batch, zone), effects,
            )
        )  # fmt: skip
    return Seen.joined(parts)


def cells_of(design: Design, batches: Iterable[Batch], longest_pause: float, *, of_successes: bool) -> Cells:
    """Return what the encounters of some batches are like at each level and source."""
    levels, sources = design.track().max_level - design.track().start_level + 1, len(design.sources)
    sums = np.zeros((3, levels * sources))
    timed = np.zeros(levels * sources)
    for batch in batches:
        at, rows = batch.encounters, batch.rows
        cell = follow(design, batch, longest_pause).before[at].astype(np.int64) * sources + rows.source[at]
        seconds = np.log(np.maximum(rows.seconds[at], LEAST_SECONDS))
        has = np.isfinite(seconds) & ((rows.success[at] == 1) | (not of_successes))
        sums[0] += np.bincount(cell, minlength=levels * sources)
        sums[1] += np.bincount(cell[has], seconds[has], minlength=levels * sources)
        sums[2] += np.bincount(cell, rows.success[at] == 1, minlength=levels * sources)
        timed += np.bincount(cell[has], minlength=levels * sources)
    with np.errstate(invalid="ignore", divide="ignore"):
        seconds, success = sums[1] / timed, sums[2] / sums[0]
    shape = (levels, sources)
    return Cells(seconds.reshape(shape), success.reshape(shape), (timed >= ENOUGH).reshape(shape), of_successes)


def _effects(design: Design, batch: Batch, followed: Followed, cells: dict[int, Cells]) -> Effects:
    sources, players = len(design.sources), batch.players
    at, rows, owner = batch.encounters, batch.rows, batch.owner
    level, source = followed.before[at].astype(np.int64), rows.source[at].astype(np.int64)
    expected, chance, known = (np.full(len(at), np.nan), np.full(len(at), np.nan), np.zeros(len(at), np.bool_))
    profile = batch.profiles[owner[at]]
    for kind, one in cells.items():
        here = profile == kind
        expected[here] = one.seconds[level[here], source[here]]
        chance[here] = one.success[level[here], source[here]]
        known[here] = one.known[level[here], source[here]]
    seconds = np.log(np.maximum(rows.seconds[at], LEAST_SECONDS)) - expected
    won = np.where(rows.success[at] >= 0, rows.success[at] - chance, np.nan)
    place = owner[at] * sources + source

    def summed(which: NDArray[np.bool_], values: Array | None = None) -> Array:
        weights = None if values is None else values[which]
        return np.bincount(place[which], weights, minlength=players * sources).astype(float).reshape(players, sources)

    has_time, has_end = known & np.isfinite(seconds), known & np.isfinite(won)
    if any(one.of_successes for one in cells.values()):
        has_time &= rows.success[at] == 1
    pause = followed.pause[at]
    paused = np.isfinite(pause)
    return Effects(
        met=summed(has_end), seconds=summed(has_time, seconds), success=summed(has_end, won), timed=summed(has_time),
        pause=np.bincount(owner[at][paused], pause[paused], minlength=players).astype(float),
        pauses=np.bincount(owner[at][paused], minlength=players).astype(float),
    )  # fmt: skip
