"""What a game needs of a design, in numbers and trees of formulas: the one model that every language is written from.

Nothing here is in the words of the design's classes; XP is in whole units, as `rules/xp_units.py` has them.
"""

from __future__ import annotations

import ast
from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from ramulus.design.names import stat_track
from ramulus.errors import DesignError, Problem
from ramulus.formula import parse
from ramulus.formula.functions import Array, power
from ramulus.game.factors import RulePack, is_exact, rules_of
from ramulus.rules.evaluating import evaluate_at
from ramulus.rules.ledger_state import fingerprint
from ramulus.rules.limits import open_levels
from ramulus.rules.overflow import NO_LIMIT
from ramulus.rules.tabulation import tabulated

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.stat import Stat, Upgrade
    from ramulus.rules.track_tables import TrackTables

MOST_ROWS = 5_000
LEAST_RANKS, MOST_RANKS = 20, 1_000


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
        low: the XP, or the least of it, by level; one number where no level changes it.
        width: how many whole numbers are equally likely from `low` on; 0 for a list.
        amounts, up_to: the list, and running chances.
        skill: the track that it practises, or "".
        skill_xp: a number, numbers by level, or a tree.
    """

    name: str
    level: int
    low: tuple[float, ...]
    width: int
    amounts: tuple[float, ...]
    up_to: tuple[float, ...]
    skill: str
    skill_xp: float | tuple[float, ...] | ast.expr


@dataclass(frozen=True)
class Pack:
    """All of it.

    Attributes:
        constants: those that some tree reads.
        traits: names that only the game knows, which some tree reads.
        rounding, to, least, xp_share: how an award becomes whole, what a success awards at least, what a failure pays.
        splits, holds: whether a party divides XP drawn, and holds its members below the leader.
    """

    title: str
    main: str
    tracks: tuple[TrackPack, ...]
    stats: tuple[StatPack, ...]
    upgrades: tuple[UpgradePack, ...]
    sources: tuple[SourcePack, ...]
    rules: tuple[RulePack, ...]
    constants: dict[str, float]
    traits: tuple[str, ...]
    rounding: str
    to: float
    least: float
    xp_share: float
    splits: bool
    holds: bool

    @property
    def trees(self) -> Iterator[ast.expr]:
        """Every formula that is translated."""
        yield from (rule.tree for rule in self.rules if rule.tree is not None)
        yield from (stat.tree for stat in self.stats if stat.tree is not None)
        yield from (source.skill_xp for source in self.sources if isinstance(source.skill_xp, ast.expr))


def pack_of(design: Design) -> Pack:
    """Return what a game needs of a design.

    Raises:
        DesignError: the costs are at fault, or a formula can neither be translated exactly nor be made a table.
    """
    tables = tabulated(design)
    upgrades = {name: _upgrade(design, name, upgrade) for name, upgrade in design.upgrades.items()}
    stats = tuple(_stat(design, name, stat, upgrades) for name, stat in design.stats.items())
    rules = rules_of(design)
    sources = tuple(_source(design, name) for name in design.sources)
    party, failure = design.party, design.encounters.failure
    trees = [*(rule.tree for rule in rules), *(s.skill_xp for s in sources if isinstance(s.skill_xp, ast.expr))]
    read = {name for tree in trees if tree is not None for name in parse(ast.unparse(tree)).names}
    read |= {name for stat in stats if stat.tree is not None for name in parse(ast.unparse(stat.tree)).names}
    traits = {trait for player in design.players.values() for trait in player.traits}
    return Pack(
        title=design.title,
        main=design.main_track_name,
        tracks=tuple(_track(tables.track(name)) for name in design.track_order),
        stats=stats,
        upgrades=tuple(upgrades.values()),
        sources=sources,
        rules=rules,
        constants={name: float(value) for name, value in design.constants.items() if name in read},
        traits=tuple(sorted(traits & read)),
        rounding=design.awards.rounding,
        to=float(design.awards.rounding_to or 1),
        least=float(design.awards.least_award),
        xp_share=float(failure.xp_share),
        splits=bool(party and party.share == "split"),
        holds=bool(party and party.hold_below_leader),
    )


def _track(tables: TrackTables) -> TrackPack:
    track, rule = tables.track, tables.overflow
    return TrackPack(
        name=tables.name,
        rules=fingerprint(tables),
        scale=rule.scale,
        start_level=track.start_level,
        max_level=track.max_level,
        start_units=tables.start_units,
        start_points=float(track.start_points),
        costs=tuple(rule.costs),
        granted=tuple(tables.granted.tolist()),
        carry=rule.carry,
        carry_limit=-1 if rule.carry_limit == NO_LIMIT else rule.carry_limit,
        exceeded=rule.more > 0,
        one=track.overflow.level_ups_per_award == "one",
        whole=rule.whole,
        may_drop=rule.may_drop,
        at_cap=track.overflow.at_cap,
    )


def _upgrade(design: Design, name: str, upgrade: Upgrade) -> UpgradePack:
    granted = tabulated(design).main.granted
    bought = int((design.track().start_points + float(granted[-1])) / upgrade.price)
    # Where there is no last rank, a game may grant more points than level-ups do.
    last = min(upgrade.max_rank or max(2 * bought, LEAST_RANKS), MOST_RANKS)
    ranks = np.arange(last + 1, dtype=np.float64)
    adds = upgrade.add is not None
    effects = ranks * (upgrade.add or 0) if adds else power(np.float64(upgrade.factor or 1), ranks)
    return UpgradePack(name, upgrade.stat, adds, tuple(effects.tolist()), float(upgrade.price))


def _stat(design: Design, name: str, stat: Stat, upgrades: dict[str, UpgradePack]) -> StatPack:
    curve = tabulated(design).stats()[name]
    own = tuple(upgrade for upgrade in upgrades.values() if upgrade.stat == name)
    tree, fixed = _tree_of_stat(design, name, stat, upgrades)
    changes = bool(own or tree is not None)
    values: Array = curve.grown if changes else curve.values
    return StatPack(
        name=name,
        track=stat_track(design, stat),
        by_level=() if tree is not None else tuple(np.asarray(values, dtype=np.float64).tolist()),
        tree=tree,
        fixed=fixed,
        low=stat.at_least if changes else None,
        high=stat.at_most if changes else None,
        rounding=stat.rounding if changes else "none",
        to=float(stat.rounding_to or 1),
        upgrades=own,
    )


def _tree_of_stat(
    design: Design, name: str, stat: Stat, upgrades: dict[str, UpgradePack]
) -> tuple[ast.expr | None, dict[str, float]]:
    """Return a stat's formula where it reads stats that upgrades change, through others too, and its own numbers."""
    if not stat.formula or not _reads(design, name, {upgrade.stat for upgrade in upgrades.values()}):
        return None, {}
    formula = parse(stat.formula)
    if not is_exact(formula.tree):
        found = f"{formula.text!r} reads a stat that upgrades change, and is not the same in every language"
        allowed = "+ - * / // %, comparisons, floor, ceil, round, min, max, clip, abs, sqrt"
        raise DesignError([Problem(f"stats.{name}.formula", found, allowed, code="no-translation")])
    start = design.track(stat_track(design, stat)).start_level
    fixed = {"start_level": float(start), **({} if stat.base is None else {"base": float(stat.base)})}
    return formula.tree, {key: value for key, value in fixed.items() if key in formula.names}


