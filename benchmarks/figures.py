"""Everything else that has to be fast or small, as ratios taken in one run.

python benchmarks/figures.py [memory]         # `memory` also plays 2 million players: minutes
"""

from __future__ import annotations

import resource
import subprocess
import sys
import time
from collections.abc import Callable

import numpy as np

import ramulus as rm
from ramulus.rules.costs import cost_curve
from ramulus.rules.evaluating import evaluate_at
from ramulus.rules.tabulation import Tabulation

LEVELS = 100_001
WAYS = {
    "formula": {"formula": "60 + 24 * (level - 1) ** 1.55"},
    "formula with a sum": {"formula": "sum(60 + i ** 0.5 for i in range(1, level + 1))"},
    "step by step": {"first": 60, "next": "previous + 3 * level ** 0.5"},
    "table": {"values": list(range(1, LEVELS))},
    "points, smooth": {"points": [[1, 60], [5000, 9000], [LEVELS, 10**7]], "between": "smooth"},
    "level from XP": {"level_from_xp": "1 + sqrt(xp / 100)"},
    "segments": {
        "segments": [{"from_level": 1, "formula": "50 * level"}, {"from_level": 50_000, "next": "previous + 1"}]
    },
}


def seconds(call: Callable[[], object], rounds: int = 5) -> float:
    """The median of a few runs after one to warm up."""
    call()
    times = []
    for _ in range(rounds):
        started = time.perf_counter()
        call()
        times.append(time.perf_counter() - started)
    return float(np.median(times))


def design(cost: dict, max_level: int, **parts: object) -> rm.Design:
    track = {"max_level": max_level, "cost": cost}
    return rm.Design.from_dict({"format": 1, "title": "bench", "tracks": {"warden": track}, **parts})


def costs() -> None:
    print(f"\n## {LEVELS - 1:,} levels\n\n| way | seconds |\n|---|---|")
    for name, cost in WAYS.items():
        one = design(cost, LEVELS)
        print(f"| {name} | {seconds(lambda one=one: cost_curve(one, 'warden'), 3):.3f} |")
    text = WAYS["formula with a sum"]["formula"]
    few, many = (seconds(lambda n=n: evaluate_at("", text, {"level": np.arange(1.0, n)})) for n in (10_001, 100_001))
    print(f"\nA sum over all levels: ten times the levels take {many / few:.1f} times as long (linear: 10).")


def awards() -> None:
    demo = rm.demo_design()
    ledger = rm.Ledger(demo)
    amounts = [7] * 100_000

    def book() -> None:
        for amount in amounts:
            ledger.award(amount)

    many = np.random.default_rng(0).integers(0, 50, 1_000_000)
    each = len(amounts) / seconds(book)
    run = seconds(lambda: rm.trace(demo, many))
    print(f"\n## Awards\n\nLedger, plain Python: {each:,.0f} awards a second.")
    print(f"Trace of 1,000,000 awards: {run:.2f} s, {1e6 / run / each:.0f} times the ledger's rate.")


def tabulate() -> None:
    sources = {f"s{i}": {"level": 1 + 2 * i, "xp": 10 + i, "toughness": 20 + i} for i in range(200)}
    players = {f"p{i}": {"traits": {"accuracy": 0.5 + 0.1 * i}} for i in range(5)}
    large = design(
        {"formula": "100 * level"}, 500, sources=sources, players=players, stats={"shear": {"base": 9, "growth": 1.01}},
        encounter={"seconds": "ceil(toughness / shear) / accuracy + 6", "success": "clip(0.96 + 0.05 * gap, 0.05, 0.99)",
                   "weight": "exp(-(gap / 60) ** 2)"},
        multipliers=[{"name": "outgrown", "factor": "clip(1 - 0.08 * gap, 0.04, 1)"}],
    )  # fmt: skip
    print(f"\n5 profiles × 500 levels × 200 sources tabulated, multipliers and awards too: "
          f"{seconds(lambda: _everything(large)):.2f} s.")  # fmt: skip


def _everything(one: rm.Design) -> None:
    tabulation = Tabulation(one)
    for name in one.profiles:
        assert tabulation.profile(name).mean_pay(tabulation.always_on).xp_per_hour.size


