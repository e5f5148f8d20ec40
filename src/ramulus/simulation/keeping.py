"""What was played, as named arrays and back, for a file."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import fields
from typing import Any

from numpy.typing import NDArray

from ramulus.simulation.played import Arrivals, Played, PlayedProfile
from ramulus.simulation.samples import BinnedSample, Sample, WholeSample
from ramulus.simulation.tally import Totals


def as_arrays(played: Played) -> dict[str, NDArray[Any]]:
    """Return what was played as arrays by name; profiles and tracks are numbered in their order."""
    arrays: dict[str, NDArray[Any]] = {}
    for p, profile in enumerate(played.profiles.values()):
        for t, arrivals in enumerate(profile.arrivals.values()):
            for field in fields(Arrivals):
                sample = getattr(arrivals, field.name)
                kind = "values" if isinstance(sample, WholeSample) else "counts"
                arrays[f"{p}.{t}.{field.name}.{kind}"] = getattr(sample, kind)
        arrays[f"{p}.ended"] = profile.ended
        arrays.update({f"{p}.totals.{field.name}": getattr(profile.totals, field.name) for field in fields(Totals)})
    return arrays


def from_arrays(
    arrays: Mapping[str, NDArray[Any]], players: Mapping[str, int], tracks: list[str], hours: float, seed: int
) -> Played:
    """Return what was played from the arrays of `as_arrays`.

    Raises:
        KeyError: an array is missing.
    """
    profiles = {}
    for p, (name, count) in enumerate(players.items()):
        arrivals = {track: _arrivals(arrays, f"{p}.{t}") for t, track in enumerate(tracks)}
        totals = Totals(**{field.name: arrays[f"{p}.totals.{field.name}"] for field in fields(Totals)})
        profiles[name] = PlayedProfile(name, count, arrivals, arrays[f"{p}.ended"], totals)
    return Played(profiles, hours, seed)


def _arrivals(arrays: Mapping[str, NDArray[Any]], place: str) -> Arrivals:
    return Arrivals(**{field.name: _sample(arrays, f"{place}.{field.name}") for field in fields(Arrivals)})


def _sample(arrays: Mapping[str, NDArray[Any]], place: str) -> Sample:
    whole = f"{place}.values"
    return WholeSample(arrays[whole]) if whole in arrays else BinnedSample(arrays[f"{place}.counts"])
