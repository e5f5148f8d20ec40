"""The kernel's plain path beside a plain C loop: five sources, 60 levels, no variation, failures pay nothing.

    python benchmarks/plain_design.py             # needs a C compiler

The means must agree within the sampling error, or the script fails.
"""

from __future__ import annotations

import ctypes
import subprocess
import tempfile
import time
from pathlib import Path

import numpy as np

import ramulus as rm
from ramulus.simulation.chunks import Job, play_chunk
from ramulus.simulation.world import make_stage

HERE = Path(__file__).parent
ROUNDS = 9
PLAYERS = 1024
DESIGN = rm.Design.from_dict({
    "format": 1,
    "title": "plain",
    "tracks": {"warden": {"max_level": 60, "cost": {"formula": "100 + 30 * level"}}},
    "sources": {f"s{i}": {"level": i + 1, "xp": 5 + i, "seconds": 10 + i, "success": 0.7 + 0.05 * i} for i in range(5)},
    "encounter": {"failure": {"extra_seconds": 7}},
})  # fmt: skip


class _Plain(ctypes.Structure):
    _fields_ = (
        [(name, ctypes.c_int64) for name in ("levels", "sources")]
        + [(name, ctypes.c_void_p) for name in ("running", "success", "seconds", "xp", "cost")]
        + [(name, ctypes.c_double) for name in ("extra_seconds", "between")]
    )


def kernel(seed: int) -> tuple[np.ndarray, int, float]:
    """One chunk of players on this thread: hours at the cap, encounters, seconds it took."""
    job = Job(make_stage(DESIGN, "players", 1000.0, 10**9), seed, 0, 0, PLAYERS, np.zeros(1, np.int8))
    started = time.perf_counter()
    tally = play_chunk(job).tally
    return tally.arrival[:, -1] / 3600, int(tally.met.sum()), time.perf_counter() - started


def c_loop(library: ctypes.CDLL, seed: int) -> tuple[np.ndarray, int, float]:
    """As many players by the C loop."""
    sources = list(DESIGN.sources.values())
    arrays = {
        "running": np.arange(1.0, 6.0),
        "success": np.array([float(source.success) for source in sources]),
        "seconds": np.array([float(source.seconds) for source in sources]),
        "xp": np.array([int(source.xp) for source in sources]),
        "cost": np.array([100 + 30 * level for level in range(1, 60)]),
    }
    about = _Plain(59, 5, *(arrays[name].ctypes.data for name in arrays), 7.0, 0.0)
    hours, count = np.zeros(PLAYERS), np.zeros(1, np.int64)
    met, won = np.zeros((59, 5), np.int64), np.zeros((59, 5), np.int64)
    pointers = [array.ctypes.data_as(ctypes.c_void_p) for array in (hours, met, won, count)]
    started = time.perf_counter()
    library.play(ctypes.byref(about), ctypes.c_int64(PLAYERS), ctypes.c_uint64(seed), *pointers)
    return hours, int(count[0]), time.perf_counter() - started


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        target = str(Path(folder) / "plain_loop.so")
        flags = ["-O3", "-march=native", "-shared", "-fPIC"]
        subprocess.run(["cc", *flags, str(HERE / "plain_loop.c"), "-o", target], check=True)
        library = ctypes.CDLL(target)
        kernel(0)
        ours, theirs, ratios = [], [], []
        for turn in range(ROUNDS):  # In turns, so that a machine that slows down slows both.
            one, other = kernel(turn), c_loop(library, turn + 1)
            error = np.sqrt(one[0].var() / PLAYERS + other[0].var() / PLAYERS)
            assert abs(one[0].mean() - other[0].mean()) < 4.5 * error, (one[0].mean(), other[0].mean(), error)
            ours.append(one[2] / one[1] * 1e9)
            theirs.append(other[2] / other[1] * 1e9)
            ratios.append(theirs[-1] / ours[-1])
    print(f"kernel {np.median(ours):.1f} ns an encounter, C {np.median(theirs):.1f} ns; encounters a second over C's: ")
    print(f"{np.median(ratios):.2f} ({min(ratios):.2f} … {max(ratios):.2f})")


if __name__ == "__main__":
    main()
