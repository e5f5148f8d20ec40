"""A simulation result in one file: the design, and what was played."""

from __future__ import annotations

import json
import math
from io import BytesIO
from pathlib import Path
from zipfile import ZipFile

import numpy as np

from ramulus.design import Design, write_whole
from ramulus.errors import DataError
from ramulus.simulation.keeping import Sizes, as_arrays, from_arrays
from ramulus.simulation.played import Played

FORMAT = 8
BEFORE_LEAPS = 7  # It can be read: nothing was leapt over.
MOST_UNPACKED = 2_000_000_000  # Twelve million cells of four numbers, eight bytes each, and room.


def write_result(design: Design, played: Played, path: Path) -> None:
    """Write a result to one .npz file, whole or not at all."""
    about = {
        "format": FORMAT, "design": design.to_dict(), "hours": played.hours, "seed": played.seed,
        "until": list(played.until),
        "players": {name: profile.players for name, profile in played.profiles.items()},
    }  # fmt: skip
    arrays = {**as_arrays(played), "about": np.array(json.dumps(about))}

    written = BytesIO()
    np.savez_compressed(written, **arrays)  # type: ignore[arg-type]
    write_whole(path, written.getbuffer())


def read_result(path: Path) -> tuple[Design, Played]:
    """Read a result that `write_result` wrote.

    Raises:
        DataError: the file is missing, or no saved result.
    """
    if not path.is_file():
        raise DataError(f"{path}: {'not a file' if path.exists() else 'no such file'}")
    try:
        return _read(path)
    except DataError:
        raise
    except Exception as error:
        raise DataError(f"{path}: not a saved simulation result, or damaged ({type(error).__name__})") from None


def _read(path: Path) -> tuple[Design, Played]:
    _refuse_large(path)
    with np.load(path, allow_pickle=False) as file:
        about = json.loads(str(file["about"]))
        if about["format"] not in (FORMAT, BEFORE_LEAPS):
            raise DataError(f"{path}: saved in format {about['format']!r}; this is format {FORMAT}")
        design = Design.from_dict(about["design"])
        arrays = {name: file[name] for name in file.files}
    if about["format"] == BEFORE_LEAPS:
        arrays |= {
            f"{p}.totals.leapt": np.zeros_like(arrays[f"{p}.totals.waste"]) for p in range(len(about["players"]))
        }
    hours, seed, players = about["hours"], about["seed"], about["players"]
    _refuse_odd_sizes(design, hours, seed, players)
    until = tuple(about["until"])
    if not set(until) <= set(design.track_order[1:]):
        raise ValueError("until")
    levels = {name: design.track(name).max_level - design.track(name).start_level + 1 for name in design.track_order}
    return design, from_arrays(arrays, Sizes(players, levels, len(design.sources)), hours, seed, until)


def _refuse_large(path: Path) -> None:
    """Refuse a file whose arrays, as its directory states them, are more than a result holds, before any is read.

    Raises:
        DataError: they are.
    """
    with ZipFile(path) as archive:
        unpacked = sum(part.file_size for part in archive.infolist())
    if unpacked > MOST_UNPACKED:
        raise DataError(f"{path}: {unpacked:,} bytes unpacked; allowed: {MOST_UNPACKED:,}")


def _refuse_odd_sizes(design: Design, hours: object, seed: object, players: dict[str, object]) -> None:
    played = isinstance(hours, int | float) and math.isfinite(hours) and hours > 0 and type(seed) is int and seed >= 0
    counted = bool(players) and all(type(count) is int and count >= 1 for count in players.values())
    if not (played and counted and set(players) <= set(design.profiles)):
        raise ValueError("hours, seed or players")
