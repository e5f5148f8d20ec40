"""Costs whose answer is known: hours that made-up rising costs give, wished for again from `costs_for`.

`python benchmarks/planted_costs.py [first] [last]`. A wish holds where 20,000 fresh players come within 1.5 % of it.
"""

from __future__ import annotations

import random
import sys
import time
from typing import Any

import numpy as np
from planted import made_up

import ramulus as rm
from ramulus.tuning import pace_costs

FRESH = 20_000


def wished(seed: int) -> tuple[rm.Design, str, dict[int, float]]:
    """Return a design, a profile and hours that rising costs can give."""
    draw = random.Random(seed)
    design = rm.demo_design() if seed % 3 == 0 else made_up(seed)[0]
    design = design.with_values({"goals": []})
    name, player = design.main_track_name, draw.choice(list(design.players))
    levels = design.track().max_level - 1
    first, power = draw.uniform(15, 400), draw.choice([0.0, 0.5, 1.0, 1.5, 2.0])
    bumps = np.cumsum([draw.choice([0, 0, 0, 0, draw.uniform(0, 3)]) for _ in range(levels)])
    costs = np.maximum.accumulate(np.rint(first * (np.arange(1, levels + 1) ** power + bumps)) + np.arange(levels))
    truth = design.with_values({f"tracks.{name}.cost": {"values": [int(cost) for cost in costs]}})
    count = draw.randint(1, 5)
    at = sorted(draw.sample(range(2, levels + 2), min(count, levels)))
    hours = medians(truth, player, at, 5000 + seed, 100.0)
    return design, player, {level: round(float(h), 4) for level, h in hours.items() if np.isfinite(h)}


def medians(design: rm.Design, player: str, levels: list[int], seed: int, hours: float) -> dict[int, float]:
    """Return the median hours to some levels."""
    played = rm.simulate(design, {player: FRESH}, hours=hours, seed=seed, keep_players=True).arrivals(player)
    start = design.track().start_level
    return {at: float(np.median(np.nan_to_num(played[:, at - start], nan=np.inf))) for at in levels}


def sought(seed: int) -> dict[str, Any]:
    """Search once; return what came of it."""
    design, player, wishes = wished(seed)
    if not wishes:
        return {}
    started = time.monotonic()
    paced = pace_costs(design, player, wishes, seed)
    took = time.monotonic() - started
    found = medians(paced.design, player, list(wishes), 9000 + seed, 3 * max(wishes.values()))
    off = {level: round(100 * (found[level] / hours - 1), 2) for level, hours in wishes.items()}
    costs = paced.costs["after"].to_numpy()
    return {"seed": seed, "player": player, "wishes": wishes, "off": off, "rises": bool((np.diff(costs) >= 0).all()),
            "seconds": round(took, 1), "notes": paced.notes}  # fmt: skip


if __name__ == "__main__":
    first, last = (int(word) for word in (sys.argv[1:] + ["0", "40"][len(sys.argv) - 1 :])[:2])
    every, held = 0, 0
    for seed in range(first, last):
        if found := sought(seed):
            every += len(found["off"])
            held += sum(abs(off) <= 1.5 for off in found["off"].values())
            print(found, flush=True)
    print(f"{held} of {every} wishes hold within 1.5 %")
