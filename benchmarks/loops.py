"""The demo's steady player, played by other means: plain Python, NumPy over players, SimPy, C.

Each returns the hours at the cap and the encounters played, a number a player.
"""

from __future__ import annotations

import ctypes
import math
import random
import subprocess
from pathlib import Path

import numpy as np

import ramulus as rm
from ramulus.simulation.draws import own_factors, player_keys
from ramulus.simulation.times import time_table
from ramulus.simulation.world import Stage, make_stage

HERE = Path(__file__).parent
HOURS = 200.0


def demo() -> rm.Design:
    """The demo with its steady players all alike, who go after nothing and run out of nothing by the day.

    The other means know one accuracy, one schedule and weights alone.
    """
    data = rm.demo_design().to_dict()
    del data["sources"]["seed_errand"]["limit_per_day"]
    data["multipliers"] = [rule for rule in data["multipliers"] if "weekdays" not in rule]
    data.pop("calendar")
    for player in data["players"].values():
        player["traits"] = {"accuracy": player["traits"]["accuracy"]["mean"]}
        player.update(pursuit=0, skill_xp_worth=0)
    data["players"]["steady"]["plays_on"] = ["mon", "tue", "wed", "thu", "fri"]
    return rm.Design.from_dict(data)


class Designers:
    """What a designer types before there is a tool: one object, one method an encounter."""

    def __init__(self, design: rm.Design, seed: int) -> None:
        self.random = random.Random(seed)
        self.sources = {name: source.model_dump() | source.numbers for name, source in design.sources.items()}
        self.player = design.players["steady"]
        self.constants = design.constants
        self.costs = [self.cost(level) for level in range(1, 40)]
        skill = [5.0]
        while len(skill) < 14:
            skill.append(skill[-1] * 1.35)
        self.skill_costs = [math.floor(cost) for cost in skill]

    def cost(self, level: int) -> int:
        c = self.constants
        return math.floor(
            c["first_cost"] + 24 * (level - 1) ** c["steepness"] + (c["crown_gate"] if level == 20 else 0)
        )

    def start(self) -> None:
        self.level, self.xp, self.skill, self.skill_xp, self.clock, self.count = 1, 0, 1, 0, 0.0, 0
        self.used = dict.fromkeys(self.sources, 0)
        self.pace = math.exp(self.player.spread * self.random.gauss(0, 1))
        self.refit()

    def refit(self) -> None:
        """Stats, and what can be met, after a level-up or when something is used up."""
        points = self.level - 1
        keen = (points + 1) // 2 if points < 16 else points - 8
        quick = min(points // 2, 8)
        self.shear = 9 * 1.06 ** (self.level - 1) + 2 * keen
        self.windup = 1.4 * 0.93**quick
        self.open, self.weights = [], []
        for name, source in self.sources.items():
            low, high = source["from_level"] or 0, source["to_level"] or 999
            if low <= self.level <= high and (source["limit"] is None or self.used[name] < source["limit"]):
                self.open.append(name)
                self.weights.append(math.exp(-(((self.level - source["level"]) / 6) ** 2)))

    def encounter(self) -> float:
        """Play one encounter; return its seconds."""
        name = self.random.choices(self.open, self.weights)[0]
        source = self.sources[name]
        gap = self.level - source["level"]
        won = self.random.random() < min(max(0.96 - 0.05 * max(0, -gap), 0.05), 0.99)
        if name == "seed_errand":
            seconds = 240.0
        elif name == "shoot_graft":
            seconds = 45 - 1.5 * self.skill
        else:
            seconds = math.ceil(source["toughness"] / self.shear) * self.windup / 0.72 + 6
        seconds *= self.random.gammavariate(1 / 0.35**2, 0.35**2)
        seconds = (seconds + (0 if won else 40) + self.player.seconds_between) * self.pace
        self.clock += seconds
        self.count += 1
        self.award(name, source, gap, won)
        return seconds

    def award(self, name: str, source: dict, gap: int, won: bool) -> None:
        xp = source["xp"]
        if isinstance(xp, dict):
            if "low" in xp:
                xp = self.random.randint(xp["low"], xp["high"])
            else:
                amounts, chances = zip(*xp["one_of"], strict=True)
                xp = self.random.choices(amounts, chances)[0]
        elif isinstance(xp, str):
            xp = 90 + 2 * source["level"]
        play_day = self.clock // (1.2 * 3600)
        day = 7 * (play_day // 5) + play_day % 5 + 1
        blossom = 1.5 if 15 <= day <= 21 else 1.0
        outgrown = min(max(1 - 0.08 * gap, 0.04), 1)
        share = 1 if won else 0.1
        self.xp += math.floor(xp * (outgrown * blossom) * share)
        changed = False
        while self.level < 40 and self.xp >= self.costs[self.level - 1]:
            self.xp -= self.costs[self.level - 1]
            self.level += 1
            changed = True
        if name == "shoot_graft":
            self.skill_xp += math.floor(1 * blossom * share)
            while self.skill < 15 and self.skill_xp >= self.skill_costs[self.skill - 1]:
                self.skill_xp -= self.skill_costs[self.skill - 1]
                self.skill += 1
        if won and source["limit"] is not None:
            self.used[name] += 1
            changed = True
        if changed:
            self.refit()


def python_loop(design: rm.Design, players: int, seed: int) -> tuple[np.ndarray, int]:
    """(b) A straightforward Python loop."""
    game, hours, count = Designers(design, seed), [], 0
    for _ in range(players):
        game.start()
        while game.level < 40:
            game.encounter()
        hours.append(game.clock / 3600)
        count += game.count
    return np.array(hours), count


def simpy_processes(design: rm.Design, players: int, seed: int) -> tuple[np.ndarray, int]:
    """(d) A SimPy process a player."""
    import simpy

    environment, hours, counts = simpy.Environment(), [], []

    def live(number: int):
        game = Designers(design, seed + number)
        game.start()
        while game.level < 40:
            yield environment.timeout(game.encounter())
        hours.append(environment.now / 3600)
        counts.append(game.count)

    for number in range(players):
        environment.process(live(number))
    environment.run()
    return np.array(hours), sum(counts)


def numpy_loop(design: rm.Design, players: int, seed: int) -> tuple[np.ndarray, int]:
    """(c) NumPy, vectorised over players, one pass an encounter."""
    stage = make_stage(design, "steady", HOURS, 10**9)
    world, tracks, settings, told = stage.world, stage.tracks, stage.settings, stage.sources
    rng = np.random.default_rng(seed)
    own = np.exp(stage.spread * rng.standard_normal(players))
    scale = int(tracks.scale[0])
    costs = tracks.costs[: tracks.cap[0]] // scale
    skill_costs = tracks.costs[tracks.first[1] :]
    level, xp, skill, skill_xp = (np.zeros(players, np.int64) for _ in range(4))
    clock, finish = np.zeros(players), np.full(players, np.nan)
    used = np.zeros((players, len(told.reads)), np.int64)
    alive, count, skill_units = np.arange(players), 0, practised_by_column(stage)
    reads = (told.reads > 0).astype(np.int64)
    while len(alive):
        at = level[alive]
        columns = told.first_column + reads * skill[alive, None]
        weights = world.weight[0][at[:, None], columns]
        limit = told.limits[0]
        weights = np.where((limit > 0) & (used[alive] >= limit), 0, weights).cumsum(axis=1)
        source = (weights <= rng.random(len(alive))[:, None] * weights[:, -1:]).sum(axis=1)
        column = columns[np.arange(len(alive)), source]
        won = rng.random(len(alive)) < world.success[0][at, column]
        seconds = world.seconds[0][at, column] * rng.gamma(stage.shape, 1 / stage.shape, len(alive))
        clock[alive] += (seconds + np.where(won, 0, settings.extra_seconds) + settings.seconds_between) * own[alive]
        state = world.state[np.searchsorted(world.borders, clock[alive], side="right") - 1]
        draw = rng.random(len(alive))
        drawn = told.xp.low[at, source] + np.floor(draw * np.maximum(told.xp.width[source], 1))
        for s in np.nonzero(told.xp.width == 0)[0]:
            span = slice(told.xp.first[s], told.xp.first[s + 1])
            choice = np.searchsorted(told.xp.up_to[span][:-1], draw, side="right")
            drawn = np.where(source == s, told.xp.amounts[span][choice], drawn)
        share = np.where(won, 1.0, settings.xp_share)
        xp[alive] += np.floor(drawn * world.factor[0][state, at, column] * share).astype(np.int64)
        while True:
            up = alive[(level[alive] < len(costs))]
            up = up[xp[up] >= costs[level[up]]]
            if not len(up):
                break
            xp[up] -= costs[level[up]]
            level[up] += 1
        practised = np.diff(told.first_practice)[source] > 0
        skill_xp[alive[practised]] += skill_units[state, won.astype(int), at, column][practised]
        while True:
            up = alive[skill[alive] < len(skill_costs)]
            up = up[skill_xp[up] >= skill_costs[skill[up]]]
            if not len(up):
                break
            skill_xp[up] -= skill_costs[skill[up]]
            skill[up] += 1
        used[alive[won], source[won]] += 1
        count += len(alive)
        done = level[alive] == len(costs)
        finish[alive[done]] = clock[alive[done]] / 3600
        alive = alive[~done]
    return finish, count


def practised_by_column(stage: Stage) -> np.ndarray:
    """What is awarded to the one skill there is, over the columns of encounters, shape (states, 2, levels, columns)."""
    told, world = stage.sources, stage.world
    found = np.zeros((*world.skill_units.shape[1:4], world.weight.shape[2]), dtype=np.int64)
    width = np.diff([*told.first_column, found.shape[-1]])
    for source in np.nonzero(np.diff(told.first_practice))[0]:
        its, mine = told.practice_column[told.first_practice[source]], told.first_column[source]
        found[..., mine : mine + width[source]] = world.skill_units[0][..., its : its + width[source]]
    return found


_SIZES = ["levels", "columns", "sources", "skill_levels", "borders", "cells", "scale"]
_WHOLE = ["first_column", "skilled", "reads_skill", "limit", "width", "first_amount", "state", "skill_units"]
_FLOATS = ["seconds", "success", "weight", "low", "amounts", "up_to", "factor", "border", "times"]
_NUMBERS = ["extra_seconds", "xp_share", "between", "horizon"]


class _World(ctypes.Structure):
    _fields_ = (
        [(name, ctypes.c_int64) for name in _SIZES]
        + [(name, ctypes.c_void_p) for name in (*_WHOLE, *_FLOATS, "cost", "skill_cost")]
        + [(name, ctypes.c_double) for name in _NUMBERS]
    )


def compile_c(folder: Path) -> ctypes.CDLL:
    """Compile the C loop."""
    library = folder / "player_loop.so"
    source = HERE / "player_loop.c"
    subprocess.run(
        ["cc", "-O3", "-march=native", "-shared", "-fPIC", str(source), "-o", str(library), "-lm"], check=True
    )
    return ctypes.CDLL(str(library))


def c_loop(
    library: ctypes.CDLL, design: rm.Design, players: int, seed: int, profile: str = "steady"
) -> tuple[np.ndarray, int]:
    """(e) The C loop over the same tables."""
    stage = make_stage(design, profile, HOURS, 10**9)
    world, tracks, settings, told = stage.world, stage.tracks, stage.settings, stage.sources
    levels, sources = told.xp.low.shape
    table = time_table(stage.shape)
    ends = [*tracks.first[1:].tolist(), len(tracks.costs)]
    keep = {
        "first_column": told.first_column, "skilled": (np.diff(told.first_practice) > 0).astype(np.int64),
        "reads_skill": (told.reads > 0).astype(np.int64), "limit": told.limits[0].copy(), "width": told.xp.width,
        "first_amount": told.xp.first, "state": world.state, "skill_units": practised_by_column(stage),
        "seconds": world.seconds, "success": world.success, "weight": world.weight,
        "low": np.ascontiguousarray(told.xp.low), "amounts": told.xp.amounts, "up_to": told.xp.up_to,
        "factor": world.factor, "border": world.borders, "times": table,
        "cost": tracks.costs[: ends[0]].copy(), "skill_cost": tracks.costs[ends[0] :].copy(),
    }  # fmt: skip
    keys = player_keys(seed, profile, np.arange(players))
    own = own_factors(keys, stage.spread)
    arrival, encounters = np.full((players, levels), np.nan), np.zeros((players, levels), np.int32)
    income = np.zeros((levels, sources), np.int64)
    about = _World(
        levels, world.seconds.shape[2], sources, len(keep["skill_cost"]) + 1, len(world.borders), len(table) // 2,
        int(tracks.scale[0]), *(keep[name].ctypes.data for name in (*_WHOLE, *_FLOATS, "cost", "skill_cost")),
        settings.extra_seconds, settings.xp_share, settings.seconds_between, settings.horizon,
    )  # fmt: skip
    pointers = [array.ctypes.data_as(ctypes.c_void_p) for array in (keys, own, arrival, encounters, income)]
    library.play(ctypes.byref(about), ctypes.c_int64(players), *pointers)
    return arrival[:, -1] / 3600, int(encounters[:, -1].sum())
