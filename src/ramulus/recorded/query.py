"""What DuckDB is asked: a log's rows with every cell as a number, in the order of players and time."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

from ramulus.errors import RamulusError

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.recorded import RecordedPlay

OTHER_DESIGN, OUTSIDE = "of another design", "outside the times asked for"
MEANT = (OTHER_DESIGN, OUTSIDE)  # Reasons that are no fault of a log.
LEFT_OUT = (
    "", "without a player", "whose time is none", "whose XP is no number", OTHER_DESIGN,
    "of a track that the design has not", OUTSIDE,
)  # fmt: skip
_NUMBERS = ("INT", "DOUBLE", "FLOAT", "DECIMAL", "REAL", "HUGEINT")


@dataclass(frozen=True)
class Query:
    """What is asked: `cells` by name, `ordered` what orders the rows of a player, `part` whose rows they are."""

    cells: Mapping[str, str]
    ordered: str
    several_files: bool
    part: tuple[int, int] | None

    def text(self, rows: str) -> str:
        """Return the query over a log's rows."""
        columns = ", ".join(f"{cell} as {name}" for name, cell in self.cells.items())
        inner = f"select {columns}, file__, row__ from ({rows})"
        cells = ", ".join(name for name in self.cells)
        file = "file__, " if self.several_files else ""
        mine = "" if self.part is None else f" where key % {self.part[1]} = {self.part[0]}"
        order = f"key, {self.ordered}, {file}row__"
        return f"select {cells}, hash(file__) as file from ({inner}){mine} order by {order}"

    def bad_rows(self, rows: str) -> str:
        """Return the query for the first rows that cannot be read."""
        inner = f"select {self.cells['bad']} as bad, file__, row__ from ({rows})"
        return f"select file__, row__, bad from ({inner}) where bad in (1, 2, 3, 5) order by file__, row__ limit 3"


def query_for(
    design: Design, settings: RecordedPlay, columns: Mapping[str, str], types: Mapping[str, str], also: frozenset[str],
    span: tuple[float | None, float | None], *, several_files: bool = False,
    part: tuple[int, int] | None = None,
) -> Query:  # fmt: skip
    """Return the query for a log with some columns."""
    name = {ours: _quoted(called) for ours, called in columns.items()}
    time = _time(name["time"], types["time"])
    cells = {
        "bad": _bad(design, name, time, also, span),
        "key": f"coalesce(hash(cast({name['player']} as varchar)), 0)",
        "t": f"coalesce({time}, 0)",
        "naive": _naive(name["time"], types["time"]),
        "xp": f"coalesce({_number(name['xp'])}, 0) * {_sign(name)}",
        "track": _place(name, "track", design.track_order, 0),
        "source": _place(name, "source", list(design.sources), -1),
        "profile": _place(name, "profile", list(design.players), -1),
        "success": _yes_or_no(name),
        "level": f"coalesce(try_cast({_number(name['level'])} as bigint), -1000000)" if "level" in name else "-1000000",
        "xp_in": _or_nan(name, "xp_in_level"),
        "total": _or_nan(name, "total_xp"),
        "seconds": _or_nan(name, "seconds"),
    }
    ordered = "t"
    if "order" in name:
        cells["ord"] = f"coalesce({_number(name['order'])}, 0)"
        ordered = "ord"
    return Query(cells, ordered, several_files, part)


def _bad(
    design: Design, name: Mapping[str, str], time: str, also: frozenset[str], span: tuple[float | None, float | None]
) -> str:
    tests = [
        (1, f"{name['player']} is null or cast({name['player']} as varchar) = ''"), (2, f"({time}) is null"),
        (3, f"{_number(name['xp'])} is null or not isfinite({_number(name['xp'])})"),
    ]  # fmt: skip
    hashes = {*also, design_hash(design)} - {""}
    if "design" in name and hashes:
        known = ", ".join(_text(one) for one in sorted(hashes))
        tests.append((4, f"cast({name['design']} as varchar) not in ({known})"))
    if "track" in name:
        tracks = ", ".join(_text(one) for one in design.track_order)
        tests.append((5, f"cast({name['track']} as varchar) not in ({tracks})"))
    since, until = span
    limits = [f"({time}) < {since!r}"] if since is not None else []
    limits += [f"({time}) > {until!r}"] if until is not None else []
    if limits:
        tests.append((6, " or ".join(limits)))
    return "case " + " ".join(f"when {test} then {code}" for code, test in tests) + " else 0 end"


def design_hash(design: Design) -> str:
    """Return the hash by which a game says which design it was built from; "" where it cannot be exported."""
    from ramulus.game.levels_json import levels_of
    from ramulus.game.packing import pack_of

    try:
        return str(levels_of(design, pack_of(design), "")["design"])
    except RamulusError:  # A design that is not exported has no name that a game could record.
        return ""


def _time(name: str, kind: str) -> str:
    """Return seconds since 1970 of a column of times, or of seconds."""
    if kind.startswith(("TIMESTAMP WITH", "TIMESTAMPTZ")):
        return f"epoch({name})"
    if kind.startswith(("TIMESTAMP", "DATE")):
        return f"epoch(cast({name} as timestamptz))"
    if any(word in kind for word in _NUMBERS):
        return f"case when isfinite(cast({name} as double)) then cast({name} as double) end"
    # A text: ISO 8601, or seconds.
    return f"coalesce(epoch(try_cast({name} as timestamptz)), try_cast({name} as double))"


def _naive(name: str, kind: str) -> str:
    """Return whether a time names no zone."""
    if kind.startswith("TIMESTAMP") and "ZONE" not in kind and "TZ" not in kind:
        return "true"
    if kind.startswith("TIMESTAMP") or any(word in kind for word in _NUMBERS):
        return "false"
    zone = r":[0-9.]+ *(z|[+-][0-9:]+)$"
    return f"(try_cast({name} as double) is null and not regexp_matches(trim(cast({name} as varchar)), '{zone}', 'i'))"


def _number(name: str) -> str:
    return f"try_cast({name} as double)"


def _or_nan(name: Mapping[str, str], column: str) -> str:
    return f"coalesce({_number(name[column])}, 'nan'::double)" if column in name else "'nan'::double"


def _sign(name: Mapping[str, str]) -> str:
    if "kind" not in name:
        return "1"
    return f"(case when lower(cast({name['kind']} as varchar)) in ('loss', 'lose', 'lost', '-') then -1 else 1 end)"


def _place(name: Mapping[str, str], column: str, known: list[str], otherwise: int) -> str:
    """Return which of some names a cell is, from 0; -2 where it is none of them."""
    if column not in name or not known:
        return f"{otherwise}::smallint"
    listed = "[" + ", ".join(_text(one) for one in known) + "]"
    cell = f"cast({name[column]} as varchar)"
    found = f"coalesce(list_position({listed}, {cell}), -1) - 1"
    return f"(case when {cell} is null or {cell} = '' then {otherwise} else {found} end)::smallint"


def _yes_or_no(name: Mapping[str, str]) -> str:
    if "success" not in name:
        return "(-1)::tinyint"
    cell = f"lower(cast({name['success']} as varchar))"
    return (
        f"(case when {cell} in ('true', '1', '1.0', 't', 'yes') then 1 "
        f"when {cell} in ('false', '0', '0.0', 'f', 'no') then 0 else -1 end)::tinyint"
    )


def _quoted(name: str) -> str:
    return '"' + name.replace('"', '""') + '"'


def _text(text: str) -> str:
    return "'" + text.replace("'", "''") + "'"
