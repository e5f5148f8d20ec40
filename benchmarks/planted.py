"""Searches whose answer is known: numbers planted in made-up designs, moved far off, and sought again by `tune`.

`python benchmarks/planted.py [first] [last]`. Goals are what the planted numbers give, played by other draws and many
players. A search is solved where a fresh replay of what it found misses no goal; its intervals hold where the planted
number is inside of them. Tables for docs/numbers.md.
"""

from __future__ import annotations

import random
import sys
import time
from typing import Any

import numpy as np

import ramulus as rm

TRUTH_PLAYERS = 20_000


def made_up(seed: int) -> tuple[rm.Design, dict[str, float], list[dict[str, Any]]]:
    """Return a design with its planted numbers, the numbers that are sought, and its goals without wishes."""
    draw = random.Random(seed)
    levels = draw.choice([15, 25, 40])
    constants = {"first": draw.uniform(30, 150), "steep": draw.uniform(1.1, 1.9), "slope": draw.uniform(8, 40)}
    costs = [
        "first + slope * (level - 1) ** steep",
        "first * (1 + slope / 400) ** (level - 1) + steep",
        "first + slope * (level - 1) + (300 * steep if level > 9 else 0)",
    ]
    kind = draw.randrange(3)
    constants |= {"pause": draw.uniform(5, 40), "pay": draw.uniform(15, 60), "skill": draw.uniform(0.5, 0.9)}
    design = {
        "format": 1, "title": f"planted {seed}", "constants": constants,
        "tracks": {"warden": {"max_level": levels, "may_drop_levels": seed % 5 == 0, "cost": {"formula": costs[kind]}}},
        "sources": {
            "aphid": {"level": 1, "xp": {"low": 9, "high": 15}, "seconds": 25},
            "borer": {"level": 6, "xp": "pay", "seconds": 40, "from_level": 4},
            "rot": {"level": 12, "xp": "pay * 2", "seconds": 55, "from_level": 10, "weight": 2},
        },
        "encounter": {
            "success": "clip(skill + 0.02 * gap, 0.1, 0.99)", "variation": 0.4, "weight": "exp(-(gap / 8) ** 2)",
            "failure": {"extra_seconds": "pause", "xp_share": 0.1, "loss": 0.004 * (seed % 3)},
        },
        "players": {
            "steady": {"seconds_between": 20, "spread": 0.15, "hours_per_day": 1.5},
            "keen": {"seconds_between": 5, "spread": 0.1, "hours_per_day": 3, "pursuit": 1},
        },
    }  # fmt: skip
    design["encounter"]["failure"]["extra_seconds"] = constants["pause"]
    names = {0: ["first", "steep", "slope"], 1: ["first", "slope"], 2: ["first", "slope", "steep"]}[kind]
    sought = [f"constants.{name}" for name in draw.sample(names, 2)]
    sought += ["constants.pay"] if draw.random() < 0.5 else []
    sought += ["players.steady.seconds_between"] if draw.random() < 0.4 and len(sought) < 4 else []
    places = sorted(draw.sample(range(3, levels + 1), 3) if levels > 15 else [4, 9, levels])
    goals: list[dict[str, Any]] = [{"player": "steady", "level": level, "tolerance": 0.03} for level in places]
    goals += [{"player": "keen", "level": levels, "tolerance": 0.03}]
    if draw.random() < 0.5:
        goals += [{"player": "keen", "level": places[1], "quantile": 0.9, "tolerance": 0.05}]
    whole = rm.Design.from_dict(design)
    return whole, {place: rm.design.value_at(whole, place) for place in sought}, goals


def planted(seed: int) -> dict[str, Any]:
    """Search once; return what came of it."""
    truth, sought, goals = made_up(seed)
    played = rm.simulate(truth, TRUTH_PLAYERS, hours=3000, seed=10_000 + seed, keep_players=True)
    start = truth.track().start_level
    for goal in goals:
        hours = played.arrivals(goal["player"])[:, goal["level"] - start]
        goal["hours"] = float(np.quantile(np.nan_to_num(hours, nan=np.inf), goal.get("quantile", 0.5)))
    draw = random.Random(seed + 500)
    moved = {
        place: value * draw.choice([draw.uniform(0.25, 0.5), draw.uniform(2, 4)]) for place, value in sought.items()
    }
    if "constants.steep" in moved:
        moved["constants.steep"] = sought["constants.steep"] * draw.choice([0.6, 1.5])
    design = truth.with_values({**moved, "goals": goals})
    started = time.monotonic()
    tuning = rm.tune(design, {place: (value / 10, value * 10) for place, value in sought.items()}, seed=seed)
    took = time.monotonic() - started
    fresh = rm.simulate(tuning.design, 6000, hours=3000, seed=77_000 + seed, keep_players=True).goals()
    rows = tuning.values.set_index("name")
    inside = {p: bool(rows["low"][p] <= v <= rows["high"][p]) for p, v in sought.items() if np.isfinite(rows["low"][p])}
    return {
        "seed": seed, "numbers": len(sought), "missed": int((fresh["verdict"] == "missed").sum()),
        "met": int((tuning.goals["verdict"] == "met").sum()), "of": len(goals), "inside": inside, "seconds": took,
        "off": {p.split(".")[-1]: round(float(rows["after"][p] / v - 1), 4) for p, v in sought.items()},
        "worse": int((tuning.goals["verdict"] == "met").sum()) < int((tuning.goals["verdict_before"] == "met").sum()),
    }  # fmt: skip


if __name__ == "__main__":
    first, last = (int(word) for word in (sys.argv[1:] + ["0", "30"][len(sys.argv) - 1 :])[:2])
    solved, held, known = 0, 0, 0
    for seed in range(first, last):
        found = planted(seed)
        solved += found["missed"] == 0
        held += sum(found["inside"].values())
        known += len(found["inside"])
        print(found, flush=True)
    print(f"solved {solved} of {last - first}; intervals hold {held} of {known}")
