"""Encounters to ask a game for, with what each awards by the design's own tables."""

from __future__ import annotations

import random
from collections.abc import Iterator
from dataclasses import replace
from decimal import Decimal
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np

from ramulus.game.mistaken import AWARD, Game, opened
from ramulus.game.mistakes import OF_ENCOUNTERS
from ramulus.game.pack import Pack
from ramulus.game.products import COUNTED, Product
from ramulus.game.requests import Request
from ramulus.rules.counted import standing_at
from ramulus.rules.multipliers import Company, hold_at_any_hour
from ramulus.rules.pay import paid_xp
from ramulus.rules.rounding import ROUNDING_CODES, Rounder, round_amount
from ramulus.rules.tabulation import tabulated
from ramulus.rules.xp_units import units_of

if TYPE_CHECKING:
    from ramulus.design import Design

COUNT = 60


class Encounter(NamedTuple):
    """An encounter to ask for.

    Attributes:
        request: what is asked.
        award: the units that are right.
        others: what other precisions make of it.
        mistaken: what a game with each mistake pays.
    """

    request: Request
    award: int
    others: frozenset[int]
    mistaken: dict[str, int]


def encounters_of(design: Design, pack: Pack, product: Product, first: int) -> list[Encounter]:
    """Return encounters of the main track at every kind of circumstance, the same ones each time."""
    if not design.sources:
        return []
    dice = random.Random(pack.title)
    return [_encounter(design, pack, product, dice, first + place) for place in range(COUNT)]


def _encounter(design: Design, pack: Pack, product: Product, dice: random.Random, number: int) -> Encounter:
    tables, track = tabulated(design), pack.tracks[0]
    level, steps = _start(pack, dice)
    index = level - track.start_level
    columns = tables.columns
    open_here = [place for place, column in enumerate(columns.first_column) if columns.open[index, column]]
    place = dice.choice(open_here or range(len(design.sources)))
    name, profile, won = list(design.sources)[place], dice.choice(list(design.profiles)), dice.random() < 0.8
    column = int(columns.first_column[place]) + dice.randrange(int(columns.width[place]))
    leader, size = dice.randint(max(track.start_level, 1), track.max_level), dice.randint(1, 4)
    on = [rule.name for rule in product.timed if dice.random() < 0.5]
    done = {word: _done(design, word, dice) for word in product.given if word in COUNTED}
    law = tables.laws[place]
    drawn = float(dice.choice(law.amounts) if not law.width else law.low[index] + dice.randrange(law.width))
    drawn = drawn if np.isfinite(drawn) else 10.0
    at = {
        "skill_level": int(columns.skill_level[column]), "leader_level": leader, "party_size": size,
        "player": profile, "on": on, **done,
        **{name: _told(design, profile, name, index, column) for name in product.traits},
    }  # fmt: skip
    asks = {
        *product.given,
        *product.traits,
        *(["on"] if product.timed else []),
        *(["player"] if product.by_player else []),
    }
    told = {key: value for key, value in at.items() if key in asks}
    xp = int(drawn) if drawn.is_integer() else drawn
    step: dict[str, Any] = {"encounter": name, "xp": xp, "success": int(won), **told}
    company = Company(leader, size, shares=np.ones((1, 1), dtype=np.bool_))
    timed = {i for i, rule in enumerate(design.multipliers) if rule.name in on and rule.timed}
    active = standing_at(design, hold_at_any_hour(design) | timed, dict.fromkeys(COUNTED, 0.0) | done)
    awarding = tables.profile(profile).awarding(company)
    factor = float(awarding.product(active)[index, column])
    factors = [float(link.factor) for link in awarding.chain(active, index, column)]
    part = drawn / (size if pack.splits else 1)
    award, *others = _in_three_ways(design, part, factor, won)
    return Encounter(
        Request(number, track, steps, step), units_of(award, track.scale),
        frozenset(units_of(other, track.scale) for other in others if other != award),
        {code: units_of(xp, track.scale) for code, xp in _mistaken(design, part, factors, won).items()},
    )  # fmt: skip


def _done(design: Design, word: str, dice: random.Random) -> float:
    """Return XP or successes that a game may have counted: at, beside or between the ends of some rule's bands."""
    ends = [end for rule in design.multipliers if rule.counts == word for end, _ in rule.bands or []]
    near = dice.choice(ends) + dice.choice([-1, 0, 1])
    return max(near if float(near).is_integer() else dice.choice(ends), 0)


def _in_three_ways(design: Design, drawn: float, factor: float, won: bool) -> Iterator[float]:
    """Yield the XP that is awarded in doubles, in single precision and in decimals."""
    rounder, share = Rounder.of(design.awards), float(design.encounters.failure.xp_share)
    code, least = ROUNDING_CODES[rounder.kind], float(design.awards.least_award)
    yield paid_xp(drawn, factor, won, share, code, rounder.to, least)
    single = np.float32(drawn) * np.float32(factor) * np.float32(1.0 if won else share)
    exact = Decimal(repr(drawn)) * Decimal(f"{factor:.12g}") * Decimal(repr(1.0 if won else share))
    for other in (float(single), float(exact)):
        rounded = round_amount(other, code, rounder.to)
        yield max(rounded, least) if won else rounded


def _mistaken(design: Design, drawn: float, factors: list[float], won: bool) -> dict[str, float]:
    """Return the XP that a game with each mistake awards."""
    rounder, share = Rounder.of(design.awards), float(design.encounters.failure.xp_share)
    code, least = ROUNDING_CODES[rounder.kind], float(design.awards.least_award)

    def paid(product: float, share: float = share) -> float:
        return paid_xp(drawn, product, won, share, code, rounder.to, least)

    step = drawn
    for factor in factors:
        step = round_amount(step * factor, code, rounder.to)
    product = float(np.prod(factors)) if factors else 1.0
    return {
        "multipliers-rounded": max(step, least) if won else round_amount(step * share, code, rounder.to),
        "multipliers-added": paid(max(1.0 + sum(factor - 1.0 for factor in factors), 0.0)),
        "multipliers-ignored": paid(1.0),
        "factor-in-whole-numbers": paid(float(np.prod(np.floor(factors))) if factors else 1.0),
        "failure-paid-in-full": paid(product, 1.0),
        "failure-unpaid": paid(product, 0.0),
    }


def mistake_of(judged: list[tuple[Encounter, object]]) -> str:
    """Return the one mistake that explains what a game paid at all encounters; "" where none or several do."""
    if all(found == one.award for one, found in judged):
        return ""
    codes = [code for code in OF_ENCOUNTERS if all(found == one.mistaken[code] for one, found in judged)]
    return codes[0] if len(codes) == 1 else ""


def _start(pack: Pack, dice: random.Random) -> tuple[int, tuple[tuple[str, int], ...]]:
    """Return a level, and awards that lead to it."""
    track = pack.tracks[0]
    game, steps = Game(replace(track, gates=())), [*opened(track)]
    for _ in range(dice.randint(0, min(len(track.costs), 12))):
        if game.level == game.cap:
            break
        award = int(track.costs[game.level] + track.exceeded - game.xp)
        game.award(max(award, 0))
        steps.append((AWARD, max(award, 0)))
    return track.start_level + game.level, tuple(steps)


def _told(design: Design, profile: str, name: str, index: int, column: int) -> float:
    """Return a trait, or a stat that the level alone does not tell; 0 for that of a skill which is not practised."""
    value = tabulated(design).profile(profile).encounters.scene.names[name]
    found = float(np.broadcast_to(value, tabulated(design).columns.shape)[index, column])
    return found if np.isfinite(found) else 0.0
