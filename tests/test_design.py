"""The design file: its mistakes all at once, reading, writing, changed copies, the schema."""

from __future__ import annotations

import json
import pickle
import re
import tomllib

import jsonschema
import numpy as np
import pytest

import ramulus as rm
from conftest import make
from ramulus.design import demo_text, shipped_variants, starter_text

MANY_MISTAKES = """
format = 2
titel = "x"
[constants]
steepness = 1.5
floor = 3
[tracks.warden]
max_level = 5
[tracks.warden.cost]
formula = "100 * levle + steepnes"
rounding = "dwn"
[stats.shear]
base = 9
groth = 1.1
[sources.aphid]
level = 1
xp = { low = 9, high = 3 }
skill = "grafting"
skill_xp = 1
[sources.borer]
level = true
xp = "level ^ 2"
[players.steady]
spends = ["keen"]
hours_per_day = 30
"""


def test_every_mistake_at_once_with_place_and_nearest_name(tmp_path):
    file = tmp_path / "bad.toml"
    file.write_text(MANY_MISTAKES)
    with pytest.raises(rm.DesignError) as caught:
        rm.load_design(file)
    found = {problem.place: problem for problem in caught.value.problems}
    assert found["format"].allowed == "1"
    assert found["titel"].nearest == "title"
    assert found["constants.floor"].code == "hidden-name"
    assert found["tracks.warden.cost.rounding"].nearest == "down"
    assert found["stats.shear.groth"].nearest == "growth"
    assert "low 9 is above high 3" in found["sources.aphid.xp"].found
    assert "sources.borer.level" in found
    assert found["sources.borer.xp"].code == "caret-for-power"
    assert "hours_per_day" in " ".join(found)
    # What only the whole design tells is there too.
    names = [p.nearest for p in caught.value.problems if p.place == "tracks.warden.cost.formula"]
    assert names == ["level", "steepness"]
    assert found["players.steady.spends[0]"].code == "unknown-reference"
    assert all(str(file) in line for line in str(caught.value).splitlines())


@pytest.mark.parametrize(
    ("text", "word"),
    [
        ("format = ", "not TOML"),
        ("\xff", "UTF-8"),
        ("x = 1", "format: missing"),
        ("format = 1\ntitle = 't'\n", "tracks: missing"),
    ],
)
def test_files_that_are_no_design(tmp_path, text, word):
    file = tmp_path / "bad.toml"
    file.write_bytes(text.encode("latin-1"))
    with pytest.raises(rm.DesignError, match=word):
        rm.load_design(file)


def test_a_missing_file_names_the_nearest_one(canopy):
    with pytest.raises(rm.DesignError, match=r"no such file.*canopy\.toml"):
        rm.load_design(canopy.with_name("canopi.toml"))


def test_names_that_would_mean_two_things():
    with pytest.raises(rm.DesignError, match="also a constant"):
        make(constants={"shear": 1}, stats={"shear": {"base": 1}})
    with pytest.raises(rm.DesignError, match="toughness.*no number of: b"):
        make(
            sources={"a": {"level": 1, "xp": 1, "toughness": 3}, "b": {"level": 1, "xp": 1}},
            encounter={"seconds": "toughness"},
        )
    with pytest.raises(rm.DesignError, match="accuracy.*missing for: y"):
        make(
            sources={"a": {"level": 1, "xp": 1}},
            encounter={"seconds": "9 / accuracy"},
            players={"x": {"traits": {"accuracy": 1}}, "y": {}},
        )


def test_a_track_at_fault_makes_no_faults_of_what_names_it():
    with pytest.raises(rm.DesignError) as caught:
        rm.demo_design().with_values({"tracks.warden.max_level": 0})
    assert [one.place for one in caught.value.problems] == ["tracks.warden"]
    data = rm.demo_design().to_dict()
    data["tracks"]["warden"]["max_level"], data["sources"]["shoot_graft"]["skill"] = 0, "graftin"
    with pytest.raises(rm.DesignError, match="called 'graftin'; allowed: grafting; did you mean 'grafting'") as caught:
        rm.Design.from_dict(data)
    assert len(caught.value.problems) == 2
    data["goals"][0]["level"] = 5_000  # How far a track goes that is at fault, nobody knows.
    with pytest.raises(rm.DesignError) as caught:
        rm.Design.from_dict(data)
    assert len(caught.value.problems) == 2


def test_a_design_goes_to_data_and_back():
    design = rm.demo_design()
    assert rm.Design.from_dict(design.to_dict()) == design
    assert rm.Design.from_dict(json.loads(json.dumps(design.to_dict()))) == design


