"""The options that commands over recorded play share, and the log that they name."""

from __future__ import annotations

import inspect
from collections.abc import Callable
from dataclasses import MISSING, dataclass, fields
from datetime import UTC, datetime
from functools import wraps
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, get_type_hints
from zoneinfo import ZoneInfo

import typer

from ramulus.cli.closing import Closing
from ramulus.cli.options import VerdictFormat

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.recorded.log import Log
    from ramulus.words.judged import Verdict

LogArgument = Annotated[
    str,
    typer.Argument(
        metavar="LOG", show_default=False,
        help="The log: .parquet, .csv, .jsonl (a file, folder or glob), .duckdb, .sqlite, or postgresql://…",
    ),
]  # fmt: skip
ColumnNames = Annotated[
    list[str] | None,
    typer.Option("--column", metavar="OURS=THEIRS", help="What the log calls a column: player=user_id (repeatable)."),
]
Table = Annotated[str | None, typer.Option("--table", help="The table of a database file.")]
Sql = Annotated[str | None, typer.Option("--sql", help="What to ask a database instead of a table.")]
Also = Annotated[
    list[Path] | None,
    typer.Option("--also", metavar="FILE", help="Take rows of this older design, too (repeatable)."),
]
Since = Annotated[
    str | None, typer.Option("--from", metavar="TIME", help="Leave out rows before: 2026-01-20 (ISO 8601).")
]
UntilTime = Annotated[str | None, typer.Option("--to", metavar="TIME", help="Leave out rows after.")]
Strict = Annotated[bool, typer.Option("--strict", help="Refuse rows that cannot be read, rather than leave them out.")]


@dataclass(frozen=True)
class Asked:
    """What a call asks of which log: its fields are the options of every command over a log."""

    log: LogArgument
    column: ColumnNames = None
    table: Table = None
    sql: Sql = None
    also: Also = None
    since: Since = None
    until: UntilTime = None
    strict: Strict = False

    def open(self, design: Design) -> Log:
        """Return the log."""
        from ramulus.design import load_design
        from ramulus.design.recorded import RecordedPlay
        from ramulus.recorded.log import read_log
        from ramulus.recorded.query import design_hash

        zone = ZoneInfo((design.recorded or RecordedPlay()).timezone)
        return read_log(
            self.log, design, columns=dict(_pair(one) for one in self.column or []), table=self.table, sql=self.sql,
            also=[design_hash(load_design(file)) for file in self.also or []], since=_time(self.since, zone, "--from"),
            until=_time(self.until, zone, "--to"), strict=self.strict,
        )  # fmt: skip


def over_log(function: Callable[..., None]) -> Callable[..., None]:
    """Return a command that takes a log after its file, and whose options arrive as one `Asked`, its `asked`."""
    signature, kinds = inspect.signature(function, eval_str=True), get_type_hints(Asked, include_extras=True)
    own = [one for one in signature.parameters.values() if one.name not in ("asked", "closing")]
    log, *options = (
        inspect.Parameter(one.name, inspect.Parameter.KEYWORD_ONLY, annotation=kinds[one.name],
                          default=inspect.Parameter.empty if one.default is MISSING else one.default)
        for one in fields(Asked)
    )  # fmt: skip

    @wraps(function)
    def run(**given: Any) -> None:
        function(asked=Asked(**{name: given.pop(name) for name in kinds}), **given)

    parameters = [own[0], log, *own[1:], *options, signature.parameters["closing"]]
    keywords = [one.replace(kind=inspect.Parameter.KEYWORD_ONLY) for one in parameters]
    run.__signature__ = signature.replace(parameters=keywords)  # type: ignore[attr-defined]
    return run


def _pair(text: str) -> tuple[str, str]:
    ours, equals, theirs = text.partition("=")
    if not equals or not ours.strip() or not theirs.strip():
        raise typer.BadParameter(f"{text!r}; write OURS=THEIRS, such as player=user_id", param_hint="--column")
    return ours.strip(), theirs.strip()


def _time(text: str | None, zone: ZoneInfo, option: str) -> float | None:
    if text is None:
        return None
    try:
        found = datetime.fromisoformat(text)
    except ValueError:
        raise typer.BadParameter(
            f"{text!r}; write a time as 2026-01-20 or 2026-01-20T18:00:00+01:00", param_hint=option
        ) from None
    return (found if found.tzinfo else found.replace(tzinfo=zone)).astimezone(UTC).timestamp()


def print_verdicts(closing: Closing, command: str, file: Path, verdicts: list[Verdict]) -> None:
    """Print or write what was judged as SARIF or JUnit XML."""
    from ramulus import __version__
    from ramulus.checks import Findings
    from ramulus.words.judged import junit_text, sarif_text

    if closing.verdicts == VerdictFormat.junit:
        text = junit_text(verdicts, str(file), strict=False)
    else:
        text = sarif_text([one for one in verdicts if one.level != "none"], Findings(()), str(file), __version__)
    closing.put(command, text)
