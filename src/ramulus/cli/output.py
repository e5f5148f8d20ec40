"""Print tables: right-aligned numbers, units in the head, at most 100 columns; or CSV or JSON and nothing else."""

from __future__ import annotations

import re
import sys
import textwrap
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ramulus.cli.console import STYLES, WIDTH, console, say, tone_of
from ramulus.cli.options import Format
from ramulus.errors import UnknownNameError
from ramulus.showing import harmless
from ramulus.words.writers import Column, significant

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.formula.functions import Array

    Table = Mapping[str, Array]

MOST_ROWS = 1_000


@dataclass(frozen=True)
class Printing:
    """How a command prints: from its shared options.

    `about` is what its tables were made from, and `marks` are further keys of the JSON it writes. `own` are columns
    that a design names; `with_about` has what the tables were made from stand in CSV, too.
    """

    command: str
    format: Format = Format.table
    output: Path | None = None
    quiet: bool = False
    columns: tuple[str, ...] = ()
    marks: Mapping[str, str] = field(default_factory=dict)
    about: Callable[[], Mapping[str, Any]] = dict
    own: frozenset[str] = frozenset()
    with_about: bool = False

    def table(
        self,
        table: pd.DataFrame | Table,
        heads: Mapping[str, Column],
        title: str = "",
        foot: str = "",
        more: Mapping[str, pd.DataFrame] | None = None,
        sheet: str = "",
        strong: Sequence[bool] = (),
    ) -> None:
        """Print a table, or write it to the output file.

        Args:
            table: what to show, under its Python names: a table, or its columns as arrays, which are shown without
                loading what tables need.
            heads: how the columns look on a terminal, most important first; a column that is not among them
                shows as a plain number or text. What does not fit is left to the other formats.
            title: stands above the table.
            foot: stands below the table.
            more: further tables by name, which go where several find room: into JSON and workbooks.
            sheet: what the table's sheet of a workbook is called.
            strong: for each row, whether it stands out on a terminal.
        """
        table = self._chosen(table)
        if self.for_a_reader:
            _print_rich(table, heads, title, foot, whole=bool(self.columns), strong=strong)
            return
        if isinstance(table, Mapping):
            import pandas as pd

            table = pd.DataFrame(table)
        if self.output is not None:
            from ramulus.files import write_table

            records = self.format is Format.records
            several = more if self.output.suffix.lower() in (".json", ".xlsx") else None
            write_table(
                table, self.output, self.command, more, sheet=sheet, records=records, about=self._about(table, several),
                csv_about=self.with_about, **self.marks,
            )  # fmt: skip
            self.say(f"wrote {self.output}")
            if foot:
                self.say(foot)
        else:
            print(self._text(table, more), end="")

    def _text(self, table: pd.DataFrame, more: Mapping[str, pd.DataFrame] | None) -> str:
        from ramulus.files import table_csv, table_json, table_records

        if self.format is Format.csv:
            return table_csv(table, self._about(table, None) if self.with_about else None)
        if self.format is Format.records:
            return table_records(table) + "\n"
        return table_json(table, self.command, more, about=self._about(table, more), **self.marks) + "\n"

    def _about(self, table: pd.DataFrame, more: Mapping[str, pd.DataFrame] | None) -> dict[str, Any]:
        """Return what some tables were made from, with the unit of each of their columns."""
        from ramulus.words.units import units_of

        tables = (table, *(more or {}).values())
        numbers = dict.fromkeys(str(name) for one in tables for name in one.select_dtypes("number").columns)
        return {**self.about(), "units": units_of(self.command, [name for name in numbers if name not in self.own])}

    def _chosen(self, table: pd.DataFrame | Table) -> pd.DataFrame | Table:
        """Return the columns that were asked for, in that order.

        Raises:
            UnknownNameError: the table has no such column.
        """
        for name in self.columns:
            if name not in table:
                raise UnknownNameError("column", name, map(str, table))
        if isinstance(table, Mapping):
            return {name: table[name] for name in self.columns or table}
        return table[list(self.columns)] if self.columns else table

    @property
    def for_a_reader(self) -> bool:
        """Whether a table is printed for a reader, not for another program."""
        return self.format is Format.table and self.output is None

    def say(self, text: str) -> None:
        """Write a message to standard error, unless asked to be quiet."""
        if not self.quiet:
            print(harmless(text), file=sys.stderr)


