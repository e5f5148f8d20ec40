"""A run of awards: what each one does, and the same awards under other rules."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import TYPE_CHECKING, Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from ramulus.errors import AwardError, RamulusError
from ramulus.rules.ability import class_at
from ramulus.rules.ledger import Ledger
from ramulus.rules.outcomes import OUTCOME_COLUMNS
from ramulus.rules.overflow import Overflow, book_award
from ramulus.rules.rounding import Rounder
from ramulus.rules.tabulation import tabulated
from ramulus.rules.xp_laws import drawn_xp, xp_tables
from ramulus.rules.xp_units import FINEST, MOST_SUM, as_units, fitting, in_xp, plain_number, to_units, whole_where_whole
from ramulus.tables.chains import AwardChain, AwardChains
from ramulus.tables.gain import rules_on

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.formula.functions import Array

COMPILED_FROM = 20_000  # From so many awards on, loading the compiled rule is sooner done than calling it as Python.
_EXACT = 2.0**53


def trace(
    design: Design,
    awards: Sequence[float] | Array,
    track: str | None = None,
    *,
    level: int | None = None,
    xp: float | None = None,
) -> pd.DataFrame:
    """Return what each of many awards does, one after the other.

    Args:
        design: the design.
        awards: XP, already multiplied and rounded.
        track: the track (default: the main one).
        level: the level to start at (default: the track's).
        xp: XP inside that level.

    Returns:
        A row an award: `step`, `amount`, `level_before`, `level`, `levels_gained`, `kept`, `wasted`, `xp`, `cost`,
        `progress`, `points`, `earned` and `label`. Columns whose numbers are all whole are whole.

    Raises:
        AwardError: an award is no finite number ≥ 0; the message says which.

    Examples:
        >>> import ramulus as rm
        >>> rm.trace(rm.demo_design(), [40, 40, 90])[["step", "level", "xp", "label"]]
           step  level  xp                label
        0     1      1  40    Level 1 · 40 / 60
        1     2      2  20    Level 2 · 20 / 84
        2     3      3  26   Level 3 · 26 / 130
    """
    ledger = Ledger(design, track, level=level, xp=xp)
    amounts, units = _in_units(awards, ledger.tables.scale)
    return _table(ledger, amounts, units, _booked(ledger, units))


def trace_changes(
    design: Design, changes: Sequence[float], track: str | None = None, *, level: int | None = None,
    xp: float | None = None,
) -> pd.DataFrame:  # fmt: skip
    """Return what awards and losses do, one after the other.

    Args:
        design: the design.
        changes: XP awarded, or below 0 lost.
        track, level, xp: as in `trace`.

    Returns:
        The table of `trace`; of a loss `amount` is what was taken, below 0 (the rest is forgiven), and `levels_gained`
        is below 0 where it took levels.

    Raises:
        AwardError: a change is not finite; the message says which.
    """
    ledger, rows = Ledger(design, track, level=level, xp=xp), []
    for step, change in enumerate(changes, 1):
        before = ledger.level
        try:
            if not change < 0:
                rows.append({"step": step, **ledger.award(change).as_dict()})
                continue
            lost = ledger.lose(-change)
        except AwardError as error:
            raise AwardError(f"award {step}: {error}") from None
        after = {
            name: getattr(ledger, name) for name in ("level", "xp", "cost", "progress", "points", "earned", "label")
        }
        done = {
            "amount": -lost.taken,
            "level_before": before,
            "levels_gained": -lost.levels_lost,
            "kept": 0,
            "wasted": 0,
        }
        rows.append({"step": step, **done, **after})
    return pd.DataFrame(rows)[["step", *OUTCOME_COLUMNS]]


def trace_skill(
    design: Design, source: str, times: int, *, player: str | None = None, level: int | None = None,
    xp: float | None = None, during: Iterable[str] = (), ability: float = 0.5, main_level: int | None = None,
) -> tuple[pd.DataFrame, list[str]]:  # fmt: skip
    """Return what successes at one source do for the skill that it practises.

    Args:
        design: the design.
        source: the source's name.
        times: how many successes.
        player: the player profile (default: the first).
        level: the skill's level to start at (default: its track's).
        xp: the XP within it to start with.
        during: names of timed multipliers that are on.
        ability: where the player stands among its like, 0 … 1, where traits vary.
        main_level: the main track's level (default: the first at which the source is open).

    Returns:
        The table of `trace`, with `source`, and how each award came about, in words.

    Raises:
        UnknownNameError: there is no such source, player or timed multiplier.
        RamulusError: the source practises no skill, or is closed at the main level.
    """
    skill = design.source(source).skill
    if skill is None:
        raise RamulusError(f"source {source!r} practises no skill; allowed: one with skill and skill_xp")
    tabulation = tabulated(design)
    profile, columns, on = tabulation.profile(player, class_at(ability)), tabulation.columns, rules_on(design, during)
    index = columns.sources.index(source)
    is_open = columns.open[:, columns.first_column[index]]
    row = int(is_open.argmax()) if main_level is None else main_level - design.track().start_level
    if not (0 <= row < len(is_open) and is_open[row]):
        raise RamulusError(f"source {source!r} is closed at level {main_level}")
    ledger = Ledger(design, skill, level=level, xp=xp)
    start, amounts, said = (ledger.level, ledger.xp), [], []
    awards, base = profile.alone.skill_award(on), profile.encounters.skill_xp
    for _ in range(min(times, design.sources[source].limit or times)):
        column = int(columns.at_skill(ledger.level)[index])
        amounts.append(plain_number(float(awards[row, column])))
        product = float(profile.alone.skill_product(on)[row, column])
        rules = "" if product == 1 else f" × multipliers {product:.6g} {Rounder.of(design.awards).briefly}"
        said.append(f"base {plain_number(float(base[row, column])):,}{rules} = {amounts[-1]:,}")
        ledger.award(amounts[-1])
    table = trace(design, amounts, skill, level=start[0], xp=start[1])
    table.insert(1, "source", source)
    return table, said


def _in_units(awards: Sequence[float] | Array, scale: int) -> tuple[NDArray[Any], NDArray[Any]]:
    """Return the awards, and the same in units: as int64 where all fit, else as Python's own whole numbers."""
    if isinstance(awards, np.ndarray) and awards.dtype.kind in "iuf":
        amounts = awards
        good = np.isfinite(amounts) & (amounts >= 0)
        if good.all() and float(amounts.max(initial=0)) * scale < _EXACT:
            units = to_units(amounts, scale)
            if scale == 10**FINEST or (units / scale == amounts).all():
                return amounts, units
    counted = []
    listed = [a.item() if isinstance(a, np.generic) else a for a in awards]
    for step, amount in enumerate(listed, 1):
        try:
            counted.append(as_units(amount, scale, "an award"))
        except AwardError as error:
            raise AwardError(f"award {step}: {error}") from None
    return np.array(listed, dtype=object), fitting(counted)


