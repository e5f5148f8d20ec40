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
from ramulus.files.about import About, about_lines
from ramulus.files.measured import is_measured
from ramulus.showing import harmless

if TYPE_CHECKING:
    import pandas as pd

_PACKAGES = {".xlsx": "openpyxl", ".parquet": "pyarrow"}
ENDINGS = (".csv", ".json", ".xlsx", ".parquet")
LIVE = ("=", "+", "-", "@", "\t", "\r")  # What begins so, a spreadsheet program works out.
_SIGNED = re.compile(r"[+-][\d.,]+ ?%?")

Tables = Mapping[str, "pd.DataFrame"]


def write_table(
    table: pd.DataFrame,
    path: Path,
    command: str,
    more: Tables | None = None,
    *,
    sheet: str = "",
    records: bool = False,
    about: About | None = None,
    csv_about: bool = False,
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
        about: what the tables were made from: a key of JSON, a sheet of a workbook, metadata of Parquet.
        csv_about: whether it stands in CSV, too: in lines above the heads that begin with #.
        marks: further keys of JSON.

    Raises:
        DataError: the ending is none of these, a package is missing, or the file cannot be written.
    """
    ending = check_table_file(path, records=records)
    try:
        content = _content(
            ending, table, command, more or {}, sheet=sheet, records=records, about=about or {}, csv_about=csv_about,
            **marks,
        )  # fmt: skip
    except OSError as error:  # Workbooks are written by way of files elsewhere.
        raise DataError(f"{path}: cannot be written ({error.strerror or error})") from None
    write_whole(path, content)


def _content(
    ending: str, table: pd.DataFrame, command: str, more: Tables, *, sheet: str, records: bool, about: About,
    csv_about: bool, **marks: str,
) -> str | bytes:  # fmt: skip
    if ending == ".csv":
        return table_csv(table, about if csv_about else None)
    if ending == ".json":
        return (table_records(table) if records else table_json(table, command, more, about=about, **marks)) + "\n"
    if ending == ".xlsx":
        from ramulus.files.workbook import as_workbook

        return as_workbook({sheet or command: table, **more}, about)
    return _as_parquet(table, about)


def _as_parquet(table: pd.DataFrame, about: About) -> bytes:
    import pyarrow as pa
    import pyarrow.parquet as pq

    made = pa.Table.from_pandas(table, preserve_index=False)
    if about:
        made = made.replace_schema_metadata({**(made.schema.metadata or {}), b"ramulus": json.dumps(about).encode()})
    written = BytesIO()
    pq.write_table(made, written)
    return written.getvalue()


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


def table_csv(table: pd.DataFrame, about: About | None = None) -> str:
    """Return a table as CSV; whole numbers are whole, not-a-number is empty.

    Args:
        table: the table.
        about: what it was made from, to stand above it in lines that begin with #.
    """
    whole = table.copy(deep=False)
    for name in whole.columns:
        # What is measured stays what it is, whatever it comes to: a share of 1 is 1.0 where another is 0.98.
        measured = is_measured(str(name))
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
    above = "".join(f"# {name}: {said}\n" for name, said in about_lines(about or {}))
    return above + str(whole.to_csv(index=False, lineterminator="\n"))


def _as_text(value: Any) -> Any:
    """Return text as a spreadsheet program takes it for text: an apostrophe stands before what it would work out."""
    if not isinstance(value, str):
        return value
    value = harmless(value)
    return f"'{value}" if value.startswith(LIVE) and not _SIGNED.fullmatch(value) else value


def table_json(
    table: pd.DataFrame, command: str, more: Tables | None = None, *, about: About | None = None, **marks: str
) -> str:
    """Return tables as one JSON object, ``{"command": …, "about": …, "rows": [{…}, …], …}``; not-a-number is null.

    Args:
        table: the rows.
        command: what made them.
        more: further tables, by their key.
        about: what they were made from.
        marks: further keys.
    """
    parts: dict[str, Any] = {"command": command, **({"about": about} if about else {}), **marks}
    written = [f"{json.dumps(key)}: {json.dumps(value, ensure_ascii=False)}" for key, value in parts.items()]
    # A track may be called as one of these keys is.
    further = {f"{key} (table)" if key in parts or key == "rows" else key: part for key, part in (more or {}).items()}
    written += [f"{json.dumps(key)}: {table_records(part)}" for key, part in {"rows": table, **further}.items()]
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
