"""Kernels compiled before anybody waits for them: what asks for each of them, done once, side by side."""

from __future__ import annotations

import multiprocessing
import os
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from itertools import product
from typing import Any, NamedTuple

import numpy as np

from ramulus.design import Design
from ramulus.results.party import play_party
from ramulus.results.simulate import simulate
from ramulus.rules.tabulation import tabulated
from ramulus.simulation.booking import book_many
from ramulus.simulation.compiled import KERNELS
from ramulus.simulation.resampling import quantile_again


class Compiled(NamedTuple):
    """What became of the kernels.

    Attributes:
        kernels: how many there are.
        compiled: how many of them had to be compiled.
        kept: whether later runs find all of them.
        folders: where they are.
    """

    kernels: int
    compiled: int
    kept: bool
    folders: frozenset[str]


def design_for(*, rich: bool, drawn: bool, varies: bool) -> Design:
    """Return a small design that needs some features of the kernel."""
    source = {"level": 1, "xp": {"low": 1, "high": 3} if drawn else 2, "seconds": 60, "limit": 9 if rich else None}
    return Design.from_dict({
        "format": 1,
        "title": "Canopy",
        "tracks": {"warden": {"max_level": 3, "cost": {"values": [2, 4]}}},
        "sources": {"aphid_cluster": {key: value for key, value in source.items() if value is not None}},
        "encounter": {"variation": 0.5 if varies else 0.0},
        "players": {"steady": {}},
        "party": {"members": {"wren": {"player": "steady"}, "lark": {"player": "steady"}}},
    })  # fmt: skip


def _players(features: tuple[bool, bool, bool]) -> None:
    rich, drawn, varies = features
    simulate(design_for(rich=rich, drawn=drawn, varies=varies), 1, hours=1)


def _parties() -> None:
    play_party(design_for(rich=False, drawn=False, varies=False), 2, parties=1)


def _awards() -> None:
    track = tabulated(design_for(rich=False, drawn=False, varies=False)).tracks["warden"]
    book_many(track.overflow, 0, 0, np.array([1], dtype=np.int64))


def _intervals() -> None:
    quantile_again(np.ones(2), np.ones(2) / 2, np.ones((1, 2), np.uint8), 0.5, 0.1)


TASKS: list[tuple[Callable[..., None], tuple[Any, ...]]] = [
    *((_players, (features,)) for features in product((True, False), repeat=3)),
    (_parties, ()),
    (_awards, ()),
    (_intervals, ()),
]


def compile_beforehand() -> Compiled:
    """Compile all kernels, on all processors, and keep them where later runs find them."""
    workers, fresh = min(os.cpu_count() or 1, len(TASKS)), multiprocessing.get_context("spawn")
    with ProcessPoolExecutor(workers, fresh) as pool:
        made = list(pool.map(_done, range(len(TASKS))))
    folders = frozenset(folder for _, _, some in made for folder in some)
    if not folders:
        return Compiled(len(TASKS), len(TASKS), False, folders)
    # Two that write in the same moment may lose what one of them wrote: whoever comes after them makes up for it.
    with ProcessPoolExecutor(1, fresh) as pool:
        lost = [_ for _, compiled, _ in pool.map(_done, range(len(TASKS))) if compiled]
    with ProcessPoolExecutor(1, fresh) as pool:
        kept = not lost or not any(compiled for _, compiled, _ in pool.map(_done, lost))
    return Compiled(len(TASKS), sum(compiled for _, compiled, _ in made), kept, folders)


def _done(task: int) -> tuple[int, int, set[str]]:
    """Do what asks for a kernel; return which it was, how many were compiled for it, and where kernels are kept."""
    before = _misses()
    work, arguments = TASKS[task]
    work(*arguments)
    return task, _misses() - before, {str(kernel.stats.cache_path) for kernel in KERNELS if kernel.stats.cache_path}


def _misses() -> int:
    return sum(sum(kernel.stats.cache_misses.values()) for kernel in KERNELS)