COMPILES = "compiling for this design, 5 to 20 s, once on this machine"


def tell_of_compiling() -> None:
    """Have it said on standard error, once, when something is compiled: else a bar that stands still says nothing."""
    from ramulus.simulation.announced import Announced

    Announced.hook = lambda: print(COMPILES, file=sys.stderr)


@contextmanager
def waiting(doing: str, *, quiet: bool) -> Iterator[None]:
    """Say on standard error what takes a moment, while it does; nothing where nobody watches."""
    if quiet or not sys.stderr.isatty():
        yield
        return
    tell_of_compiling()
    with console(stderr=True).status(doing):
        yield


def _print_rich(
    table: pd.DataFrame | Table,
    heads: Mapping[str, Column],
    title: str,
    foot: str,
    *,
    whole: bool,
    strong: Sequence[bool],
) -> None:
    """Print a table; `whole`: in the order of its columns, which were asked for by name."""
    from rich.table import Table
    from rich.text import Text

    names = [] if whole else [name for name in heads if name in table]
    names += [name for name in table if name not in names]
    values = {name: table[name][:MOST_ROWS].tolist() for name in names}
    written = {name: _written(values[name], heads.get(name, Column(name, significant))) for name in names}
    shown, hidden = _fitting(names, heads, written)
    order = [name for name in table if name in shown]
    grid = Table(box=None, header_style="bold", pad_edge=False, show_edge=False, padding=(0, 1))
    for name in order:
        is_text = table[name].dtype == object or str(table[name].dtype) in ("str", "string")
        grid.add_column(Text(_head(name, heads)), justify="left" if is_text else "right", no_wrap=True)
    rows = max(map(len, values.values()), default=0)
    marked = [*strong, *([False] * (rows - len(strong)))]
    for stands_out, *cells in zip(marked, *(written[name] for name in order), strict=False):
        toned = [Text(cell, style=tone_of(name, cell)) for name, cell in zip(order, cells, strict=True)]
        grid.add_row(*toned, style=STYLES["strong"] if stands_out else "")
    shown_on = console()
    if title:
        shown_on.print(Text(title, style=STYLES["strong"]))
    shown_on.print(grid)
    left_out = max((len(table[name]) for name in names), default=0) - rows
    if left_out > 0:
        shown_on.print(Text(f"{left_out:,} more rows with --format csv or --output FILE", style=STYLES["quiet"]))
    if hidden:
        shown_on.print(Text(f"more columns with --format csv: {', '.join(hidden)}", style=STYLES["quiet"]))
    if foot:
        say(in_width(foot))


def in_width(text: str) -> str:
    """Return words in lines that fit; what is broken goes on below where its words began."""
    return "\n".join(
        line if len(line) <= WIDTH else textwrap.fill(line, WIDTH, subsequent_indent=" " * _words_start(line))
        for line in text.split("\n")
    )


def _words_start(line: str) -> int:
    """Return where the words of a line begin: after its indent, and after a name and the gap that sets it apart."""
    found = re.match(r"\s*(?:\S+ {2,})*", line)
    return min(found.end() if found else 0, WIDTH // 2)


def _head(name: str, heads: Mapping[str, Column]) -> str:
    return heads[name].head if name in heads else harmless(name)


def _written(values: list[Any], column: Column) -> list[str]:
    return [harmless(column.write(value)) for value in values]


def _fitting(
    names: list[str], heads: Mapping[str, Column], written: Mapping[str, list[str]]
) -> tuple[set[str], list[str]]:
    """Return the columns that fit, most important first, and the names of those that do not."""
    left = WIDTH
    shown: set[str] = set()
    hidden = []
    for name in names:
        lines = [*_head(name, heads).split("\n"), *written[name]]
        width = max(map(len, lines)) + 2
        if width <= left + 1:
            shown.add(name)
            left -= width
        else:
            hidden.append(name)
    return shown, hidden
