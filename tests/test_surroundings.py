"""What lies around the program: files that are somebody's work, pipes, terminals, disks, odd arguments."""

from __future__ import annotations

import io
import json
import os
import subprocess
import sys
from pathlib import Path
from xml.etree import ElementTree

import pandas as pd
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import ramulus as rm
from conftest import make
from ramulus.cli import demo
from ramulus.design import demo_text, writing
from ramulus.files import write_table

RUN = [sys.executable, "-m", "ramulus"]


# --- nobody's work is lost -------------------------------------------------------------------------------------


def test_no_output_replaces_what_the_command_reads(cli, tmp_path):
    design, costs = tmp_path / "d.json", tmp_path / "costs.csv"
    costs.write_text("level,cost\n1,10\n2,20\n")
    track = {"max_level": 3, "cost": {"file": "costs.csv"}}
    design.write_text(json.dumps({"format": 1, "title": "t", "tracks": {"a": track}}))
    awards = tmp_path / "awards.csv"
    awards.write_text("40\n50\n")
    (tmp_path / "link.csv").symlink_to(costs)
    before = {path: path.read_bytes() for path in tmp_path.iterdir()}
    for words in (
        ["levels", design, "--output", design],
        ["levels", design, "--output", costs],
        ["levels", design, "--output", tmp_path / "link.csv"],
        ["award", design, "--awards", awards, "--output", awards],
        ["check", design, "--output", design],
    ):
        ran = cli(*words)
        assert (ran.status, ran.out) == (2, ""), words
        assert "is what the command reads" in " ".join(ran.err.split())
    assert {path: path.read_bytes() for path in tmp_path.iterdir()} == before
    design.write_text('{"command": "none of ours"}')
    assert cli("check", design, "--output", design).status == 2
    assert design.read_text() == '{"command": "none of ours"}'


def test_a_table_or_schema_replaces_only_its_like(cli, canopy, tmp_path):
    other = tmp_path / "other.json"
    rm.demo_design().save(other)
    before = other.read_bytes()
    for words in (["levels", canopy, "-o", other], ["schema", "-o", other]):
        ran = cli(*words)
        assert ran.status == 1 and "other.json: is there already, and is not" in ran.err
    assert other.read_bytes() == before
    for words in (["levels", canopy, "-o", tmp_path / "new.json"], ["schema", "-o", tmp_path / "schema.json"]):
        assert [cli(*words).status, cli(*words).status] == [0, 0]


def test_the_demo_tells_its_story_and_leaves_alone_what_was_edited(cli, tmp_path):
    folder = tmp_path / "demo"
    first = cli("demo", folder, "--players", 45)
    assert first.status == 0 and "level 20 takes" in first.out and "canopy.html" in first.out
    assert rm.load_design(folder / "canopy.toml") == rm.demo_design()
    tables = {path.stem: pd.read_csv(path) for path in (folder / "tables").iterdir()}
    assert tables["levels"]["cost"].iloc[19] == 5362 and len(tables) == 9 and all(map(len, tables.values()))
    assert set(tables["compare"]["variant"]) == {"Canopy Wardens", "canopy_eased"}
    figures = sorted(path.stem for path in (folder / "figures").iterdir())
    assert len(figures) == 19 and {"pace", "sensitivity", "compare", "effort", "income-adept"} <= set(figures)
    for path in (folder / "figures").iterdir():
        picture = ElementTree.parse(path).getroot()
        assert picture.tag.endswith("svg") and float(picture.get("width")[:-2]) > 900
        assert "var(--" not in path.read_text(encoding="utf-8")
    with (folder / "canopy.toml").open("a") as file:
        file.write("# my note\n")
    before = {path.name: path.read_bytes() for path in folder.rglob("*.*")}
    ran = cli("demo", folder, "--players", 20)
    assert ran.status == 1 and "canopy.toml: is there already, and differs from the shipped one" in ran.err
    assert {path.name: path.read_bytes() for path in folder.rglob("*.*")} == before
    mine = tmp_path / "mine"
    mine.mkdir()
    (mine / "canopy.html").write_text("my own\n")
    ran = cli("demo", mine)
    assert ran.status == 1 and "canopy.html: is there already, and no demo made it" in ran.err
    assert [path.name for path in mine.iterdir()] == ["canopy.html"]


