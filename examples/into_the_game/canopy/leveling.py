"""Canopy Wardens: levels, XP and awards as designed.

    ledger = Leveling()                  # the track warden; Leveling("grafting") for another
    change = ledger.award(120)           # in units of XP; change.level_after - change.level_before levels gained
    ledger.label, ledger.progress        # the bar: its text, and 0 to 1
    data = ledger.save()                 # plain data, for JSON; Leveling.load(data) goes on from it

Written by Ramulus 0.1.0 from design 1efc73540feba32a; it is yours to read and change. A retune changes the tables at the end only.
"""

from __future__ import annotations

import copy
import math
from collections.abc import Collection, Mapping
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
        self.ranks: dict[str, int] = {}

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
            self.xp = excess
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

    def buy(self, upgrade: str) -> bool:
        """Buy a rank with points; False where there are too few, or no rank is left."""
        wanted = UPGRADES[upgrade]
        rank = self.ranks.get(upgrade, 0)
        if rank + 1 >= len(wanted.effects) or self.points < wanted.price:
            return False
        self.points -= wanted.price
        self.ranks[upgrade] = rank + 1
        return True

    def stat(self, name: str) -> float:
        """A stat of this track, at this level with the ranks bought."""
        return stat(name, self.level, self.ranks)

    def held_below(self, leader: Leveling, award: int, plain: int) -> int:
        """The part of an award that does not lift this one past its leader; `plain` is what it would be alone."""
        if award <= plain or not self._passes(award, leader):
            return award
        if self._passes(plain, leader):
            return plain
        step = self.table.scale if award % self.table.scale == 0 and plain % self.table.scale == 0 else 1
        low, high = plain // step, award // step
        while high - low > 1:
            middle = (low + high) // 2
            low, high = (low, middle) if self._passes(middle * step, leader) else (middle, high)
        return low * step

    def _passes(self, units: int, leader: Leveling) -> bool:
        after = copy.copy(self)
        after._book(units)
        return (after.level, after.xp) > (leader.level, leader.xp)

    def save(self) -> dict[str, Any]:
        """The state as plain data, in XP."""
        scale = self.table.scale
        amounts = {name: _xp(getattr(self, name), scale) for name in ("xp", "earned", "lost", "wasted", "baseline")}
        return {
            "format": 1, "track": self.track, "rules": self.table.rules, "level": self.level,
            "peak_level": self.peak_level, "points": _plain(self.points), **amounts, "ranks": dict(self.ranks),
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
            ranks = {str(name): rank for name, rank in dict(data.get("ranks", {})).items() if name in UPGRADES}
        except (KeyError, TypeError) as error:
            raise ValueError(f"a damaged save: {error!r}") from None
        if not _is_count(level) or not _is_count(peak) or peak < level:
            raise ValueError(f"a damaged save: level {level!r}, highest level {peak!r}")
        if isinstance(points, bool) or not isinstance(points, int | float) or not 0 <= points <= MOST:
            raise ValueError(f"a damaged save: {points!r} points")
        if not all(_is_count(rank) for rank in ranks.values()):
            raise ValueError(f"a damaged save: ranks {ranks!r}")
        found.ranks = {name: min(rank, len(UPGRADES[name].effects) - 1) for name, rank in ranks.items()}
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
        elif xp >= table.threshold(self.level) and not award:
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


class Upgrade(NamedTuple):
    """What points buy: `effects` is what the ranks held add up or multiply to, from rank 0 on."""

    price: float
    adds: bool
    effects: tuple[float, ...]


def stat(name: str, level: int, ranks: Mapping[str, int] | None = None) -> float:
    """A stat at a level, with some ranks of upgrades. A level outside the track raises IndexError."""
    if name == "shear":
        value = _by_level(name, level)
        value += UPGRADES["keen_edge"].effects[(ranks or {}).get("keen_edge", 0)]
        return value
    if name == "windup":
        value = _by_level(name, level)
        value *= UPGRADES["quick_hands"].effects[(ranks or {}).get("quick_hands", 0)]
        return value
    return _by_level(name, level)


def _by_level(name: str, level: int) -> float:
    track = TRACKS[STATS[name]]
    if not track.start_level <= level <= track.max_level:
        raise IndexError(f"level {level} of {name}; allowed: {track.start_level} to {track.max_level}")
    return track.stats[name][level - track.start_level]


class Source(NamedTuple):
    """What gives XP: `width` whole numbers from `low` on, or one of `amounts` where `width` is 0."""

    level: int
    low: tuple[float, ...]  # By level of warden, or one for all.
    width: int
    amounts: tuple[float, ...]
    up_to: tuple[float, ...]  # Running chances.


def draw(source: str, level: int, u: float) -> float:
    """The XP that a success at a source gives before multipliers; `u` is your own uniform number, from 0 to below 1."""
    given = SOURCES[source]
    if given.width == 0:
        return next(xp for xp, end in zip(given.amounts, given.up_to, strict=True) if u < end)
    low = given.low[level - TRACKS["warden"].start_level if len(given.low) > 1 else 0]
    return low + math.floor(u * given.width) if given.width > 1 else low


def award_for(source: str, level: int, drawn: float, success: bool, *, leader_level: int | None = None, on: Collection[str] = ()) -> int:
    """The units that an encounter awards to warden: the XP drawn times the multipliers in their order, rounded."""
    leader_level = level if leader_level is None else leader_level
    gap = level - SOURCES[source].level
    product = 1.0
    product *= clip(1 - 0.08 * gap, 0.04, 1)  # outgrown
    if "blossom week" in on:
        product *= FACTORS["blossom week"]  # blossom week
    if "market day" in on:
        product *= FACTORS["market day"]  # market day
    product *= banded(level / leader_level, BANDS["catch-up"])  # catch-up
    if success:
        return _whole(max(math.floor(drawn * product), LEAST_AWARD), TRACKS["warden"].scale)
    return _whole(math.floor(drawn * product * XP_SHARE), TRACKS["warden"].scale)


def skill_award_for(source: str, level: int, success: bool, *, on: Collection[str] = ()) -> int:
    """The units that an encounter awards to the skill that its source practises."""
    skill, xp = PRACTISED[source]
    product = 1.0
    if "blossom week" in on:
        product *= FACTORS["blossom week"]  # blossom week
    if "market day" in on:
        product *= FACTORS["market day"]  # market day
    exact = xp * product * (1.0 if success else XP_SHARE)
    return _whole(math.floor(exact), TRACKS[skill].scale)


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


def banded(value: float, bands: tuple[tuple[float, float], ...]) -> float:
    """The factor of the first band whose end is not below the value; past the last: 1."""
    return next((factor for up_to, factor in bands if value <= up_to), 1.0)


# --- tables ----------------------------------------------------------------------------------------------------

DESIGN = "1efc73540feba32a"
LEAST_AWARD = 0
XP_SHARE = 0.1
FACTORS: dict[str, Any] = {
    "blossom week": 1.5,
    "market day": 1.15,
}
BANDS = {
    "catch-up": ((0.4, 5), (0.7, 2.5), (0.95, 1.4), ),
}
SOURCES = {
    "aphid_cluster": Source(1, (9,), 5, (), ()),
    "seed_errand": Source(3, (150,), 1, (), ()),
    "shoot_graft": Source(5, (20,), 1, (), ()),
    "bark_borer": Source(7, (34,), 1, (), ()),
    "canker_bloom": Source(14, (46,), 15, (), ()),
    "rust_swarm": Source(21, (84,), 1, (), ()),
    "hollow_heart": Source(29, (0,), 0, (100, 150,), (0.7, 1,)),
    "crown_rot": Source(36, (162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162,), 1, (), ()),
}
PRACTISED: dict[str, tuple[str, float]] = {
    "shoot_graft": ("grafting", 1),
}
UPGRADES = {
    "quick_hands": Upgrade(1, False, (1, 0.93, 0.8649000000000001, 0.8043570000000001, 0.7480520100000001, 0.6956883693000002, 0.6469901834490002, 0.6017008706075703, 0.5595818096650403,)),
    "keen_edge": Upgrade(1, True, (0, 2, 4, 6, 8, 10, 12, 14, 16, 18, 20, 22, 24, 26, 28, 30, 32, 34, 36, 38, 40, 42, 44, 46, 48, 50, 52, 54, 56, 58, 60, 62, 64, 66, 68, 70, 72, 74, 76, 78, 80, 82, 84, 86, 88, 90, 92, 94, 96, 98, 100, 102, 104, 106, 108, 110, 112, 114, 116, 118, 120, 122, 124, 126, 128, 130, 132, 134, 136, 138, 140, 142, 144, 146, 148, 150, 152, 154, 156,)),
}
STATS = {"resilience": "warden", "shear": "warden", "windup": "warden"}
TRACKS = {
    "warden": Track(
        "a6f3dcb00f5318ed", 1, 1, 0, 0, "fill",
        [60, 84, 130, 191, 265, 350, 445, 549, 662, 783, 911, 1047, 1189, 1338, 1494, 1656, 1824, 1998, 2177, 5362, 2553, 2749, 2950, 3156, 3367, 3583, 3804, 4030, 4260, 4495, 4734, 4978, 5226, 5478, 5735, 5996, 6261, 6530, 6803],
        [0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15, 16, 17, 18, 19, 20, 21, 22, 23, 24, 25, 26, 27, 28, 29, 30, 31, 32, 33, 34, 35, 36, 37, 38, 39],
        {
            "resilience": [80, 92, 104, 116, 128, 140, 152, 164, 176, 188, 200, 212, 224, 236, 248, 260, 272, 284, 296, 308, 320, 332, 344, 356, 368, 380, 392, 404, 416, 428, 440, 452, 464, 476, 488, 500, 512, 524, 536, 548],
            "shear": [9, 9.540000000000001, 10.112400000000001, 10.719144, 11.362292640000003, 12.044030198400002, 12.766672010304003, 13.532672330922246, 14.344632670777582, 15.205310631024236, 16.11762926888569, 17.084687025018834, 18.109768246519963, 19.196354341311164, 20.34813560178983, 21.569023737897226, 22.86316516217106, 24.23495507190132, 25.689052376215404, 27.230395518788328, 28.86421924991563, 30.596072404910572, 32.43183674920521, 34.37774695415752, 36.44041177140698, 38.62683647769139, 40.94444666635288, 43.40111346633405, 46.0051802743141, 48.76549109077295, 51.69142055621933, 54.792905789592496, 58.08048013696805, 61.56530894518613, 65.2592274818973, 69.17478113081114, 73.32526799865981, 77.7247840785794, 82.38827112329417, 87.33156739069183],
            "windup": [1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4],
        },
    ),
    "grafting": Track(
        "29142f335b33902b", 1, 1, 0, 0, "discard",
        [5, 6, 9, 12, 16, 22, 30, 40, 55, 74, 100, 135, 183, 247],
        [0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0],
        {},
    ),
}
