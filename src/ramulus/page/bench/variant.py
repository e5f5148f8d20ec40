"""What is tried, written as a new design file that extends the one it is tried beside."""

from __future__ import annotations

import re
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ramulus.design import load_design, write_whole
from ramulus.design.places import split_place, value_at
from ramulus.errors import DataError, RamulusError

if TYPE_CHECKING:
    from ramulus.design import Design

_NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9 _-]{0,39}")


def write_variant(file: Path, base: Design, tried: Design, places: list[str], name: str) -> Path:
    """Write a variant beside a design file.

    Args:
        file: the file that is extended.
        base: what it says.
        tried: the design that the variant is to be.
        places: what is other in it.
        name: of the variant: letters, digits, spaces, - and _.

    Returns:
        The new file, its name made of the file's and the variant's.

    Raises:
        DataError: the name is none, there is such a file already, or the changes cannot be said in a file that extends.
    """
    import tomlkit

    if not _NAME.fullmatch(name):
        raise DataError(f"a variant cannot be called {name!r}; allowed: up to 40 letters, digits, spaces, - and _")
    path = file.with_name(f"{file.stem}_{name.strip().replace(' ', '_')}.toml")
    if path.exists():
        raise DataError(f"{path.name} is there already; nothing is written")
    data: dict[str, Any] = {"extends": file.name, "title": f"{base.title}, {name.strip()}"}
    # Costs that are stated in another way are taken out first, as tables of files that extend are put together.
    if ways := [place for place in places if isinstance(value_at(tried, place), dict)]:
        data["without"] = ways
    for place in places:
        _put(data, tried, split_place(place))
    said = f"# {base.title} with other numbers; all else is as {file.name} says.\n"
    write_whole(path, said + tomlkit.dumps(data))
    try:
        same = load_design(path).with_values({"title": tried.title}) == tried
    except RamulusError:
        same = False
    if not same:
        path.unlink()
        raise DataError("a file that extends another cannot say this; keep it in the file itself")
    return path


def _put(data: dict[str, Any], tried: Design, path: list[str]) -> None:
    """Say what stands at a path, as far as tables reach: lists of a file that extends replace whole ones."""
    for depth in range(1, len(path) + 1):
        value = value_at(tried, ".".join(path[:depth]))
        if depth == len(path) or not isinstance(value, dict):
            data[path[depth - 1]] = _without_nothing(value)
            return
        data = data.setdefault(path[depth - 1], {})


def _without_nothing(value: Any) -> Any:
    """Return plain data without what the author left out: TOML has no word for nothing."""
    if isinstance(value, dict):
        return {key: _without_nothing(part) for key, part in value.items() if part is not None}
    return [_without_nothing(part) for part in value] if isinstance(value, list) else value
