"""Canopy Wardens, hard: levels, XP and awards as designed.

    ledger = Leveling()                  # the track warden
    change = ledger.award(120)           # in units of XP; change.level_after - change.level_before levels gained
    ledger.label, ledger.progress        # the bar: its text, and 0 to 1
    data = ledger.save()                 # plain data, for JSON; Leveling.load(data) goes on from it

Written by Ramulus 0.1.0 from design 3dc11a2b0c55add0; it is yours to read and change. A retune changes the tables at the end only.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, NamedTuple

MOST = 2**53 - 1  # The largest whole number that every language counts exactly.


class Change(NamedTuple):
    """What an award or a loss did; amounts are in units."""

    level_before: int
    level_after: int
    amount: int  # Of a loss: what was taken.
    wasted: int
    points: float


@dataclass
class Track:
    """One track: costs in units from its start level on, points granted up to each level, stats by level."""

    rules: str
    scale: int
    start_level: int
    start_units: int
    start_points: float
    carry: int  # Billionths of what passes a threshold.
    one: bool  # An award raises one level at most.
    may_drop: bool  # A loss takes levels.
    at_cap: str
    costs: list[int]
    granted: list[float]
    stats: dict[str, list[float]]

    @property
    def max_level(self) -> int:
        return self.start_level + len(self.costs)

    def threshold(self, level: int) -> int:
        """The units that pay for a level below the cap."""
        return self.costs[level - self.start_level]


class Leveling:
    """The level, XP and points of one character on one track."""

    def __init__(self, track: str = "warden") -> None:
        table = TRACKS[track]
        self.track, self.level, self.peak_level = track, table.start_level, table.start_level
        self.xp = self.baseline = table.start_units
        self.points = table.start_points
        self.earned = self.lost = self.wasted = 0

    @property
    def table(self) -> Track:
        return TRACKS[self.track]

    def award(self, units: int) -> Change:
        """Book an award, already multiplied and rounded. One that cannot be counted raises ValueError, and nothing changes."""
        if not _is_count(units) or self.baseline + self.earned + units > MOST:
            raise ValueError(f"an award of {units!r}; allowed: whole units from 0 to {MOST} in all")
        before = self.level
        self.earned += units
        wasted, points = self._book(units)
        return Change(before, self.level, units, wasted, points)

    def _book(self, units: int) -> tuple[int, float]:
        """Add XP and go up as far as it carries; return what is wasted and the points granted."""
        table, wasted = self.table, 0
        self.xp += units
        while self.level < table.max_level and self.xp >= table.threshold(self.level):
            excess = self.xp - table.costs[self.level - table.start_level]
            self.level += 1
            self.xp = _kept(table, self.level, excess)
            wasted += excess - self.xp
            if table.one:
                break
        if self.level == table.max_level:
            held = _held_at_cap(table, self.xp)
            wasted += self.xp - held
            self.xp = held
        self.wasted += wasted
        return wasted, self._grant()

    def _grant(self) -> float:
        """Grant the points of levels that are reached for the first time."""
        if self.level <= self.peak_level:
            return 0.0
        granted, start = self.table.granted, self.table.start_level
        points = granted[self.level - start] - granted[self.peak_level - start]
        self.peak_level = self.level
        self.points += points
        return points

    def lose(self, units: int) -> Change:
        """Take XP away; what is not there is forgiven, and points stay. What is no amount raises ValueError."""
        if not _is_count(units):
            raise ValueError(f"a loss of {units!r}; allowed: whole units from 0 to {MOST}")
        before, taken = self.level, min(units, self.xp)
        self.xp -= taken
        table, left = self.table, units - taken
        while left > 0 and table.may_drop and self.level > table.start_level:
            self.level -= 1
            cost = table.costs[self.level - table.start_level]
            part = min(left, cost)
            self.xp = cost - part
            left -= part
            taken += part
        self.lost += taken
        return Change(before, self.level, taken, 0, 0.0)

    @property
    def progress(self) -> float:
        """The bar, 0 to 1."""
        table = self.table
        if self.level < table.max_level:
            return min(self.xp / table.costs[self.level - table.start_level], 1.0)
        return 1.0 if table.at_cap == "discard" else min(self.xp / table.costs[-1], 1.0)

    @property
    def label(self) -> str:
        """The bar's text."""
        table, xp = self.table, _text(self.xp, self.table.scale)
        if self.level < table.max_level:
            cost = table.costs[self.level - table.start_level]
            waits = f" ({_text(self.xp - cost, table.scale)} waiting)" if self.xp > cost else ""
            return f"Level {self.level} · {xp} / {_text(cost, table.scale)}{waits}"
        ends = {"discard": "", "fill": f" · {xp} / {_text(table.costs[-1], table.scale)}", "bank": f" · {xp} banked"}
        return f"Level {self.level} · cap{ends[table.at_cap]}"

    def save(self) -> dict[str, Any]:
        """The state as plain data, in XP."""
        scale = self.table.scale
        amounts = {name: _xp(getattr(self, name), scale) for name in ("xp", "earned", "lost", "wasted", "baseline")}
        return {
            "format": 1, "track": self.track, "rules": self.table.rules, "level": self.level,
            "peak_level": self.peak_level, "points": _plain(self.points), **amounts,
        }

    @classmethod
    def load(cls, data: Mapping[str, Any], keep: str = "level", excess: str = "hold", fall: bool = False) -> Leveling:
        """Go on from `save`, also of an older design.

        keep: "level" keeps level and XP, "total_xp" reads the level off all XP; it never falls unless `fall`.
        excess: XP that would pay for the level now is held below its cost ("hold") or awarded ("award").

        What no design can hold raises ValueError, with the reason.
        """
        try:
            found = cls(data["track"])
            table = found.table
            units = {name: _units(data[name], table.scale, name) for name in ("xp", "earned", "lost", "wasted", "baseline")}
            level, peak, points = data["level"], data["peak_level"], data["points"]
        except (KeyError, TypeError) as error:
            raise ValueError(f"a damaged save: {error!r}") from None
        if not _is_count(level) or not _is_count(peak) or peak < level:
            raise ValueError(f"a damaged save: level {level!r}, highest level {peak!r}")
        if isinstance(points, bool) or not isinstance(points, int | float) or not 0 <= points <= MOST:
            raise ValueError(f"a damaged save: {points!r} points")
        if keep not in ("level", "total_xp") or excess not in ("hold", "award"):
            raise ValueError(f"keep {keep!r}, excess {excess!r}; allowed: level or total_xp, hold or award")
        if units["baseline"] + units["earned"] > MOST:
            raise ValueError(f"a damaged save: more than {MOST} units of XP")
        found.earned, found.lost, found.wasted = units["earned"], units["lost"], units["wasted"]
        found.level = min(max(level, table.start_level), table.max_level)
        found.peak_level, found.points = min(max(peak, found.level), table.max_level), points
        total = units["baseline"] + units["earned"] - units["lost"] - units["wasted"]
        found._place(units["xp"], total, keep == "total_xp", excess == "award", fall)
        return found

    def _place(self, xp: int, total: int, by_total: bool, award: bool, fall: bool) -> None:
        table, kept = self.table, self.level
        if by_total:
            self.level, xp = table.start_level, max(total, 0)
            while self.level < table.max_level and xp >= table.threshold(self.level):
                xp -= table.costs[self.level - table.start_level]
                self.level += 1
            if self.level < kept and not fall:
                self.level, xp = kept, 0
        if self.level == table.max_level:
            xp = _held_at_cap(table, xp)
        elif xp >= table.threshold(self.level) and not table.one and not award:
            xp = table.threshold(self.level) - 1
        self.xp = xp
        self._grant()
        if award:
            self._book(0)
        # Everything earned stays accounted for: what this design does not count is wasted.
        paid = sum(table.costs[: self.level - table.start_level])
        self.baseline = paid + self.xp + self.wasted + self.lost - self.earned
        if self.baseline < 0:
            self.wasted, self.baseline = self.wasted - self.baseline, 0


