"""Awards traced from a source: what is drawn, by which chances, and through which multipliers."""

from __future__ import annotations

import numpy as np
import pytest

import ramulus as rm
from conftest import make
from ramulus.tables.compare_rules import totals_in_words

MANY = 6000


def traced(xp, **parts):
    design = make({"formula": "1e7"}, 3, sources={"a": {"level": 1, "xp": xp, "seconds": 1}}, **parts)
    table, chains = rm.trace_source(design, "a", MANY, seed=4)
    return design, table["amount"].to_numpy(), chains


def test_every_whole_number_of_a_range_is_as_likely():
    design, amounts, _ = traced({"low": 9, "high": 13})
    values, counts = np.unique(amounts, return_counts=True)
    assert values.tolist() == [9, 10, 11, 12, 13]
    # 4.5 sigma of a binomial count with chance 1/5.
    assert np.abs(counts - MANY / 5).max() < 4.5 * np.sqrt(MANY * 0.2 * 0.8)
    assert rm.gain_table(design)["award"].iloc[0] == 11


def test_choices_come_by_their_chances():
    design, amounts, _ = traced({"one_of": [[100, 0.7], [150, 0.3]]})
    assert set(amounts) == {100, 150}
    assert (amounts == 150).mean() == pytest.approx(0.3, abs=4.5 * np.sqrt(0.21 / MANY))
    assert rm.gain_table(design)["award"].iloc[0] == pytest.approx(115)


def test_each_award_is_rounded_on_its_own():
    # 9 … 13 times 0.5 rounded down: 4, 5, 5, 6, 6.
    design, amounts, chains = traced({"low": 9, "high": 13}, multipliers=[{"name": "half", "factor": 0.5}])
    assert set(amounts) == {4, 5, 6}
    assert rm.gain_table(design)["award"].iloc[0] == pytest.approx(26 / 5)
    for chain in chains[:50]:
        assert chain.award == chain.base // 2
        assert chain.links == (("half", 0.5),)
    same, _ = rm.trace_source(design, "a", MANY, seed=4)
    assert same["amount"].tolist() == amounts.tolist()


def test_a_chain_says_how_its_rules_stack_and_what_lifts_it():
    rules = [
        {"name": "a", "factor": 2, "stack": "best"},
        {"name": "b", "factor": 3, "stack": "best"},
        {"name": "c", "factor": 1.5, "stack": "add"},
        {"name": "d", "factor": 1.5, "stack": "add"},
    ]
    _, _, chains = traced(100, multipliers=rules)
    assert str(chains[0]) == "base 100 × best of (a, b) 3 × sum of (c, d) 2 = 600"
    _, amounts, chains = traced(3, multipliers=[{"name": "a", "factor": 0.5}], awards={"least_award": 5})
    assert str(chains[0]) == "base 3 × a 0.5 = 1.5 rounded down = 1 lifted to least_award = 5"
    assert set(amounts) == {5}


def test_a_source_awards_only_while_it_is_open(cli, canopy):
    design = make({"values": [20, 30, 50, 70]}, 5, sources={"a": {"level": 1, "xp": 10, "seconds": 1, "to_level": 2}})
    table, chains = rm.trace_source(design, "a", 99)
    assert table["level"].tolist() == [1, 2, 2, 2, 3]
    assert len(chains) == 5
    with pytest.raises(rm.RamulusError, match="'a' is closed at level 3"):
        rm.trace_source(design, "a", 1, level=3)
    ran = cli("award", canopy, "--source", "aphid_cluster", "--times", 99, "--level", 12, "--xp", 1040)
    assert ran.status == 0
    assert "aphid_cluster closes at level 13" in ran.err
    errand = cli("award", canopy, "--source", "seed_errand", "--times", 99, "--level", 5, "--format", "csv")
    assert len(errand.out.splitlines()) == 1 + 6
    assert "seed_errand has a limit of 6: 6 of 99 awards were made" in errand.err
    assert cli("award", canopy, "--source", "crown_rot", "--level", 3).status == 1
    other = cli("award", canopy, "--source", "bark_borer", "--track", "grafting")
    assert other.status == 2 and "practises no skill, not grafting" in other.err


def test_a_source_awards_to_the_skill_that_it_practises(cli, canopy):
    # 5, 6, 9 … XP a level, 1 XP a graft.
    rows = cli("award", canopy, "--source", "shoot_graft", "--track", "grafting", "--times", 12, "--format", "csv").out
    levels = [line.split(",")[4] for line in rows.splitlines()[1:]]
    assert levels == ["1"] * 4 + ["2"] * 6 + ["3"] * 2
    table, said = rm.trace_skill(rm.demo_design(), "shoot_graft", 3, level=2, xp=4)
    assert table["label"].tolist()[:2] == ["Level 2 · 5 / 6", "Level 3 · 0 / 9"] and said[0] == "base 1 = 1"
    with pytest.raises(rm.RamulusError, match="practises no skill"):
        rm.trace_skill(rm.demo_design(), "bark_borer", 1)


def test_losses_stand_between_awards_and_after_them(cli):
    design = make({"values": [20, 30, 50]}, 4, {"may_drop_levels": True})
    table = rm.trace_changes(design, [25, -10, 3, -99])
    assert table["level"].tolist() == [2, 1, 1, 1] and table["xp"].tolist() == [5, 15, 18, 0]
    assert table["amount"].tolist() == [25, -10, 3, -18] and table["levels_gained"].tolist() == [1, -1, 0, 0]
    assert totals_in_words(table).endswith("28 XP lost.")


def test_losses_on_the_command_line(cli, canopy):
    mixed = cli("award", canopy, "--", "40", "-5", "90")
    after = cli("award", canopy, "40", "90", "--lose", "5")
    assert "40" in mixed.out and "5 XP lost" in mixed.out and "5 XP lost" in after.out
    assert cli("award", canopy, "--also", "carry=0", "--", "40", "-5").status == 2