def test_a_demo_with_few_players_has_less_to_say_and_says_it():
    assert demo.look_first(rm.simulate(rm.demo_design(), players=1, hours=2)) == "where the time goes"
    assert "level 20 takes" in demo.look_first(rm.simulate(rm.demo_design(), players=100, hours=60, seed=7))


def test_a_demo_that_finds_no_room_leaves_nothing_and_may_come_again(cli, tmp_path, monkeypatch):
    def full(path, content):
        path.write_bytes(content[:100])
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(writing, "_write_new", full)
    (tmp_path / "mine" / "tables").mkdir(parents=True)  # Empty: nobody's work.
    before = sorted(tmp_path.rglob("*"))
    for folder in (tmp_path / "new" / "demo", tmp_path / "mine"):
        ran = cli("demo", folder)
        assert (ran.status, ran.out) == (1, "") and "canopy.toml: cannot be written (No space left" in ran.err
        assert sorted(tmp_path.rglob("*")) == before
    (tmp_path / "mine" / "tables" / "notes.csv").write_text("mine")
    assert "no demo made it" in cli("demo", tmp_path / "mine").err


def test_a_stopped_run_leaves_the_whole_one_and_marks_its_own(cli, canopy, tmp_path, monkeypatch):
    from ramulus.results import simulate as running

    whole = tmp_path / "pace.json"
    assert cli("simulate", canopy, "--players", 20, "--output", whole).status == 0
    before, real = whole.read_bytes(), running.simulate

    def stopped(design, players, hours, seed, progress=None, **more):
        result = real(design, 50, hours, seed)
        raise running.SimulationStopped(result, 150, 6000)

    monkeypatch.setattr(running, "simulate", stopped)
    ran = cli("simulate", canopy, "--output", whole)
    assert ran.status == 130
    assert "stopped after 150 of 6,000 players" in ran.err and "pace.partial.json" in ran.err
    assert whole.read_bytes() == before
    assert json.loads((tmp_path / "pace.partial.json").read_text())["stopped"] == "stopped after 150 of 6,000 players"
    assert json.loads(cli("simulate", canopy, "--format", "json").out)["stopped"].startswith("stopped after 150")


# --- terminals, pipes and disks --------------------------------------------------------------------------------


def shell(*words: object, **env: str) -> subprocess.CompletedProcess[bytes]:
    return subprocess.run([*RUN, *map(str, words)], capture_output=True, env={**os.environ, **env}, timeout=120)


@pytest.mark.parametrize("encoding", ["ascii", "latin-1", "cp1252", "utf-8"])
def test_any_terminal_shows_a_table(canopy, encoding):
    commands = [f"award {canopy} 40 50", f"check {canopy}", f"explain {canopy} encounter.success --level 3"]
    code = (
        "import sys\nfrom ramulus.__main__ import run\n"
        "for words in sys.argv[1:]:\n    sys.argv = ['ramulus', *words.split()]\n"
        "    try: run()\n    except SystemExit as stop: assert not stop.code, stop.code\n"
    )
    ran = subprocess.run(
        [sys.executable, "-c", code, *commands], capture_output=True, timeout=120,
        env={**os.environ, "PYTHONIOENCODING": encoding},
    )  # fmt: skip
    assert (ran.returncode, ran.stderr) == (0, b"")
    shown = ran.stdout.decode(encoding)
    assert ("Level 2 · 30 / 84" if encoding != "ascii" else "Level 2 | 30 / 84") in shown and "cost-wall" in shown


@pytest.mark.skipif(not Path("/dev/full").exists(), reason="the system has no full disk to offer")
@pytest.mark.parametrize(
    "words", [["levels", "FILE"], ["levels", "FILE", "--format", "json"], ["check", "FILE"], ["schema"]]
)
def test_a_full_disk_is_one_clear_error(canopy, words):
    with open("/dev/full", "wb") as full:
        ran = subprocess.run(
            [*RUN, *(str(canopy) if word == "FILE" else word for word in words)], stdout=full, stderr=subprocess.PIPE
        )
    assert ran.returncode == 1
    assert ran.stderr.decode().splitlines() == ["error: the output cannot be written (No space left on device)"]


