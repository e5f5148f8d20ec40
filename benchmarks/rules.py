"""What each rule costs that looks around it: CPU time of an encounter of the demo with it, over that without.

Run it on an idle machine: `python benchmarks/rules.py`. Designs are played in turns, and the least of some rounds counts.
A rule may change what is played; so it is the time of one encounter that is compared, not of a run.
"""

from __future__ import annotations

import time
from typing import Any

import numpy as np

import ramulus as rm
from ramulus.simulation.chunks import Job, play_chunk
from ramulus.simulation.world import Stage, make_stage

ROUNDS, PLAYERS, PROFILE = 15, 192, "steady"
TIRED = {"name": "tired", "against": "xp_today", "bands": [[2500, 1], [4000, 0.5], [10**9, 0.2]]}


def changed(**values: Any) -> rm.Design:
    """The demo with some places changed: `sources__aphid_cluster__level` is `sources.aphid_cluster.level`."""
    data = rm.demo_design().to_dict()
    for key, value in values.items():
        *path, last = key.split("__")
        holder = data
        for part in path:
            holder = holder.setdefault(part, {})
        holder[last] = [*holder[last], value] if last == "multipliers" else value
    return rm.Design.from_dict(data)


def designs() -> dict[str, rm.Design]:
    """The demo, and the demo with each rule."""
    pool = {"base": 60, "per_level": 6, "pool": True, "refill_on_level_up": True}
    arrives = {f"players__{name}__arrives": [[7, 0.5], [30, 1]] for name in rm.demo_design().players}
    return {
        "the demo": changed(),
        "sources that follow the player": changed(sources__bark_borer__level="clip(level - 1, 5, 12)"),
        "multipliers that read stats": changed(multipliers={"name": "sharp", "factor": "1 + shear / 1000"}),
        "repeating events": changed(
            multipliers={"name": "festival", "factor": 1.1, "from_day": 3, "to_day": 4, "every": 9}
        ),
        "rules that look at what was done": changed(multipliers=TIRED),
        "time away": changed(away_bonus={"per_day_away": "cost / 10", "at_most": "cost", "factor": 2}),
        "gates": changed(gates=[{"at_level": 10, "successes": {"seed_errand": 2}}, {"at_level": 25, "from_day": 9}]),
        "pools": changed(
            stats__sap=pool, encounter__drain={"sap": "2 + toughness / 25"}, encounter__rest={"seconds": "15 + missing"}
        ),
        "arrivals": changed(**arrives),
        "several skills": changed(
            tracks__climbing={"max_level": 8, "cost": {"formula": "20 * level"}},
            sources__bark_borer__skills={"climbing": 1, "grafting": 1},
        ),
    }


def nanoseconds(stage: Stage) -> float:
    """CPU time of one encounter, of one run."""
    start = time.process_time()
    tally = play_chunk(Job(stage, 1, 0, 0, PLAYERS, np.zeros(1, np.int8))).tally
    return 1e9 * (time.process_time() - start) / float(tally.met.sum())


if __name__ == "__main__":
    stages = {name: make_stage(design, PROFILE, 200, 10**9) for name, design in designs().items()}
    found: dict[str, list[float]] = {name: [] for name in stages}
    for _ in range(ROUNDS + 1):  # The first compiles.
        for name, stage in stages.items():
            found[name].append(nanoseconds(stage))
    least = {name: min(times[1:]) for name, times in found.items()}
    for name, time_of_one in least.items():
        print(f"{name:34} {time_of_one:6.1f} ns an encounter, {time_of_one / least['the demo']:.2f} of the demo")
