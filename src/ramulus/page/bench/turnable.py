"""What can be turned on the bench: every number of the file, where it is used, and how far a slider goes."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from ramulus.design.names import formula_places
from ramulus.design.places import split_place
from ramulus.formula import parse

if TYPE_CHECKING:
    from ramulus.design import Design

STEPS = 150  # About how many places a slider has.
AROUND_ZERO = 1.0  # Half and twice of nothing are nothing.
LEFT_OUT = ("format", "title", "accept", "recorded", "main_track")
UNREAD = "read by nothing"


@dataclass(frozen=True)
class Turnable:
    """A number of the file and where its slider may go: from half of it to twice.

    Attributes:
        place: where it stands, such as ``players.steady.seconds_between``.
        name: what it is called within its group.
        group: the constants by where they are used, other numbers by the table that they stand in.
        value: as the file has it.
        low, high: the ends.
        step: between two places.
        whole: whether it is a whole number and stays one.
        constant: whether it is a constant.
    """

    place: str
    name: str
    group: str
    value: float
    low: float
    high: float
    step: float
    whole: bool
    constant: bool


def turnables(design: Design) -> list[Turnable]:
    """Return every number of a design that can be turned: the constants first, then by table, as the file has them."""
    used = _first_uses(design)
    data = design.to_dict()
    # A constant by formula is no number of its own.
    constants = [
        turnable(f"constants.{name}", name, used.get(name, UNREAD), value, constant=True)
        for name, value in data.get("constants", {}).items()
        if isinstance(value, int | float)
    ]
    order = list(dict.fromkeys(one.group for one in constants))
    constants.sort(key=lambda one: order.index(one.group))
    return [*constants, *_others(data)]


def _first_uses(design: Design) -> dict[str, str]:
    """Return for each constant the table in which a formula first reads it."""
    found: dict[str, str] = {}
    for formula in formula_places(design):
        for name in parse(formula.text).names & design.constants.keys():
            found.setdefault(name, _table_of(formula.place))
    return found


def _table_of(place: str) -> str:
    """Return the table that a place belongs to: two names deep where tables have names of their own."""
    parts = place.split(".")
    return ".".join(parts[:2]) if parts[0] in ("tracks", "stats", "upgrades", "sources", "players") else parts[0]


def _others(data: dict[str, Any]) -> Iterator[Turnable]:
    for key, part in data.items():
        if key not in LEFT_OUT and key != "constants":
            for place, value in _numbers(part, key):
                group = _group_of(place)
                yield turnable(place, place.removeprefix(group).lstrip(".") or place, group, value, constant=False)


def _group_of(place: str) -> str:
    """Return the table of a number: two names deep, and each multiplier, gate or goal by itself."""
    parts = place.split(".")
    if "[" in parts[0]:
        return parts[0]
    return ".".join(parts[:2]) if len(parts) > 2 else parts[0]


def _numbers(value: Any, place: str) -> Iterator[tuple[str, float]]:
    """Yield each number below a place."""
    if isinstance(value, bool):
        return
    if isinstance(value, int | float):
        yield place, value
    elif isinstance(value, dict):
        for key, part in value.items():
            yield from _numbers(part, f"{place}.{key}")
    elif isinstance(value, list):
        for index, part in enumerate(value):
            yield from _numbers(part, item_place(place, index, part))


def item_place(place: str, index: int, item: Any) -> str:
    """Return the place of a list's item: by its name where that leads to it, else by its number."""
    name = item.get("name") if isinstance(item, dict) else None
    # A name with a dot in it leads elsewhere, or nowhere, and one of digits to another item.
    leads = isinstance(name, str) and split_place(name) == [name] and not name.isdigit()
    return f"{place}.{name}" if leads else f"{place}[{index}]"


def turnable(place: str, name: str, group: str, value: float, *, constant: bool) -> Turnable:
    """Return a number with the span and the step of its slider."""
    whole = isinstance(value, int)
    low, high = sorted((value / 2, value * 2)) if value else (-AROUND_ZERO, AROUND_ZERO)
    step = _round_step((high - low) / STEPS)
    if whole:
        step = max(1.0, step)
    # In steps from the value itself, so that the slider can stand where the file does.
    low, high = value - math.ceil((value - low) / step) * step, value + math.ceil((high - value) / step) * step
    low, high, step = (float(f"{number:.12g}") for number in (low, high, step))
    return Turnable(place, name, group, value, low, high, step, whole, constant)


def _round_step(about: float) -> float:
    """Return the 1, 2 or 5 times a power of ten nearest above a number."""
    power = 10.0 ** math.floor(math.log10(about))
    return next(times * power for times in (1, 2, 5, 10) if times * power >= about * (1 - 1e-9))