@pytest.mark.skipif(sys.platform == "win32", reason="pipes end otherwise there")
def test_a_reader_that_has_enough_ends_the_command_without_a_word(canopy):
    ran = subprocess.run(
        ["bash", "-c", f"{sys.executable} -m ramulus levels {canopy} --format csv | head -1; echo ${{PIPESTATUS[0]}}"],
        capture_output=True, text=True, env={**os.environ, "PYTHONUNBUFFERED": "1"},
    )  # fmt: skip
    assert ran.stderr == ""
    assert ran.stdout.splitlines()[0].startswith("level,cost")
    assert ran.stdout.splitlines()[1] in ("0", "141")


@pytest.mark.skipif(sys.platform == "win32", reason="pipes end otherwise there")
def test_a_game_that_is_gone_ends_as_an_error_and_not_the_command(canopy):
    ran = shell("conform", canopy, "--", "true")
    assert (ran.returncode, ran.stdout) == (1, b"")
    assert ran.stderr == b"error: your game ended with status 0 before it had answered; it said nothing\n"


def test_no_time_and_no_levels_to_draw_are_said(cli, tmp_path):
    file = tmp_path / "d.toml"
    text = 'format = 1\ntitle = "t"\n[tracks.a]\nmax_level = 5\ncost.formula = "100 * level"\n'
    file.write_text(text + "[sources.s]\nlevel = 1\nxp = 5\nseconds = 0\n")
    for kind in ("income", "effort"):
        ran = cli("plot", file, kind, "-o", tmp_path / "x.png")
        assert ran.status == 1 and ran.err.startswith("error: ") and not (tmp_path / "x.png").exists()
    file.write_text(text.replace("5", "1000001"))
    shown = cli("levels", file)
    assert "999,001 more rows with --format csv or --output FILE" in shown.out
    assert len(shown.out.splitlines()) < 1_020


# --- whatever is typed -----------------------------------------------------------------------------------------

WORDS = st.one_of(
    st.sampled_from(
        ["levels", "check", "award", "simulate", "explain", "gain", "effort", "party", "plot", "schema", "costs", "income", "pace", "--set", "--level", "--from", "--to", "--xp", "--times", "--also", "carry=0", "--track", "warden", "--player", "steady", "--source", "bark_borer", "--format", "json", "csv", "--during", "constants.steepness=1e9", "tracks.warden.max_level=3", "sources=5", "tracks.warden.cost.values[3]=1", "title.x=1", "-1", "0", "1e999", "999999999999999999999", "nan", "7", "--quiet", "--seed", "--players", "--hours", "2", "--awards", "-", "--output", "x.doc", "--interval", "--every", "--help"]
    ),
    st.text(max_size=6).filter(lambda word: "\0" not in word),
)  # fmt: skip


@settings(
    max_examples=120, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow]
)
@given(
    st.sampled_from(["levels", "check", "award", "explain", "gain", "effort", "plot", "simulate"]),
    st.lists(WORDS, max_size=5),
)
def test_whatever_is_typed_is_a_result_or_one_clear_error(cli, tmp_path, monkeypatch, command, words):
    monkeypatch.chdir(tmp_path)
    monkeypatch.setattr(sys, "stdin", io.StringIO())
    Path("canopy.toml").write_text(demo_text())
    # Few short-lived players, so that what is judged is the arguments and not the wait.
    few = ["--players", "3", "--hours", "1"] if command == "simulate" else []
    ran = cli(command, "canopy.toml", *few, *words)
    assert ran.status in (0, 1, 2), ran.err
    assert "Traceback" not in ran.err
    assert ran.status == 0 or ran.err.strip() or "error" in ran.out
    assert Path("canopy.toml").read_text() == demo_text()


