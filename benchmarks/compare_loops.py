"""The same players played by Ramulus and by other means: speeds side by side, as ratios of one run.

    python benchmarks/compare_loops.py            # needs a C compiler and:  pip install '.[benchmark]'

The means of all must agree within the sampling error, or the script fails.
"""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from pathlib import Path

import numpy as np
from loops import c_loop, compile_c, demo, numpy_loop, python_loop, simpy_processes

import ramulus as rm

ROUNDS = 5


def kernel(design: rm.Design, players: int, seed: int, threads: int) -> tuple[np.ndarray, int]:
    """(a) The kernel on some threads."""
    with ThreadPoolExecutor(threads) as pool:
        result = rm.simulate(design, {"steady": players}, 200.0, seed, executor=pool)
    return result.arrivals("steady")[:, -1], int(result.profile("steady").totals.met.sum())


def main() -> None:
    design = demo()
    started = time.perf_counter()
    kernel(design, 2, 0, 1)
    print(f"first use (compiling, or loading what was compiled): {time.perf_counter() - started:.1f} s")
    with tempfile.TemporaryDirectory() as folder:
        library = compile_c(Path(folder))
        ways: dict[str, tuple[Callable[..., tuple[np.ndarray, int]], int]] = {
            "Ramulus, 1 thread": (partial(kernel, threads=1), 20_480),
            "Ramulus, 2 threads": (partial(kernel, threads=2), 20_480),
            "C, -O3 -march=native": (partial(c_loop, library), 20_480),
            "NumPy over players": (numpy_loop, 4_000),
            "Python loop": (python_loop, 100),
            "SimPy process a player": (simpy_processes, 100),
        }
        speeds: dict[str, list[float]] = {name: [] for name in ways}
        hours = {}
        for turn in range(ROUNDS):  # In turn, so that a machine that slows down slows all of them.
            for name, (play, players) in ways.items():
                started = time.perf_counter()
                hours[name], encounters = play(design, players, turn)
                speeds[name].append(encounters / (time.perf_counter() - started))
    _agree(hours)
    _report(speeds, hours)


def _agree(hours: dict[str, np.ndarray]) -> None:
    judge = hours["Ramulus, 1 thread"]
    for name, sample in hours.items():
        error = np.sqrt(judge.var() / len(judge) + sample.var() / len(sample))
        apart = abs(sample.mean() - judge.mean()) / error if name != "Ramulus, 1 thread" else 0.0
        if apart > 4:
            raise SystemExit(
                f"{name}: mean {sample.mean():.3f} h is {apart:.1f} standard errors off {judge.mean():.3f} h"
            )


def _report(speeds: dict[str, list[float]], hours: dict[str, np.ndarray]) -> None:
    one = np.array(speeds["Ramulus, 1 thread"])
    print("| | encounters a second, median | over Ramulus on 1 thread: median (min … max) | mean hours to the cap |")
    print("|---|---|---|---|")
    for name, values in speeds.items():
        ratio = np.array(values) / one
        error = hours[name].std() / len(hours[name]) ** 0.5
        print(
            f"| {name} | {np.median(values):,.0f} | {np.median(ratio):.3g} ({ratio.min():.3g} … {ratio.max():.3g}) "
            f"| {hours[name].mean():.2f} ± {error:.2f} |"
        )


if __name__ == "__main__":
    main()
