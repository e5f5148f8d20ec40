"""Checks of names: what is defined and never used."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from ramulus.checks.finding import Finding
from ramulus.design.names import formula_places
from ramulus.design.source import Source
from ramulus.errors import nearest_name
from ramulus.formula import parse

if TYPE_CHECKING:
    from ramulus.design import Design


def check_names(design: Design) -> Iterator[Finding]:
    """Yield constants, stats, own numbers and traits that no formula uses."""
    used = {name for formula in formula_places(design) for name in parse(formula.text).names}
    for name, value in design.constants.items():
        if name not in used:
            near = nearest_name(name, used)
            hint = f"; did a formula mean it by {near!r}?" if near else ""
            yield Finding(
                "constant-unused", "warning", f"constants.{name}", f"{name} = {value:g} is in no formula{hint}",
                "use it, or remove it",
            )  # fmt: skip
    yield from _stats(design, used)
    if design.encounter is not None:
        yield from _traits(design, used)
        yield from _own_numbers(design, used)


def _stats(design: Design, used: set[str]) -> Iterator[Finding]:
    """A stat that nothing reads; without encounters that is how a table of stats is meant, and only worth knowing."""
    for name, stat in design.stats.items():
        if name in used or stat.pool or stat.refill_on_level_up:
            continue
        if design.encounter is None:
            yield Finding(
                "stat-unread", "note", f"stats.{name}",
                "nothing in the design reads it: only the levels table shows it",
                "fine for a table; to see what it does, use it in encounter.seconds or encounter.success",
            )  # fmt: skip
        else:
            yield Finding(
                "stat-unused", "warning", f"stats.{name}",
                "it grows and changes nothing: no formula uses it",
                "use it in encounter.seconds or encounter.success, or remove it",
            )  # fmt: skip


def _traits(design: Design, used: set[str]) -> Iterator[Finding]:
    for name, player in design.players.items():
        for trait in player.traits:
            if trait not in used:
                yield Finding(
                    "trait-unused", "warning", f"players.{name}.traits.{trait}", "no formula uses it",
                    "use it in an encounter's or multiplier's formula, or remove it",
                )  # fmt: skip


def _own_numbers(design: Design, used: set[str]) -> Iterator[Finding]:
    keys = list(Source.model_fields)
    for name, source in design.sources.items():
        for number in source.numbers:
            if number not in used:
                near = nearest_name(number, keys)
                hint = f"did you mean the key {near!r}? else " if near else ""
                yield Finding(
                    "number-unused", "warning", f"sources.{name}.{number}",
                    "it is taken as a number of your own, and no formula uses it",
                    f"{hint}use it, or remove it",
                )  # fmt: skip
