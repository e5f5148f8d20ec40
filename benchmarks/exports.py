"""Exported code in every language against the ledger and the tables, over random designs.

    python benchmarks/exports.py [DESIGNS] [STEPS]       # 200 and 10,000: about half an hour

Each design is another mix of costs, rules at a threshold, stats, upgrades, sources and multipliers; each step is an award, a
loss, an encounter with its circumstances, or a save that is loaded. States must be equal after every step, or the script
fails. Needs what builds and runs the languages; what is missing is said and left out.
"""

from __future__ import annotations

import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

import game_runs
import ramulus as rm

FLAGS = "-O3 -march=native"


def main(designs: int, steps: int) -> None:
    """Compare some designs, and print how many steps were the same."""
    languages = [language for language in game_runs.BUILDS if not game_runs.missing(language)]
    print("without:", ", ".join(set(game_runs.BUILDS) - set(languages)) or "none")
    game_runs.BUILDS["cpp"] = ((game_runs.CPP.format(flags=FLAGS),), "./harness")
    same: Counter[str] = Counter()
    spent: Counter[str] = Counter()
    refused = 0
    for seed in range(designs):
        try:
            design = game_runs.game_design(seed)
            runs = game_runs.runs(design, seed, steps)
        except rm.DesignError:  # Its "add" rules come to less than nothing.
            refused += 1
            continue
        with tempfile.TemporaryDirectory() as folder:
            rm.export(design, folder, languages, name="canopy")
            for language in languages:
                started = time.monotonic()
                same[language] += game_runs.compared(design, Path(folder), language, runs)
                spent[language] += time.monotonic() - started
    for language in languages:
        print(f"{language}: {designs - refused} designs, {same[language]:,} states the same, {spent[language]:.0f} s")


if __name__ == "__main__":
    main(*(int(word) for word in (sys.argv[1:] or ["200", "10000"])))
