"""Every mistake of a design at once, in words an author understands."""

from __future__ import annotations

import copy
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any, TypeVar

from pydantic import ValidationError
from pydantic_core import ErrorDetails

from ramulus.design.across import problems_across
from ramulus.design.annotations import model_at
from ramulus.design.model import SMALLEST_KEYS, DesignModel
from ramulus.design.references import name_problems
from ramulus.design.resolving import Resolved
from ramulus.design.stated_formulas import Location, place_of
from ramulus.errors import DesignError, Problem, nearest_name, shortly
from ramulus.showing import control_in

D = TypeVar("D", bound=DesignModel)
_SALVAGE_ROUNDS = 6
_CAUSED_BY_REMOVAL = ("cost-way", "stat-way", "incomplete-pair")
_ANY_TRACK = {"start_level": 0, "max_level": 1_000_000, "cost": {"formula": "1"}}
_STAND_IN: dict[str, Any] = {
    "format": 1,
    "title": "untitled",
    "tracks": {"stand_in": {"max_level": 2, "cost": {"values": [1]}}},
}


def validated(kind: type[D], data: dict[str, Any], file: Path | None = None) -> D:
    """Return the design that the data states, or raise a DesignError with every mistake in it.

    Args:
        kind: the class of designs.
        data: what the file says.
        file: stands in the message.
    """
    resolved = Resolved(_plain(data), DesignModel)
    problems = [problem for _, problem in resolved.problems]
    removed: set[str] = {str(location[-1]) for location, _ in resolved.problems}
    faulty = {location for location, _ in resolved.problems if location[0] != "constants"}
    remaining = _without(resolved.data, list(faulty), set()) if faulty else resolved.data
    design: D | None = None
    for rounds in range(_SALVAGE_ROUNDS):
        first = rounds == 0
        if remaining is None:
            break
        try:
            design = kind.model_validate(remaining)
            break
        except ValidationError as error:
            details = error.errors()
            # After the first round, what a removal itself caused is no mistake of the author's.
            problems += [
                _problem(d, remaining)
                for d in details
                if _location(d) not in faulty
                if first or (d["type"] == "ramulus" and (d.get("ctx") or {})["code"] not in _CAUSED_BY_REMOVAL)
            ]
            remaining = _without(remaining, [_location(detail) for detail in details], removed)
    problems += _control_characters(data)
    if design is not None:
        across = (*name_problems(design), *problems_across(design))
        problems += [problem for problem, name in across if name not in removed]
    if problems:
        raise DesignError(problems, str(file) if file else None)
    assert design is not None
    design._keep_formulas(resolved.formulas)
    return design


def _plain(value: Any) -> Any:
    """Return data with Python's own numbers and lists in place of NumPy's, so that both are read alike."""
    if isinstance(value, Mapping):
        return {key: _plain(part) for key, part in value.items()}
    if isinstance(value, list | tuple):
        return [_plain(part) for part in value]
    return value.tolist() if hasattr(value, "dtype") and hasattr(value, "tolist") else value


def _control_characters(value: Any, location: Location = ()) -> Iterator[Problem]:
    """Yield texts that would break a table or a figure, or steer a terminal, when they are shown."""
    if isinstance(value, Mapping):
        for key, part in value.items():
            yield from _control_characters(part, (*location, str(key)))
    elif isinstance(value, list):
        for index, part in enumerate(value):
            yield from _control_characters(part, (*location, index))
    elif isinstance(value, str):
        bad = control_in(value)
        if bad is not None:
            found = f"{shortly(value)} holds the control character U+{ord(bad):04X}"
            yield Problem(place_of(location), found, "text that can be shown")


def _location(detail: ErrorDetails) -> Location:
    return tuple(part for part in detail["loc"] if part != "[key]")


def _problem(detail: ErrorDetails, data: dict[str, Any]) -> Problem:
    location = _location(detail)
    place, kind, found = place_of(location), detail["type"], detail["input"]
    context: dict[str, Any] = detail.get("ctx") or {}
    if kind == "ramulus":
        return Problem(place, context["found"], context["allowed"], context["nearest"] or None, context["code"])
    if kind == "extra_forbidden":
        return _unknown_key(location, data)
    if kind == "missing":
        example = SMALLEST_KEYS.get(str(location[-1]))
        return Problem(
            place, "missing", f"this key is required{f', such as {example}' if example else ''}", code="missing-key"
        )
    if kind == "literal_error":
        allowed = str(context["expected"])
        choices = [choice.strip("'\" ") for choice in allowed.replace(" or ", ",").split(",")]
        near = nearest_name(found, choices) if isinstance(found, str) else None
        return Problem(place, shortly(found), allowed, near)
    if kind in ("model_type", "dict_type", "model_attributes_type"):
        return Problem(place, f"{shortly(found)} is not a table", "a table of keys and values")
    return Problem(place, shortly(found, 80), detail["msg"].replace("Input should be ", ""))


def _unknown_key(location: Location, data: dict[str, Any]) -> Problem:
    model = model_at(DesignModel, location[:-1], data)
    keys = list(model.model_fields) if model else []
    key = str(location[-1])
    near = nearest_name(key, keys)
    return Problem(place_of(location), "unknown key", ", ".join(keys), near, code="unknown-key")


def _without(data: Mapping[str, Any], locations: list[Location], removed: set[str]) -> dict[str, Any] | None:
    """Return the data without the faulty parts, so that the rest can still be checked; None if that is all."""
    remaining = copy.deepcopy(dict(data))
    for location in sorted(locations, key=_deepest_last_first):
        path = _existing_path(remaining, location)
        if not path:
            if not location or location[0] not in _STAND_IN:
                return None
            path = (str(location[0]),)
            remaining[path[0]] = None
        holder: Any = remaining
        for part in path[:-1]:
            holder = holder[part]
        removed.update(_names_in(holder[path[-1]]), {str(path[-1])})
        if path[:-1] == ("tracks",):  # Its place stays: else another track would be taken for the main one.
            holder[path[-1]] = _ANY_TRACK
        else:
            del holder[path[-1]]
    for key, value in _STAND_IN.items():
        if not remaining.get(key):
            remaining[key] = value
    return remaining


def _deepest_last_first(location: Location) -> tuple[tuple[int, str], ...]:
    # List items go from the back, so that the indices before them stay right.
    return tuple((-part, "") if isinstance(part, int) else (0, part) for part in location)


def _existing_path(data: Any, location: Location) -> Location:
    """Return the longest part of a location that stands in the data."""
    path: list[int | str] = []
    for part in location:
        inside_list = isinstance(data, list) and isinstance(part, int) and part < len(data)
        if not (inside_list or (isinstance(data, dict) and part in data)):
            break  # A missing key or a fault across keys: the table around it goes.
        holder: Any = data
        data = holder[part]
        path.append(part)
    return tuple(path)


def _names_in(data: Any) -> Iterator[str]:
    if isinstance(data, dict):
        for key, value in data.items():
            yield str(key)
            yield from _names_in(value)