@pytest.mark.parametrize("kind", ["pipe", "device", "folder", "circle"])
def test_what_is_no_regular_file_is_refused_at_once(cli, tmp_path, kind):
    path = tmp_path / "canopy.toml"
    {
        "pipe": lambda: os.mkfifo(path), "device": lambda: path.symlink_to("/dev/zero"), "folder": path.mkdir,
        "circle": lambda: path.symlink_to(path),
    }[kind]()  # fmt: skip
    ran = cli("levels", path)
    assert ran.status == 1 and ("not a regular file" in ran.err or "cannot be read" in ran.err) and len(ran.err) < 300


@pytest.mark.parametrize("words", [["schema"], ["check", "--format", "sarif"], ["levels"], ["plot", "costs"], ["tune"]])
def test_what_is_no_regular_file_is_not_replaced(cli, canopy, words):
    """A device or a pipe in place of the output stays what it is: who is root would lose /dev/null."""
    target = canopy.with_name(f"out.{'png' if words[0] == 'plot' else 'json'}")
    os.mkfifo(target)
    if words == ["tune"]:
        target = canopy
        text = canopy.read_text()
        canopy.unlink()
        os.mkfifo(canopy)
        ran = cli("tune", canopy, "--vary", "crown_gate", "--write")
        assert ran.status == 1 and "not a regular file" in ran.err and canopy.is_fifo() and text
        return
    ran = cli(words[0], *([] if words == ["schema"] else [canopy]), *words[1:], "-o", target)
    assert ran.status == 1 and "cannot be written (not a regular file)" in ran.err
    assert target.is_fifo() and len(list(canopy.parent.iterdir())) == 2


def test_a_link_is_written_through_and_stays_a_link(cli, canopy):
    link = canopy.parent / "link.toml"
    link.symlink_to(canopy.name)
    before = canopy.read_text()
    ran = cli("tune", link, "--vary", "crown_gate=1000:3500", "--players", 100, "--write", "--force")
    assert (
        ran.status == 0
        and link.is_symlink()
        and canopy.read_text() != before
        and link.read_text() == canopy.read_text()
    )
    assert sorted(path.name for path in canopy.parent.iterdir()) == ["canopy.toml", "link.toml"]


def test_a_bench_outlives_its_file(tmp_path):
    """A pipe, a device or a folder in place of the design is an error on the page, and not its end."""
    from ramulus.design import bytes_now, load_design
    from ramulus.page.bench import Session, Sizes

    path = tmp_path / "canopy.toml"
    rm.demo_design().save(path)
    text = path.read_text()
    session = Session(path, lambda: load_design(path), Sizes(players=15, hours=1))
    session._show()
    path.unlink()
    os.mkfifo(path)
    assert bytes_now(path, 1000) == b""
    with pytest.raises(rm.DesignError, match="not a regular file"):
        session._show()
    path.unlink()
    path.write_text(text.replace("first_cost = 60", "first_cost = 70"))
    session._show()
    assert session.shown.number == 2


def test_a_formula_that_python_would_warn_of_says_nothing_on_the_terminal(recwarn):
    assert rm.level_table(make({"formula": "0.if level > 99 else 1"}))["cost"].iloc[0] == 1
    assert not recwarn.list


def test_a_saved_result_that_unpacks_to_gigabytes_is_refused_unread(tmp_path, monkeypatch):
    from ramulus.results import result_file

    rm.simulate(rm.demo_design(), 5, hours=1).save(tmp_path / "run.npz")
    monkeypatch.setattr(result_file, "MOST_UNPACKED", 1000)
    with pytest.raises(rm.DataError, match="bytes unpacked; allowed: 1,000"):
        rm.SimulationResult.load(tmp_path / "run.npz")


def test_text_stays_text_in_a_spreadsheet(tmp_path):
    """A multiplier called as a formula is a heading like any other, in CSV and in a workbook."""
    openpyxl = pytest.importorskip("openpyxl")
    name = "=cmd|' /C calc'!A0"
    design = make(
        sources={"a": {"level": 1, "xp": 10, "seconds": 1}}, multipliers=[{"name": name, "factor": 1.5}],
    )  # fmt: skip
    table = rm.gain_table(design).head(2)
    for ending in ("csv", "xlsx"):
        write_table(table, tmp_path / f"gain.{ending}", "gain")
    first = (tmp_path / "gain.csv").read_text().splitlines()[0]
    assert first.split(",")[-1] == f"'{name}"
    sheet = openpyxl.load_workbook(tmp_path / "gain.xlsx").active
    assert [cell.data_type for cell in sheet[1]] == ["s"] * len(table.columns) and sheet[1][-1].value == name


