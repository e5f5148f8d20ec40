"""The design file: its models, reading and writing."""

from ramulus.design.design import Design
from ramulus.design.loading import (
    demo_design,
    demo_text,
    design_of_text,
    load_design,
    shipped_variants,
    starter_text,
)
from ramulus.design.places import full_place, value_at
from ramulus.design.reading import bytes_now, read_named, read_start, read_whole
from ramulus.design.saving import toml_text
from ramulus.design.schema import design_schema
from ramulus.design.writing import refuse_strange_ending, write_all, write_whole, written_whole

__all__ = [
    "bytes_now",
    "Design",
    "demo_design",
    "demo_text",
    "design_of_text",
    "design_schema",
    "full_place",
    "load_design",
    "read_named",
    "read_start",
    "read_whole",
    "refuse_strange_ending",
    "shipped_variants",
    "starter_text",
    "toml_text",
    "value_at",
    "write_all",
    "write_whole",
    "written_whole",
]
