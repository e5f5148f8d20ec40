"""Cost tables in files: what is written reads back, and spreadsheets come as they come."""

from __future__ import annotations

import numpy as np
import pytest

import ramulus as rm
from conftest import make
from ramulus.design import writing
from ramulus.files import write_table
from ramulus.files.cost_file import read_cost_table
from ramulus.rules.tabulation import tabulated


@pytest.mark.parametrize("ending", ["csv", "json", "xlsx", "parquet"])
@pytest.mark.parametrize("formula", ["60 + 24 * level ** 1.55", "0.1 + level / 3"])
def test_what_is_written_reads_back_equal(tmp_path, ending, formula):
    design = make({"formula": formula, "rounding": "none"}, 40)
    file = tmp_path / f"costs.{ending}"
    write_table(rm.level_table(design), file, "levels")
    again = make({"file": file.name, "rounding": "none"}, 40, file=file)
    assert tabulated(again).main.curve.costs.tolist() == tabulated(design).main.curve.costs.tolist()
    totals = make({"file": file.name, "gives": "total", "rounding": "none"}, 40, file=file)
    np.testing.assert_allclose(tabulated(totals).main.curve.costs, tabulated(design).main.curve.costs, rtol=1e-12)


@pytest.mark.parametrize(
    ("data", "expected"),
    [
        (b"level,cost\n1,60\n2,84\n", {1: 60, 2: 84}),
        (b"\xef\xbb\xbfLevel;Cost;note\r\n1;60;x\r\n2;1.234;y\r\n\r\n;;\r\n", {1: 60, 2: 1234}),
        (b'LEVEL, COST \n1,"1,200"\n2,"2,400"\n', {1: 1200, 2: 2400}),
        (b"level\tcost\n1\t12,5\n2\t1.234,5\n", {1: 12.5, 2: 1234.5}),
        ("level;cost\n1;1\u00a0200\n2;2 400\n".encode(), {1: 1200, 2: 2400}),
        ("level,cost\n1,60\n2,84\n".encode("utf-16"), {1: 60, 2: 84}),
        (b"name,total,level\na,0,1\nb,60,2\n", {1: 0, 2: 60}),
        (b"level,cost\n1,60.125\n2,84.5\n", {1: 60.125, 2: 84.5}),
        (b"level,cost\n3,5\n1,2\n2,4\n", {1: 2, 2: 4, 3: 5}),
        (b"What wardens pay,,\n\nas of spring;,,\nlevel,cost\n1,60\n2,84\n", {1: 60, 2: 84}),
    ],
)
def test_spreadsheets_as_they_come(tmp_path, data, expected):
    file = tmp_path / "costs.csv"
    file.write_bytes(data)
    assert read_cost_table(file).by_level == expected


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"level,cost\n1,60\n2,many\n", ["row 3", "'cost'", "'many'"]),
        (b"level,price\n1,60\n", ["no column 'cost' or 'total'", "price"]),
        (b"lvl,cost\n1,60\n", ["no column 'level'"]),
        (b"level,cost\n1,60\n1,70\n", ["row 3", "twice"]),
        (b"level,cost\n1.5,60\n", ["row 2", "whole level"]),
        (b"level,cost\n1,1,200\n", ["row 2", "3 cells under 2"]),
        (b"level;cost\n1;60.125\n2;84.250\n", ["60.125", "may mean"]),
        (b"level,cost\n", ["no row of numbers"]),
        (b"level,cost\n1,inf\n", ["row 2", "'inf'"]),
        (b"level,cost,Cost\n1,5,7\n", ["2 columns are called 'cost'"]),
        (b"", ["empty"]),
        (b"level,cost\n1," + b"9" * 200_000 + b"\n", ["CSV"]),
        (b"root:x:0:0:" + b"secret" * 50, ["no column 'level'", "…"]),
    ],
)
def test_what_cannot_be_understood_is_an_error_with_row_and_column(tmp_path, data, words):
    file = tmp_path / "costs.csv"
    file.write_bytes(data)
    with pytest.raises(rm.DataError) as caught:
        read_cost_table(file)
    for word in ["costs.csv", *words]:
        assert word in str(caught.value)


def damaged():
    """Files that no reader understands, by ending."""
    from datetime import date
    from io import BytesIO

    import openpyxl
    import pandas as pd

    book, bytes_of = openpyxl.Workbook(), BytesIO()
    book.active.append(["level", "cost"])
    book.active.append([1, date(2026, 1, 2)])
    book.save(bytes_of)
    whole = bytes_of.getvalue()
    parquet = BytesIO()
    pd.DataFrame({"level": [1, 2], "cost": [[1], [2]]}).to_parquet(parquet)
    yield from [("a.json", text) for text in (b"[1", b'{"level": 1}', b"[" * 100_000, b"[]", b"{}", b"\xff\xfe\x00")]
    yield from [
        ("a.json", b'[{"level": 1, "cost": ' + cost + b"}]") for cost in (b"[1]", b"{}", b"1e400", b"true", b"9" * 9000)
    ]
    yield ("a.json", b'[{"level": 1, "cost": 2, "cost": 3}]')
    yield from [("a.xlsx", data) for data in (b"no", whole, whole[:900], whole[:300] + b"\x00" + whole[301:])]
    yield from [("a.parquet", data) for data in (b"no", parquet.getvalue(), parquet.getvalue()[:-20])]
    yield from [("a.doc", b""), ("a.csv", bytes(range(256)) * 9), ("a.csv", b"level,cost\n1,2\x00\n")]


