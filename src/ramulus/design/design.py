"""The design: what one file says, with everything a caller does with it."""

from __future__ import annotations

import hashlib
import json
import os
from collections.abc import Callable, Iterable, Mapping
from contextlib import suppress
from html import escape
from pathlib import Path
from typing import Any, Self, TypeVar

from pydantic import PrivateAttr

from ramulus.design.cost_ways import FileWay
from ramulus.design.merging import Whole
from ramulus.design.model import DesignModel
from ramulus.design.names import cost_ways, formula_places
from ramulus.design.places import data_with, full_place, location_of
from ramulus.design.problems import validated
from ramulus.design.reading import read_named
from ramulus.design.saving import save_design, save_parts, toml_text
from ramulus.errors import DataError
from ramulus.formula.parser import parse

T = TypeVar("T")
MOST_OF_COSTS = 10_000_000  # Bytes of a file of costs.


def _hash_of(design: DesignModel) -> int:
    return hash(json.dumps(_alike(design.model_dump(mode="json")), sort_keys=True))


def _digest_of(design: Design) -> str:
    text = json.dumps(_alike(design.model_dump(mode="json")), sort_keys=True, ensure_ascii=False)
    found = hashlib.sha256(text.encode())
    for file in design.cost_files:
        with suppress(DataError):  # Whoever works the costs out says what is wrong with it.
            found.update(read_named(file, MOST_OF_COSTS))
    return found.hexdigest()[:16]


def _alike(value: Any) -> Any:
    """Return data in which what is equal is written alike: 60 and 60.0 are."""
    if isinstance(value, dict):
        return {key: _alike(part) for key, part in value.items()}
    if isinstance(value, list):
        return [_alike(part) for part in value]
    return int(value) if isinstance(value, float) and value.is_integer() else value