def start_up() -> None:
    def run(*words: str) -> float:
        return seconds(lambda: subprocess.run([sys.executable, *words], check=True, capture_output=True))

    file = "from ramulus.design import loading; import importlib.resources as r; print(r.files('ramulus.design') / 'shipped' / 'canopy.toml')"
    canopy = subprocess.run([sys.executable, "-c", file], capture_output=True, text=True, check=True).stdout.strip()
    bare, typer = run("-c", "pass"), run("-c", "import typer")
    needs = run("-c", "import typer, pydantic, numpy, pandas, rich.table")
    helps, levels = run("-m", "ramulus", "--help"), run("-m", "ramulus", "levels", canopy)
    print("\n## Start-up, whole processes\n")
    print(
        f"`--help`: {helps:.2f} s, {helps / typer:.2f} times `import typer` ({typer:.2f} s; bare Python {bare:.2f} s)."
    )
    print(
        f"`levels`: {levels:.2f} s, {levels / needs:.2f} times importing Typer, pydantic, NumPy, pandas, Rich ({needs:.2f} s)."
    )


def chance() -> None:
    demo = rm.demo_design()
    changes = {"first_cost 60 → 66": {"constants.first_cost": 66}, "no gate": {"constants.crown_gate": 0},
               "keener shears, 9 → 10": {"stats.shear.base": 10}, "surer hands": {"encounter.success": 0.97}}  # fmt: skip
    print(
        "\n## Common random numbers\n\n| change | variance of a player's difference in hours to the cap, over draws apart |\n|---|---|"
    )
    for name, change in changes.items():
        print(f"| {name} | {_kept(demo, demo.with_values(change))} |")
    ten = seconds(lambda: rm.simulate(demo, {"newcomer": 3334, "steady": 3333, "adept": 3333}, seed=1).pace(), 3)
    print(f"\n10,000 players of the demo, with their pace table: {ten:.1f} s.")


def _kept(demo: rm.Design, changed: rm.Design) -> str:
    kept = []
    for turn in range(3):
        one, same, apart = (
            rm.simulate(d, {"steady": 8192}, seed=s).arrivals("steady")[:, -1]
            for d, s in ((demo, turn), (changed, turn), (changed, turn + 100))
        )
        kept.append(np.var(same - one) / np.var(apart - one))
    return f"{np.median(kept):.3f} ({min(kept):.3f} … {max(kept):.3f})"


def people() -> None:
    """What players as people cost: the demo's steady player, plain and with each of it, in turns."""
    from loops import demo

    plain = demo()
    ability = {"players.steady.traits": {"accuracy": {"mean": 0.72, "sd": 0.14, "at_least": 0.4, "at_most": 0.98}}}
    kinds = {
        "plain": plain,
        "ability in 15 classes": plain.with_values(ability),
        "pursuit": plain.with_values({"players.steady.pursuit": 1}),
        "a limit by the day": plain.with_values({"sources.seed_errand.limit_per_day": 2}),
        "quitting": plain.with_values({"players.steady.quit_chance_per_play_day": 0.01}),
    }
    for one in kinds.values():
        rm.simulate(one, {"steady": 20})
    for name, one in kinds.items():
        pairs = [
            (
                seconds(lambda one=one: rm.simulate(one, {"steady": 2000}), 1),
                seconds(lambda: rm.simulate(plain, {"steady": 2000}), 1),
            )
            for _ in range(7)
        ]
        ratio = sorted(mine / base for mine, base in pairs)
        print(f"2,000 players, {name}: {ratio[3]:.2f} times the plain ones ({ratio[0]:.2f} … {ratio[-1]:.2f})")


def memory() -> None:
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    started = time.perf_counter()
    result = rm.simulate(rm.demo_design(), {"newcomer": 700_000, "steady": 700_000, "adept": 600_000}, seed=1)
    result.pace(interval=0.95)
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(
        f"\n## Memory\n\n2,000,000 players: peak {peak:.0f} MB ({before:.0f} MB before), {time.perf_counter() - started:.0f} s."
    )


if __name__ == "__main__":
    if "memory" in sys.argv[1:]:
        memory()
    else:
        costs()
        awards()
        tabulate()
        start_up()
        people()
        chance()
