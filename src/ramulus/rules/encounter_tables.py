"""Encounters of one player profile, tabulated: seconds, chance of success, weight, skill XP and shown columns."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ramulus.design.base import MOST_XP
from ramulus.design.names import stat_track
from ramulus.errors import MissingPartError, nearest_name
from ramulus.formula.functions import Array
from ramulus.rules.ability import ability_of, in_words, traits_of
from ramulus.rules.columns import Columns, Index, has_numbers
from ramulus.rules.evaluating import evaluate_at, fault

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.rules.stats import StatCurve


@dataclass(frozen=True, eq=False)
class Scene:
    """One profile over levels × columns, and the names that formulas see there.

    Attributes:
        design: the design.
        profile: the profile's name.
        ability: words for the players' ability, where it differs within the profile; else nothing.
        columns: the levels and columns.
        names: arrays by name that broadcast to (L, C); constants are numbers.
    """

    design: Design
    profile: str
    ability: str
    columns: Columns
    names: Mapping[str, Array]

    def by_source(self) -> Scene:
        """Return the scene over one column a source, its first: for formulas that no skill level changes."""
        whole, first = len(self.columns.source_of), self.columns.first_column
        names = {
            name: array[..., first] if array.ndim == 2 and array.shape[-1] == whole else array
            for name, array in self.names.items()
        }
        return Scene(self.design, self.profile, self.ability, self.columns.by_source, names)

    def met_at(self, level: float) -> Scene:
        """Return the scene with every source as a player of one level meets it."""
        columns = self.columns.met_at(level)
        names = {**self.names, **as_met(columns)}
        return Scene(self.design, self.profile, self.ability, columns, names)

    def evaluated(self, place: str, value: float | str, columns: Index) -> Array:
        """Return a number or formula over some columns; it may fail where a source is closed."""
        whole = len(self.columns.source_of)
        names = {
            name: array[..., columns] if array.ndim == 2 and array.shape[-1] == whole else array
            for name, array in self.names.items()
        }
        # A formula may fail at levels where the source is closed; nobody meets it there.
        return evaluate_at(place, value, names, self.columns.open[:, columns])

    def refuse(self, place: str, values: Array, bad: NDArray[np.bool_], word: str, allowed: str, code: str) -> None:
        """Raise a DesignError at the first bad value of an open source."""
        bad = bad & self.columns.open
        if bad.any():
            level, column = (int(axis[0]) for axis in np.nonzero(bad))
            there = f"level {self.columns.levels[level]:g}{self.whom}"
            found = f"{word} of {values[level, column]:.6g} at {there} with source {self.columns.source_at(column)!r}"
            raise fault(place, found, allowed, code)

    @property
    def whom(self) -> str:
        """Words that name the profile, where the design has profiles."""
        return f" for {self.profile!r}{self.ability}" if self.design.players else ""


def make_scene(
    design: Design, profile: str, columns: Columns, stats: Mapping[str, StatCurve], ability_class: int
) -> Scene:
    """Return a profile's scene: every name that a formula may read there.

    Args:
        design: the design.
        profile: the profile's name.
        columns: the levels and columns.
        stats: the profile's stats.
        ability_class: where its players stand among their like.
    """
    names = {name: np.asarray(value, dtype=np.float64) for name, value in design.constants.items()}
    names.update(level=columns.levels[:, None], skill_level=columns.skill_level[None, :], **as_met(columns))
    names.update({name: _stat_over(design, columns, curve) for name, curve in stats.items()})
    names.update(traits_of(design, profile, columns.levels, ability_class))
    words = in_words(design.profile(profile), ability_of(ability_class))
    return Scene(design, profile, words, columns, names)


def as_met(columns: Columns) -> dict[str, Array]:
    """Return the names whose values are the source's, as it is met."""
    gap = columns.levels[:, None] - columns.source_level
    return {"source_level": columns.source_level, "gap": gap, **columns.numbers}


def _stat_over(design: Design, columns: Columns, curve: StatCurve) -> Array:
    """Return a stat over levels × columns; a skill's stat is known in the columns that have a level of that skill."""
    track = stat_track(design, design.stats[curve.name])
    if track == design.main_track_name:
        return curve.values[:, None]
    mine = np.array(columns.skill_track, dtype=object)[columns.source_of] == track
    index = np.where(mine, columns.skill_level - curve.levels[0], 0).astype(np.int64)
    return np.where(mine, curve.values[index], np.nan)[None, :]


def _mistyped(design: Design, key: str) -> str:
    """Return the place of a source's own number that looks like a key which is missing; "" where there is none."""
    for name, source in design.sources.items():
        if getattr(source, key) is None and (near := nearest_name(key, source.numbers)):
            return f"sources.{name}.{near}"
    return ""


