"""The columns that encounters are tabulated over, next to the main track's levels.

A column is a source at one level of the skill it depends on. A source that depends on no skill has one column, so
the tables stay dense where skills are few.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ramulus.design.base import MOST_LEVEL
from ramulus.design.names import selects, stat_track
from ramulus.formula import parse
from ramulus.formula.functions import Array
from ramulus.rules.ability import classes_of
from ramulus.rules.evaluating import evaluate_at, fault
from ramulus.rules.limits import open_levels

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.source import Source

Index = NDArray[np.int64]
MOST_CELLS = 20_000_000


@dataclass(frozen=True, eq=False)
class Columns:
    """Levels × columns, whoever plays. L levels, C columns, S sources.

    Attributes:
        levels: main-track levels, shape (L,).
        sources: names of the sources; of practice each as often as it practises skills.
        source_of: the source of each column, shape (C,).
        skill_level: the level of the skill the source depends on, shape (C,); 0 where it depends on none.
        first_column: the first column of each source, shape (S,).
        width: how many columns a source has, shape (S,).
        skill_track: the name of the skill track each source depends on, or "".
        open: whether a source is open at a level, shape (L, C).
        source_level: the source's own level, shape (L, C), or (1, C) where none follows the player's.
        numbers: the author's own numbers by name, shape (L, C) or (1, C) each; not a number where a source lacks one.
    """

    levels: Array
    sources: tuple[str, ...]
    source_of: Index
    skill_level: Array
    first_column: Index
    width: Index
    skill_track: tuple[str, ...]
    open: NDArray[np.bool_]
    source_level: Array
    numbers: dict[str, Array]

    @property
    def shape(self) -> tuple[int, int]:
        """(L, C)."""
        return len(self.levels), len(self.source_of)

    @cached_property
    def by_source(self) -> Columns:
        """One column a source: its first, for what no skill level changes."""
        first, count = self.first_column, len(self.sources)
        return Columns(
            self.levels, self.sources, np.arange(count), self.skill_level[first], np.arange(count),
            np.ones(count, np.int64), self.skill_track, self.open[:, first], self.source_level[:, first],
            {name: values[:, first] for name, values in self.numbers.items()},
        )  # fmt: skip

    @property
    def follow(self) -> bool:
        """Whether a source's level or own numbers follow the player's level."""
        return any(len(values) > 1 for values in (self.source_level, *self.numbers.values()))

    def met_at(self, level: float) -> Columns:
        """Return the columns with every source as a player of one level meets it, whatever the level is."""
        row = int(level - self.levels[0])
        numbers = {name: values[min(row, len(values) - 1)][None, :] for name, values in self.numbers.items()}
        source_level = self.source_level[min(row, len(self.source_level) - 1)][None, :]
        return replace(self, source_level=source_level, numbers=numbers)

    def of(self, sources: list[int]) -> Index:
        """Return the columns of some sources."""
        wanted = np.zeros(len(self.sources), dtype=np.bool_)
        wanted[sources] = True
        return np.flatnonzero(wanted[self.source_of])

    def at_skill(self, skill_level: int | None) -> Index:
        """Return one column a source: the one at a skill level (past the cap: the cap's), or at the skill's start."""
        if skill_level is None:
            return self.first_column
        start = self.skill_level[self.first_column].astype(np.int64)
        return self.first_column + np.clip(skill_level - start, 0, self.width - 1)

    def spread(self, by_source: list[Array]) -> Array:
        """Return numbers by level, an array of shape (L,) a source, over the columns, shape (L, C)."""
        over: Array = np.stack(by_source, axis=1)[:, self.source_of]
        return over

    def source_at(self, column: int) -> str:
        """Return the name of the source of a column."""
        return self.sources[int(self.source_of[column])]


def columns_of(design: Design) -> Columns:
    """Compute the columns of a design.

    Raises:
        MissingPartError: the design has no sources.
        DesignError: a source's own number fails, or a formula needs two skills at once, or there are too many cells.
    """
    design.require("sources", "this")
    skills = [_skill_of(design, name, source) for name, source in design.sources.items()]
    return _columns(design, [(index, skill) for index, skill in enumerate(skills)])


def practice_of(design: Design) -> Columns:
    """Compute the columns of what is practised: as `Columns`, with a source for each skill that it practises.

    A source that practises two skills is there twice, each time at the levels of one of them.

    Raises:
        DesignError: a multiplier of a skill's award reads a stat of another skill, or there are too many cells.
    """
    for name, source in design.sources.items():
        for skill in source.practised:
            _refuse_other_skills(design, name, skill)
    sources = enumerate(design.sources.values())
    return _columns(design, [(index, skill) for index, source in sources for skill in source.practised])


def _columns(design: Design, entries: list[tuple[int, str]]) -> Columns:
    main, all_sources = design.track(), list(design.sources.values())
    levels = np.arange(main.start_level, main.max_level + 1, dtype=np.float64)
    spans = [_skill_levels(design, skill) for _, skill in entries]
    width = np.array([len(span) for span in spans], dtype=np.int64)
    entry_of, which = np.repeat(np.arange(len(spans)), width), np.array([index for index, _ in entries], dtype=np.int64)
    source_of = which[entry_of]
    _refuse_size(design, len(levels), len(source_of))
    is_open = np.stack([open_levels(source).hold(levels) for source in all_sources], axis=1)
    source_level = _source_levels(design, levels, is_open)
    numbers = {name: _own_numbers(design, name, levels, source_level, is_open) for name in _numbers(design)}
    return Columns(
        levels,
        tuple(list(design.sources)[index] for index in which.tolist()),
        entry_of,
        np.concatenate([np.zeros(0), *spans]),
        np.cumsum(np.concatenate([[0], width]))[: len(width)].astype(np.int64),
        width,
        tuple(skill for _, skill in entries),
        is_open[:, source_of],
        source_level[:, source_of],
        {name: values[:, source_of] for name, values in numbers.items()},
    )


def _refuse_size(design: Design, levels: int, columns: int) -> None:
    kinds = sum(classes_of(player) for player in design.profiles.values())
    cells = kinds * levels * columns
    if cells > MOST_CELLS:
        what = "profiles" if kinds == len(design.profiles) else "profiles and abilities"
        found = f"{kinds} {what} × {levels} levels × {columns} sources and skill levels"
        raise fault("sources", f"{found} make {cells:,} cells", f"at most {MOST_CELLS:,}", "design-too-large")


def _skill_levels(design: Design, skill: str) -> Array:
    if not skill:
        return np.zeros(1)
    track = design.track(skill)
    return np.arange(track.start_level, track.max_level + 1, dtype=np.float64)


def _skill_of(design: Design, name: str, source: Source) -> str:
    """Return the skill track a source depends on: the first that it practises, or the one its formulas use."""
    used = set(list(source.practised)[:1])
    for formula in _formulas_of(design, name, source):
        for word in parse(formula).names:
            if word in design.stats:
                used.add(stat_track(design, design.stats[word]))
    used.discard(design.main_track_name)
    if len(used) > 1:
        listed = " and ".join(sorted(str(track) for track in used))
        raise fault(f"sources.{name}", f"it depends on two skills, {listed}", "one skill a source", "two-skills")
    return next(iter(used), None) or ""


def _refuse_other_skills(design: Design, name: str, skill: str) -> None:
    """Refuse multipliers of a skill's award that read a stat of another skill, whose level is not known there."""
    for index, rule in enumerate(design.multipliers):
        for key, text in (("factor", rule.factor), ("against", rule.against)):
            if not isinstance(text, str) or not selects(design, rule, name, skill):
                continue
            for word in parse(text).names:
                track = stat_track(design, design.stats[word]) if word in design.stats else skill
                if track not in (skill, design.main_track_name):
                    found = f"it scales what {name!r} awards to {skill!r}, and reads {word!r}, a stat of {track!r}"
                    allowed = f"tracks that leave {skill!r} out, or a stat of {skill!r} or {design.main_track_name!r}"
                    raise fault(f"multipliers[{index}].{key}", found, allowed, "two-skills")


def _formulas_of(design: Design, name: str, source: Source) -> list[str]:
    """Return the formulas of a source's encounters, and of the multipliers of its main award."""
    encounter, main = design.encounters, design.main_track_name
    rules = [rule for rule in design.multipliers if selects(design, rule, name, main)]
    drains = [drain for stage in (encounter, encounter.failure) for drain in stage.drain.values()]
    found = [
        encounter.seconds if source.seconds is None else source.seconds,
        encounter.success if source.success is None else source.success,
        encounter.weight,
        *(text for text in encounter.show.values() if has_numbers(design, source, text)),
        *drains,
        *(text for rule in rules for text in (rule.factor, rule.against)),
    ]
    return [text for text in found if isinstance(text, str)]


def has_numbers(design: Design, source: Source, text: float | str) -> bool:
    """Whether a source has every own number that a shown column needs."""
    if not isinstance(text, str):
        return True
    return all(name in source.numbers for name in parse(text).names if name in _numbers(design))


def _numbers(design: Design) -> list[str]:
    return list(dict.fromkeys(number for source in design.sources.values() for number in source.numbers))


def _source_levels(design: Design, levels: Array, is_open: NDArray[np.bool_]) -> Array:
    """Return the level of every source, shape (L, S), or (1, S) where none follows the player's.

    Raises:
        DesignError: a formula fails where the source is open, or gives no level.
    """
    stated = [source.level for source in design.sources.values()]
    if not any(isinstance(level, str) for level in stated):
        return np.array([stated], dtype=np.float64)
    found = np.empty((len(levels), len(stated)))
    for index, (name, level) in enumerate(zip(design.sources, stated, strict=True)):
        place, here = f"sources.{name}.level", is_open[:, index]
        values = np.floor(evaluate_at(place, level, {**design.constants, "level": levels}, here))
        found[:, index] = values
        outside = here & ~((found[:, index] >= 0) & (found[:, index] <= MOST_LEVEL))
        if outside.any():
            row = int(np.flatnonzero(outside)[0])
            raise fault(place, f"{found[row, index]:.6g} at level {levels[row]:g}", f"a level 0 … {MOST_LEVEL}")
    return found


def _own_numbers(
    design: Design, number: str, levels: Array, source_level: Array, is_open: NDArray[np.bool_]
) -> Array:  # fmt: skip
    """Return one of the author's own numbers for every source, shape (L, S), or (1, S) where it follows no level."""
    values = np.full((len(levels), len(design.sources)), np.nan)
    for index, (name, source) in enumerate(design.sources.items()):
        if number in source.numbers:
            names = {**design.constants, "level": levels, "source_level": source_level[:, index]}
            here = is_open[:, index]
            values[:, index] = evaluate_at(f"sources.{name}.{number}", source.numbers[number], names, here)
    follows = any(
        {"level", *(["source_level"] if len(source_level) > 1 else [])} & set(parse(text).names)
        for source in design.sources.values()
        if isinstance(text := source.numbers.get(number), str)
    )
    return values if follows else values[:1]
