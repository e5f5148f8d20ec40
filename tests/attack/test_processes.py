"""Attacks on whole processes: outputs that take nothing, and signals at any time."""

from __future__ import annotations

import os
import random
import re
import resource
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from attack.budget import Budget
from ramulus.design import demo_text

COMPILES = 200  # s; what cannot be kept is compiled anew, on a machine that has other things to do.
RUN = [sys.executable, "-m", "ramulus"]
WRITES = [
    ["levels", "d.toml", "-o", "out.csv"], ["levels", "d.toml", "-o", "out.json"], ["levels", "d.toml", "-o", "out.xlsx"],
    ["levels", "d.toml", "-o", "out.parquet"], ["simulate", "d.toml", "--players", "9", "-o", "out.csv"],
    ["check", "d.toml", "--format", "sarif", "-o", "out.sarif"], ["check", "d.toml", "--format", "junit", "-o", "out.xml"],
    ["plot", "d.toml", "costs", "-o", "out.png"], ["plot", "d.toml", "costs", "-o", "out.svg"],
    ["plot", "d.toml", "costs", "-o", "out.pdf"], ["report", "d.toml", "--players", "9", "-o", "out.html"],
    ["new", "out.toml", "--schema"], ["schema", "-o", "out.schema.json"], ["demo", "out", "--players", "9"],
    ["tune", "d.toml", "--vary", "crown_gate", "--players", "15", "--write", "--force"],
]  # fmt: skip
SHOWS = [
    ["levels", "d.toml"],
    ["check", "d.toml"],
    ["--help"],
    ["--version"],
    ["schema"],
    ["levels", "no.toml"],
    ["levels", "--nothing"],
]
STREAMS = (
    "",
    ">&-",
    "2>&-",
    ">&- 2>&-",
    "<&- >&- 2>&-",
    ">/dev/full",
    "2>/dev/full",
    ">/dev/full 2>/dev/full",
    "| head -c 10",
)


def folder_of(tmp_path: Path, number: int) -> Path:
    folder = tmp_path / str(number)
    folder.mkdir()
    (folder / "d.toml").write_text(demo_text(), encoding="utf-8")
    return folder


def out_of(words: list[str]) -> str:
    return next((word for word in words if word.startswith("out")), "d.toml")


def no_room(dice: random.Random, folder: Path, words: list[str]) -> int | None:
    """Make the output a place that cannot be written; returns how many bytes a file may have, where it is that."""
    out = folder / out_of(words)
    ways = ["small", "small"] if out.name == "d.toml" else ["small", "folder", "lost", "circle", "unwritable"]
    how = dice.choice(ways)
    if how == "small":
        return dice.choice((0, 1, 100, 3000))
    if how == "folder":
        (out / "in_it").mkdir(parents=True)
    elif how == "lost":
        out.symlink_to(folder / "no_folder" / "x")
    elif how == "circle":
        out.symlink_to(out)
    else:
        folder.chmod(0o500)
    return None


@pytest.mark.attack(4, hangs_after=2 * COMPILES)
def test_output_that_cannot_be_written(budget: Budget, tmp_path):
    for dice in budget:
        folder, words = folder_of(tmp_path, budget.done), dice.choice(WRITES if dice.random() < 0.1 else WRITES[:4])
        most = no_room(dice, folder, words)
        before = listed(folder)

        def limited(most: int | None = most) -> None:
            if most is not None:
                resource.setrlimit(resource.RLIMIT_FSIZE, (most, most))

        ran = subprocess.run(
            [*RUN, *words], cwd=folder, capture_output=True, text=True, timeout=COMPILES, preexec_fn=limited
        )  # fmt: skip
        folder.chmod(0o700)
        assert ran.returncode in (0, 1), (words, ran)
        assert "Traceback" not in ran.stderr and "ignored" not in ran.stderr, (words, ran)
        if ran.returncode == 1:
            said = [line for line in ran.stderr.splitlines() if line and not line.startswith("warning: ")]
            assert len(said) == 1 and said[0].startswith("error: "), (words, said)
            assert listed(folder) == before, (words, most)
        assert not [path for path in folder.rglob("*") if path.name.startswith(".")], words
        shutil.rmtree(folder)


def listed(folder: Path) -> dict[str, bytes | None]:
    return {
        str(path.relative_to(folder)): path.read_bytes() if path.is_file() else None
        for path in sorted(folder.rglob("*"))
    }


