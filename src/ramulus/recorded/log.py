"""A log of awards: what is read of it, what is left out and why, and its rows in batches of whole players."""

from __future__ import annotations

import copy
import os
import tempfile
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any

from ramulus.design.recorded import RecordedPlay
from ramulus.errors import DataError
from ramulus.recorded.columns import mapped
from ramulus.recorded.origins import Origin, origin_of, relation
from ramulus.recorded.query import LEFT_OUT, MEANT, OTHER_DESIGN, Query, query_for
from ramulus.recorded.reading import Reading
from ramulus.recorded.rows import Batch
from ramulus.recorded.taking import Taking

if TYPE_CHECKING:
    from ramulus.design import Design

ROWS_AT_ONCE = 500_000
MEMORY = "400MB"
KEPT_ROWS = 1_000_000  # A log no longer than that is read once.


class Log:
    """A log of awards of a design's players. Nothing personal is kept: players are numbers, in the order of a hash.

    Attributes:
        design: the design.
        origin: where it comes from.
        columns: the log's names of the columns that it has, by our own.

    Examples:
        >>> import ramulus as rm
        >>> design = rm.demo_design()
        >>> _ = rm.sample_log(design, "log.parquet", players={"steady": 40}, days=10)
        >>> log = rm.read_log("log.parquet", design)
        >>> log.said()
        ['nothing is read yet: `replay`, `observed` and `fit` read it']
        >>> _ = rm.replay(design, log)
        >>> "awards of 40 players" in log.said()[0]
        True
    """

    def __init__(
        self, design: Design, origin: Origin, given: Mapping[str, str], *, strict: bool, also: frozenset[str],
        span: tuple[float | None, float | None],
    ) -> None:  # fmt: skip
        self.design, self.origin = design, origin
        self.settings = design.recorded or RecordedPlay()
        self._strict, self._also, self._span = strict, also, span
        self._kept: list[Batch] | None = None
        self._part: tuple[int, int] | None = None
        self.reading = Reading()
        with self._connected() as (con, rows):
            types = {row[0]: row[1] for row in con.execute(f"describe {rows}").fetchall()}
        own = [name for name in types if name not in ("file__", "row__", "file_row_number")]
        called = {str(name): text for name, text in self.settings.columns.items()} | dict(given)
        self.columns = mapped(own, called, origin.said)
        self._types = {name: types[called] for name, called in self.columns.items()}

    @property
    def longest_pause(self) -> float:
        """The longest pause within a sitting, seconds."""
        return self.settings.longest_pause_minutes * 60.0

    def of_part(self, place: int, count: int) -> Log:
        """Return the log with the players of one of several parts alone."""
        part = copy.copy(self)
        part._kept, part._part, part.reading = None, (place, count), Reading()
        return part

    def note(self, reading: Reading) -> None:
        """Note what was read of all parts.

        Raises:
            DataError: nothing was, or `strict` and rows are left out.
        """
        self.reading = reading
        self._judge()

    def batches(self) -> Iterator[Batch]:
        """Yield the rows, some whole players at a time.

        Raises:
            DataError: the log cannot be read, or `strict` and rows are left out.
        """
        if self._kept is not None:
            yield from self._kept
            return
        kept: list[Batch] | None = []
        for batch in self._read():
            if kept is not None:
                kept.append(batch)
                if self.reading.rows > KEPT_ROWS:
                    kept = None
            yield batch
        self._kept = kept

    def _read(self) -> Iterator[Batch]:
        self.reading = Reading(files=len(self.origin.files))
        query = query_for(
            self.design, self.settings, self.columns, self._types, self._also, self._span,
            several_files=len(self.origin.files) > 1, part=self._part,
        )  # fmt: skip
        taking = Taking(self.design, self.settings, self.reading, "order" in self.columns)
        with self._connected() as (con, rows):
            for table in _record_batches(con, query.text(rows)):
                yield from taking.take(table)
            yield from taking.rest()
            if self.reading.left_out:
                self.reading.examples = _examples(con, query, rows)
        if self._part is None:
            self._judge()

    def _judge(self) -> None:
        faults = {why: count for why, count in self.reading.left_out.items() if why not in MEANT}
        if self._strict and faults:
            raise DataError(f"{self.origin.said}: {_left_out(self.reading)}")
        if not self.reading.players:
            why = f": {_left_out(self.reading)}" if self.reading.left_out else ""
            hint = "; give that design by --also FILE" if OTHER_DESIGN in self.reading.left_out else ""
            raise DataError(f"{self.origin.said}: no award can be read in it{why}{hint}")

    @contextmanager
    def _connected(self) -> Iterator[tuple[Any, str]]:
        import duckdb

        with tempfile.TemporaryDirectory() as folder, duckdb.connect() as con:
            con.execute("set TimeZone='UTC'")  # What a time that names no zone is taken as.
            con.execute(f"set memory_limit='{MEMORY}'")
            con.execute("set temp_directory=?", [folder])
            con.execute("set preserve_insertion_order=true")
            try:
                with relation(con, self.origin) as rows:
                    yield con, rows
            except duckdb.Error as error:
                first = " ".join(str(error).split())[:300]
                raise DataError(f"{self.origin.said}: cannot be read ({first})") from None

    def said(self) -> list[str]:
        """Return what was read, left out and why, in at most four lines; it is read by what is asked of it first."""
        reading = self.reading
        if not reading.rows and not reading.left_out:
            return ["nothing is read yet: `replay`, `observed` and `fit` read it"]
        files = f" in {reading.files} files" if reading.files > 1 else ""
        lines = [f"{reading.rows:,} awards of {reading.players:,} players{files}, {_days(reading)}"]
        if reading.left_out:
            lines.append(f"left out: {_left_out(reading)}")
        if reading.noticed:
            lines.append("; ".join(f"{count:,} {what}" for what, count in reading.noticed.most_common()))
        if "level" not in self.columns:
            lines.append("no column of levels: levels are what the ledger makes of the XP")
        return lines[:4]

    def __repr__(self) -> str:
        return f"<Log {self.origin.said!r} of {self.design.title!r}>"


