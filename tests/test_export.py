"""What a game loads: every language against the ledger and the tables, saves, tables read back, and what is refused."""

import copy
import json
import math
import random
import re
import shutil
import subprocess
import sys
import types
from pathlib import Path

import jsonschema
import numpy as np
import pytest

import ramulus as rm
from conftest import make
from game_runs import BUILDS, LANGUAGES, answers, build, differences, game_design
from ramulus.game import design_of, differing, exported, writing
from ramulus.rules.stats import stat_curves
from ramulus.rules.tabulation import tabulated
from ramulus.simulation.away import fill, make_away, paid_on_top

DESIGNS = (3, 5, 7, 11, 14)  # Between them every way at the cap, every share, parts of an XP, every kind of multiplier.


def module(design):
    """The exported Python, as a module of its own."""
    made = types.ModuleType("leveling")
    sys.modules["leveling"] = made  # Dataclasses look for it there.
    exec(compile(exported(design, ["python"]).files["leveling.py"], "leveling.py", "exec"), made.__dict__)
    return made


@LANGUAGES
@pytest.mark.parametrize("seed", DESIGNS)
def test_every_language_is_at_each_step_where_the_ledger_is(tmp_path, language, seed):
    design = game_design(seed)
    rm.export(design, tmp_path, [language], name="canopy")
    assert differences(design, tmp_path, language, seed, steps=120) >= 240


# --- stats, draws, the bar, tables at run time: each language prints the same -------------------------------------

