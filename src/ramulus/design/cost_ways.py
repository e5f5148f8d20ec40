"""The ways to state level costs, a class each: which keys it has, and which names its formula may use.

A new way is a class here, what it computes in `rules/stated.py`, and a row in the documentation.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar

from pydantic import Field, PlainSerializer, PlainValidator

from ramulus.design.base import (
    Between,
    Beyond,
    FormulaText,
    Gives,
    Level,
    Model,
    Number,
    Points,
    Rounding,
    RoundingTo,
    _mistake,
    ordered,
    rounded_to,
)
from ramulus.design.described import OneOf
from ramulus.errors import nearest_name, shortly

MOST_NAMED = 4  # Keys that an error repeats.


class CostWay(Model):
    """A way to state level costs; the table that has its `key` is of this way."""

    key: ClassVar[str]
    names: ClassVar[frozenset[str]] = frozenset()
    """What the formula under `key` may read beside constants; empty where the key holds no formula."""

    @property
    def states_totals(self) -> bool:
        """Whether totals from nothing are stated, not the costs of one level."""
        return getattr(self, "gives", "cost") == "total"


class FormulaWay(CostWay):
    """A formula of the level."""

    key = "formula"
    names = frozenset({"level"})
    formula: FormulaText
    """Cost (or total) by `level`: the level being left for a cost, being reached for a total."""
    gives: Gives = "cost"
    """Whether the numbers are costs of one level or totals from nothing."""


class StepsWay(CostWay):
    """Each cost from the one before."""

    key = "next"
    names = frozenset({"previous", "level"})
    first: Number | None = None
    """The first cost; a segment may go on from the cost before it instead."""
    next: FormulaText
    """The cost of a level from the one before: a formula of `previous` and `level`."""
    round_each_step: bool = False
    """Whether the rounded value feeds on (default: the exact one does)."""


class ValuesWay(CostWay):
    """A list."""

    key = "values"
    values: list[Number]
    """The costs (or totals) one by one."""
    gives: Gives = "cost"
    """Whether the numbers are costs of one level or totals from nothing."""
    beyond: Beyond = "error"
    """What holds past the last value: nothing (an error), or the last cost."""


class FileColumns(Model):
    """What a cost file calls its columns."""

    level: Annotated[str, Field(min_length=1)] = "level"
    """The column of levels."""
    cost: Annotated[str, Field(min_length=1)] = "cost"
    """The column of costs."""
    total: Annotated[str, Field(min_length=1)] = "total"
    """The column of totals."""


class FileWay(CostWay):
    """A table in a file."""

    key = "file"
    file: str
    """A CSV, JSON, XLSX or Parquet file with columns `level` and `cost` or `total`."""
    sheet: str | None = None
    """The sheet of an XLSX file (default: the first)."""
    columns: FileColumns | None = None
    """What the file calls its columns, where it is not `level`, `cost` and `total`."""
    gives: Gives | None = None
    """Which column to read where both are there (default: cost)."""
    beyond: Beyond = "error"
    """What holds past the last value: nothing (an error), or the last cost."""


class PointsWay(CostWay):
    """A curve through a few points."""

    key = "points"
    points: Points
    """A few [level, xp] pairs on the curve."""
    between: Between = "straight"
    """How to go from point to point."""
    gives: Gives = "cost"
    """Whether the numbers are costs of one level or totals from nothing."""
    beyond: Beyond = "error"
    """What holds outside the points: nothing (an error), or the nearest cost."""


class LevelFromXpWay(CostWay):
    """A level read off total XP."""

    key = "level_from_xp"
    names = frozenset({"xp"})
    level_from_xp: FormulaText
    """The level as a formula of total XP earned, `xp`."""

    @property
    def states_totals(self) -> bool:
        """It states what each level needs in all."""
        return True


class Segment(CostWay):
    """A part of the levels with a way of its own."""

    kinds: ClassVar[dict[str, type[Segment]]] = {}
    from_level: Level
    """The first level whose cost this segment states."""

    @classmethod
    def __pydantic_init_subclass__(cls, **_: Any) -> None:
        cls.kinds[cls.key] = cls


class FormulaSegment(FormulaWay, Segment):
    """A segment by formula."""


class StepsSegment(StepsWay, Segment):
    """A segment step by step."""


class ValuesSegment(ValuesWay, Segment):
    """A segment by list."""


class FileSegment(FileWay, Segment):
    """A segment from a file."""


class PointsSegment(PointsWay, Segment):
    """A segment through points."""


class LevelFromXpSegment(LevelFromXpWay, Segment):
    """A segment read off total XP."""


class Cost(CostWay):
    """What each level costs: one of the ways, then limits, then rounding."""

    kinds: ClassVar[dict[str, type[Cost]]] = {}
    at_least: Number | None = None
    """The lowest cost of a level."""
    at_most: Number | None = None
    """The highest cost of a level."""
    rounding: Rounding = "down"
    """How costs (or totals, where those are stated) become whole."""
    rounding_to: RoundingTo = None
    """A multiple of what it becomes, such as 10 (default: whole numbers)."""

    @classmethod
    def __pydantic_init_subclass__(cls, **_: Any) -> None:
        cls.kinds[cls.key] = cls

    def model_post_init(self, _: Any) -> None:
        """Refuse limits that leave nothing between them."""
        ordered(self, "at_least", "at_most", "is above")
        rounded_to(self.rounding, self.rounding_to)


class FormulaCost(FormulaWay, Cost):
    """Costs by formula."""


class StepsCost(StepsWay, Cost):
    """Costs step by step."""

    def model_post_init(self, context: Any) -> None:
        """Refuse steps from nowhere."""
        super().model_post_init(context)
        if self.first is None:
            raise _mistake("'next' without 'first'", "'first': the cost of the first level", "cost-way")


class ValuesCost(ValuesWay, Cost):
    """Costs by list."""


class FileCost(FileWay, Cost):
    """Costs from a file."""


class PointsCost(PointsWay, Cost):
    """Costs through points."""


class LevelFromXpCost(LevelFromXpWay, Cost):
    """Costs read off total XP."""


def _way_of(kinds: Mapping[str, type[CostWay]], value: Any) -> type[CostWay]:
    """Return the class of a table of costs, by the one key that tells."""
    if not isinstance(value, dict):
        raise _mistake(f"{value!r} is not a table", "a table of keys and values")
    given = [key for key in kinds if value.get(key) is not None]
    allowed = "exactly one of " + ", ".join(kinds)
    if len(given) > 1:
        raise _mistake(" and ".join(given) + " together", allowed, "cost-way")
    if not given:
        near = next((near for key in value if (near := nearest_name(str(key), kinds))), None)
        found = ", ".join(shortly(str(key)) for key in list(value)[:MOST_NAMED])
        raise _mistake(f"no costs are stated by {found}" if value else "no costs are stated", allowed, "cost-way", near)
    return kinds[given[0]]


def way_of_segment(value: Any) -> type[CostWay]:
    """Return the class of one segment's table."""
    return _way_of(Segment.kinds, value)


def way_of_cost(value: Any) -> type[CostWay]:
    """Return the class of a track's cost table."""
    return _way_of(Cost.kinds, value)


def _segment(value: Any) -> Any:
    return value if isinstance(value, Segment) else way_of_segment(value).model_validate(value)


def _cost(value: Any) -> Any:
    return value if isinstance(value, Cost) else way_of_cost(value).model_validate(value)


_AS_ITS_KIND = PlainSerializer(
    lambda way, info: way.model_dump(mode=info.mode, exclude_unset=info.exclude_unset), return_type=Any
)
AnySegment = Annotated[Segment, PlainValidator(_segment), _AS_ITS_KIND, OneOf(Segment.kinds, "How to state a segment")]


class SegmentsCost(Cost):
    """Ways that follow one another; each holds until the next starts."""

    key = "segments"
    segments: Annotated[list[AnySegment], Field(min_length=1)]
    """The segments, in order of level."""


AnyCost = Annotated[Cost, PlainValidator(_cost), _AS_ITS_KIND, OneOf(Cost.kinds, "How to state costs")]
