"""How often intervals hold the truth: paired differences over changes, sizes and quantiles, and goals on days and shares.

`python benchmarks/intervals.py [paired|goals] [blocks]`. One large run of each design is cut into blocks of players; each
block is a run of its own (blocks start at a multiple of 105, the classes of ability times the weeks), and the whole of it
is the truth. Tables for docs/numbers.md.
"""

from __future__ import annotations

import sys
from typing import Any

import numpy as np

import ramulus as rm
from ramulus.comparing.paired import difference, difference_of_quantiles
from ramulus.comparing.statistic import Quantile, Statistic

SIZES, QUANTILES = (50, 300, 2000), (0.1, 0.5, 0.9)
STRIDE = 105


def small(**parts: Any) -> rm.Design:
    """Five levels of 100 XP, 5 to 15 XP an encounter of 30 s."""
    data: dict[str, Any] = {
        "format": 1, "title": "coverage", "constants": {"cost": 100, "gate": 0, "pause": 0},
        "tracks": {"warden": {"max_level": 6, "cost": {"formula": "cost + gate * (level == 4)"}}},
        "sources": {"blight": {"level": 1, "xp": {"low": 5, "high": 15}, "seconds": 30}},
        "encounter": {"variation": 0.5},
        "players": {"p": {"spread": 0.2, "hours_per_day": 0.1, "days_per_week": 3}},
    }  # fmt: skip
    return rm.Design.from_dict({**data, **parts})


ABLE = {
    "p": {
        "traits": {"skill": {"mean": 1, "sd": 0.3, "at_least": 0.3}},
        "spread": 0.1,
        "hours_per_day": 0.1,
        "days_per_week": 3,
    }
}
SKILFUL = {"players": ABLE, "multipliers": [{"name": "skill", "factor": "skill"}]}
LATTICE = {
    "sources": {"blight": {"level": 1, "xp": 10, "seconds": 360, "success": 0.5}}, "encounter": {},
    "players": {"p": {}},
}  # fmt: skip
RARE = {"blight": {"level": 1, "xp": {"low": 5, "high": 15}, "seconds": 30},
        "crown": {"level": 1, "xp": 60, "seconds": 30, "weight": 0.0002}}  # fmt: skip
SOME = {"blight": RARE["blight"], "crown": {**RARE["crown"], "weight": 0.005}}
CHANGES: list[tuple[str, rm.Design, dict[str, Any]]] = [
    ("all alike: time × 1.005", small(), {"sources.blight.seconds": 30.15}),
    ("all alike: time × 1.01", small(), {"sources.blight.seconds": 30.3}),
    ("all alike: time × 1.03", small(), {"sources.blight.seconds": 30.9}),
    ("all alike: time × 1.5", small(), {"sources.blight.seconds": 45}),
    ("1 s between encounters", small(), {"players.p.seconds_between": 1}),
    ("cost + 5 %", small(), {"cost": 105}),
    ("cost + 50 %", small(), {"cost": 150}),
    ("one level only", small(), {"gate": 30}),
    ("XP drawn 6 … 14", small(), {"sources.blight.xp": {"low": 6, "high": 14}}),
    ("abilities, cost + 1 %", small(**SKILFUL), {"cost": 101}),
    ("abilities, variation 0.5 → 0.4", small(**SKILFUL), {"encounter.variation": 0.4}),
    ("some meet it (crown pays 120)", small(sources=SOME), {"sources.crown.xp": 120}),
    ("few meet it (crown pays 120)", small(sources=RARE), {"sources.crown.xp": 120}),
    ("lattice, XP 10 → 9", small(**LATTICE), {"sources.blight.xp": 9}),
    ("lattice, time × 1.01", small(**LATTICE), {"sources.blight.seconds": 363.6}),
]