NUMBER = r"-?\d+(\.\d+)?([eE][+-]?\d+)?"
PROBES = {
    "python": ("probe.py", """
import leveling as g
for name in g.STATS:
    t = g.TRACKS[g.STATS[name]]
    for level in range(t.start_level, t.max_level + 1):
        for rank in range(3): print(name, level, "%.12g" % g.stat(name, level, {"keen_edge": rank, "deft": rank}))
for source in g.SOURCES:
    for u in (0.0, 0.25, 0.69, 0.7, 0.999): print(source, "%.12g" % g.draw(source, g.TRACKS["warden"].start_level + 1, u))
a, b = g.Leveling(), g.Leveling()
for k in range(1, 40):
    a.award(k * 7 % 41); b.award(k * 3 % 29)
    print(a.label, "%.12g" % a.progress, a.buy("deft"), "%.12g" % a.points, HELD, AWAY)
g.load_tables("grafting", TABLE); c = g.Leveling("grafting"); c.award(11); print(c.label)
"""),
    "javascript": ("probe.mjs", """
import * as g from "./leveling.mjs";
const n = (x) => String(Number(x.toPrecision(12))), lines = [];
for (const name in g.STATS) {
  const t = g.TRACKS[g.STATS[name]];
  for (let level = t.startLevel; level <= t.startLevel + t.costs.length; level++)
    for (let rank = 0; rank < 3; rank++) lines.push(`${name} ${level} ${n(g.stat(name, level, { keen_edge: rank, deft: rank }))}`);
}
for (const source in g.SOURCES)
  for (const u of [0, 0.25, 0.69, 0.7, 0.999]) lines.push(`${source} ${n(g.draw(source, g.TRACKS.warden.startLevel + 1, u))}`);
const a = new g.Leveling(), b = new g.Leveling();
for (let k = 1; k < 40; k++) {
  a.award((k * 7) % 41); b.award((k * 3) % 29);
  const label = a.label, progress = n(a.progress), bought = a.buy("deft") ? "True" : "False";
  lines.push(`${label} ${progress} ${bought} ${n(a.points)} ${HELD} ${AWAY}`);
}
g.loadTables("grafting", TABLE); const c = new g.Leveling("grafting"); c.award(11); lines.push(c.label);
console.log(lines.join("\\n"));
"""),
    "lua": ("probe.lua", """
local g = require("leveling")
local function n(x) return string.format("%.12g", x) end
for _, name in ipairs(STATS) do
  for level = FIRST[name], LAST[name] do
    for rank = 0, 2 do print(name .. " " .. level .. " " .. n(g.stat(name, level, { keen_edge = rank, deft = rank }))) end
  end
end
for _, source in ipairs(SOURCES) do
  for _, u in ipairs({ 0.0, 0.25, 0.69, 0.7, 0.999 }) do print(source .. " " .. n(g.draw(source, FIRST.shear + 1, u))) end
end
local a, b = g.new(), g.new()
for k = 1, 39 do
  a:award(k * 7 % 41); b:award(k * 3 % 29)
  print(a:label() .. " " .. n(a:progress()) .. " " .. (a:buy("deft") and "True" or "False") .. " " .. n(a.points) .. " " .. HELD .. " " .. AWAY)
end
g.load_tables("grafting", TABLE); local c = g.new("grafting"); c:award(11); print(c:label())
"""),
    "cpp": ("probe.cpp", """
#include <cstdio>
#include "leveling.hpp"
using namespace canopy;
int main() {
  const char* names[] = STATS; const char* sources[] = SOURCES; const int first[] = FIRST, last[] = LAST;
  for (int name = 0; name < 5; name++)
    for (int level = first[name]; level <= last[name]; level++)
      for (int rank = 0; rank < 3; rank++) std::printf("%s %d %.12g\\n", names[name], level, stat(static_cast<Stat>(name), level, {rank, rank}));
  for (int source = 0; source < 4; source++)
    for (double u : {0.0, 0.25, 0.69, 0.7, 0.999}) std::printf("%s %.12g\\n", sources[source], draw(static_cast<Source>(source), first[0] + 1, u));
  Leveling a, b;
  for (int k = 1; k < 40; k++) {
    a.award(k * 7 % 41); b.award(k * 3 % 29);
    const std::string label = a.label(); const double progress = a.progress();
    const char* bought = a.buy(Upgrade::deft) ? "True" : "False";
    std::printf("%s %.12g %s %.12g %d %lld\\n", label.c_str(), progress, bought, a.points, static_cast<int>(HELD), static_cast<long long>(AWAY));
  }
  if (!load_tables(Track::grafting, TABLE) || load_tables(Track::grafting, "level,cost\\n1,2\\n")) return 1;
  Leveling c(Track::grafting); c.award(11); std::printf("%s\\n", c.label().c_str());
}
"""),
    "csharp": ("Probe.cs", """
using System; using System.Globalization; using Canopy;
public static class Probe {
  static string N(double x) { return double.Parse(x.ToString("G12", CultureInfo.InvariantCulture), CultureInfo.InvariantCulture).ToString("G12", CultureInfo.InvariantCulture); }
  public static void Main() {
    Console.OutputEncoding = new System.Text.UTF8Encoding(false);
    string[] names = STATS; string[] sources = SOURCES; int[] first = FIRST, last = LAST;
    for (int name = 0; name < 5; name++)
      for (int level = first[name]; level <= last[name]; level++)
        for (int rank = 0; rank < 3; rank++) Console.WriteLine(names[name] + " " + level + " " + N(Leveling.StatAt((Stat)name, level, new[] { rank, rank })));
    for (int source = 0; source < 4; source++)
      foreach (double u in new[] { 0.0, 0.25, 0.69, 0.7, 0.999 }) Console.WriteLine(sources[source] + " " + N(Leveling.Draw((Source)source, first[0] + 1, u)));
    var a = new Leveling(); var b = new Leveling();
    for (int k = 1; k < 40; k++) {
      a.Award(k * 7 % 41); b.Award(k * 3 % 29);
      string label = a.Label; double progress = a.Progress; bool bought = a.Buy(Upgrade.Deft);
      Console.WriteLine(label + " " + N(progress) + " " + bought + " " + N(a.Points) + " " + HELD + " " + (AWAY));
    }
    Leveling.LoadTables(Track.Grafting, TABLE); var c = new Leveling(Track.Grafting); c.Award(11); Console.WriteLine(c.Label);
  }
}
"""),
}  # fmt: skip


def table(first):
    return f"level,cost,total,points,grip\n{first},5,0,0,1\n{first + 1},7,5,0,1.5\n{first + 2},,12,0,2\n"


