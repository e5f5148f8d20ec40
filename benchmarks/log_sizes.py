"""How long a log takes to be summarised, and how much memory: our reader beside pandas, in one run, a process each.

    python benchmarks/log_sizes.py [MILLIONS]       # 10 million rows: some minutes, most of them to make the log up

Each summary is when every player reached every level. It writes the log to a temporary folder, 25 MB a million rows.
"""

from __future__ import annotations

import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

ROWS_A_PLAYER = 1_000


def made(path: Path, millions: float) -> None:
    """Make up a log of about so many million rows."""
    import ramulus as rm

    made = rm.sample_log(rm.demo_design(), path, players=int(millions * 1e6 / ROWS_A_PLAYER), days=40)
    print(f"{made.awards / 1e6:.1f} million awards of {made.players:,} players, {path.stat().st_size / 1e6:,.0f} MB")


def ours(path: str) -> None:
    """Read the log in batches, and follow every player through it."""
    import ramulus as rm
    from ramulus.recorded.seen import seen_in

    design = rm.demo_design()
    log = rm.read_log(path, design)
    seen = seen_in(design, log.batches(), 0, log.longest_pause)
    print(len(seen), "players,", float(np.nanmedian(seen.arrival[:, 10])) / 3600, "h to level 11")


def with_pandas(path: str) -> None:
    """The same with pandas: sorted, gaps within sittings added up, the first time at each level."""
    import pandas as pd

    table = pd.read_parquet(path, columns=["player", "time", "track", "level"]).sort_values(
        ["player", "time"], kind="stable"
    )
    gap = table["time"].diff().dt.total_seconds()
    gap[(table["player"] != table["player"].shift()) | (gap > 1800)] = 0.0
    table["clock"] = gap.groupby(table["player"]).cumsum()
    main = table[table["track"] == "warden"]
    first = main.groupby(["player", "level"])["clock"].first()
    print(main["player"].nunique(), "players,", float(first[:, 11].median()) / 3600, "h to level 11")


def main(millions: float) -> None:
    """Measure both."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "log.parquet"
        made(path, millions)
        for name in ("ours", "with_pandas", "ours", "with_pandas"):
            begun = time.monotonic()
            done = subprocess.run(
                [sys.executable, __file__, name, str(path)], check=True, capture_output=True, text=True
            )
            seconds, rest = time.monotonic() - begun, done.stdout.strip().splitlines()
            print(f"{name}: {seconds:.1f} s, {rest[-1]} at most; {rest[0]}")


if __name__ == "__main__":
    if len(sys.argv) > 2:
        globals()[sys.argv[1]](sys.argv[2])
        print(f"{resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6:.2f} GB")
    else:
        main(float(sys.argv[1]) if len(sys.argv) > 1 else 10.0)
