"""A pack made of a design: its tables read off, its formulas as trees where every language gives the same double."""

from __future__ import annotations

import ast
from collections.abc import Iterator, Set
from typing import TYPE_CHECKING

import numpy as np

from ramulus.design.names import stat_track
from ramulus.errors import DesignError, Problem
from ramulus.formula import parse
from ramulus.formula.functions import Array, power
from ramulus.game.expressions import names_in
from ramulus.game.factors import is_exact, met_levels, rules_of
from ramulus.game.pack import (
    AwayPack,
    GatePack,
    Pack,
    PracticePack,
    SourcePack,
    StatPack,
    TrackPack,
    UpgradePack,
    trees_of,
)
from ramulus.rules.away import away_tables
from ramulus.rules.evaluating import evaluate_at
from ramulus.rules.ledger_state import fingerprint
from ramulus.rules.limits import open_levels
from ramulus.rules.overflow import NO_LIMIT
from ramulus.rules.tabulation import tabulated

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.stat import Stat, Upgrade
    from ramulus.rules.track_tables import TrackTables

LEAST_RANKS, MOST_RANKS = 20, 1_000
ASKED = ("encounter", "success", "player", "on")


def pack_of(design: Design) -> Pack:
    """Return what a game needs of a design; made once a design.

    Raises:
        DesignError: the costs are at fault, or a formula can neither be translated exactly nor be made a table.
    """
    return design.derived(_pack_of)


def _pack_of(design: Design) -> Pack:
    tables = tabulated(design)
    upgrades = {name: _upgrade(design, name, upgrade) for name, upgrade in design.upgrades.items()}
    stats = tuple(_stat(design, name, stat, upgrades) for name, stat in design.stats.items())
    by_level = {one.name for one in stats if one.track == design.main_track_name and not (one.upgrades or one.tree)}
    rules = rules_of(design, by_level)
    practice = tuple(_practice(design))
    party, failure = design.party, design.encounters.failure
    read = {name for tree in trees_of(rules, stats, practice) for name in names_in(tree)}
    read_by_rules = {name for tree in trees_of(rules, (), ()) for name in names_in(tree)}
    traits = {trait for player in design.players.values() for trait in player.traits}
    _refuse_asked(design, traits | (design.stats.keys() - by_level))
    return Pack(
        title=design.title,
        main=design.main_track_name,
        tracks=tuple(track_pack(tables.track(name)) for name in design.track_order),
        stats=stats,
        upgrades=tuple(upgrades.values()),
        sources=tuple(_source(design, name) for name in design.sources),
        practice=practice,
        away=_away(design),
        rules=rules,
        constants={name: float(value) for name, value in design.constants.items() if name in read},
        traits=tuple(sorted(traits & read)),
        told_stats=tuple(sorted(read_by_rules & design.stats.keys() - by_level)),
        rounding=design.awards.rounding,
        to=float(design.awards.rounding_to or 1),
        least=float(design.awards.least_award),
        xp_share=float(failure.xp_share),
        splits=bool(party and party.share == "split"),
        holds=bool(party and party.hold_below_leader),
    )


def _refuse_asked(design: Design, told: Set[str]) -> None:
    """Refuse names that a game has to tell and that a request of `conform` means something else by."""
    for index, rule in enumerate(design.multipliers):
        for key, text in (("factor", rule.factor), ("against", rule.against)):
            for name in parse(text).names if isinstance(text, str) else ():
                if name in told and name in ASKED:
                    found = f"{text!r} reads {name!r}, which a request calls something else"
                    allowed = f"a trait or stat of any name but {', '.join(ASKED)}"
                    raise DesignError([Problem(f"multipliers[{index}].{key}", found, allowed, code="name-clash")])


def track_pack(tables: TrackTables) -> TrackPack:
    """Return what a game needs of one track."""
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
        gates=tuple(GatePack(track.start_level + gate, fills) for gate, fills in tables.gates.items()),
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
    place = list(design.sources).index(name)
    law = tables.laws[place]
    low = np.where(np.isfinite(law.low), law.low, 0.0).tolist()
    return SourcePack(
        name=name,
        levels=tuple(met_levels(design, name).astype(np.int64).tolist())
        if isinstance(source.level, str)
        else (source.level,),
        low=tuple(low) if isinstance(source.xp, str) else (low[0],),
        width=law.width,
        amounts=tuple(law.amounts.tolist()),
        up_to=tuple(law.up_to.tolist()),
    )


def _practice(design: Design) -> Iterator[PracticePack]:
    for name, source in design.sources.items():
        for skill, value in source.practised.items():
            xp = _skill_xp(design, name, skill, value) if isinstance(value, str) else float(value)
            yield PracticePack(name, skill, xp)


def _skill_xp(design: Design, name: str, skill: str, value: str) -> tuple[float, ...] | ast.expr:
    """Return a source's XP for a skill: a tree, or by level where the tree is no exact one."""
    place = design.sources[name].skill_xp_place(name, skill)
    formula = parse(value)
    if is_exact(formula.tree):
        return formula.tree
    if "skill_level" in formula.names:
        found = f"{value!r} reads skill_level, and is not the same in every language"
        raise DesignError([Problem(place, found, "a formula without powers", code="no-translation")])
    levels = tabulated(design).main.curve.levels
    names = {**design.constants, "level": levels, "source_level": met_levels(design, name)}
    xp = evaluate_at(place, value, names, open_levels(design.sources[name]).hold(levels))
    return tuple(np.where(np.isfinite(xp), np.broadcast_to(xp, levels.shape), 0.0).tolist())


def _away(design: Design) -> AwayPack | None:
    if design.away_bonus is None:
        return None
    per_day, at_most = away_tables(design)
    more, whole = float(design.away_bonus.factor) - 1.0, design.track().overflow.whole_xp
    return AwayPack(tuple(per_day.tolist()), tuple(at_most.tolist()), more, whole)