def probed(design, folder, language):
    """Return what a language's probe prints."""
    held = {"python": "b.held_below(a, 60, 20)", "javascript": "b.heldBelow(a, 60, 20)", "lua": "b:held_below(a, 60, 20)",
            "cpp": "b.held_below(a, 60, 20)", "csharp": "b.HeldBelow(a, 60, 20)"}  # fmt: skip
    away = {"python": "g.away_store(k, FROM + k % 2, k % 4) * 1000 + g.away_bonus(9 * k, 13 * k)",
            "javascript": "g.awayStore(k, FROM + (k % 2), k % 4) * 1000 + g.awayBonus(9 * k, 13 * k)",
            "lua": "g.away_store(k, FROM + k % 2, k % 4) * 1000 + g.away_bonus(9 * k, 13 * k)",
            "cpp": "away_store(k, FROM + k % 2, k % 4) * 1000 + away_bonus(9 * k, 13 * k)",
            "csharp": "Leveling.AwayStore(k, FROM + k % 2, k % 4) * 1000 + Leveling.AwayBonus(9 * k, 13 * k)"}  # fmt: skip
    file, text = PROBES[language]
    curves = tabulated(design).stats()
    first = {name: int(curve.levels[0]) for name, curve in curves.items()}
    last = {name: int(curve.levels[-1]) for name, curve in curves.items()}
    listed = (
        {"STATS": json.dumps(list(curves)), "SOURCES": json.dumps(list(design.sources)), "FIRST": json.dumps(list(first.values())),
         "LAST": json.dumps(list(last.values()))} if language in ("cpp", "csharp") else {}
    )  # fmt: skip
    listed = {key: value.replace("[", "{").replace("]", "}") for key, value in listed.items()}
    if language == "lua":
        names = {"STATS": list(curves), "SOURCES": list(design.sources)}
        listed = {key: json.dumps(value).replace("[", "{").replace("]", "}") for key, value in names.items()}
        listed |= {
            key: "({" + ", ".join(f"{n} = {v}" for n, v in value.items()) + "})"
            for key, value in (("FIRST", first), ("LAST", last))
        }
    listed["HELD"] = held[language] if design.party.hold_below_leader else '"0"' if language == "lua" else "0"
    from_level = str(design.track().start_level)
    listed["AWAY"] = away[language].replace("FROM", from_level) if design.away_bonus else "0"
    listed["TABLE"] = json.dumps(table(design.track("grafting").start_level))
    for key, value in listed.items():
        text = (
            text.replace(key, value)
            if language in ("cpp", "csharp", "lua") or key in ("HELD", "AWAY", "TABLE")
            else text
        )
    (folder / file).write_text(text, encoding="utf-8")
    rm.export(design, folder, [language], name="canopy")
    return text, file


@pytest.fixture
def without_vectors(monkeypatch):
    """What takes longest, where a test looks at the rest."""
    monkeypatch.setattr(writing, "vectors_json", lambda *_: {})


@LANGUAGES
@pytest.mark.parametrize("seed", [0, 14])  # Both have a store of time away, one of whole XP.
@pytest.mark.usefixtures("without_vectors")
def test_stats_draws_the_bar_and_tables_at_run_time(tmp_path, language, seed):
    design = game_design(seed)
    printed = {}
    for one in {"python", language}:
        folder = tmp_path / one
        folder.mkdir()
        _, file = probed(design, folder, one)
        builds, run = BUILDS[one]
        for line in builds:
            line = line.replace("harness.cpp", file).replace("Harness.cs ", f"{file} ")
            done = subprocess.run(line.split(), cwd=folder, capture_output=True, text=True, check=False)
            assert done.returncode == 0, done.stdout + done.stderr
        command = run.replace("harness.py", file).replace("harness.mjs", file).replace("harness.lua", file)
        done = subprocess.run(command.split(), cwd=folder, capture_output=True, text=True, check=True, encoding="utf-8")
        printed[one] = re.sub(NUMBER, lambda number: f"{float(number[0]):.12g}", done.stdout).split("\n")
    assert printed[language] == printed["python"] and len(printed["python"]) > 100


@pytest.mark.parametrize("seed", DESIGNS)
def test_stats_are_those_of_the_tables_with_any_ranks(seed):
    design = game_design(seed)
    made = module(design)
    for rank in range(4):
        ranks = {name: np.full(len(tabulated(design).main.granted), float(rank)) for name in design.upgrades}
        for name, curve in stat_curves(design, ranks).items():
            got = [made.stat(name, int(level), dict.fromkeys(design.upgrades, rank)) for level in curve.levels]
            np.testing.assert_array_equal(got, curve.values)
    with pytest.raises(IndexError, match="allowed"):
        made.stat("shear", -1)


