"""Into the game: the design as tables that a game loads, and as a file of code for each language."""

from __future__ import annotations

from collections.abc import Iterable
from os import PathLike
from pathlib import Path
from typing import TYPE_CHECKING

from ramulus.game.conforming import conform
from ramulus.game.conformity import Conformity
from ramulus.game.reading import design_of
from ramulus.game.writing import Export, differing, exported, write_export

if TYPE_CHECKING:
    from ramulus.design import Design

__all__ = ["Conformity", "Export", "conform", "design_of", "differing", "export", "exported", "write_export"]


def export(
    design: Design, folder: str | PathLike[str], languages: Iterable[str] = (), *, name: str | None = None
) -> Export:
    """Write a design for a game to load: tables, their schema, and a file of code a language.

    Args:
        design: the design.
        folder: where to write; it is made where it is not there. Files that an export has written are replaced, but for
            harnesses, which are yours to change.
        languages: any of csharp, cpp, javascript, lua, python (default: tables alone).
        name: what becomes the namespace of the code (default: from the title).

    Returns:
        The name that the files carry (a hash of the design), their texts, and names that a language spells otherwise.

    Raises:
        DesignError: the design is at fault, or a formula can neither be translated exactly nor be made a table.
        UnknownNameError: there is no such language.
        DataError: the folder cannot be written, or holds a file of such a name that no export has written; nothing
            has changed.

    Examples:
        >>> import ramulus as rm
        >>> done = rm.export(rm.demo_design(), "game", ["lua"])
        >>> "levels.json" in done.files
        True
    """
    written = exported(design, languages, name)
    write_export(written, Path(folder))
    return written
