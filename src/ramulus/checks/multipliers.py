"""Checks of multipliers: bands, rules that never apply, factors that vanish, explode or turn sources round."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from ramulus.checks.finding import Finding
from ramulus.design.multiplier import SUCCESSES, SUCCESSES_TODAY
from ramulus.design.names import sources_scaled
from ramulus.formula.functions import Array
from ramulus.rules.multipliers import reads_leader
from ramulus.rules.profile_tables import ProfileTables
from ramulus.rules.schedule import schedules_of
from ramulus.rules.tabulation import Tabulation, tabulated
from ramulus.rules.windows import meets

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.multiplier import Multiplier
    from ramulus.design.source import Source

FACTOR_CEILING = 10.0


@dataclass(frozen=True, eq=False)
class _Factors:
    """The factors of all rules for all profiles, not a number where a rule does not apply: R rules, P profiles.

    Attributes:
        tabulation: the design's.
        own, skill: on main-track awards, shape (R, P, L, C), and on skill awards, over the columns of practice.
    """

    tabulation: Tabulation
    own: Array
    skill: Array


def _factors_of(design: Design) -> _Factors:
    tabulation = tabulated(design)
    profiles = [tabulation.profile(name).alone for name in design.profiles]
    is_open, practised = tabulation.columns.open, tabulation.practice.open
    return _Factors(
        tabulation,
        np.where(is_open, np.stack([profile.factors for profile in profiles], axis=1), np.nan),
        np.where(practised, np.stack([profile.skill_factors for profile in profiles], axis=1), np.nan),
    )


def check_multipliers(design: Design, ceiling: float = FACTOR_CEILING) -> Iterator[Finding]:
    """Yield what is suspicious about the multipliers."""
    yield from _bands(design)
    yield from _bands_out_of_reach(design)
    if not (design.sources and design.multipliers):
        return
    factors = _factors_of(design)
    yield from _never_applies(factors)
    yield from _high_and_low(factors, ceiling)
    yield from _stacks(factors, ceiling)
    yield from _turned_round(factors.tabulation)


def _bands(design: Design) -> Iterator[Finding]:
    for index, rule in enumerate(design.multipliers):
        ends = [end for end, _ in rule.bands or []]
        factors = [factor for _, factor in rule.bands or []]
        place = f"multipliers[{index}].bands"
        for i in range(1, len(ends)):
            if ends[i] <= ends[i - 1]:
                yield Finding(
                    "bands-out-of-order", "warning", place,
                    f"{rule.name!r}: the band up to {ends[i]:g} stands after the one up to {ends[i - 1]:g} "
                    "and never applies",
                    "list the bands by rising ends",
                )  # fmt: skip
        steps = np.sign(np.diff([*factors, 1.0]))
        if len(set(steps[steps != 0].tolist())) > 1:
            listed = ", ".join(f"{factor:g} up to {end:g}" for end, factor in rule.bands or [])
            yield Finding(
                "bands-gap", "note", place,
                f"{rule.name!r} goes up and down: {listed}, then 1",
                "fine where it is meant; else a band is missing between, or the last one should end nearer to 1",
            )  # fmt: skip


def _bands_out_of_reach(design: Design) -> Iterator[Finding]:
    """Bands of successes that lie beyond what limits allow."""
    for index, rule in enumerate(design.multipliers):
        if rule.counts not in (SUCCESSES, SUCCESSES_TODAY):
            continue
        met = [source for name, source in sources_scaled(design, rule)]
        most = max((_most_successes(source, rule.counts) for source in met), default=math.inf)
        beyond = [up_to for up_to, _ in [(-1, 0), *(rule.bands or [])][:-1] if up_to >= most]
        if beyond:
            yield Finding(
                "band-out-of-reach", "note", f"multipliers[{index}].bands",
                f"{rule.name!r}: bands past {beyond[0]:g} successes are never reached, as limits allow {most:g}",
                "leave them out, or raise the limits",
            )  # fmt: skip


def _most_successes(source: Source, counts: str) -> float:
    """Return how many successes limits allow before the last one, ever or in a day."""
    day = source.limit_per_day if counts == SUCCESSES_TODAY else None
    return min([limit - 1 for limit in (source.limit, day) if limit is not None], default=math.inf)


def _never_applies(factors: _Factors) -> Iterator[Finding]:
    design = factors.tabulation.design
    scheduled = any(player.has_schedule for player in design.profiles.values())
    for index, rule in enumerate(design.multipliers):
        place = f"multipliers[{index}]"
        reach = (factors.own[index], factors.skill[index])
        if all(np.isnan(factor).all() for factor in reach):
            yield Finding(
                "rule-never-applies", "warning", place, f"{rule.name!r} reaches no award at any level",
                "check its tracks, sources, tags, players and levels",
            )  # fmt: skip
        elif rule.timed and not scheduled:
            yield Finding(
                "rule-needs-schedule", "warning", place,
                f"{rule.name!r} is timed, and no profile says hours_per_day: it is never on",
                "give the player profiles hours_per_day and days_per_week",
            )  # fmt: skip
        elif rule.timed and (missed := _who_misses(design, rule)):
            yield Finding(
                "rule-misses-days", "warning", place,
                f"{rule.name!r} falls on no play day of: {', '.join(missed)}",
                "other days, or other days_per_week of those profiles",
            )  # fmt: skip
        elif not reads_leader(rule) and rule.counts is None and all(_is_one(factor) for factor in reach):
            yield Finding(
                "rule-without-effect", "note", place, f"{rule.name!r} is 1 at every level and source",
                "see it at every level (ramulus gain FILE)",
            )  # fmt: skip


def _who_misses(design: Design, rule: Multiplier) -> list[str]:
    """Return the profiles with a schedule that a rule applies to and whose days it never meets."""
    who = {
        name: player
        for name, player in design.profiles.items()
        if player.has_schedule and (rule.players is None or name in rule.players)
    }
    schedules = {name: schedules_of(design, player) for name, player in who.items()}
    return [name for name, some in schedules.items() if not any(meets(rule, schedule) for schedule in some)]


def _is_one(factor: Array) -> bool:
    known = factor[~np.isnan(factor)]
    return bool((known == 1).all())


def _high_and_low(factors: _Factors, ceiling: float) -> Iterator[Finding]:
    columns = factors.tabulation.columns
    for index, rule in enumerate(factors.tabulation.design.multipliers):
        factor = factors.own[index]
        for code, where, words in (
            ("factor-reaches-zero", factor == 0, "nothing is awarded there at all"),
            ("factor-explodes", factor > ceiling, f"above the ceiling of {ceiling:g}"),
        ):
            if where.any():
                p, level, column = (int(axis[0]) for axis in np.nonzero(where))
                yield Finding(
                    code, "warning", f"multipliers[{index}]",
                    f"{rule.name!r} is {factor[p, level, column]:.4g} at level {columns.levels[level]:g} with source "
                    f"{columns.source_at(column)!r}: {words}",
                    "put it into clip(…, low, high)", int(columns.levels[level]),
                )  # fmt: skip


def _stacks(factors: _Factors, ceiling: float) -> Iterator[Finding]:
    """The highest product of rules that some profile's days ever turn on together."""
    tabulation = factors.tabulation
    highest, where, rules_on, p = ceiling, (0, 0), frozenset[int](), 0
    for index, name in enumerate(tabulation.design.profiles):
        profile = tabulation.profile(name)
        for on in _states(profile):
            product = np.where(tabulation.columns.open, profile.alone.product(on), 0.0)
            if len(on) > 1 and product.max() > highest:
                level, column = (int(i) for i in np.unravel_index(int(product.argmax()), product.shape))
                highest, where, rules_on, p = float(product.max()), (level, column), on, index
    if highest > ceiling:
        rules = tabulation.design.multipliers
        factor_of = {rules[i].name: factors.own[i][p][where] for i in sorted(rules_on)}
        listed = ", ".join(f"{name} {factor:.4g}" for name, factor in factor_of.items() if factor > 1)
        there = int(tabulation.columns.levels[where[0]])
        yield Finding(
            "stack-too-high", "warning", "multipliers",
            f"{tabulation.profile(list(tabulation.design.profiles)[p]).name}: rules that come together stack to "
            f"{highest:.4g} at level {there} ({listed}), above the ceiling of {ceiling:g}",
            'stack = "best" or "add" for some of them', there,
        )  # fmt: skip


