"""Formulas that stand where a design has numbers: kept by their places, and put back where it is written."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

Location = tuple[int | str, ...]


def place_of(location: Location) -> str:
    """Return a location as authors write it: ``tracks.warden.cost``, ``multipliers[0].factor``."""
    text = ""
    for part in location:
        text += f"[{part}]" if isinstance(part, int) else f".{part}" if text else str(part)
    return text


def overlaid(data: dict[str, Any], formulas: Mapping[Location, str]) -> dict[str, Any]:
    """Return data with formulas at their locations again, where something stands there."""
    for location, text in formulas.items():
        holder: Any = data
        try:
            for part in location[:-1]:
                holder = holder[part]
            _ = holder[location[-1]]
        except (KeyError, IndexError, TypeError):
            continue
        holder[location[-1]] = text
    return data


def names_read(formulas: Mapping[Location, str]) -> Iterator[tuple[str, str]]:
    """Yield the place and the text of each formula of constants."""
    for location, text in formulas.items():
        yield place_of(location), text