def _days(reading: Reading) -> str:
    days = max(reading.last - reading.first, 0.0) / 86_400
    return f"over {days:,.1f} days" if days >= 1 else f"over {days * 24:,.1f} hours"


def _left_out(reading: Reading) -> str:
    counts = "; ".join(f"{count:,} rows {why}" for why, count in reading.left_out.most_common())
    return counts + (f" (such as {'; '.join(reading.examples)})" if reading.examples else "")


def _record_batches(con: Any, text: str) -> Iterator[Any]:
    yield from con.sql(text).to_arrow_reader(ROWS_AT_ONCE)


def _examples(con: Any, query: Query, rows: str) -> list[str]:
    found = con.execute(query.bad_rows(rows)).fetchall()
    return [f"{os.path.basename(file) or 'row'} {row}: {LEFT_OUT[bad]}" for file, row, bad in found]


def read_log(
    log: str | os.PathLike[str], design: Design, *, columns: Mapping[str, str] | None = None, table: str | None = None,
    sql: str | None = None, also: Iterable[str] = (), since: float | None = None, until: float | None = None,
    strict: bool = False,
) -> Log:  # fmt: skip
    """Return a log of awards that real players got; its rows are read when they are asked for.

    Args:
        log: a file, folder or glob of Parquet, CSV or JSON Lines, a DuckDB or SQLite file, or a PostgreSQL URL.
        design: the design that was played.
        columns: what the log calls its columns, by our names; goes before `[recorded] columns` of the design.
        table: which table of a database file.
        sql: what a database is asked.
        also: hashes of other designs whose rows are taken, too, where the log says which design each is of.
        since, until: times, seconds since 1970, outside of which rows are left out.
        strict: whether rows that cannot be read are an error, and not left out.

    Raises:
        DataError: there is no such log, or it lacks a column.

    Examples:
        >>> import ramulus as rm
        >>> design = rm.demo_design()
        >>> _ = rm.sample_log(design, "log.parquet", players={"steady": 40}, days=10)
        >>> log = rm.read_log("log.parquet", design)
        >>> log
        <Log 'log.parquet' of 'Canopy Wardens'>
    """
    span = (since, until)
    return Log(
        design, origin_of(os.fspath(log), table, sql), columns or {}, strict=strict, also=frozenset(also), span=span
    )