@pytest.mark.parametrize("seed", [0, 14])
def test_a_store_of_time_away_is_that_of_simulated_players(seed):
    design, dice = game_design(seed), random.Random(seed)
    made, main = module(design), tabulated(design).main
    scale, per_week, start = main.scale, 7, int(main.curve.levels[0])
    store = make_away(design, [None])._replace(gaps=np.array([[1, 1, 3, 1, 1, 2, 2]]))
    for _ in range(300):
        level, held = dice.randint(start, design.track().max_level), dice.choice([0, 3, 40 * scale, 500 * scale])
        today = types.SimpleNamespace(day=dice.randint(0, 6) + 1, schedule=0, per_week=per_week)
        days = int(store.gaps[0, (today.day - 1) % per_week])
        filled = fill(store, held, today, today.day - 1, level - start, scale)
        assert made.away_store(held, level, days) == filled
        award = dice.randint(0, 90 * scale)
        assert made.away_bonus(filled, award) == paid_on_top(store, filled, award, scale) <= filled


# --- saves --------------------------------------------------------------------------------------------------------


def test_a_save_is_what_a_ledger_saves_and_loads():
    design = game_design(3)
    made, ledger = module(design), rm.Ledger(design)
    game, dice = made.Leveling(), random.Random(1)
    for _ in range(200):
        units = dice.randint(0, 90)
        game.award(units)
        ledger.award(units / ledger.tables.scale)
        assert {key: value for key, value in game.save().items() if key != "ranks"} == ledger.to_dict()
        game, ledger = made.Leveling.load(ledger.to_dict()), rm.Ledger.from_dict(design, game.save())


OLD = {"values": [100, 200, 300, 400]}
NEW = {"values": [50, 60, 300, 400]}


@pytest.mark.parametrize(
    ("how", "level", "xp"),
    [
        ({}, 2, 59),  # 90 XP would pay for a level of 60: held one below.
        ({"excess": "award"}, 3, 30),
        ({"keep": "total_xp"}, 3, 80),  # 190 in all are levels of 50 and 60, and 80.
    ],
)
def test_a_save_of_an_older_design(how, level, xp):
    older = rm.Ledger(make(OLD, 5, {"points_per_level": 1}))
    older.award(190)
    new = make(NEW, 5, {"points_per_level": 1})
    game = module(new).Leveling.load(older.to_dict(), **how)
    assert (game.level, game.xp, game.points) == (level, xp, level - 1)
    again = rm.Ledger.from_dict(new, game.save())  # It adds up.
    assert (
        again.level == level
        and again.earned - again.lost + again.baseline == again.costs_paid + again.xp + again.wasted
    )


def test_a_level_falls_only_where_that_is_asked_for():
    older, harder = rm.Ledger(make(NEW, 5)), make(OLD, 5)
    older.award(115)
    load = module(harder).Leveling.load
    assert [(g.level, g.xp) for g in (load(older.to_dict(), "total_xp"), load(older.to_dict(), "total_xp", fall=True))] == [
        (3, 0), (2, 15),
    ]  # fmt: skip
    fewer = module(make(OLD, 3)).Leveling.load(older.to_dict() | {"level": 9, "peak_level": 9, "xp": 5})
    assert (fewer.level, fewer.peak_level, fewer.xp) == (3, 3, 0)


@pytest.mark.parametrize(
    ("change", "word"),
    [
        ({"level": -1}, "level"), ({"level": 2.5}, "level"), ({"peak_level": 0}, "level"), ({"xp": -1}, "xp"),
        ({"xp": math.nan}, "xp"), ({"earned": "9"}, "earned"), ({"points": -1}, "points"), ({"track": "moss"}, "moss"),
        ({"baseline": 2**53, "earned": 2**53}, "earned|XP"), ({"ranks": {"keen_edge": -1}}, "ranks"),
    ],
)  # fmt: skip
def test_a_save_that_no_design_can_hold(change, word):
    made = module(rm.demo_design())
    data = made.Leveling().save() | change
    with pytest.raises(ValueError, match=word):
        made.Leveling.load(data)


