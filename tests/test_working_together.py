"""What a designer does in order, from the first cost to parties: each step on one growing design, numbers by hand."""

from __future__ import annotations

import json

import numpy as np
import pytest

import ramulus as rm
from ramulus.rules.tabulation import tabulated


@pytest.fixture
def file(tmp_path):
    path = tmp_path / "mine.toml"
    path.write_text(
        'format = 1\ntitle = "Mine"\n\n[tracks.warden]\nmax_level = 5\n\n[tracks.warden.cost]\nformula = "100 + 50 * level"\n'
    )
    return path


def grow(file, text):
    file.write_text(file.read_text() + text)
    return rm.load_design(file)


def rows(ran):
    return json.loads(ran.out)["rows"]


def test_from_the_first_cost_to_a_party(cli, file):
    # Costs 150, 200, 250, 300.
    assert [row["cost"] for row in rows(cli("levels", file, "--format", "json"))] == [150, 200, 250, 300, None]
    assert cli("check", file).status == 0

    # An award larger than two levels, with and without overflow.
    assert rows(cli("award", file, 400, "--format", "json"))[0]["label"] == "Level 3 · 50 / 250"
    lost = cli("award", file, 400, "--set", "tracks.warden.overflow.carry=0", "--format", "json")
    assert rows(lost)[0]["wasted"] == 250

    # A source without a time: the command says what is missing, and the file grows by it.
    grow(file, "\n[sources.aphid]\nlevel = 1\nxp = 25\ntoughness = 40\n")
    ran = cli("simulate", file)
    assert ran.status == 1
    assert "encounter.seconds" in ran.err
    with pytest.raises(rm.DesignError, match="encounter.seconds: the name 'shear'"):
        grow(file, '\n[encounter]\nseconds = "ceil(toughness / shear) * 3"\n')
    ran = cli("simulate", file)
    assert ran.status == 1
    assert "'shear'" in ran.err

    # A stat; the cuts needed fall from 4 to 3 at level 3 (10, 12, 14) and stay there to level 5 (16, 18).
    design = grow(file, "\n[stats.shear]\nbase = 10\nper_level = 2\n")
    effort = rm.effort_table(design)
    assert effort["seconds"].tolist() == [12, 12, 9, 9, 9]
    assert effort["xp_per_hour"].tolist() == [7500, 7500, 10000, 10000, 10000]

    # Nothing is left to chance, so a pencil does: 6, 8, 10, 12 awards.
    pace = rm.simulate(design, players=2).pace()
    seconds = np.cumsum([0, 6 * 12, 8 * 12, 10 * 9, 12 * 9])
    assert pace["hours_p50"].tolist() == pytest.approx((seconds / 3600).tolist())
    assert pace["encounters_p50"].tolist() == [0, 6, 14, 24, 36]

    # Farming the weak source stops paying: 25, ⌊22.5⌋, 20, ⌊17.5⌋ XP at levels 1 to 4.
    design = grow(file, '\n[[multipliers]]\nname = "outgrown"\nfactor = "1 - 0.1 * gap"\n')
    assert rm.gain_table(design)["award"].tolist() == [25, 22, 20, 17, 15]
    chains = [str(rm.trace_source(design, "aphid", 1, level=level)[1][0]) for level in (1, 2, 3)]
    assert chains == ["base 25 = 25", "base 25 × outgrown 0.9 = 22.5 rounded down = 22", "base 25 × outgrown 0.8 = 20"]

    # 6 × 25; ⌈200/22⌉ = 10 with 20 over; ⌈230/20⌉ = 12 with 10 over; ⌈290/17⌉ = 18.
    pace = rm.simulate(design, players=2).pace()
    assert pace["encounters_p50"].tolist() == [0, 6, 16, 28, 46]

    # Two friends, one three levels ahead; the weaker one gets twice the XP until level.
    design = grow(
        file,
        '\n[[multipliers]]\nname = "catch-up"\nfactor = "2 if level < leader_level else 1"\n'
        "\n[players.p]\n\n[party.members.wren]\nplayer = 'p'\nstart_level = 4\n\n[party.members.lark]\nplayer = 'p'\n",
    )
    table = rm.play_party(design, 4, parties=1).awards()
    lark = table.query("member == 'lark'")
    assert lark["award"].tolist() == [0, 50, 50, 50, 45]
    assert list(zip(lark["level"], lark["xp"], strict=True))[-2:] == [(2, 0), (2, 45)]
    wren = table.query("member == 'wren'")
    assert wren["award"].tolist() == [0, 17, 17, 17, 17]

    # The time of a shared encounter is the leader's: 9 s at level 4.
    assert wren["hours"].tolist() == pytest.approx([0, 9 / 3600, 18 / 3600, 27 / 3600, 36 / 3600])


