"""Dotted places in a design, such as ``constants.steepness`` or ``multipliers.outgrown.factor``."""

from __future__ import annotations

import copy
import re
from collections.abc import Iterator, Mapping
from typing import Any

from ramulus.design.model import DesignModel
from ramulus.design.stated_formulas import Location
from ramulus.errors import UnknownNameError, nearest_name, shortly

_PART = re.compile(r"\[(\d+)\]|([^.\[\]]+)")


def full_place(design: DesignModel, name: str) -> str:
    """Return the place that a bare name stands for: a constant, else the only place that ends in it.

    A name with a dot, or that is at the top of the file, is a place already.

    Raises:
        UnknownNameError: it ends several places, or none.
    """
    complete = design.model_dump(mode="json")
    if name in complete or len(split_place(name)) != 1 or not name.isidentifier():
        return name
    if name in design.constants:
        return f"constants.{name}"
    found = [place for place in _places(complete) if split_place(place)[-1] == name]
    if len(found) == 1:
        return found[0]
    if found:
        raise UnknownNameError("single place", name, found)
    near = nearest_name(name, design.constants)
    listed = ", ".join(f"constants.{constant}" for constant in design.constants) or "none"
    hint = f"; did you mean {near!r}?" if near else ""
    raise UnknownNameError("place", name, [], f"nothing ends in it; the constants are {listed}{hint}")


def _places(value: Any, before: str = "") -> Iterator[str]:
    """Yield every place below a value, defaults included."""
    if isinstance(value, dict):
        for key, part in value.items():
            yield (place := f"{before}.{key}" if before else str(key))
            yield from _places(part, place)
    elif isinstance(value, list):
        for index, part in enumerate(value):
            if isinstance(part, dict):
                yield from _places(part, f"{before}.{part['name']}" if "name" in part else f"{before}[{index}]")


def split_place(place: str) -> list[str]:
    """Return the parts of a dotted place; list items by number or by their `name`."""
    return [index or key for index, key in _PART.findall(place)]


def location_of(place: str) -> Location:
    """Return a place as the location it stands for: names, and the numbers of list items."""
    return tuple(int(part) if part.isdigit() else part for part in split_place(place))


def value_at(design: DesignModel, place: str) -> Any:
    """Return what stands at a place, defaults included.

    Raises:
        UnknownNameError: there is no such place.
    """
    value: Any = design.model_dump(mode="json")
    for part in split_place(place):
        value = _child(value, part, place)
    return value


def data_with(design: DesignModel, values: Mapping[str, Any]) -> dict[str, Any]:
    """Return a design's plain data with new values at dotted places; see `Design.with_values`."""
    data = copy.deepcopy(design.to_dict())
    complete = design.model_dump(mode="json")
    # What the author left out has its defaults below it all the same.
    complete["encounter"] = design.encounters.model_dump(mode="json")
    for place, value in values.items():
        _set(data, complete, place, value)
    return data


def _set(data: Any, complete: Any, place: str, value: Any) -> None:
    *path, last = split_place(place) or [""]
    for part in path:
        complete = _child(complete, part, place)
        if isinstance(data, list):
            data = data[_index(data, part, place)]
        else:
            # A table that the author left to its defaults comes into being here.
            data = data.setdefault(part, copy.deepcopy(complete) if isinstance(complete, list) else {})
    if isinstance(data, list):
        data[_index(data, last, place)] = value
        return
    # Only places that exist can be set: a mistyped constant must not make a new one.
    if complete is not None and last not in _table(complete, place):
        raise UnknownNameError("place", place, [".".join([*path, key]) for key in complete])
    data[last] = value


def _child(value: Any, part: str, place: str) -> Any:
    if isinstance(value, list):
        return value[_index(value, part, place)]
    if part not in _table(value, place):
        prefix = place[: place.rfind(part)] if part in place else ""
        raise UnknownNameError("place", place, [prefix + str(key) for key in value])
    return value[part]


def _table(value: Any, place: str) -> dict[str, Any]:
    """Return a value that has places below it.

    Raises:
        UnknownNameError: it is a number, text or nothing.
    """
    if not isinstance(value, dict):
        stands = "nothing" if value is None else shortly(value)
        raise UnknownNameError("place", place, [], f"{stands} stands there, and nothing below it")
    return value


def _index(items: list[Any], part: str, place: str) -> int:
    names = [item.get("name", str(i)) if isinstance(item, dict) else str(i) for i, item in enumerate(items)]
    if part in names:
        return names.index(part)
    if part.isdigit() and int(part) < len(items):
        return int(part)
    raise UnknownNameError("place", place, names)