class Design(DesignModel):
    """A whole design. Frozen: `with_values` gives a changed copy.

    Examples:
        >>> import ramulus as rm
        >>> design = rm.Design.from_dict({"format": 1, "title": "Mine", "tracks": {"me": {
        ...     "max_level": 4, "cost": {"formula": "100 * level"}}}})
        >>> rm.level_table(design)["cost"].tolist()
        [100.0, 200.0, 300.0, nan]
        >>> rm.level_table(design.with_values({"tracks.me.max_level": 5}))["cost"].tolist()
        [100.0, 200.0, 300.0, 400.0, nan]
    """

    _file: Path | None = PrivateAttr(default=None)
    _text: str | None = PrivateAttr(default=None)
    _also_from: Path | None = PrivateAttr(default=None)
    _whole: Whole | None = PrivateAttr(default=None)
    _derived: dict[Any, Any] = PrivateAttr(default_factory=dict)

    @classmethod
    def from_dict(
        cls,
        data: Mapping[str, Any],
        *,
        file: str | os.PathLike[str] | None = None,
        also_from: str | os.PathLike[str] | None = None,
    ) -> Design:
        """Make a design from plain data in the shape of the design file.

        Args:
            data: tables, lists, text and numbers, as `tomllib` or `json` read them.
            file: where the data came from; files that it names are looked up beside it.
            also_from: a folder outside the design's own that cost files may be read from too.

        Raises:
            DesignError: the data is no design; the error holds every mistake.
        """
        allowed = Path(also_from) if also_from is not None else None
        return validated(cls, dict(data))._attached(Path(file) if file is not None else None, None, allowed)

    def save(self, path: str | os.PathLike[str]) -> tuple[Path, ...]:
        """Write the design, as TOML or JSON by the file's ending, whole or not at all.

        A design read from TOML keeps its author's comments and order. One that is spread over files is written back
        into the file that says what has changed; to another file, as a whole.

        Returns:
            The files that were written.

        Raises:
            DataError: the ending is neither .toml nor .json, or the file cannot be written.
        """
        if self._whole is None or self._file is None or Path(path).resolve() != self._file.resolve():
            save_design(self, None if self._whole else self._text, Path(path))
            return (Path(path),)
        return save_parts(self, self._whole)

    def to_toml(self) -> str:
        """Return the design as the TOML that `save` would write: comments and order of its file stay where they can."""
        try:
            return toml_text(self, None if self._whole else self._text)
        except DataError:  # The file's layout takes no changes; the design does.
            return toml_text(self, None)

    def with_values(self, values: Mapping[str, Any]) -> Design:
        """Return a copy with some values changed; this one stays as it is.

        Args:
            values: new values by dotted place, such as ``{"constants.steepness": 1.4}``, or by a bare name that is a
                constant or ends one place alone.

        Raises:
            UnknownNameError: a place does not exist.
            DesignError: a value is not allowed at its place.

        Examples:
            >>> import ramulus as rm
            >>> softer = rm.demo_design().with_values({"constants.steepness": 1.2})
            >>> softer.constants["steepness"]
            1.2
        """
        placed = {full_place(self, place): value for place, value in values.items()}
        return self.with_data(data_with(self, placed))

    def with_data(self, data: Mapping[str, Any]) -> Self:
        """Return a design of other data, as `to_dict` has it, that is saved where this one is: comments stay.

        Raises:
            DesignError: the data is no design.
        """
        changed = validated(type(self), dict(data), self._file)
        return changed._attached(self._file, self._text, self._also_from, self._whole)

    def without_constants(self, names: Iterable[str]) -> Design:
        """Return a copy without some constants, which no formula may read.

        Raises:
            DesignError: a formula reads one.
        """
        gone, data = set(names), self.to_dict()
        kept = {name: value for name, value in data.get("constants", {}).items() if name not in gone}
        data = {**data, "constants": kept} if kept else {key: part for key, part in data.items() if key != "constants"}
        return self.with_data(data)

    @property
    def unread_constants(self) -> tuple[str, ...]:
        """The constants that no formula reads."""
        read = {name for formula in formula_places(self) for name in parse(formula.text).names}
        return tuple(name for name in self.constants if name not in read)

    @property
    def file(self) -> Path | None:
        """The file the design was read from, or None."""
        return self._file

    @property
    def files(self) -> tuple[Path, ...]:
        """The files that the design is read from, the one that was asked for first; none where it came from none."""
        if self._whole is not None:
            return tuple(part.file for part in self._whole.parts)
        return (self._file,) if self._file is not None else ()

    @property
    def cost_files(self) -> tuple[Path, ...]:
        """The files of costs that the design names."""
        ways = [way for track in self.tracks.values() for _, way in cost_ways("", track.cost)]
        return tuple(self.folders[0] / way.file for way in ways if isinstance(way, FileWay))

    def origin_of(self, place: str) -> Path | None:
        """Return the file that says what stands at a place, or None where the design came from none."""
        if self._whole is None:
            return self._file
        return self._whole.file_of(location_of(place))

    @property
    def folders(self) -> tuple[Path, ...]:
        """Where the files that the design names may lie: its own folder, and one more that a caller allows."""
        own = self._file.parent if self._file else Path()
        return (own,) if self._also_from is None else (own, self._also_from)

    def derived(self, make: Callable[[Design], T]) -> T:
        """Return `make(self)`, made on first use and kept with the design: a frozen design always gives the same."""
        if make not in self._derived:
            self._derived[make] = make(self)
        kept: T = self._derived[make]
        return kept

    def __dir__(self) -> list[str]:
        # What a reader's completion shows: our names, not those of the validation library.
        own = {name for name in vars(Design) | vars(DesignModel) if not name.startswith(("_", "model_"))}
        return sorted({*own, *type(self).model_fields})

    def __getstate__(self) -> dict[Any, Any]:
        # What is derived can be made again; it does not travel to other processes.
        state = super().__getstate__()
        return {**state, "__pydantic_private__": {**state["__pydantic_private__"], "_derived": {}}}

    def _attached(
        self, file: Path | None, text: str | None, also_from: Path | None = None, whole: Whole | None = None
    ) -> Self:
        self._file, self._text, self._also_from, self._whole = file, text, also_from, whole
        return self

    def __eq__(self, other: object) -> bool:
        # Where a design came from is no part of what it says.
        return isinstance(other, Design) and self.model_dump() == other.model_dump()

    def __hash__(self) -> int:
        return self.derived(_hash_of)

    @property
    def digest(self) -> str:
        """A hash of all that the design says, 16 letters: the same for equal designs, on every machine (SHA-256).

        Files of costs that it names count with what they hold.
        """
        return self.derived(_digest_of)

    def __repr__(self) -> str:
        tracks = ", ".join(f"{name} {track.start_level}–{track.max_level}" for name, track in self.tracks.items())
        return f"<Design {self.title!r}: {tracks}; {len(self.sources)} sources, {len(self.players)} profiles>"

    __str__ = __repr__

    def _repr_html_(self) -> str:
        rows = {
            "tracks": ", ".join(f"{name} ({t.start_level}–{t.max_level})" for name, t in self.tracks.items()),
            "constants": ", ".join(f"{name} = {value}" for name, value in self.constants.items()),
            "stats": ", ".join(self.stats),
            "sources": ", ".join(self.sources),
            "multipliers": ", ".join(rule.name for rule in self.multipliers),
            "player profiles": ", ".join(self.players),
        }
        body = "".join(f"<tr><th>{head}</th><td>{escape(text)}</td></tr>" for head, text in rows.items() if text)
        return f"<table><caption>{escape(self.title)}</caption>{body}</table>"
