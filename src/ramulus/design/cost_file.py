"""Read a cost table from a spreadsheet's file, as spreadsheet people write them."""

from __future__ import annotations

import csv
import io
import json
import math
import re
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ramulus.errors import DataError

ENDINGS = (".csv", ".tsv", ".txt", ".json", ".xlsx", ".parquet")
_BLANKS = re.compile("[\\s\u00a0\u202f\u2009'’_]")
_GROUPED = {mark: re.compile(rf"[+-]?[1-9]\d{{0,2}}(\{mark}\d{{3}})+$") for mark in ",."}

Row = tuple[int, dict[str, Any]]


@dataclass(frozen=True)
class CostTable:
    """A cost table as read: which quantity it gives, and the value of each level."""

    gives: str
    by_level: dict[int, float]


def read_cost_table(file: Path, gives: str | None = None, sheet: str | None = None) -> CostTable:
    """Read the columns `level` and `cost` or `total` of a file.

    Args:
        file: CSV, JSON, XLSX or Parquet, by its ending.
        gives: which quantity to take when both columns are there (default: cost).
        sheet: the sheet of an XLSX file (default: the first).

    Raises:
        DataError: the file cannot be understood; the message gives row and column.
    """
    if not file.exists():
        raise DataError(f"{file}: no such file")
    readers = {".json": _json_rows, ".xlsx": _xlsx_rows, ".parquet": _parquet_rows}
    ending = file.suffix.lower()
    if ending not in ENDINGS:
        raise DataError(f"{file}: a cost table cannot be read from {ending or 'this'}; allowed: {', '.join(ENDINGS)}")
    try:
        rows, decimal = readers.get(ending, _csv_rows)(file, sheet)
    except OSError as error:
        raise DataError(f"{file}: cannot be read ({error.strerror or error})") from None
    if not rows:
        raise DataError(f"{file}: no row of numbers below the column heads")
    columns = list(dict.fromkeys(column for _, row in rows for column in row))
    quantity = _quantity(file, columns, gives)
    levels = _numbers(file, rows, "level", decimal)
    values = _numbers(file, rows, quantity, decimal)
    return CostTable(quantity, _by_level(file, rows, levels, values, quantity))


def _quantity(file: Path, columns: list[str], gives: str | None) -> str:
    listed = ", ".join(columns) or "none"
    if "level" not in columns:
        raise DataError(f"{file}: no column 'level'; the columns are: {listed}")
    there = [quantity for quantity in ("cost", "total") if quantity in columns]
    if not there:
        raise DataError(f"{file}: no column 'cost' or 'total'; the columns are: {listed}")
    return gives if gives in there else there[0]


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


def _csv_rows(file: Path, _: str | None) -> tuple[list[Row], str]:
    text = _decoded(file)
    header = next((line for line in text.splitlines() if line.strip()), "")
    delimiter = max(";\t,", key=header.count)
    reader = csv.reader(io.StringIO(text), delimiter=delimiter)
    rows: list[Row] = []
    names: list[str] | None = None
    for cells in reader:
        if not any(cell.strip() for cell in cells):
            continue
        if names is None:
            names = [_column(cell) for cell in cells]
            continue
        if len(cells) > len(names) and any(cell.strip() for cell in cells[len(names) :]):
            raise DataError(
                f"{file}: row {reader.line_num}: {len(cells)} cells under {len(names)} column heads; "
                "quote numbers that contain the separator"
            )
        rows.append((reader.line_num, dict(zip(names, cells, strict=False))))
    return rows, "." if delimiter == "," else ""


def _decoded(file: Path) -> str:
    data = file.read_bytes()
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return data.decode("utf-16", errors="replace")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return data.decode("cp1252", errors="replace")


def _json_rows(file: Path, _: str | None) -> tuple[list[Row], str]:
    try:
        data = json.loads(file.read_text(encoding="utf-8-sig"))
    except (json.JSONDecodeError, UnicodeDecodeError) as error:
        raise DataError(f"{file}: not JSON: {error}") from None
    if isinstance(data, dict) and "rows" in data:
        data = data["rows"]
    if isinstance(data, dict) and data and all(isinstance(column, list) for column in data.values()):
        data = [dict(zip(data, cells, strict=False)) for cells in zip(*data.values(), strict=False)]
    if not isinstance(data, list) or not all(isinstance(row, dict) for row in data):
        raise DataError(f"{file}: neither a list of rows nor an object with 'rows'")
    return [(i, {_column(key): cell for key, cell in row.items()}) for i, row in enumerate(data, 1)], "."


def _xlsx_rows(file: Path, sheet: str | None) -> tuple[list[Row], str]:
    try:
        import openpyxl
        from openpyxl.utils.exceptions import InvalidFileException
    except ImportError:
        raise DataError(f"{file}: XLSX needs openpyxl; python -m pip install openpyxl") from None
    from zipfile import BadZipFile

    try:
        book = openpyxl.load_workbook(file, read_only=True, data_only=True)
    except (BadZipFile, KeyError, ValueError, InvalidFileException) as error:
        raise DataError(f"{file}: not an XLSX file ({error})") from None
    if sheet is not None and sheet not in book.sheetnames:
        raise DataError(f"{file}: no sheet is called {sheet!r}; there are: {', '.join(book.sheetnames)}")
    grid = [list(cells) for cells in (book[sheet] if sheet else book.worksheets[0]).iter_rows(values_only=True)]
    book.close()
    filled = [(n, cells) for n, cells in enumerate(grid, 1) if any(c not in (None, "") for c in cells)]
    if not filled:
        return [], "."
    names = [_column(cell) for cell in filled[0][1]]
    return [(n, dict(zip(names, cells, strict=False))) for n, cells in filled[1:]], ""


def _parquet_rows(file: Path, _: str | None) -> tuple[list[Row], str]:
    try:
        import pyarrow.parquet as parquet
    except ImportError:
        raise DataError(f"{file}: Parquet needs pyarrow; python -m pip install pyarrow") from None
    import pyarrow

    try:
        records = parquet.read_table(file).to_pylist()
    except pyarrow.ArrowException as error:
        raise DataError(f"{file}: not a Parquet file ({error})") from None
    return [(i, {_column(key): cell for key, cell in row.items()}) for i, row in enumerate(records, 1)], "."


def _column(head: Any) -> str:
    return str(head if head is not None else "").strip().strip("\ufeff").lower()


def _numbers(file: Path, rows: list[Row], column: str, decimal: str) -> list[float | None]:
    cells = [row.get(column) for _, row in rows]
    texts = [_BLANKS.sub("", cell) for cell in cells if isinstance(cell, str)]
    numbers: list[float | None] = []
    thousands = _thousands_mark(file, column, [text for text in texts if text], decimal)
    for (row, _), cell in zip(rows, cells, strict=True):
        try:
            numbers.append(_number(cell, thousands))
        except ValueError:
            raise DataError(f"{file}: row {row}, column {column!r}: {cell!r} is not a number") from None
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
