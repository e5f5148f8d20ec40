"""A design spread over files, variants of a few lines, and formulas of constants where numbers stand."""

from __future__ import annotations

import json
import tomllib

import pytest

import ramulus as rm

BASE = """format = 1
title = "Canopy"   # the whole tree

[constants]
first_cost = 60    # tuned
[tracks.warden]
max_level = 5
cost.formula = "first_cost * level"
[sources.aphid]
level = 1
xp = 20
seconds = 30       # a cut or two
[sources.borer]
level = 3
xp = 40
seconds = 50
[[goals]]
player = "everyone"
level = 5
hours = 1
"""


@pytest.fixture
def folder(tmp_path):
    """A design in several files: `write(name, text)` adds one, `load(name)` reads one."""

    def write(name, text):
        file = tmp_path / name
        file.parent.mkdir(exist_ok=True)
        file.write_text(text, encoding="utf-8")
        return file

    write("base.toml", BASE)
    write.load = lambda name: rm.load_design(tmp_path / name)
    write.folder = tmp_path
    return write


def test_a_variant_of_a_few_lines(folder, cli):
    folder("soft.toml", 'extends = "base.toml"\ntitle = "Soft"\nwithout = ["sources.borer", "goals"]\n'
           "[constants]\nfirst_cost = 40\n[sources.aphid]\nxp = 30\n")  # fmt: skip
    base, soft = folder.load("base.toml"), folder.load("soft.toml")
    assert soft.title == "Soft" and soft.constants == {"first_cost": 40} and soft.goals == []
    assert list(soft.sources) == ["aphid"] and soft.sources["aphid"].xp == 30 and soft.sources["aphid"].seconds == 30
    assert soft == rm.Design.from_dict({**base.with_values({"title": "Soft", "constants.first_cost": 40,
                                        "sources.aphid.xp": 30, "goals": []}).to_dict(),
                                        "sources": {"aphid": {"level": 1, "xp": 30, "seconds": 30}}})  # fmt: skip
    shown = cli("show", folder.folder / "soft.toml").out
    assert "first_cost = 40\n" in shown and "seconds = 30 # from base.toml" in shown
    assert tomllib.loads(shown) == soft.to_dict()
    told = cli("compare", folder.folder / "base.toml", folder.folder / "soft.toml", "--players", 20)
    assert told.status == 0 and "Soft" in told.out + cli("levels", folder.folder / "soft.toml").out
    rows = cli("show", folder.folder / "soft.toml", "--format", "records").out
    assert {"place": "sources.aphid.xp", "value": "30", "file": str(folder.folder / "soft.toml")} in json.loads(rows)


def test_what_is_included_is_added(folder):
    folder("main.toml", BASE.replace("[[goals]]", "[[multipliers]]\nname = \"one\"\nfactor = 1.5\n[[goals]]").replace(
        "format = 1", 'format = 1\ninclude = ["players/*.toml", "rules.json"]'))  # fmt: skip
    folder("players/b.toml", '[players.quick]\nseconds_between = 3\n[[multipliers]]\nname = "two"\nfactor = 2\n')
    folder("players/a.toml", "[players.slow]\nseconds_between = 30\n")
    folder("rules.json", json.dumps({"multipliers": [{"name": "three", "factor": 3}], "awards": {"rounding": "up"}}))
    design = folder.load("main.toml")
    assert list(design.players) == ["slow", "quick"] and design.awards.rounding == "up"
    assert [rule.name for rule in design.multipliers] == ["one", "two", "three"]
    assert [file.name for file in design.files] == ["main.toml", "a.toml", "b.toml", "rules.json"]
    assert design.origin_of("multipliers[1].factor").name == "b.toml"