@pytest.mark.parametrize(
    ("name", "data"), [pytest.param(*one, id=f"{one[0]} {number}") for number, one in enumerate(damaged())]
)  # What libraries write differs from second to second.
def test_damaged_files(tmp_path, name, data):
    (tmp_path / name).write_bytes(data)
    with pytest.raises(rm.DataError, match=name) as caught:
        read_cost_table(tmp_path / name)
    assert len(str(caught.value)) < 600


def test_a_sheet_without_cells_and_a_pipe_are_errors(tmp_path):
    import os

    import openpyxl

    book = openpyxl.Workbook()
    book.create_chartsheet("chart").add_chart(openpyxl.chart.BarChart())
    book.save(tmp_path / "a.xlsx")
    with pytest.raises(rm.DataError, match="'chart' has no cells"):
        read_cost_table(tmp_path / "a.xlsx", sheet="chart")
    os.mkfifo(tmp_path / "a.csv")
    with pytest.raises(rm.DataError, match="not a regular file"):
        read_cost_table(tmp_path / "a.csv")
    os.mkfifo(tmp_path / "d.toml")
    with pytest.raises(rm.DesignError, match="not a regular file"):
        rm.load_design(tmp_path / "d.toml")


def test_columns_go_by_the_names_that_the_design_gives(tmp_path):
    file = tmp_path / "kosten.csv"
    file.write_text("Wächter;;\nStufe;XP bis zur nächsten;Summe\n1;60;0\n2;84;60\n3;;144\n", encoding="utf-8")
    columns = {"level": "Stufe", "cost": "XP bis zur nächsten", "total": "Summe"}
    way = {"file": file.name, "columns": columns}
    assert tabulated(make(way, 3, file=file)).main.curve.costs.tolist() == [60, 84]
    assert tabulated(make({**way, "gives": "total"}, 3, file=file)).main.curve.costs.tolist() == [60, 84]
    with pytest.raises(rm.DataError, match="no column 'level'; the columns are: wächter, , ; name them"):
        tabulated(make({"file": file.name}, 3, file=file)).main.curve  # noqa: B018


def test_a_file_of_far_more_rows_than_levels_is_refused_soon(tmp_path):
    file = tmp_path / "costs.csv"
    file.write_text("level,cost\n" + "1,2\n" * 300_000)
    with pytest.raises(rm.DataError, match="row 200,001, and still no end"):
        read_cost_table(file)


def test_one_cell_far_away_costs_neither_memory_nor_minutes(tmp_path):
    openpyxl = pytest.importorskip("openpyxl")
    book = openpyxl.Workbook()
    book.active["A1"], book.active["B1"], book.active["XFD1048576"] = "level", "cost", 1
    book.save(tmp_path / "costs.xlsx")
    with pytest.raises(rm.DataError, match=r"row \d+, and still no end; allowed in a cost table: 400,000 filled cells"):
        read_cost_table(tmp_path / "costs.xlsx")


def test_a_stranger_reads_no_file_but_what_lies_beside_the_design(tmp_path):
    home, other = tmp_path / "home", tmp_path / "other"
    (home / "tables").mkdir(parents=True)
    other.mkdir()
    for folder in (home, home / "tables", other):
        (folder / "costs.csv").write_text("level,cost\n1,10\n2,20\n")
    (home / "link.csv").symlink_to(other / "costs.csv")
    for name in ("costs.csv", "tables/costs.csv", "tables/../costs.csv", str(home / "costs.csv")):
        assert tabulated(make({"file": name}, 3, file=home / "d.toml")).main.curve.costs.tolist() == [10, 20]
    for name in ("../other/costs.csv", str(other / "costs.csv"), "link.csv", "/etc/passwd", "a\0b", "x" * 5000):
        with pytest.raises(
            rm.DesignError, match="tracks.warden.cost.file: .*(outside|no name of a file|control character)"
        ):
            rm.level_table(make({"file": name}, 3, file=home / "d.toml"))
    (home / "d.toml").write_text(
        'format = 1\ntitle = "t"\n[tracks.a]\nmax_level = 3\ncost.file = "../other/costs.csv"\n'
    )
    allowed = rm.load_design(home / "d.toml", also_from=other).with_values({"title": "u"})
    assert rm.level_table(allowed)["cost"].tolist()[:2] == [10, 20]


def test_gaps_and_short_tables_say_which_levels(tmp_path):
    file = tmp_path / "costs.json"
    file.write_text('{"level": [1, 2, 5], "cost": [10, 20, 50]}')
    with pytest.raises(rm.DesignError, match="no cost for level 3, 4"):
        rm.level_table(make({"file": file.name}, file=file))
    file.write_text('[{"Level": 1, "Cost": 10}, {"Level": 2, "Cost": "20"}]')
    with pytest.raises(rm.DesignError, match="3 missing"):
        rm.level_table(make({"file": file.name}, file=file))
    assert tabulated(make({"file": file.name, "beyond": "hold"}, file=file)).main.curve.costs.tolist() == [
        10,
        20,
        20,
        20,
        20,
    ]


