"""The same simulation on threads, on processes and on a Dask cluster: the same bits each time.

Run it as it stands:  python examples/many_machines.py
The Dask part needs the extra `cluster`; pass the address of a scheduler to use a real one.
"""

import sys
from concurrent.futures import ProcessPoolExecutor

import ramulus as rm


def main(address: str | None = None) -> None:
    design = rm.demo_design()
    threads = rm.simulate(design, players=3000, seed=7)
    with ProcessPoolExecutor(2) as pool:
        processes = rm.simulate(design, players=3000, seed=7, executor=pool)
    print("processes give the same bits:", threads.pace().equals(processes.pace()))
    try:
        from distributed import Client
    except ImportError:
        print("no Dask here; python -m pip install 'ramulus[cluster]'")
        return
    with Client(address) if address else Client(n_workers=2, threads_per_worker=1, dashboard_address=None) as client:
        cluster = rm.simulate(design, players=3000, seed=7, executor=client.get_executor())
    print("Dask gives the same bits:", threads.pace().equals(cluster.pace()))


if __name__ == "__main__":
    main(*sys.argv[1:2])
