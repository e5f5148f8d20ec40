"""How long the searches of the demo take, over a simulation in the same run.

    python benchmarks/searches.py [rounds]

Each round does all of them in turns; the least of each is shown, in seconds and as a ratio to `simulate` with 2,000
players of each profile. Modules are loaded and kernels compiled before.
"""

from __future__ import annotations

import sys
import time
from collections.abc import Callable

import ramulus as rm

DESIGN = rm.demo_design()
FIVE = ["steepness", "first_cost", "crown_gate", "sources.bark_borer.xp", "stats.shear.growth"]
SEARCHES: dict[str, Callable[[], object]] = {
    "simulate, 2,000 players": lambda: rm.simulate(DESIGN.with_values({}), 2000),
    "compare, two variants": lambda: rm.compare(
        {"now": DESIGN.with_values({}), "eased": DESIGN.with_values({"constants.crown_gate": 0})}
    ).pace(),
    "sensitivity, three constants": lambda: rm.sensitivity(DESIGN),
    "sensitivity, five numbers": lambda: rm.sensitivity(DESIGN, FIVE),
    "tune, one number": lambda: rm.tune(DESIGN, ["crown_gate"]),
    "tune, two numbers": lambda: rm.tune(DESIGN, ["steepness", "crown_gate"]),
    "tune, three numbers": lambda: rm.tune(DESIGN, ["steepness", "crown_gate", "first_cost"]),
    "costs for three wishes": lambda: rm.costs_for(DESIGN, "steady", {2: 0.1, 10: 2.5, 40: 45}),
}


def main() -> None:
    """Time them in turns."""
    rounds = int(sys.argv[1]) if len(sys.argv) > 1 else 3
    rm.tune(DESIGN, ["crown_gate"], players=15)
    least = dict.fromkeys(SEARCHES, float("inf"))
    for _ in range(rounds):
        for name, search in SEARCHES.items():
            started = time.perf_counter()
            search()
            least[name] = min(least[name], time.perf_counter() - started)
    first = next(iter(least.values()))
    for name, seconds in least.items():
        print(f"{name:30} {seconds:7.2f} s  {seconds / first:6.1f}")


if __name__ == "__main__":
    main()
