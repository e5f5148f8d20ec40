"""A run of awards: what each one does, and the same awards under other rules."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from ramulus.design.multiplier import COUNTED, SUCCESSES, SUCCESSES_TODAY
from ramulus.errors import AwardError, RamulusError
from ramulus.rules.ability import class_at
from ramulus.rules.counted import standing_at
from ramulus.rules.ledger import Ledger
from ramulus.rules.multipliers import hold_at_any_hour
from ramulus.rules.outcomes import OUTCOME_COLUMNS
from ramulus.rules.rounding import Rounder
from ramulus.rules.tabulation import tabulated
from ramulus.rules.xp_laws import drawn_xp, xp_tables
from ramulus.rules.xp_units import plain_number
from ramulus.tables.awarded import booked, in_units, outcome_columns
from ramulus.tables.chains import AwardChain, AwardChains
from ramulus.tables.gain import rules_on

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.design import Design
    from ramulus.formula.functions import Array


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
    import pandas as pd

    return pd.DataFrame(trace_columns(design, awards, track, level, xp))


def trace_columns(
    design: Design, awards: Sequence[float] | Array, track: str | None, level: int | None, xp: float | None
) -> dict[str, NDArray[Any]]:
    """Return the columns of `trace` by name, for whoever only shows them."""
    ledger = Ledger(design, track, level=level, xp=xp)
    amounts, units = in_units(awards, ledger.tables.scale)
    return outcome_columns(ledger, amounts, units, booked(ledger, units))


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

    Examples:
        >>> import ramulus as rm
        >>> table = rm.trace_changes(rm.demo_design(), [40, -5, 90])
        >>> table[["step", "level", "xp", "label"]]
           step  level  xp              label
        0     1      1  40  Level 1 · 40 / 60
        1     2      1  35  Level 1 · 35 / 60
        2     3      2  65  Level 2 · 65 / 84
    """
    import pandas as pd

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
    skill: str | None = None,
) -> tuple[pd.DataFrame, list[str]]:  # fmt: skip
    """Return what successes at one source do for a skill that it practises.

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
        skill: the skill (default: the first that the source practises).

    Returns:
        The table of `trace`, with `source`, and how each award came about, in words.

    Raises:
        UnknownNameError: there is no such source, player or timed multiplier.
        RamulusError: the source practises no skill, or is closed at the main level.

    Examples:
        >>> import ramulus as rm
        >>> table, notes = rm.trace_skill(rm.demo_design(), "shoot_graft", times=3)
        >>> table[["step", "amount", "level", "xp"]]
           step  amount  level  xp
        0     1       1      1   1
        1     2       1      1   2
        2     3       1      1   3
    """
    practised = design.source(source).practised
    skill = skill or next(iter(practised), "")
    if skill not in practised:
        found = f"source {source!r} practises {', '.join(practised) or 'no skill'}"
        raise RamulusError(f"{found}{f', not {skill}' if skill else '; allowed: one with skill and skill_xp'}")
    tabulation = tabulated(design)
    profile, columns, on = tabulation.profile(player, class_at(ability)), tabulation.columns, rules_on(design, during)
    index = columns.sources.index(source)
    is_open = columns.open[:, columns.first_column[index]]
    row = int(is_open.argmax()) if main_level is None else main_level - design.track().start_level
    if not (0 <= row < len(is_open) and is_open[row]):
        raise RamulusError(f"source {source!r} is closed at level {main_level}")
    ledger = Ledger(design, skill, level=level, xp=xp)
    start, amounts, said = (ledger.level, ledger.xp), [], []
    base, practice = profile.encounters.skill_xp, tabulation.practice
    pairs = list(zip(practice.sources, practice.skill_track, strict=True))
    place, first_earned = pairs.index((source, skill)), ledger.earned
    for time in range(min(times, design.sources[source].limit or times)):
        now = standing_at(design, on | hold_at_any_hour(design), done_by(time, ledger.earned - first_earned))
        column = int(practice.at_skill(ledger.level)[place])
        amounts.append(plain_number(float(profile.alone.skill_award(now)[row, column])))
        product = float(profile.alone.skill_product(now)[row, column])
        rules = "" if product == 1 else f" × multipliers {product:.6g} {Rounder.of(design.awards).briefly}"
        said.append(f"base {plain_number(float(base[row, column])):,}{rules} = {amounts[-1]:,}")
        ledger.award(amounts[-1])
    table = trace(design, amounts, skill, level=start[0], xp=start[1])
    table.insert(1, "source", source)
    return table, said


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

    Examples:
        >>> import ramulus as rm
        >>> table, chain = rm.trace_source(rm.demo_design(), "bark_borer", times=3, level=8)
        >>> table[["step", "amount", "level", "xp"]]
           step  amount  level  xp
        0     1      31      8  31
        1     2      31      8  62
        2     3      31      8  93
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
        made.append(chains.chain(source, ledger.level, base, done=done_by(len(made), ledger.earned)))
        ledger.award(made[-1].award)
    table = trace(design, [chain.award for chain in made], level=start[0], xp=start[1])
    table.insert(1, "source", source)
    return table, made


def done_by(successes: int, xp: float) -> dict[str, float]:
    """Return what was done by so many successes on one day, by what `against` of a multiplier may name."""
    return {name: successes if name in (SUCCESSES, SUCCESSES_TODAY) else xp for name in COUNTED}


def _drawn(design: Design, source: str, level: int, draw: float) -> float:
    index = list(design.sources).index(source)
    row = level - design.track().start_level
    xp = xp_tables(tabulated(design).laws)
    first, last = int(xp.first[index]), int(xp.first[index + 1])
    return float(drawn_xp(xp.low[row, index], int(xp.width[index]), first, last, xp.amounts, xp.up_to, draw))
