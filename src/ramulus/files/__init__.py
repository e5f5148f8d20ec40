"""Tables in and out: CSV, JSON, XLSX and Parquet; what is written is whole or not at all."""

from ramulus.files.tables import check_table_file, refuse_strange, table_csv, table_json, table_records, write_table

__all__ = ["check_table_file", "refuse_strange", "table_csv", "table_json", "table_records", "write_table"]
