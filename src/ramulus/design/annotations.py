"""What stands where in a design file: the models of its tables, found along their fields."""

from __future__ import annotations

import types
from typing import Any, Union, get_args, get_origin

from pydantic import BaseModel

from ramulus.design.cost_ways import Cost, Segment, way_of_cost, way_of_segment
from ramulus.design.goal import Goal, kind_of_goal
from ramulus.design.trait import VaryingTrait
from ramulus.design.xp import XpKind, kind_of_xp

_KINDS: dict[Any, Any] = {
    Cost: way_of_cost,
    Segment: way_of_segment,
    XpKind: kind_of_xp,
    VaryingTrait: lambda _: VaryingTrait,
    Goal: kind_of_goal,
}


def model_at(model: type[BaseModel], location: tuple[int | str, ...], data: Any) -> type[BaseModel] | None:
    """Return the model of the table at a location, following fields, dicts and lists."""
    annotation: Any = model
    for part in location:
        data = data[part]
        inside = model_of(annotation, None) if isinstance(annotation, type) else None
        if inside is not None:
            field = inside.model_fields.get(str(part))
            if field is None:
                return None
            annotation = _of_its_kind(bare(field.annotation), data)
        else:
            inner = get_args(annotation)
            annotation = _of_its_kind(bare(inner[-1]), data) if inner else None
    return annotation if isinstance(annotation, type) and issubclass(annotation, BaseModel) else None


def model_of(annotation: Any, data: Any) -> type[BaseModel] | None:
    """Return the model of a table with an annotation, where it is one; of several kinds the one that the data is of."""
    found = bare(annotation)
    found = _of_its_kind(found, data) if isinstance(data, dict) else found
    return found if isinstance(found, type) and issubclass(found, BaseModel) else None


def _of_its_kind(annotation: Any, data: Any) -> Any:
    """Return the class that a table of several kinds is of."""
    return _KINDS[annotation](data) if annotation in _KINDS else annotation


def bare(annotation: Any) -> Any:
    """Strip `Annotated` and `| None`."""
    while True:
        if hasattr(annotation, "__metadata__"):
            annotation = get_args(annotation)[0]
        elif get_origin(annotation) in (Union, types.UnionType):
            choices = [choice for choice in get_args(annotation) if choice is not type(None)]
            # Where a number, a formula or a table may stand, unknown keys stand in the table.
            annotation = next((choice for choice in choices if choice in _KINDS), choices[0])
        else:
            return annotation


def takes_text(annotation: Any) -> bool:
    """Return whether a text may stand where an annotation is."""
    if hasattr(annotation, "__metadata__"):
        return takes_text(get_args(annotation)[0])
    if get_origin(annotation) in (Union, types.UnionType):
        return any(takes_text(choice) for choice in get_args(annotation))
    return annotation is str
