"""Read a design from a TOML or JSON file."""

from __future__ import annotations

import json
import os
import tomllib
from dataclasses import replace
from importlib import resources
from pathlib import Path
from typing import Any

from ramulus.design.design import Design
from ramulus.design.merging import Whole, gathered
from ramulus.design.places import location_of
from ramulus.design.problems import validated
from ramulus.design.reading import MAX_BYTES, read_whole
from ramulus.design.schema import SCHEMA_KEY
from ramulus.errors import DataError, DesignError, Problem, nearest_name


def load_design(path: str | os.PathLike[str], *, also_from: str | os.PathLike[str] | None = None) -> Design:
    """Read and validate a design file, with the files that it includes and extends.

    Args:
        path: a TOML file, or a JSON file of the same shape (ending in .json).
        also_from: a folder outside the design's own that cost files may be read from too.

    Returns:
        The design.

    Raises:
        DesignError: the file is missing, cannot be read, or is no valid design; the error holds every mistake,
            each with its place.

    Examples:
        >>> import ramulus as rm
        >>> from pathlib import Path
        >>> _ = Path("canopy.toml").write_text(rm.demo_design().to_toml(), encoding="utf-8")
        >>> rm.load_design("canopy.toml").title
        'Canopy Wardens'
    """
    whole = gathered(Path(path), _read)
    file, allowed = whole.parts[0].file, Path(also_from) if also_from is not None else None
    several = whole if len(whole.parts) > 1 else None
    return _made(whole)._attached(file, whole.parts[0].text, allowed, several)


def design_of_text(data: bytes, name: str = "standard input") -> Design:
    """Read and validate a design from its text, TOML or JSON; files that it names lie in the working folder.

    Args:
        data: the text, UTF-8.
        name: what errors call it.

    Raises:
        DesignError: it is no valid design; the error holds every mistake, each with its place.
    """
    root = Path(name)
    if len(data) > MAX_BYTES:
        raise _unreadable(root, f"more than {MAX_BYTES:,} bytes", "unreadable-file")
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise _unreadable(root, f"not UTF-8 text (byte {error.start})", "unreadable-file") from None
    as_json = text.lstrip().startswith("{")

    def read(file: Path) -> tuple[dict[str, Any], str | None]:
        return (_parsed(root, text, as_json=as_json), None if as_json else text) if file == root else _read(file)

    whole = gathered(root, read)
    return _made(whole)._attached(None, whole.parts[0].text if len(whole.parts) == 1 else None)


def _made(whole: Whole) -> Design:
    """Return the design that some files say together; a mistake names the one that it stands in."""
    try:
        return validated(Design, whole.data, whole.parts[0].file)
    except DesignError as error:
        raise DesignError([_in_its_file(problem, whole) for problem in error.problems], error.file) from None


def _read(file: Path) -> tuple[dict[str, Any], str | None]:
    text = _text(file)
    return _parsed(file, text), text if file.suffix.lower() != ".json" else None


def _in_its_file(problem: Problem, whole: Whole) -> Problem:
    """Return a mistake with the file that it stands in, where a design has several."""
    if len(whole.parts) == 1:
        return problem
    return replace(problem, file=str(whole.file_of(location_of(problem.place))))


def demo_text() -> str:
    """Return the text of the shipped demo design."""
    return _shipped("canopy.toml")


def demo_design() -> Design:
    """Return the shipped demo design, Canopy Wardens.

    Examples:
        >>> import ramulus as rm
        >>> rm.demo_design()
        <Design 'Canopy Wardens': warden 1–40, grafting 1–15; 8 sources, 3 profiles>
    """
    text = demo_text()
    return validated(Design, tomllib.loads(text))._attached(None, text)


def starter_text() -> str:
    """Return the commented starter design that `ramulus new` writes."""
    return _shipped("starter.toml")


def shipped_variants() -> dict[str, str]:
    """Return the texts of the shipped variants of the demo design, by file name."""
    return {"canopy_eased.toml": _shipped("canopy_eased.toml")}


def _shipped(name: str) -> str:
    return resources.files("ramulus.design").joinpath("shipped", name).read_text(encoding="utf-8")


def _text(file: Path) -> str:
    try:
        return read_whole(file, MAX_BYTES).decode("utf-8-sig")
    except DataError as error:
        raise _unreadable(file, str(error), "unreadable-file") from None
    except FileNotFoundError:
        folder = file.parent
        siblings = [entry.name for entry in folder.iterdir()] if folder.is_dir() else []
        near = nearest_name(file.name, siblings, cutoff=0.75)
        problem = Problem("", "no such file", nearest=near, code="unreadable-file")
        raise DesignError([problem], str(file)) from None
    except UnicodeDecodeError as error:
        raise _unreadable(file, f"not UTF-8 text (byte {error.start})", "unreadable-file") from None
    except (OSError, ValueError) as error:
        why = getattr(error, "strerror", None) or error
        raise _unreadable(file, f"cannot be read ({why})", "unreadable-file") from None


def _parsed(file: Path, text: str, *, as_json: bool | None = None) -> dict[str, Any]:
    try:
        as_json = file.suffix.lower() == ".json" if as_json is None else as_json
        data = json.loads(text) if as_json else tomllib.loads(text)
    except (tomllib.TOMLDecodeError, json.JSONDecodeError) as error:
        kind = "JSON" if isinstance(error, json.JSONDecodeError) else "TOML"
        raise _unreadable(file, f"not {kind}: {error}", "file-syntax") from None
    except RecursionError:
        raise _unreadable(file, "nested too deeply", "file-syntax") from None
    except ValueError:  # Python reads no whole number of more than some thousands of digits.
        raise _unreadable(file, "a number of thousands of digits", "file-syntax") from None
    if not isinstance(data, dict):
        raise _unreadable(file, "not a table of keys and values", "file-syntax")
    if as_json and isinstance(data.get(SCHEMA_KEY), str):  # For editors; TOML has a comment for that.
        del data[SCHEMA_KEY]
    return data


def _unreadable(file: Path, found: str, code: str) -> DesignError:
    return DesignError([Problem("", found, code=code)], str(file))