def _reads(design: Design, name: str, upgraded: set[str]) -> bool:
    text = design.stats[name].formula
    used = [other for other in (parse(text).names if text else ()) if other in design.stats]
    return any(other in upgraded or _reads(design, other, upgraded) for other in used)


def _source(design: Design, name: str) -> SourcePack:
    source, tables = design.sources[name], tabulated(design)
    law = tables.laws[list(design.sources).index(name)]
    low = np.where(np.isfinite(law.low), law.low, 0.0).tolist()
    return SourcePack(
        name=name,
        level=source.level,
        low=tuple(low) if isinstance(source.xp, str) else (low[0],),
        width=law.width,
        amounts=tuple(law.amounts.tolist()),
        up_to=tuple(law.up_to.tolist()),
        skill=source.skill or "",
        skill_xp=_skill_xp(design, name),
    )


def _skill_xp(design: Design, name: str) -> float | tuple[float, ...] | ast.expr:
    """Return a source's XP for its skill: a number, a tree, or by level where the tree is no exact one."""
    value = design.sources[name].skill_xp
    if not isinstance(value, str):
        return float(value or 0)
    formula = parse(value)
    if is_exact(formula.tree):
        return formula.tree
    if "skill_level" in formula.names:
        found = f"{value!r} reads skill_level, and is not the same in every language"
        raise DesignError(
            [Problem(f"sources.{name}.skill_xp", found, "a formula without powers", code="no-translation")]
        )
    main, source = tabulated(design).main, design.sources[name]
    levels = main.curve.levels
    names = {**design.constants, "level": levels, "source_level": float(source.level)}
    xp = evaluate_at(f"sources.{name}.skill_xp", value, names, open_levels(source).hold(levels))
    return tuple(np.where(np.isfinite(xp), np.broadcast_to(xp, levels.shape), 0.0).tolist())