@pytest.mark.parametrize(
    ("files", "code", "words"),
    [
        ({"a.toml": 'extends = "b.toml"', "b.toml": 'extends = "a.toml"'}, "file-circle", "a.toml → b.toml → a.toml"),
        ({"a.toml": 'include = ["a.toml"]'}, "file-circle", "a.toml → a.toml"),
        ({"a.toml": 'extends = "../base.toml"'}, "file-outside", "lies outside"),
        ({"a.toml": 'extends = "bse.toml"'}, "unreadable-file", "base.toml"),
        ({"a.toml": 'include = ["none/*.toml"]'}, "invalid-value", "no file fits"),
        ({"a.toml": "include = 3"}, "invalid-value", "a list of texts"),
        ({"a.toml": "extends = 3"}, "invalid-value", "the name of a file"),
        ({"a.toml": 'without = ["x"]'}, "invalid-value", "nothing is extended"),
        ({"a.toml": 'extends = "base.toml"\nwithout = ["sources.bore"]'}, "unknown-reference", "'sources.borer'"),
        ({"a.toml": 'include = ["base.toml"]\n[sources.aphid]\nlevel = 1\nxp = 1'}, "stands-twice", "base.toml"),
        ({"a.toml": 'include = ["base.toml"]\ntitle = "x"'}, "stands-twice", "in a.toml and in base.toml"),
        ({"a.toml": 'extends = "b.toml"', "b.toml": BASE + "[players.p]\nshar = 1\n"}, "unknown-key", "b.toml: players.p"),
    ],
    ids=lambda value: value if isinstance(value, str) else "",
)  # fmt: skip
def test_what_is_wrong_with_several_files_is_said_where_it_stands(folder, cli, files, code, words):
    for name, text in files.items():
        folder(name, text)
    with pytest.raises(rm.DesignError) as caught:
        folder.load("a.toml")
    assert code in [problem.code for problem in caught.value.problems]
    ran = cli("check", folder.folder / "a.toml")
    assert ran.status == 1 and words in ran.err + ran.out and "Traceback" not in ran.err


def test_a_change_is_written_into_the_file_that_says_it(folder, cli):
    folder(
        "soft.toml", 'include = ["who.toml"]\nextends = "base.toml"   # most of it\n[sources.aphid]\nxp = 30 # more\n'
    )
    folder("who.toml", "[players.p]\nshare = 1\nseconds_between = 20   # slow hands\n")
    before = {name: (folder.folder / name).read_text() for name in ("soft.toml", "base.toml", "who.toml")}
    design = folder.load("soft.toml")
    changed = design.with_values({"constants.first_cost": 75, "players.p.seconds_between": 9, "sources.borer.xp": 44})
    assert {file.name for file in changed.save(folder.folder / "soft.toml")} == {"base.toml", "who.toml"}
    after = {name: (folder.folder / name).read_text() for name in before}
    assert after["soft.toml"] == before["soft.toml"]
    assert after["base.toml"] == before["base.toml"].replace("first_cost = 60 ", "first_cost = 75 ").replace(
        "xp = 40", "xp = 44"
    )
    assert after["who.toml"] == before["who.toml"].replace("= 20", "= 9")
    assert folder.load("soft.toml") == changed
    # Elsewhere it is written as a whole; with --write only the file that says the number changes.
    changed.save(folder.folder / "whole.toml")
    assert folder.load("whole.toml") == changed
    ran = cli("tune", folder.folder / "soft.toml", "--vary", "first_cost=30:200", "--players", 40, "--write", "--force")
    assert ran.status == 0 and "wrote" in ran.out + ran.err and "base.toml" in ran.out + ran.err
    assert (folder.folder / "soft.toml").read_text() == before["soft.toml"]
    assert "# tuned" in (folder.folder / "base.toml").read_text()


FORMULAS = """format = 1
title = "Chapters"
[constants]
chapters = 4
a_chapter = 5
last = "first_cost * a_chapter * chapters"   # in any order
first_cost = 10
[tracks.warden]
max_level = "chapters * a_chapter"
cost.formula = "first_cost * level"
[sources.aphid]
level = 1
xp = 7
weight = "1 / chapters"
seconds = "a_chapter * level"
limit = "chapters * 25"
[[multipliers]]
name = "outgrown"
against = "gap"
bands = [["a_chapter", 1.5], [12, "1 / 2"]]
"""


