"""The command line, as a designer uses it: tables, files, errors and exit statuses."""

from __future__ import annotations

import _thread
import json
import os
import signal
import subprocess
import sys
import threading
from pathlib import Path

import pandas as pd
import pytest

import ramulus as rm

COLUMNS = {
    "levels": "level cost total growth resilience shear windup",
    "award 40 40 90": "step source amount level_before level levels_gained kept wasted xp cost progress points earned label",
    "award --source bark_borer --times 3 --level 8": "step source amount level_before level levels_gained kept wasted xp cost progress points earned label",
    "simulate --players 20 --hours 3": "player level reached hours_p10 hours_p50 hours_p90 encounters_p50 days_p50 hours_in_level_p50 calendar_day_p50 still_playing",
    "gain": "player level source base factor award outgrown blossom·week market·day catch-up",
    "effort": "player level source chance seconds success award xp_per_hour cuts falls",
    "party --encounters 5": "encounter member hours_p50 level_p10 level_p50 level_p90",
    "check": "code severity place level reason way_out",
    "explain tracks.warden.cost --level 7": "step expression put_in value note",
}


def split(command):
    name, *rest = command.split()
    return name, rest


@pytest.mark.parametrize("command", COLUMNS)
def test_every_table_in_every_format(cli, canopy, tmp_path, command):
    name, rest = split(command)
    columns = [word.replace("·", " ") for word in COLUMNS[command].split()]
    shown = cli(name, canopy, *rest)
    assert shown.status == 0 and shown.out.strip()
    assert max(map(len, shown.out.splitlines())) <= 100
    as_json = cli(name, canopy, *rest, "--format", "json")
    data = json.loads(as_json.out)
    assert data["command"] == name
    assert list(data["rows"][0]) == columns
    as_csv = cli(name, canopy, *rest, "--format", "csv")
    assert as_csv.out.splitlines()[0] == ",".join(columns)
    assert len(as_csv.out.splitlines()) > len(data["rows"])
    for ending, read in {"csv": pd.read_csv, "xlsx": pd.read_excel, "parquet": pd.read_parquet}.items():
        file = tmp_path / f"out.{ending}"
        ran = cli(name, canopy, *rest, "--output", file)
        assert ran.status == 0 and ran.out == "" and "wrote" in ran.err
        assert list(read(file).columns) == columns
    assert "NaN" not in as_json.out


def test_levels_as_json_is_the_table(cli, canopy):
    rows = json.loads(cli("levels", canopy, "--format", "json").out)["rows"]
    assert rows[0] == {"level": 1, "cost": 60, "total": 0, "growth": None, "resilience": 80, "shear": 9, "windup": 1.4}
    assert len(rows) == 40 and rows[-1]["cost"] is None
    some = cli("levels", canopy, "--from", 19, "--to", 21, "--player", "steady", "--set", "constants.crown_gate=0")
    assert "5,362" not in some.out and "2,362" in some.out
    assert "Grows about" in some.out


def test_awards_from_a_file_and_rules_side_by_side(cli, canopy, tmp_path):
    awards = tmp_path / "awards.txt"
    awards.write_text("40, 40\n90  # a good one\n\n")
    shown = cli("award", canopy, "--awards", awards)
    assert "Level 3 · 26 / 130" in shown.out
    assert "3 awards of 170 XP in all: 2 levels gained, 0 XP wasted (0.0%)." in shown.out
    both = cli("award", canopy, 40, 400, "--also", "carry=0", "--also", "level_ups_per_award=one")
    assert "carry=0: ends at level 2, 380 XP wasted" in both.out
    chain = cli("award", canopy, "--source", "bark_borer", "--level", 10, "--during", "blossom week")
    assert "base 34 × outgrown 0.76 × blossom week 1.5 = 38.76 rounded down = 38" in chain.out
    awards.write_text("40\nforty\n")
    faulty = cli("award", canopy, "--awards", awards)
    assert faulty.status == 1 and "awards.txt: line 2: 'forty'" in faulty.err


