"""What is waited for before anything is played: kernels, loading, vectors, the first commands; commits in turns.

    python benchmarks/first_uses.py src ../before/src       # ROUNDS rounds of each folder of sources

CPU seconds of fresh processes, and their ratios over the last folder, least of the rounds each. A kernel is compiled into
a folder that is empty, and loaded from it by the next process; an export finds the vectors of the demo.
"""

from __future__ import annotations

import json
import os
import resource
import subprocess
import sys
import tempfile

ROUNDS, TIMES = 3, 5
COMMANDS = ("--help", "levels demo.toml", "gain demo.toml", "check demo.toml", "simulate demo.toml --players 200")
SIMULATE = """
import json, time
import ramulus as rm
from ramulus.results import beforehand, simulate
designs = [rm.demo_design()]
if {kinds}:
    designs += [beforehand.design_for(one) for one in beforehand.KINDS if not one.logged][:2]
begun = time.process_time()
for one in designs:
    rm.simulate(one, 1, hours=1)
print(json.dumps(time.process_time() - begun))
"""
EXPORT = """
import json, time
import ramulus as rm
from ramulus.game import exported
design = rm.demo_design()
begun = time.process_time()
exported(design, ["python"])
print(json.dumps(time.process_time() - begun))
"""


def seconds_of(script: str, sources: str, cache: str) -> float:
    """Return the CPU seconds that a script measures in a process of its own."""
    environment = os.environ | {"PYTHONPATH": os.path.abspath(sources), "NUMBA_CACHE_DIR": cache}
    ran = subprocess.run([sys.executable, "-c", script], env=environment, capture_output=True, text=True, check=True)
    return float(json.loads(ran.stdout))


def seconds_of_command(words: str, sources: str, folder: str) -> float:
    """Return the CPU seconds of a command on the demo design, all of it, the least of some times."""
    environment = os.environ | {"PYTHONPATH": os.path.abspath(sources)}
    ran = [sys.executable, "-c", "import ramulus; ramulus.demo_design().save('demo.toml')"]
    subprocess.run(ran, env=environment, cwd=folder, check=True)
    spent = []
    for _ in range(TIMES):
        before = resource.getrusage(resource.RUSAGE_CHILDREN)
        ran = [sys.executable, "-m", "ramulus", *words.split()]
        subprocess.run(ran, env=environment, cwd=folder, check=True, capture_output=True)
        after = resource.getrusage(resource.RUSAGE_CHILDREN)
        spent.append(after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime)
    return min(spent)


def one_round(sources: str) -> dict[str, float]:
    """Return what each first use takes."""
    alone, three = SIMULATE.format(kinds=False), SIMULATE.format(kinds=True)
    with tempfile.TemporaryDirectory() as cache, tempfile.TemporaryDirectory() as other:
        return {
            "compiling the demo's kernel": seconds_of(alone, sources, cache),
            "loading it": seconds_of(alone, sources, cache),
            "compiling three kernels": seconds_of(three, sources, other),
            "exporting the demo": seconds_of(EXPORT, sources, cache),
            **{words: seconds_of_command(words, sources, cache) for words in COMMANDS},
        }


def main(folders: list[str]) -> None:
    """Print what each folder's sources take, and the ratios."""
    found: dict[str, list[dict[str, float]]] = {folder: [] for folder in folders}
    for _ in range(ROUNDS):
        for folder in folders:
            found[folder].append(one_round(folder))
    for what in found[folders[0]][0]:
        least = [min(row[what] for row in found[folder]) for folder in folders]
        print(f"{what}: " + ", ".join(f"{seconds:.2f} s ({seconds / least[-1]:.2f})" for seconds in least))


if __name__ == "__main__":
    main(sys.argv[1:] or ["src"])
