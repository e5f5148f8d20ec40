"""The files of an export: what is in each, written whole or not at all, and whether a folder holds them as they are."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

from ramulus.design import read_start, write_all
from ramulus.errors import DataError, DesignError, Problem
from ramulus.game.languages import Language, language, snake
from ramulus.game.levels_json import SCHEMA_FILE, levels_csv, levels_of
from ramulus.game.levels_schema import levels_schema
from ramulus.game.pack import Pack
from ramulus.game.packing import pack_of
from ramulus.game.vectors import vectors_json
from ramulus.game.view import View, clashes, respelt

if TYPE_CHECKING:
    from jinja2 import Environment

    from ramulus.design import Design

JSON = "json"
LINE = 130
MOST_ROWS = 5_000
# What the beginning of each file holds, by name or ending; code says what it is in its first line.
_MARKS = {
    "levels.json": f'"$schema": "./{SCHEMA_FILE}"', SCHEMA_FILE: '"https://json-schema.org/',
    "vectors.json": '"ramulus": ',
    ".csv": "level,cost,total,points", ".mts": "the types of leveling.mjs",
}  # fmt: skip
_VERSION = re.compile(r"(Written by Ramulus |\"ramulus\": \")[^\s\"]+")


class Export(NamedTuple):
    """What was, or would be, written.

    Attributes:
        design: the name that the files carry, a hash of the design.
        files: the texts of the files, by name.
        respelt: names that a language spells in another way, as `language: name → spelt`.

    Examples:
        >>> import ramulus as rm
        >>> done = rm.export(rm.demo_design(), "game", ["python"])
        >>> "levels.json" in done.files
        True
    """

    design: str
    files: dict[str, str]
    respelt: tuple[str, ...]


def exported(design: Design, languages: Iterable[str] = (), name: str | None = None, *, vectors: bool = True) -> Export:
    """Return the files of an export; `levels.json`, its schema and the tables as CSV are always among them.

    Args:
        design: the design.
        languages: csharp, cpp, javascript, lua, python.
        name: what becomes the namespace (default: from the title).
        vectors: whether `vectors.json`, which takes longest, is among them.

    Raises:
        DesignError: the design is at fault, a formula has no exact translation, or a table is too long for code.
        UnknownNameError: there is no such language.
        DataError: the name is none.
    """
    from ramulus import __version__

    wanted = [language(one) for one in dict.fromkeys(languages) if one != JSON]
    pack, name = pack_of(design), _checked(name or snake(design.title), given=name is not None)
    levels = levels_of(design, pack, __version__)
    files = {"levels.json": _json(levels) + "\n", SCHEMA_FILE: _json(levels_schema()) + "\n"}
    if vectors:
        files["vectors.json"] = _json(vectors_json(pack, levels["design"], __version__)) + "\n"
    files |= {f"levels_{track.name}.csv": levels_csv(track, pack) for track in pack.tracks}
    for one in wanted:
        _refuse_long(pack)
        _refuse_clashes(pack, one)
        files |= _code(View(pack, one, name, levels["design"], __version__))
    changed = tuple(f"{one.name}: {words}" for one in wanted for words in respelt(pack, one))
    return Export(levels["design"], files, changed)


def write_export(export: Export, folder: Path) -> list[str]:
    """Write the files of an export into a folder, all of them or none; return those that were written.

    A harness that is there stays as it is: a game's own calls may stand in it.

    Raises:
        DataError: the folder cannot be written, or holds a file of such a name that no export has written.
    """
    files = {name: text for name, text in export.files.items() if not (_is_harness(name) and (folder / name).exists())}
    for name in files:
        _refuse_others(folder / name)
    write_all({folder / name: text for name, text in files.items()}, folders=True)
    return list(files)


def _is_harness(name: str) -> bool:
    return name.lower().startswith("harness.")


def _refuse_others(path: Path) -> None:
    """Refuse to replace what stands under a name and was not written by an export: it may be somebody's work."""
    try:
        found = read_start(path, 1000).decode("utf-8", "replace")
    except FileNotFoundError:
        return
    except (OSError, DataError) as error:
        raise DataError(f"{path}: cannot be written ({getattr(error, 'strerror', None) or error})") from None
    mark = _MARKS.get(path.name, _MARKS.get(path.suffix, "levels, XP and awards as designed"))
    if found.strip() and mark not in "".join(found.split("\r")):
        raise DataError(f"{path}: is there already, and no export has written it; give another folder, or remove it")


def differing(export: Export, folder: Path) -> list[str]:
    """Return the files of an export that a folder lacks or holds otherwise.

    Line ends and the version do not count, nor what stands in a harness.
    """
    return [
        name for name, text in export.files.items()
        if not ((folder / name).is_file() if _is_harness(name) else _holds(folder / name, text))
    ]  # fmt: skip


def _holds(path: Path, text: str) -> bool:
    try:
        found = path.read_bytes().decode("utf-8")
    except (OSError, UnicodeDecodeError):
        return False
    return _VERSION.sub(r"\1", found.replace("\r\n", "\n")) == _VERSION.sub(r"\1", text)


def _json(data: Any, indent: int = 0) -> str:
    """Return plain data as JSON, what is short on one line."""
    line = json.dumps(data, ensure_ascii=False)
    if len(line) + indent <= LINE or not data or (isinstance(data, list) and not isinstance(data[0], list | dict)):
        return line
    step = " " * (indent + 1)
    is_table = isinstance(data, dict)
    items = (
        [f"{json.dumps(key)}: {_json(value, indent + 1)}" for key, value in data.items()]
        if is_table
        else ([_json(value, indent + 1) for value in data])
    )
    opening, closing = "{}" if is_table else "[]"
    return f"{opening}\n{step}" + f",\n{step}".join(items) + f"\n{' ' * indent}{closing}"


def _checked(name: str, *, given: bool) -> str:
    if given and not (name.isascii() and name.isidentifier()):
        raise DataError(f"the name {name!r}; allowed: letters, digits and underscores, a letter first")
    return f"d_{name}" if name[0].isdigit() else name


def _refuse_long(pack: Pack) -> None:
    for track in pack.tracks:
        if len(track.granted) > MOST_ROWS:
            found, allowed = (
                f"{len(track.granted):,} levels",
                f"at most {MOST_ROWS:,} in code; levels.json has all of them",
            )
            raise DesignError([Problem(f"tracks.{track.name}.max_level", found, allowed, code="design-too-large")])


def _refuse_clashes(pack: Pack, one: Language) -> None:
    for place, first, second in clashes(pack, one):
        found = f"{first!r} and {second!r} are spelt the same in {one.name}"
        raise DesignError(
            [Problem(place, found, "names that differ in more than underscores and capitals", code="name-clash")]
        )


def _code(view: View) -> dict[str, str]:
    return {
        file: _environment().get_template(template).render(v=view).rstrip("\n") + "\n"
        for template, file in view.language.files.items()
    }


@cache
def _environment() -> Environment:
    from jinja2 import Environment, PackageLoader, StrictUndefined

    return Environment(loader=PackageLoader("ramulus.game"), undefined=StrictUndefined, keep_trailing_newline=True)