@pytest.mark.parametrize(
    ("words", "status", "said"),
    [
        (["levels", "nope.toml"], 1, "nope.toml: no such file"),
        (["levels", "FILE", "--set", "constants.stepness=2"], 2, "did you mean 'constants.steepness'"),
        (["levels", "FILE", "--set", "steepness"], 2, "NAME=VALUE"),
        (["levels", "FILE", "--set", "constants.steepness=x"], 1, "constants.steepness: the name 'x' is no constant"),
        (["levels", "FILE", "--set", "tracks.warden.cost.formula='2 ^ level'"], 1, "'**' for powers"),
        (["levels", "FILE", "--track", "wardn"], 2, "did you mean 'warden'"),
        (["levels", "FILE", "--from", "99"], 2, "1 … 40"),
        (["levels", "FILE", "--output", "x.doc"], 2, "allowed: .csv, .json, .xlsx, .parquet"),
        (["levels"], 2, "Missing argument"),
        (["levles"], 2, "levles"),
        (["simulate", "FILE", "--players", "0"], 2, "--players"),
        (["simulate", "FILE", "--player", "stedy"], 2, "did you mean 'steady'"),
        (["award", "FILE", "--", "-x"], 2, "loss 1: 'x'"),
        (["award", "FILE", "nan"], 2, "'nan'"),
        (["award", "FILE"], 2, "no awards"),
        (["award", "FILE", "--source", "borer"], 2, "did you mean 'bark_borer'"),
        (["award", "FILE", "5", "--also", "carry=7"], 1, "carry"),
        (["award", "FILE", "5", "--also", "cary=0"], 2, "did you mean 'tracks.warden.overflow.carry'"),
        (["explain", "FILE", "encounter.secnds", "--level", "3"], 2, "did you mean 'encounter.seconds'"),
        (["explain", "FILE", "tracks.warden.cost", "--level", "40"], 1, "allowed: 1 … 39"),
        (["plot", "FILE", "pace", "--output", "x.bmp"], 2, "allowed: .png, .svg, .pdf"),
        (["simulate", "FILE", "--players", "9999999", "-o", "x.jsn"], 2, "did you mean '.json'"),
        (["simulate", "FILE", "--players", "9999999", "-o", "no/folder.csv"], 1, "there is no folder no"),
        (["report", "FILE", "--output", "x.txt"], 2, "allowed: .html, .htm"),
        (["plot", "FILE", "awards"], 2, "--award"),
        (["new", "FILE"], 1, "--force"),
        (["gain", "FILE", "--during", "blossom"], 2, "did you mean 'blossom week'"),
    ],
)
def test_mistakes_are_one_clear_error(cli, canopy, tmp_path, monkeypatch, words, status, said):
    monkeypatch.chdir(tmp_path)
    ran = cli(*[canopy if word == "FILE" else word for word in words])
    assert (ran.status, ran.out) == (status, "")
    assert said in " ".join(ran.err.split())
    assert "Traceback" not in ran.err
    assert [path.name for path in tmp_path.iterdir()] == ["canopy.toml"]


def test_check_says_what_is_wrong_and_how_bad(cli, canopy, tmp_path):
    fine = cli("check", canopy)
    assert fine.status == 0 and "warning cost-wall at tracks.warden.cost" in fine.out
    assert cli("check", canopy, "--strict").status == 1
    bad = tmp_path / "bad.toml"
    bad.write_text(canopy.read_text().replace("max_level = 40", "max_levl = 40").replace("steepness +", "steepnes +"))
    ran = cli("check", bad, "--format", "json")
    assert ran.status == 1
    codes = {row["code"]: row for row in json.loads(ran.out)["rows"]}
    assert "max_level" in codes["unknown-key"]["way_out"]
    missing = cli("check", tmp_path / "none.toml")
    assert missing.status == 1 and "no such file" in missing.out