def _booked(ledger: Ledger, units: NDArray[Any]) -> NDArray[Any]:
    """Return level (from 0), XP and wasted units after each award, shape (3, n)."""
    rule, account = ledger.tables.overflow, ledger.account
    # The compiled rule counts in 63 bits; where an award or a sum would not fit, whole numbers of any size do.
    fits = units.dtype != object and float(units.sum(dtype=np.float64)) + account.xp + sum(rule.costs) < MOST_SUM / 2
    if fits and len(units) >= COMPILED_FROM:
        from ramulus.simulation.booking import book_many

        return book_many(rule, account.level, account.xp, units)
    booked = list(_one_by_one(rule, account.level, account.xp, units.tolist()))
    return np.array(booked, dtype=np.int64 if fits else object).reshape(-1, 3).T


def _one_by_one(rule: Overflow, level: int, xp: int, units: list[int]) -> Iterable[tuple[int, int, int]]:
    for amount in units:
        level, xp, wasted = book_award(rule, level, xp, amount)
        yield level, xp, wasted


def _table(ledger: Ledger, amounts: NDArray[Any], units: NDArray[Any], booked: NDArray[Any]) -> pd.DataFrame:
    index, held, wasted = booked
    start, scale, bar = ledger.account, ledger.tables.scale, ledger.bar
    level = index.astype(np.int64)
    before = np.concatenate([[start.level], level[:-1]]).astype(np.int64)
    earned = np.cumsum(units.astype(held.dtype))
    granted = ledger.tables.granted
    points = start.points + granted[np.maximum.accumulate(np.maximum(level, start.level))] - granted[start.level]
    state = _by_state(level, held, [bar.label, bar.progress, lambda at, _: bar.cost(at)], ledger.start_level)
    columns = {
        "step": np.arange(1, len(units) + 1),
        "amount": whole_where_whole(amounts),
        "level_before": before + ledger.start_level,
        "level": level + ledger.start_level,
        "levels_gained": level - before,
        "kept": in_xp(np.where(level > before, held, 0), scale),
        "wasted": in_xp(wasted, scale),
        "xp": in_xp(held, scale),
        "cost": whole_where_whole(state[2]),
        "progress": state[1].astype(np.float64),
        "points": whole_where_whole(points),
        "earned": in_xp(earned, scale),
        "label": state[0],
    }
    return pd.DataFrame(columns)[["step", *OUTCOME_COLUMNS]]