class EncounterTables:
    """What an encounter of one profile takes, by level and column; each table is made when first asked for.

    Attributes:
        scene: the profile, levels and columns.
    """

    def __init__(self, scene: Scene, practice: Callable[[], Scene]) -> None:
        self.scene, self._practice = scene, practice

    @cached_property
    def practice(self) -> Scene:
        """The scene over the columns of what is practised."""
        return self._practice()

    def met_at(self, level: float) -> EncounterTables:
        """Return the tables with every source as a player of one level meets it."""
        return EncounterTables(self.scene.met_at(level), lambda: self.practice.met_at(level))

    def _by_source(self, key: str, default: float | str | None) -> Array:
        """Evaluate a source's own number or formula where it has one, and the encounter's for all others."""
        columns, design = self.scene.columns, self.scene.design
        values = np.ones(columns.shape)
        shared = [i for i, source in enumerate(design.sources.values()) if getattr(source, key) is None]
        for index, (name, source) in enumerate(design.sources.items()):
            if getattr(source, key) is not None:
                mine = columns.of([index])
                values[:, mine] = self.scene.evaluated(f"sources.{name}.{key}", getattr(source, key), mine)
        if shared and default is not None:
            mine = columns.of(shared)
            values[:, mine] = self.scene.evaluated(f"encounter.{key}", default, mine)
        return values

    def _refuse(self, key: str, values: Array, bad: NDArray[np.bool_], word: str, allowed: str, code: str) -> None:
        if not bad.any():
            return
        for index, (name, source) in enumerate(self.scene.design.sources.items()):
            own = getattr(source, key) is not None
            here = bad & (self.scene.columns.source_of == index)
            self.scene.refuse(f"sources.{name}.{key}" if own else f"encounter.{key}", values, here, word, allowed, code)

    @cached_property
    def seconds(self) -> Array:
        """Time of an attempt, before variation and the player's own factor, shape (L, C).

        Raises:
            MissingPartError: nothing says how long an encounter with some source takes.
            DesignError: a time is negative, or its formula fails.
        """
        default = self.scene.design.encounters.seconds
        if default is None and any(source.seconds is None for source in self.scene.design.sources.values()):
            raise MissingPartError(
                "encounter.seconds", "the time of an encounter", '[encounter]\nseconds = "20 + level"',
                _mistyped(self.scene.design, "seconds"),
            )  # fmt: skip
        values = self._by_source("seconds", default)
        self._refuse("seconds", values, values < 0, "a time", "0 seconds or more", "negative-time")
        return np.where(self.scene.columns.open, values, 0.0)

    @cached_property
    def success(self) -> Array:
        """Chance of success, shape (L, C).

        Raises:
            DesignError: a chance is outside 0 … 1, or its formula fails.
        """
        values = self._by_source("success", self.scene.design.encounters.success)
        outside = (values < 0) | (values > 1)
        self._refuse("success", values, outside, "a chance", "0 … 1 (clip it)", "chance-outside")
        return np.where(self.scene.columns.open, values, 0.0)

    @cached_property
    def weight(self) -> Array:
        """How often a source is met against the others, 0 where it is closed, shape (L, C).

        Raises:
            DesignError: a weight is negative, or all are 0 at a level, or the formula fails.
        """
        columns, design = self.scene.columns, self.scene.design
        everything = np.arange(len(columns.source_of))
        values = np.ones(columns.shape) * self.scene.evaluated("encounter.weight", design.encounters.weight, everything)
        self.scene.refuse("encounter.weight", values, values < 0, "a weight", "0 or more", "negative-weight")
        own = np.array([source.weight for source in design.sources.values()], dtype=np.float64)
        values = np.where(columns.open, values * own[columns.source_of], 0.0)
        lost = columns.open.any(axis=1) & (values.sum(axis=1) == 0)
        if lost.any():
            level = columns.levels[lost][0]
            found = f"sources are open at level {level:g}{self.scene.whom}, and all their weights are 0"
            raise fault("encounter.weight", found, "a weight above 0 for one of them", "all-weights-zero")
        return values

    @cached_property
    def skill_xp(self) -> Array:
        """XP for each skill that is practised, before multipliers, over the columns of practice, shape (L, P).

        Raises:
            DesignError: an amount is negative or too large, or its formula fails.
        """
        columns, sources = self.practice.columns, self.scene.design.sources
        values = np.zeros(columns.shape)
        for index, (name, skill) in enumerate(zip(columns.sources, columns.skill_track, strict=True)):
            mine, place = columns.of([index]), sources[name].skill_xp_place(name, skill)
            values[:, mine] = self.practice.evaluated(place, sources[name].practised[skill], mine)
            outside = ~((values[:, mine] >= 0) & (values[:, mine] <= MOST_XP)) & columns.open[:, mine]
            if outside.any():
                raise fault(place, f"{values[:, mine][outside][0]:.6g} XP", f"0 … {MOST_XP} XP")
        return np.where(np.isfinite(values), np.clip(values, 0, MOST_XP), 0.0)

    @cached_property
    def shown(self) -> dict[str, Array]:
        """The author's further columns, each (L, C), not a number where a source lacks a number."""
        columns, design = self.scene.columns, self.scene.design
        shown: dict[str, Array] = {}
        for name, text in design.encounters.show.items():
            having = [i for i, source in enumerate(design.sources.values()) if has_numbers(design, source, text)]
            mine = columns.of(having)
            shown[name] = np.full(columns.shape, np.nan)
            shown[name][:, mine] = self.scene.evaluated(f"encounter.show.{name}", text, mine)
        return shown
