"""Award chains: how one award came about, link by link, from the rules' own stages."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

from ramulus.formula import Step, number_text
from ramulus.rules.ability import class_at
from ramulus.rules.counted import standing_at
from ramulus.rules.multipliers import hold_at_any_hour
from ramulus.rules.pay import paid_xp
from ramulus.rules.rounding import ROUNDING_CODES, Rounder
from ramulus.rules.tabulation import tabulated
from ramulus.rules.xp_units import plain_number
from ramulus.tables.gain import rules_on

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.rules.multipliers import Link


@dataclass(frozen=True)
class AwardChain:
    """One award, link by link.

    Attributes:
        source: the source's name.
        base: XP drawn.
        links: words and factor of each link of the product that is not 1, in file order.
        rounder: how the award became whole.
        least_award: the least that a success awards.
        award: XP awarded.

    Examples:
        >>> import ramulus as rm
        >>> table, chain = rm.trace_source(rm.demo_design(), "bark_borer", times=3, level=8)
        >>> chain[0].base, chain[0].links, chain[0].award
        (34.0, (('outgrown', 0.92),), 31.0)
    """

    source: str
    base: float
    links: tuple[tuple[str, float], ...]
    rounder: Rounder
    least_award: float
    award: float

    @property
    def product(self) -> float:
        """What the multipliers come to together."""
        product = 1.0
        for _, factor in self.links:
            product *= factor
        return product

    @property
    def steps(self) -> tuple[Step, ...]:
        """The working: XP times multipliers, then rounding, then the least award where it lifts."""
        exact = self.base * self.product
        chain = " * ".join(number_text(factor) for _, factor in self.links)
        put_in = f"{number_text(self.base)} * ({chain})" if chain else number_text(self.base)
        steps = [Step("XP times multipliers", put_in, exact), *self.rounder.steps("award", exact)]
        if self.award != steps[-1].value:
            put_in = f"max({number_text(steps[-1].value)}, {number_text(self.least_award)})"
            steps.append(Step("least_award", put_in, self.award, "lifted to the least award"))
        return tuple(steps)

    def __str__(self) -> str:
        links = "".join(f" × {words} {factor:.6g}" for words, factor in self.links)
        text = f"base {plain_number(self.base):,}{links}"
        exact, *rest = self.steps
        if rest and rest[0].value != exact.value and rest[0].expression == "award":
            text += f" = {exact.value:.10g} {self.rounder.briefly}"
        if rest and rest[-1].expression == "least_award":
            text += f" = {plain_number(rest[-2].value if len(rest) > 1 else exact.value):,.10g} lifted to least_award"
        return f"{text} = {plain_number(self.award):,}"


class AwardChains:
    """Makes award chains for one player profile at an ability, from the tables that everything else reads."""

    def __init__(
        self, design: Design, player: str | None = None, during: Iterable[str] = (), ability: float = 0.5
    ) -> None:
        self._design, self._tabulation = design, tabulated(design)
        self._profile = self._tabulation.profile(player, class_at(ability))
        self._on = rules_on(design, during)
        self._counted = hold_at_any_hour(design)

    def is_open(self, source: str, level: int) -> bool:
        """Whether a source is open at a level."""
        columns = self._tabulation.columns
        return bool(columns.open[self._row(level), columns.first_column[columns.sources.index(source)]])

    def _row(self, level: int) -> int:
        return level - int(self._tabulation.columns.levels[0])

    def chain(
        self, source: str, level: int, base: float, *, skill_level: int | None = None,
        done: Mapping[str, float] | None = None,
    ) -> AwardChain:  # fmt: skip
        """Return the chain of an award of `base` XP by a source at a level.

        Args:
            source: the source's name.
            level: the level.
            base: XP before multipliers.
            skill_level: the level of the skill that the source depends on (default: its start level).
            done: what was done before, by what `against` may name; rules that look at it are off without it.
        """
        columns, awards = self._tabulation.columns, self._design.awards
        index = columns.sources.index(source)
        on = self._on if done is None else standing_at(self._design, self._on | self._counted, done)
        found = self._profile.alone.chain(on, self._row(level), int(columns.at_skill(skill_level)[index]))
        links = tuple((self._words(link, done), float(link.factor)) for link in found if float(link.factor) != 1)
        rounder, least = Rounder.of(awards), float(awards.least_award)
        chain = AwardChain(source, base, links, rounder, least, 0.0)
        award = paid_xp(base, chain.product, True, 0.0, ROUNDING_CODES[rounder.kind], rounder.to, least)
        return AwardChain(source, base, links, rounder, least, award)

    def _words(self, link: Link, done: Mapping[str, float] | None) -> str:
        rules = [self._design.multipliers[index] for index in link.rules]
        names = [f"{r.name} at {r.counts} {done[r.counts]:,g}" if r.counts and done else r.name for r in rules]
        if link.stack == "multiply":
            return names[0]
        return f"{'sum' if link.stack == 'add' else 'best'} of ({', '.join(names)})"
