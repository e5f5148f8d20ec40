"""Rows as they come from a query, taken into batches of whole players."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.recorded.query import LEFT_OUT
from ramulus.recorded.rows import UNKNOWN, Batch, Ints, Rows
from ramulus.simulation.world import Tracks, make_tracks

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.recorded import RecordedPlay
    from ramulus.recorded.reading import Reading

NO_LEVEL = -1_000_000
_FINE = 0.01  # Of a unit.


class Taking:
    """Takes rows that are ordered by player and time.

    Args:
        design: the design.
        settings: how the log is read.
        reading: what is counted on the way.
        by_order: whether a running number orders the rows of a player, and not their time.
    """

    def __init__(self, design: Design, settings: RecordedPlay, reading: Reading, by_order: bool) -> None:
        self._design, self._settings, self._reading, self._by_order = design, settings, reading, by_order
        self._tracks: Tracks = design.derived(make_tracks)
        self._start_levels = np.array([design.track(name).start_level for name in design.track_order])
        self._left: dict[str, NDArray[Any]] | None = None

    def take(self, table: Any) -> Iterator[Batch]:
        """Yield the players that are complete in what has come so far."""
        columns = {name: table.column(name).to_numpy(zero_copy_only=False) for name in table.schema.names}
        bad = columns["bad"]
        for code in np.unique(bad[bad > 0]):
            self._reading.left_out[LEFT_OUT[code]] += int((bad == code).sum())
        fine = bad == 0
        columns = {name: values[fine] for name, values in columns.items()}
        if self._left is not None:
            columns = {name: np.concatenate([self._left[name], values]) for name, values in columns.items()}
        self._left = None
        if not len(columns["key"]):
            return
        whole = int(np.searchsorted(columns["key"], columns["key"][-1]))
        self._left = {name: values[whole:].copy() for name, values in columns.items()}
        if whole:
            yield self._batch({name: values[:whole] for name, values in columns.items()})

    def rest(self) -> Iterator[Batch]:
        """Yield the last player."""
        if self._left is not None and len(self._left["key"]):
            yield self._batch(self._left)

    def _batch(self, columns: dict[str, NDArray[Any]]) -> Batch:
        columns = self._without_backward_times(columns)
        if naive := int(columns["naive"].sum()):
            self._reading.noticed["times name no zone: taken as UTC"] += naive
        key = columns["key"]
        begins = np.flatnonzero(np.append(True, key[1:] != key[:-1]))
        starts = np.append(begins, len(key)).astype(np.int64)
        rows = self._rows(columns, starts)
        self._reading.rows += len(key)
        self._reading.players += len(begins)
        self._reading.first = min(self._reading.first, float(rows.time.min()))
        self._reading.last = max(self._reading.last, float(rows.time.max()))
        return Batch(rows, starts, key[begins].astype(np.uint64), self._profiles(columns, starts))

    def _without_backward_times(self, columns: dict[str, NDArray[Any]]) -> dict[str, NDArray[Any]]:
        """Leave out rows whose time runs backwards, where a running number orders them."""
        if not self._by_order:
            return columns
        time, key = columns["t"], columns["key"].astype(np.uint64)
        place = np.cumsum(np.append(0, key[1:] != key[:-1]))
        latest = _running_most(time, place)
        back = time < latest
        if not back.any():
            return columns
        self._reading.left_out["whose time runs backwards"] += int(back.sum())
        return {name: values[~back] for name, values in columns.items()}

    def _profiles(self, columns: dict[str, NDArray[Any]], starts: Ints) -> NDArray[np.int16]:
        """Return each player's profile: that of its first row that names one."""
        named = columns["profile"].astype(np.int16)
        if len(self._design.players) <= 1:
            return np.zeros(len(starts) - 1, np.int16)
        owner = np.repeat(np.arange(len(starts) - 1), np.diff(starts))
        found = np.full(len(starts) - 1, UNKNOWN, np.int16)
        at = np.flatnonzero(named >= 0)[::-1]
        found[owner[at]] = named[at]
        strange = int((named == -2).sum())
        if strange:
            self._reading.noticed["rows name a profile that the design has not: as if they named none"] += strange
        return found

    def _rows(self, columns: dict[str, NDArray[Any]], starts: Ints) -> Rows:
        track = np.maximum(columns["track"], 0).astype(np.int16)
        scale = self._tracks.scale[track]
        exact = columns["xp"] * scale
        units = np.rint(np.clip(exact, -(2.0**53), 2.0**53))
        if finer := int((np.abs(exact - units) > _FINE).sum()):
            self._reading.noticed["awards are finer than the design counts, and rounded"] += finer
        source = columns["source"].astype(np.int16)
        if strange := int((source == -2).sum()):
            self._reading.noticed["rows name a source that the design has not: as if they named none"] += strange
        level, xp = self._states(columns, track, scale)
        rows = Rows(
            time=columns["t"].astype(np.float64),
            units=units.astype(np.int64),
            track=track,
            source=np.maximum(source, UNKNOWN).astype(np.int16),
            success=columns["success"].astype(np.int8),
            level=level,
            xp=xp,
            seconds=columns["seconds"].astype(np.float64),
        )
        rows = _without_states_of_ties(rows, columns["file"], starts)
        return states_after(rows, starts) if self._settings.level_is == "before" else rows

    def _states(
        self, columns: dict[str, NDArray[Any]], track: NDArray[np.int16], scale: Ints
    ) -> tuple[NDArray[np.int32], Ints]:
        """Return levels, from 0, and the units inside them, UNKNOWN where the log does not say."""
        told = columns["level"] != NO_LEVEL
        cap = self._tracks.cap[track]
        level = np.where(told, columns["level"] - self._start_levels[track], UNKNOWN)
        outside = told & ((level < 0) | (level > cap))
        if outside.any():
            self._reading.noticed["rows have a level outside the track: not looked at"] += int(outside.sum())
        level = np.where(outside, UNKNOWN, level)
        inside: Array = np.rint(columns["xp_in"] * scale)
        paid = self._paid(track, np.maximum(level, 0).astype(np.int64))
        inside = np.where(np.isnan(inside), np.rint(columns["total"] * scale) - paid, inside)
        known = np.isfinite(inside) & (level != UNKNOWN) & (inside >= 0)
        return level.astype(np.int32), np.where(known, np.where(known, inside, 0), UNKNOWN).astype(np.int64)

    def _paid(self, track: NDArray[np.int16], level: Ints) -> Ints:
        """Return the units that the levels below some level of a track cost."""
        sums = np.concatenate([[0], np.cumsum(self._tracks.costs)])
        first = self._tracks.first[track]
        return np.asarray(sums[first + np.minimum(level, self._tracks.cap[track])] - sums[first])


