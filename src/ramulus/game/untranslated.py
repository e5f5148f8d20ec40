"""What a design may say and exported code does not do: it is refused, so that no game leaves it out unsaid."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from ramulus.errors import DesignError, Problem
from ramulus.formula import parse

if TYPE_CHECKING:
    from ramulus.design import Design


def refuse_untranslated(design: Design) -> None:
    """Refuse a design that says more than exported code does.

    Raises:
        DesignError: it does; all that it says is named.
    """
    problems = [
        Problem(place, found, "a design without it for export", code="no-translation")
        for place, found in _untranslated(design)
    ]
    if problems:
        raise DesignError(problems)


def _untranslated(design: Design) -> Iterator[tuple[str, str]]:
    if design.away_bonus is not None:
        yield "away_bonus", "exported code has no store of time away"
    for name, source in design.sources.items():
        if isinstance(source.level, str):
            yield (
                f"sources.{name}.level",
                f"{source.level!r} follows the player; exported code takes one level a source",
            )
        if source.skills:
            yield f"sources.{name}.skills", "exported code takes one skill a source (skill and skill_xp)"
    for index, rule in enumerate(design.multipliers):
        for key in ("factor", "against"):
            text = getattr(rule, key)
            names = parse(text).names if isinstance(text, str) and rule.counts is None else ()
            if strange := [name for name in names if name in design.stats]:
                found = f"{text!r} reads {', '.join(strange)}, which exported code does not tell it"
                yield f"multipliers[{index}].{key}", found