def test_tuning_a_number_without_touching_the_file(cli, file):
    before = file.read_text()
    for words in (["levels"], ["check"]):
        ran = cli(*words, file, "--set", "tracks.warden.cost.formula=100 * level", "--set", "tracks.warden.max_level=4")
        assert ran.status == 0
    rows_now = rows(cli("levels", file, "--set", "tracks.warden.cost.formula=100 * level", "--format", "json"))
    assert [row["cost"] for row in rows_now] == [100, 200, 300, 400, None]
    assert file.read_text() == before


def test_two_designs_side_by_side_share_their_luck():
    design = rm.demo_design()
    eased = design.with_values({"constants.crown_gate": 0})
    one, two = (rm.simulate(d, {"steady": 300}, seed=5).arrivals("steady") for d in (design, eased))
    # Up to the gate the designs are the same, and so are the players, to the bit.
    np.testing.assert_array_equal(one[:, :20], two[:, :20])
    saved = one[:, 20] - two[:, 20]
    assert (saved > 0).all()
    # The gate's 3,000 XP over what an hour brings at level 20, a little more or less for each player.
    table = rm.effort_table(design, "steady").query("level == 20")
    mean_xp = (
        table["chance"] * (table["success"] * table["award"] + (1 - table["success"]) * 0.1 * table["award"])
    ).sum()
    seconds = (table["chance"] * (table["seconds"] + (1 - table["success"]) * 40 + 22)).sum()
    hours = 3000 / mean_xp * seconds / 3600
    assert saved.mean() == pytest.approx(hours, rel=0.05)


@pytest.mark.parametrize("gives", ["cost", "total"])
@pytest.mark.parametrize("ending", ["csv", "json", "xlsx", "parquet"])
def test_a_level_table_goes_to_a_spreadsheet_and_back_into_a_design(cli, tmp_path, canopy, gives, ending):
    table = tmp_path / f"levels.{ending}"
    assert cli("levels", canopy, "--output", table).status == 0
    mine = tmp_path / "mine.toml"
    mine.write_text(
        f'format = 1\ntitle = "t"\n[tracks.w]\nmax_level = 40\n[tracks.w.cost]\nfile = "levels.{ending}"\ngives = "{gives}"\nrounding = "none"\n'
    )
    assert (
        tabulated(rm.load_design(mine)).main.curve.costs.tolist()
        == tabulated(rm.demo_design()).main.curve.costs.tolist()
    )


def test_a_saved_character_goes_on_where_it_stopped(tmp_path):
    design = rm.demo_design()
    ledger = rm.Ledger(design)
    for amount in (40, 300, 77, 5000):
        ledger.award(amount)
    ledger.spend(3)
    (tmp_path / "save.json").write_text(json.dumps(ledger.to_dict()))
    again = rm.Ledger.from_dict(design, json.loads((tmp_path / "save.json").read_text()))
    assert again == ledger
    for amount in (1, 999, 12345):
        assert again.award(amount) == ledger.award(amount)
    softer = design.with_values({"constants.steepness": 1.4})
    with pytest.raises(rm.SavedLedgerError, match="another design"):
        rm.Ledger.from_dict(softer, json.loads((tmp_path / "save.json").read_text()))


def test_an_upgrade_changes_the_fight_it_is_for():
    design = rm.demo_design().with_values({"players.steady.traits": {"accuracy": 0.72}})
    table = rm.effort_table(design, "steady")
    bare = rm.effort_table(design.with_values({"players.steady.spends": []}), "steady")
    both = table.merge(bare, on=["level", "source"], suffixes=("", "_bare"))
    assert (both["seconds"] <= both["seconds_bare"]).all()
    late = both.query("level >= 20 and source != 'seed_errand'")
    assert (late["seconds"] < late["seconds_bare"]).all()
    assert (both["success"] == both["success_bare"]).all()
    borer = both.query("source == 'bark_borer' and level == 9").iloc[0]
    # At level 9: shears 14.34 alone, 22.34 with four ranks: ⌈70 / 14.34⌉ = 5 cuts, ⌈70 / 22.34⌉ = 4.
    assert (borer["cuts_bare"], borer["cuts"]) == (5, 4)
    assert borer["seconds_bare"] == pytest.approx(5 * 1.4 / 0.72 + 6)
    assert borer["seconds"] == pytest.approx(4 * 1.4 * 0.93**4 / 0.72 + 6)
