"""Kernels compiled before anybody waits for them: what asks for each of them, done once, side by side."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from collections.abc import Callable, Sequence
from itertools import product
from typing import Any, NamedTuple

import numpy as np

from ramulus.design import Design
from ramulus.errors import RamulusError
from ramulus.results.party import play_party
from ramulus.results.simulate import simulate
from ramulus.rules.tabulation import tabulated
from ramulus.simulation.booking import book_many
from ramulus.simulation.chunks import tally_for
from ramulus.simulation.compiled import Kernel
from ramulus.simulation.features import Features
from ramulus.simulation.kernel import play_players
from ramulus.simulation.resampling import quantile_again
from ramulus.simulation.times import time_table
from ramulus.simulation.world import make_stage

PLAIN = Features(False, False, False, False)


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


def design_for(features: Features) -> Design:
    """Return a small design that needs some features of the kernel."""
    rich, drawn, varies, eventful, _, leaps = features  # Any design can be logged.
    source = {"level": 1, "xp": {"low": 1, "high": 3} if drawn else 2, "seconds": 60, "limit": 9 if rich else None}
    gates = [{"at_level": 1, "successes": {"aphid_cluster": 1}}] if eventful else []
    return Design.from_dict({
        "format": 1,
        "title": "Canopy",
        "tracks": {"warden": {"max_level": 3, "cost": {"values": [90_000, 90_000] if leaps else [2, 4]}}},
        "sources": {"aphid_cluster": {key: value for key, value in source.items() if value is not None}},
        "gates": gates,
        "encounter": {"variation": 0.5 if varies else 0.0},
        "players": {"steady": {}},
        "party": {"members": {"wren": {"player": "steady"}, "lark": {"player": "steady"}}},
    })  # fmt: skip


def _players(features: Features) -> None:
    design = design_for(features)
    if not features.logged:
        simulate(design, 1, hours=1)
        return
    stage, one = make_stage(design, "steady", 1, 100), np.zeros(1, np.int64)
    tally = tally_for(stage, 1, np.zeros(1, np.int8))
    play_players(stage, one.view(np.uint64), np.ones(1), one, time_table(stage.shape), tally, rows=100)


def _parties() -> None:
    play_party(design_for(PLAIN), 2, parties=1)


def _awards() -> None:
    track = tabulated(design_for(PLAIN)).tracks["warden"]
    book_many(track.overflow, 0, 0, np.array([1], dtype=np.int64))


def _intervals() -> None:
    quantile_again(np.ones(2), np.ones(2) / 2, np.ones((1, 2), np.uint8), 0.5, 0.1)


def _can_be(one: Features) -> bool:
    """Return whether some design needs just that: see what `Features` says of each."""
    beyond = one.eventful or one.logged
    return (one.drawn or not one.rich) and (one.rich or not (beyond or one.leaps)) and not (one.leaps and beyond)


KINDS = [one for needs in product((True, False), repeat=6) if _can_be(one := Features(*needs))]
TASKS: list[tuple[Callable[..., None], tuple[Any, ...]]] = [
    *((_players, (features,)) for features in KINDS),
    (_parties, ()),
    (_awards, ()),
    (_intervals, ()),
]


def compile_beforehand() -> Compiled:
    """Compile all kernels, on all processors, and keep them where later runs find them."""
    every = range(len(TASKS))
    made = _in_processes(every, min(os.cpu_count() or 1, len(TASKS)))
    folders = frozenset(folder for _, _, some in made for folder in some)
    compiled = sum(count for _, count, _ in made)
    if not folders:
        return Compiled(len(TASKS), compiled, False, folders)
    anew = [task for task, count, _ in made if count]
    kept = not any(count for _, count, _ in _in_processes(anew, 1))
    return Compiled(len(TASKS), compiled, kept, folders)


def _in_processes(tasks: Sequence[int], workers: int) -> list[tuple[int, int, list[str]]]:
    """Do tasks in fresh processes, which have compiled nothing yet; an interrupt of this one ends them at once."""
    shares = [list(tasks[first::workers]) for first in range(workers)]
    said = "import json; from ramulus.results.beforehand import done; print(json.dumps([done(task) for task in {}]))"
    running = [
        subprocess.Popen([sys.executable, "-c", said.format(share)], stdout=subprocess.PIPE, start_new_session=True)
        for share in shares
    ]
    try:
        told = [process.communicate()[0] for process in running]
        if any(process.returncode for process in running):
            raise RamulusError("a process that compiles has failed; what it said stands above")
        return [tuple(one) for text in told for one in json.loads(text)]
    finally:
        for process in running:
            process.kill()


def done(task: int) -> tuple[int, int, list[str]]:
    """Do what asks for a kernel; return which it was, how many were compiled for it, and where kernels are kept."""
    before = _misses()
    work, arguments = TASKS[task]
    work(*arguments)
    return task, _misses() - before, sorted({str(folder) for one in Kernel.every for folder in one.folders})


def _misses() -> int:
    return sum(kernel.compiled for kernel in Kernel.every)