def test_what_cannot_be_counted_is_refused_and_changes_nothing():
    game = module(rm.demo_design()).Leveling()
    game.award(2**53 - 10)
    before = game.save()
    for units in (-1, 1.5, True, 2**53, math.nan, "4", 11):
        with pytest.raises(ValueError, match="allowed"):
            game.award(units)
    for units in (-1, 1.5, None):
        with pytest.raises(ValueError, match="allowed"):
            game.lose(units)
    assert game.save() == before


# --- the pack -----------------------------------------------------------------------------------------------------


@pytest.mark.usefixtures("without_vectors")
@pytest.mark.parametrize("seed", [None, *DESIGNS])
def test_levels_json_is_of_its_schema_and_reads_back_as_the_same_tables(tmp_path, seed):
    design = rm.demo_design() if seed is None else game_design(seed)
    files = rm.export(design, tmp_path).files
    jsonschema.Draft202012Validator(json.loads(files["levels.schema.json"])).validate(json.loads(files["levels.json"]))
    again = exported(design_of(tmp_path / "levels.json")).files
    assert {k: v for k, v in files.items() if k.endswith(".csv")} == {
        k: v for k, v in again.items() if k.endswith(".csv")
    }
    one, two = (json.loads(text["levels.json"]) for text in (files, again))
    for key in ("design", "party"):  # Who is in a party is not in a pack.
        one.pop(key), two.pop(key)
    for track in (*one["tracks"].values(), *two["tracks"].values()):
        del track["rules"]  # They look at how points are stated, too.
    assert one == two


def test_the_name_of_a_design_is_of_what_a_game_loads():
    data = rm.demo_design().to_dict()
    turned = copy.deepcopy(data) | {"title": "Another", "sources": dict(reversed(data["sources"].items()))}
    del turned["goals"], turned["players"]["adept"]["spread"]
    name = exported(rm.Design.from_dict(data)).design
    assert exported(rm.Design.from_dict(turned)).design == name
    turned["constants"]["steepness"] = 1.56
    assert exported(rm.Design.from_dict(turned)).design != name


def test_a_retune_changes_the_tables_alone():
    design, languages = rm.demo_design(), ["python", "javascript", "lua", "cpp", "csharp"]
    other = design.with_values(
        {"constants.steepness": 1.6, "multipliers[1].factor": 1.4, "encounter.failure.xp_share": 0.2}
    )
    for (file, one), two in zip(
        exported(design, languages).files.items(), exported(other, languages).files.values(), strict=True
    ):
        if "--- tables ---" in one:
            head = [text.split("--- tables ---")[0].replace(design_name(text), "") for text in (one, two)]
            assert head[0] == head[1], file


def design_name(text):
    return text.split("from design ")[1][:16]


# --- the examples -------------------------------------------------------------------------------------------------

EXAMPLES = Path(__file__).parent.parent / "examples" / "into_the_game"
PLAYS = {
    "python": ((), "python3 play.py"), "javascript": ((), "node play.mjs"), "lua": ((), "lua5.4 play.lua"),
    "cpp": (("g++ -std=c++17 -O3 -march=native -ffp-contract=off play.cpp -o play",), "./play"),
    "csharp": (("mcs Play.cs Leveling.cs -out:Play.exe",), "mono Play.exe"),
}  # fmt: skip


@pytest.mark.parametrize("name", ["canopy", "canopy_hard"])
def test_the_examples_are_what_their_designs_say(name):
    design = rm.demo_design() if name == "canopy" else rm.load_design(EXAMPLES / "canopy_hard.toml")
    found = exported(design, BUILDS, name)
    assert differing(found, EXAMPLES / name) == []
    harnesses = [one for one in found.files if one.lower().startswith("harness")]
    assert len(harnesses) == 5 and all((EXAMPLES / name / one).read_text() == found.files[one] for one in harnesses)


@LANGUAGES
def test_each_language_plays_the_example_alike(tmp_path, language):
    shutil.copytree(EXAMPLES / "canopy", tmp_path / "canopy")
    printed = []
    for one in ("python", language):
        builds, run = PLAYS[one]
        for line in (*builds, run):
            done = subprocess.run(line.split(), cwd=tmp_path / "canopy", capture_output=True, check=True)
        printed.append(done.stdout.decode("utf-8"))
    assert printed[0] == printed[1] and "Level 9 · 661 / 662" in printed[0]


