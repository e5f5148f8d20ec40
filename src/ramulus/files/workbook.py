"""Tables as a workbook, one sheet each: the head frozen and bold, columns as wide as they need, numbers in formats."""

from __future__ import annotations

from collections.abc import Mapping
from io import BytesIO
from typing import TYPE_CHECKING, Any

from ramulus.files.about import About, about_lines
from ramulus.files.measured import is_measured
from ramulus.showing import harmless

if TYPE_CHECKING:
    import pandas as pd

SHEET_NAME = 31  # What a spreadsheet program takes.
ABOUT = "about"
WIDEST, NARROWEST, ROWS_LOOKED_AT = 60, 8, 200
WHOLE, MEASURED, ANY = "#,##0", "0.000", "General"


def as_workbook(tables: Mapping[str, pd.DataFrame], about: About) -> bytes:
    """Return tables as an XLSX file.

    Args:
        tables: by the name of their sheet.
        about: what they were made from; a last sheet says it.
    """
    import pandas as pd

    written = BytesIO()
    with pd.ExcelWriter(written, engine="openpyxl") as writer:
        for name, table in tables.items():
            shown = _shown(table)
            shown.to_excel(writer, index=False, sheet_name=name[:SHEET_NAME])
            _lay_out(writer.sheets[name[:SHEET_NAME]], shown)
        if about:
            rows = pd.DataFrame(about_lines(about), columns=["what", "value"])
            # A track may be called so, in any case of letters.
            name = ABOUT if ABOUT not in {sheet.lower() for sheet in writer.sheets} else f"{ABOUT} this file"
            rows.to_excel(writer, index=False, sheet_name=name)
            _lay_out(writer.sheets[name], rows)
    return written.getvalue()


def _shown(table: pd.DataFrame) -> pd.DataFrame:
    """Return a table whose text a workbook can hold."""
    table = table.rename(columns=lambda name: harmless(str(name)))
    for name in table.columns:
        if table[name].dtype.kind not in "biuf":
            table[name] = table[name].map(lambda value: harmless(value) if isinstance(value, str) else value)
    return table


def _lay_out(sheet: Any, table: pd.DataFrame) -> None:
    """Freeze the head, let columns be filtered, and give each its width and its format."""
    from openpyxl.utils import get_column_letter

    sheet.freeze_panes = "A2"
    if len(table.columns):
        sheet.auto_filter.ref = f"A1:{get_column_letter(len(table.columns))}{len(table) + 1}"
    for index, name in enumerate(table.columns, 1):
        texts = [
            f"{value:.6g}" if isinstance(value, float) else str(value) for value in table[name].head(ROWS_LOOKED_AT)
        ]
        width = max([len(str(name)) + 4, *map(len, texts)])  # Room for the filter's button.
        sheet.column_dimensions[get_column_letter(index)].width = min(max(width + 1, NARROWEST), WIDEST)
    formats = [_format_of(str(name), table[name]) for name in table.columns]
    for row, cells in enumerate(sheet.iter_rows()):
        for cell, form in zip(cells, formats, strict=True):
            if cell.data_type == "f":  # Text that begins as a formula does, and is none.
                cell.data_type = "s"
            if row and form != ANY:
                cell.number_format = form
            # openpyxl writes 16 digits, and many a float64 needs 17; text in a number's cell goes as it is.
            if isinstance(cell.value, float) and float(f"{cell.value:.16g}") != cell.value:
                cell._value = repr(cell.value)


def _format_of(name: str, values: pd.Series) -> str:
    """Return how a column's numbers are shown; what they are stays in the cell."""
    if values.dtype.kind not in "iuf":
        return ANY
    if is_measured(name):
        return MEASURED
    known = values.dropna()
    return WHOLE if bool((known == known.round()).all()) else ANY
