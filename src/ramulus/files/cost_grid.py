"""Read a small file of rows as a grid of cells: CSV, JSON, XLSX or Parquet, from whoever wrote it.

A file may be broken in as many ways as its reader has layers. Whatever happens inside a reader is one DataError that
names the file.
"""

from __future__ import annotations

import csv
import io
import json
from collections import Counter
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from itertools import islice
from pathlib import Path
from typing import Any
from zipfile import ZipFile

from ramulus.design.design import MOST_OF_COSTS
from ramulus.design.reading import read_named
from ramulus.errors import DataError

# A hundred thousand levels beside three other columns find room, in any format, in some 64 MB of memory.
MOST_UNPACKED = 40_000_000
MOST_CELLS = 400_000
MOST_LOOKED_AT = 8_000_000  # Cells, with empty ones: spreadsheets are often padded with them.
LINES_TRIED = 60

Row = tuple[int, list[Any]]


class Formula(str):
    """A formula of a spreadsheet that has no stored value."""

    __slots__ = ()


@dataclass(frozen=True)
class Grid:
    """Rows that hold anything, each with its number in the file.

    Attributes:
        rows: row numbers and cells.
        decimal: "." where the file itself says that it is the decimal mark, else "".
    """

    rows: list[Row]
    decimal: str


def read_grid(file: Path, sheet: str | None = None) -> Grid:
    """Read a file by its ending.

    Args:
        file: .csv, .tsv, .txt, .json, .xlsx or .parquet.
        sheet: the sheet of an XLSX file (default: the first one that has cells).

    Raises:
        DataError: the file is missing, too large, or cannot be understood.
    """
    ending = file.suffix.lower()
    if ending not in _READERS:
        raise DataError(f"{file}: a cost table cannot be read from {ending or 'this'}; allowed: {', '.join(_READERS)}")
    try:
        data = read_named(file, MOST_OF_COSTS)
        rows, decimal = _READERS[ending](file, data, sheet)
        return Grid(_filled(file, rows), decimal)
    except DataError:
        raise
    except OSError as error:
        raise DataError(f"{file}: cannot be read ({error.strerror or error})") from None
    except ImportError as error:
        package = str(error.name).partition(".")[0]
        raise DataError(f"{file}: reading {ending} needs {package}; python -m pip install {package}") from None
    except Exception as error:
        about = str(error).splitlines()[0][:100] if str(error) else type(error).__name__
        raise DataError(f"{file}: cannot be read as {ending[1:].upper()} ({about})") from None


def _filled(file: Path, rows: Iterable[Row]) -> list[Row]:
    """Return the rows with anything in them, without reading further than a cost table can reach.

    Raises:
        DataError: there are more cells than in any cost table.
    """
    found: list[Row] = []
    kept = looked_at = 0
    for number, cells in rows:
        looked_at += len(cells)
        filled = sum(cell not in (None, "") for cell in cells)
        kept += filled
        if kept > MOST_CELLS or looked_at > MOST_LOOKED_AT:
            most = f"{MOST_CELLS:,} filled cells, {MOST_LOOKED_AT:,} in all"
            raise DataError(f"{file}: row {number:,}, and still no end; allowed in a cost table: {most}")
        if filled:
            found.append((number, cells))
    return found


def _csv_rows(file: Path, data: bytes, _: str | None) -> tuple[Iterable[Row], str]:
    # Old spreadsheet programs end lines with a carriage return alone.
    text = _decoded(data).replace("\r\n", "\n").replace("\r", "\n")
    delimiter = _delimiter_of(text)
    reader = csv.reader(io.StringIO(text), delimiter=delimiter)
    rows = ((reader.line_num, [cell.strip() for cell in cells]) for cells in reader)
    return rows, "." if delimiter == "," else ""


def _delimiter_of(text: str) -> str:
    """Return what separates cells: what gives most of the first lines equally many of them, several each.

    A title above the heads may hold any of the marks, or none.
    """
    lines = [line for line in islice(text.splitlines(), LINES_TRIED) if line.strip()]

    def alike(delimiter: str) -> tuple[int, int]:
        widths = [len(cells) for cells in csv.reader(lines, delimiter=delimiter) if len(cells) > 1]
        return max(map(widths.count, widths), default=0), -len(set(widths))

    return max(";\t,", key=alike)


def _decoded(data: bytes) -> str:
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return data.decode("utf-16", errors="replace")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return data.decode("cp1252", errors="replace")


