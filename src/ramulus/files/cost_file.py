"""Read a cost table from a spreadsheet's file, as spreadsheet people write them."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ramulus.errors import DataError
from ramulus.files.cost_grid import Formula, Grid, read_grid

_BLANKS = re.compile("[\\s\u00a0\u202f\u2009'’_]")
_GROUPED = {mark: re.compile(rf"[+-]?[1-9]\d{{0,2}}(\{mark}\d{{3}})+$") for mark in ",."}
COLUMNS = ("level", "cost", "total")
MOST_TITLE_ROWS = 30
SUMS = ("total", "totals", "sum", "all", "max", "cap", "σ", "∑", "average", "mean")
NO_COST = ("-", "–", "—", "max", "cap", "n/a", "none")

Row = tuple[int, dict[str, Any]]


@dataclass(frozen=True)
class CostTable:
    """A cost table as read.

    Attributes:
        gives: which quantity it gives.
        by_level: the value of each level.
        left_out: rows that are none of a level, in words: titles, sums.
    """

    gives: str
    by_level: dict[int, float]
    left_out: tuple[str, ...] = ()


def read_cost_table(
    file: Path, gives: str | None = None, sheet: str | None = None, columns: Mapping[str, str] | None = None
) -> CostTable:
    """Read the columns `level` and `cost` or `total` of a file.

    Args:
        file: CSV, JSON, XLSX or Parquet, by its ending.
        gives: which quantity to take when both columns are there (default: cost).
        sheet: the sheet of an XLSX file (default: the first).
        columns: what the file calls the columns, such as ``{"level": "Stufe"}``; upper and lower case are alike.

    Raises:
        DataError: the file cannot be understood; the message gives row and column.
    """
    grid = read_grid(file, sheet)
    heads = {name: _plain((columns or {}).get(name, name)) for name in COLUMNS}
    rows = _headed(file, grid, heads)
    found = {name: head for name, head in heads.items() if any(head in row for _, row in rows)}
    quantity = gives if gives in found else next(name for name in ("cost", "total") if name in found)
    rows, left_out = _of_levels(rows, heads["level"])
    levels = _numbers(file, rows, heads["level"], grid.decimal)
    values = _numbers(file, rows, heads[quantity], grid.decimal, of_cap=True)
    if (
        grid.rows[0][0] < rows[0][0] - 1
        and len(grid.rows[0][1])
        and not set(heads.values()) & set(map(_plain, grid.rows[0][1]))
    ):
        left_out = (f"row {grid.rows[0][0]} (a title)", *left_out)
    return CostTable(quantity, _by_level(file, rows, levels, values, quantity), left_out)


def _of_levels(rows: list[Row], head: str) -> tuple[list[Row], tuple[str, ...]]:
    """Return the rows of levels, and in words those that are a sum or name no level."""
    kept: list[Row] = []
    left_out = []
    for number, row in rows:
        word = _plain(row.get(head)).strip(":.")
        if word in SUMS:
            left_out.append(f"row {number} ({word!r})")
        else:
            kept.append((number, row))
    return kept or rows, tuple(left_out) if kept else ()


def _headed(file: Path, grid: Grid, heads: Mapping[str, str]) -> list[Row]:
    """Return the rows below the column heads, by column; titles may stand above the heads."""
    if not grid.rows:
        raise DataError(f"{file}: it is empty")
    lines = [[_plain(cell) for cell in cells] for _, cells in grid.rows[:MOST_TITLE_ROWS]]
    fits = [heads["level"] in names and (heads["cost"] in names or heads["total"] in names) for names in lines]
    if not any(fits):
        raise _no_heads(file, lines, heads)
    index = fits.index(True)
    names = lines[index]
    twice = next((head for head in heads.values() if names.count(head) > 1), None)
    if twice is not None:
        raise DataError(f"{file}: {names.count(twice)} columns are called {twice!r}; rename all but one")
    rows = []
    for number, cells in grid.rows[index + 1 :]:
        if any(cell not in (None, "") for cell in cells[len(names) :]):
            found = f"row {number}: {len(cells)} cells under {len(names)} column heads"
            raise DataError(f"{file}: {found}; quote numbers that contain the separator")
        # A row may be shorter than the heads: what is not there is empty.
        filled = [*cells, *([None] * (len(names) - len(cells)))]
        rows.append((number, dict(zip(names, filled, strict=False))))
    if not rows:
        raise DataError(f"{file}: no row of numbers below the column heads")
    return rows


def _no_heads(file: Path, lines: list[list[str]], heads: Mapping[str, str]) -> DataError:
    """Return what to say of a file without the columns asked for, with the line that should have them."""
    found = next((names for names in lines if set(names) & set(heads.values())), lines[0])
    lacking = repr(heads["level"]) if heads["level"] not in found else f"{heads['cost']!r} or {heads['total']!r}"
    listed = ", ".join(name if len(name) <= 30 else name[:29] + "…" for name in found[:8]) or "none"
    more = ", …" if len(found) > 8 else ""
    hint = 'name them with columns = { level = "…", cost = "…" }'
    return DataError(f"{file}: no column {lacking}; the columns are: {listed}{more}; {hint}")


def _plain(head: Any) -> str:
    # An apostrophe stands before text that a spreadsheet program would else work out.
    return str(head if head is not None else "").strip().strip("\ufeff").removeprefix("'").lower()


def _by_level(
    file: Path, rows: list[Row], levels: list[float | None], values: list[float | None], quantity: str
) -> dict[int, float]:
    table: dict[int, float] = {}
    for (number, _), level, value in zip(rows, levels, values, strict=True):
        if level is None and value is None:
            continue
        if level is None or level != int(level):
            raise DataError(f"{file}: row {number}, column 'level': {level} is not a whole level")
        if int(level) in table:
            raise DataError(f"{file}: row {number}, column 'level': level {int(level)} stands there twice")
        if value is not None:  # The cap's row has a total but no cost.
            table[int(level)] = value
    if not table:
        raise DataError(f"{file}: no row has both a level and a {quantity}")
    return table


def _numbers(
    file: Path, rows: list[Row], column: str, decimal: str, *, of_cap: bool = False
) -> list[float | None]:  # fmt: skip
    cells = [row.get(column) for _, row in rows]
    if of_cap and cells and _plain(cells[-1]) in NO_COST:
        cells[-1] = None  # Nothing is to be paid at the cap.
    unworked = next((row for (row, _), cell in zip(rows, cells, strict=True) if isinstance(cell, Formula)), None)
    if unworked is not None:
        found = f"row {unworked}, column {column!r}: a formula without a stored value"
        raise DataError(f"{file}: {found}; open the file in a spreadsheet program and save it there")
    texts = [_BLANKS.sub("", cell) for cell in cells if isinstance(cell, str)]
    numbers: list[float | None] = []
    thousands = _thousands_mark(file, column, [text for text in texts if text], decimal)
    for (row, _), cell in zip(rows, cells, strict=True):
        try:
            numbers.append(_number(cell, thousands))
        except (ValueError, TypeError, OverflowError):
            shown = repr(cell) if len(repr(cell)) <= 40 else repr(cell)[:39] + "…"
            raise DataError(f"{file}: row {row}, column {column!r}: {shown} is not a number") from None
    return numbers


def _number(cell: Any, thousands: str) -> float | None:
    if cell is None or (isinstance(cell, str) and not cell.strip()):
        return None
    if isinstance(cell, bool):
        raise ValueError
    if isinstance(cell, str):
        plain = _BLANKS.sub("", cell)
        if thousands:
            plain = plain.replace(thousands, "")
        number = float(plain.replace(",", "."))
    else:
        number = float(cell)
    if math.isnan(number) and not isinstance(cell, str):
        return None  # An empty cell, as tables of numbers store it.
    if not math.isfinite(number):
        raise ValueError
    return int(number) if number == int(number) and abs(number) < 2**53 else number


def _thousands_mark(file: Path, column: str, texts: list[str], decimal: str) -> str:
    """Return which of `,` and `.` separates thousands in a column, or "" when neither does.

    ``1,234`` may be a thousand or a bit over one; a wrong guess would show wrong costs with confidence. So the
    whole column decides: a mark separates thousands where every number that has it has it before three digits
    each time, and some number shows that it is no decimal mark.
    """
    marks = [mark for mark in ",." if mark != decimal and any(mark in text for text in texts)]
    if decimal and not marks:
        return ""
    if len(marks) == 2 and all("," not in t or "." not in t for t in texts):
        raise DataError(f"{file}: column {column!r} uses both ',' and '.' and does not say which is the decimal mark")
    for mark in marks:
        other = "." if mark == "," else ","
        having = [text for text in texts if mark in text]
        grouped = all(_GROUPED[mark].match(text.partition(other)[0]) for text in having)
        if not grouped:
            continue
        certain = any(text.count(mark) > 1 or other in text for text in having) or any(
            mark not in text and text.isdigit() and int(text) < 1000 for text in texts
        )
        if certain or decimal == other:
            return mark
        raise DataError(
            f"{file}: column {column!r}: {having[0]!r} may mean {having[0].replace(mark, '')} or "
            f"{having[0].replace(mark, '.')}; write the numbers without '{mark}'"
        )
    return ""