@pytest.mark.attack(4, hangs_after=2 * COMPILES)
def test_streams_that_take_nothing(budget: Budget, tmp_path):
    for dice in budget:
        folder, words, streams = (
            folder_of(tmp_path, budget.done),
            dice.choice([*SHOWS, *WRITES[:4]]),
            dice.choice(STREAMS),
        )
        plain = subprocess.run([*RUN, *words], cwd=folder, capture_output=True, timeout=COMPILES)
        for path in folder.glob("out*"):
            path.unlink()
        command = f"{sys.executable} -m ramulus {' '.join(words)} {streams}"
        ran = subprocess.run(
            ["bash", "-o", "pipefail", "-c", command],
            cwd=folder,
            capture_output=True,
            text=True,
            timeout=COMPILES,
        )
        shown = plain.stdout and (">&-" in streams.replace("2>&-", "") or re.search(r"(^| )>/dev/full", streams))
        ends = {1 if shown else plain.returncode, *([128 + signal.SIGPIPE] if "|" in streams else [])}
        assert ran.returncode in ends, (words, streams, ran)
        assert "Traceback" not in ran.stderr and "Exception" not in ran.stderr, (words, streams, ran)
        assert (folder / out_of(words)).exists() == (out_of(words) == "d.toml" or plain.returncode == 0), (
            words,
            streams,
        )
        shutil.rmtree(folder)


@pytest.mark.attack(8, hangs_after=2 * COMPILES)
def test_signals_at_any_time(budget: Budget, tmp_path):
    for dice in budget:
        folder, words = (
            folder_of(tmp_path, budget.done),
            dice.choice(WRITES if dice.random() < 0.1 else [*WRITES[:9], *SHOWS[:2]]),
        )
        sent, after = dice.choice((signal.SIGINT, signal.SIGTERM)), dice.uniform(0.0, dice.choice((0.3, 1.0, 4.0)))
        process = subprocess.Popen(
            [*RUN, *words], cwd=folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
        )
        time.sleep(after)
        process.send_signal(sent)
        asked = time.monotonic()
        _, said = process.communicate(timeout=COMPILES)
        # Before the first line of ours the interpreter itself is at work, and says what it likes.
        ours = "ramulus/cli" in said or "stopped" in said or "wrote" in said or process.returncode in (0, 130, 143)
        if ours:
            assert process.returncode in (0, 128 + sent), (words, sent, after, process.returncode, said)
            assert "Traceback" not in said and "ignored" not in said, (words, sent, after, said)
        else:
            assert after < 0.5, (words, sent, after, process.returncode, said)
        assert process.returncode == 0 or time.monotonic() - asked < 10, (words, sent, after)
        left = [path.name for path in folder.rglob("*") if path.name.startswith(".")]
        assert not left, (words, sent, after, left)
        shutil.rmtree(folder)


@pytest.mark.attack(1, hangs_after=2 * COMPILES)
def test_an_ordinary_user_where_nothing_can_be_written(budget: Budget, tmp_path):
    somebody = {"user": "nobody", "group": "nogroup", "extra_groups": ()}
    try:
        subprocess.run([sys.executable, "-c", "import ramulus"], check=True, capture_output=True, cwd="/", **somebody)
    except (OSError, LookupError, subprocess.CalledProcessError):
        pytest.skip("whoever runs this may not be somebody else, or nobody else may read this Python")
    for dice in budget:
        folder, words = folder_of(tmp_path, budget.done), dice.choice(WRITES if dice.random() < 0.1 else WRITES[:4])
        for path in (folder, *folder.parents):
            if path.stat().st_uid == os.geteuid() and path != Path("/"):
                path.chmod(path.stat().st_mode | 0o055)
        env = {name: value for name, value in os.environ.items() if name not in ("NUMBA_CACHE_DIR", "MPLCONFIGDIR")}
        before = listed(folder)
        ran = subprocess.run(
            [*RUN, *words], cwd=folder, capture_output=True, text=True, timeout=COMPILES,
            env={**env, "HOME": "/nonexistent"}, **somebody,
        )  # fmt: skip
        assert ran.returncode == 1 and "Traceback" not in ran.stderr, (words, ran)
        assert "error: " in ran.stderr and "cannot be written" in ran.stderr, (words, ran)
        assert listed(folder) == before, words
        shutil.rmtree(folder)
