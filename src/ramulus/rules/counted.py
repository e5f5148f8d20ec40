"""Rules that look at what was done: multipliers whose bands are read at XP or successes of a day, a week or ever.

Which band such a rule stands in hangs on what a player has done, so products are tabulated for every combination of
bands. In a set of rules that are on, a rule in one of its bands is a number of its own: past the last rule of the file,
`count * (band + 1) + index`, for `count` rules; the band past the last, whose factor is 1, is one of them.
"""

from __future__ import annotations

import itertools
from typing import TYPE_CHECKING

import numpy as np

from ramulus.formula.functions import Array

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping

    from ramulus.design import Design

Rules = frozenset[int]
"""Multipliers that are on, by their place in the file; those that look at what was done, in their bands."""


def counted_rules(design: Design) -> list[int]:
    """Return the rules that look at what was done, by their place in the file."""
    return [index for index, rule in enumerate(design.multipliers) if rule.counts is not None]


def lengths_of(design: Design) -> list[int]:
    """Return how many bands each of these rules has, the one past the last included."""
    return [len(design.multipliers[index].bands or []) + 1 for index in counted_rules(design)]


def combinations(design: Design) -> int:
    """Return how many combinations of bands there are; 1 where no rule looks at what was done."""
    return int(np.prod([1, *lengths_of(design)]))


def in_each_combination(design: Design, on: Rules) -> Iterator[Rules]:
    """Yield some rules that are on with those that look at what was done in each combination of their bands.

    The last of them changes fastest. One that is not on is on in none of its bands.
    """
    rules = counted_rules(design)
    plain = on - frozenset(rules)
    for bands in itertools.product(*(range(length) for length in lengths_of(design))):
        picked = zip(rules, bands, strict=True)
        yield plain | {in_band(design, index, band) for index, band in picked if index in on}


def in_band(design: Design, index: int, band: int) -> int:
    """Return the number of a rule in one of its bands."""
    return len(design.multipliers) * (band + 1) + index


def rule_of(design: Design, number: int) -> int:
    """Return the place in the file of a rule that is on, in whatever band."""
    return number % len(design.multipliers)


def factor_of(design: Design, factors: list[Array], number: int) -> Array:
    """Return the factor of a rule that is on, not a number where it does not apply.

    Args:
        design: the design.
        factors: of each rule of the file; of one that looks at what was done 1 where it applies.
        number: the rule, in a band where it looks at what was done.
    """
    index, band = rule_of(design, number), number // len(design.multipliers) - 1
    bands = design.multipliers[index].bands or []
    return factors[index] if band < 0 or band == len(bands) else factors[index] * float(bands[band][1])


def band_at(bands: list[list[float]], done: float) -> int:
    """Return the band that some XP or successes stand in: the first whose end is not below, or past the last."""
    return next((place for place, (end, _) in enumerate(bands) if done <= end), len(bands))


def standing_at(design: Design, on: Rules, done: Mapping[str, float]) -> Rules:
    """Return rules that are on, with those that look at what was done in the bands that it puts them in.

    Args:
        design: the design.
        on: rules that are on.
        done: how much was done, by what `against` may name.
    """
    found = set(on)
    for index in counted_rules(design):
        rule = design.multipliers[index]
        if index in found and rule.counts is not None:
            found.remove(index)
            found.add(in_band(design, index, band_at(rule.bands or [], done[rule.counts])))
    return frozenset(found)
