"""A simulation result in one file: the design, and what was played."""

from __future__ import annotations

import json
from pathlib import Path
from zipfile import BadZipFile

import numpy as np

from ramulus.design import Design, write_whole
from ramulus.errors import DataError, DesignError
from ramulus.simulation.keeping import as_arrays, from_arrays
from ramulus.simulation.played import Played

FORMAT = 2


def write_result(design: Design, played: Played, path: Path) -> None:
    """Write a result to one .npz file, whole or not at all."""
    about = {
        "format": FORMAT, "design": design.to_dict(), "hours": played.hours, "seed": played.seed,
        "players": {name: profile.players for name, profile in played.profiles.items()},
    }  # fmt: skip
    arrays = {**as_arrays(played), "about": np.array(json.dumps(about))}

    def write(temporary: Path) -> None:
        with temporary.open("wb") as stream:
            np.savez_compressed(stream, **arrays)  # type: ignore[arg-type]

    write_whole(path, write)


def read_result(path: Path) -> tuple[Design, Played]:
    """Read a result that `write_result` wrote.

    Raises:
        DataError: the file is missing, or no saved result.
    """
    try:
        with np.load(path, allow_pickle=False) as file:
            about = json.loads(str(file["about"]))
            if about["format"] != FORMAT:
                raise DataError(f"{path}: saved in format {about['format']!r}; this is format {FORMAT}")
            design = Design.from_dict(about["design"])
            arrays = {name: file[name] for name in file.files}
            return design, from_arrays(arrays, about["players"], design.track_order, about["hours"], about["seed"])
    except FileNotFoundError:
        raise DataError(f"{path}: no such file") from None
    except (OSError, ValueError, KeyError, TypeError, BadZipFile, DesignError) as error:
        raise DataError(f"{path}: not a saved simulation result ({type(error).__name__})") from None