def _json_rows(file: Path, content: bytes, _: str | None) -> tuple[Iterable[Row], str]:
    data = json.loads(content.decode("utf-8-sig"), object_pairs_hook=list)
    if _is_object(data) and (rows := [value for key, value in data if key == "rows"]):
        data = rows[0]
    if _is_object(data) and all(isinstance(value, list) for _, value in data):
        # A list a column: the columns side by side.
        heads, columns = zip(*data, strict=True)
        return _numbered([list(heads), *map(list, zip(*columns, strict=False))], first=0), "."
    if not isinstance(data, list) or not all(_is_object(row) for row in data):
        raise DataError(f"{file}: neither a list of rows nor an object with 'rows'")
    keys = list(dict.fromkeys(key for row in data for key, _ in row))
    twice = [key for row in data for key, count in _counted(row) if count > 1]
    at = {key: index for index, key in enumerate(keys)}
    grid: list[list[Any]] = [[*keys, *twice[:1]]]
    for row in data:
        cells: list[Any] = [None] * len(keys)
        for key, value in row:
            cells[at[key]] = value
        grid.append(cells)
    return _numbered(grid, first=0), "."


def _is_object(data: Any) -> bool:
    """Whether JSON read as pairs was an object; an empty one counts as none."""
    return isinstance(data, list) and bool(data) and all(isinstance(pair, tuple) for pair in data)


def _counted(row: list[tuple[str, Any]]) -> Iterator[tuple[str, int]]:
    return iter(Counter(key for key, _ in row).items())


def _numbered(grid: Iterable[Iterable[Any]], first: int = 1) -> Iterator[Row]:
    return ((number, list(cells)) for number, cells in enumerate(grid, first))


def _xlsx_rows(file: Path, data: bytes, sheet: str | None) -> tuple[Iterable[Row], str]:
    import openpyxl

    with ZipFile(io.BytesIO(data)) as archive:
        if sum(part.file_size for part in archive.infolist()) > MOST_UNPACKED:
            raise DataError(f"{file}: larger than {MOST_UNPACKED:,} bytes when unpacked")
    book = openpyxl.load_workbook(io.BytesIO(data), read_only=True, data_only=True)
    try:
        if sheet is not None and sheet not in book.sheetnames:
            raise DataError(f"{file}: no sheet is called {sheet!r}; there are: {', '.join(book.sheetnames)}")
        with_cells = {page.title: page for page in book.worksheets if hasattr(page, "iter_rows")}
        if not with_cells or (sheet is not None and sheet not in with_cells):
            raise DataError(f"{file}: {f'the sheet {sheet!r}' if sheet else 'no sheet'} has {'no ' * bool(sheet)}cells")
        page = with_cells[sheet] if sheet is not None else next(iter(with_cells.values()))
        return _filled(file, _with_formulas(data, page)), ""
    finally:
        book.close()


def _with_formulas(data: bytes, page: Any) -> Iterator[Row]:
    """Yield rows in which a formula that no program has worked out stands as a `Formula`, not as an empty cell."""
    import openpyxl

    rows = page.iter_rows(values_only=True)
    with ZipFile(io.BytesIO(data)) as archive:
        if not any(b"<f" in archive.read(name) for name in archive.namelist() if "worksheets/sheet" in name):
            yield from _numbered(rows)
            return
    book = openpyxl.load_workbook(io.BytesIO(data), read_only=True)
    try:
        written = book[page.title].iter_rows(values_only=True)
        yield from _numbered(map(_with_formula, row, said) for row, said in zip(rows, written, strict=False))
    finally:
        book.close()


def _with_formula(cell: Any, written: Any) -> Any:
    return Formula(written) if cell is None and isinstance(written, str) and written.startswith("=") else cell


def _parquet_rows(file: Path, data: bytes, _: str | None) -> tuple[Iterable[Row], str]:
    from pyarrow import BufferReader, parquet

    held = parquet.ParquetFile(BufferReader(data))
    about = held.metadata
    if about.num_rows * about.num_columns > MOST_CELLS:
        found = f"{about.num_rows:,} rows of {about.num_columns:,} columns"
        raise DataError(f"{file}: {found}; allowed in a cost table: {MOST_CELLS:,} cells")
    table = held.read()
    rows = zip(*(column.to_pylist() for column in table.columns), strict=True)
    return _numbered([table.column_names, *map(list, rows)], first=0), "."


_Reader = Callable[[Path, bytes, str | None], tuple[Iterable[Row], str]]
_READERS: dict[str, _Reader] = {
    ".csv": _csv_rows,
    ".tsv": _csv_rows,
    ".txt": _csv_rows,
    ".json": _json_rows,
    ".xlsx": _xlsx_rows,
    ".parquet": _parquet_rows,
}
