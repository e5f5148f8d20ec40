"""Tables as text and in files, by the file's ending."""

from __future__ import annotations

import importlib.util
import json
import math
import re
from collections.abc import Mapping
from io import BytesIO
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ramulus.design import read_start, refuse_strange_ending, write_whole
from ramulus.errors import DataError
from ramulus.showing import harmless

if TYPE_CHECKING:
    import pandas as pd

_PACKAGES = {".xlsx": "openpyxl", ".parquet": "pyarrow"}
ENDINGS = (".csv", ".json", ".xlsx", ".parquet")
LIVE = ("=", "+", "-", "@", "\t", "\r")  # What begins so, a spreadsheet program works out.
_SIGNED = re.compile(r"[+-][\d.,]+ ?%?")
SHEET_NAME = 31  # What a spreadsheet program takes.

_MEASURED = re.compile(
    r"(reached|share|hours|still_playing|chance|success|factor|growth|progress|seconds|xp_per_hour|difference|wasted_share"
    r"|levels_lost|ability|speed|luck|shared|times|low|high|off|change)(_[a-z0-9_]+)?"
)
Tables = Mapping[str, "pd.DataFrame"]


def write_table(
    table: pd.DataFrame,
    path: Path,
    command: str,
    more: Tables | None = None,
    *,
    sheet: str = "",
    records: bool = False,
    **marks: str,
) -> None:
    """Write a table as CSV, JSON, XLSX or Parquet by the file's ending, whole or not at all.

    Args:
        table: the table.
        path: where to write it.
        command: what made it; named in JSON.
        more: further tables by name, for the endings that hold several: keys of the JSON, sheets of the workbook.
        sheet: what the sheet of a workbook is called (default: as the command).
        records: whether JSON is the rows alone, a list.
        marks: further keys of JSON.

    Raises:
        DataError: the ending is none of these, a package is missing, or the file cannot be written.
    """
    ending = check_table_file(path, records=records)
    try:
        content = _content(ending, table, command, more or {}, sheet=sheet, records=records, **marks)
    except OSError as error:  # Workbooks are written by way of files elsewhere.
        raise DataError(f"{path}: cannot be written ({error.strerror or error})") from None
    write_whole(path, content)


def _content(
    ending: str, table: pd.DataFrame, command: str, more: Tables, *, sheet: str, records: bool, **marks: str
) -> str | bytes:
    if ending == ".csv":
        return table_csv(table)
    if ending == ".json":
        return (table_records(table) if records else table_json(table, command, more, **marks)) + "\n"
    if ending == ".xlsx":
        return _as_excel({sheet or command: table, **more})
    return bytes(table.to_parquet(None, index=False, engine="pyarrow"))


def check_table_file(path: Path, *, records: bool = False) -> str:
    """Return a table's file's ending, where it can be written; also before there is a table to write.

    Args:
        path: the file.
        records: whether JSON is the rows alone, a list.

    Raises:
        DataError: the ending is none of those of tables, a package is missing, or JSON of another kind stands there.
    """
    ending = refuse_strange_ending(path, "table", ENDINGS)
    package = _PACKAGES.get(ending)
    if package is not None and importlib.util.find_spec(package) is None:
        raise DataError(f"{path}: writing {ending} needs {package}; python -m pip install {package}")
    if ending == ".json":
        refuse_strange(path, ('{"command"', *(["[{"] if records else [])), "a table that this program wrote")
    return ending


def refuse_strange(path: Path, starts: tuple[str, ...], what: str) -> None:
    """Refuse to replace a file of JSON that starts otherwise: it may be a design, or somebody's work.

    Raises:
        DataError: it does.
    """
    try:
        found = b"".join(read_start(path, 500).split())
    except FileNotFoundError:
        return
    except DataError as error:
        raise DataError(f"{path}: cannot be written ({error})") from None
    except OSError as error:
        raise DataError(f"{path}: cannot be written ({error.strerror})") from None
    if found and not found.startswith(tuple(start.encode() for start in starts)):
        raise DataError(f"{path}: is there already, and is not {what}; give another name, or remove it first")


