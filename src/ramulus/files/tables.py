"""Write tables to files, by the file's ending."""

from __future__ import annotations

import importlib.util
import json
import math
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ramulus.design import write_whole
from ramulus.errors import DataError, nearest_name

if TYPE_CHECKING:
    import pandas as pd

_PACKAGES = {".xlsx": "openpyxl", ".parquet": "pyarrow"}
ENDINGS = (".csv", ".json", ".xlsx", ".parquet")


def write_table(table: pd.DataFrame, path: Path, command: str, **more: Any) -> None:
    """Write a table as CSV, JSON, XLSX or Parquet by the file's ending, whole or not at all.

    Args:
        table: the table.
        path: where to write it.
        command: what made it; named in JSON.
        more: further keys of JSON.

    Raises:
        DataError: the ending is none of these, a package is missing, or the file cannot be written.
    """
    writers = {
        ".csv": lambda file: table.to_csv(file, index=False, lineterminator="\n", encoding="utf-8"),
        ".json": lambda file: file.write_text(table_json(table, command, **more) + "\n", encoding="utf-8"),
        ".xlsx": lambda file: _to_excel(table, file, command),
        ".parquet": lambda file: _to_parquet(table, file),
    }
    ending = path.suffix.lower()
    if ending not in writers:
        near = nearest_name(ending, ENDINGS)
        hint = f"; did you mean {near!r}?" if near else ""
        raise DataError(
            f"{path}: a table cannot be written as {ending or 'a file without ending'}; allowed: "
            f"{', '.join(ENDINGS)}{hint}"
        )
    package = _PACKAGES.get(ending)
    if package is not None and importlib.util.find_spec(package) is None:
        raise DataError(f"{path}: writing {ending} needs {package}; python -m pip install {package}")
    if ending == ".json":
        refuse_strange(path, '{"command"', "a table that this program wrote")
    write_whole(path, writers[ending])


def refuse_strange(path: Path, start: str, what: str) -> None:
    """Refuse to replace a file of JSON that starts otherwise: it may be a design, or somebody's work.

    Raises:
        DataError: it does.
    """
    try:
        with path.open("rb") as file:
            found = b"".join(file.read(500).split())
    except FileNotFoundError:
        return
    except OSError as error:
        raise DataError(f"{path}: cannot be written ({error.strerror})") from None
    if found and not found.startswith(start.encode()):
        raise DataError(f"{path}: is there already, and is not {what}; give another name, or remove it first")


def table_json(table: pd.DataFrame, command: str, **more: Any) -> str:
    """Return a table as one JSON object, ``{"command": …, "rows": [{…}, …]}``; not-a-number is null."""
    names, columns = [str(name) for name in table.columns], [_plain(table[name]) for name in table.columns]
    # A row a line: it reads and compares well, and the encoder is a hundred times as fast as with an indent.
    rows = [json.dumps(dict(zip(names, row, strict=True)), ensure_ascii=False) for row in zip(*columns, strict=True)]
    first = json.dumps({"command": command}, ensure_ascii=False)[:-1]
    rest = "".join(f", {json.dumps(key)}: {json.dumps(value, ensure_ascii=False)}" for key, value in more.items())
    listed = ",\n ".join(rows)
    return f'{first}{rest}, "rows": [\n {listed}\n]}}' if rows else f'{first}{rest}, "rows": []}}'


def _plain(column: pd.Series) -> list[Any]:
    """Return a column as JSON holds it: whole numbers whole, no number as null."""
    return [_plain_number(v) if type(v) is float else v for v in column.tolist()]


def _plain_number(value: float) -> float | None:
    if not math.isfinite(value):
        return None
    return int(value) if value.is_integer() and abs(value) < 2**53 else value


def _to_excel(table: pd.DataFrame, file: Path, command: str) -> None:
    import pandas as pd

    with pd.ExcelWriter(file, engine="openpyxl") as writer:
        table.to_excel(writer, index=False, sheet_name=command[:31])
        for cells in writer.sheets[command[:31]].iter_rows(min_row=2):
            for cell in cells:
                # openpyxl writes 16 digits, and many a float64 needs 17; text in a number's cell goes as it is.
                if isinstance(cell.value, float) and float(f"{cell.value:.16g}") != cell.value:
                    cell._value = repr(cell.value)


def _to_parquet(table: pd.DataFrame, file: Path) -> None:
    table.to_parquet(file, index=False, engine="pyarrow")
