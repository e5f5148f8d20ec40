"""A run of awards through the ledger: what each one does, and the same awards under other rules."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from typing import TYPE_CHECKING, Any

import numpy as np
import pandas as pd

from ramulus.analysis.gain import AwardChain, AwardChains
from ramulus.design.source import XpChoice, XpRange
from ramulus.errors import AwardError, RamulusError
from ramulus.rules.ledger import Ledger
from ramulus.rules.outcomes import OUTCOME_COLUMNS
from ramulus.rules.stats import points_granted
from ramulus.rules.xp_units import to_units

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.formula.functions import Array

SMALL = 20_000


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
        `progress`, `points`, `earned` and `label` (left out of more than 20,000 awards; everything else is the
        same, from the simulation's kernel).

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
    if len(awards) > SMALL:
        return _trace_many(design, ledger, np.asarray(awards))
    rows = []
    for step, amount in enumerate(awards, 1):
        try:
            outcome = ledger.award(amount if not isinstance(amount, np.generic) else amount.item())
        except AwardError as error:
            raise AwardError(f"award {step}: {error}") from None
        rows.append((step, *outcome.as_dict().values()))
    return pd.DataFrame(rows, columns=["step", *OUTCOME_COLUMNS])


def _trace_many(design: Design, ledger: Ledger, awards: Array) -> pd.DataFrame:
    """The same through the kernel: numbers in bulk, without the texts."""
    from ramulus.simulation.booking import book_many, track_rules

    amounts = _checked(awards)
    bar = ledger.bar
    units = to_units(amounts, bar.scale)
    out = np.zeros((len(units), 4), np.int64)
    start = (ledger.level - ledger.start_level, round(ledger.xp * bar.scale))
    book_many(track_rules(design, [ledger.track]), *start, units, out)
    index, xp_units, wasted, kept = out.T
    before = np.concatenate([[start[0]], index[:-1]])
    costs = np.append(np.array(bar.costs, dtype=np.float64), np.nan) / bar.scale
    peak = np.maximum.accumulate(np.maximum(index, start[0]))
    granted = points_granted(design, ledger.track)
    return pd.DataFrame({
        "step": np.arange(1, len(units) + 1),
        "amount": amounts,
        "level_before": before + ledger.start_level,
        "level": index + ledger.start_level,
        "levels_gained": index - before,
        "kept": kept / bar.scale,
        "wasted": wasted / bar.scale,
        "xp": xp_units / bar.scale,
        "cost": costs[index],
        "progress": _progress(bar.at_cap, index, xp_units, costs * bar.scale),
        "points": ledger.points + granted[peak] - granted[start[0]],
        "earned": np.cumsum(units) / bar.scale,
    })  # fmt: skip


def _checked(awards: Array) -> Array:
    try:
        amounts = np.asarray(awards, dtype=np.float64)
    except (TypeError, ValueError):
        raise AwardError("awards that are not all numbers; allowed: finite numbers of 0 or more") from None
    faulty = np.nonzero(~(np.isfinite(amounts) & (amounts >= 0)))[0]
    if len(faulty):
        i = int(faulty[0])
        raise AwardError(f"award {i + 1}: an award of {amounts[i]!r}; allowed: a finite number of 0 or more")
    return amounts


def _progress(at_cap: str, index: Any, xp_units: Any, costs: Array) -> Array:
    progress = np.minimum(xp_units / costs[index], 1.0)
    full = 1.0 if at_cap == "discard" else np.minimum(xp_units / costs[-2], 1.0)
    return np.where(index == len(costs) - 1, full, progress)


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
) -> tuple[pd.DataFrame, list[AwardChain]]:
    """Return what successes at one source do, each award multiplied as at the level it is made at.

    Args:
        design: the design.
        source: the source's name.
        times: how many successes.
        player: the player profile (default: the first).
        level, xp: where to start.
        seed: the seed of XP that is drawn by chance.
        during: names of timed multipliers that are on.

    Returns:
        The table of `trace`, with `source`, and the chain of each award. It ends early where the source closes.

    Raises:
        UnknownNameError: there is no such source, player or timed multiplier.
        RamulusError: the source is closed at the level to start at.
    """
    design.source(source)
    chains = AwardChains(design, player, during)
    ledger = Ledger(design, level=level, xp=xp)
    generator = np.random.default_rng(seed)
    rows, made = [], []
    for step in range(1, times + 1):
        if not chains.is_open(source, ledger.level):
            if step == 1:
                raise RamulusError(f"source {source!r} is closed at level {ledger.level}")
            break
        base = _draw(chains, source, ledger.level, generator)
        chain = chains.chain(source, ledger.level, base)
        outcome = ledger.award(chain.award)
        made.append(chain)
        rows.append((step, source, *outcome.as_dict().values()))
    return pd.DataFrame(rows, columns=["step", "source", *OUTCOME_COLUMNS]), made


def _draw(chains: AwardChains, source: str, level: int, generator: np.random.Generator) -> float:
    tables = chains.tables
    xp = tables.design.sources[source].xp
    if isinstance(xp, XpRange):
        return float(generator.integers(xp.low, xp.high, endpoint=True))
    if isinstance(xp, XpChoice):
        amounts, chances = np.array(xp.one_of, dtype=np.float64).T
        return float(generator.choice(amounts, p=chances / chances.sum()))
    index = list(tables.design.sources).index(source)
    return float(tables.encounter.xp.fixed[level - int(tables.grid.levels[0]), index])


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
        track, level, xp: as in `trace`.

    Returns:
        A row an award: `step`, `amount`, then for the design as it is ("now") and each variant its level, XP and
        wasted XP, such as ``level (carry=0)``.

    Raises:
        DesignError: a variant's value is not allowed.
        UnknownNameError: a variant names no overflow rule.
    """
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
    awarded, wasted = float(table["amount"].sum()), float(table["wasted"].sum())
    share = wasted / awarded if awarded else 0.0
    levels = int(table["levels_gained"].sum())
    gained = f"{levels} level{'' if levels == 1 else 's'} gained"
    amount = f"{awarded:,.10g}" if not math.isclose(awarded, round(awarded)) else f"{awarded:,.0f}"
    return f"{len(table):,} awards of {amount} XP in all: {gained}, {wasted:,.10g} XP wasted ({share:.1%})."
