"""`ramulus show`: the whole of a design, put together from its files."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any

import typer

from ramulus.cli import options
from ramulus.cli.closing import Closing, closed

if TYPE_CHECKING:
    from ramulus.design import Design


def register(app: typer.Typer) -> None:
    """Add the command."""
    app.command()(closed(show))


def show(
    file: options.File,
    numbers: Annotated[
        bool, typer.Option("--numbers", help="Numbers in place of formulas of constants alone.")
    ] = False,
    *,
    closing: Closing,
) -> None:
    """The whole design, with all that it includes and extends, and where each value comes from."""
    design = closing.load(file)
    if closing.shows_table:
        print(_as_toml(design, numbers=numbers), end="")
        return
    import pandas as pd

    from ramulus.words.writers import Column

    rows = list(_values(design.to_dict(numbers=numbers)))
    table = pd.DataFrame(
        [(place, str(value), str(design.origin_of(place) or "")) for place, value in rows],
        columns=["place", "value", "file"],
    )
    heads = {name: Column(name) for name in table.columns}
    closing.printing("show").table(table, heads, f"{design.title}: what it says")


def _values(data: Any, at: str = "") -> Any:
    """Yield the place of every value, and the value."""
    for key, value in data.items():
        place = f"{at}.{key}" if at else str(key)
        if isinstance(value, dict):
            yield from _values(value, place)
        elif isinstance(value, list) and value and all(isinstance(item, dict) for item in value):
            for index, item in enumerate(value):
                yield from _values(item, f"{place}[{index}]")
        else:
            yield place, value


def _as_toml(design: Design, *, numbers: bool) -> str:
    """Return the design as TOML; what another file than the first one says has that file's name behind it."""
    import tomlkit

    document = tomlkit.parse(tomlkit.dumps(design.to_dict(numbers=numbers)))
    if len(design.files) > 1:
        _name_files(document, design, "")
    return tomlkit.dumps(document)


def _name_files(holder: Any, design: Design, at: str) -> None:
    from tomlkit.items import AoT, Table

    for key in list(holder):
        place, value = f"{at}.{key}" if at else str(key), holder.item(key)
        if isinstance(value, AoT):
            for index, item in enumerate(value):
                _name_files(item.value, design, f"{place}[{index}]")
        elif isinstance(value, Table):
            _name_files(value.value, design, place)
        elif (origin := design.origin_of(place)) not in (None, design.files[0]):
            value.comment(f"from {origin.name if origin else ''}")
