"""What was played, as named arrays and back, for a file."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, fields
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ramulus.simulation.played import Arrivals, Each, Played, PlayedProfile, arrivals_of
from ramulus.simulation.quits import QUIT_REASONS, Quits
from ramulus.simulation.samples import BinnedSample, Sample, WholeSample
from ramulus.simulation.tally import END_REASONS, Totals

SOMETIMES = ("calendar", "at_gate")
_BY_SOURCE = ("income", "met", "won")


@dataclass(frozen=True)
class Sizes:
    """What the arrays of a run are sized by.

    Attributes:
        players: how many of each profile, by name.
        levels: how many levels each track has, by name, the main track first.
        sources: how many sources there are.
    """

    players: Mapping[str, int]
    levels: Mapping[str, int]
    sources: int


def as_arrays(played: Played) -> dict[str, NDArray[Any]]:
    """Return what was played as arrays by name; profiles and tracks are numbered in their order."""
    arrays: dict[str, NDArray[Any]] = {}
    for p, profile in enumerate(played.profiles.values()):
        for t, (track, arrivals) in enumerate(profile.arrivals.items()):
            for name, sample in arrivals.samples().items():
                kind = "values" if isinstance(sample, WholeSample) else "counts"
                arrays[f"{p}.{t}.{name}.{kind}"] = getattr(sample, kind)
            arrays[f"{p}.{t}.cut_off"] = profile.cut_off[track]
        arrays[f"{p}.ended"] = profile.ended
        if profile.quits is not None:
            arrays.update({f"{p}.quits.{field.name}": getattr(profile.quits, field.name) for field in fields(Quits)})
        if profile.each is not None:
            arrays.update({f"{p}.each.{field.name}": getattr(profile.each, field.name) for field in fields(Each)})
        arrays.update({f"{p}.totals.{field.name}": getattr(profile.totals, field.name) for field in fields(Totals)})
    return arrays


def from_arrays(
    arrays: Mapping[str, NDArray[Any]], sizes: Sizes, hours: float, seed: int, until: tuple[str, ...]
) -> Played:
    """Return what was played from the arrays of `as_arrays`.

    Raises:
        KeyError: an array is missing.
        ValueError: an array has not the shape that the sizes ask for, or holds what nobody counts.
    """
    profiles = {}
    for p, (name, count) in enumerate(sizes.players.items()):
        arrivals = dict(_arrivals(arrays, p, count, sizes.levels))
        cut_off = {
            track: _counts(arrays, f"{p}.{t}.cut_off", (n,)) for t, (track, n) in enumerate(sizes.levels.items())
        }
        levels = next(iter(sizes.levels.values()))
        totals = {
            field.name: _numbers(
                arrays, f"{p}.totals.{field.name}", (levels, sizes.sources)[: 1 + (field.name in _BY_SOURCE)]
            )
            for field in fields(Totals)
        }
        ended = _counts(arrays, f"{p}.ended", (len(END_REASONS), levels))
        quits, each = _quits(arrays, p, count, levels), _each(arrays, p, count)
        profiles[name] = PlayedProfile(name, count, arrivals, cut_off, quits, ended, Totals(**totals), each)
    return Played(profiles, hours, seed, until)


def _quits(arrays: Mapping[str, NDArray[Any]], profile: int, players: int, levels: int) -> Quits | None:
    names = {field.name: f"{profile}.quits.{field.name}" for field in fields(Quits)}
    if names["reason"] not in arrays:
        return None
    reason, level = (_counts(arrays, names[name], (players,)) for name in ("reason", "level"))
    if (reason >= len(QUIT_REASONS)).any() or (level >= levels).any():
        raise ValueError(names["reason"])
    times = [_numbers(arrays, names[name], (players,)) for name in ("seconds", "day")]
    return Quits(reason, level, *times)


def _each(arrays: Mapping[str, NDArray[Any]], profile: int, players: int) -> Each | None:
    if f"{profile}.each.numbers" not in arrays:
        return None
    each = Each(*(_counts(arrays, f"{profile}.each.{field.name}", (players,)) for field in fields(Each)))
    if (np.diff(each.numbers) <= 0).any() or (each.ended >= len(END_REASONS)).any():
        raise ValueError(f"{profile}.each")
    return each


def _arrivals(
    arrays: Mapping[str, NDArray[Any]], profile: int, players: int, levels: Mapping[str, int]
) -> Iterator[tuple[str, Arrivals]]:
    for t, (track, size) in enumerate(levels.items()):
        known = [field.name for field in fields(Arrivals) if _is_there(arrays, f"{profile}.{t}", field.name)]
        yield track, arrivals_of({name: _sample(arrays, f"{profile}.{t}.{name}", players, size) for name in known})


def _is_there(arrays: Mapping[str, NDArray[Any]], place: str, name: str) -> bool:
    """Return whether a sample was written; those that not every design has may be missing."""
    return name not in SOMETIMES or f"{place}.{name}.values" in arrays or f"{place}.{name}.counts" in arrays


def _sample(arrays: Mapping[str, NDArray[Any]], place: str, players: int, levels: int) -> Sample:
    if f"{place}.values" in arrays:
        return WholeSample(_numbers(arrays, f"{place}.values", (players, levels)))
    return BinnedSample(_counts(arrays, f"{place}.counts", BinnedSample.empty(levels).counts.shape))


def _numbers(arrays: Mapping[str, NDArray[Any]], name: str, shape: tuple[int, ...]) -> NDArray[Any]:
    array = arrays[name]
    if array.shape != shape or array.dtype.kind not in "iuf" or bool((array < 0).any()):
        raise ValueError(name)
    return array


def _counts(arrays: Mapping[str, NDArray[Any]], name: str, shape: tuple[int, ...]) -> NDArray[Any]:
    array = _numbers(arrays, name, shape)
    if not np.issubdtype(array.dtype, np.integer):
        raise ValueError(name)
    return array