@pytest.mark.parametrize("name", ["again.toml", "again.json"])
def test_saving_and_loading(tmp_path, canopy, name):
    design = rm.load_design(canopy)
    design.save(tmp_path / name)
    assert rm.load_design(tmp_path / name) == design


def test_saving_keeps_comments_order_and_untouched_text(tmp_path, canopy):
    design = rm.load_design(canopy).with_values({"constants.steepness": 1.4, "multipliers.outgrown.factor": 0.5})
    design.save(tmp_path / "softer.toml")
    before, after = demo_text().splitlines(), (tmp_path / "softer.toml").read_text().splitlines()
    changed = [(a, b) for a, b in zip(before, after, strict=True) if a != b]
    assert [b for _, b in changed] == ["steepness = 1.4", "factor = 0.5"]
    assert rm.load_design(tmp_path / "softer.toml") == design


LAYOUTS = (
    "[tracks.a]\nmax_level = 5  # five\ncost = { values = [1, 2, 3, 4] }\n",
    "tracks.a.max_level = 5  # five\ntracks.a.cost.values = [1, 2, 3, 4]\n",
    "# five\ntracks = { a = { max_level = 5, cost = { values = [1, 2, 3, 4] } } }\n",
    "[tracks.a]  # five\nmax_level = 5\n[tracks.a.cost]\nvalues = [1, 2, 3, 4]\n[[multipliers]]\nname = 'm'\nfactor = 2\n",
)
CHANGES = (
    {"tracks.a.overflow.carry": 0.5},
    {"awards.rounding": "up", "tracks.a.max_level": 4},
    {"constants": {"x": 1}},
    {"encounter.failure.loss": 0.5},
    {"tracks.a.cost.values": [1, 2, 3, 9]},
    {"sources": {"s": {"level": 1, "xp": {"low": 1, "high": 3}, "tags": ["x"], "limit": None}}},
    {"multipliers": [{"name": "q", "factor": 3}, {"name": "r", "factor": 3}]},
    {"players": {"p": {"traits": {"a": 1}}}},
)


@pytest.mark.parametrize("changes", CHANGES, ids=lambda changes: next(iter(changes)))
@pytest.mark.parametrize("layout", LAYOUTS)
def test_a_change_is_saved_into_any_layout(tmp_path, layout, changes):
    file = tmp_path / "d.toml"
    file.write_text(f'format = 1\ntitle = "t"\n{layout}')
    design = rm.load_design(file).with_values(changes)
    design.save(file)
    assert rm.load_design(file) == design
    assert "# five" in file.read_text()


@pytest.mark.parametrize(
    ("place", "said"),
    [
        ("tracks.warden.max_level.x", "6 stands there, and nothing below it"),
        ("tracks.warden.cost.formula.x", "'100 . level' stands there"),
        ("title[0]", "'Canopy' stands there"),
        ("encounter.failure.los", "did you mean 'encounter.failure.loss'"),
    ],
)
def test_a_place_below_a_number_does_not_exist(place, said):
    with pytest.raises(rm.UnknownNameError, match=said):
        make().with_values({place: 1})


def test_huge_numbers_are_mistakes_like_others(tmp_path):
    file = tmp_path / "d.toml"
    many = "9" * 5000
    for text in (f"format = {many}", f'format = 1\ntitle = "t"\ntracks.a.max_level = {many[:4000]}'):
        file.write_text(text)
        with pytest.raises(rm.DesignError) as caught:
            rm.load_design(file)
        assert len(str(caught.value)) < 2000
    json_file = tmp_path / "d.json"
    json_file.write_text(f'{{"format": {many}}}')
    with pytest.raises(rm.DesignError, match="thousands of digits"):
        rm.load_design(json_file)
    for huge in (10**5000, 10**400, 1e300):
        for place in ("tracks.warden.start_xp", "tracks.warden.start_points", "tracks.warden.points_per_level"):
            with pytest.raises(rm.DesignError):
                rm.Ledger(make().with_values({place: huge}))
    for huge in (10**5000, 10**400):
        with pytest.raises(rm.DesignError):
            rm.level_table(make().with_values({"tracks.warden.cost": {"values": [huge] * 5}}))


