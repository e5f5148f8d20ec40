"""Write designs: comments and order of their files stay."""

from __future__ import annotations

import copy
import json
import tomllib
from collections.abc import Callable, Iterator
from contextlib import suppress
from pathlib import Path
from typing import Any

from ramulus.design.merging import Whole
from ramulus.design.model import DesignModel
from ramulus.design.reading import MAX_BYTES, read_whole
from ramulus.design.schema import SCHEMA_KEY
from ramulus.design.stated_formulas import Location
from ramulus.design.writing import refuse_strange_ending, write_all, write_whole
from ramulus.errors import DataError


def save_design(design: DesignModel, text: str | None, path: Path) -> None:
    """Write a design as TOML or JSON by the file's ending; see `Design.save`.

    Args:
        design: the design.
        text: the TOML it was read from, whose comments and order stay, or None.
        path: the file.
    """
    if refuse_strange_ending(path, "design", (".toml", ".json")) == ".json":
        content = _json_text(path, design.to_dict())
    else:
        content = toml_text(design, text)
    write_whole(path, content)


def save_parts(design: DesignModel, whole: Whole) -> tuple[Path, ...]:
    """Write what has changed of a design that is spread over files, each change into the file that says it.

    Returns:
        The files that were written.
    """
    changed = {part.file: copy.deepcopy(part.data) for part in whole.parts}
    for location, value in _changes(whole.data, design.to_dict()):
        file = whole.file_of(location)
        within = _within(whole, file, location)
        if value is not GONE:
            _put(changed[file], within, value)
        else:  # Out of every file that says it: else what is extended would say it again.
            in_a_list = any(isinstance(part, int) for part in location)
            for data in [changed[file]] if in_a_list else changed.values():
                _take_out(data, within)
    written = {}
    for part in whole.parts:
        if changed[part.file] != part.data:
            text, data = part.text, changed[part.file]
            written[part.file] = _json_text(part.file, data) if text is None else text_with(text, data)
    write_all(dict(written))
    return tuple(written)


def _json_text(path: Path, data: dict[str, Any]) -> str:
    """Return a design as JSON for a file, which goes on saying which schema it follows."""
    said: Any = None
    with suppress(OSError, ValueError, RecursionError, DataError):
        said = json.loads(read_whole(path, MAX_BYTES))
    follows = {SCHEMA_KEY: said[SCHEMA_KEY]} if isinstance(said, dict) and SCHEMA_KEY in said else {}
    return json.dumps({**follows, **data}, indent=2, ensure_ascii=False) + "\n"


GONE = object()


def _changes(before: Any, now: Any, at: Location = ()) -> Iterator[tuple[Location, Any]]:
    """Yield the locations at which data differs, with what is to stand there, or GONE."""
    for key in [*before, *(key for key in now if key not in before)]:
        here = (*at, str(key))
        if key not in now:
            yield here, GONE
        elif key not in before:
            yield here, now[key]
        elif isinstance(before[key], dict) and isinstance(now[key], dict):
            yield from _changes(before[key], now[key], here)
        elif _same_tables(before[key], now[key]):
            for index, (old, new) in enumerate(zip(before[key], now[key], strict=True)):
                yield from _changes(old, new, (*here, index))
        elif before[key] != now[key]:
            yield here, now[key]


def _within(whole: Whole, file: Path, location: Location) -> Location:
    """Return where an item of a list that several files add to stands in its own file."""
    if len(location) < 2 or not isinstance(location[1], int):
        return location
    before = [index for index in range(location[1]) if whole.file_of((location[0], index)) == file]
    return (location[0], len(before), *location[2:])


def _put(data: Any, location: Location, value: Any) -> None:
    for part in location[:-1]:
        data = data.setdefault(part, {}) if isinstance(data, dict) else data[part]
    data[location[-1]] = value


def _take_out(data: Any, location: Location) -> None:
    """Take what stands at a location out of some data, if it says anything there."""
    for part in location[:-1]:
        data = data.get(part, {}) if isinstance(data, dict) else data[part]
    data.pop(location[-1], None)


def toml_text(design: DesignModel, text: str | None) -> str:
    """Return the design as TOML; comments and order of the text it came from stay."""
    import tomlkit

    data = design.to_dict()
    return tomlkit.dumps(data) if text is None else text_with(text, data)


def text_with(text: str, data: dict[str, Any]) -> str:
    """Return TOML that says some data; comments and order of a text stay."""
    import tomlkit

    # A new table has a header of its own where the file's layout allows that, else it goes into a line; what was
    # written is read again, because some layouts take neither.
    for written in (_as_it_is, _in_a_line):
        document = tomlkit.parse(text)
        try:
            _bring_up_to_date(document, tomllib.loads(text), data, written)
        except (ValueError, tomlkit.exceptions.TOMLKitError):
            continue
        changed = tomlkit.dumps(document)
        if _says(changed, data):
            return changed
    raise DataError("the changes cannot be put into this file's layout; write a new file without its comments instead")


def _says(text: str, data: dict[str, Any]) -> bool:
    try:
        return tomllib.loads(text) == data
    except tomllib.TOMLDecodeError:
        return False


def _as_it_is(value: Any) -> Any:
    return value


def _in_a_line(value: Any) -> Any:
    """Return a value as one line of TOML."""
    import tomlkit

    if isinstance(value, dict):
        line = tomlkit.inline_table()
        line.update({key: _in_a_line(part) for key, part in value.items()})
        return line
    if isinstance(value, list):
        items = tomlkit.array()
        items.extend([_in_a_line(part) for part in value])
        return items
    return tomlkit.item(value)


def _bring_up_to_date(
    document: Any, before: dict[str, Any], now: dict[str, Any], written: Callable[[Any], Any]
) -> None:
    """Change only what differs, so that everything else keeps its place and its comments."""
    for key in before.keys() - now.keys():
        del document[key]
    for key, value in now.items():
        if key not in before:
            document[key] = written(value)
        elif isinstance(value, dict) and isinstance(before[key], dict):
            _bring_up_to_date(document[key], before[key], value, written)
        elif _same_tables(before[key], value):
            for item, (old, new) in enumerate(zip(before[key], value, strict=True)):
                _bring_up_to_date(document[key][item], old, new, written)
        elif value != before[key]:
            document[key] = written(value)


def _same_tables(before: Any, now: Any) -> bool:
    both_lists = isinstance(before, list) and isinstance(now, list) and len(before) == len(now)
    return both_lists and all(isinstance(item, dict) for item in (*before, *now))
