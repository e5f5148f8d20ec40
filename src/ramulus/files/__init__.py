"""Tables out: CSV, JSON, XLSX and Parquet, whole or not at all."""

from ramulus.files.tables import ENDINGS, refuse_strange, table_csv, table_json, table_records, write_table

__all__ = ["ENDINGS", "refuse_strange", "table_csv", "table_json", "table_records", "write_table"]