def test_a_design_of_json_says_its_schema_and_goes_on_saying_it(tmp_path):
    file, plain = tmp_path / "d.json", make()
    file.write_text(json.dumps({"$schema": "./ramulus.schema.json", **plain.to_dict()}))
    design = rm.load_design(file)
    assert design == plain and "$schema" not in design.to_dict()
    jsonschema.validate(json.loads(file.read_text()), rm.design_schema())
    design.with_values({"title": "other"}).save(file)
    assert list(json.loads(file.read_text()))[:3] == ["$schema", "format", "title"]
    assert rm.load_design(file).title == "other"
    file.write_text('{"$schema": 5}')
    with pytest.raises(rm.DesignError, match=r"\$schema: unknown key"):
        rm.load_design(file)


def test_a_column_of_the_authors_never_hides_one_of_a_table():
    source = {"sources": {"a": {"level": 1, "xp": 1, "seconds": 1}}}
    for parts, words in (
        ({"stats": {"cost": {"base": 1}}}, "stats.cost: 'cost' is already a column of the levels table"),
        ({"multipliers": [{"name": "award", "factor": 1}], **source}, r"multipliers\[0\].name: 'award' is already"),
        ({"multipliers": [{"name": "a", "factor": 1}] * 2, **source}, r"multipliers\[1\].name: .* another multiplier"),
        ({"encounter": {"show": {"chance": "level"}}, **source}, "encounter.show.chance: 'chance' is already"),
        ({"players": {"p": {}}, "party": {"members": {"highest": {"player": "p"}}}}, "party.members.highest"),
    ):
        with pytest.raises(rm.DesignError, match=words) as caught:
            make(**parts)
        assert [problem.code for problem in caught.value.problems] == ["reserved-name"]


def test_changed_copies_leave_the_original():
    design = rm.demo_design()
    softer = design.with_values({"constants.steepness": 1.4, "tracks.warden.overflow.carry_limit": 0.5})
    assert design.constants["steepness"] == 1.55
    assert softer.constants["steepness"] == 1.4
    assert softer.tracks["warden"].overflow.carry_limit == 0.5
    assert softer.tracks["warden"].overflow.at_cap == "fill"
    with pytest.raises(rm.UnknownNameError, match="did you mean 'constants.steepness'"):
        design.with_values({"constants.steepnes": 1})
    with pytest.raises(rm.DesignError, match="carry"):
        design.with_values({"tracks.warden.overflow.carry": 2})


def test_a_design_is_frozen_to_its_last_list():
    design = rm.demo_design()
    before = rm.level_table(design)
    for change in (
        lambda: design.constants.update(steepness=1.1),
        lambda: design.constants.__setitem__("steepness", 1.1),
        lambda: design.multipliers.append(design.multipliers[0]),
        lambda: design.players["steady"].spends.sort(),
        lambda: setattr(design, "title", "x"),
    ):
        with pytest.raises((TypeError, ValueError), match="frozen"):
            change()
    assert rm.level_table(design).equals(before)
    again = pickle.loads(pickle.dumps(design))
    assert again == design and rm.level_table(again).equals(before)


def test_keys_of_another_way_to_state_costs_are_refused():
    for cost, key in (
        ({"next": "previous", "first": 1, "gives": "total"}, "gives"),
        ({"formula": "9", "beyond": "hold"}, "beyond"),
    ):
        with pytest.raises(rm.DesignError, match=f"tracks.warden.cost.{key}: unknown key"):
            make(cost)


def test_the_schema_takes_what_we_ship_and_knows_no_nothing():
    schema = rm.design_schema()
    jsonschema.Draft202012Validator.check_schema(schema)
    validator = jsonschema.Draft202012Validator(schema)
    for text in (demo_text(), starter_text(), *shipped_variants().values()):
        assert list(validator.iter_errors(tomllib.loads(text))) == []
    assert schema["properties"]["constants"]["description"]
    assert "null" not in json.dumps(schema)


