"""A new user's first hour, step by step from an empty folder, and how long each command takes.

    python benchmarks/first_hour.py

Each step is a command and what a new user looks for in its output; a test runs the same steps. Files are written as a
user would with an editor.
"""

from __future__ import annotations

import os
import shlex
import statistics
import subprocess
import sys
import tempfile
import time
from dataclasses import dataclass
from pathlib import Path

ROUNDS = 3


@dataclass(frozen=True)
class Step:
    """A command, its exit status, what its output must hold, and files that are put there before."""

    command: str
    says: str
    status: int = 0
    writes: tuple[tuple[str, str], ...] = ()


def design(cost: str, more: str = "") -> str:
    """A design file of a few lines."""
    return (
        f'format = 1\ntitle = "Wardens"\n[constants]\nfirst_cost = 50\n[tracks.warden]\nmax_level = 12\n'
        f"[tracks.warden.cost]\n{cost}\n{more}"
    )


PLAYING = """[stats.shear]
values = [10, 12, 15]
beyond = "hold"
[sources.patch]
level = 1
xp = 12
bark = 30
[sources.errand]
level = 3
xp = 60
bark = 0
limit = 4
[encounter]
seconds = "ceil(bark / shear) * 3 + 8"
[players.steady]
hours_per_day = 1
days_per_week = 5
"""

STEPS = (
    # Messages that help: a spreadsheet's habits, and what is missing.
    Step("check mine.toml", "format = 1", 1, (("mine.toml", 'title = "Wardens"\n'),)),
    Step("levels mine.toml", "did you mean '100*level'", 1, (("mine.toml", design('formula = "=100*level"')),)),
    Step(
        "levels mine.toml", "did you mean '5 if level > 10 else 3'", 1,
        (("mine.toml", design('formula = "if(level > 10, 5, 3)"')),),
    ),
    Step("levels mine.toml", "did you mean '50 * 1.12 ** level'", 1, (("mine.toml", design('formula = "50 * 1,12 ^ level"')),)),
    Step("levels mine.toml", "did you mean 'first_cost * level ** 2'", 1, (("mine.toml", design('formula = "first_cost * level²"')),)),
    # It works; try a number, and check one by hand.
    Step("levels mine.toml", "6,050", 0, (("mine.toml", design('formula = "first_cost * level ** 2"')),)),
    Step("levels mine.toml --set first_cost=60", "7,260"),
    Step("levels mine.toml --set frist_cost=60", "did you mean 'first_cost'", 2),
    Step("explain mine.toml tracks.warden.cost --level 3", "450 XP"),
    # Rounding to tens, a stat's list that holds.
    Step(
        "levels mine.toml --columns level,cost,shear", "1,590", 0,
        (("mine.toml", design('formula = "first_cost * level ** 1.443"\nrounding = "nearest"\nrounding_to = 10', PLAYING)),),
    ),
    Step("explain mine.toml stats.shear --level 9", "stats.shear.values"),
    # Costs from a spreadsheet of one's own.
    Step(
        "levels theirs.toml", "180", 0,
        (
            ("costs.csv", "What wardens pay;;\nStufe;XP to next;note\n1;60;a\n2;90;\n3;120;\n4;180;\n"),
            (
                "theirs.toml",
                'format = 1\ntitle = "T"\n[tracks.w]\nmax_level = 5\n[tracks.w.cost]\nfile = "costs.csv"\n'
                'columns = { level = "Stufe", cost = "XP to next" }\n',
            ),
        ),
    ),
    Step("levels theirs.toml --set tracks.w.cost.columns.level=Level", "the columns are: stufe, xp to next, note", 1),
    # Levels from XP, both ways; awards.
    Step("levels mine.toml --at-xp 1234", "1,234 XP in all pays for level 5 and leaves 434 of the 510 XP"),
    Step("award mine.toml --source patch --times 5", "Level 2 · 10 / 140"),
    Step("award mine.toml --awards got.csv --also carry=0,at_cap=bank --also carry=0.5", "carry=0,at_cap=bank: ends at", 0, (("got.csv", "xp\n40\n70\n"),)),
    Step("gain mine.toml --from 3 --to 3", "errand"),
    Step("effort mine.toml --from 3 --to 3", "Uses that run out are not counted: errand (4 times)"),
    # Players, at a glance and by some hour.
    Step("check mine.toml", "mine.toml:"),
    Step("simulate mine.toml --players 500", "slowest: level"),
    Step("simulate mine.toml --players 500 --all", "hours to the"),
    Step("simulate mine.toml --players 500 --at-hours 2", "there or"),
    # Out to the game.
    Step("levels mine.toml --format records --columns level,cost,total", '"cost": 50, "total": 0'),
    Step("levels mine.toml --output levels.csv --columns level,cost,shear", ""),
    Step("levels mine.toml --all-tracks --output levels.json", ""),
    # A starter of one's own, with what editors read.
    Step("new starter.toml --schema", ""),
    Step("check starter.toml --strict", "nothing to say"),
)  # fmt: skip


def write(step: Step, folder: Path) -> None:
    """Put a step's files there."""
    for name, text in step.writes:
        (folder / name).write_text(text, encoding="utf-8")


def main() -> None:
    """Run every step a few times and print the median time of each."""
    taken: dict[int, list[float]] = {}
    for _ in range(ROUNDS):
        with tempfile.TemporaryDirectory() as name:
            for index, step in enumerate(STEPS):
                write(step, Path(name))
                began = time.perf_counter()
                words = [sys.executable, "-m", "ramulus", *shlex.split(step.command)]
                ran = subprocess.run(
                    words, cwd=name, capture_output=True, text=True, env={**os.environ, "COLUMNS": "100"}
                )
                taken.setdefault(index, []).append(time.perf_counter() - began)
                assert ran.returncode == step.status, (step, ran.stderr)
    for index, step in enumerate(STEPS):
        print(f"{statistics.median(taken[index]):6.2f} s  ramulus {step.command}")
    print(f"{sum(map(statistics.median, taken.values())):6.2f} s  in all")


if __name__ == "__main__":
    main()
