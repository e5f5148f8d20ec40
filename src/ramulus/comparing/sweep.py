"""A sweep: the pace of a design for each value of one or two of its numbers."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import Executor
from itertools import product
from typing import Any

import pandas as pd

from ramulus.design import Design, full_place
from ramulus.errors import RamulusError, refuse_other_than_design, refuse_unnamed
from ramulus.goals import horizon_for
from ramulus.results.simulate import DEFAULT_HOURS, simulate
from ramulus.simulation.in_flight import Progress

MOST_RUNS = 200
MOST_NUMBERS = 2


def sweep(
    design: Design,
    values: Mapping[str, Sequence[Any]],
    players: int | Mapping[str, int] = 1000,
    hours: float | None = None,
    seed: int = 0,
    *,
    executor: Executor | None = None,
    progress: Callable[[Progress], object] | None = None,
) -> pd.DataFrame:
    """Play a design for each value of one number, or each pair of values of two, with the same draws.

    Args:
        design: the design.
        values: the values by place, such as ``constants.steepness``, or by a bare name that fits one constant.
        players: how many players of each profile, or a number for each profile by name.
        hours: the horizon in played hours (default: 200, or longer where the design's goals ask for it).
        seed: the seed of every draw; all runs share it, so lines differ by what the values change.
        executor: where chunks run (default: threads, one a processor).
        progress: is called with a `Progress` now and then, run by run.

    Returns:
        A pace table a value, one below the other: a column a number, under its place, then those of
        `SimulationResult.pace`. Its `attrs` hold the design's `title`, `players` and `seed`.

    Raises:
        UnknownNameError: there is no such place.
        RamulusError: there are no values, more than two numbers, or more than 200 runs.
        DesignError: the design is at fault at some value.

    Examples:
        >>> import ramulus as rm
        >>> table = rm.sweep(rm.demo_design(), {"steepness": [1.4, 1.6]}, players=20)
        >>> table["constants.steepness"].unique().tolist()
        [1.4, 1.6]
    """
    refuse_other_than_design(design)
    refuse_unnamed(values, "values", '{"steepness": [1.4, 1.6]}')
    if not 1 <= len(values) <= MOST_NUMBERS:
        raise RamulusError(f"{len(values)} numbers to sweep; allowed: one or two")
    places = {full_place(design, name): list(listed) for name, listed in values.items()}
    runs = list(product(*places.values()))
    if not 1 <= len(runs) <= MOST_RUNS:
        raise RamulusError(f"{len(runs)} values to play; allowed: 1 … {MOST_RUNS}")
    horizon = horizon_for(design, DEFAULT_HOURS) if hours is None else hours
    tables = []
    for run in runs:
        changed = design.with_values(dict(zip(places, run, strict=True)))
        played = simulate(changed, players, horizon, seed, executor=executor, progress=progress)
        table = played.pace()
        for column, (place, value) in enumerate(zip(places, run, strict=True)):
            table.insert(column, place, value)
        tables.append(table)
    swept = pd.concat(tables, ignore_index=True)
    swept.attrs = {"title": design.title, "players": dict(played.players), "seed": seed}
    return swept
