"""A Dask cluster of processes on this machine: what a chunk sends, how busy workers are, one killed on the way, same bits.

    python benchmarks/cluster.py [PLAYERS] [PROCESSES] [THREADS]

It needs the extra `cluster`.
"""

from __future__ import annotations

import os
import pickle
import signal
import sys
import threading
import time

import numpy as np
from distributed import Client

import ramulus as rm
from ramulus.simulation.chunks import Job
from ramulus.simulation.in_flight import packed
from ramulus.simulation.world import make_stage


def bits(result: rm.SimulationResult) -> list[bytes]:
    """Return what was played, as bytes."""
    return [part.pace().to_csv().encode() for part in (result,)] + [
        one.totals.income.tobytes() for one in result.played.profiles.values()
    ]


def busy(client: Client) -> float:
    """Return the seconds that all workers together have spent computing."""
    streams = client.get_task_stream()
    return sum(
        piece["stop"] - piece["start"]
        for task in streams
        for piece in task["startstops"]
        if piece["action"] == "compute"
    )


def main(players: int, processes: int, threads: int) -> None:
    """Play on threads here, then on the cluster, then once more with a worker killed."""
    design = rm.demo_design()
    job = Job(packed(make_stage(design, "adept", 200, 10**6)), 7, 0, 0, 1024, np.zeros(1, np.int8))
    print(f"a job: {len(pickle.dumps(job)) / 1000:.0f} kB")
    begun = time.perf_counter()
    here = rm.simulate(design, players, seed=7)
    print(f"{players:,} players of each profile on threads: {time.perf_counter() - begun:.1f} s")
    with Client(n_workers=processes, threads_per_worker=threads, dashboard_address=None) as client:
        executor = client.get_executor()
        rm.simulate(design, 200, seed=1, executor=executor)  # Kernels are loaded.
        client.get_task_stream()
        begun, before = time.perf_counter(), busy(client)
        there = rm.simulate(design, players, seed=7, executor=executor)
        spent = time.perf_counter() - begun
        idle = 1 - (busy(client) - before) / (spent * processes * threads)
        print(
            f"on {processes} x {threads}: {spent:.1f} s, workers idle {idle:.0%}, same bits: {bits(here) == bits(there)}"
        )
        victim = next(iter(client.run(os.getpid).values()))
        threading.Timer(spent / 3, os.kill, (victim, signal.SIGKILL)).start()
        hurt = rm.simulate(design, players, seed=7, executor=executor)
        print(f"with a worker killed on the way, same bits: {bits(here) == bits(hurt)}")


if __name__ == "__main__":
    main(*(int(word) for word in (sys.argv[1:] + ["20000", "4", "2"][len(sys.argv) - 1 :])))
