"""Where a log comes from: files of several kinds, a database file, or a database that is asked."""

from __future__ import annotations

import glob
import importlib.util
import sqlite3
from contextlib import closing, contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ramulus.errors import DataError, UnknownNameError

if TYPE_CHECKING:
    from collections.abc import Iterator

FILES = {
    ".parquet": "parquet", ".csv": "csv", ".jsonl": "json", ".ndjson": "json", ".duckdb": "duckdb", ".sqlite": "sqlite",
    ".sqlite3": "sqlite", ".db": "sqlite",
}  # fmt: skip
URLS = ("postgresql://", "postgres://")
_ALLOWED = "a file, folder or glob of .parquet, .csv or .jsonl, one .duckdb or .sqlite file, or postgresql://…"


@dataclass(frozen=True)
class Origin:
    """Where a log comes from.

    Attributes:
        said: the log as it was named.
        kind: parquet, csv, json, duckdb, sqlite or postgresql.
        files: the files.
        table: which table of a database.
        sql: what a database is asked instead.
    """

    said: str
    kind: str
    files: tuple[str, ...]
    table: str | None
    sql: str | None


def origin_of(log: str, table: str | None = None, sql: str | None = None) -> Origin:
    """Return where a log comes from.

    Raises:
        DataError: there is no such thing, or a folder holds several kinds of files.
    """
    if importlib.util.find_spec("duckdb") is None or importlib.util.find_spec("pyarrow") is None:
        raise DataError(
            f"{shown(log)}: reading a log needs DuckDB and Arrow; python -m pip install 'ramulus[recorded]'"
        )
    if log.startswith(URLS):
        if sql is None:
            raise DataError(f"{shown(log)}: say what to ask it: --sql 'select … from …'")
        return Origin(shown(log), "postgresql", (log,), None, sql)
    files = _files(log)
    kinds = {FILES[Path(file).suffix.lower()] for file in files}
    if len(kinds) > 1:
        endings = ", ".join(sorted({Path(file).suffix.lower() for file in files}))
        raise DataError(f"{log}: files of several kinds ({endings}); allowed: one kind; name one: '{log}/*.parquet'")
    kind = kinds.pop()
    if kind in ("duckdb", "sqlite") and len(files) > 1:
        raise DataError(f"{log}: {len(files)} database files; allowed: one")
    if (table or sql) and kind not in ("duckdb", "sqlite"):
        raise DataError(f"{log}: --table and --sql are for databases")
    sql = None if sql is None else sql.strip().rstrip(";")
    return Origin(log, kind, tuple(files), table, sql)


def _files(log: str) -> list[str]:
    path = Path(log)
    if path.is_dir():
        found = sorted(str(one) for one in path.rglob("*") if one.is_file() and one.suffix.lower() in FILES)
    elif path.exists():
        found = [log]
    else:
        found = sorted(one for one in glob.glob(log, recursive=True) if Path(one).is_file())
    if not found:
        why = "holds no log" if path.is_dir() else "no such file or folder, and no glob that finds any"
        raise DataError(f"{log}: {why}; allowed: {_ALLOWED}")
    strange = [one for one in found if Path(one).suffix.lower() not in FILES]
    if strange:
        raise DataError(f"{strange[0]}: no log by its ending; allowed: {_ALLOWED}")
    return found


def shown(log: str) -> str:
    """Return an address without what it says of user and password."""
    if not log.startswith(URLS):
        return log
    head, _, rest = log.partition("://")
    return f"{head}://{rest.rpartition('@')[2]}"