# One mistake each: where it stands, what is put there, and the only place that the schema alone marks.
SINGLE = [
    ("encounter.secnds", 3, "encounter.secnds"),
    ("encounter.seconds", True, "encounter.seconds"),
    ("encounter.failure.loss", 2, "encounter.failure.loss"),
    ("encounter.variation", 21, "encounter.variation"),
    ("tracks.warden.cost.formla", "3", "tracks.warden.cost.formla"),
    ("tracks.warden.cost.values", [1, 2], "tracks.warden.cost.values"),
    ("tracks.warden.cost.rounding", "dwn", "tracks.warden.cost.rounding"),
    ("tracks.warden.overflow.at_cap", "fil", "tracks.warden.overflow.at_cap"),
    ("tracks.warden.points_per_levl", 1, "tracks.warden.points_per_levl"),
    ("stats.shear.grwth", 1, "stats.shear.grwth"),
    ("upgrades.keen_edge.max_rank", [1], "upgrades.keen_edge.max_rank"),
    ("sources.aphid_cluster.xp.hgh", 3, "sources.aphid_cluster.xp.hgh"),
    ("sources.aphid_cluster.xp.one_of", [[1, 1]], "sources.aphid_cluster.xp.one_of"),
    ("sources.shoot_graft.skill_xp", [1], "sources.shoot_graft.skill_xp"),
    ("multipliers.0.fromlevel", 1, "multipliers.0.fromlevel"),
    ("multipliers.0.stack", "sum", "multipliers.0.stack"),
    ("players.steady.spred", 1, "players.steady.spred"),
    ("players.steady.hours_per_day", 25, "players.steady.hours_per_day"),
    ("players.steady.hours_per_day", 5e-324, "players.steady.hours_per_day"),
    ("party.leadr", "wren", "party.leadr"),
    ("constants.steepness", [1], "constants.steepness"),
    ("titel", "x", "titel"),
]


@pytest.mark.parametrize(("place", "value", "marked"), SINGLE)
def test_the_schema_alone_marks_a_mistake_where_it_stands(place, value, marked):
    data = tomllib.loads(demo_text())
    *path, last = [int(part) if part.isdigit() else part for part in place.split(".")]
    holder = data
    for part in path:
        holder = holder[part]
    holder[last] = value
    found = set()
    for error in jsonschema.Draft202012Validator(rm.design_schema()).iter_errors(data):
        where = ".".join(map(str, error.absolute_path))
        # An unknown key is reported of its table, and named.
        extra = (
            re.findall(r"'(\w+)' was unexpected", error.message) if error.validator == "additionalProperties" else [""]
        )
        found |= {f"{where}.{key}".strip(".") for key in extra}
    assert found == {marked}
    with pytest.raises(rm.DesignError, match=last if isinstance(last, str) else ""):
        rm.Design.from_dict(data)


def alternatives() -> list[str]:
    """The starter with each of its commented alternatives taken in, and what it replaces taken out."""
    lines, found = starter_text().splitlines(), []
    for index, line in enumerate(lines):
        if not line.startswith("## instead of ("):
            continue
        letter, changed = line[15], list(lines)
        (replaced,) = [i for i, other in enumerate(lines) if other.endswith(f"# ({letter})")]
        changed[replaced] = f"# {lines[replaced]}"
        below = index + 1
        while below < len(lines) and lines[below].startswith("# "):
            changed[below] = lines[below].removeprefix("# ")
            below += 1
        found.append("\n".join(changed))
    return found


@pytest.mark.parametrize("text", alternatives())
def test_every_alternative_of_the_starter_is_a_design(tmp_path, text):
    file = tmp_path / "mine.toml"
    file.write_text(text)
    design = rm.load_design(file)
    assert design != rm.Design.from_dict(tomllib.loads(starter_text()))
    assert [finding for finding in rm.check(design) if finding.severity == "error"] == []
    assert rm.simulate(design, 3, hours=1).pace()["reached"].max() == 1


def test_there_are_alternatives_to_try():
    assert len(alternatives()) >= 10


def test_completion_shows_our_names_only():
    names = dir(rm.demo_design())
    assert {"with_values", "save", "sources", "profile", "constants"} <= set(names)
    assert not [name for name in names if name.startswith(("model_", "_", "dict", "json", "copy", "parse"))]


def test_numpys_numbers_are_numbers_and_a_design_is_a_key():
    design = rm.demo_design()
    numbers = {
        name: np.int64(value) if float(value).is_integer() else np.float32(value)
        for name, value in design.constants.items()
    }
    again = rm.Design.from_dict({**design.to_dict(), "constants": numbers})
    assert again.with_values({"steepness": 1.55, "constants.first_cost": np.int64(60)}) == design
    assert {design: 1}[rm.Design.from_dict(design.to_dict(defaults=True))] == 1
    assert (
        hash(design.with_values({"first_cost": 60.0})) == hash(design) != hash(design.with_values({"first_cost": 61}))
    )
    assert design.to_dict(defaults=True)["tracks"]["warden"]["overflow"]["threshold"] == "reached"
    assert "threshold" not in design.to_dict()["tracks"]["warden"]["overflow"]
    assert rm.Ledger(design).award(np.int64(2**60)).amount == 2**60
    assert isinstance(rm.costs_for(design, "steady", {np.int64(5): np.float64(0.4)}), rm.Design)


