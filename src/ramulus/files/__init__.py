"""Tables out: CSV, JSON, XLSX and Parquet, whole or not at all."""

from ramulus.files.tables import ENDINGS, table_json, write_table

__all__ = ["ENDINGS", "table_json", "write_table"]