# --- the command --------------------------------------------------------------------------------------------------


def test_the_command_writes_checks_and_reads_back(tmp_path, canopy, cli, monkeypatch):
    monkeypatch.chdir(tmp_path)
    done = cli("export", canopy, "out", "--for", "lua,python")
    assert done.status == 0 and "wrote 9 files into out" in done.err
    assert cli("export", canopy, "out", "--for", "lua,python", "--check").status == 0
    (tmp_path / "out/leveling.lua").write_text(
        (tmp_path / "out/leveling.lua").read_text().replace("\n", "\r\n"), newline=""
    )
    assert cli("export", canopy, "out", "--for", "lua", "--check").status == 0
    (tmp_path / "out/levels_warden.csv").write_text("level,cost,total,points\n")
    (tmp_path / "out/leveling.lua").unlink()
    told = cli("export", canopy, "out", "--for", "lua", "--check")
    assert told.status == 1 and "levels_warden.csv: differs" in told.err and "leveling.lua: is missing" in told.err
    assert cli("new", "back.toml", "--from", "out/levels.json").status == 0
    assert cli("export", "back.toml", "back").status == 0
    assert (tmp_path / "back/levels_grafting.csv").read_text() == (tmp_path / "out/levels_grafting.csv").read_text()


def test_what_is_somebodys_own_stays(tmp_path, canopy, cli, monkeypatch):
    monkeypatch.chdir(tmp_path)
    assert cli("export", canopy, "out", "--for", "lua").status == 0
    (tmp_path / "out/harness.lua").write_text("-- mine\n")
    told = cli("export", canopy, "out", "--for", "lua")
    assert told.status == 0 and "kept as they are" in told.err and "harness.lua" in told.err
    assert (tmp_path / "out/harness.lua").read_text() == "-- mine\n"
    assert cli("export", canopy, "out", "--for", "lua", "--check").status == 0
    for name in ("levels.json", "vectors.json", "levels.schema.json", "levels_warden.csv", "leveling.lua"):
        before = (tmp_path / "out" / name).read_bytes()
        (tmp_path / "out" / name).write_text('{"format": 1, "title": "mine"}')
        told = cli("export", canopy, "out", "--for", "lua")
        assert told.status == 1 and f"{name}: is there already" in told.err
        assert (tmp_path / "out" / name).read_text() == '{"format": 1, "title": "mine"}'
        (tmp_path / "out" / name).write_bytes(before)
    assert cli("export", canopy, "out", "--for", "lua").status == 0


@pytest.mark.parametrize(
    ("change", "languages", "word"),
    [
        ({}, "pyton", "did you mean 'python'"),
        ({"multipliers": [{"name": "m", "factor": "leader_level ** 0.5"}]}, "json", "multipliers[0].factor"),
        ({"stats": {"pull": {"formula": "shear ** 2"}}}, "json", "stats.pull.formula"),
        ({"multipliers": [{"name": "m", "factor": "shear ** 0.5"}]}, "lua", "reads shear"),
        ({"sources": {"SHOOT_GRAFT": {"level": 1, "xp": 1, "toughness": 1}}}, "cpp", "spelt the same in cpp"),
        ({"tracks": {"warden": {"max_level": 6_000, "cost": {"formula": "level"}}}}, "lua", "levels.json has all of them"),
    ],
)  # fmt: skip
def test_what_cannot_be_written(tmp_path, cli, monkeypatch, change, languages, word):
    monkeypatch.chdir(tmp_path)
    data = rm.demo_design().to_dict()
    for key, value in change.items():
        data[key] = value if isinstance(value, list) else {**data.get(key, {}), **value}
    Path("d.json").write_text(json.dumps(data))
    done = cli("export", "d.json", "out", "--for", languages)
    assert done.status in (1, 2) and word in done.err and not Path("out").exists()