@contextmanager
def relation(con: Any, origin: Origin) -> Iterator[str]:
    """Make a log known to a connection; yield a query for its rows with `file__` and `row__`.

    Raises:
        DataError: it cannot be read.
    """
    listed = "[" + ", ".join(_text(_literal(file)) for file in origin.files) + "]"
    if origin.kind == "parquet":
        yield (
            f"select *, file_row_number as row__ from "
            f"read_parquet({listed}, union_by_name=true, filename='file__', file_row_number=true)"
        )
    elif origin.kind == "csv":
        yield _numbered(f"read_csv({listed}, union_by_name=true, filename='file__', all_varchar=true, header=true)")
    elif origin.kind == "json":
        yield _numbered(
            f"read_json({listed}, format='newline_delimited', union_by_name=true, filename='file__', sample_size=-1)"
        )
    elif origin.kind == "duckdb":
        con.execute(f"attach {_text(origin.files[0])} as log__ (read_only)")
        names = [row[0] for row in con.execute(
            "select table_name from information_schema.tables where table_catalog = 'log__'").fetchall()]  # fmt: skip
        con.execute("use log__") if origin.sql else None
        inner = f"({origin.sql})" if origin.sql else f"log__.{_name(_chosen(names, origin))}"
        yield f"select *, '' as file__, row_number() over () as row__ from {inner}"
    else:
        with _arrow(origin) as reader:
            con.register("log__", reader)
            # A stream is read once; what is kept goes to disk where it does not fit.
            con.execute(
                "create temp table log_rows__ as select *, '' as file__, row_number() over () as row__ from log__"
            )
        yield "select * from log_rows__"


def _numbered(call: str) -> str:
    return f"select *, row_number() over () as row__ from {call}"


def _literal(file: str) -> str:
    """Return a file's name so that DuckDB takes it as it is, and not as a pattern."""
    return file.replace("[", "[[]") if glob.has_magic(file) and "[" in file else file


def _text(text: str) -> str:
    return "'" + text.replace("'", "''") + "'"


def _name(name: str) -> str:
    return '"' + name.replace('"', '""') + '"'


def _chosen(names: list[str], origin: Origin) -> str:
    if origin.table is not None:
        if origin.table not in names:
            raise UnknownNameError("table", origin.table, names)
        return origin.table
    if len(names) != 1:
        listed = ", ".join(names) or "none"
        raise DataError(f"{origin.said}: {len(names)} tables ({listed}); say which one: --table NAME, or --sql")
    return names[0]


@contextmanager
def _arrow(origin: Origin) -> Iterator[Any]:
    if origin.kind == "sqlite":
        with closing(_sqlite(origin.files[0])) as database:
            yield _rows_of_sqlite(database, origin)
        return
    if importlib.util.find_spec("adbc_driver_postgresql") is None:
        raise DataError(f"{origin.said}: asking PostgreSQL needs ADBC; python -m pip install adbc-driver-postgresql")
    from adbc_driver_postgresql import dbapi

    try:
        with dbapi.connect(origin.files[0]) as connection, connection.cursor() as cursor:
            cursor.execute(origin.sql)
            yield cursor.fetch_record_batch()
    except dbapi.Error as error:
        first = str(error).strip().split("\n")[0]
        raise DataError(f"{origin.said}: {first}") from None


def _sqlite(file: str) -> sqlite3.Connection:
    return sqlite3.connect(f"file:{Path(file).resolve().as_posix()}?mode=ro", uri=True, check_same_thread=False)


def _rows_of_sqlite(database: sqlite3.Connection, origin: Origin) -> Any:
    import pyarrow as pa

    try:
        names = [row[0] for row in database.execute("select name from sqlite_master where type in ('table', 'view')")]
        cursor = database.execute(origin.sql or f"select * from {_name(_chosen(names, origin))}")
    except sqlite3.Error as error:
        raise DataError(f"{origin.said}: {error}") from None
    columns = [name for name, *_ in cursor.description]
    schema = pa.schema([(name, pa.string()) for name in columns])  # A column of SQLite may hold anything.

    def batches() -> Iterator[Any]:
        while rows := cursor.fetchmany(50_000):
            cells = zip(*rows, strict=True)
            texts = [
                pa.array([None if cell is None else str(cell) for cell in column], pa.string()) for column in cells
            ]
            yield pa.record_batch(texts, schema)

    return pa.RecordBatchReader.from_batches(schema, batches())
