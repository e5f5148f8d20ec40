"""The product of the multipliers on one kind of award, link by link, as a language writes it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from ramulus.design.multiplier import SUCCESSES, SUCCESSES_TODAY, XP_THIS_WEEK, XP_TODAY
from ramulus.game.factors import RulePack

COUNTED = {
    XP_TODAY: "XP that the track was awarded today, before this.",
    XP_THIS_WEEK: "XP that the track was awarded this week, before this.",
    SUCCESSES_TODAY: "Successes at the source today, before this.",
    SUCCESSES: "Successes at the source ever, before this.",
}
"""What only a game has counted, by the word with which rules look at it."""
GIVEN = ("skill_level", "leader_level", "party_size", *COUNTED)


@dataclass(frozen=True)
class Factor:
    """One multiplier in an award: the rule, the sources and skills that it scales (none: all), its value written."""

    rule: RulePack
    sources: tuple[str, ...]
    skills: tuple[str, ...]
    value: str


@dataclass(frozen=True)
class Step:
    """What the product is multiplied by next: one factor, or a group of rules that stack together.

    Attributes:
        stack: "multiply", "add" or "best".
        factors: the rule, or all of the group.
        opens: whether the group comes up here for the first time.
        timed: whether the group stands here only while this rule is on, and was not taken before.
    """

    stack: str
    factors: tuple[Factor, ...]
    rule: RulePack
    opens: bool
    timed: bool


@dataclass(frozen=True)
class Product:
    """The product of the multipliers on one kind of award, and what only the game can tell it."""

    steps: tuple[Step, ...]
    given: tuple[str, ...]
    traits: tuple[str, ...]
    timed: tuple[RulePack, ...]
    by_player: bool
    reads_gap: bool
    reads_source_level: bool
    reads_level: bool

    @property
    def asks(self) -> bool:
        """Whether anything has to be told."""
        return bool(self.given or self.traits or self.timed or self.by_player)


def steps_of(factors: list[Factor]) -> Iterator[Step]:
    """Yield the links of the product: a group stands where the first of its rules that is on stands."""
    settled, begun = set(), set()
    for factor in factors:
        stack = factor.rule.stack
        if stack == "multiply":
            yield Step(stack, (factor,), factor.rule, True, False)
        elif stack not in settled:
            group = tuple(other for other in factors if other.rule.stack == stack)
            yield Step(stack, group, factor.rule, stack not in begun, factor.rule.timed)
            begun.add(stack)
            if not factor.rule.timed:
                settled.add(stack)