@pytest.mark.parametrize(
    "text", ["", "[]", '{"format": 1}', '{"format": 1, "tracks": {"a": 3}}', "\0", '{"format": 2, "tracks": {}}']
)
def test_what_is_no_pack(tmp_path, cli, monkeypatch, text):
    monkeypatch.chdir(tmp_path)
    Path("levels.json").write_text(text)
    done = cli("new", "b.toml", "--from", "levels.json")
    assert done.status == 1 and "levels.json" in done.err and not Path("b.toml").exists()
    assert cli("new", "b.toml", "--from", "none.json").status == 1


# --- names of a stranger's file -----------------------------------------------------------------------------------

NASTY = [
    'x"""\nimport os\nos._exit(7)\n"""', "// */ \n boom(", "a\\", 'quote " and \\" back\\slash', "50 % off", "!!!", "Üppige Woche 🌿",
    "line\u2028separator", "tab\tstop", "{{ 7 * 7 }} {% raw %}", "]] .. os.exit(7) .. [[", "$(exit 7) `exit 7` ${process.exit(7)}",
]  # fmt: skip


def nasty_design():
    data = rm.demo_design().to_dict()
    rules = [{"name": name, "factor": 1 + place / 8, "from_day": 1, "to_day": 9} for place, name in enumerate(NASTY)]
    return rm.Design.from_dict({**data, "title": "\n".join(NASTY), "multipliers": rules})


@LANGUAGES
def test_no_name_leaves_its_comment_or_its_quotes(tmp_path, language):
    design = nasty_design()
    rm.export(design, tmp_path, [language], name="class")
    # Each is on in turn, and is the factor that it should be.
    asked = [
        ({"id": place, "track": "warden", "do": [{"encounter": "bark_borer", "xp": 800, "success": 1, "on": [name]}]}, 800 + 100 * place)
        for place, name in enumerate(NASTY)
    ]  # fmt: skip
    if language in (
        "lua",
        "cpp",
        "csharp",
    ):  # Their harnesses scan lines, and know neither escapes nor braces in names.
        asked = [
            one for one in asked if NASTY[one[0]["id"]].isprintable() and not set('"\\]{}') & set(NASTY[one[0]["id"]])
        ]
    said = answers(tmp_path, build(tmp_path, language), [request for request, _ in asked])
    assert [answer["states"][-1]["award"] for answer in said] == [award for _, award in asked]


# What a program has for itself where it says what an encounter awards, in one language or another.
TOLD = [
    "source",
    "drawn",
    "product",
    "bonus",
    "best",
    "add",
    "math",
    "told",
    "skill",
    "at",
    "exact",
    "stat",
    "level_of",
    "equals",
    "end",
]


@LANGUAGES
def test_no_name_that_is_told_hides_what_stands_beside_it(tmp_path, language):
    factor = "1 + " + " + ".join(f"{name} / {place}" for place, name in enumerate(TOLD, 3))
    design = make(
        {"values": [90]}, 2, sources={"blight": {"level": 1, "xp": 10}}, encounter={"seconds": 30},
        players={"steady": {"traits": dict.fromkeys(TOLD, 0.5)}},
        multipliers=[{"name": "able", "stack": "add", "factor": factor}, {"name": "gap", "stack": "best", "factor": "clip(2 - gap, 1, 2)"}],
    )  # fmt: skip
    found = rm.export(design, tmp_path, [language], name="canopy")
    told = {name: place / 7 for place, name in enumerate(TOLD)}
    right = int(1000 * (1 + sum(told[name] / place for place, name in enumerate(TOLD, 3))) * 2)
    ask = {"id": 1, "track": "warden", "do": [{"encounter": "blight", "xp": 1000, "success": 1, **told}]}
    said = answers(tmp_path, build(tmp_path, language), [ask])
    assert said[0]["states"][-1]["award"] == right
    assert any(words.startswith(f"{language}: ") and words.endswith("_") for words in found.respelt)


def test_no_name_that_is_told_is_asked_for_otherwise():
    design = make(
        {"values": [90]}, 2, sources={"blight": {"level": 1, "xp": 10}}, encounter={"seconds": 30},
        players={"steady": {"traits": {"success": 0.5}}}, multipliers=[{"name": "able", "factor": "1 + success"}],
    )  # fmt: skip
    with pytest.raises(rm.DesignError, match=r"multipliers\[0\].factor: .*any name but encounter, success, player, on"):
        exported(design)
