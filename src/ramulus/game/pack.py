"""What a game needs of a design, in numbers and trees of formulas: the one model that every language is written from.

Nothing here is in the words of the design's classes; XP is in whole units, as `rules/xp_units.py` has them.
"""

from __future__ import annotations

import ast
from collections.abc import Iterator
from dataclasses import dataclass

from ramulus.game.factors import RulePack


@dataclass(frozen=True)
class GatePack:
    """A level that nobody leaves while its gate is shut, and whether XP there fills the bar only."""

    at_level: int
    fills: bool


@dataclass(frozen=True)
class TrackPack:
    """One track: its costs and rules.

    Attributes:
        name: the track's name.
        rules: the fingerprint that a saved ledger carries.
        scale: units in one XP.
        start_level, max_level: the first level, and the cap.
        start_units, start_points: what is there at the start.
        costs: units from each level to the next.
        granted: points granted from the start level up to each level.
        carry, carry_limit: in billionths; -1 is no limit.
        exceeded, one, whole, may_drop: whether XP must exceed a cost, an award raises one level at most, what is kept
            is whole XP, and a loss takes levels.
        at_cap: "discard", "fill" or "bank".
        gates: its gates, by rising level.
    """

    name: str
    rules: str
    scale: int
    start_level: int
    max_level: int
    start_units: int
    start_points: float
    costs: tuple[int, ...]
    granted: tuple[float, ...]
    carry: int
    carry_limit: int
    exceeded: bool
    one: bool
    whole: bool
    may_drop: bool
    at_cap: str
    gates: tuple[GatePack, ...] = ()


@dataclass(frozen=True)
class UpgradePack:
    """An upgrade: the stat it changes, by adding or multiplying, its price in points and its last rank.

    Attributes:
        effects: what each rank adds up or multiplies to, from rank 0 on.
    """

    name: str
    stat: str
    adds: bool
    effects: tuple[float, ...]
    price: float

    @property
    def max_rank(self) -> int:
        """The last rank."""
        return len(self.effects) - 1


@dataclass(frozen=True)
class StatPack:
    """A stat by level: a table, or a tree where it reads stats that upgrades change; then upgrades, limits, rounding.

    Attributes:
        by_level: the value before upgrades, limits and rounding where anything changes it, else the value itself.
        tree: the formula; None for a table.
        fixed: numbers that the formula reads, such as its base.
        low, high: limits, None for none.
        rounding, to: as a design file has them.
        upgrades: those that change it, in the order of the file.
    """

    name: str
    track: str
    by_level: tuple[float, ...]
    tree: ast.expr | None
    fixed: dict[str, float]
    low: float | None
    high: float | None
    rounding: str
    to: float
    upgrades: tuple[UpgradePack, ...]


@dataclass(frozen=True)
class SourcePack:
    """A source: its level, and the XP that it gives.

    Attributes:
        levels: its level, by the player's; one number where it does not follow the player.
        low: the XP, or the least of it, by level; one number where no level changes it.
        width: how many whole numbers are equally likely from `low` on; 0 for a list.
        amounts, up_to: the list, and running chances.
    """

    name: str
    levels: tuple[int, ...]
    low: tuple[float, ...]
    width: int
    amounts: tuple[float, ...]
    up_to: tuple[float, ...]


@dataclass(frozen=True)
class PracticePack:
    """A skill that a source practises, and its XP on success: a number, numbers by level, or a tree."""

    source: str
    skill: str
    xp: float | tuple[float, ...] | ast.expr

    @property
    def numbers(self) -> tuple[float, ...]:
        """The XP as numbers, one or by level; none where it is a tree."""
        if isinstance(self.xp, ast.expr):
            return ()
        return self.xp if isinstance(self.xp, tuple) else (self.xp,)


@dataclass(frozen=True)
class AwayPack:
    """A store of time away: what a day puts into it and what it is filled up to, by level, in XP; none at the cap.

    Attributes:
        more: what is paid on top of an award, as a share of it.
        whole: whether what goes in and out is rounded down to whole XP.
    """

    per_day: tuple[float, ...]
    at_most: tuple[float, ...]
    more: float
    whole: bool


@dataclass(frozen=True)
class Pack:
    """All of it.

    Attributes:
        constants: those that some tree reads.
        traits: names that only the game knows, which some tree reads.
        told_stats: stats that multipliers read and the level alone does not tell: of a skill, or changed by upgrades.
        rounding, to, least, xp_share: how an award becomes whole, what a success awards at least, what a failure pays.
        splits, holds: whether a party divides XP drawn, and holds its members below the leader.
    """

    title: str
    main: str
    tracks: tuple[TrackPack, ...]
    stats: tuple[StatPack, ...]
    upgrades: tuple[UpgradePack, ...]
    sources: tuple[SourcePack, ...]
    practice: tuple[PracticePack, ...]
    away: AwayPack | None
    rules: tuple[RulePack, ...]
    constants: dict[str, float]
    traits: tuple[str, ...]
    told_stats: tuple[str, ...]
    rounding: str
    to: float
    least: float
    xp_share: float
    splits: bool
    holds: bool

    @property
    def trees(self) -> Iterator[ast.expr]:
        """Every formula that is translated."""
        return trees_of(self.rules, self.stats, self.practice)

    def tables_of(self, track: TrackPack) -> list[StatPack]:
        """Return the stats of a track that are tables."""
        return [stat for stat in self.stats if stat.track == track.name and stat.tree is None]


def trees_of(
    rules: tuple[RulePack, ...], stats: tuple[StatPack, ...], practice: tuple[PracticePack, ...]
) -> Iterator[ast.expr]:
    """Yield every formula that is translated."""
    yield from (rule.tree for rule in rules if rule.tree is not None)
    yield from (stat.tree for stat in stats if stat.tree is not None)
    yield from (one.xp for one in practice if isinstance(one.xp, ast.expr))