def _by_state(
    level: NDArray[np.int64], held: NDArray[Any], read: list[Callable[[int, int], Any]], start: int
) -> list[NDArray[Any]]:
    """Return what the bar says of each state; a state that recurs is read once."""
    step = int(held.max(initial=0)) + 1
    fits = (int(level.max(initial=0)) + 1) * step < MOST_SUM
    place, states = pd.factorize(level.astype(np.int64 if fits else object) * step + held)
    found = []
    for one in read:
        values = np.empty(len(states), dtype=object)
        values[:] = [one(state // step + start, state % step) for state in states.tolist()]
        found.append(values[place])
    return found


def trace_source(
    design: Design,
    source: str,
    times: int,
    *,
    player: str | None = None,
    level: int | None = None,
    xp: float | None = None,
    seed: int = 0,
    during: Iterable[str] = (),
    ability: float = 0.5,
) -> tuple[pd.DataFrame, list[AwardChain]]:
    """Return what successes at one source do, each award multiplied as at the level it is made at.

    Args:
        design: the design.
        source: the source's name.
        times: how many successes.
        player: the player profile (default: the first).
        level: the level to start at (default: the track's).
        xp: the XP within it to start with.
        seed: the seed of XP that is drawn by chance.
        during: names of timed multipliers that are on.
        ability: where the player stands among its like, 0 … 1, where traits vary.

    Returns:
        The table of `trace`, with `source`, and the chain of each award. It ends early where the source closes, or
        has no uses left.

    Raises:
        UnknownNameError: there is no such source, player or timed multiplier.
        RamulusError: the source is closed at the level to start at.
    """
    design.source(source)
    chains = AwardChains(design, player, during, ability)
    ledger = Ledger(design, level=level, xp=xp)
    draws = np.random.default_rng(seed)
    if not chains.is_open(source, ledger.level):
        raise RamulusError(f"source {source!r} is closed at level {ledger.level}")
    made: list[AwardChain] = []
    start = (ledger.level, ledger.xp)
    most = min(times, design.sources[source].limit or times)
    while len(made) < most and chains.is_open(source, ledger.level):
        base = _drawn(design, source, ledger.level, float(draws.random()))
        made.append(chains.chain(source, ledger.level, base))
        ledger.award(made[-1].award)
    table = trace(design, [chain.award for chain in made], level=start[0], xp=start[1])
    table.insert(1, "source", source)
    return table, made


def _drawn(design: Design, source: str, level: int, draw: float) -> float:
    index = list(design.sources).index(source)
    row = level - design.track().start_level
    xp = xp_tables(tabulated(design).laws)
    first, last = int(xp.first[index]), int(xp.first[index + 1])
    return float(drawn_xp(xp.low[row, index], int(xp.width[index]), first, last, xp.amounts, xp.up_to, draw))


def compare_rules(
    design: Design,
    awards: Sequence[float],
    variants: Mapping[str, Mapping[str, Any]],
    track: str | None = None,
    *,
    level: int | None = None,
    xp: float | None = None,
) -> pd.DataFrame:
    """Return the same awards under other overflow rules, side by side.

    Args:
        design: the design.
        awards: XP.
        variants: overflow values by a name for each variant, such as ``{"carry=0": {"carry": 0}}``;
            ``may_drop_levels`` counts as one too.
        track: as in `trace`.
        level: as in `trace`.
        xp: as in `trace`.

    Returns:
        A row an award: `step`, `amount`, then for the design as it is ("now") and each variant its level, XP and
        wasted XP, such as ``level (carry=0)``.

    Raises:
        DesignError: a variant's value is not allowed.
        UnknownNameError: a variant names no overflow rule.
        RamulusError: a variant is called "now".
    """
    if "now" in variants:
        raise RamulusError("a variant is called 'now', which is what the design is called as it is; give another name")
    name = track or design.main_track_name
    tables = {"now": trace(design, awards, name, level=level, xp=xp)}
    for title, rules in variants.items():
        places = {_rule_place(name, key): value for key, value in rules.items()}
        tables[title] = trace(design.with_values(places), awards, name, level=level, xp=xp)
    columns: dict[str, Any] = {"step": tables["now"]["step"], "amount": tables["now"]["amount"]}
    for title, table in tables.items():
        for key in ("level", "xp", "wasted"):
            columns[f"{key} ({title})"] = table[key]
    return pd.DataFrame(columns)


def _rule_place(track: str, key: str) -> str:
    return f"tracks.{track}.{key}" if key == "may_drop_levels" else f"tracks.{track}.overflow.{key}"


def totals_in_words(table: pd.DataFrame) -> str:
    """Return the foot of a trace: levels gained, XP awarded, XP wasted and its share."""
    amounts = table["amount"].astype(float)
    awarded, wasted, lost = (
        float(amounts.clip(lower=0).sum()),
        float(table["wasted"].sum()),
        -float(amounts.clip(upper=0).sum()),
    )
    share = wasted / awarded if awarded else 0.0
    levels = int(table["levels_gained"].sum())
    gained = f"{levels} level{'' if levels == 1 else 's'} gained"
    amount = f"{awarded:,.10g}" if not math.isclose(awarded, round(awarded)) else f"{awarded:,.0f}"
    losses = f", {lost:,.10g} XP lost" if (amounts < 0).any() else ""
    count = int((amounts >= 0).sum())
    return f"{count:,} awards of {amount} XP in all: {gained}, {wasted:,.10g} XP wasted ({share:.1%}){losses}."