def table_csv(table: pd.DataFrame) -> str:
    """Return a table as CSV; whole numbers are whole, not-a-number is empty."""
    whole = table.copy(deep=False)
    for name in whole.columns:
        # What is measured stays what it is, whatever it comes to: a share of 1 is 1.0 where another is 0.98.
        measured = _MEASURED.fullmatch(str(name))
        if (
            whole[name].dtype.kind == "f"
            and not measured
            and all(_is_whole(value) for value in whole[name].dropna().tolist())
        ):
            whole[name] = whole[name].astype("Int64")
    for name in whole.columns:
        if whole[name].dtype.kind not in "biuf":
            whole[name] = whole[name].map(_as_text)
    whole.columns = [_as_text(str(name)) for name in whole.columns]
    return str(whole.to_csv(index=False, lineterminator="\n"))


def _as_text(value: Any) -> Any:
    """Return text as a spreadsheet program takes it for text: an apostrophe stands before what it would work out."""
    if not isinstance(value, str):
        return value
    value = harmless(value)
    return f"'{value}" if value.startswith(LIVE) and not _SIGNED.fullmatch(value) else value


def table_json(table: pd.DataFrame, command: str, more: Tables | None = None, **marks: str) -> str:
    """Return tables as one JSON object, ``{"command": …, "rows": [{…}, …], …}``; not-a-number is null.

    Args:
        table: the rows.
        command: what made them.
        more: further tables, by their key.
        marks: further keys.
    """
    parts = {"command": command, **marks}
    written = [f"{json.dumps(key)}: {json.dumps(value, ensure_ascii=False)}" for key, value in parts.items()]
    written += [f"{json.dumps(key)}: {table_records(part)}" for key, part in {"rows": table, **(more or {})}.items()]
    return "{" + ", ".join(written) + "}"


def table_records(table: pd.DataFrame) -> str:
    """Return the rows as a JSON list, a row a line; whole numbers are whole, not-a-number is null."""
    names, columns = [str(name) for name in table.columns], [_plain(table[name]) for name in table.columns]
    # A row a line: it reads and compares well, and the encoder is a hundred times as fast as with an indent.
    rows = [json.dumps(dict(zip(names, row, strict=True)), ensure_ascii=False) for row in zip(*columns, strict=True)]
    return "[\n " + ",\n ".join(rows) + "\n]" if rows else "[]"


def _plain(column: pd.Series) -> list[Any]:
    return [_plain_number(value) if type(value) is float else value for value in column.tolist()]


def _plain_number(value: float) -> float | None:
    if not math.isfinite(value):
        return None
    return int(value) if _is_whole(value) else value


def _is_whole(value: float) -> bool:
    return value.is_integer() and abs(value) < 2**53


def _shown(table: pd.DataFrame) -> pd.DataFrame:
    """Return a table whose text a workbook can hold."""
    table = table.rename(columns=lambda name: harmless(str(name)))
    for name in table.columns:
        if table[name].dtype.kind not in "biuf":
            table[name] = table[name].map(lambda value: harmless(value) if isinstance(value, str) else value)
    return table


def _as_excel(tables: Tables) -> bytes:
    import pandas as pd

    written = BytesIO()
    with pd.ExcelWriter(written, engine="openpyxl") as writer:
        for name, table in tables.items():
            _shown(table).to_excel(writer, index=False, sheet_name=name[:SHEET_NAME])
            for cells in writer.sheets[name[:SHEET_NAME]].iter_rows():
                for cell in cells:
                    if cell.data_type == "f":  # Text that begins as a formula does, and is none.
                        cell.data_type = "s"
                    # openpyxl writes 16 digits, and many a float64 needs 17; text in a number's cell goes as it is.
                    if isinstance(cell.value, float) and float(f"{cell.value:.16g}") != cell.value:
                        cell._value = repr(cell.value)
    return written.getvalue()