def _states(profile: ProfileTables) -> tuple[frozenset[int], ...]:
    """Return the sets of rules that a profile's days ever turn on together."""
    rules = profile.tables.design.multipliers
    last = max([day for rule in rules for day in (rule.from_day, rule.to_day) if day is not None], default=0)
    last += 2 * max([rule.every or 0 for rule in rules], default=0)
    # Two weeks past the last date, every window that recurs has recurred.
    return profile.timeline((last + 14) * float(profile.player.hours_per_day or 0) + 1).states


def _turned_round(tabulation: Tabulation) -> Iterator[Finding]:
    """A stronger source that a multiplier makes pay less than a weaker one, at one level, for the first profile."""
    grid = tabulation.columns
    columns = grid.first_column
    pay = tabulation.profile().mean_pay(tabulation.always_on)
    base, award = pay.base[:, columns], pay.award[:, columns]
    strength = np.broadcast_to(grid.source_level[:, columns], base.shape)
    found: dict[tuple[int, int], int] = {}
    for i in range(len(columns)):
        stronger = np.nonzero((strength > strength[:, [i]]).any(axis=0))[0]
        for j in stronger.tolist():
            both = grid.open[:, columns[i]] & grid.open[:, columns[j]] & (strength[:, j] > strength[:, i])
            turned = both & (base[:, j] >= base[:, i]) & (award[:, j] < award[:, i] * 0.98)
            if turned.any():
                found[i, int(j)] = int(np.nonzero(turned)[0][0])
    for (weak, strong), level in list(found.items())[:5]:
        yield Finding(
            "stronger-pays-less", "warning", "multipliers",
            f"at level {grid.levels[level]:g}, {grid.sources[strong]!r} (level {strength[level, strong]:g}) awards "
            f"{award[level, strong]:.4g} XP and the weaker {grid.sources[weak]!r} (level {strength[level, weak]:g}) "
            f"{award[level, weak]:.4g}, though "
            f"their XP before multipliers is {base[level, strong]:.4g} and {base[level, weak]:.4g}",
            "let the factor fall with the player's lead only, not with the source's", int(grid.levels[level]),
        )  # fmt: skip