def test_a_file_is_looked_up_beside_the_design(tmp_path):
    (tmp_path / "costs.csv").write_text("level,cost\n1,10\n2,20\n")
    (tmp_path / "d.toml").write_text('format = 1\ntitle = "t"\n[tracks.a]\nmax_level = 3\ncost.file = "costs.csv"\n')
    assert tabulated(rm.load_design(tmp_path / "d.toml")).main.curve.costs.tolist() == [10, 20]


def test_nothing_half_written(tmp_path, monkeypatch):
    target = tmp_path / "out.parquet"
    target.write_text("old")
    with pytest.raises(rm.DataError, match=r"\.doc"):
        write_table(rm.level_table(make()), tmp_path / "out.doc", "levels")

    def full(path, content):
        path.write_bytes(content[:10])
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(writing, "_write_new", full)
    with pytest.raises(rm.DataError, match=r"out.parquet: cannot be written \(No space left"):
        write_table(rm.level_table(make()), target, "levels")
    assert target.read_text() == "old"
    assert [path.name for path in tmp_path.iterdir()] == ["out.parquet"]


@pytest.mark.parametrize(
    ("name", "text", "left_out"),
    [
        ("a.csv", 'Saltmere XP v3\nLvl,XP to next\n1,100\n2,150\n3,"1,250"\n4,MAX\nTotal,1500\n', 2),
        ("b.tsv", "Saltmere XP v3\nLvl\tXP to next\n1\t100\n2\t150\n3\t1250\n4\t-\n", 1),
        ("c.csv", "Saltmere XP, version 3\nLvl;XP to next\n1;100\n2;150\n3;1250\n", 1),
        ("d.txt", "Lvl;XP to next\n1;100\n2;150\n3;1250\nSum;1500\n", 1),
    ],
)
def test_titles_sums_and_a_cap_row_are_understood_and_said(tmp_path, name, text, left_out):
    (tmp_path / name).write_text(text, encoding="utf-8")
    columns = {"level": "Lvl", "cost": "XP to next"}
    design = make({"file": name, "columns": columns}, 4, file=tmp_path / "d.toml")
    assert rm.level_table(design)["cost"].dropna().tolist() == [100, 150, 1250]
    (note,) = [finding for finding in rm.check(design) if finding.code == "cost-file-rows"]
    assert note.reason.count("row ") == left_out and note.severity == "note"


def test_a_formula_without_a_stored_value_is_named(tmp_path):
    openpyxl = pytest.importorskip("openpyxl")
    book = openpyxl.Workbook()
    for row in (["level", "cost"], [1, 100], [2, "=B2*1.5"], ["Total", "=SUM(B2:B3)"]):
        book.active.append(row)
    book.save(tmp_path / "costs.xlsx")
    with pytest.raises(rm.RamulusError, match="row 3, column 'cost': a formula without a stored value"):
        rm.level_table(make({"file": "costs.xlsx"}, 3, file=tmp_path / "d.toml"))


@pytest.mark.parametrize(
    ("text", "words"),
    [("level,cost\n1\n2\n", "no row has both a level and a cost"), ("level,cost\n", "no row of numbers")],
)
def test_rows_that_are_too_short_are_empty_cells(tmp_path, text, words):
    (tmp_path / "costs.csv").write_text(text, encoding="utf-8")
    with pytest.raises(rm.RamulusError, match=words):
        rm.level_table(make({"file": "costs.csv"}, 3, file=tmp_path / "d.toml"))


def test_lines_that_end_in_a_carriage_return_alone(tmp_path):
    (tmp_path / "costs.csv").write_bytes(b"level,cost\r1,10\r2,20\r")
    assert rm.level_table(make({"file": "costs.csv"}, 3, file=tmp_path / "d.toml"))["cost"].dropna().tolist() == [
        10,
        20,
    ]


def test_links_in_a_circle_and_large_empty_tables_are_errors(tmp_path):
    (tmp_path / "a.csv").symlink_to("b.csv")
    (tmp_path / "b.csv").symlink_to("a.csv")
    with pytest.raises(rm.RamulusError, match=r"is no name of a file|symbolic links\)"):  # By version.
        rm.level_table(make({"file": "a.csv"}, 3, file=tmp_path / "d.toml"))
    pyarrow = pytest.importorskip("pyarrow")
    from pyarrow import parquet

    column = pyarrow.nulls(1_000_000, pyarrow.int8())
    parquet.write_table(pyarrow.table({f"c{i}": column for i in range(12)}), tmp_path / "wide.parquet")
    with pytest.raises(rm.RamulusError, match="1,000,000 rows of 12 columns; allowed in a cost table"):
        rm.level_table(make({"file": "wide.parquet"}, 3, file=tmp_path / "d.toml"))
