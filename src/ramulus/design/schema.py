"""The JSON Schema of design files, for editors to complete from."""

from __future__ import annotations

from typing import Any

from ramulus.design.described import described
from ramulus.design.model import DesignModel

_TEXTS = {"type": "array", "items": {"type": "string"}}
SCHEMA_KEY = "$schema"  # By which a file of JSON tells an editor what it may hold.
# What stands in a file, and no more in the design that it is read into.
_OF_FILES = {
    SCHEMA_KEY: {"type": "string", "description": "In JSON, the schema that an editor completes from."},
    "include": {**_TEXTS, "description": "Files whose tables are added, such as players/*.toml."},
    "extends": {"type": "string", "description": "Another design, of which this file changes what it says."},
    "without": {**_TEXTS, "description": "Places of what is extended that are taken away."},
}


def design_schema() -> dict[str, Any]:
    """Return the JSON Schema (draft 2020-12) of design files.

    Examples:
        >>> import ramulus as rm
        >>> schema = rm.design_schema()
        >>> schema["title"], "tracks" in schema["properties"]
        ('Ramulus design file', True)
    """
    schema = _with_formulas(described(DesignModel))
    required = schema.pop("required")
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        **schema,
        "properties": {**schema["properties"], **_OF_FILES},
        # What one design includes or extends another one says.
        "if": {"anyOf": [{"required": ["extends"]}, {"required": ["include"]}]},
        "else": {"required": required},
        "title": "Ramulus design file",
    }


def _with_formulas(schema: Any) -> Any:
    """Return a schema in which a formula of constants may stand where a number does."""
    if isinstance(schema, list):
        return [_with_formulas(part) for part in schema]
    if not isinstance(schema, dict):
        return schema
    found = {key: _with_formulas(part) for key, part in schema.items()}
    if found.get("type") in ("number", "integer") and "const" not in found:
        found |= {"type": [found["type"], "string"], "maxLength": 2000}
    return found
