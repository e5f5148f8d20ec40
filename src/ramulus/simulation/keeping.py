"""Write a simulation result to a file, and read it back."""

from __future__ import annotations

import json
from pathlib import Path
from zipfile import BadZipFile

import numpy as np

from ramulus.design import Design, write_whole
from ramulus.errors import DataError, DesignError
from ramulus.simulation.result import ProfileResult, SimulationResult
from ramulus.simulation.samples import BinnedSample, Sample, WholeSample

FORMAT = 1
_SAMPLES = ("seconds", "encounters", "in_level")


def save_result(result: SimulationResult, path: Path) -> None:
    """Write a result; see `SimulationResult.save`."""
    arrays = {}
    for index, profile in enumerate(result.profiles.values()):
        for name in _SAMPLES:
            sample = getattr(profile, name)
            kind = "values" if isinstance(sample, WholeSample) else "counts"
            arrays[f"{index}.{name}.{kind}"] = getattr(sample, kind)
        arrays[f"{index}.ended"] = profile.ended
        arrays.update({f"{index}.sums.{name}": part for name, part in profile.sums.items()})
    about = {
        "format": FORMAT, "design": result.design.to_dict(), "hours": result.hours, "seed": result.seed,
        "players": list(result.players.items()),
    }  # fmt: skip
    arrays["about"] = np.array(json.dumps(about))

    def write(temporary: Path) -> None:
        with temporary.open("wb") as stream:
            np.savez_compressed(stream, **arrays)

    write_whole(path, write)


def load_result(path: Path) -> SimulationResult:
    """Read a result; see `SimulationResult.load`."""
    try:
        with np.load(path, allow_pickle=False) as arrays:
            about = json.loads(str(arrays["about"]))
            if about["format"] != FORMAT:
                raise DataError(f"{path}: saved in format {about['format']!r}; this is format {FORMAT}")
            names = list(arrays.files)
            profiles = [
                _profile(arrays, names, index, name, count) for index, (name, count) in enumerate(about["players"])
            ]
            design = Design.from_dict(about["design"])
    except FileNotFoundError:
        raise DataError(f"{path}: no such file") from None
    except (OSError, ValueError, KeyError, TypeError, BadZipFile, DesignError) as error:
        raise DataError(f"{path}: not a saved simulation result ({type(error).__name__})") from None
    return SimulationResult(design, profiles, about["hours"], about["seed"])


def _profile(arrays: np.lib.npyio.NpzFile, names: list[str], index: int, name: str, players: int) -> ProfileResult:
    samples: list[Sample] = []
    for part in _SAMPLES:
        whole = f"{index}.{part}.values"
        samples.append(WholeSample(arrays[whole]) if whole in names else BinnedSample(arrays[f"{index}.{part}.counts"]))
    sums = {key.split(".", 2)[2]: arrays[key] for key in names if key.startswith(f"{index}.sums.")}
    return ProfileResult(name, players, samples[0], samples[1], samples[2], arrays[f"{index}.ended"], sums)
