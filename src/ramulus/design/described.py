"""Models as JSON Schema: what editors show of each key."""

from __future__ import annotations

import ast
import inspect
import textwrap
from collections.abc import Mapping
from functools import cache
from itertools import pairwise
from typing import Any

from pydantic import BaseModel

from ramulus.design.base import Model


class OneOf:
    """The JSON Schema of a table that is of one of several kinds, told apart by a key; made when it is asked for.

    All keys stand side by side, and a key that belongs to another kind is wrong where it stands: so an editor marks a
    mistyped one and not the whole table.

    Args:
        kinds: the kinds by their key.
        what: what such a table states, in words.
        plain: types that may stand there instead of a table, such as "number".
    """

    def __init__(self, kinds: Mapping[str, type[Model]], what: str, plain: tuple[str, ...] = ()) -> None:
        self._kinds, self._what, self._plain = kinds, what, plain

    def __get_pydantic_json_schema__(self, *_: Any) -> dict[str, Any]:
        own = {key: _in_place(described(kind))["properties"] for key, kind in self._kinds.items()}
        every = {name: part for properties in own.values() for name, part in properties.items()}
        kinds_of = {name: [key for key in own if name in own[key]] for name in every}
        keys = list(own)
        strange: dict[str, dict[str, Any]] = {}
        for place, key in enumerate(keys):
            # Of two kinds at once, what is the later one's alone is marked; `not: {}` takes nothing at all.
            before = [name for name, kinds in kinds_of.items() if len(kinds) == 1 and kinds[0] in keys[:place]]
            strange[key] = {name: {"not": {}} for name in every if name not in own[key] and name not in before}
        return {
            "type": [*self._plain, "object"] if self._plain else "object",
            "description": f"{self._what}: exactly one of {', '.join(self._kinds)}.",
            "properties": every,
            "additionalProperties": False,
            "minProperties": 1,
            "dependentSchemas": {key: {"properties": names} for key, names in strange.items() if names},
        }


def described(model: type[BaseModel]) -> dict[str, Any]:
    """Return the JSON Schema of a model, with the texts below its keys as descriptions.

    The texts are read from the source when a schema is asked for: to read them whenever a model is made would be a
    good part of the start of every command.
    """
    schema: dict[str, Any] = _without_nothing(model.model_json_schema())
    for name, part in [(model.__name__, schema), *schema.get("$defs", {}).items()]:
        texts = _texts_of(name)
        for key, about in part.get("properties", {}).items():
            if key in texts:
                about["description"] = texts[key]
    return schema


def _without_nothing(part: Any) -> Any:
    """Return a schema without the nothing that stands for keys left out: no file can write it.

    Pydantic offers null beside what a key may be; an editor would find each of the choices at fault, and mark the
    whole table for one wrong key in it.
    """
    if isinstance(part, list):
        return [_without_nothing(item) for item in part]
    if not isinstance(part, dict):
        return part
    kept = {key: _without_nothing(value) for key, value in part.items() if value is not None}
    if isinstance(kept.get("title"), str):
        del kept["title"]
    choices = [choice for choice in kept.get("anyOf", []) if choice != {"type": "null"}]
    if "anyOf" in kept and len(choices) == 1:
        del kept["anyOf"]
        return {**choices[0], **kept}
    return {**kept, "anyOf": choices} if choices else kept


def _in_place(schema: dict[str, Any]) -> dict[str, Any]:
    """Return a schema with what it refers to put in, so that parts of it can stand elsewhere."""
    definitions = schema.get("$defs", {})

    def resolved(part: Any) -> Any:
        if isinstance(part, list):
            return [resolved(item) for item in part]
        if not isinstance(part, dict):
            return part
        if "$ref" in part:
            rest = {key: value for key, value in part.items() if key != "$ref"}
            return {**resolved(definitions[part["$ref"].rpartition("/")[2]]), **resolved(rest)}
        return {key: resolved(value) for key, value in part.items() if key != "$defs"}

    return dict(resolved(schema))


def _texts_of(name: str) -> dict[str, str]:
    """Return the text below each key of a model, those it inherits included."""
    pending, models = [Model], {}
    while pending:
        kind = pending.pop()
        models[kind.__name__] = kind
        pending += kind.__subclasses__()
    texts: dict[str, str] = {}
    for ancestor in reversed(models[name].__mro__ if name in models else []):
        if issubclass(ancestor, Model):
            texts.update(_own_texts(ancestor))
    return texts


@cache  # The source of forty models is read, and read again for each whose schema is asked for.
def _own_texts(model: type[Model]) -> dict[str, str]:
    (body,) = ast.parse(textwrap.dedent(inspect.getsource(model))).body
    assert isinstance(body, ast.ClassDef)
    texts = {}
    for key, below in pairwise(body.body):
        is_text = isinstance(below, ast.Expr) and isinstance(below.value, ast.Constant)
        if is_text and isinstance(key, ast.AnnAssign) and isinstance(key.target, ast.Name):
            texts[key.target.id] = inspect.cleandoc(str(below.value.value))  # type: ignore[attr-defined]
    return texts
