"""Write tables to files, by the file's ending."""

from __future__ import annotations

import importlib.util
import json
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from ramulus.design import write_whole
from ramulus.errors import DataError, nearest_name

if TYPE_CHECKING:
    import pandas as pd

_PACKAGES = {".xlsx": "openpyxl", ".parquet": "pyarrow"}
ENDINGS = (".csv", ".json", ".xlsx", ".parquet")


def write_table(table: pd.DataFrame, path: Path, command: str) -> None:
    """Write a table as CSV, JSON, XLSX or Parquet by the file's ending, whole or not at all.

    Args:
        table: the table.
        path: where to write it.
        command: what made it; named in JSON.

    Raises:
        DataError: the ending is none of these, a package is missing, or the file cannot be written.
    """
    writers = {
        ".csv": lambda file: table.to_csv(file, index=False, lineterminator="\n", encoding="utf-8"),
        ".json": lambda file: file.write_text(table_json(table, command) + "\n", encoding="utf-8"),
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
    write_whole(path, writers[ending])


def table_json(table: pd.DataFrame, command: str, **more: Any) -> str:
    """Return a table as one JSON object, ``{"command": …, "rows": [{…}, …]}``; not-a-number is null."""
    rows = [
        {str(name): _plain(value) for name, value in zip(table.columns, row, strict=True)}
        for row in table.itertuples(index=False, name=None)
    ]
    return json.dumps({"command": command, "rows": rows, **more}, ensure_ascii=False, indent=1)


def _plain(value: Any) -> Any:
    if isinstance(value, np.generic):
        value = value.item()
    if isinstance(value, float):
        if not np.isfinite(value):
            return None
        return int(value) if value.is_integer() and abs(value) < 2**53 else value
    return value


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