@pytest.mark.parametrize("change", [lambda d: setattr(d, "title", "x"), lambda d: d.constants.update(steepness=1)])
def test_a_design_cannot_be_set(change):
    with pytest.raises(TypeError, match="a design is frozen; Design.with_values gives a changed copy"):
        change(rm.demo_design())


@pytest.mark.parametrize(
    "call",
    [
        rm.level_table, rm.effort_table, rm.gain_table, rm.simulate, rm.check, rm.play_party, rm.Ledger,
        rm.plots.pace, rm.plots.costs, rm.plots.stats, rm.plots.time_in_level,
        lambda given: rm.tune(given, ["a"]), lambda given: rm.explain(given, "x", 1), lambda given: rm.trace(given, [1]),
        lambda given: rm.sensitivity(given), lambda given: rm.compare({"a": given, "b": given}),
    ],
)  # fmt: skip
def test_a_path_where_a_design_is_wanted_is_told_so(call):
    with pytest.raises(rm.RamulusError, match=r"a path was given \('canopy.toml'\); allowed: "):
        call("canopy.toml")


@pytest.mark.parametrize(
    ("call", "said"),
    [
        (lambda d: rm.fit(d, "log.parquet"), r"a path was given \('log.parquet'\); allowed: a log, as read_log"),
        (lambda d: rm.observed(d, "log.parquet"), "allowed: a log, as read_log"),
        (lambda d: rm.replay(d, "log.parquet"), "allowed: a log, as read_log"),
        (lambda d: rm.compare([d, d]), r'designs is a list; allowed: by name, such as \{"now": design'),
        (lambda d: rm.sweep(d, "steepness"), r"values is a str; allowed: by name, such as \{\"steepness\": \["),
        (lambda d: rm.tune(d, "steepness"), r"vary is the text 'steepness'; allowed: a list of names, such as \['st"),
        (lambda d: rm.sensitivity(d, "steepness"), "vary is the text 'steepness'"),
        (lambda d: rm.simulate(d, 2, until="grafting"), "until is the text 'grafting'"),
        (lambda d: rm.gain_table(d, during="weekend"), "during is the text 'weekend'"),
    ],
)
def test_something_else_than_is_asked_for_is_told_so(call, said):
    with pytest.raises(rm.RamulusError, match=said):
        call(rm.demo_design())


def test_a_figure_says_what_it_is_drawn_from():
    design = rm.demo_design()
    table = rm.level_table(design)
    for figure, given, said in (
        (rm.plots.pace, design, r"a design was given .* simulate\(design\)"),
        (rm.plots.pace, table, r"a table was given .* simulate\(design\)"),
        (rm.plots.costs, rm.simulate(design, 2), r"a result was given .* load_design\(path\)"),
        (rm.plots.costs, {"a": 5}, r"int was given \(5\); allowed: a design"),
        (rm.plots.sensitivity, design, r"a design was given .* a table, as sensitivity\(design, …\)"),
        (rm.plots.sweep, table["cost"], "a column was given"),
        (rm.plots.party, None, "NoneType was given"),
    ):
        with pytest.raises(rm.RamulusError, match=said):
            figure(given)


def test_a_figure_takes_tables_of_other_libraries():
    class Foreign:
        """A table of another library, as polars and Arrow have them."""

        def __init__(self, table):
            self._table = table

        def to_pandas(self):
            return self._table.copy()

    swept = rm.sweep(rm.demo_design(), {"constants.steepness": [1.4, 1.5]}, players=20)
    axes, again = rm.plots.sweep(swept), rm.plots.sweep(Foreign(swept))
    lines = [[line.get_xydata().tolist() for line in one.get_lines()] for one in (axes, again)]
    assert lines[0] == lines[1] and lines[0]


def test_what_was_meant_by_a_key_that_is_missing():
    design = make(sources={"a": {"level": 1, "xp": 3, "second": 3}})
    with pytest.raises(rm.DesignError, match="did you mean it by sources.a.second"):
        rm.effort_table(design)
    with pytest.raises(rm.DesignError, match="stats.NAME.formula, where it is the stat's own base, would lose it"):
        make(constants={"base": 3})


def test_a_starter_by_ones_own_names(cli, tmp_path):
    assert cli("new", tmp_path / "mine.toml", "--track", "angler", "--stat", "reel").status == 0
    design = rm.load_design(tmp_path / "mine.toml")
    assert list(design.tracks) == ["angler"] and list(design.stats) == ["reel"]
    refused = cli("new", tmp_path / "no.toml", "--track", "a b")
    assert refused.status == 2 and "cannot be names" in refused.err and not (tmp_path / "no.toml").exists()
