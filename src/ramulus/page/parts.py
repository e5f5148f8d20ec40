"""What a page is made of: sections of words, tables and figures."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING, Any

from ramulus.plots.labels import shortened
from ramulus.words.writers import Column, significant

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Iterator, Mapping

    import pandas as pd

MOST_ROWS = 400
LONGEST_CELL = 400


@dataclass(frozen=True)
class Cell:
    """One cell: its text, what it sorts by (None: by its text), and a word that a style may go by."""

    text: str
    value: float | None = None
    tone: str = ""


@dataclass(frozen=True)
class Table:
    """A table that can be sorted by each of its columns.

    Attributes:
        title: what it shows.
        heads: the head of each column, with its unit.
        rows: the cells.
        note: what is left out, or how to get more.
        numeric: for each column, whether it holds numbers.
    """

    title: str
    heads: tuple[str, ...]
    rows: tuple[tuple[Cell, ...], ...]
    note: str = ""
    numeric: tuple[bool, ...] = ()
    kind: str = "table"


@dataclass(frozen=True)
class Drawn:
    """What a figure shows: told in words, drawn as SVG, and as numbers."""

    words: str
    svg: str
    numbers: Table | None = None
    kind: str = "drawn"


@dataclass(frozen=True)
class Figure:
    """A figure; it is drawn when it is first looked at, and kept.

    Attributes:
        name: once on a page.
        title: what it is called.
        make: draws it; words, where there is nothing to draw.
    """

    name: str
    title: str
    make: Callable[[], Drawn | Words]
    kind: str = "figure"

    @cached_property
    def drawn(self) -> Drawn | Words:
        """What it shows."""
        return self.make()


@dataclass(frozen=True)
class Words:
    """Paragraphs, or what is missing with the smallest example of it."""

    lines: tuple[str, ...]
    example: str = ""
    kind: str = "words"


@dataclass(frozen=True)
class Groups:
    """What is to be said of several things, a few lines each, side by side: (name, lines) of each."""

    groups: tuple[tuple[str, tuple[str, ...]], ...]
    kind: str = "groups"


@dataclass(frozen=True)
class Folded:
    """Parts that open when they are asked for."""

    title: str
    parts: tuple[Part, ...]
    kind: str = "folded"


@dataclass(frozen=True)
class Panel:
    """Where XP is handed out.

    Attributes:
        script: the exported code.
        sources: those that have a button.
        track: the main track.
        chains: by source and level, the multipliers that change its award: (name, factor), in order.
    """

    script: str
    sources: tuple[str, ...]
    track: str
    chains: Mapping[str, Mapping[int, list[tuple[str, float]]]] = field(default_factory=dict)
    kind: str = "panel"


Part = Table | Figure | Words | Groups | Folded | Panel


@dataclass(frozen=True)
class Section:
    """A section of the page."""

    name: str
    title: str
    parts: tuple[Part, ...] = field(default=())


def figures_of(parts: Iterable[Part]) -> Iterator[Figure]:
    """Yield the figures among some parts, folded ones too."""
    for part in parts:
        if isinstance(part, Figure):
            yield part
        elif isinstance(part, Folded):
            yield from figures_of(part.parts)


def table_of(frame: pd.DataFrame, heads: Mapping[str, Column], title: str, note: str = "") -> Table:
    """Return a table for the page from a data frame.

    Args:
        frame: the rows, under their Python names.
        heads: how columns are headed and written; the others show as plain numbers or text.
        title: what it shows.
        note: is written below it.
    """
    left_out = len(frame) - MOST_ROWS
    if left_out > 0:
        frame, more = frame.head(MOST_ROWS), f"{left_out:,} more rows are left out here"
        note = f"{note} · {more}" if note else more
    columns = {str(name): heads.get(str(name), Column(str(name), significant)) for name in frame.columns}
    written = [[_cell(value, columns[name]) for value in frame[name].tolist()] for name in columns]
    numeric = tuple(any(cell.value is not None for cell in column) for column in written)
    head = tuple(column.head.replace("\n", " ").strip() for column in columns.values())
    return Table(title, head, tuple(zip(*written, strict=True)), note, numeric)


def _cell(value: Any, column: Column) -> Cell:
    number = isinstance(value, (int, float)) and not isinstance(value, bool)
    text = shortened("–" if value is None else column.write(value), LONGEST_CELL)
    return Cell(text, float(value) if number and value == value else None, text if text in TONES else "")


TONES = ("met", "missed", "open", "error", "warning", "note")