def test_a_part_that_is_missing_comes_with_its_smallest_example(cli, canopy, tmp_path):
    small = tmp_path / "small.toml"
    small.write_text('format = 1\ntitle = "t"\n[tracks.a]\nmax_level = 3\ncost.formula = "10"\n')
    assert cli("levels", small).status == 0
    assert cli("check", small).status == 0
    ran = cli("simulate", small)
    assert ran.status == 1 and "sources: missing" in ran.err
    example = ran.err.split("example:")[1].strip()
    small.write_text(small.read_text() + example + "\n")
    assert cli("simulate", small, "--players", 3).status == 0


def test_new_writes_a_design_that_plays(cli, tmp_path):
    file = tmp_path / "mine.toml"
    assert cli("new", file).status == 0
    assert cli("check", file, "--strict").status == 0
    assert "newcomer" in cli("simulate", file, "--players", 5).out
    schema = json.loads(cli("schema").out)
    assert schema["title"] == "Ramulus design file" and cli("--version").out.startswith(
        f"ramulus {rm.__version__}\nPython "
    )


OPTIONS = {
    "awards": ["--award", 90, "--times", 4], "party": ["--parties", 20], "compare": ["--variant", "crown_gate=0"],
    "sensitivity": ["--vary", "crown_gate", "--players", 15], "skill-or-luck": ["--players", 300],
}  # fmt: skip
WITHOUT_PLAY = ("costs", "awards", "stats", "effort", "income", "gain", "party")


@pytest.mark.parametrize("kind", [name.replace("_", "-") for name in rm.plots.__all__ if name != "sweep"])
def test_every_figure_is_written(cli, canopy, tmp_path, kind):
    options = OPTIONS.get(kind, [])
    if kind == "observed":
        cli("sample", canopy, "-o", tmp_path / "log.csv", "--players", 20, "--days", 3)
        options = ["--recorded", tmp_path / "log.csv", "--players", 50]
    players = [] if kind in WITHOUT_PLAY or "--players" in options else ["--players", 20]
    file = tmp_path / f"{kind}.{'svg' if len(kind) % 2 else 'png'}"
    ran = cli("plot", canopy, kind, "--output", file, *options, *players)
    assert ran.status == 0 and file.stat().st_size > 10_000, ran.err


@pytest.mark.parametrize(
    ("words", "unneeded", "said"),
    [(["--help"], ["numpy", "pandas", "scipy", "matplotlib", "numba", "pydantic"], "simulate"),
     (["levels"], ["pandas", "matplotlib", "numba", "scipy"], "5,362"),
     (["gain"], ["pandas", "matplotlib", "numba"], "bark_borer"),
     (["effort"], ["pandas", "matplotlib", "numba"], "bark_borer"),
     (["award", "500"], ["pandas", "matplotlib", "numba", "scipy"], "1 awards of 500 XP in all"),
     (["simulate", "--players", "20"], ["pandas", "matplotlib", "numba"], "newcomer")],
)  # fmt: skip
def test_commands_start_light(words, unneeded, said):
    """What they do not need is not loaded; a kernel that is kept needs none of what compiled it."""
    demo = [str(Path(rm.__file__).parent / "design" / "shipped" / "canopy.toml")] * (words[0] != "--help")
    code = f"import sys; sys.argv = {['ramulus', words[0], *demo, *words[1:]]}\nfrom ramulus.cli.main import run\ntry: run()\n" \
           f"except SystemExit: pass\nprint(*[m for m in {unneeded} if m in sys.modules], file=sys.stderr)"  # fmt: skip
    for _ in range(2):  # The first one may have to compile.
        ran = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
        if words[0] != "simulate":
            break
    assert ran.stderr.strip() == "" and said in ran.stdout


