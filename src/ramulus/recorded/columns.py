"""The columns of a log: what each is called there, and which there must be."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import get_args

from ramulus.design.recorded import Column
from ramulus.errors import DataError, UnknownNameError, nearest_name

COLUMNS: tuple[str, ...] = get_args(Column)
NEEDED = ("player", "time", "xp")


def mapped(there: Sequence[str], given: Mapping[str, str], where: str) -> dict[str, str]:
    """Return the log's name of each column that it has, by our own.

    Args:
        there: the log's columns.
        given: names by our own: from the command line, and from the design.
        where: the log, in words.

    Raises:
        UnknownNameError: a column of ours does not exist.
        DataError: the log lacks a column that it must have, or one that is named.
    """
    for name in given:
        if name not in COLUMNS:
            raise UnknownNameError("column of recorded play", name, COLUMNS)
    found = {name: given.get(name, name) for name in COLUMNS if given.get(name, name) in there}
    listed = ", ".join(there) or "none"
    for name, called in given.items():
        if called not in there:
            near = nearest_name(called, there)
            hint = f"; did you mean {near!r}?" if near else ""
            raise DataError(f"{where}: no column {called!r} ({name}); there are: {listed}{hint}")
    missing = [name for name in NEEDED if name not in found]
    if missing:
        raise DataError(
            f"{where}: no column {', '.join(map(repr, missing))}; there are: {listed}; say which one it is: "
            f"--column {missing[0]}={there[0] if there else 'NAME'}, or [recorded] columns in the design"
        )
    return found
