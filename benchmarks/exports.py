"""Exported code in every language against the ledger and the tables, over random designs.

    python benchmarks/exports.py [DESIGNS] [STEPS] [PROCESSES]       # 200, 3,400 and 2: half an hour to an hour

Each design is another mix of costs, rules at a threshold, stats, upgrades, sources and multipliers; each step is an award, a
loss, an encounter with its circumstances, or a save that is loaded; STEPS of them on each of three tracks. States must be equal
after every step, or the script fails. Needs what builds and runs the languages; what is missing is said and left out.
"""

from __future__ import annotations

import sys
import tempfile
import time
from collections import Counter
from concurrent.futures import ProcessPoolExecutor, as_completed
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

import game_runs
import ramulus as rm
from ramulus.game import exported, write_export

FLAGS = "-O3 -march=native"


def held(seed: int, steps: int, languages: list[str]) -> tuple[int, Counter[str], Counter[str]]:
    """Hold one design's code against the package; return its seed, how many states were the same, seconds."""
    game_runs.BUILDS["cpp"] = ((game_runs.CPP.format(flags=FLAGS),), "./harness")
    same: Counter[str] = Counter()
    spent: Counter[str] = Counter()
    started = time.monotonic()
    try:
        design = game_runs.game_design(seed)
        runs = game_runs.runs(design, seed, steps)
    except rm.DesignError as error:  # Its "add" rules come to less than nothing, or one needs two skills at once.
        same[f"refused: {error.problems[0].code}"] += 1
        return seed, same, spent
    same["encounters"] = sum("encounter" in step for request, _ in runs for step in request["do"])
    spent["the package"] = time.monotonic() - started
    with tempfile.TemporaryDirectory() as folder:
        write_export(exported(design, languages, "canopy", vectors=False), Path(folder))
        for language in languages:
            started = time.monotonic()
            same[language] = game_runs.compared(design, Path(folder), language, runs)
            spent[language] = time.monotonic() - started
    return seed, same, spent


def main(designs: int, steps: int, processes: int) -> None:
    """Compare some designs, and print how many steps were the same."""
    languages = [language for language in game_runs.BUILDS if not game_runs.missing(language)]
    print("without:", ", ".join(set(game_runs.BUILDS) - set(languages)) or "none", flush=True)
    same: Counter[str] = Counter()
    spent: Counter[str] = Counter()
    with ProcessPoolExecutor(processes) as pool:
        running = [pool.submit(held, seed, steps, languages) for seed in range(designs)]
        for number, done in enumerate(as_completed(running), 1):
            seed, its, seconds = done.result()
            same, spent = same + its, spent + seconds
            print(f"{number} of {designs}: design {seed}, {sum(its[one] for one in languages):,} states", flush=True)
    for what, count in same.items():
        print(f"{what}: {count:,}" + (f" states the same, {spent[what]:.0f} s" if what in languages else ""))
    print(f"the package: {spent['the package']:.0f} s")


if __name__ == "__main__":
    main(*(int(word) for word in [*sys.argv[1:], *("200", "3400", "2")[len(sys.argv) - 1 :]]))