def test_ctrl_c_stops_says_how_far_it_got_and_leaves_nothing_half_written(cli, canopy, tmp_path, monkeypatch):
    from ramulus.results import simulate as running

    out = tmp_path / "pace.csv"
    # Nobody ever levels, so that these players alone would take the better part of an hour.
    endless = ["--set", "sources.aphid_cluster.xp=0", "--set", "constants.first_cost=1e9", "--hours", "100000"]
    assert cli("simulate", canopy, "--players", 1, "--hours", 1).status == 0
    # A test run in the background would ignore the interrupt otherwise.
    signal.signal(signal.SIGINT, signal.default_int_handler)
    real = running.play

    def watched(*given):
        threading.Timer(1.5, _thread.interrupt_main).start()
        return real(*given)

    monkeypatch.setattr(running, "play", watched)
    ran = cli("simulate", canopy, *endless, "--players", 4000, "--output", out)
    assert ran.status == 130
    assert "stopped after 0 of 12,000 players" in ran.err
    assert [path.name for path in tmp_path.iterdir()] == ["canopy.toml"]


def test_ctrl_c_later_on_shows_the_players_that_were_done(cli, canopy, monkeypatch):
    from ramulus.results import simulate as running

    real = running.simulate

    def interrupted(design, players, hours, seed, progress=None, **more):
        def stop(state):
            if state.players_done >= 1024:
                raise KeyboardInterrupt

        return real(design, players, hours, seed, progress=stop)

    monkeypatch.setattr(running, "simulate", interrupted)
    ran = cli("simulate", canopy, "--players", 20_000, "--every", 40)
    assert ran.status == 130
    assert "of 60,000 players; what follows is of those." in ran.err
    assert "newcomer     40     100%" in ran.out


def test_a_design_comes_in_by_standard_input(canopy, tmp_path):
    """TOML or JSON; what needs a file says so, and a mistake names where it came from."""

    def run(text, *words):
        ran = subprocess.run(
            [sys.executable, "-m", "ramulus", *words], input=text, capture_output=True, text=True, cwd=tmp_path
        )
        return ran.returncode, ran.stdout, ran.stderr

    text = canopy.read_text(encoding="utf-8")
    plain = run("", "levels", str(canopy), "--format", "csv")
    as_json = json.dumps(rm.load_design(canopy).to_dict())
    for given in (text, as_json):
        assert run(given, "levels", "-", "--format", "csv") == plain
    eased = 'extends = "canopy.toml"\n[constants]\ncrown_gate = 0\n'
    assert (
        run(eased, "levels", "-", "--format", "csv", "--quiet")[1]
        == run("", "levels", str(canopy), "--set", "crown_gate=0", "--format", "csv")[1]
    )
    status, out, err = run(text.replace("** steepness", "** steepnes"), "levels", "-")
    assert status == 1 and "standard input" in err and "did you mean 'steepness'" in err and out == ""
    for words in (("tune", "-", "--vary", "steepness", "--write"), ("bench", "-")):
        status, _, err = run(text, *words)
        assert status == 2 and "standard input" in err
    assert run("", "levels", "-")[0] == 1


def test_a_file_without_a_command_says_what_to_do_with_it(cli, canopy):
    ran = cli(canopy)
    assert ran.status == 2 and ran.out == ""
    assert [line.split()[1] for line in ran.err.splitlines()[1:]] == ["check", "levels", "simulate"]
    assert cli("nothing.toml").status == 2


def test_shells_complete_names_of_the_design(canopy):
    def offered(*words):
        ran = subprocess.run(
            [Path(sys.executable).with_name("ramulus")], capture_output=True, text=True,
            env={**os.environ, "_RAMULUS_COMPLETE": "complete_bash", "_TYPER_COMPLETE_TEST_DISABLE_SHELL_DETECTION": "1",
                 "COMP_WORDS": " ".join(["ramulus", *words]), "COMP_CWORD": str(len(words))},
        )  # fmt: skip
        return ran.stdout.split()

    assert "simulate" in offered("sim") and "check" in offered("ch")
    file = str(canopy)
    assert offered("effort", file, "--player", "s") == ["steady"]
    assert offered("levels", file, "--track", "") == ["warden", "grafting"]
    assert offered("effort", file, "--source", "rust") == ["rust_swarm"]
    assert offered("sensitivity", file, "--vary", "s") == ["steepness"]
    assert offered("levels", file, "--set", "crown") == ["crown_gate="]
    assert offered("levels", "nothing.toml", "--track", "") == []