class Source(NamedTuple):
    """What gives XP: `width` whole numbers from `low` on, or one of `amounts` where `width` is 0."""

    level: int
    low: tuple[float, ...]  # By level of warden, or one for all.
    width: int


def draw(source: str, level: int, u: float) -> float:
    """The XP that a success at a source gives before multipliers; `u` is your own uniform number, from 0 to below 1."""
    given = SOURCES[source]
    low = given.low[0]
    return low + math.floor(u * given.width) if given.width > 1 else low


def award_for(source: str, level: int, drawn: float, success: bool) -> int:
    """The units that an encounter awards to warden: the XP drawn times the multipliers in their order, rounded."""
    gap = level - SOURCES[source].level
    product = 1.0
    product *= clip(1 - 0.08 * gap, 0.04, 1)  # outgrown
    if success:
        return _whole(max(math.floor(drawn * product), LEAST_AWARD), TRACKS["warden"].scale)
    return _whole(math.floor(drawn * product * XP_SHARE), TRACKS["warden"].scale)


def load_tables(track: str, text: str) -> None:
    """Replace the costs, points and stats of a track by those of a levels_warden.csv. Anything else raises ValueError."""
    table = TRACKS[track]
    head, *rows = [line.strip().split(",") for line in text.strip().lstrip("\ufeff").splitlines()]
    if head[:4] != ["level", "cost", "total", "points"] or sorted(head[4:]) != sorted(table.stats) or len(rows) < 2:
        raise ValueError(f"no table of {track}: it begins {','.join(head)}")
    costs = [int(row[1]) for row in rows[:-1]]
    levels = [int(row[0]) for row in rows]
    if levels != list(range(table.start_level, table.start_level + len(rows))) or min(costs) < 1 or sum(costs) > MOST:
        raise ValueError(f"no table of {track}: levels from {table.start_level} on, and costs of 1 and more")
    stats = {name: [float(row[4 + column]) for row in rows] for column, name in enumerate(head[4:])}
    granted = [float(row[3]) for row in rows]
    table.costs, table.granted, table.stats = costs, granted, stats


