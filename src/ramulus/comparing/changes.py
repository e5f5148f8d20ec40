"""What differs between two designs, key by key."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, NamedTuple

from ramulus.design import Design


class Change(NamedTuple):
    """One key that two designs state differently; None where one of them does not state it."""

    place: str
    before: Any
    after: Any

    def __str__(self) -> str:
        if self.before is None:
            return f"{self.place} = {_short(self.after)} (new)"
        if self.after is None:
            return f"{self.place} is gone (was {_short(self.before)})"
        return f"{self.place}: {_short(self.before)} → {_short(self.after)}"


def _short(value: Any, most: int = 60) -> str:
    text = repr(value) if isinstance(value, str) else f"{value}"
    return text if len(text) <= most else text[: most - 1] + "…"


def changes(first: Design, second: Design) -> list[Change]:
    """Return what differs, in the order of the first design; titles and goals aside."""
    before, after = (dict(_leaves("", design.to_dict())) for design in (first, second))
    places = [*before, *(place for place in after if place not in before)]
    some = [place for place in places if place != "title" and not place.startswith("goals")]
    return [Change(p, before.get(p), after.get(p)) for p in some if before.get(p) != after.get(p)]


def _leaves(place: str, data: Any) -> Iterator[tuple[str, Any]]:
    if isinstance(data, dict) and data:
        for key, value in data.items():
            yield from _leaves(f"{place}.{key}" if place else str(key), value)
    elif isinstance(data, list) and data and all(isinstance(item, dict) for item in data):
        for index, item in enumerate(data):
            # Rules are known by their names: one more in front moves no other.
            yield from _leaves(f"{place}.{item['name']}" if "name" in item else f"{place}[{index}]", item)
    else:
        yield place, data