def _running_most(values: Array, place: Ints) -> Array:
    """Return the highest value so far, anew at each place."""
    span = float(np.ptp(values)) + 1.0 if len(values) else 1.0
    shift = place * span
    return np.asarray(np.maximum.accumulate(values + shift) - shift)


def _without_states_of_ties(rows: Rows, file: NDArray[Any], starts: Ints) -> Rows:
    """Forget the states of awards at one time in several files, but for the last: nobody knows their order."""
    if len(rows.time) < 2 or (file[1:] == file[:-1]).all():
        return rows
    tied = (rows.time[1:] == rows.time[:-1]) & (file[1:] != file[:-1])
    tied[starts[1:-1] - 1] = False
    hidden = np.append(tied, False)
    return rows._replace(level=np.where(hidden, UNKNOWN, rows.level), xp=np.where(hidden, UNKNOWN, rows.xp))


def states_after(rows: Rows, starts: Ints) -> Rows:
    """Return rows whose states were logged before the award with those after it: those before the track's next one."""
    owner = np.repeat(np.arange(len(starts) - 1), np.diff(starts))
    order = np.lexsort((np.arange(len(owner)), rows.track, owner))
    level, xp = np.full_like(rows.level, UNKNOWN), np.full_like(rows.xp, UNKNOWN)
    same = (owner[order][1:] == owner[order][:-1]) & (rows.track[order][1:] == rows.track[order][:-1])
    now, following = order[:-1][same], order[1:][same]
    level[now], xp[now] = rows.level[following], rows.xp[following]
    return rows._replace(level=level, xp=xp)
