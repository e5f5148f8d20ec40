"""The grid that encounters are tabulated over: player profile × level × column.

A column is a source at one level of the skill it depends on. A source that depends on no skill has one column, so
the grid stays dense where skills are few.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ramulus.design.names import stat_track
from ramulus.formula import parse
from ramulus.formula.functions import Array
from ramulus.rules.evaluating import evaluate_at, fault
from ramulus.rules.stats import stat_table

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.source import Source

Index = NDArray[np.int64]
MOST_CELLS = 20_000_000


@dataclass(frozen=True, eq=False)
class Grid:
    """Profiles × levels × columns, and the names that formulas see there.

    Attributes:
        design: the design.
        profiles: names of the player profiles, P of them ("" where the design has none).
        levels: main-track levels, shape (L,).
        sources: names of the sources, S of them.
        source_of: the source of each column, shape (C,).
        skill_level: the level of the skill the source depends on, shape (C,); 0 where it depends on none.
        first_column: the first column of each source, shape (S,).
        width: how many columns a source has, shape (S,).
        skill_track: the name of the skill track each source depends on, or "".
        names: arrays by name that broadcast to (P, L, C); constants are numbers.
        open: whether a source is open at a level, shape (L, C).
    """

    design: Design
    profiles: tuple[str, ...]
    levels: Array
    sources: tuple[str, ...]
    source_of: Index
    skill_level: Array
    first_column: Index
    width: Index
    skill_track: tuple[str, ...]
    names: Mapping[str, Array]
    open: NDArray[np.bool_]

    @property
    def shape(self) -> tuple[int, int, int]:
        """(P, L, C)."""
        return len(self.profiles), len(self.levels), len(self.source_of)

    def columns_of(self, sources: list[int]) -> Index:
        """Return the columns of some sources."""
        return np.nonzero(np.isin(self.source_of, sources))[0]

    def names_for(self, columns: Index) -> dict[str, Array]:
        """Return the names as formulas over only some columns see them."""
        whole = len(self.source_of)
        return {
            name: array[..., columns] if array.ndim == 3 and array.shape[-1] == whole else array
            for name, array in self.names.items()
        }


def make_grid(design: Design, profiles: list[str] | None = None) -> Grid:
    """Return the grid of a design for some player profiles (default: all of them).

    Raises:
        MissingPartError: the design has no sources.
        DesignError: a stat or a source's own number fails, or a formula needs two skills at once.
    """
    design.require("sources", "this")
    chosen = tuple(profiles if profiles is not None else design.players) or ("",)
    main = design.track()
    levels = np.arange(main.start_level, main.max_level + 1, dtype=np.float64)
    skills = [_skill_of(design, name, source) for name, source in design.sources.items()]
    spans = [_skill_levels(design, skill) for skill in skills]
    width = np.array([len(span) for span in spans], dtype=np.int64)
    source_of = np.repeat(np.arange(len(spans)), width)
    cells = len(chosen) * len(levels) * len(source_of)
    if cells > MOST_CELLS:
        found = f"{len(chosen)} profiles × {len(levels)} levels × {len(source_of)} sources and skill levels"
        raise fault("sources", f"{found} make {cells:,} cells", f"at most {MOST_CELLS:,}", "design-too-large")
    skill_level = np.concatenate(spans)
    layout = (design, chosen, levels, tuple(design.sources), source_of, skill_level)
    first = np.concatenate([[0], np.cumsum(width)[:-1]]).astype(np.int64)
    names = _names(design, chosen, levels, source_of, skill_level, skills)
    return Grid(*layout, first, width, tuple(skills), names, open_at(design, levels)[:, source_of])


def _skill_levels(design: Design, skill: str) -> Array:
    if not skill:
        return np.zeros(1)
    track = design.track(skill)
    return np.arange(track.start_level, track.max_level + 1, dtype=np.float64)


def _skill_of(design: Design, name: str, source: Source) -> str:
    """Return the skill track a source depends on: the one it practises, or the one its formulas use."""
    used = {source.skill} if source.skill else set()
    for formula in _formulas_of(design, source):
        for word in parse(formula).names:
            if word in design.stats:
                used.add(stat_track(design, design.stats[word]))
    used.discard(design.main_track_name)
    if len(used) > 1:
        listed = " and ".join(sorted(str(track) for track in used))
        raise fault(f"sources.{name}", f"it depends on two skills, {listed}", "one skill a source", "two-skills")
    return next(iter(used), None) or ""


def _formulas_of(design: Design, source: Source) -> list[str]:
    encounter = design.encounter
    shared = [encounter.seconds, encounter.success] if encounter else [None, None]
    found = [
        own if own is not None else other for own, other in zip((source.seconds, source.success), shared, strict=True)
    ]
    if encounter:
        found.append(encounter.weight)
        found += [text for text in encounter.show.values() if has_numbers(design, source, text)]
    return [text for text in found if isinstance(text, str)]


def has_numbers(design: Design, source: Source, text: float | str) -> bool:
    """Whether a source has every own number that a shown column needs."""
    if not isinstance(text, str):
        return True
    everyone = {number for other in design.sources.values() for number in other.numbers}
    return all(name in source.numbers for name in parse(text).names if name in everyone)


def open_at(design: Design, levels: Array) -> NDArray[np.bool_]:
    """Return whether each source is open at each level, shape (levels, sources)."""
    low = np.array([-np.inf if s.from_level is None else s.from_level for s in design.sources.values()])
    high = np.array([np.inf if s.to_level is None else s.to_level for s in design.sources.values()])
    return (levels[:, None] >= low) & (levels[:, None] <= high)


def _names(
    design: Design,
    profiles: tuple[str, ...],
    levels: Array,
    source_of: Index,
    skill_level: Array,
    skills: list[str],
) -> dict[str, Array]:
    sources = list(design.sources.values())
    level = levels[None, :, None]
    source_level = np.array([source.level for source in sources], dtype=np.float64)[source_of][None, None, :]
    names = {name: np.asarray(value, dtype=np.float64) for name, value in design.constants.items()}
    names.update(level=level, source_level=source_level, gap=level - source_level)
    names["skill_level"] = skill_level[None, None, :]
    for number in dict.fromkeys(number for source in sources for number in source.numbers):
        names[number] = _own_numbers(design, number)[source_of][None, None, :]
    names.update(_stats(design, profiles, source_of, skill_level, skills))
    if profiles != ("",):
        for trait in dict.fromkeys(t for name in profiles for t in design.player(name).traits):
            values = [design.player(name).traits.get(trait, np.nan) for name in profiles]
            names[trait] = np.array(values, dtype=np.float64)[:, None, None]
    return names


def _own_numbers(design: Design, number: str) -> Array:
    """Return one of the author's own numbers for every source; not a number where a source lacks it."""
    values = np.full(len(design.sources), np.nan)
    for index, (name, source) in enumerate(design.sources.items()):
        if number in source.numbers:
            names = {**design.constants, "source_level": float(source.level)}
            values[index] = evaluate_at(f"sources.{name}.{number}", source.numbers[number], names)
    return values


def _stats(
    design: Design, profiles: tuple[str, ...], source_of: Index, skill_level: Array, skills: list[str]
) -> dict[str, Array]:
    tables = [stat_table(design, name or None) for name in profiles]
    skill_of_column = np.array(skills, dtype=object)[source_of]
    found: dict[str, Array] = {}
    for name, stat in design.stats.items():
        track = stat_track(design, stat)
        if track == design.main_track_name:
            found[name] = np.stack([table[name] for table in tables])[:, :, None]
            continue
        # A skill's stat is known in the columns that have a level of that skill.
        mine = skill_of_column == track
        index = np.where(mine, skill_level - design.track(track).start_level, 0).astype(np.int64)
        found[name] = np.where(mine, tables[0][name][index], np.nan)[None, None, :]
    return found
