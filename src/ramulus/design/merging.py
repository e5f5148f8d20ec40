"""A design spread over files: what others include, what one extends, and which file says what."""

from __future__ import annotations

import copy
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from ramulus.design.stated_formulas import Location, place_of
from ramulus.errors import DesignError, Problem, nearest_name, shortly

KEYS = ("include", "extends", "without")
NAMED = ("constants", "tracks", "stats", "upgrades", "sources", "players")
IN_ORDER = ("multipliers", "gates", "goals", "accept")
MOST_FILES = 200

Read = Callable[[Path], tuple[dict[str, Any], str | None]]


@dataclass(frozen=True)
class Part:
    """One file of a design.

    Attributes:
        file: the file.
        text: its TOML, or None where it is JSON.
        data: what it says.
    """

    file: Path
    text: str | None
    data: dict[str, Any]


@dataclass
class Whole:
    """A design put together from its files.

    Attributes:
        data: what all of them say.
        parts: the files, the one that was asked for first.
        origin: the file that says what stands at a location, and below it.
    """

    data: dict[str, Any] = field(default_factory=dict)
    parts: list[Part] = field(default_factory=list)
    origin: dict[Location, Path] = field(default_factory=dict)

    def file_of(self, location: Location) -> Path:
        """Return the file that says what stands at a location, or above it."""
        while location and location not in self.origin:
            location = location[:-1]
        return self.origin.get(location, self.parts[0].file)


def gathered(file: Path, read: Read) -> Whole:
    """Return a design with all the files that it includes and extends.

    Args:
        file: the file that was asked for.
        read: reads one file, and raises a DesignError that names it.

    Raises:
        DesignError: a file cannot be read, stands outside the design's folder, leads back to itself, or says what
            another one says too.
    """
    return _Gathering(file, read).whole(file, ())


class _Gathering:
    def __init__(self, root: Path, read: Read) -> None:
        self.folder, self._read, self._count = root.parent.resolve(), read, 0

    def whole(self, file: Path, above: tuple[Path, ...]) -> Whole:
        """Return a file with all that it includes and extends; `above` are the files that lead to it."""
        self._count += 1
        if self._count > MOST_FILES:
            raise _wrong(file, "", f"more than {MOST_FILES} files", "fewer")
        data, text = self._read(file)
        part = Part(file, text, data)
        chain = (*above, file.resolve())
        own = Whole({key: copy.deepcopy(value) for key, value in data.items() if key not in KEYS}, [part])
        own.origin = dict.fromkeys(_locations(own.data), file)
        for included in self._included(file, data, chain):
            _add(own, self.whole(included, chain))
        base = self._extended(file, data, chain)
        if base is None:
            if "without" in data:
                raise _wrong(file, "without", "nothing is extended that anything could be taken from", "extends")
            return own
        under = self.whole(base, chain)
        for place in _texts(file, data, "without"):
            _take_away(under, file, place)
        _merge(under.data, own.data, under.origin, own.origin, ())
        under.parts = [part, *own.parts[1:], *under.parts]
        return under

    def _included(self, file: Path, data: dict[str, Any], chain: tuple[Path, ...]) -> Iterator[Path]:
        for index, name in enumerate(_texts(file, data, "include")):
            place = f"include[{index}]"
            if any(letter in name for letter in "*?["):
                found = sorted(path for path in file.parent.glob(name) if path.is_file())
                if not found:
                    raise _wrong(file, place, f"no file fits {name!r}", "files in the design's own folder")
                yield from (self._inside(file, place, path, chain) for path in found)
            else:
                yield self._inside(file, place, file.parent / name, chain)

    def _extended(self, file: Path, data: dict[str, Any], chain: tuple[Path, ...]) -> Path | None:
        if "extends" not in data:
            return None
        name = data["extends"]
        if not isinstance(name, str):
            raise _wrong(file, "extends", shortly(name), "the name of a file")
        return self._inside(file, "extends", file.parent / name, chain)

    def _inside(self, file: Path, place: str, path: Path, chain: tuple[Path, ...]) -> Path:
        try:
            real = path.resolve()
        except (OSError, RuntimeError, ValueError):
            raise _wrong(file, place, f"{shortly(str(path))} is no name of a file", "the name of a file") from None
        if not real.is_relative_to(self.folder):
            found = f"{path.name!r} lies outside the design's own folder"
            raise _wrong(file, place, found, "a file beside the design or below it", "file-outside")
        if real in chain:
            names = " → ".join(one.name for one in (*chain[chain.index(real) :], real))
            raise _wrong(
                file, place, f"it leads back to itself: {names}", "files that lead to others only", "file-circle"
            )
        return path


