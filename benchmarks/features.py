"""What the kernel's features cost: CPU seconds of a plain design, of varying times, of losses, and of the demo.

Run it in turns with the sources of two commits, some rounds each (`PYTHONPATH=…/src python benchmarks/features.py`),
and compare the least of each: processor time swings less than the clock on the wall.
"""

from __future__ import annotations

import time
from typing import Any

import ramulus as rm

ROUNDS = 8
TWO_SOURCES = {
    "aphid_cluster": {"level": 1, "xp": 20, "seconds": 30},
    "bark_borer": {"level": 3, "xp": 26, "seconds": 31},
}
VARYING = {"variation": 0.4, "success": "0.8"}


def design(formula: str, **parts: Any) -> rm.Design:
    """Return a design of 40 levels."""
    track = {"max_level": 40, "cost": {"formula": formula}}
    return rm.Design.from_dict({"format": 1, "title": "Canopy", "tracks": {"warden": track}, **parts})


def least_seconds(played: rm.Design, players: int) -> float:
    """Return the least CPU time of some runs, once the kernel is compiled."""
    rm.simulate(played, 30, seed=1)
    found = []
    for _ in range(ROUNDS):
        start = time.process_time()
        rm.simulate(played, players, seed=1)
        found.append(time.process_time() - start)
    return min(found)


if __name__ == "__main__":
    spread = {"steady": {"spread": 0.2}}
    plain = design("400", sources={"aphid_cluster": TWO_SOURCES["aphid_cluster"]}, players={"steady": {}})
    varying = design("100 * level", sources=TWO_SOURCES, encounter=VARYING, players=spread)
    losing = design("100 * level", sources=TWO_SOURCES, encounter=VARYING | {"failure": {"loss": 0.01}}, players=spread)
    for name, one, players in (
        ("plain", plain, 30_000), ("varying times", varying, 10_000), ("losses", losing, 5_000),
        ("the demo", rm.demo_design(), 5_000),
    ):  # fmt: skip
        print(f"{name}: {least_seconds(one, players):.2f} s", flush=True)