def test_what_a_name_holds_steers_no_terminal(cli, tmp_path):
    odd = tmp_path / "a\x1b[31m\x9b2J.toml"
    odd.write_text("format = 1\n")
    heads = tmp_path / "costs.csv"
    heads.write_text("le\x1b[2Jvel;c\x07ost\n1;2\n")
    design = tmp_path / "d.toml"
    design.write_text('format = 1\ntitle = "t"\n[tracks.a]\nmax_level = 2\ncost.file = "costs.csv"\n')
    for words in (["levels", odd], ["check", odd], ["levels", design], ["check", design]):
        ran = cli(*words)
        assert ran.status == 1 and "\\x1b[" in ran.out + ran.err
        assert not set(ran.out + ran.err) & {"\x1b", "\x07", "\x9b"}


def test_what_a_file_is_called_breaks_no_table_figure_or_page(cli, canopy, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    name = "a\x07b\x1b[31m.toml"
    Path(name).write_text(demo_text().replace("steepness = 1.55", "steepness = 1.5"))
    some = ["canopy.toml", name, "--players", 15]
    for ending in ("csv", "xlsx", "json", "parquet"):
        assert cli("compare", *some, "-o", f"c.{ending}").status == 0
    read = pd.read_csv("c.csv")["variant"].unique(), pd.read_excel("c.xlsx")["variant"].unique()
    assert [list(names) for names in read] == [["canopy", r"a\x07b\x1b[31m"]] * 2
    assert set(json.loads(Path("c.json").read_text())["rows"][-1]["variant"]) >= {"\x07", "\x1b"}  # As it is: escaped.
    assert cli("plot", "canopy.toml", "compare", "--also", name, "--players", 15, "-o", "c.svg").status == 0
    assert cli("report", "canopy.toml", "--also", name, "--players", 15, "-o", "c.html").status == 0
    for file in ("c.svg", "c.html", "c.csv"):
        assert not set(Path(file).read_text()) & {"\x07", "\x1b"}
    ElementTree.parse("c.svg")


FAULTS = {
    "a cost": ({"formula": "10 * (level - 3)"}, {}, "tracks.warden.cost: level 1 costs -20 XP"),
    "a stat": ({"formula": "level"}, {"stats": {"reach": {"formula": "1 / (level - 3)"}}}, "stats.reach.formula: "),
    "a part": ({"formula": "level"}, {}, "sources: missing"),
}


@pytest.mark.parametrize("what", FAULTS)
def test_a_fault_found_on_evaluating_names_its_file(cli, tmp_path, canopy, what):
    cost, parts, said = FAULTS[what]
    make(cost, **parts).save(file := tmp_path / "other.toml")
    words = ["effort", file] if what == "a part" else ["levels", file]
    ran = cli(*words)
    assert ran.status == 1 and ran.err.startswith(f"error: {file}: {said}")
    if what != "a stat":  # Which only what is played with it needs.
        assert cli("compare", canopy, file, "--players", 15).err.startswith("error: other: ")


def test_an_interrupt_within_a_check_is_no_finding(monkeypatch):
    def stopped(*_, **__):
        raise rm.SimulationStopped(None, 0, 9)

    monkeypatch.setattr("ramulus.results.simulate.simulate", stopped)
    with pytest.raises(rm.SimulationStopped):
        rm.check(rm.demo_design())


def test_control_characters_are_refused_where_they_stand():
    rules = [{"name": "a\x1b[31m", "factor": 1}]
    with pytest.raises(rm.DesignError, match=r"multipliers\[0\].name: .* the control character U\+001B"):
        make(multipliers=rules)
    with pytest.raises(rm.DesignError, match=r"title: .* U\+0000"):
        rm.Design.from_dict({**make().to_dict(), "title": "a\0b"})