def paired(blocks: int) -> None:
    """Differences of quantiles of hours to the cap, each size and quantile."""
    print(f"| change | {' | '.join(f'{n}: p{100 * q:g}' for n in SIZES for q in QUANTILES)} |")
    for name, design, change in CHANGES:
        stride = {n: -(-n // STRIDE) * STRIDE for n in SIZES}
        count = min(blocks * max(stride.values()), 630_000)
        other = design.with_values({rm.design.full_place(design, key): value for key, value in change.items()})
        runs = [
            rm.simulate(one, count, hours=1000, seed=11, keep_players=True).arrivals()[:, -1] for one in (design, other)
        ]
        cells = []
        for n in SIZES:
            for share in QUANTILES:
                truth = np.quantile(runs[1], share) - np.quantile(runs[0], share)
                some = min(blocks, count // stride[n])
                found = [difference_of_quantiles(*(run[i * stride[n] : i * stride[n] + n] for run in runs), share)
                         for i in range(some)]  # fmt: skip
                cells.append(
                    f"{100 * np.mean([not (one.low > truth + 1e-12 or one.high < truth - 1e-12) for one in found]):.1f}"
                )
        print(f"| {name} | {' | '.join(cells)} |", flush=True)
    _mixes(blocks)


def _mixes(blocks: int) -> None:
    """The median of two profiles together, and a share of players, of 300 of each."""
    profiles = {"p": {"spread": 0.2, "share": 0.3}, "q": {"spread": 0.2, "seconds_between": 12, "share": 0.7}}
    design = small(players=profiles)
    for name, change in (
        ("mix, time × 1.01", {"sources.blight.seconds": 30.3}),
        ("mix, cost + 5 %", {"constants.cost": 105}),
    ):
        runs = [
            rm.simulate(one, blocks * 315, seed=12, keep_players=True) for one in (design, design.with_values(change))
        ]
        hours = [{who: run.arrivals(who)[:, -1] for who in profiles} for run in runs]

        def median(run: dict[str, np.ndarray], where: slice) -> Statistic:
            return Statistic.of_quantiles(
                Quantile({n: own[where] for n, own in run.items()}, {"p": 0.3, "q": 0.7}, 0.5)
            )

        def share(run: dict[str, np.ndarray], where: slice) -> Statistic:
            return Statistic.of_share({n: own[where] < 0.6 for n, own in run.items()}, {"p": 0.3, "q": 0.7})

        for what, of in (("median", median), ("share by 0.6 h", share)):
            truth = of(hours[1], slice(None)).value - of(hours[0], slice(None)).value
            found = [difference(*(of(run, slice(i * 315, i * 315 + 300)) for run in hours)) for i in range(blocks)]
            held = np.mean([one.low <= truth <= one.high for one in found])
            print(f"| {name}: {what}, 300 of each | {100 * held:.1f} |", flush=True)


GOALS = [
    {"player": "p", "level": 2, "by_day": 1, "reached": 0.5},
    {"player": "p", "level": 4, "by_day": 5, "reached": 0.5},
    {"player": "p", "level": 4, "by_hours": 0.4, "reached": 0.5},
    {"player": "p", "level": 4, "days": 6},
    {"player": "p", "level": 6, "days": 12},
    {"player": "p", "level": 4, "hours": 0.5},
]


def goals(blocks: int) -> None:
    """Goals on days, shares and hours, of runs of 20, 50 and 300 players that each start with player 0."""
    print("| design | goal | 20 | 50 | 300 |")
    days = {1: 0.6, 3: 0.15, 7: 0.1}
    for per_week, hours in days.items():
        player = {"spread": 0.2, "hours_per_day": hours, "days_per_week": per_week}
        design = small(players={"p": player}, goals=GOALS)
        truth = rm.simulate(design, 210_000, seed=99, keep_players=True).goals()["found"]
        held = {}
        for n in (20, 50, 300):
            found = [rm.simulate(design, n, seed=seed).goals() for seed in range(blocks)]
            low, high = (
                np.array([one[end].fillna(fill) for one in found]) for end, fill in (("low", -np.inf), ("high", np.inf))
            )
            held[n] = 100 * ((low <= truth.to_numpy() + 1e-12) & (truth.to_numpy() - 1e-12 <= high)).mean(axis=0)
        for index, words in enumerate(found[0]["goal"]):
            cells = " | ".join(f"{held[n][index]:.1f}" for n in held)
            print(f"| {per_week} days a week | {words} | {cells} |", flush=True)


if __name__ == "__main__":
    what, many = (sys.argv[1:] + ["all", "300"][len(sys.argv) - 1 :])[:2]
    for name, table in (("paired", paired), ("goals", goals)):
        if what in (name, "all"):
            table(int(many))