def _wrong(file: Path, place: str, found: str, allowed: str, code: str = "invalid-value") -> DesignError:
    return DesignError([Problem(place, found, allowed, code=code)], str(file))


def _texts(file: Path, data: dict[str, Any], key: str) -> list[str]:
    given = data.get(key, [])
    if not isinstance(given, list) or not all(isinstance(one, str) for one in given):
        raise _wrong(file, key, shortly(given), "a list of texts")
    return given


def _locations(value: Any, at: Location = ()) -> Iterator[Location]:
    """Yield the location of every table and value; a list is one value."""
    if at:
        yield at
    if isinstance(value, dict):
        for key, part in value.items():
            yield from _locations(part, (*at, str(key)))


def _add(own: Whole, other: Whole) -> None:
    """Add the tables of another file; a name that stands in both is a mistake."""
    for key, value in other.data.items():
        if key not in own.data:
            own.data[key] = value
        elif key in NAMED and isinstance(value, dict) and isinstance(own.data[key], dict):
            for name, table in value.items():
                if name in own.data[key]:
                    raise _twice(own, other, (key, name))
                own.data[key][name] = table
        elif key in IN_ORDER and isinstance(value, list) and isinstance(own.data[key], list):
            place = len(own.data[key])
            own.data[key] += value
            own.origin.update({(key, place + i): other.file_of((key, i)) for i in range(len(value))})
            continue
        elif key != "format" or value != own.data[key]:
            raise _twice(own, other, (key,))
        for location, file in other.origin.items():
            if location[0] == key:
                own.origin.setdefault(location, file)
    known = {part.file.resolve() for part in own.parts}
    own.parts += [part for part in other.parts if part.file.resolve() not in known]


def _twice(own: Whole, other: Whole, location: Location) -> DesignError:
    one, two = own.file_of(location), other.file_of(location)
    found = f"it stands in {one.name} and in {two.name}"
    return _wrong(two, place_of(location), found, "one of them", "stands-twice")


def _take_away(under: Whole, file: Path, place: str) -> None:
    """Take what stands at a place out of what is extended."""
    holder: Any = under.data
    *path, last = place.split(".")
    for part in path:
        holder = holder.get(part) if isinstance(holder, dict) else None
    if not isinstance(holder, dict) or last not in holder:
        known = [".".join([*path, str(key)]) for key in holder] if isinstance(holder, dict) else []
        found = f"nothing stands at {place!r} in {under.parts[0].file.name}"
        problem = Problem("without", found, ", ".join(known), nearest_name(place, known), "unknown-reference")
        raise DesignError([problem], str(file))
    del holder[last]


def _merge(under: dict[str, Any], own: dict[str, Any], to: dict[Location, Path], by: dict[Location, Path],
           at: Location) -> None:  # fmt: skip
    """Change what is extended: tables merge, lists and values replace."""
    for key, value in own.items():
        here = (*at, str(key))
        if isinstance(value, dict) and isinstance(under.get(key), dict):
            _merge(under[key], value, to, by, here)
            continue
        under[key] = value
        for location in [one for one in to if one[: len(here)] == here]:
            del to[location]
        to.update({one: file for one, file in by.items() if one[: len(here)] == here})
