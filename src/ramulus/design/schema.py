"""The JSON Schema of design files, for editors to complete from."""

from __future__ import annotations

from typing import Any

from ramulus.design.described import described
from ramulus.design.model import DesignModel


def design_schema() -> dict[str, Any]:
    """Return the JSON Schema (draft 2020-12) of design files."""
    schema = described(DesignModel)
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        **schema,
        "title": "Ramulus design file",
    }
