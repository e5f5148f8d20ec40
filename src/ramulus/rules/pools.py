"""Pools: what encounters use up of them, and how long a rest takes that fills them again."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ramulus.design.names import stat_track
from ramulus.formula.functions import Array
from ramulus.rules.evaluating import evaluate_at, fault
from ramulus.rules.programs import Program, program_of

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.rules.encounter_tables import EncounterTables, Scene

MILLIONTHS = 1_000_000
MOST_DRAINED = 10**12  # Of one encounter, in the pool's own unit: a million of them are still counted exactly.


def drained_pools(design: Design) -> list[str]:
    """Return the pools that encounters drain, in the order of the file."""
    stages = (design.encounters.drain, design.encounters.failure.drain)
    return [name for name in design.stats if any(name in stage for stage in stages)]


class PoolTables:
    """The pools of one profile; P pools that are drained, L levels, C columns.

    Attributes:
        names: the pools.
        refills: which of them every level-up fills, shape (P,).
    """

    def __init__(self, design: Design, encounters: EncounterTables) -> None:
        self._design, self._encounters = design, encounters
        self.names = drained_pools(design)
        self.refills = np.array([design.stats[name].refill_on_level_up for name in self.names], dtype=np.bool_)

    @property
    def _scene(self) -> Scene:
        return self._encounters.scene

    @cached_property
    def size(self) -> Array:
        """How much each pool holds, shape (P, L).

        Raises:
            DesignError: a pool holds nothing at some level.
        """
        levels = self._scene.columns.levels
        sizes = np.zeros((len(self.names), len(levels)))
        for index, name in enumerate(self.names):
            sizes[index] = np.broadcast_to(self._scene.names[name], (len(levels), 1))[:, 0]
            empty = in_millionths(sizes[index]) <= 0
            if empty.any():
                found = f"a pool of {sizes[index][empty][0]:.6g} at level {levels[empty][0]:g}{self._scene.whom}"
                raise fault(f"stats.{name}", found, "above 0 at every level", "pool-empty")
        return sizes

    @cached_property
    def drain(self) -> Array:
        """What a failure (0) and a success (1) take of each pool, shape (P, 2, L, C).

        Raises:
            DesignError: it is below 0 somewhere, or too large to be counted.
        """
        columns = self._scene.columns
        taken = np.zeros((len(self.names), 2, *columns.shape))
        everything = np.arange(columns.shape[1])
        encounter = self._design.encounters
        for index, name in enumerate(self.names):
            for key, stage, to in (("drain", encounter.drain, 2), ("failure.drain", encounter.failure.drain, 1)):
                if name in stage:
                    place = f"encounter.{key}.{name}"
                    values = self._scene.evaluated(place, stage[name], everything) * np.ones(columns.shape)
                    self._scene.refuse(place, values, values < 0, "a drain", "0 or more", "negative-drain")
                    much = values > MOST_DRAINED
                    self._scene.refuse(place, values, much, "a drain", f"at most {MOST_DRAINED:,}", "invalid-value")
                    taken[index, :to] += np.where(columns.open, values, 0.0)
        return taken

    def _names(self) -> dict[str, Array]:
        """Return the names that the time of a rest reads, over the levels, but `missing`."""
        scene, main = self._scene, self._design.main_track_name
        stats = {name for name, stat in self._design.stats.items() if stat_track(self._design, stat) == main}
        traits = set(self._design.profile(scene.profile).traits)
        known = {"level", *stats, *traits, *self._design.constants}
        return {name: np.asarray(value).reshape(-1) for name, value in scene.names.items() if name in known}

    @cached_property
    def program(self) -> Program:
        """The time of a rest, in seconds, by level and what is missing."""
        rest = self._design.encounters.rest
        assert rest is not None
        levels = self._scene.columns.levels
        return program_of("encounter.rest.seconds", rest.seconds, "missing", self._names(), levels)

    def rest_seconds(self, missing: Array) -> Array:
        """Return the time of a rest over the levels, with so much missing, shape (L,).

        Raises:
            DesignError: it is below 0, or the formula fails.
        """
        rest = self._design.encounters.rest
        assert rest is not None
        levels, place = self._scene.columns.levels, "encounter.rest.seconds"
        values = evaluate_at(place, rest.seconds, {**self._names(), "missing": missing})
        values = np.broadcast_to(values, levels.shape)
        if (values < 0).any():
            row = int((values < 0).argmax())
            found = f"a rest of {values[row]:.6g} s at level {levels[row]:g}, with {missing[row]:.6g} missing"
            raise fault(place, found, "0 seconds or more", "negative-time")
        return values

    @cached_property
    def rest_part(self) -> Array:
        """The part of a rest that the drain of an encounter uses up in the mean, seconds, shape (L, C)."""
        success = self._encounters.success
        parts = [np.zeros(success.shape)]
        for size, drain in zip(self.size, self.drain, strict=True):
            mean = success * drain[1] + (1 - success) * drain[0]
            parts.append(mean / size[:, None] * self.rest_seconds(size)[:, None])
        return np.asarray(np.max(parts, axis=0))


def in_millionths(amounts: Array) -> NDArray[np.int64]:
    """Return amounts of a pool in whole millionths, the nearest."""
    return np.floor(np.asarray(amounts) * MILLIONTHS + 0.5).astype(np.int64)