def test_constants_of_constants_and_formulas_where_numbers_stand(folder):
    folder("a.toml", FORMULAS)
    design = folder.load("a.toml")
    assert design.constants == {"chapters": 4, "a_chapter": 5, "last": 200, "first_cost": 10}
    assert design.tracks["warden"].max_level == 20 and design.sources["aphid"].limit == 100
    assert design.sources["aphid"].weight == 0.25 and design.multipliers[0].bands == [[5, 1.5], [12, 0.5]]
    assert design.sources["aphid"].seconds == "a_chapter * level"  # A formula of its own, as ever.
    # They follow their constants, and stay formulas where the design is written.
    more = design.with_values({"constants.chapters": 6})
    assert more.tracks["warden"].max_level == 30 and more.constants["last"] == 300
    assert more.to_dict()["tracks"]["warden"]["max_level"] == "chapters * a_chapter"
    assert more.to_dict(numbers=True)["tracks"]["warden"]["max_level"] == 30
    more.save(folder.folder / "a.toml")
    assert (folder.folder / "a.toml").read_text() == FORMULAS.replace("chapters = 4", "chapters = 6")
    assert folder.load("a.toml") == more == rm.Design.from_dict(more.to_dict())
    assert "last" in [f.place.split(".")[-1] for f in rm.check(design) if f.code == "constant-unused"]
    assert rm.explain(design, "tracks.warden.max_level", 1).value == 20


@pytest.mark.parametrize(
    ("old", "new", "place", "words"),
    [
        ("chapters = 4", 'chapters = "last / 50"', "constants.chapters", "reads itself"),
        ("chapters = 4", 'chapters = "chaptrs"', "constants.chapters", "no constant"),
        ("chapters = 4", 'chapters = "1 / 0"', "constants.chapters", "no finite number"),
        ('"chapters * a_chapter"', '"chapters / 3"', "tracks.warden.max_level", "1.333"),
        ('"chapters * a_chapter"', '"level * 2"', "tracks.warden.max_level", "'level' is no constant"),
        ('"1 / chapters"', '"-chapters"', "sources.aphid.weight", "below 0"),
    ],
)
def test_a_formula_that_gives_no_number_is_said_at_its_place(folder, old, new, place, words):
    assert FORMULAS.count(old) == 1
    folder("a.toml", FORMULAS.replace(old, new))
    with pytest.raises(rm.DesignError) as caught:
        folder.load("a.toml")
    found = {problem.place: str(problem) for problem in caught.value.problems}
    assert words in found[place]


def test_what_is_dropped_is_dropped_from_every_file(folder, tmp_path):
    folder("base.toml", BASE.replace("first_cost = 60", "spare = 1\nother = 2\nfirst_cost = 60"))
    folder("soft.toml", 'extends = "base.toml"\n[constants]\nspare = 3\n')
    soft = folder.load("soft.toml")
    written = soft.without_constants(soft.unread_constants).save(tmp_path / "soft.toml")
    assert {file.name for file in written} == {"base.toml", "soft.toml"}
    assert (
        folder.load("soft.toml").constants == {"first_cost": 60} and "# tuned" in (tmp_path / "base.toml").read_text()
    )


def test_the_schema_asks_of_a_file_what_no_other_says():
    import jsonschema

    schema, whole = rm.design_schema(), tomllib.loads(BASE)
    part = {"format": 1, "title": "Canopy"}
    for data, fits in (
        (whole, True),
        (part, False),
        (part | {"include": ["a.toml"]}, True),
        ({"extends": "a.toml"}, True),
    ):
        assert jsonschema.Draft202012Validator(schema).is_valid(data) == fits, data
