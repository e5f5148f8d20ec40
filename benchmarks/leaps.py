"""What leaps save, and whether they change anything: the same design at levels of more and more encounters.

`python benchmarks/leaps.py` takes some minutes. Each size is played in leaps and one by one, in turns, on one thread; the
hours and encounters to each level of players who share no draws are held against each other (Kolmogorov and Smirnov).
Then the spread of the difference between two designs is measured, with pairs of players in leaps and one by one.
"""

from __future__ import annotations

import time

import numpy as np
from scipy.stats import ks_2samp

import ramulus as rm
from ramulus.simulation.chunks import Job, play_chunk
from ramulus.simulation.tally import Tally
from ramulus.simulation.world import make_stage

ROUNDS, PLAYERS, PAIRS = 3, 256, 1000
MEAN = 8.72  # XP of an encounter.
SIZES = {10_000: PLAYERS, 100_000: PLAYERS, 1_000_000: 64, 10_000_000: 8}


def design(encounters: float, factor: float = 1.0) -> rm.Design:
    """Three levels of so many encounters, twice and three times as many: sources of fixed, drawn and listed XP."""
    return rm.Design.from_dict({
        "format": 1, "title": "Canopy",
        "tracks": {"warden": {"max_level": 4, "cost": {"formula": f"{factor * encounters * MEAN} * level"}}},
        "sources": {
            "aphid_cluster": {"level": 1, "xp": {"low": 9, "high": 13}, "weight": 3},
            "bark_borer": {"level": 2, "xp": 17, "seconds": 9},
            "hollow_heart": {"level": 2, "xp": {"one_of": [[20, 0.7], [45, 0.3]]}, "seconds": 20, "weight": 0.2},
        },
        "encounter": {
            "seconds": 4, "success": 0.6, "variation": 0.35, "failure": {"extra_seconds": 5, "xp_share": 0.1},
        },
        "players": {"steady": {}},
    })  # fmt: skip


def played(encounters: int, players: int, seed: int, *, leaps: bool) -> tuple[float, Tally]:
    """CPU seconds a player, and what was counted."""
    stage = make_stage(design(encounters), "steady", 1e9, 2_000_000_000, leaps=leaps)
    start = time.process_time()
    tally = play_chunk(Job(stage, seed, 0, 0, players, np.zeros(1, np.int8))).tally
    return (time.process_time() - start) / players, tally


def sizes() -> None:
    """Print what leaps save, and how alike the players are."""
    print(
        "| encounters of the first level | one by one, ms a player | in leaps | times faster | leapt | p of hours and encounters |"
    )
    print("|---|---|---|---|---|---|")
    for encounters, few in SIZES.items():
        spent: dict[bool, list[float]] = {True: [], False: []}
        came: dict[bool, Tally] = {}
        for at in range(ROUNDS):
            for leaps, players in ((True, PLAYERS), (False, few)):
                seconds, came[leaps] = played(encounters, players, 2 * at + leaps, leaps=leaps)
                spent[leaps].append(seconds)
        leapt = came[True].leapt.sum() / came[True].met.sum()
        slow, fast = (1000 * min(spent[leaps]) for leaps in (False, True))
        p = [
            ks_2samp(getattr(came[True], what)[:, level], getattr(came[False], what)[:, level]).pvalue
            for what in ("arrival", "encounters") for level in (1, 2, 3)
        ]  # fmt: skip
        alike = ", ".join(f"{one:.2f}" for one in p)
        print(f"| {encounters:,} | {slow:,.2f} | {fast:.3f} | {slow / fast:,.0f} | {leapt:.1%} | {alike} |")


def pairs() -> None:
    """Print how far the hours of one player differ between two designs, by the draws that they share."""
    for factor in (1.0001, 1.01, 1.1):
        spread = []
        for leaps in (True, False):
            one, two = (
                rm.simulate(design(10_000, by), PAIRS, 1e9, most_encounters=10**9, leaps=leaps).profile().main.seconds.values[:, -1] / 3600
                for by in (1.0, factor)
            )  # fmt: skip
            other = rm.simulate(design(10_000, factor), PAIRS, 1e9, seed=1, most_encounters=10**9, leaps=leaps)
            alone = other.profile().main.seconds.values[:, -1] / 3600
            spread += [np.std(two - one), np.std(alone - one)]
        paired, apart, each, each_apart = spread
        print(
            f"costs x {factor}: hours of a player differ by {paired:.3f} (standard deviation) in leaps, {each:.3f} one by one; "
            f"without shared draws by {apart:.3f} and {each_apart:.3f}"
        )


if __name__ == "__main__":
    for leaps in (True, False):
        played(10_000, 2, 0, leaps=leaps)  # It compiles.
    sizes()
    pairs()