# --- how numbers are counted and rounded ----------------------------------------------------------------------


def _kept(table: Track, level: int, excess: int) -> int:
    """What stays of the XP past a threshold, at the level just reached; a share is exact, in billionths."""
    kept = excess * table.carry // 10**9
    return kept


def _held_at_cap(table: Track, xp: int) -> int:
    if table.at_cap == "discard":
        return 0
    return min(xp, table.costs[-1]) if table.at_cap == "fill" else xp


def _is_count(value: object) -> bool:
    return isinstance(value, int) and not isinstance(value, bool) and 0 <= value <= MOST


def _units(xp: object, scale: int, name: str) -> int:
    """XP of a save in units, the nearest."""
    if isinstance(xp, bool) or not isinstance(xp, int | float) or not 0 <= xp <= MOST / scale:
        raise ValueError(f"a damaged save: {name} {xp!r}")
    return _whole(xp, scale)


def _xp(units: int, scale: int) -> float:
    return units // scale if units % scale == 0 else units / scale


def _plain(value: float) -> float:
    return int(value) if float(value).is_integer() else value


def _text(units: int, scale: int) -> str:
    whole, rest = divmod(units, scale)
    part = f".{rest:0{len(str(scale)) - 1}d}".rstrip("0") if rest else ""
    return f"{whole:,}{part}"


def _whole(xp: float, scale: int) -> int:
    """XP in units, the nearest, halves up."""
    units = xp * scale
    whole = math.floor(units)
    return whole + 1 if units - whole >= 0.5 else whole

def clip(x: float, low: float, high: float) -> float:
    return min(max(x, low), high)


# --- tables ----------------------------------------------------------------------------------------------------

DESIGN = "3dc11a2b0c55add0"
LEAST_AWARD = 0
XP_SHARE = 0.1
SOURCES = {
    "aphid_cluster": Source(1, (9,), 5),
    "bark_borer": Source(7, (34,), 1),
}
TRACKS = {
    "warden": Track(
        "84b6bb54b2c868b3", 1, 1, 0, 0, 500000000, True, True, "discard",
        [43, 49, 59, 71, 86, 103, 121, 142, 165, 190, 216, 244, 274, 306, 339, 374, 410, 448, 487],
        [0, 2, 4, 6, 8, 10, 12, 14, 16, 18, 20, 22, 24, 26, 28, 30, 32, 34, 36, 38],
        {},
    ),
}
